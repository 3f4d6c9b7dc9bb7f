"""Which participants of Ethernet hang together and by which way, by the cables that are in and the devices that have
power."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import NamedTuple

from highmoor.core.bench.clock import VirtualClock

NS_A_METRE = 5
# What passes frames on without a type that says how long it takes.
PASSING_NS = 10_000


class Cable(NamedTuple):
    """A cable between two nodes, with its socket at either (from 1) and its metres; `upper` is towards a port."""

    node: str
    upper: str
    entry: int = 1
    socket: int = 1
    metres: float = 0.0


@dataclass(slots=True)
class RingCable:
    """A cable that closes a ring which its manager keeps shut, until the ring has been broken for so long."""

    cable: Cable
    recovery_ns: int
    apart_since_ns: int | None = None
    carries: bool = False


@dataclass(slots=True, eq=False)
class Track:
    """What frames on a cable share in one direction: one after the other, each for as long as it takes."""

    busy_ns: int = 0


class Leg(NamedTuple):
    """A stretch of a way: the track frames take, how long one is under way and passed on behind it, ns."""

    track: Track
    behind_ns: int


class Neighbour(NamedTuple):
    """Who is at the other end of the cable in a socket, and in which of its own."""

    socket: int
    node: str
    other_socket: int


@dataclass(slots=True)
class Cabling:
    """Nodes (ids of ports, stations, built devices) with a cable each to the one above; `joined` are one with another.

    A node that is `unpowered` passes nothing on, and of one that is `out` its own cable is not plugged.
    """

    above: dict[str, Cable] = field(default_factory=dict)
    joined: list[tuple[str, str]] = field(default_factory=list)
    rings: list[RingCable] = field(default_factory=list)
    out: set[str] = field(default_factory=set)
    unpowered: set[str] = field(default_factory=set)
    # How long it takes to pass a frame on, ns, where a type says so.
    passing_ns: dict[str, int] = field(default_factory=dict)
    clock: VirtualClock | None = None
    # Called after every change.
    told: Callable[[], None] = lambda: None
    _piece: dict[str, str] | None = None
    _beside: dict[str, list[tuple[str, Cable | None]]] | None = None
    # Who is at the other end of each cable, by node.
    _near: dict[str, list[Neighbour]] | None = None
    _ways: dict[tuple[str, str], tuple[Leg, ...] | None] = field(default_factory=dict)
    # By the node a cable hangs on and its direction.
    tracks: dict[tuple[str, str], Track] = field(default_factory=dict)

    def lay(self, node: str, upper: str, entry: int = 1, socket: int = 1, metres: float = 0.0) -> None:
        """A cable from the one above."""
        self.above[node] = Cable(node, upper, entry, socket, metres)
        self._changed()

    def close(self, cable: Cable, recovery_ns: int) -> None:
        """A cable that closes a ring, which one of it keeps shut."""
        self.rings.append(RingCable(cable, recovery_ns))
        self._changed()

    def join(self, one: str, other: str) -> None:
        """Two names for one place, or a cable that nobody pulls."""
        self.joined.append((one, other))
        self._changed()

    def put(self, node: str, *, plugged: bool, powered: bool) -> None:
        """Whether a node's own cable is in and it has power."""
        for group, member in ((self.out, not plugged), (self.unpowered, not powered)):
            (group.add if member else group.discard)(node)
        self._changed()

    def _changed(self) -> None:
        self._piece = None
        self._beside = None
        self._near = None
        self._ways.clear()
        self.told()

    def together(self, one: str, other: str) -> bool:
        """Whether what one sends gets to the other."""
        if self._piece is None:
            self._piece = self._pieces()
        dark = self.unpowered
        return one not in dark and other not in dark and self._piece.get(one, one) == self._piece.get(other, other)

    def _pieces(self) -> dict[str, str]:
        """By node, one that stands for all that hang together with it."""
        chief: dict[str, str] = {}

        def of(node: str) -> str:
            way = []
            while (upper := chief.get(node, node)) != node:
                way.append(node)
                node = upper
            for passed in way:
                chief[passed] = node
            return node

        def tie(one: str, other: str) -> None:
            chief.setdefault(one, one)
            chief.setdefault(other, other)
            chief[of(one)] = of(other)

        for one, other in self._whole():
            tie(one, other)
        for ring in self.rings:
            one, other = ring.cable.node, ring.cable.upper
            if self._carries(ring, apart=of(one) != of(other)) and self.unpowered.isdisjoint((one, other)):
                tie(one, other)
        return {node: of(node) for node in chief}

    def _carries(self, ring: RingCable, *, apart: bool) -> bool:
        """Whether its manager has opened it: so long after it was broken elsewhere; shut as soon as it is whole."""
        now = self.clock.now_ns if self.clock else 0
        if not apart:
            ring.apart_since_ns, ring.carries = None, False
        elif ring.apart_since_ns is None:
            ring.apart_since_ns = now
            if self.clock:
                self.clock.at(now + ring.recovery_ns, self._changed, -1)
        ring.carries = ring.apart_since_ns is not None and now >= ring.apart_since_ns + ring.recovery_ns
        return ring.carries

    def _whole(self) -> Iterable[tuple[str, str]]:
        cables = [(node, cable.upper) for node, cable in self.above.items() if node not in self.out]
        return [pair for pair in (*cables, *self.joined) if self.unpowered.isdisjoint(pair)]

    # ── by which way

    def _neighbourhood(self) -> dict[str, list[tuple[str, Cable | None]]]:
        """By node, whom it is tied to, and by which cable; None where both are one place."""
        if self._piece is None:
            self._piece = self._pieces()
        if self._beside is None:
            self._beside = {}
            cables: list[tuple[str, str, Cable | None]] = [
                (node, cable.upper, cable) for node, cable in self.above.items() if node not in self.out
            ]
            cables += [(one, other, None) for one, other in self.joined]
            cables += [(ring.cable.node, ring.cable.upper, ring.cable) for ring in self.rings if ring.carries]
            for one, other, cable in cables:
                if self.unpowered.isdisjoint((one, other)):
                    self._beside.setdefault(one, []).append((other, cable))
                    self._beside.setdefault(other, []).append((one, cable))
        return self._beside

    def way(self, one: str, other: str) -> tuple[Leg, ...] | None:
        """The cables from one node to another in order; None where none leads there."""
        key = one, other
        if key not in self._ways:
            self._ways[key] = self._found_way(one, other)
        return self._ways[key]

    def _found_way(self, one: str, other: str) -> tuple[Leg, ...] | None:
        beside = self._neighbourhood()
        came: dict[str, tuple[str, Cable | None]] = {one: ("", None)}
        waiting = deque([one])
        while waiting and other not in came:
            node = waiting.popleft()
            for to, cable in beside.get(node, ()):
                if to not in came:
                    came[to] = node, cable
                    waiting.append(to)
        if other not in came:
            return None
        legs: list[Leg] = []
        at = other
        while at != one:
            before, cable = came[at]
            if cable is not None:
                passing = 0 if at == other or not self._passes(at) else self.passing_ns.get(at, PASSING_NS)
                legs.append(Leg(self._shared(cable, before), round(cable.metres * NS_A_METRE) + passing))
            at = before
        return tuple(reversed(legs))

    def _passes(self, node: str) -> bool:
        """Whether a node is a device, and not only a name for a port."""
        return node in self.above

    def _shared(self, cable: Cable, sender: str) -> Track:
        """The track of a cable in one direction: at a port that of all which hang there, for it has one."""
        way = "down" if sender == cable.upper else "up"
        node = cable.upper if cable.upper not in self.above else cable.node
        return self.tracks.setdefault((node, way), Track())

    def host_at(self, node: str) -> str:
        """The node that stands at a place: a network's name is its port."""
        if node in self.above:
            return node
        return next((other for one, other in self.joined if one == node), node)

    def neighbours(self, node: str) -> list[Neighbour]:
        """Who is at the other end of each cable of a node, by its sockets; of rings that are shut as well."""
        if self._near is None:
            self._near = {}
            own = [cable for cable in self.above.values() if cable.node not in self.out]
            for cable in (*own, *(ring.cable for ring in self.rings)):
                if self.unpowered.isdisjoint((cable.node, cable.upper)):
                    upwards = Neighbour(cable.entry, cable.upper, cable.socket)
                    self._near.setdefault(cable.node, []).append(upwards)
                    self._near.setdefault(cable.upper, []).append(Neighbour(cable.socket, cable.node, cable.entry))
        return sorted(self._near.get(node, ()))
