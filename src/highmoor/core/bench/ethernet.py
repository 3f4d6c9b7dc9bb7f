"""Ethernet on the bench: hosts with addresses, TCP connections and datagrams between them, and what hears all of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from highmoor.core.bench.cabling import Cabling
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.labels import mac_of
from highmoor.core.networks.media import BROADCAST, NS_AN_OCTET, Datagram, TcpEnd, tcp_octets, udp_octets

_FIRST_PORT, _PORTS = 49152, 16000
Kind = Literal["opened", "closed", "octets", "datagram"]


@dataclass(frozen=True, slots=True)
class Passed:
    """Something that went over Ethernet, when (ns), from whose address and port to which.

    `link` is the TCP connection it belongs to, 0 for datagrams. The hardware addresses are those of both, none of a
    group's or of somebody who is not there.
    """

    time_ns: int
    kind: Kind
    source: str
    source_port: int
    target: str
    port: int
    octets: bytes = b""
    link: int = 0
    source_mac: bytes = b""
    target_mac: bytes = b""


Tap = Callable[[Passed], None]


def _nothing(_: bytes) -> None:
    """Whoever has not said what hears it hears nothing."""


@dataclass(slots=True, eq=False)
class Ethernet:
    """All hosts by their addresses, over one cabling. Of two with one address, the one attached last has it."""

    clock: VirtualClock
    cabling: Cabling = field(default_factory=Cabling)
    taps: list[Tap] = field(default_factory=list)
    hosts: dict[str, list[EthernetHost]] = field(default_factory=dict)
    links_made: int = 0
    # Another one when anybody has come, gone or joined a group, or a cable has been changed.
    version: int = 0

    def __post_init__(self) -> None:
        self.cabling.told = self.changed

    def changed(self) -> None:
        """Who hears what may be different from now on."""
        self.version += 1

    def attach(self, node: str, address: str, *, drawn: bool = False) -> EthernetHost:
        """A host at a node of the cabling."""
        host = EthernetHost(self, node, address, drawn)
        self.hosts.setdefault(address, []).append(host)
        self.changed()
        return host

    def detach(self, host: EthernetHost) -> None:
        """A host is no more; its connections end without a word."""
        self.hosts[host.address].remove(host)
        host.attached = False
        self.changed()

    def found(self, address: str, seeker: EthernetHost) -> EthernetHost | None:
        """Who has an address and can be reached from a host."""
        there = self.hosts.get(address, ())
        return next((host for host in reversed(there) if host is not seeker and self.reached(seeker, host)), None)

    def hearers(self, sender: EthernetHost, target: str) -> list[EthernetHost]:
        """Who hears what a host sends to an address now: a host's, a group's, everybody's."""
        first, _, _ = target.partition(".")
        if target == BROADCAST:
            hosts = [h for there in self.hosts.values() for h in there if h is not sender]
        elif first.isdigit() and 224 <= int(first) < 240:
            hosts = [h for there in self.hosts.values() for h in there if target in h.groups]
        else:
            found = self.found(target, sender)
            return [found] if found else []
        return [host for host in hosts if self.reached(sender, host)]

    def reached(self, one: EthernetHost, other: EthernetHost) -> bool:
        """Whether what one host sends gets to the other now."""
        return one.attached and other.attached and self.cabling.together(one.node, other.node)

    def passed(
        self, kind: Kind, source: tuple[EthernetHost, int], target: tuple[str, int], octets: bytes, link: int,
        host: EthernetHost | None = None,
    ) -> None:  # fmt: skip
        """Something goes over the wire now, to a `host` where it is one's."""
        sender, own = source
        seen = Passed(
            self.clock.now_ns, kind, sender.address, own, *target, octets, link, mac_of(sender.node),
            mac_of(host.node) if host else b"",
        )  # fmt: skip
        for tap in self.taps:
            tap(seen)


@dataclass(slots=True, eq=False)
class EthernetHost:
    """One participant; see `networks.media.Host`. Of one that is only `drawn`, nothing is known as built."""

    ethernet: Ethernet
    node: str
    address: str
    drawn: bool = False
    attached: bool = True
    groups: set[str] = field(default_factory=set)
    _servers: dict[int, Callable[[TcpEnd], None]] = field(default_factory=dict)
    _hearers: dict[int, list[Callable[[Datagram], None]]] = field(default_factory=dict)
    # Who hears what is sent where, as long as nobody comes or goes.
    _known: dict[str, list[EthernetHost]] = field(default_factory=dict)
    _known_at: int = -1

    def listen(self, port: int, accept: Callable[[TcpEnd], None]) -> None:
        """Take TCP connections at a port."""
        self._servers.setdefault(port, accept)

    def connect(self, address: str, port: int) -> EthernetEnd | None:
        """A TCP connection, None where nobody takes it."""
        ethernet = self.ethernet
        other = ethernet.found(address, self)
        accept = other._servers.get(port) if other else None
        if other is None or accept is None:
            return None
        ethernet.links_made += 1
        link = ethernet.links_made
        mine = EthernetEnd(self, _FIRST_PORT + link % _PORTS, link)
        theirs = EthernetEnd(other, port, link)
        mine.other, theirs.other = theirs, mine
        mine.tell("opened")
        accept(theirs)
        return mine

    def hear(self, port: int, heard: Callable[[Datagram], None]) -> None:
        """Take datagrams at a port."""
        self._hearers.setdefault(port, []).append(heard)

    def join(self, group: str) -> None:
        """Take what is sent to a group's address."""
        self.groups.add(group)
        self.ethernet.changed()

    def send(self, address: str, port: int, octets: bytes, source_port: int | None = None) -> None:
        """Send a datagram; who can be reached when it arrives hears it."""
        if not self.attached:
            return
        own = port if source_port is None else source_port
        datagram = Datagram(self.address, own, address, port, octets)
        if self.ethernet.taps:
            to = self.ethernet.found(address, self)
            self.ethernet.passed("datagram", (self, own), (address, port), octets, 0, to)
        clock = self.ethernet.clock
        clock.at(clock.now_ns + NS_AN_OCTET * udp_octets(len(octets)), lambda: self._arrives(datagram))

    def _arrives(self, datagram: Datagram) -> None:
        ethernet, target = self.ethernet, datagram.target
        if self._known_at != ethernet.version:
            self._known_at = ethernet.version
            self._known.clear()
        hosts = self._known.get(target)
        if hosts is None:
            hosts = self._known[target] = ethernet.hearers(self, target)
        for host in hosts:
            # What one hears may change who hears the next.
            if host.attached:
                for heard in host._hearers.get(datagram.port, ()):
                    heard(datagram)


@dataclass(slots=True, eq=False)
class EthernetEnd:
    """One end of a TCP connection; see `networks.media.TcpEnd`."""

    host: EthernetHost
    port: int
    link: int
    open: bool = True
    _heard: Callable[[bytes], None] = _nothing
    _ended: Callable[[], None] = lambda: None
    other: EthernetEnd = field(init=False)
    _sent_ns: int = 0

    def on(self, heard: Callable[[bytes], None], ended: Callable[[], None] = lambda: None) -> None:
        """What takes what arrives, and what is called when the other end has closed."""
        self._heard, self._ended = heard, ended

    @property
    def peer(self) -> str:
        """The other end's address."""
        return self.other.host.address

    @property
    def whole(self) -> bool:
        """Whether what is sent now would get there."""
        return self.host.ethernet.reached(self.host, self.other.host)

    def tell(self, kind: Kind, octets: bytes = b"") -> None:
        """To whoever captures."""
        ethernet = self.host.ethernet
        if ethernet.taps:
            other = self.other
            to = (other.host.address, other.port)
            ethernet.passed(kind, (self.host, self.port), to, octets, self.link, other.host)

    def send(self, octets: bytes) -> bool:
        """Send a message; False where the way is not whole."""
        if not self.open or not self.whole:
            return False
        self.tell("octets", octets)
        self._later(tcp_octets(len(octets)), lambda: self.other._arrived(octets))
        return True

    def _later(self, octets: int, action: Callable[[], None]) -> None:
        """Behind all that this end sent before: what is sent arrives in order."""
        clock = self.host.ethernet.clock
        self._sent_ns = max(self._sent_ns, clock.now_ns) + NS_AN_OCTET * octets
        clock.at(self._sent_ns, action)

    def _arrived(self, octets: bytes) -> None:
        if self.open and self.whole:
            self._heard(octets)

    def close(self) -> None:
        """End the connection."""
        if not self.open:
            return
        self.open = False
        if self.other.open:
            self.tell("closed")
        self._later(tcp_octets(0), self.other._closed)

    def _closed(self) -> None:
        if self.open and self.whole:
            self.open = False
            self._ended()
