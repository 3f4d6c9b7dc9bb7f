"""What the modules of a coupler give and take, and which exchanges bring it: all in whole registers."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from highmoor.core.networks.blocks import SeatedModule
from highmoor.core.networks.carried import Area, Carried
from highmoor.core.plant.rows import Exchange

# A register's.
UNIT_OCTETS = 2


@dataclass(frozen=True, slots=True)
class ModuleStretch(Carried):
    """A module's octets in one direction, counted from the station's first, padding left out."""

    module: str


@dataclass(frozen=True, slots=True)
class Carrier:
    """An exchange and the stretch it brings."""

    exchange: str
    stretch: Carried


@dataclass(frozen=True, slots=True)
class StationData:
    """All modules' octets in slot order, padded to whole units; who carries them, and what nobody does."""

    modules: dict[str, ModuleStretch]
    carriers: tuple[Carrier, ...]
    in_octets: int
    out_octets: int
    missing: tuple[Carried, ...]

    def stretch(self, module: str, area: Area) -> ModuleStretch | None:
        """A module's octets in one direction."""
        return self.modules.get(f"{module}.{area}")

    def octets(self, area: Area) -> int:
        """How many octets all modules have in one direction."""
        return self.in_octets if area == "in" else self.out_octets

    def carrier(self, area: Area, first: int, octets: int) -> Carrier | None:
        """The first exchange in route order that brings a whole stretch."""
        return next(
            (
                c
                for c in self.carriers
                if c.stretch.area == area and c.stretch.first <= first and first + octets <= c.stretch.end
            ),
            None,
        )


def padded(octets: int, unit: int = UNIT_OCTETS) -> int:
    """Octets in whole units."""
    return -(-octets // unit) * unit


def rail_data(
    modules: Sequence[SeatedModule], exchanges: Sequence[Exchange], carried: Callable[[Exchange], Carried | None]
) -> StationData:
    """A station's modules laid out one behind the other, each from a whole register on."""
    stretches: dict[str, ModuleStretch] = {}
    ends: dict[Area, int] = {"in": 0, "out": 0}
    for module in modules:
        sizes: tuple[tuple[Area, int], ...] = (("in", module.type.in_octets), ("out", module.type.out_octets))
        for area, octets in sizes:
            if octets:
                stretches[f"{module.id}.{area}"] = ModuleStretch(area, ends[area], octets, module.id)
                ends[area] += padded(octets)
    carriers = tuple(
        Carrier(exchange.id, stretch) for exchange in exchanges if (stretch := carried(exchange)) is not None
    )
    missing = (gap for area, end in ends.items() for gap in _gaps(area, end, carriers))
    return StationData(stretches, carriers, ends["in"], ends["out"], tuple(missing))


def _gaps(area: Area, end: int, carriers: tuple[Carrier, ...]) -> list[Carried]:
    """The stretches of 0 … end that no carrier brings."""
    gaps = []
    begin = 0
    for stretch in sorted((c.stretch for c in carriers if c.stretch.area == area), key=lambda s: s.first):
        if stretch.first > begin:
            gaps.append(Carried(area, begin, min(stretch.first, end) - begin))
        begin = max(begin, stretch.end)
        if begin >= end:
            return gaps
    return [*gaps, Carried(area, begin, end - begin)] if begin < end else gaps
