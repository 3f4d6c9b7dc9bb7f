"""Ethernet on the bench: who speaks which fieldbus where, whose cables are out, and what goes over it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.networks.alive import Device
from highmoor.core.networks.tree import upstream_of
from highmoor.core.plant.rows import Station


@dataclass(frozen=True, slots=True)
class Passed:
    """Something that went over Ethernet, when (ns): between a controller's address and a device's, at a port of that.

    `link` is the TCP connection it belongs to, 0 for datagrams; `group` the address of all who hear a datagram, ""
    for one that goes to one alone.
    """

    time_ns: int
    kind: Literal["opened", "closed", "octets", "datagram"]
    controller: str
    device: str
    port: int
    octets: bytes = b""
    to_device: bool = True
    link: int = 0
    group: str = ""


Tap = Callable[[Passed], None]


@dataclass(slots=True)
class Ethernet:
    """Devices by fieldbus and address, and which stations' cables are out; `over` are those that lead to an address."""

    clock: VirtualClock
    devices: dict[tuple[str, str], Device] = field(default_factory=dict)
    pulled: set[str] = field(default_factory=set)
    over: dict[str, tuple[str, ...]] = field(default_factory=dict)
    taps: list[Tap] = field(default_factory=list)
    # Both ends of every TCP connection by its number: the controller's address, the device's, the device's port.
    links: dict[int, tuple[str, str, int]] = field(default_factory=dict)
    links_made: int = 0

    def reached(self, fieldbus: str, address: str) -> Device | None:
        """The device at an address, unless a cable on the way is out, or it speaks something else."""
        if self.pulled and not self.pulled.isdisjoint(self.over.get(address, ())):
            return None
        return self.devices.get((fieldbus, address))

    def lay(self, stations: list[Station]) -> None:
        """The cables of one network."""
        rows = {station.id: station for station in stations}
        for station in stations:
            way = [station.id]
            while upper := upstream_of(rows[way[-1]], rows):
                way.append(upper)
            if station.address:
                self.over.setdefault(station.address, tuple(way))


@dataclass(frozen=True, slots=True)
class EthernetWire:
    """Ethernet as one fieldbus of one controller sees it, from that controller's address."""

    ethernet: Ethernet
    fieldbus: str
    own: str = ""

    def reached(self, address: str) -> Device | None:
        """Who answers there."""
        return self.ethernet.reached(self.fieldbus, address)

    def opened(self, address: str, port: int) -> int:
        """A TCP connection to a device stands; answers with its number."""
        self.ethernet.links_made += 1
        link = self.ethernet.links_made
        self.ethernet.links[link] = (self.own, address, port)
        self._passed("opened", address, port, link=link)
        return link

    def closed(self, link: int) -> None:
        """The TCP connection is over."""
        _, address, port = self.ethernet.links.pop(link)
        self._passed("closed", address, port, link=link)

    def carried(self, link: int, octets: bytes, *, to_device: bool) -> None:
        """Octets over a TCP connection."""
        if self.ethernet.taps:
            _, address, port = self.ethernet.links[link]
            self._passed("octets", address, port, octets=octets, to_device=to_device, link=link)

    def datagram(self, address: str, port: int, octets: bytes, *, to_device: bool, group: str = "") -> None:
        """A datagram between the same two, or from the device to all who hear."""
        if self.ethernet.taps:
            self._passed("datagram", address, port, octets=octets, to_device=to_device, group=group)

    def _passed(self, kind: Literal["opened", "closed", "octets", "datagram"], *where: Any, **more: Any) -> None:
        passed = Passed(self.ethernet.clock.now_ns, kind, self.own, *where, **more)
        for tap in self.ethernet.taps:
            tap(passed)
