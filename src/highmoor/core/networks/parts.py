"""Parts every network has, whatever its fieldbus: addresses, exchanges on the wire, timing."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from typing import Any

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.hardware.dials import Dialled, dial_of, dialled
from highmoor.core.hardware.ports import port_label, port_spec, ports_of
from highmoor.core.networks import FIELDBUSES, fieldbus_of
from highmoor.core.networks.blocks import Block, SeatedModule, followed, seated, with_nested
from highmoor.core.networks.connections import PARTS as CONNECTIONS
from highmoor.core.networks.frames import PARTS as FRAMES
from highmoor.core.networks.frames import Frame
from highmoor.core.networks.io_link.device_told import PARTS as PORT_DEVICES
from highmoor.core.networks.io_link.ports import ports_behind, station_wires, with_ports
from highmoor.core.networks.io_link.told import PARTS as PORTS
from highmoor.core.networks.line_time import ExchangeTiming, RouteFacts, Shape, Timing
from highmoor.core.networks.lines import PARTS as LINES
from highmoor.core.networks.lines import asked_lines, kind_of, line_of, station_lines
from highmoor.core.networks.medium import medium_problem
from highmoor.core.networks.numbering import exception_of
from highmoor.core.networks.positions import addressed
from highmoor.core.networks.rings import PARTS as RINGS
from highmoor.core.networks.topology import Topology, topology
from highmoor.core.networks.tree import QUEUES_ABOVE, NetworkTree, network_tree
from highmoor.core.networks.wire import WireLayout
from highmoor.core.plant.rows import (
    ClosingCable,
    Controller,
    Exchange,
    Module,
    Network,
    Port,
    Rail,
    Station,
)


@dataclass(frozen=True, slots=True)
class AddressUse:
    """Who has which address on a network; `problem` is why it cannot work there. A switch need not have one.

    `dialled` is how the device's own switches stand for it; `ruled` the address that the network's rule has instead.
    """

    place: str
    label: str
    address: str
    problem: str
    optional: bool = False
    dialled: Dialled | None = None
    ruled: str = ""


@dataclass(frozen=True, slots=True)
class NetworkAddresses:
    """All addresses on a network, the controller's port first; `span` is where they may lie, "" while nothing says.

    `free` counts the addresses nobody has yet, None without a span.
    """

    span: str
    uses: tuple[AddressUse, ...]
    free: int | None


def _addresses(reader: Reader, root: str) -> NetworkAddresses:
    network = reader.row(root, Network)
    bus = fieldbus_of(network.kind)
    port: Port | None = reader.find(network.port)
    uses = []
    if port and port.address and (bus is None or bus.medium.has_ip):
        uses.append(AddressUse(port.id, port_label(reader.find, port), port.address, ""))
    own = bus.own_address(network) if bus and port else ""
    if own and port:
        uses.append(AddressUse(port.id, port_label(reader.find, port), own, ""))
    for station in addressed(bus, reader, reader.type, reader.children(Station, root)):
        problem = bus.addresses.problem(station.address, port) if bus and station.address else ""
        device = reader.type(station.type)
        passes = device is not None and device.passes_on
        switches = dial_of(device, station.settings)
        dial = dialled(switches, station.address) if switches else None
        other = exception_of(network, station)
        uses.append(AddressUse(station.id, station.name, station.address, problem, passes, dial, other))
    room = bus.addresses.room(port) if bus else None
    free = None if room is None else max(room - len({use.address for use in uses if use.address}), 0)
    return NetworkAddresses(bus.addresses.span(port) if bus else "", tuple(uses), free)


def _address_headlines(result: NetworkAddresses, reader: Reader, root: str) -> Iterator[Headline]:
    if result.free is not None:
        yield Headline(root, "free", f"Addresses left in {result.span}", result.free, "", 0, "more")


@dataclass(frozen=True, slots=True)
class BusConnections:
    """How many connections a controller opens over one fieldbus, and how many it can."""

    fieldbus: str
    name: str
    opened: int
    limit: int


def _connections(reader: Reader, root: str) -> tuple[BusConnections, ...]:
    """One entry a fieldbus whose connections the controller's type limits."""
    device = reader.type(reader.row(root, Controller).type)
    facts = device.controller if device else None
    opened = Counter(
        network.kind
        for port in ports_of(reader, root)
        for network in reader.referring(Network, "port", port.id)
        for line in asked_lines(reader, network.id)
        if (bus := fieldbus_of(network.kind)) and bus.counted(line.connection)
    )
    return tuple(
        BusConnections(bus.key, bus.name, opened[bus.key], limit)
        for bus in FIELDBUSES
        if facts and (limit := bus.connections_at_most(facts)) is not None
    )


def _connection_headlines(result: tuple[BusConnections, ...], reader: Reader, root: str) -> Iterator[Headline]:
    name = reader.row(root, Controller).name
    for told in result:
        label = f"{told.name} connections of {name}"
        yield Headline(root, f"connections.{told.fieldbus}", label, told.opened, "", told.limit, "less")


def _wire(reader: Reader, root: str) -> WireLayout:
    exchange = reader.row(root, Exchange)
    line = line_of(reader, exchange)
    bus = fieldbus_of(kind_of(reader, line.station)) if line else None
    return bus.layout(exchange, line) if bus and line else WireLayout(0, 0, (), "unknown")


def _blocks(reader: Reader, root: str) -> dict[str, Block]:
    """By `HOLDER.AREA`; nothing for a station without a rail, its own or ports, or on a fieldbus nobody knows."""
    if not reader.children(Rail, root):
        return {}
    station = reader.row(root, Station)
    bus = fieldbus_of(kind_of(reader, station))
    if bus is None:
        return {}
    modules = list(seated(reader, station.id))
    laid = with_nested(bus.lay(modules, station_lines(reader, station)), modules) if bus.lay else {}
    masters = list(ports_behind(reader, station.id, reader.type(station.type), modules))
    return with_ports(laid, masters, station_wires(reader, root)) if masters else followed(laid)


def _inner_blocks(reader: Reader, root: str) -> dict[str, Block]:
    """What hangs on a module of a controller's rail, within that module's octets; by `HOLDER.AREA`."""
    if not reader.children(Rail, root):
        return {}
    module = reader.row(root, Module)
    device = reader.type(module.type)
    if device is None:
        return {}
    inner = tuple(seated(reader, root))
    head = SeatedModule(root, device, inner)
    return with_ports(with_nested((), [head]), list(ports_behind(reader, root, device, inner, module=True)), ())


def _route(reader: Reader, root: str) -> RouteFacts | None:
    """None for a network whose cable nothing is asked about."""
    network = reader.row(root, Network)
    bus = fieldbus_of(network.kind)
    return bus.route(network, reader.children(Station, root)) if bus and bus.route else None


def _route_headlines(result: RouteFacts | None, reader: Reader, root: str) -> Iterator[Headline]:
    if result:
        name = reader.row(root, Network).name
        yield Headline(root, "length", f"Length of {name}", result.length_m, "m", result.length_at_most_m, "less")
        yield Headline(root, "loads", f"Unit loads on {name}", result.loads, "", result.loads_at_most, "less")


def _tree(reader: Reader, root: str) -> NetworkTree | None:
    """None for a network whose cables run as one line."""
    bus = fieldbus_of(reader.row(root, Network).kind)
    return network_tree(reader, root) if bus and bus.medium.switches else None


def _tree_headlines(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Headline]:
    if result and result.nodes and result.said:
        fullest = max(node.load for node in result.nodes)
        name = reader.row(root, Network).name
        yield Headline(root, "link", f"Fullest cable of {name}", 100 * fullest, "%", 100 * QUEUES_ABOVE, "less")
        behind = Counter(node.upstream for node in result.nodes if node.upstream)
        for node in (n for n in result.nodes if n.sockets is not None and behind[n.station]):
            name = reader.row(node.station, Station).name
            used = behind[node.station] + 1
            yield Headline(root, f"sockets.{node.station}", f"Sockets of {name}", used, "", node.sockets, "less")


def _timing(reader: Reader, root: str, *, drawn: bool = False) -> Timing:
    network = reader.row(root, Network)
    bus = fieldbus_of(network.kind)
    lines = asked_lines(reader, root)
    return bus.timing(network, lines, drawn=drawn) if bus else Timing(0, False, (), (), 0, "")


def _frames(reader: Reader, root: str) -> tuple[Frame, ...]:
    network = reader.row(root, Network)
    bus = fieldbus_of(network.kind)
    return tuple(bus.frames(network, asked_lines(reader, root))) if bus else ()


def _topology(reader: Reader, root: str) -> Topology:
    bus = fieldbus_of(reader.row(root, Network).kind)
    stations = reader.children(Station, root)
    return topology(bus.medium, stations, reader.children(ClosingCable, root)) if bus else Topology(())


def _times(reader: Reader, root: str) -> dict[str, ExchangeTiming]:
    """Each exchange's own time, to be looked up by all that travel over it."""
    timing: Timing = reader.part("network.timing", root)
    return {told.exchange: told for told in timing.exchanges}


def _timing_headlines(result: Timing, reader: Reader, root: str) -> Iterator[Headline]:
    name = reader.row(root, Network).name
    busiest = max((lane.utilisation for lane in result.lanes), default=0.0)
    yield Headline(root, "busy", f"Busiest station, {name}", 100 * busiest, "%", 100, "less")
    # A line that all share can be busy all the time, and a cycle that is as long as it takes has no end.
    ends: dict[Shape, float | None] = {"polled-line": 100.0, "cyclic-frame": 80.0, "token-cycle": None}
    most = ends.get(result.shape, 100 * QUEUES_ABOVE)
    yield Headline(root, "load", f"Load of {name}", 100 * result.load, "%", most, "less")
    late = max((e.worst_late_ms or 0.0 for e in result.exchanges if e.period_ms), default=0.0)
    yield Headline(root, "late", f"Worst lateness, {name}", late, "ms", None, "less")


PARTS: tuple[Part, ...] = (
    Part("network.addresses", "networks", _addresses, _address_headlines, shown=NetworkAddresses),
    Part(
        "controller.connections", "controllers", _connections, _connection_headlines, shown=tuple[BusConnections, ...]
    ),
    Part("exchange.wire", "exchanges", _wire, shown=WireLayout),
    Part("station.blocks", "stations", _blocks, asked=True),
    Part("module.blocks", "modules", _inner_blocks, asked=True),
    Part("network.route", "networks", _route, _route_headlines, shown=RouteFacts),
    *LINES,
    *CONNECTIONS,
    Part("network.timing", "networks", _timing, _timing_headlines, shown=Timing),
    Part("network.course", "networks", partial(_timing, drawn=True), asked=True, shown=Timing),
    Part("network.times", "networks", _times, asked=True),
    Part("network.frames", "networks", _frames, asked=True),
    *FRAMES,
    Part("network.topology", "networks", _topology, asked=True),
    *RINGS,
    *PORTS,
    *PORT_DEVICES,
    Part("network.tree", "networks", _tree, _tree_headlines, shown=NetworkTree),
)


def _twice(result: NetworkAddresses, reader: Reader, root: str) -> Iterator[Finding]:
    seen: dict[str, AddressUse] = {}
    for use in result.uses:
        if use.address and use.address in seen:
            first = seen[use.address]
            yield finding(
                "NET-101", (use.place, "address"), first.place, address=use.address, one=use.label, other=first.label
            )
        seen.setdefault(use.address, use)


def _outside(result: NetworkAddresses, reader: Reader, root: str) -> Iterator[Finding]:
    for use in result.uses:
        if use.problem:
            yield finding("NET-102", (use.place, "address"), name=use.label, problem=use.problem)


def _without_port(result: Any, reader: Reader, root: str) -> Iterator[Finding]:
    network = reader.row(root, Network)
    if reader.find(network.port) is None:
        yield finding("NET-103", (root, "port"), name=network.name)


def _unfit_port(result: Any, reader: Reader, root: str) -> Iterator[Finding]:
    network = reader.row(root, Network)
    bus = fieldbus_of(network.kind)
    port: Port | None = reader.find(network.port)
    if bus is None or port is None:
        return
    others = [] if bus.medium.several else [n for n in reader.referring(Network, "port", port.id) if n.id != root]
    spec = port_spec(reader.find, reader.type, port)
    problem = medium_problem(spec, bus) or (f"{others[0].name} is on it as well" if others else "")
    if problem:
        yield finding("NET-109", (root, "port"), name=network.name, port=port_label(reader.find, port), problem=problem)


def _not_dialled(result: NetworkAddresses, reader: Reader, root: str) -> Iterator[Finding]:
    for use in result.uses:
        if use.dialled and use.dialled.problem:
            yield finding(
                "NET-115", (use.place, "address"), name=use.label, address=use.address, problem=use.dialled.problem
            )  # fmt: skip


def _unaddressed(result: NetworkAddresses, reader: Reader, root: str) -> Iterator[Finding]:
    for use in result.uses:
        if not use.address and not use.optional:
            yield finding("NET-104", (use.place, "address"), name=use.label)


def _unknown_kind(result: Any, reader: Reader, root: str) -> Iterator[Finding]:
    network = reader.row(root, Network)
    if fieldbus_of(network.kind) is None:
        yield finding("NET-105", (root, "kind"), name=network.name, fieldbus=network.kind)


def _unknown_type(result: Any, reader: Reader, root: str) -> Iterator[Finding]:
    bus = fieldbus_of(reader.row(root, Network).kind)
    for station in reader.children(Station, root):
        device = reader.type(station.type)
        if bus is not None and not bus.takes(device):
            yield finding("NET-106", (station.id, "type"), name=station.name, type=station.type)


def _too_many_connections(result: tuple[BusConnections, ...], reader: Reader, root: str) -> Iterator[Finding]:
    name = reader.row(root, Controller).name
    told = [
        f"{bus.opened} {bus.name} connections; {bus.limit} are the most" for bus in result if bus.opened > bus.limit
    ]
    if told:
        yield finding("NET-107", root, name=name, opened=", and ".join(told))


def _no_order_number(result: Any, reader: Reader, root: str) -> Iterator[Finding]:
    for station in reader.children(Station, root):
        device = reader.type(station.type)
        # A generic type says of itself that it is anybody's.
        if device is not None and not device.order_number and not device.key.startswith("generic."):
            yield finding("NET-108", (station.id, "type"), name=station.name, type=device.name)


CHECKS: tuple[Check, ...] = (
    Check(
        "NET-101", "network.addresses", "networks", "error", "One address, two devices",
        "{one} has {address}, and so has {other}.",
        "Which of the two answers is a matter of chance; both seem to come and go.",
        _twice, "RFC 5227",
    ),
    Check(
        "NET-102", "network.addresses", "networks", "error", "Address that cannot be reached",
        "{name}: {problem}.",
        "The controller sends only to hosts of its port's own subnet.",
        _outside, "RFC 950",
    ),
    Check(
        "NET-103", "network.addresses", "networks", "error", "Network on no port",
        "{name} is on no controller's port, so nothing on it is exchanged.",
        "The port decides which controller talks on this network, and from which address.",
        _without_port,
    ),
    Check(
        "NET-104", "network.addresses", "networks", "error", "Address missing",
        "{name} has no address.",
        "Without an address it cannot be reached.",
        _unaddressed,
    ),
    Check(
        "NET-105", "network.addresses", "networks", "error", "Unknown fieldbus",
        "{name} is of a kind this version does not know: {fieldbus}.",
        "Its stations are kept as they are, but nothing about them can be computed.",
        _unknown_kind,
    ),
    Check(
        "NET-106", "network.addresses", "networks", "error", "Device type missing",
        "The catalogue has no type {type} for {name} on this network.",
        "Without the type its limits and data are unknown.",
        _unknown_type,
    ),
    Check(
        "NET-115", "network.addresses", "networks", "error", "Address that cannot be dialled",
        "{name} cannot be set to {address}: {problem}.",
        "The switches on the device set its number, and they only go so far.",
        _not_dialled,
    ),
    Check(
        "NET-109", "network.addresses", "networks", "error", "Port that cannot carry it",
        "{name} is on {port}: {problem}.",
        "A port carries the fieldbuses of its own medium, and a serial port one line.",
        _unfit_port,
    ),
    Check(
        "NET-108", "network.addresses", "networks", "note", "Order number unknown",
        "{name} is of the type {type}, which has no order number.",
        "The quantity list cannot say what to buy; a description file or a sheet of your own can.",
        _no_order_number,
    ),
    Check(
        "NET-107", "controller.connections", "networks", "error", "More connections than the controller opens",
        "{name} would open {opened}.",
        "The last ones are never opened, and which ones these are changes with every start.",
        _too_many_connections,
    ),
)  # fmt: skip
