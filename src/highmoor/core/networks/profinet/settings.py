"""What is set on a PROFINET network and its stations, joined with what a station's file offers.

Source: IEC 61158-5-10, -6-10; GSDML specification for what files say. Nothing of a file is copied into the plant: an
empty setting means that the file's choice holds.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from highmoor.core.catalogue.profinet import (
    US_AN_INTERVAL,
    PnDevice,
    PnModule,
    Submodule,
)
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.figures.profinet import DATA_UNIT_LEAST, mended_name
from highmoor.core.networks.blocks import SeatedModule
from highmoor.core.networks.line import Line
from highmoor.core.networks.profinet.submodules import PnSubmodule, record_octets, typed_submodules
from highmoor.core.plant.rows import Json, Network, Station

KIND = "profinet"
Direction = Literal["in", "out"]
DIRECTIONS: tuple[Direction, Direction] = ("in", "out")
# Send clocks in 31.25 µs, and by what they are reduced (IEC 61158-6-10, class 1).
CLOCKS = (8, 16, 32, 64, 128)
CLOCK = 32
RATIOS = (1, 2, 4, 8, 16, 32, 64, 128, 256, 512)
UPDATE_MS = 8.0
WATCHDOG = 3
# The longest a watchdog may be.
WATCHDOG_AT_MOST_MS = 1920.0
_RATIO_AT_MOST = 512


def whole_in(settings: Mapping[str, Any], key: str, usual: int) -> int:
    """A whole number that is set, or what is usual; files from outside may hold anything there."""
    value = settings.get(key)
    return value if isinstance(value, int) and not isinstance(value, bool) else usual


def number_in(settings: Mapping[str, Any], key: str) -> float | None:
    """Any number that is set."""
    value = settings.get(key)
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None


@dataclass(frozen=True, slots=True)
class LineSettings:
    """A network's own: its send clock in 31.25 µs, from where to where addresses are handed out ("" for the whole
    subnet), what its controller is called."""

    clock: int
    first: str
    last: str
    name: str

    @classmethod
    def of(cls, network: Network) -> LineSettings:
        """As they are set."""
        own = network.settings
        clock = whole_in(own, "clock", CLOCK)
        return cls(
            clock if clock in CLOCKS else CLOCK, str(own.get("first") or ""), str(own.get("last") or ""),
            str(own.get("controller_name") or "") or mended_name(f"{network.name}-controller"),
        )  # fmt: skip

    @property
    def clock_ms(self) -> float:
        """Its send clock."""
        return self.clock * US_AN_INTERVAL / 1000


@dataclass(frozen=True, slots=True)
class StationSettings:
    """What is set on a station. `update_ms` None: as usual; `watchdog` in update times."""

    name: str
    update_ms: float | None
    watchdog: int
    by_neighbours: bool
    vendor: int
    device: int
    ident: int
    submodules: str
    prm: Mapping[str, Any]

    @classmethod
    def of(cls, settings: Json) -> StationSettings:
        """As they are set; what is none of it counts as not set."""
        prm = settings.get("prm")
        watchdog = whole_in(settings, "watchdog", WATCHDOG)
        return cls(
            str(settings.get("device_name") or ""),
            number_in(settings, "update_ms"),
            watchdog if 1 <= watchdog <= 0x1E00 else WATCHDOG,
            settings.get("by_neighbours") is not False,
            whole_in(settings, "vendor", 0) & 0xFFFF,
            whole_in(settings, "device", 0) & 0xFFFF,
            whole_in(settings, "ident", 0) & 0xFFFFFFFF,
            str(settings.get("submodules") or ""),
            prm if isinstance(prm, dict) else {},
        )


@dataclass(frozen=True, slots=True)
class UnitPiece:
    """A stretch of a data unit: data of a submodule, its provider's status, or its consumer's."""

    submodule: PnSubmodule
    what: Literal["data", "provider", "consumer"]
    at: int
    octets: int


@dataclass(frozen=True, slots=True)
class IoDevice:
    """A station as its controller knows it: name, address, identity, submodules in order."""

    id: str
    called: str
    name: str
    address: str
    device: DeviceType | None
    vendor_id: int
    device_id: int
    submodules: tuple[PnSubmodule, ...]
    own: StationSettings
    facts: PnDevice | None
    # Its data units, laid out when they are first asked for.
    _units: dict[Direction, tuple[UnitPiece, ...]] = field(default_factory=dict, compare=False, repr=False)

    def octets(self, direction: Direction) -> int:
        """Of data alone."""
        return sum(piece.octets for piece in self.unit(direction) if piece.what == "data")

    def unit(self, direction: Direction) -> tuple[UnitPiece, ...]:
        """A data unit piece by piece: data with its provider's status, then the other way's consumers'."""
        if direction not in self._units:
            self._units[direction] = tuple(_unit(self.submodules, direction))
        return self._units[direction]

    def unit_octets(self, direction: Direction) -> int:
        """What its data unit has, padding aside."""
        last = self.unit(direction)[-1:]
        return last[0].at + last[0].octets if last else 0

    def padded(self, direction: Direction) -> int:
        """The same as it travels."""
        return max(self.unit_octets(direction), DATA_UNIT_LEAST)

    @property
    def clocks(self) -> tuple[int, ...]:
        """The send clocks it bears, in 31.25 µs."""
        return self.facts.interface.clocks if self.facts and self.facts.interface else CLOCKS

    @property
    def ratios(self) -> tuple[int, ...]:
        """By what it reduces them."""
        return self.facts.interface.ratios if self.facts and self.facts.interface else RATIOS

    @property
    def least_ms(self) -> float:
        """The shortest update time it bears."""
        return (self.facts.least_interval if self.facts else CLOCKS[0]) * US_AN_INTERVAL / 1000

    def windows(self, clock: int) -> list[float]:
        """Its update times at a send clock, ms, the shortest first."""
        if clock not in self.clocks:
            return []
        times = (clock * ratio * US_AN_INTERVAL / 1000 for ratio in sorted(self.ratios) if ratio <= _RATIO_AT_MOST)
        return [time for time in times if time >= self.least_ms]

    def update_ms(self, clock: int) -> float:
        """How often it is exchanged: as it is set, or the first that is as long as usual and it bears."""
        if self.own.update_ms:
            return self.own.update_ms
        fitting = self.windows(clock) or [UPDATE_MS]
        return next((time for time in fitting if time >= UPDATE_MS), fitting[-1])

    def ratio(self, clock: int) -> int:
        """By what the send clock is reduced for it: the least power of two that is no quicker than wanted."""
        wanted = self.update_ms(clock) * 1000 / (clock * US_AN_INTERVAL)
        return next((ratio for ratio in RATIOS if ratio >= wanted - 1e-9), _RATIO_AT_MOST)

    def real_update_ms(self, clock: int) -> float:
        """How often it really is exchanged."""
        return self.ratio(clock) * clock * US_AN_INTERVAL / 1000

    def watchdog_ms(self, clock: int) -> float:
        """After how long without a frame it is lost."""
        return self.own.watchdog * self.real_update_ms(clock)


def _unit(submodules: Sequence[PnSubmodule], direction: Direction) -> Iterator[UnitPiece]:
    at = 0
    for sub in submodules:
        octets = sub.in_octets if direction == "in" else sub.out_octets
        if sub.gives if direction == "in" else sub.takes:
            if octets:
                yield UnitPiece(sub, "data", at, octets)
                at += octets
            yield UnitPiece(sub, "provider", at, sub.iops)
            at += sub.iops
    for sub in submodules:
        if sub.takes if direction == "in" else sub.gives:
            yield UnitPiece(sub, "consumer", at, sub.iocs)
            at += sub.iocs


def io_device(line: Line) -> IoDevice:
    """A line's station, worked out once."""
    return line.once(_device)


def name_of(called: str, own: StationSettings) -> str:
    """Its name on the network: as it is set, or made of what it is called in the plant."""
    return own.name or mended_name(called)


def _device(line: Line) -> IoDevice:
    return io_device_of(line.station, line.device, line.modules)


def io_device_of(station: Station, device: DeviceType | None, modules: Sequence[SeatedModule] = ()) -> IoDevice:
    """A station with the modules behind it."""
    own = StationSettings.of(station.settings)
    facts = device.profinet if device else None
    return IoDevice(
        station.id, station.name, name_of(station.name, own), station.address, device,
        device.vendor_id if device and facts else own.vendor, facts.device_id if facts else own.device,
        tuple(_placed(_submodules(device, modules, own))), own, facts,
    )  # fmt: skip


def _submodules(
    device: DeviceType | None, modules: Sequence[SeatedModule], own: StationSettings
) -> Iterator[PnSubmodule]:
    """All that are expected, in the order of slots and subslots."""
    facts = device.profinet if device else None
    if device is None or facts is None:
        yield PnSubmodule("", 0, 1, own.ident, 1, "access point")
        yield from typed_submodules(own.submodules)
        return
    head = device.profinet_module
    if head is not None:
        yield from _fixed("", 0, head, device.called, own.prm)
    if facts.interface is not None and head is not None:
        interface = facts.interface
        yield PnSubmodule("", 0, interface.subslot, head.ident, interface.ident, "interface")
        for n, port in enumerate(facts.ports, start=1):
            yield PnSubmodule("", 0, port.subslot, head.ident, port.ident, f"port {n}")
    for module in modules:
        kind = module.type.profinet_module
        if kind is None:
            continue
        every = [*_fixed(module.id, module.slot, kind, module.type.called, module.settings)]
        for inner in module.modules:
            every += _plugged(module, kind, inner)
        yield from sorted(every, key=lambda sub: sub.subslot)


def _fixed(row: str, slot: int, module: PnModule, label: str, settings: Mapping[str, Any]) -> Iterator[PnSubmodule]:
    into = out = 0
    for sub in module.submodules:
        for subslot in sub.subslots:
            yield _submodule(row, (slot, subslot), module.ident, sub, label, (into, out), settings, subslot)
            into, out = into + sub.in_octets, out + sub.out_octets


def _plugged(head: SeatedModule, kind: PnModule, inner: SeatedModule) -> Iterator[PnSubmodule]:
    own = inner.type.profinet_module
    if own is not None and own.submodules:
        where = head.slot, inner.slot
        yield _submodule(
            inner.id, where, kind.ident, own.submodules[0], inner.type.called, (0, 0), inner.settings,
            own.submodules[0].subslots[0],
        )  # fmt: skip


def _submodule(
    row: str, where: tuple[int, int], module_ident: int, sub: Submodule, label: str, begins: tuple[int, int],
    settings: Mapping[str, Any], keyed: int,
) -> PnSubmodule:  # fmt: skip
    slot, subslot = where
    records = tuple((record, record_octets(keyed, record, settings)) for record in sub.records)
    return PnSubmodule(
        row, slot, subslot, module_ident, sub.ident, sub.label or label, sub.api, sub.inputs, sub.outputs, sub.iops,
        sub.iocs, records, keyed, *begins,
    )  # fmt: skip


def _placed(submodules: Iterable[PnSubmodule]) -> Iterator[PnSubmodule]:
    """Each with where its data begins in the exchanges."""
    into = out = 0
    for sub in submodules:
        yield replace(sub, at_in=into, at_out=out)
        into, out = into + sub.in_octets, out + sub.out_octets
