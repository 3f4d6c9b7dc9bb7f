"""The cyclic datagrams of an EtherCAT network: whose process data lies where in which, and what each comes back with.

By default one datagram reads and writes all of a group; what is longer than one can be goes in several, cut between
devices. Before them goes one that hands the reference clock's time on, behind them one that asks for all states.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from highmoor.core.catalogue.media import ETHERCAT
from highmoor.core.figures.ethercat import DATA_AT_MOST, US_AN_OCTET, PackedFrame, counter_of, packed
from highmoor.core.networks.ethercat.settings import DIRECTIONS, Direction, LineSettings, Node, nodes_of
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import is_request
from highmoor.core.networks.topology import topology
from highmoor.core.plant.rows import Network

CLOCK_OCTETS, STATE_OCTETS = 8, 2
# Where the logical addresses begin: those below are easily taken for a register's.
LOGICAL_START = 0x0001_0000
# What a device adds to a frame's way, both passages together, ns: with cable ports, on an internal bus.
FORWARD_CABLE_NS, FORWARD_INTERNAL_NS = 1000, 300
# Out and back.
NS_A_METRE = 10
Command = Literal["LRW", "LRD", "LWR", "FRMW", "BRD"]


@dataclass(frozen=True, slots=True)
class Run:
    """A device's octets of one direction in a datagram: from octet `at` of its data, those of the exchange from `first`
    on."""

    node: Node
    direction: Direction
    exchange: str
    first: int
    octets: int
    at: int = 0


@dataclass(frozen=True, slots=True)
class Datagram:
    """A cyclic datagram; `counter` is the working counter it comes back with when all are there."""

    command: Command
    octets: int
    counter: int
    runs: tuple[Run, ...] = ()
    group: int = 0
    logical: int = 0


@dataclass(frozen=True, slots=True)
class Plan:
    """What is sent every cycle: datagrams in order, packed into frames; all who answer, in the order of the medium.

    Times in µs: all frames on the wire, what devices and cables add to the last one's way.
    """

    nodes: tuple[Node, ...]
    datagrams: tuple[Datagram, ...]
    frames: tuple[PackedFrame, ...]
    wire_us: Fraction
    forward_us: Fraction
    cable_us: Fraction

    @property
    def cycle_us(self) -> Fraction:
        """From the first octet out to the last one back."""
        return self.wire_us + self.forward_us + self.cable_us


def in_order(lines: Iterable[Line]) -> list[Line]:
    """The lines of process data in the order in which frames reach their stations."""
    by_station = {line.station.id: line for line in lines if not is_request(line.connection)}
    laid = topology(ETHERCAT, [line.station for line in by_station.values()])
    return [by_station[node.station] for node in laid.nodes]


def plan(network: Network, lines: Sequence[Line]) -> Plan:
    """Of those lines of a network that the controller exchanges with."""
    own = LineSettings.of(network)
    return lines[0].together(lines, own, lambda: _plan(own, lines)) if lines else _plan(own, lines)


def _plan(own: LineSettings, lines: Sequence[Line]) -> Plan:
    ordered = in_order(lines)
    nodes = tuple(node for line in ordered for node in nodes_of(line))
    datagrams = [*_logical(ordered, apart=own.apart)]
    if own.clocks and any(node.synchronised for node in nodes):
        datagrams.insert(0, Datagram("FRMW", CLOCK_OCTETS, sum(has_clock(node) for node in nodes)))
    if nodes:
        datagrams.append(Datagram("BRD", STATE_OCTETS, len(nodes)))
    frames = packed([datagram.octets for datagram in datagrams])
    wire = sum((frame.wire_octets for frame in frames), 0) * US_AN_OCTET
    forward = Fraction(sum(forward_ns(node) for node in nodes), 1000)
    cable = sum((ns for line in ordered if (ns := cable_ns(line))), Fraction(0)) / 1000
    return Plan(nodes, tuple(datagrams), tuple(frames), wire, forward, cable)


def has_clock(node: Node) -> bool:
    """Whether a device has a clock, as far as anybody can tell."""
    return bool(node.facts.clocks)


def forward_ns(node: Node) -> int:
    """What a device adds to a frame's way, out and back."""
    return FORWARD_INTERNAL_NS if node.module else FORWARD_CABLE_NS


def cable_ns(line: Line) -> Fraction:
    """What the cable to a station adds, out and back."""
    length = line.station.settings.get("length_m")
    if not isinstance(length, int | float) or isinstance(length, bool) or not length:
        return Fraction(0)
    return NS_A_METRE * Fraction(str(length))


def _logical(lines: Sequence[Line], *, apart: bool) -> Iterator[Datagram]:
    """Group by group, from one logical address on."""
    logical = LOGICAL_START
    for group in sorted({node.own.group for line in lines for node in nodes_of(line)}):
        stations = [[run for run in line.once(_runs) if run.node.own.group == group] for line in lines]
        for direction in DIRECTIONS if apart else (None,):
            chosen = [[r for r in runs if direction in (None, r.direction)] for runs in stations]
            for runs, octets in _cut(chosen):
                yield _datagram(runs, octets, group, logical, direction)
                logical += octets


def _datagram(runs: Sequence[Run], octets: int, group: int, logical: int, direction: Direction | None) -> Datagram:
    inward = {run.node.id for run in runs if run.direction == "in"}
    outward = {run.node.id for run in runs if run.direction == "out"}
    if direction:
        counter = len(inward | outward)
        return Datagram("LRD" if direction == "in" else "LWR", octets, counter, tuple(runs), group, logical)
    counter = sum(counter_of(node in inward, node in outward) for node in inward | outward)
    return Datagram("LRW", octets, counter, tuple(runs), group, logical)


def _runs(line: Line) -> tuple[Run, ...]:
    """A station's octets: all that goes out, then all that comes in, so that each exchange lies in one piece."""
    exchanges = {exchange.direction: exchange.id for exchange in line.exchanges}
    found = []
    for direction in reversed(DIRECTIONS):
        first = 0
        for node in nodes_of(line):
            octets = node.octets(direction)
            if octets:
                found.append(Run(node, direction, exchanges.get(direction, ""), first, octets))
            first += octets
    return tuple(found)


def _cut(stations: Iterable[Sequence[Run]]) -> Iterator[tuple[list[Run], int]]:
    """Runs into datagrams: a station whole where it fits into one, otherwise device by device."""
    taken: list[Run] = []
    end = 0
    for runs in stations:
        whole = sum(run.octets for run in runs)
        if taken and end + whole > DATA_AT_MOST >= whole:
            yield taken, end
            taken, end = [], 0
        for run in runs:
            if taken and end + run.octets > DATA_AT_MOST:
                yield taken, end
                taken, end = [], 0
            # One that is too long for any datagram is a finding; the rest is told all the same.
            octets = min(run.octets, DATA_AT_MOST)
            taken.append(Run(run.node, run.direction, run.exchange, run.first, octets, end))
            end += octets
    if taken:
        yield taken, end
