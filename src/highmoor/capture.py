"""What the bench's Ethernet carried, as a file that network analysers read (pcapng).

The bench knows messages and datagrams; here they get the headers around them: Ethernet, IPv4, TCP with its three-way
beginning and its end, UDP. Hardware addresses are locally administered, made of the IPv4 address.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from ipaddress import IPv4Address
from typing import IO, Any

import dpkt

from highmoor.core.bench.ethernet import Passed

_FIRST_PORT = 49152
_SEGMENT_OCTETS = 1460
_SYN, _ACK, _PUSH, _FIN = dpkt.tcp.TH_SYN, dpkt.tcp.TH_ACK, dpkt.tcp.TH_PUSH, dpkt.tcp.TH_FIN


@dataclass(slots=True)
class _Link:
    """A TCP connection: the controller's port, and what each end has sent (controller first)."""

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
        link = self._links.setdefault(passed.link, _Link(_FIRST_PORT + passed.link % 16000))
        if passed.kind == "opened":
            self._segment(passed, link, _SYN, to_device=True)
            self._segment(passed, link, _SYN | _ACK, to_device=False)
            self._segment(passed, link, _ACK, to_device=True)
        elif passed.kind == "closed":
            self._segment(passed, link, _FIN | _ACK, to_device=True)
            self._segment(passed, link, _FIN | _ACK, to_device=False)
            self._segment(passed, link, _ACK, to_device=True)
            del self._links[passed.link]
        else:
            for begin in range(0, len(passed.octets), _SEGMENT_OCTETS):
                part = passed.octets[begin : begin + _SEGMENT_OCTETS]
                self._segment(passed, link, _PUSH | _ACK, part, to_device=passed.to_device)

    def _segment(self, passed: Passed, link: _Link, flags: int, data: bytes = b"", *, to_device: bool) -> None:
        sender = 0 if to_device else 1
        ports = (link.port, passed.port) if to_device else (passed.port, link.port)
        segment = dpkt.tcp.TCP(
            sport=ports[0], dport=ports[1], seq=link.sent[sender], flags=flags, win=64240, data=data,
            ack=link.sent[1 - sender] if flags & _ACK else 0,
        )  # fmt: skip
        link.sent[sender] += len(data) + bool(flags & (_SYN | _FIN))
        self._packet(passed, dpkt.ip.IP_PROTO_TCP, segment, to_device=to_device)

    def _datagram(self, passed: Passed) -> None:
        packet = dpkt.udp.UDP(sport=passed.port, dport=passed.port, data=passed.octets)
        packet.ulen = len(packet)
        self._packet(passed, dpkt.ip.IP_PROTO_UDP, packet, to_device=passed.to_device)

    def _packet(self, passed: Passed, protocol: int, inner: Any, *, to_device: bool) -> None:
        source, target = IPv4Address(passed.controller or 0), IPv4Address(passed.device)
        if not to_device:
            source, target = target, IPv4Address(passed.group) if passed.group else source
        self._number = self._number % 0xFFFF + 1
        packet = dpkt.ip.IP(
            src=source.packed, dst=target.packed, p=protocol, ttl=1 if target.is_multicast else 64, id=self._number,
            data=inner,
        )  # fmt: skip
        packet.len = len(packet)
        frame = dpkt.ethernet.Ethernet(src=_hardware(source), dst=_hardware(target), data=packet)
        self._writer.writepkt(bytes(frame), passed.time_ns / 1e9)
        self.frames += 1


def _hardware(address: IPv4Address) -> bytes:
    """02-00 and the address; for a group 01-00-5E and its lower 23 bits (RFC 1112, 6.4)."""
    if address.is_multicast:
        low = address.packed
        return bytes([0x01, 0x00, 0x5E, low[1] & 0x7F, low[2], low[3]])
    return b"\x02\x00" + address.packed
