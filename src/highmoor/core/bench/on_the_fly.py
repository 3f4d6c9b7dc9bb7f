"""A medium on the bench whose nodes alter the frames that pass them: out through all of them in order, and back.

Who stands behind a cable that is out, or behind a device without power, is not reached: the last before it closes its
port, and the frame comes back without them. A device that is not there at all is passed by its cable.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from random import Random
from typing import Any, Protocol

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.networks.media import NS_AN_OCTET, ethernet_octets
from highmoor.core.plant.rows import Port

# Out and back over a metre.
_NS_A_METRE = 10


class Processor(Protocol):
    """Somebody on the way of a frame; ports are counted as the standard does, 0 towards the controller."""

    # What both passages together add to its way.
    forward_ns: int

    def linked(self, ports: Sequence[bool]) -> None:
        """Which of its ports have a link now."""

    def damaged(self, port: int, *, first: bool) -> None:
        """A damaged frame came in at a port: damaged before it, or (not `first`) before another one."""


# Applies a frame to all it passes, in order; the number is another one whenever any of them may do otherwise.
Alter = Callable[[bytearray, Sequence[Processor], int], None]
# Told of a frame on the controller's cable: when, its octets, whether it comes back.
Tap = Callable[[int, bytes, bool], None]


@dataclass(slots=True, eq=False)
class Stop:
    """A device's place: `chain` are those who answer there, in the order of frames; `ways` the ports of its cables
    behind it, in that order as well, and `inner` the one towards its own modules."""

    medium: OnTheFly
    node: str
    upper: str
    length_m: float = 0.0
    position: int = 0
    plugged: bool = True
    powered: bool = True
    chain: Sequence[Processor] = ()
    ways: Sequence[int] = (1,)
    inner: int = 1

    def attach(self, chain: Sequence[Processor], ways: Sequence[int], inner: int) -> None:
        """Who answers here from now on."""
        self.chain, self.ways, self.inner = chain, ways, inner
        self.medium.changed()


@dataclass(slots=True)
class OnTheFly:
    """One network. `noise` is the chance that a frame is damaged, `noise_at` the position before which."""

    clock: VirtualClock
    chance: Random
    port: Port | None
    noise: float = 0.0
    noise_at: int = 1
    taps: list[Tap] = field(default_factory=list)
    stops: dict[str, Stop] = field(default_factory=dict)
    _reached: list[Processor] | None = None
    _extra_ns: int = 0
    _busy_until: int = 0
    _version: int = 0
    # How long a frame is on the cable, by its octets.
    _wire_ns: dict[int, int] = field(default_factory=dict)

    # ── who stands where

    def lay(self, node: str, upper: str, length_m: float, position: int) -> None:
        """A cable, in the order in which frames reach devices."""
        self.stops[node] = Stop(self, node, upper, length_m, position)

    def master(self) -> OnTheFly | None:
        """The controller's side."""
        return self if self.port else None

    def seat(self, node: str, address: str, *, said: bool) -> Stop | None:
        """A device's place; one that nobody has drawn stands in the line at the position it has."""
        if self.port is None:
            return None
        if node not in self.stops:
            self._insert(node, int(address) if address.isdecimal() else len(self.stops) + 1)
        return self.stops[node]

    def _insert(self, node: str, position: int) -> None:
        before = [stop for stop in self.stops.values() if stop.position < position]
        upper = before[-1].node if before else ""
        for stop in self.stops.values():
            if stop.upper == upper and stop.position >= position:
                stop.upper = node
        # In the order of frames: behind all that stands before it.
        rows = [*before, Stop(self, node, upper, 0.0, position)]
        self.stops = {s.node: s for s in [*rows, *(s for s in self.stops.values() if s.position >= position)]}

    def leave(self, node: str) -> None:
        """Nobody answers there any more; its cable leads past."""
        self.stops[node].chain = ()
        self.changed()

    def put(self, node: str, *, plugged: bool, powered: bool) -> None:
        """Whether a node's cable is in and it has power."""
        stop = self.stops.get(node)
        if stop is not None and (stop.plugged, stop.powered) != (plugged, powered):
            stop.plugged, stop.powered = plugged, powered
            self.changed()

    def disturb(self, settings: Mapping[str, Any]) -> None:
        """How often frames are damaged, and on the way to which position."""
        self.noise, self.noise_at = float(settings.get("noise") or 0), int(settings.get("noise_at") or 1)

    def changed(self) -> None:
        """Who is reached may be others now."""
        self._reached = None
        self.altered()

    def altered(self) -> None:
        """Somebody does otherwise with frames from now on."""
        self._version += 1

    # ── frames

    def send(
        self, octets: bytes, alter: Alter, back: Callable[[bytes | None], None],
        straight: Callable[[int], bool] | None = None,
    ) -> int:  # fmt: skip
        """A frame out now, or behind the one that is on its way; `back` takes it as it returns, None if it is lost.

        `straight` is asked when it does, with the number that `alter` gets: whether all that it does has been done
        without it. Nobody asks while frames are listened to or damaged.

        Returns when it will be back, ns.
        """
        now = self.clock.now_ns
        begins = self._busy_until if self._busy_until > now else now
        reached, version = self.reached(), self._version
        wire_ns = self._wire_ns.get(len(octets))
        if wire_ns is None:
            wire_ns = self._wire_ns[len(octets)] = NS_AN_OCTET * ethernet_octets(len(octets))
        self._busy_until = begins + wire_ns
        returns = self._busy_until + self._extra_ns
        if self.taps:
            # What waits for the cable is not on it yet.
            self.clock.at(begins, lambda: self._tell(octets, back=False), priority=-1)
        self.clock.at(returns, lambda: self._returns(octets, alter, back, reached, version, straight))
        return returns

    def _returns(
        self, octets: bytes, alter: Alter, back: Callable[[bytes | None], None], reached: Sequence[Processor],
        version: int, straight: Callable[[int], bool] | None,
    ) -> None:  # fmt: skip
        as_sent = version == self._version
        if straight and as_sent and reached and not self.taps and not self.noise and straight(version):
            return
        if not reached or self._damaged(reached):
            back(None)
            return
        frame = bytearray(octets)
        alter(frame, reached, self._version)
        if not as_sent:
            # It met those who stood there when it left: how it fared is not how the next one will.
            self.altered()
        answer = bytes(frame)
        self._tell(answer, back=True)
        back(answer)

    def _tell(self, octets: bytes, *, back: bool) -> None:
        for tap in self.taps:
            tap(self.clock.now_ns, octets, back)

    def _damaged(self, reached: Sequence[Processor]) -> bool:
        if not self.noise or self.chance.random() >= self.noise:
            return False
        for n, processor in enumerate(reached[self.noise_at - 1 :]):
            processor.damaged(0, first=n == 0)
        return True

    def reached(self) -> Sequence[Processor]:
        """All whom a frame passes now, in order."""
        if self._reached is None:
            self._reached = self._walk()
        return self._reached

    def _walk(self) -> list[Processor]:
        below: dict[str, list[Stop]] = {}
        for stop in self.stops.values():
            below.setdefault(stop.upper, []).append(stop)
        found: list[Processor] = []
        metres = 0.0
        waiting = [*reversed(list(_there("", below)))]
        links: list[tuple[Stop, set[int]]] = []
        while waiting:
            stop = waiting.pop()
            if not (stop.plugged and stop.powered):
                continue
            metres += stop.length_m
            found += stop.chain
            behind = list(_there(stop.node, below))
            open_ports = {0, *((stop.inner,) if len(stop.chain) > 1 else ())}
            for child, port in zip(behind, stop.ways, strict=False):
                if child.plugged and child.powered:
                    open_ports.add(port)
            links.append((stop, open_ports))
            waiting += reversed(behind[: len(stop.ways)])
        for stop, open_ports in links:
            for n, processor in enumerate(stop.chain):
                own = open_ports if n == 0 else {0, 1} if n < len(stop.chain) - 1 else {0}
                processor.linked([port in own for port in range(4)])
        self._extra_ns = sum(p.forward_ns for p in found) + round(_NS_A_METRE * metres)
        return found


def _there(upper: str, below: dict[str, list[Stop]]) -> Iterator[Stop]:
    """Who hangs there: behind a place where nobody is, the cable goes on."""
    for stop in below.get(upper, ()):
        if stop.chain:
            yield stop
        else:
            yield from _there(stop.node, below)
