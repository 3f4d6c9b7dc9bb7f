"""An EtherCAT network as it is drawn: everybody at his position, with what adds up along the way, and the cycle."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.ethercat import ClockMode
from highmoor.core.figures.ethercat import counter_of
from highmoor.core.hardware.mounting import own_rails
from highmoor.core.hardware.parts import RailPower
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.networks.ethercat.plan import Plan, cable_ns, forward_ns, in_order, plan
from highmoor.core.networks.ethercat.settings import KIND, LineSettings, Node, nodes_of
from highmoor.core.networks.lines import asked_lines, connection_line, kind_at
from highmoor.core.networks.topology import Topology
from highmoor.core.plant.rows import Connection, Network, Port, Task


@dataclass(frozen=True, slots=True)
class OnRuler:
    """One who answers: a station's row or a module's, at which position, how deep among branches (0: the main line).

    `delay_us` is what frames have behind them when they reach it, one way; `counter` what it adds to the working
    counter; octets of process data both ways, and in which frame (from 1, 0 for none) from which octet of the data they
    lie. `left_ma` is the internal bus's current behind it, None where none is told. `sync0_us` None: it follows none.
    """

    row: str
    station: str
    module: bool
    label: str
    position: int
    depth: int
    sockets: int
    delay_us: float
    counter: int
    in_octets: int
    out_octets: int
    frame: int
    at: int
    left_ma: int | None
    clocked: bool
    sync0_us: float | None
    sync1_us: float | None
    shift_us: float | None
    reference: bool
    group: int


@dataclass(frozen=True, slots=True)
class RulerDatagram:
    """A datagram of a cycle: its command, octets of data, what it comes back with; of which group."""

    command: str
    octets: int
    counter: int
    group: int


@dataclass(frozen=True, slots=True)
class RulerFrame:
    """A frame of a cycle: octets on the wire, when it begins and ends there, its datagrams."""

    wire_octets: int
    start_us: float
    end_us: float
    datagrams: tuple[RulerDatagram, ...]


@dataclass(frozen=True, slots=True)
class CycleTask:
    """A task of the controller beside the cycle: every so many cycles, or not a whole number of them."""

    task: str
    name: str
    period_ms: float
    cycles: float
    whole: bool


@dataclass(frozen=True, slots=True)
class EthercatRuler:
    """A network in one drawing. Times in µs; `slack_us` is what a cycle leaves."""

    nodes: tuple[OnRuler, ...]
    frames: tuple[RulerFrame, ...]
    tasks: tuple[CycleTask, ...]
    cycle_us: float
    back_us: float
    wire_us: float
    forward_us: float
    cable_us: float
    slack_us: float
    counter: int
    clocks: bool


@dataclass(frozen=True, slots=True)
class Sync0:
    """A device's Sync0 as it follows: every so many ns, so many behind the cycle's beginning."""

    every_ns: int
    shift_ns: int


@dataclass(frozen=True, slots=True)
class Sync1:
    """A device's Sync1: every so many ns, so many behind a Sync0."""

    every_ns: int
    behind_ns: int


def sync0_of(node: Node, cycle_ms: float) -> Sync0 | None:
    """What is set, or what the file's factor makes of the bus cycle; None for a device that has none."""
    mode = node.clock
    if mode is None or not mode.sync0:
        return None
    shift = node.own.shift0_ns if node.own.shift0_ns is not None else mode.shift0_ns
    return Sync0(node.own.sync0_ns or usual_sync0_ns(mode, cycle_ms), shift)


def usual_sync0_ns(mode: ClockMode, cycle_ms: float) -> int:
    """What the file says: a time of its own, or the bus cycle times a factor; a negative one divides."""
    if mode.sync0_ns:
        return mode.sync0_ns
    cycle_ns = round(cycle_ms * 1_000_000)
    return cycle_ns * mode.factor0 if mode.factor0 > 0 else cycle_ns // -mode.factor0 if mode.factor0 else cycle_ns


def sync1_of(node: Node, cycle_ms: float) -> Sync1 | None:
    """What the file says: a time of its own, or Sync0's times a factor; None for a device that has none."""
    mode, sync0 = node.clock, sync0_of(node, cycle_ms)
    if mode is None or sync0 is None or not mode.sync1:
        return None
    return Sync1(mode.sync1_ns or sync0.every_ns * max(mode.factor1, 1), mode.shift1_ns)


def reference_of(nodes: Iterable[Node]) -> Node | None:
    """Whose clock the others follow: the first that is wanted and can be, otherwise the first that can."""
    able = [node for node in nodes if node.facts.clocks and node.facts.reference_clock]
    return next((node for node in able if node.own.reference), able[0] if able else None)


def _ruler(reader: Reader, root: str) -> EthercatRuler | None:
    network = reader.row(root, Network)
    if network.kind != KIND:
        return None
    lines = asked_lines(reader, root)
    told = plan(network, lines)
    own = LineSettings.of(network)
    clocks = own.clocks and any(node.synchronised for node in told.nodes)
    reference = reference_of(told.nodes) if clocks else None
    cycle = own.cycle_ms * 1000
    return EthercatRuler(
        tuple(_nodes(reader, root, told, own.cycle_ms, reference.id if reference else "")),
        tuple(_frames(told)),
        tuple(_tasks(reader, network, own.cycle_ms)),
        cycle, float(told.cycle_us), float(told.wire_us), float(told.forward_us), float(told.cable_us),
        cycle - float(told.cycle_us), sum(d.counter for d in told.datagrams if d.command.startswith("L")), clocks,
    )  # fmt: skip


def _nodes(reader: Reader, root: str, told: Plan, cycle_ms: float, reference: str) -> Iterator[OnRuler]:
    laid: Topology = reader.part("network.topology", root)
    depths = _depths(laid)
    places = dict(_places(told))
    supply = _supply(reader, told)
    lines = {line.station.id: line for line in in_order(asked_lines(reader, root))}
    arrives: dict[str, float] = {}
    upper = {node.station: node.upstream for node in laid.nodes}
    reached = 0.0
    for position, node in enumerate(told.nodes, start=1):
        if not node.module:
            before = arrives.get(upper.get(node.station, ""), 0.0)
            reached = before + float(cable_ns(lines[node.station])) / 2
        at = reached
        reached += forward_ns(node) / 2
        arrives[node.station] = reached
        frame, octet = places.get(node.id, (0, 0))
        sync0, sync1 = sync0_of(node, cycle_ms), sync1_of(node, cycle_ms)
        yield OnRuler(
            node.id, node.station, bool(node.module), node.device.called if node.device else "",
            position, depths.get(node.station, 0), node.facts.sockets, at / 1000,
            counter_of(node.in_octets > 0, node.out_octets > 0), node.in_octets, node.out_octets, frame, octet,
            supply.get(node.id), bool(node.facts.clocks), sync0.every_ns / 1000 if sync0 else None,
            sync1.every_ns / 1000 if sync1 else None,
            sync0.shift_ns / 1000 if sync0 else None, node.id == reference, node.own.group,
        )  # fmt: skip


def _depths(laid: Topology) -> dict[str, int]:
    """How many branches lie between a station and the main line: the last that hangs on one goes on in its line."""
    below: dict[str, list[str]] = {}
    for node in laid.nodes:
        below.setdefault(node.upstream, []).append(node.station)
    depths: dict[str, int] = {}
    for node in laid.nodes:
        siblings = below[node.upstream]
        branch = 0 if node.station == siblings[-1] else 1
        depths[node.station] = depths.get(node.upstream, 0) + branch
    return depths


def _places(told: Plan) -> Iterator[tuple[str, tuple[int, int]]]:
    """By row, in which frame from which octet of its process data; of two runs the first."""
    for number, frame in enumerate(told.frames, start=1):
        octet = 0
        for n in frame.datagrams:
            for run in reversed(told.datagrams[n].runs):
                yield run.node.id, (number, octet + run.at)
            octet += told.datagrams[n].octets


def _supply(reader: Reader, told: Plan) -> Mapping[str, int]:
    """What is left of the internal bus's current behind each module."""
    left: dict[str, int] = {}
    for station in dict.fromkeys(node.station for node in told.nodes if node.module):
        for rail in own_rails(reader, station):
            power: RailPower | None = reader.part("rail.power", rail.id)
            if power and power.known:
                left[station] = power.supply_ma
                left |= {step.module: step.left_ma for step in power.steps if step.module}
    return left


def _frames(told: Plan) -> Iterator[RulerFrame]:
    start = 0.0
    for frame in told.frames:
        end = start + frame.wire_octets * 0.08
        each = (told.datagrams[n] for n in frame.datagrams)
        yield RulerFrame(
            frame.wire_octets, start, end, tuple(RulerDatagram(d.command, d.octets, d.counter, d.group) for d in each)
        )
        start = end


def _tasks(reader: Reader, network: Network, cycle_ms: float) -> Iterator[CycleTask]:
    port: Port | None = reader.find(network.port)
    owner = controller_of_port(reader.find, port)
    for task in reader.children(Task, owner.id) if owner else ():
        cycles = task.period_ms / cycle_ms
        whole = is_multiple(task.period_ms, cycle_ms)
        yield CycleTask(task.id, task.name, task.period_ms, cycles, whole)


def is_multiple(period_ms: float, cycle_ms: float) -> bool:
    """Whether a period is a whole number of cycles, by the decimal numbers as they are written."""
    return (Fraction(str(period_ms)) / Fraction(str(cycle_ms))).denominator == 1


def _nodes_of_connection(reader: Reader, root: str) -> tuple[Node, ...]:
    """Whoever answers over a connection; nobody on another fieldbus."""
    line = connection_line(reader, reader.row(root, Connection)) if kind_at(reader, root) == KIND else None
    return nodes_of(line) if line else ()


PARTS: tuple[Part, ...] = (
    Part("ethercat.ruler", "networks", _ruler, shown=EthercatRuler),
    Part("ethercat.nodes", "connections", _nodes_of_connection),
)
