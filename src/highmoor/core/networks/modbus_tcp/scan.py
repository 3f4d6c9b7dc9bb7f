"""A scan of Modbus TCP: every address of a range is tried, a few at a time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from ipaddress import IPv4Address, IPv4Network
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.hardware.ethernet import interface, parse_address
from highmoor.core.networks.line import Line
from highmoor.core.networks.media import TcpEnd
from highmoor.core.networks.modbus.pdu import ModbusError
from highmoor.core.networks.modbus.scan import QUESTIONS, Conversation, alike, differs
from highmoor.core.networks.modbus_tcp.frame import Frame
from highmoor.core.networks.modbus_tcp.settings import PORT, UNIT
from highmoor.core.networks.scanning import Found, Scans, ScanSeat
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Network, Port

_NS_A_MS = 1_000_000
_AT_ONCE = 16
# Nobody at an address is noticed after this long, a question without an answer after that.
_NOBODY_MS, _QUESTION_MS = 200.0, 300.0
_ADDRESSES_AT_MOST = 4096


def addresses(wanted: Mapping[str, Any]) -> list[str]:
    """The addresses of the range. Raises Refusal for one that is none, or too long."""
    first, last = (IPv4Address(parse_address(str(wanted.get(key, "")))) for key in ("first", "last"))
    if not 0 <= int(last) - int(first) < _ADDRESSES_AT_MOST:
        raise Refusal(f"{first} to {last} is no range of 1 to {_ADDRESSES_AT_MOST} addresses.", field="last")
    return [str(IPv4Address(n)) for n in range(int(first), int(last) + 1)]


@dataclass(slots=True)
class _Scan:
    seat: ScanSeat
    done: int = 0
    asked: int = 0
    _left: list[str] = field(default_factory=list)
    _under_way: int = 0
    _over: bool = False

    def begin(self) -> None:
        """The first few."""
        self._left = addresses(self.seat.wanted)
        self.asked = len(self._left)
        self._left.reverse()
        for _ in range(min(_AT_ONCE, self.asked)):
            self._next()

    def stop(self) -> None:
        """Nothing more is asked."""
        self._over = True

    def _later(self, waits_ms: float, then: Any) -> None:
        clock = self.seat.clock
        clock.at(clock.now_ns + int(waits_ms * _NS_A_MS), lambda: None if self._over else then())

    def _next(self) -> None:
        if self._left:
            self._under_way += 1
            self._try(self._left.pop())
        elif not self._under_way:
            self._over = True
            self.seat.over()

    def _ended(self, found: Found | None) -> None:
        self.done += 1
        self._under_way -= 1
        if found:
            self.seat.find(found)
        self._next()

    def _try(self, address: str) -> None:
        end = self.seat.medium.connect(address, PORT)
        if end is None:
            self._later(_NOBODY_MS, lambda: self._ended(None))
        else:
            _Talk(self, end, address).begin()


@dataclass(slots=True)
class _Talk:
    """One connection, over which an address is asked."""

    scan: _Scan
    end: TcpEnd
    address: str
    transaction: int = 0
    _conversation: Conversation = field(init=False)

    def begin(self) -> None:
        """The first question."""
        self.end.on(self._heard)
        self._conversation = Conversation(self.address, self.scan.seat.types, self._ask, self._over)
        self._conversation.begin()

    def _ask(self, unit: bytes) -> None:
        self.transaction += 1
        number = self.transaction
        self.end.send(Frame(number, UNIT, unit).encode())
        self.scan._later(_QUESTION_MS, lambda: self._silent(number))

    def _silent(self, number: int) -> None:
        if number == self.transaction:
            self._conversation.silent()

    def _heard(self, octets: bytes) -> None:
        if self.scan._over:
            return
        try:
            frame = Frame.decode(octets)
        except ModbusError:
            return
        if frame.transaction == self.transaction:
            self._conversation.heard(frame.pdu)

    def _over(self, found: Found | None) -> None:
        self.transaction += 1
        self.end.close()
        self.scan._ended(found)


def _takes_s(_: Network, lines: Sequence[Line], wanted: Mapping[str, Any]) -> float:
    """At most so long, if no more answer than are configured."""
    count = len(addresses(wanted))
    answering = min(len({line.station.address for line in lines if line.station.address}), count)
    longest = QUESTIONS * _QUESTION_MS
    return ((count * _NOBODY_MS + answering * longest) / min(_AT_ONCE, count) + longest) / 1000


def _fields(_: Network, own: Port | None) -> tuple[FieldSpec, ...]:
    """Usually the port's own subnet, of a large one the 256 addresses around it."""
    net = interface(own.address, own.mask) if own else None
    near = (
        IPv4Network((int(net.ip) & ~0xFF, 24)) if net and net.network.prefixlen < 24 else net.network if net else None
    )
    first, last = (str(near[1]), str(near[-2])) if near and near.num_addresses > 3 else ("", "")
    return (
        FieldSpec("wanted.first", "From", "text", default=first, read=lambda given: parse_address(str(given))),
        FieldSpec("wanted.last", "To", "text", default=last, read=lambda given: parse_address(str(given))),
    )


def _covers(wanted: Mapping[str, Any], address: str) -> bool:
    return address in addresses(wanted)


SCANS = Scans(_fields, _takes_s, _Scan, alike, _covers, differs)
