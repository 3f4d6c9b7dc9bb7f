"""Where the data of each port lies in what its master exchanges.

A master's file names its ports ("Port 3 in"), its slots are its ports, or somebody says from which octet on they lie.
Single bits of all ports (pins, whether data is valid) stand side by side elsewhere. Whatever brings them, an exchange
of any fieldbus or the octets of a module, is asked by its octets alone.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import MOST_SLOTS
from highmoor.core.networks.blocks import Block, SeatedModule, Spot
from highmoor.core.networks.carried import AREAS, Area
from highmoor.core.networks.io_link.data import PIN_OUT, FieldsOf, data_of, mode_of
from highmoor.core.networks.wire import WireField, WireLayout
from highmoor.core.plant.rows import Exchange, Rail

_PORT = re.compile(r"\bports?\s*#?(\d{1,2})\b", re.IGNORECASE)
_BIT = re.compile(r"(\d{1,4})\.([0-7])")
# The bits beside the data of a port: setting, key of the value, what it is called, how a file may call all of them.
_BITS: tuple[tuple[str, Area, str, str, re.Pattern[str]], ...] = (
    ("pin4_in", "in", "pin4", "Pin 4", re.compile(r"\bpin\s*4\b", re.IGNORECASE)),
    ("pin2_in", "in", "pin2", "Pin 2", re.compile(r"\bpin\s*2\b", re.IGNORECASE)),
    ("valid", "in", "valid", "Data valid", re.compile(r"\bvalid\b", re.IGNORECASE)),
    ("connected", "in", "connected", "Connected", re.compile(r"\bconnected\b", re.IGNORECASE)),
    ("pin4_out", "out", "pin4", "Pin 4", re.compile(r"\bpin\s*4\b", re.IGNORECASE)),
)

BIT_LABELS = {key: label for _, _, key, label, _ in _BITS}


def read_bit(given: object) -> str:
    """A bit as octet.bit. Raises Refusal."""
    found = _BIT.fullmatch(str(given).strip())
    if found is None:
        raise Refusal(f"“{given}” is no bit: octet.bit is meant, as in 2.0.", value=str(given))
    return f"{int(found[1])}.{found[2]}"


@dataclass(frozen=True, slots=True)
class PortRail:
    """A master's ports: the rail, its head, what is plugged in; `own` are the modules on the head's own bus."""

    rail: Rail
    head: str
    device: DeviceType | None
    plugged: tuple[SeatedModule, ...]
    own: tuple[SeatedModule, ...] = ()
    # Whether the head is a module, which has octets itself.
    module: bool = False

    @property
    def count(self) -> int:
        """How many ports there are."""
        return min(max(self.rail.places, 1), MOST_SLOTS)


@dataclass(frozen=True, slots=True)
class PortPlace:
    """Where a port's data lies one way: in whose octets, from which on, how many (None: nobody says)."""

    holder: str
    first: int
    octets: int | None


@dataclass(frozen=True, slots=True)
class PortLayout:
    """Where all of a master's ports lie, by area and port, and the bits of each beside its data, by key."""

    places: Mapping[tuple[Area, int], PortPlace] = field(default_factory=dict)
    bits: Mapping[tuple[Area, str], tuple[str, int]] = field(default_factory=dict)
    # Where it is known from: "file", "slots", "set", "" for nowhere.
    known: str = ""

    def place(self, area: Area, port: int) -> PortPlace | None:
        """Where a port's data lies one way."""
        return self.places.get((area, port))


Wires = Sequence[tuple[Exchange, WireLayout]]


def layout_of(ports: PortRail, wires: Wires, holds: Callable[[str, Area], int]) -> PortLayout:
    """Where the ports of a master lie; `wires` are its station's exchanges, none for a master that is a module.

    `holds` tells how many octets a holder has one way.
    """
    carriers = {area: _carrier(ports, wires, area) for area in AREAS}
    places: dict[tuple[Area, int], PortPlace] = {}
    known = ""
    for area in AREAS:
        for told, found in _told(ports, area, carriers[area], holds):
            if found:
                places |= {(area, port): place for port, place in found.items()}
                known = known or told
                break
    places |= _own_places(ports, carriers, places)
    return PortLayout(places, dict(_bits(ports, carriers)), known)


@dataclass(frozen=True, slots=True)
class _Carrier:
    """What carries a master's data one way, with the values its file names there."""

    holder: str
    pieces: tuple[WireField, ...] = ()


_Carriers = Mapping[Area, _Carrier | None]


def _carrier(ports: PortRail, wires: Wires, area: Area) -> _Carrier | None:
    """The exchange with the most octets, or the module itself."""
    mine = [(wire.octets, exchange.id, wire.pieces) for exchange, wire in wires if exchange.direction == area]
    if mine:
        most = max(octets for octets, _, _ in mine)
        _, exchange, pieces = next(one for one in mine if one[0] == most)
        return _Carrier(exchange, pieces)
    return _Carrier(ports.head) if ports.module else None


def _told(
    ports: PortRail, area: Area, carrier: _Carrier | None, holds: Callable[[str, Area], int]
) -> Iterator[tuple[str, dict[int, PortPlace]]]:
    settings, count = ports.rail.settings, ports.count
    first, octets = settings.get(f"{area}_first"), settings.get(f"{area}_octets")
    if carrier is None:
        return
    if isinstance(first, int):
        step = octets if isinstance(octets, int) else 0
        yield "set", {n: PortPlace(carrier.holder, first + step * (n - 1), octets) for n in range(1, count + 1)
                      if step or n == 1}  # fmt: skip
    yield "file", dict(_by_name(carrier, count))
    yield "slots", dict(_by_slot(ports, area, holds))
    if carrier.holder == ports.head and (whole := holds(ports.head, area)):
        step = octets if isinstance(octets, int) else max(whole // count, 1)
        yield "set", {n: PortPlace(carrier.holder, step * (n - 1), step) for n in range(1, count + 1)}


def _by_name(carrier: _Carrier, count: int) -> Iterator[tuple[int, PortPlace]]:
    """Octets that are called by a port's number; of several stretches of one port the longest."""
    longest: dict[int, tuple[int, int]] = {}
    port, first, end = 0, 0, 0
    for piece in carrier.pieces:
        found = _PORT.search(piece.label)
        number = int(found[1]) if found and not piece.bits % 8 and not piece.bit % 8 else 0
        if number != port or piece.bit != 8 * end:
            port, first = number, piece.bit // 8
        end = (piece.bit + piece.bits) // 8
        if 1 <= port <= count and end - first > longest.get(port, (0, 0))[1]:
            longest[port] = (first, end - first)
    for number, (begin, octets) in longest.items():
        yield number, PortPlace(carrier.holder, begin, octets)


def ports_named(pieces: Iterable[WireField]) -> int:
    """The highest number of a port whose data a file names, 0 for none."""
    found = (_PORT.search(piece.label) for piece in pieces if piece.bits >= 8)
    return max((int(one[1]) for one in found if one), default=0)


def _by_slot(ports: PortRail, area: Area, holds: Callable[[str, Area], int]) -> Iterator[tuple[int, PortPlace]]:
    for module in ports.own:
        octets = holds(module.id, area)
        if octets and 1 <= module.slot <= ports.count:
            yield module.slot, PortPlace(module.id, 0, octets)


def _own_places(
    ports: PortRail, carriers: _Carriers, there: Mapping[tuple[Area, int], PortPlace]
) -> Iterator[tuple[tuple[Area, int], PortPlace]]:
    """What is said of a single port."""
    for module in ports.plugged:
        for area in AREAS:
            at, carrier = module.settings.get(f"{area}_at"), carriers[area]
            if isinstance(at, int) and carrier:
                by_rule = there.get((area, module.slot))
                yield (area, module.slot), PortPlace(carrier.holder, at, by_rule.octets if by_rule else None)


def _bits(ports: PortRail, carriers: _Carriers) -> Iterator[tuple[tuple[Area, str], tuple[str, int]]]:
    """By area and key, in whose octets and at which bit the first port's lies."""
    for setting, area, key, _, name in _BITS:
        carrier, said = carriers[area], ports.rail.settings.get(setting)
        found = _BIT.fullmatch(said) if isinstance(said, str) else None
        if carrier and found:
            yield (area, key), (carrier.holder, 8 * int(found[1]) + int(found[2]))
        elif carrier:
            named = (p for p in carrier.pieces if name.search(p.label) and p.bits >= ports.count)
            piece = next(named, None)
            if piece and not _PORT.search(piece.label):
                yield (area, key), (carrier.holder, piece.bit)


def blocks_of_ports(ports: PortRail, layout: PortLayout) -> Iterator[Block]:
    """What is plugged into a master's ports, each with its octets, and behind them those its bits stand in."""
    for module in ports.plugged:
        for area in AREAS:
            made = _block(module, area, layout)
            if made:
                yield made


def _block(module: SeatedModule, area: Area, layout: PortLayout) -> Block | None:
    data, place = data_of(module.type, module.settings), layout.place(area, module.slot)
    octets = data.octets(area)
    spots: list[Spot | None] = [Spot(place.holder, place.first + n) if place else None for n in range(octets)]
    pieces = list(data.fields(area))
    for key, label in _used_bits(module, area):
        at = layout.bits.get((area, key))
        if at is not None:
            holder, bit = at[0], at[1] + module.slot - 1
            pieces.append(WireField(key if area == "in" else PIN_OUT, label, 8 * len(spots) + bit % 8, 1, "BOOL"))
            spots.append(Spot(holder, bit // 8))
    if not spots:
        return None
    return Block(
        module.id, area, tuple(spots), f"port {module.slot}", tuple(pieces), order="ABCD", data=octets,
        field_at=FieldsOf(area, octets),
    )  # fmt: skip


def _used_bits(module: SeatedModule, area: Area) -> Iterable[tuple[str, str]]:
    """Which of a port's bits say something of what is plugged in."""
    mode = mode_of(module.type)
    used = {"valid", "connected"} if mode == "data" else set()
    used |= {"pin4"} if (mode, area) in (("DI", "in"), ("DO", "out")) else set()
    used |= {"pin2"} if module.settings.get("pin2") == "in" else set()
    return [(key, label) for _, way, key, label, _ in _BITS if way == area and key in used]
