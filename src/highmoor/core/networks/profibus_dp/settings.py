"""What is set on a PROFIBUS DP network and its stations, joined with what a station's file offers.

Source: IEC 61158-5-3, -6-3 (DP: Set_Prm, Chk_Cfg); GSD specification for what files say. Nothing of a file is copied
into the plant: an empty setting means that the file's choice holds.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, Literal

from highmoor.core.catalogue.choices import Identifier, ParameterPlace
from highmoor.core.catalogue.types import DeviceType, Parameter
from highmoor.core.errors import Refusal
from highmoor.core.figures.profibus_cycle import RATES, Exchanged, RateTimes
from highmoor.core.figures.profibus_identifier import identifiers_in
from highmoor.core.networks.blocks import SeatedModule
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import is_request
from highmoor.core.plant.rows import Json, Network

KIND = "profibus-dp"
BAUD = 1_500_000
MASTER = 1
WATCHDOG_MS = 200.0
# What a Set_Prm holds before what is the user's own, and all it may hold.
PRM_HEAD_OCTETS, PRM_OCTETS_AT_MOST = 7, 244
# The status octets that a station of DP-V1 has before its own parameters, and the bit of its watchdog's unit.
_DPV1_OCTETS, _WD_BASE_1MS = 3, 0x04
Direction = Literal["in", "out"]
DIRECTIONS: tuple[Direction, Direction] = ("in", "out")
DELIVERY_ADDRESS = 126


def whole_in(settings: Mapping[str, Any], key: str, usual: int | None) -> int | None:
    """A whole number that is set, or what is usual; files from outside may hold anything there."""
    value = settings.get(key)
    return value if isinstance(value, int) and not isinstance(value, bool) else usual


def number_in(settings: Mapping[str, Any], key: str, usual: float) -> float:
    """The same of any number."""
    value = settings.get(key)
    return value if isinstance(value, int | float) and not isinstance(value, bool) else usual


@dataclass(frozen=True, slots=True)
class LineSettings:
    """A network's own: its rate, the master's address, how it sees to stations that fail.

    `cycle_ms` is how often a cycle begins at most, 0 as often as it can. What else the bus runs by is computed
    (`bus.py`) and may be set otherwise in `own`, by name.
    """

    baud: int
    master: int
    cycle_ms: float
    auto_clear: bool
    terminated: bool
    own: tuple[tuple[str, int], ...]

    @classmethod
    def of(cls, network: Network) -> LineSettings:
        """As they are set."""
        own = network.settings
        baud = whole_in(own, "baud", BAUD)
        bus = own.get("bus")
        return cls(
            baud if baud in RATES else BAUD,
            whole_in(own, "master", MASTER) or 0,
            max(number_in(own, "cycle_ms", 0), 0),
            own.get("auto_clear") is True,
            own.get("terminated") is not False,
            tuple(_whole_ones(bus)) if isinstance(bus, dict) else (),
        )

    def otherwise(self, key: str, usual: int) -> int:
        """A bus parameter as it is set, or what it would be by itself."""
        return dict(self.own).get(key, usual)

    @property
    def rate(self) -> RateTimes:
        """What its rate brings."""
        return RATES[self.baud]


def _whole_ones(given: Mapping[str, Any]) -> Iterator[tuple[str, int]]:
    for key in sorted(given):
        value = whole_in(given, key, None)
        if value is not None:
            yield key, value


@dataclass(frozen=True, slots=True)
class Wiring:
    """How a station hangs on its segment: metres of cable from the one before and of its stub, its terminator.

    A repeater has a terminator on either side: `terminated` of the segment it ends, `terminated_behind` of the next.
    """

    length_m: float
    stub_m: float
    terminated: bool
    terminated_behind: bool

    @classmethod
    def of(cls, settings: Json, *, repeats: bool) -> Wiring:
        """As they are set: a repeater terminates both of its segments unless somebody says otherwise."""
        ends = settings.get("terminated")
        return cls(
            max(number_in(settings, "length_m", 0), 0),
            max(number_in(settings, "stub_m", 0), 0),
            ends if isinstance(ends, bool) else repeats,
            settings.get("terminated_behind") is not False if repeats else False,
        )


@dataclass(frozen=True, slots=True)
class StationSettings:
    """What is set on a station. `watchdog_ms` 0 switches its watchdog off; `group` 1–8, 0 for none."""

    watchdog_ms: float
    group: int
    sync: bool
    freeze: bool
    ident: int | None
    identifiers: str
    user_prm: str
    prm: Mapping[str, Any]

    @classmethod
    def of(cls, settings: Json) -> StationSettings:
        """As they are set; what is none of it counts as not set."""
        prm = settings.get("prm")
        group = whole_in(settings, "group", 0) or 0
        return cls(
            max(number_in(settings, "watchdog_ms", WATCHDOG_MS), 0),
            group if 0 <= group <= 8 else 0,
            settings.get("sync") is True,
            settings.get("freeze") is True,
            whole_in(settings, "ident", None),
            str(settings.get("identifiers") or ""),
            str(settings.get("user_prm") or ""),
            prm if isinstance(prm, dict) else {},
        )


@dataclass(frozen=True, slots=True)
class DpModule:
    """A module of a station: its identifiers, and where its parameters lie in the station's user parameters.

    Of the station's octets each way its own begin at `into` and `out`.
    """

    id: str
    slot: int
    type: DeviceType | None
    identifiers: tuple[Identifier, ...]
    prm: bytes
    prm_at: int
    into: int
    out: int

    @property
    def in_octets(self) -> int:
        """What it gives."""
        return sum(one.in_octets for one in self.identifiers)

    @property
    def out_octets(self) -> int:
        """What it takes."""
        return sum(one.out_octets for one in self.identifiers)


@dataclass(frozen=True, slots=True)
class DpStation:
    """A station as its master knows it: number, identity, modules in order, parameters.

    `address` is None for one that has none. Without a file the identifiers are one module without a row, ("").
    """

    id: str
    name: str
    address: int | None
    device: DeviceType | None
    ident: int
    modules: tuple[DpModule, ...]
    user_prm: bytes
    own: StationSettings

    @property
    def in_octets(self) -> int:
        """What it gives in each cycle."""
        return sum(module.in_octets for module in self.modules)

    @property
    def out_octets(self) -> int:
        """What it takes in each cycle."""
        return sum(module.out_octets for module in self.modules)

    @property
    def exchanged(self) -> Exchanged:
        """Both."""
        return Exchanged(self.in_octets, self.out_octets)

    @property
    def configuration(self) -> bytes:
        """Cfg_Data: the identifiers of its modules in order."""
        return b"".join(bytes.fromhex(one.octets) for module in self.modules for one in module.identifiers)

    def fact(self, key: str) -> Any:
        """What its file says under a keyword, None for nothing."""
        return self.device.facts.get(key) if self.device else None

    @property
    def watchdog_base_ms(self) -> int:
        """10 ms, or 1 ms where its file says that it can (DP-V1)."""
        return 1 if self.fact("wd_base_1ms_supp") == 1 and self.fact("dpv1_slave") == 1 else 10

    @property
    def watchdog(self) -> tuple[int, int]:
        """The two factors of its watchdog, (0, 0) for off."""
        return watchdog_factors(self.own.watchdog_ms, self.watchdog_base_ms)

    @property
    def watchdog_ms(self) -> float:
        """How long its watchdog really is, 0 for off."""
        one, other = self.watchdog
        return float(self.watchdog_base_ms * one * other)

    def tsdr_bits(self, rate: RateTimes) -> int:
        """How long it takes to answer at most, bit times: as its file says, or as is usual at the rate."""
        told = self.device.limits.reply_bit_times.get(str(rate.baud)) if self.device else None
        return told or rate.tsdr_bits


@lru_cache(maxsize=1024)
def watchdog_factors(wanted_ms: float, base_ms: int) -> tuple[int, int]:
    """The factors whose product is the least that is no less than wanted; (0, 0) for none, 255 twice for too much."""
    if wanted_ms <= 0:
        return 0, 0
    units = max(-(-wanted_ms // base_ms), 1)
    best = (255, 255)
    for other in range(1, 256):
        one = int(-(-units // other))
        if one <= 255 and one * other < best[0] * best[1]:
            best = (one, other)
    return best


def dp_station(line: Line) -> DpStation:
    """A line's station, worked out once."""
    return line.once(_station)


def _station(line: Line) -> DpStation:
    own = StationSettings.of(line.station.settings)
    modules = _modules(line, own)
    address = line.station.address
    return DpStation(
        line.station.id, line.station.name, int(address) if address.isdigit() else None, line.device,
        ident_of(line.device, own), modules, _user_prm(line.device, own, modules), own,
    )  # fmt: skip


def ident_of(device: DeviceType | None, own: StationSettings) -> int:
    """By what it is known: its file's number, or what is typed for one without."""
    known = device.product_code if device else None
    return (own.ident or 0) & 0xFFFF if known is None else known


def _modules(line: Line, own: StationSettings) -> tuple[DpModule, ...]:
    octets = len(bytes.fromhex(line.device.parameter_octets)) if line.device else 0
    if not is_described(line.device):
        identifiers = read_identifiers(own.identifiers)
        return (DpModule("", 1, None, identifiers, b"", 0, 0, 0),) if identifiers else ()
    found: list[DpModule] = []
    into = out = 0
    for seated in line.modules:
        prm = module_prm(seated)
        module = DpModule(seated.id, seated.slot, seated.type, seated.type.identifiers, prm, octets, into, out)
        octets, into, out = octets + len(prm), into + module.in_octets, out + module.out_octets
        found.append(module)
    return tuple(found)


def is_described(device: DeviceType | None) -> bool:
    """Whether a file says which modules a device takes."""
    return device is not None and bool(device.modules)


def read_identifiers(text: str) -> tuple[Identifier, ...]:
    """Identifiers typed in hex; none for what are none."""
    try:
        octets = bytes.fromhex(text)
        return tuple(
            Identifier(one.hex(" ").upper(), sizes.in_octets, sizes.out_octets, sizes.consistent)
            for one, sizes in identifiers_in(octets)
        )
    except (ValueError, Refusal):
        return ()


def module_prm(module: SeatedModule) -> bytes:
    """A module's parameter octets with what is set on it."""
    return laid(module.type.parameter_octets, module.type.parameter_places, module.type.parameters, module.settings)


def station_parameters(device: DeviceType) -> Iterable[tuple[str, ParameterPlace, Parameter]]:
    """The parameters of the station itself: a file describes those of its modules in the same list."""
    by_key = {parameter.key: parameter for parameter in device.parameters}
    for place in device.parameter_places:
        if place.parameter in by_key:
            yield f"{place.parameter}_{place.octet}", place, by_key[place.parameter]


def _user_prm(device: DeviceType | None, own: StationSettings, modules: Sequence[DpModule]) -> bytes:
    if device is None or not is_described(device):
        return _hex(own.user_prm)
    placed = list(station_parameters(device))
    places = tuple(ParameterPlace(key, place.octet) for key, place, _ in placed)
    parameters = tuple(_called(parameter, key) for key, _, parameter in placed)
    octets = bytearray(laid(device.parameter_octets, places, parameters, own.prm))
    if device.facts.get("wd_base_1ms_supp") == 1 and device.facts.get("dpv1_slave") == 1 and octets:
        octets[0] |= _WD_BASE_1MS
    return bytes(octets) + b"".join(module.prm for module in modules)


def _called(parameter: Parameter, key: str) -> Parameter:
    return replace(parameter, key=key)


def _hex(text: str) -> bytes:
    try:
        return bytes.fromhex(text)
    except ValueError:
        return b""


def laid(
    octets: str, places: Sequence[ParameterPlace], parameters: Sequence[Parameter], settings: Mapping[str, Any]
) -> bytes:
    """Parameter octets with what is set laid over what the file has; values of several octets high octet first."""
    row = bytearray(bytes.fromhex(octets))
    by_key = {parameter.key: parameter for parameter in parameters}
    for place in places:
        parameter, value = by_key.get(place.parameter), whole_in(settings, place.parameter, None)
        if parameter is None or value is None or not parameter.bits:
            continue
        size = (parameter.bit + parameter.bits + 7) // 8
        if place.octet + size <= len(row):
            mask = (1 << parameter.bits) - 1 << parameter.bit
            there = int.from_bytes(row[place.octet : place.octet + size], "big") & ~mask
            row[place.octet : place.octet + size] = (there | value << parameter.bit & mask).to_bytes(size, "big")
    return bytes(row)


def stations_of(lines: Iterable[Line]) -> list[DpStation]:
    """The stations that have an address, in the order in which they are asked: by that."""
    cyclic = (dp_station(line) for line in lines if not is_request(line.connection))
    found = [station for station in cyclic if station.address is not None]
    return sorted(found, key=lambda station: station.address or 0)
