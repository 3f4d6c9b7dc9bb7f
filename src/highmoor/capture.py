"""What the bench's media carried, a file a medium, as network analysers read it (pcapng).

Of a serial line the frames are written as they are, as link type 147 (user 0). On Ethernet the bench knows messages and
datagrams; here they get the headers around them: Ethernet, IPv4, TCP with its three-way beginning and its end, UDP.
Plain frames are written as they are.
On a medium that nodes alter as they pass, both ways past the controller are written.
Hardware addresses are those on the devices' labels.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from ipaddress import IPv4Address
from typing import IO, Any

import dpkt

from highmoor.core.bench.ethernet import Passed

_SEGMENT_OCTETS = 1460
_LEAST_OCTETS = 60
# IEEE 802.1Q.
_VLAN = 0x8100
# For a protocol that the reader is told of (tcpdump.org, link-layer header types).
_USER_0 = 147
_SYN, _ACK, _PUSH, _FIN = dpkt.tcp.TH_SYN, dpkt.tcp.TH_ACK, dpkt.tcp.TH_PUSH, dpkt.tcp.TH_FIN


@dataclass(slots=True)
class _Link:
    """A TCP connection: the port of the end that opened it, and what each end has sent (that one first)."""

    port: int
    sent: list[int] = field(default_factory=lambda: [1000, 5000])


@dataclass(slots=True)
class Capture:
    """A tap on the bench's Ethernet that writes what it sees."""

    out: IO[bytes]
    frames: int = 0
    _writer: Any = field(init=False)
    _links: dict[int, _Link] = field(default_factory=dict)
    _number: int = 0

    def __post_init__(self) -> None:
        self._writer = dpkt.pcapng.Writer(self.out)

    def __call__(self, passed: Passed) -> None:
        """Write one thing that passed."""
        if passed.kind == "datagram":
            self._datagram(passed)
            return
        if passed.kind == "frame":
            self._frame(passed)
            return
        link = self._links.setdefault(passed.link, _Link(passed.source_port))
        if passed.kind == "opened":
            self._segment(passed, link, _SYN)
            self._segment(passed, link, _SYN | _ACK, back=True)
            self._segment(passed, link, _ACK)
        elif passed.kind == "closed":
            self._segment(passed, link, _FIN | _ACK)
            self._segment(passed, link, _FIN | _ACK, back=True)
            self._segment(passed, link, _ACK)
            del self._links[passed.link]
        else:
            for begin in range(0, len(passed.octets), _SEGMENT_OCTETS):
                self._segment(passed, link, _PUSH | _ACK, passed.octets[begin : begin + _SEGMENT_OCTETS])

    def _segment(self, passed: Passed, link: _Link, flags: int, data: bytes = b"", *, back: bool = False) -> None:
        """A segment the way that what passed went, or `back`."""
        ends = (
            (passed.source, passed.source_port, passed.source_mac), (passed.target, passed.port, passed.target_mac),
        )  # fmt: skip
        (source, own, mac), (target, other, to) = reversed(ends) if back else ends
        sender = 0 if own == link.port else 1
        segment = dpkt.tcp.TCP(
            sport=own, dport=other, seq=link.sent[sender], flags=flags, win=64240, data=data,
            ack=link.sent[1 - sender] if flags & _ACK else 0,
        )  # fmt: skip
        link.sent[sender] += len(data) + bool(flags & (_SYN | _FIN))
        self._packet(passed.time_ns, (source, mac), (target, to), dpkt.ip.IP_PROTO_TCP, segment)

    def _datagram(self, passed: Passed) -> None:
        packet = dpkt.udp.UDP(sport=passed.source_port, dport=passed.port, data=passed.octets)
        packet.ulen = len(packet)
        ends = (passed.source, passed.source_mac), (passed.target, passed.target_mac)
        self._packet(passed.time_ns, *ends, dpkt.ip.IP_PROTO_UDP, packet)

    def _frame(self, passed: Passed) -> None:
        """A plain frame, padded to the least there is without its check sequence."""
        head = passed.target_mac + passed.source_mac
        if passed.priority is not None:
            head += _VLAN.to_bytes(2, "big") + (passed.priority << 13).to_bytes(2, "big")
        frame = head + passed.ethertype.to_bytes(2, "big") + passed.octets
        self._writer.writepkt(frame.ljust(_LEAST_OCTETS, b"\0"), passed.time_ns / 1e9)
        self.frames += 1

    def _packet(
        self, time_ns: int, source: tuple[str, bytes], target: tuple[str, bytes], protocol: int, inner: Any
    ) -> None:
        sender, hearer = IPv4Address(source[0] or 0), IPv4Address(target[0] or 0)
        self._number = self._number % 0xFFFF + 1
        packet = dpkt.ip.IP(
            src=sender.packed, dst=hearer.packed, p=protocol, ttl=1 if hearer.is_multicast else 64, id=self._number,
            data=inner,
        )  # fmt: skip
        packet.len = len(packet)
        frame = dpkt.ethernet.Ethernet(
            src=source[1] or _hardware(sender), dst=target[1] or _hardware(hearer), data=packet
        )
        self._writer.writepkt(bytes(frame), time_ns / 1e9)
        self.frames += 1


@dataclass(slots=True)
class LineCapture:
    """A tap on a serial line that writes what goes over it."""

    out: IO[bytes]
    frames: int = 0
    _writer: Any = field(init=False)

    def __post_init__(self) -> None:
        self._writer = dpkt.pcapng.Writer(self.out, linktype=_USER_0)

    def __call__(self, begun_ns: int, octets: bytes) -> None:
        """Write one frame, or what came of several at once."""
        self._writer.writepkt(octets, begun_ns / 1e9)
        self.frames += 1


@dataclass(slots=True)
class FrameCapture:
    """A tap on the controller's cable of a medium on which frames are whole already: what goes out and what is back."""

    out: IO[bytes]
    frames: int = 0
    _writer: Any = field(init=False)

    def __post_init__(self) -> None:
        self._writer = dpkt.pcapng.Writer(self.out)

    def __call__(self, time_ns: int, octets: bytes, _: bool) -> None:
        """Write one frame."""
        self._writer.writepkt(octets, time_ns / 1e9)
        self.frames += 1


def _hardware(address: IPv4Address) -> bytes:
    """For a group 01-00-5E and its lower 23 bits (RFC 1112, 6.4); ones for everybody, and for who is not there."""
    if address.is_multicast:
        low = address.packed
        return bytes([0x01, 0x00, 0x5E, low[1] & 0x7F, low[2], low[3]])
    return b"\xff" * 6
