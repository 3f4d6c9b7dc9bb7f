"""What the modules of a station's own rail give and take, and which exchanges bring it."""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.analysis.engine import Reader
from highmoor.core.hardware.parts import rail_seats
from highmoor.core.networks.fieldbus import Area, Carried, RailRule
from highmoor.core.plant.rows import Connection, Exchange, Rail, Station


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


def padded(octets: int, unit: int) -> int:
    """Octets in whole units."""
    return -(-octets // unit) * unit


def station_data(reader: Reader, station: Station, rule: RailRule) -> StationData:
    """The station's modules laid out by its fieldbus's rule."""
    modules: dict[str, ModuleStretch] = {}
    ends: dict[Area, int] = {"in": 0, "out": 0}
    head = reader.type(station.type)
    for seat in (seat for rail in reader.children(Rail, station.id) for seat in rail_seats(reader, rail, head)):
        if seat.module is None or seat.type is None:
            continue
        sizes: tuple[tuple[Area, int], ...] = (("in", seat.type.in_octets), ("out", seat.type.out_octets))
        for area, octets in sizes:
            if octets:
                modules[f"{seat.module.id}.{area}"] = ModuleStretch(area, ends[area], octets, seat.module.id)
                ends[area] += padded(octets, rule.unit_octets)
    carriers = tuple(
        Carrier(exchange.id, stretch)
        for connection in reader.children(Connection, station.id)
        for exchange in reader.children(Exchange, connection.id)
        if (stretch := rule.carried(exchange)) is not None
    )
    missing = (gap for area, end in ends.items() for gap in _gaps(area, end, carriers))
    return StationData(modules, carriers, ends["in"], ends["out"], tuple(missing))


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
