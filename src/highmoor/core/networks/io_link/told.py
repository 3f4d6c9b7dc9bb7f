"""What is told of a master's ports: each with what is plugged in, where its data lies, how often it is exchanged."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.hardware.mounting import is_ports, module_label, root_of
from highmoor.core.hardware.parts import head_of
from highmoor.core.networks.blocks import Block, seated
from highmoor.core.networks.carried import AREAS, Area
from highmoor.core.networks.io_link.data import PortData, data_of, mode_of
from highmoor.core.networks.io_link.layout import BIT_LABELS, PortLayout, PortRail, layout_of
from highmoor.core.networks.io_link.ports import HolderOctets, ports_behind, station_wires
from highmoor.core.networks.io_link.timing import cycle_ms, least_cycle_ms, port_message_ms
from highmoor.core.plant.rows import Exchange, Module, Rail, Station


@dataclass(frozen=True, slots=True)
class PortWay:
    """A port's data one way: how much there is of it, and from which octet of what carries it; `room` is what the port
    has there, None where nobody says. Without a `carrier` it lies nowhere."""

    octets: int
    room: int | None
    carrier: str
    carrier_name: str
    first: int | None
    # How many octets the carrier has.
    carried: int


@dataclass(frozen=True, slots=True)
class PortBit:
    """A bit of a port that stands beside its data: what, and where, as octet.bit of what carries it."""

    key: str
    label: str
    carrier: str
    at: str


@dataclass(frozen=True, slots=True)
class PortTold:
    """A port: what is plugged in ("" for nothing), what it does there, its data both ways, its times in ms."""

    port: int
    module: str
    label: str
    mode: str
    inward: PortWay
    outward: PortWay
    bits: tuple[PortBit, ...]
    cycle_ms: float
    least_ms: float
    message_ms: float

    def way(self, area: Area) -> PortWay:
        """Its data one way."""
        return self.inward if area == "in" else self.outward


@dataclass(frozen=True, slots=True)
class MasterPorts:
    """The ports of a master: `known` is where their places are known from, "file", "slots", "set", "" for nowhere."""

    head: str
    known: str
    ports: tuple[PortTold, ...]
    wanted_bits: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True, slots=True)
class _Master:
    """What is needed of a master: its ports, and what its station exchanges."""

    ports: PortRail
    layout: PortLayout
    sizes: Mapping[tuple[str, Area], int]


def _ports(reader: Reader, root: str) -> MasterPorts | None:
    rail = reader.row(root, Rail)
    if not is_ports(rail):
        return None
    master = _master(reader, rail)
    if master is None:
        return None
    by_port = {module.slot: module for module in master.ports.plugged}
    told = []
    for port in range(1, master.ports.count + 1):
        seat = by_port.get(port)
        row: Module | None = reader.find(seat.id) if seat else None
        device, settings = (seat.type, seat.settings) if seat else (None, {})
        data = data_of(device, settings) if device else PortData()
        told.append(
            PortTold(
                port, seat.id if seat else "", module_label(port, device, row) if row and device else "",
                mode_of(device) if device else "off", _way(reader, master, port, data, "in"),
                _way(reader, master, port, data, "out"), tuple(_bits(reader, master, port)), *_times(device, settings),
            )
        )  # fmt: skip
    return MasterPorts(rail.head, master.layout.known, tuple(told), tuple(_wanted(master)))


def _times(device: DeviceType | None, settings: dict[str, object]) -> tuple[float, float, float]:
    if device is None or mode_of(device) != "data":
        return 0.0, 0.0, 0.0
    least, message = least_cycle_ms(device, settings), port_message_ms(device, settings)
    return float(cycle_ms(device, settings)), float(least), float(message)


def _master(reader: Reader, rail: Rail) -> _Master | None:
    head, device = head_of(reader, rail)
    if head is None or device is None:
        return None
    there = root_of(reader.find, rail)
    station = there.row if isinstance(there.row, Station) else None
    wires = station_wires(reader, station.id) if station else []
    own = list(seated(reader, head.id))
    masters = ports_behind(reader, head.id, device, own, module=isinstance(head, Module))
    ports = next((one for one in masters if one.rail.id == rail.id), None)
    if ports is None:
        return None
    laid: Mapping[str, Block] = (reader.part("station.blocks", station.id) or {}) if station else {}
    octets = HolderOctets(laid, ports)
    layout = layout_of(ports, wires if station and head.id == station.id else (), octets)
    sizes = {(exchange.id, exchange.direction): wire.octets for exchange, wire in wires}
    sizes |= {(holder, area): octets(holder, area) for holder in (head.id, *(m.id for m in own)) for area in AREAS}
    return _Master(ports, layout, sizes)


def _way(reader: Reader, master: _Master, port: int, data: PortData, area: Area) -> PortWay:
    place = master.layout.place(area, port)
    if place is None:
        return PortWay(data.octets(area), None, "", "", None, 0)
    carried = master.sizes.get((place.holder, area), 0)
    return PortWay(data.octets(area), place.octets, place.holder, _called(reader, place.holder), place.first, carried)


def _called(reader: Reader, holder: str) -> str:
    row = reader.find(holder)
    if isinstance(row, Exchange):
        return row.name
    device = reader.type(row.type) if isinstance(row, Module) else None
    return (row.designation or (device.name if device else row.type)) if isinstance(row, Module) else ""


def _bits(reader: Reader, master: _Master, port: int) -> Iterator[PortBit]:
    for (area, key), (holder, first) in master.layout.bits.items():
        octet, bit = divmod(first + port - 1, 8)
        yield PortBit(f"{area}.{key}", f"{BIT_LABELS[key]} {area}", holder, f"{octet}.{bit}")


def _wanted(master: _Master) -> Iterator[tuple[str, str]]:
    """Bits that something plugged in needs and nobody has said where they are: by module, the setting that says it."""
    known = master.layout.bits
    for module in master.ports.plugged:
        mode = mode_of(module.type)
        if mode == "DI" and ("in", "pin4") not in known:
            yield module.id, "pin4_in"
        if mode == "DO" and ("out", "pin4") not in known:
            yield module.id, "pin4_out"
        if module.settings.get("pin2") == "in" and ("in", "pin2") not in known:
            yield module.id, "pin2_in"


PARTS: tuple[Part, ...] = (Part("rail.master", "rails", _ports, stage="networks", shown=MasterPorts),)
