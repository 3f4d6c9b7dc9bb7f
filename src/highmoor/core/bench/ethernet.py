"""Ethernet on the bench: hosts with addresses, TCP connections and datagrams between them, and what hears all of it."""

from __future__ import annotations

import struct
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache, partial
from ipaddress import IPv4Address
from typing import Literal, TypeAlias

from highmoor.core.bench.cabling import Cabling, Leg, Track
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.labels import mac_of
from highmoor.core.networks.media import BROADCAST, NS_AN_OCTET, Datagram, TcpEnd, frame_octets, tcp_octets, udp_octets

_FIRST_PORT, _PORTS = 49152, 16000
_ARP, _ARP_OCTETS = 0x0806, 28
Kind = Literal["opened", "closed", "octets", "datagram", "frame"]


@dataclass(frozen=True, slots=True)
class Passed:
    """Something that went over Ethernet, when (ns), from whose address and port to which.

    `link` is the TCP connection it belongs to, 0 for datagrams. The hardware addresses are those of both, none of a
    group's or of somebody who is not there. Of a plain frame `octets` is what follows its `ethertype`, and `priority`
    that of its VLAN tag, None without one.
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
    ethertype: int = 0
    priority: int | None = None


Tap = Callable[[Passed], None]
# What takes plain frames: from and to which hardware address, what follows the type.
FrameHeard = Callable[[bytes, bytes, bytes], None]


def _arp(operation: int, sender: EthernetHost, target: bytes, address: str) -> bytes:
    """A question for an address, or its answer."""
    own, other = (IPv4Address(text or "0.0.0.0").packed for text in (sender.address, address))
    return struct.pack(">HHBBH6s4s6s4s", 1, 0x0800, 6, 4, operation, sender.mac, own, target, other)


@lru_cache(maxsize=4096)
def _wire_ns(octets: int, tagged: bool) -> int:
    """How long a plain frame of so many octets takes."""
    return NS_AN_OCTET * frame_octets(octets, tagged=tagged)


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
    # Hosts by their hardware address.
    stations: dict[bytes, EthernetHost] = field(default_factory=dict)
    # The frame that is alone on all cables; until when some others are on one.
    alone: _Flight | None = None
    busy_until_ns: int = -1
    # Another one when anybody has come, gone or joined a group, or a cable has been changed.
    version: int = 0

    def __post_init__(self) -> None:
        self.cabling.told = self.changed
        self.cabling.clock = self.clock

    def changed(self) -> None:
        """Who hears what may be different from now on."""
        self.version += 1

    def attach(self, node: str, address: str, *, drawn: bool = False) -> EthernetHost:
        """A host at a node of the cabling, "" for one without an IP address."""
        host = EthernetHost(self, node, address, drawn, mac_of(node))
        self.hosts.setdefault(address, []).append(host)
        self.stations[host.mac] = host
        self.changed()
        return host

    def detach(self, host: EthernetHost) -> None:
        """A host is no more; its connections end without a word."""
        self.hosts[host.address].remove(host)
        if self.stations.get(host.mac) is host:
            del self.stations[host.mac]
        host.attached = False
        self.changed()

    def found(self, address: str, seeker: EthernetHost) -> EthernetHost | None:
        """Who has an address and can be reached from a host."""
        if not address:
            return None
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

    def carry(self, way: Sequence[Leg], wire_ns: int, behind_ns: int, arrived: Callable[[], None]) -> None:
        """A frame along a way: whoever passes it on has the whole of it first, behind what is under way there.

        One that is alone on all cables meets nobody: it goes straight, until another one sets out.
        """
        flight = _Flight(self, way, wire_ns, arrived)
        if self.alone is None and self.clock.now_ns > self.busy_until_ns:
            self.alone = flight
            self.clock.at(flight.begun_ns + len(way) * wire_ns + behind_ns, flight.there)
            return
        self.together()
        flight.on()

    def together(self) -> None:
        """Somebody sets out: whoever went straight goes leg by leg from where he is."""
        alone, self.alone = self.alone, None
        if alone is not None:
            alone.leg_by_leg()

    def spread(self, ways: Sequence[tuple[Sequence[Leg], Callable[[], None]]], wire_ns: int) -> None:
        """A frame to many: over each cable it goes once, whoever is behind it."""
        onward: dict[Track, dict[int, list[tuple[Sequence[Leg], Callable[[], None]]]]] = {}
        for way, arrived in ways:
            if way:
                first = way[0]
                onward.setdefault(first.track, {}).setdefault(first.behind_ns, []).append((way[1:], arrived))
            else:
                arrived()
        self.together()
        for track, behind in onward.items():
            over = track.busy_ns = max(self.clock.now_ns, track.busy_ns) + wire_ns
            for after_ns, rest in behind.items():
                self.busy_until_ns = max(self.busy_until_ns, over + after_ns)
                self.clock.at(over + after_ns, partial(self.spread, rest, wire_ns))

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


class _Flight:
    """A frame on its way: there are thousands a second."""

    __slots__ = ("arrived", "begun_ns", "ethernet", "left", "way", "wire_ns")

    def __init__(self, ethernet: Ethernet, way: Sequence[Leg], wire_ns: int, arrived: Callable[[], None]) -> None:
        self.ethernet, self.way, self.wire_ns, self.arrived = ethernet, way, wire_ns, arrived
        self.left = 0
        self.begun_ns = ethernet.clock.now_ns

    def on(self) -> None:
        """Onto the next leg, or there."""
        if self.left == len(self.way):
            self.arrived()
            return
        track, behind_ns = self.way[self.left]
        self.left += 1
        ethernet = self.ethernet
        now = ethernet.clock.now_ns
        over = track.busy_ns = (track.busy_ns if track.busy_ns > now else now) + self.wire_ns
        ethernet.busy_until_ns = max(ethernet.busy_until_ns, over + behind_ns)
        ethernet.clock.at(over + behind_ns, self.on)

    def there(self) -> None:
        """It has gone straight, unless somebody set out meanwhile."""
        if self.ethernet.alone is self:
            self.ethernet.alone = None
            self.arrived()

    def leg_by_leg(self) -> None:
        """From where it is now."""
        clock, begins = self.ethernet.clock, self.begun_ns
        for n, (track, behind_ns) in enumerate(self.way, start=1):
            over = begins + self.wire_ns
            begins = over + behind_ns
            if begins > clock.now_ns or n == len(self.way):
                track.busy_ns, self.left = over, n
                self.ethernet.busy_until_ns = max(self.ethernet.busy_until_ns, begins)
                clock.at(begins, self.on)
                return
        self.arrived()


# As of a version: whom a hardware address is of, by which way, how long that is under way and passed on in all, ns.
Route: TypeAlias = "tuple[int, EthernetHost | None, tuple[Leg, ...] | None, int]"


@dataclass(slots=True, eq=False)
class EthernetHost:
    """One participant; see `networks.media.Host`. Of one that is only `drawn`, nothing is known as built."""

    ethernet: Ethernet
    node: str
    address: str
    drawn: bool = False
    mac: bytes = b""
    mask: str = "255.255.255.0"
    gateway: str = ""
    attached: bool = True
    groups: set[str] = field(default_factory=set)
    _servers: dict[int, Callable[[TcpEnd], None]] = field(default_factory=dict)
    _hearers: dict[int, list[Callable[[Datagram], None]]] = field(default_factory=dict)
    _near: dict[int, Callable[[int, bytes], None]] = field(default_factory=dict)
    _frames: dict[int, list[FrameHeard]] = field(default_factory=dict)
    # By which way whom, by his hardware address, as of a version.
    _routes: dict[bytes, Route] = field(default_factory=dict)
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

    def take(self, address: str) -> None:
        """Have another IP address from now on, "" for none."""
        if address != self.address:
            self.ethernet.hosts[self.address].remove(self)
            self.address = address
            self.ethernet.hosts.setdefault(address, []).append(self)
            self.ethernet.changed()

    def hear_frames(self, ethertype: int, heard: FrameHeard) -> None:
        """Take plain frames of a type."""
        self._frames.setdefault(ethertype, []).append(heard)

    def send_frame(self, target: bytes, ethertype: int, octets: bytes, priority: int | None = None) -> None:
        """Send a plain frame; whoever it is for hears it after its way through all who pass it on."""
        ethernet = self.ethernet
        if not self.attached:
            return
        if ethernet.taps:
            self._tell_frame(target, ethertype, octets, priority)
        wire_ns = _wire_ns(len(octets), priority is not None)
        if target[0] & 1:
            every = [one for one in ethernet.stations.values() if one is not self and ethertype in one._frames]
            ways = [
                (reached, partial(one._frame, self, ethernet.version, target, ethertype, octets))
                for one in every
                if (reached := self._way(one)) is not None
            ]
            ethernet.spread(ways, wire_ns)
            return
        route = self._routes.get(target)
        if route is None or route[0] != ethernet.version:
            route = self._routes[target] = self._route(target)
        version, host, way, behind_ns = route
        if host is not None and way is not None:
            arrived = partial(host._frame, self, version, target, ethertype, octets)
            ethernet.carry(way, wire_ns, behind_ns, arrived)

    def _route(self, target: bytes) -> Route:
        host = self.ethernet.stations.get(target)
        way = self._way(host) if host else None
        return self.ethernet.version, host, way, sum(leg.behind_ns for leg in way or ())

    def _way(self, host: EthernetHost) -> tuple[Leg, ...] | None:
        """By which cables a frame gets to another host now; None where none leads there."""
        return self.ethernet.cabling.way(self.node, host.node)

    def _frame(self, sender: EthernetHost, version: int, target: bytes, ethertype: int, octets: bytes) -> None:
        """It has arrived, if nothing has changed on its way meanwhile that would have kept it back."""
        if self.attached and (version == self.ethernet.version or self.ethernet.reached(sender, self)):
            for heard in self._frames.get(ethertype, ()):
                heard(sender.mac, target, octets)

    def who_has(self, address: str, heard: Callable[[bytes], None]) -> None:
        """Ask all for the hardware address of an IP address (RFC 826); each who has it answers."""
        ethernet = self.ethernet
        if ethernet.taps:
            self._tell_frame(b"\xff" * 6, _ARP, _arp(1, self, bytes(6), address), None)
        wire_ns = _wire_ns(_ARP_OCTETS, tagged=False)
        for host in ethernet.hosts.get(address, ()) if address else ():
            way = ethernet.cabling.way(self.node, host.node) if ethernet.reached(self, host) else None
            if host is not self and way is not None:
                ethernet.carry(way, wire_ns, sum(leg.behind_ns for leg in way), partial(host._is_asked, self, heard))

    def _is_asked(self, seeker: EthernetHost, heard: Callable[[bytes], None]) -> None:
        if not self.ethernet.reached(self, seeker):
            return
        if self.ethernet.taps:
            self._tell_frame(seeker.mac, _ARP, _arp(2, self, seeker.mac, seeker.address), None)
        way = self.ethernet.cabling.way(self.node, seeker.node)
        if way is not None:
            wire_ns = _wire_ns(_ARP_OCTETS, tagged=False)
            self.ethernet.carry(way, wire_ns, sum(leg.behind_ns for leg in way), partial(heard, self.mac))

    def tell_neighbours(self, target: bytes, ethertype: int, octets_of: Callable[[int], bytes]) -> None:
        """A plain frame out of each socket, which nobody passes on."""
        ethernet = self.ethernet
        for neighbour in ethernet.cabling.neighbours(self.node) if self.attached else ():
            octets = octets_of(neighbour.socket)
            if ethernet.taps:
                self._tell_frame(target, ethertype, octets, None)
            host = ethernet.stations.get(mac_of(ethernet.cabling.host_at(neighbour.node)))
            heard = host._near.get(ethertype) if host else None
            if heard is not None:
                wire_ns = _wire_ns(len(octets), tagged=False)
                socket = neighbour.other_socket
                ethernet.clock.at(
                    ethernet.clock.now_ns + wire_ns,
                    lambda heard=heard, socket=socket, octets=octets: heard(socket, octets),  # type: ignore[misc]
                )

    def hear_neighbours(self, ethertype: int, heard: Callable[[int, bytes], None]) -> None:
        """Take what neighbours tell, with the socket it came in at."""
        self._near[ethertype] = heard

    def _tell_frame(self, target: bytes, ethertype: int, octets: bytes, priority: int | None) -> None:
        seen = Passed(
            self.ethernet.clock.now_ns, "frame", "", 0, "", 0, octets, 0, self.mac, target, ethertype, priority
        )
        for tap in self.ethernet.taps:
            tap(seen)

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
