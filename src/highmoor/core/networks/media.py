"""What a fieldbus has of a medium on the bench: a host on Ethernet, an end on a serial line.

Whoever takes part is attached and may send first; nobody holds the far device. What is sent arrives after its time on
the wire, if the way is whole then.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, NamedTuple, Protocol

BROADCAST = "255.255.255.255"
# 100 Mbit/s.
NS_AN_OCTET = 80
# Ethernet header and FCS, preamble and gap (IEEE 802.3, 3.1 and 4.4.2); IPv4 without options; TCP; UDP.
_HEADER_OCTETS = 14
_FRAME_OCTETS, _LEAST_OCTETS, _IP_OCTETS, _TCP_OCTETS, _UDP_OCTETS = 38, 84, 20, 20, 8
_SEGMENT_OCTETS = 1460


def tcp_octets(octets: int) -> int:
    """What a message over TCP takes of 100 Mbit/s Ethernet, in octets with preamble and gap; acknowledgements aside."""
    whole, rest = divmod(octets, _SEGMENT_OCTETS)
    around = _FRAME_OCTETS + _IP_OCTETS + _TCP_OCTETS
    return whole * (_SEGMENT_OCTETS + around) + (max(_LEAST_OCTETS, rest + around) if rest or not whole else 0)


def ethernet_octets(octets: int) -> int:
    """What a frame of so many octets, without its check sequence, takes, with that, preamble, padding and gap."""
    return max(_LEAST_OCTETS, octets + _FRAME_OCTETS - _HEADER_OCTETS)


def frame_octets(octets: int, *, tagged: bool) -> int:
    """What a plain frame with so many octets behind its type takes, with all around it; a VLAN tag is four more."""
    return max(_LEAST_OCTETS + (4 if tagged else 0), octets + _FRAME_OCTETS + (4 if tagged else 0))


def udp_octets(octets: int) -> int:
    """What a datagram of so many octets takes, in octets with preamble and gap."""
    return max(_LEAST_OCTETS, octets + _FRAME_OCTETS + _IP_OCTETS + _UDP_OCTETS)


class Datagram(NamedTuple):
    """A datagram as it arrives: from whom, to which address (a host's, a group's, everybody's) and ports."""

    source: str
    source_port: int
    target: str
    port: int
    octets: bytes


class TcpEnd(Protocol):
    """One end of a TCP connection."""

    def on(self, heard: Callable[[bytes], None], ended: Callable[[], None] = lambda: None) -> None:
        """What takes what arrives, and what is called when the other end has closed."""

    @property
    def peer(self) -> str:
        """The other end's address."""

    @property
    def open(self) -> bool:
        """Whether this end has not been closed."""

    @property
    def whole(self) -> bool:
        """Whether what is sent now would get there, as missing acknowledgements tell."""

    def send(self, octets: bytes) -> bool:
        """Send a message; False where the way is not whole, so that nothing goes out."""

    def close(self) -> None:
        """End the connection; the other end learns of it if the way is whole."""


class Host(Protocol):
    """A participant of Ethernet with its IPv4 address."""

    @property
    def address(self) -> str: ...

    def listen(self, port: int, accept: Callable[[TcpEnd], None]) -> None:
        """Take TCP connections at a port; `accept` gives each its `heard`."""

    def connect(self, address: str, port: int) -> TcpEnd | None:
        """A TCP connection, None where nobody takes it. Its beginning takes no time here."""

    def hear(self, port: int, heard: Callable[[Datagram], None]) -> None:
        """Take datagrams at a port."""

    def send(self, address: str, port: int, octets: bytes, source_port: int | None = None) -> None:
        """Send a datagram to a host, a group, or everybody; from the same port unless another is given."""

    def join(self, group: str) -> None:
        """Take what is sent to a group's address."""

    @property
    def mac(self) -> bytes: ...

    @property
    def attached(self) -> bool: ...

    # Of its subnet, as it is set.
    mask: str
    gateway: str

    def who_has(self, address: str, heard: Callable[[bytes], None]) -> None:
        """Ask all for the hardware address of an IP address (RFC 826); each who has it answers."""

    def take(self, address: str) -> None:
        """Have another IP address from now on, "" for none."""

    def hear_frames(self, ethertype: int, heard: Callable[[bytes, bytes, bytes], None]) -> None:
        """Take plain frames of a type: from and to which hardware address, and what follows the type."""

    def send_frame(self, target: bytes, ethertype: int, octets: bytes, priority: int | None = None) -> None:
        """Send a plain frame, with a VLAN tag where it has a priority."""

    def tell_neighbours(self, target: bytes, ethertype: int, octets_of: Callable[[int], bytes]) -> None:
        """A plain frame out of each socket that nobody passes on, made for the socket (from 1)."""

    def hear_neighbours(self, ethertype: int, heard: Callable[[int, bytes], None]) -> None:
        """Take what neighbours tell, with the socket it came in at."""


@dataclass(frozen=True, slots=True)
class Heard:
    """Octets that came over a line, sent `on` which settings; `told` says what is wrong with them, "" for nothing."""

    octets: bytes
    on: Any
    told: str = ""


class Coding(Hashable, Protocol):
    """How octets are sent over a serial line."""

    @property
    def baud(self) -> int: ...

    @property
    def octet_ms(self) -> Fraction:
        """How long one octet takes."""


class LineEnd(Protocol):
    """A participant of a line that all share: it hears all that others send. Those at its ends are `terminated`."""

    terminated: bool

    def on(self, heard: Callable[[Heard], None]) -> None:
        """What takes what is heard."""

    def transmit(self, octets: bytes, on: Coding) -> int:
        """Send octets now. Returns when the last one is out, ns."""


class Answering(Protocol):
    """Whoever is asked by a number on a line where nobody speaks unasked."""

    def answer(self, octets: bytes) -> tuple[bytes, int] | None:
        """What it answers to a telegram, and after how many bit times; None where it does not."""

    def answer_again(self) -> bool:
        """Whether the last question, asked once more, would be answered as before; then it counts as asked."""


class SegmentEnd(LineEnd, Protocol):
    """A participant of a line in segments that repeaters join.

    `length_m` is the cable from the one before, `stub_m` what it hangs on itself. Terminators are fed by their device.
    Where nothing can be damaged and nobody looks on, who asks may do so `straight`: what goes over the line is the
    same, and it is he who counts the time it takes.
    """

    length_m: float
    stub_m: float
    repeats: bool
    terminated_behind: bool
    # When it was last asked by its number, ns.
    asked_ns: int

    @property
    def straight(self) -> bool:
        """Whether questions may be asked so now."""

    @property
    def busy_until_ns(self) -> int:
        """When what is on the line now is over; in the past where nothing is."""

    def be(self, number: int, who: Answering) -> None:
        """Answer to a number from now on."""

    def ask(self, number: int, octets: bytes) -> tuple[bytes, int] | None:
        """The answer to a telegram and its delay in bit times; None for silence, or where two would answer."""

    def again(self, number: int) -> bool:
        """Whether the last question to a number, asked once more, was answered as before."""

    def tell(self, octets: bytes) -> None:
        """A telegram to everybody, which nobody answers."""
