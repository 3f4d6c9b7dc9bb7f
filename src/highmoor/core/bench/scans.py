"""Scans on the bench: one a network at a time, others wait and are told for whom; what was found is kept."""

from __future__ import annotations

import dataclasses
from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.errors import Refusal
from highmoor.core.networks.live import Live
from highmoor.core.networks.scanning import Found, Scanning, ScanSeat

State = Literal["waiting", "running", "done", "stopped"]


@dataclass(slots=True)
class Scan:
    """One scan that somebody wanted; times in s of the bench."""

    number: int
    network: str
    by: str
    wanted: Mapping[str, Any]
    takes_s: float
    state: State = "waiting"
    begun_s: float = 0.0
    ended_s: float | None = None
    found: list[Found] = field(default_factory=list)
    scanning: Scanning | None = None

    def told(self, ahead: str, now_s: float, node_of: NodeOf) -> dict[str, Any]:
        """As it is shown; `ahead` is whose scan it waits for."""
        return {
            "number": self.number,
            "network": self.network,
            "by": self.by,
            "wanted": dict(self.wanted),
            "state": self.state,
            "ahead": ahead,
            "takes_s": self.takes_s,
            "ran_s": (now_s if self.ended_s is None else self.ended_s) - self.begun_s if self.state != "waiting" else 0,
            "done": self.scanning.done if self.scanning else 0,
            "asked": self.scanning.asked if self.scanning else 0,
            "found": [{**dataclasses.asdict(one), "node": node_of(self.network, one)} for one in self.found],
        }


# Where a device stands that was found on a network, as whoever goes there sees.
NodeOf = Callable[[str, Found], str]
# What a scan is made with but for what takes what it finds.
SeatOf = Callable[[str, Mapping[str, Any], Callable[[Found], None], Callable[[], None]], ScanSeat]


@dataclass(slots=True)
class NetworkScans:
    """All scans of one bench: by network, the one under way or last, and those that wait."""

    clock: VirtualClock
    seat: SeatOf
    node_of: NodeOf
    shown: dict[str, Scan] = field(default_factory=dict)
    waiting: dict[str, deque[Scan]] = field(default_factory=dict)
    _made: int = 0

    def want(self, live: Live | None, network: str, by: str, wanted: Mapping[str, Any]) -> int:
        """Begin a scan, or have it wait. Raises Refusal where the network cannot be scanned. Gives its number."""
        if live is None or live.scans is None:
            raise Refusal("This kind of network cannot be scanned.", place=network)
        seat = self.seat(network, wanted, lambda _: None, lambda: None)
        if seat.medium is None:
            raise Refusal("It is on no port, so there is nobody to scan it from.", place=network)
        if any(scan.by == by for scan in self.waiting.get(network, ())):
            raise Refusal("Your scan of this network waits already.", place=network)
        self._made += 1
        takes_s = live.scans.takes_s(seat.network, seat.lines, wanted)
        scan = Scan(self._made, network, by, wanted, takes_s)
        if self._under_way(network):
            self.waiting.setdefault(network, deque()).append(scan)
        else:
            self._begin(scan, live)
        return scan.number

    def _under_way(self, network: str) -> bool:
        return network in self.shown and self.shown[network].state == "running"

    def _begin(self, scan: Scan, live: Live) -> None:
        if live.scans is None:
            return
        seat = self.seat(scan.network, scan.wanted, scan.found.append, lambda: self._ended(scan, live, "done"))
        scan.scanning = live.scans.make(seat)
        scan.state, scan.begun_s = "running", self.clock.now_ns / 1e9
        self.shown[scan.network] = scan
        scan.scanning.begin()

    def _ended(self, scan: Scan, live: Live, state: State) -> None:
        scan.state, scan.ended_s = state, self.clock.now_ns / 1e9
        queue = self.waiting.get(scan.network)
        if queue:
            self._begin(queue.popleft(), live)

    def stop(self, live: Live | None, network: str, by: str) -> None:
        """Take back one's own scan that waits, or end the one under way."""
        queue = self.waiting.get(network, deque())
        own = next((scan for scan in queue if scan.by == by), None)
        if own is not None:
            queue.remove(own)
            return
        scan = self.shown.get(network)
        if scan is None or live is None or scan.state != "running" or scan.scanning is None:
            raise Refusal("Nothing is being scanned here.", place=network)
        scan.scanning.stop()
        self._ended(scan, live, "stopped")

    def told(self) -> list[dict[str, Any]]:
        """All that are shown or wait, each network's in order."""
        now_s = self.clock.now_ns / 1e9
        result = []
        for network, scan in self.shown.items():
            result.append(scan.told("", now_s, self.node_of))
            ahead = scan.by
            for waiting in self.waiting.get(network, ()):
                result.append(waiting.told(ahead, now_s, self.node_of))
                ahead = waiting.by
        return result
