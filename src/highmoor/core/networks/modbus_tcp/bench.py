"""Modbus TCP on the bench: a client in the controller and servers in the devices, with real octets between."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Protocol

from highmoor.core.figures.modbus_functions import Function
from highmoor.core.networks.fieldbus import BenchLine, Clock, Device, ExchangeLive, Memory, Wire
from highmoor.core.networks.modbus.explain import explain
from highmoor.core.networks.modbus.pdu import (
    ModbusError,
    Request,
    decode_request,
    decode_response,
    encode_exception,
    encode_request,
    encode_response,
)
from highmoor.core.networks.modbus.settings import ExchangeSettings
from highmoor.core.networks.modbus_tcp.frame import Frame
from highmoor.core.networks.modbus_tcp.settings import ConnectionSettings
from highmoor.core.networks.modbus_tcp.timing import transaction
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Exchange

_NS_A_MS = 1_000_000


def go_live(clock: Clock, memory: Memory, wire: Wire, bench_line: BenchLine) -> None:
    """Start the client of one connection; it goes on for as long as the clock runs."""
    client = _Client(clock, memory, wire, bench_line)
    for exchange in bench_line.line.exchanges:
        asked = _Asked(exchange, ExchangeSettings.of(exchange), bench_line.live[exchange.id])
        clock.at(clock.now_ns, _due(client, asked))


def _due(client: _Client, asked: _Asked) -> Callable[[], None]:
    return lambda: client.due(asked)


@dataclass(slots=True)
class _Asked:
    exchange: Exchange
    settings: ExchangeSettings
    live: ExchangeLive
    waiting: bool = False

    @property
    def period_ns(self) -> int:
        return max(int(self.settings.period_ms * _NS_A_MS), _NS_A_MS)


@dataclass(slots=True)
class _Client:
    """Asks one server, one transaction after the other, in the order in which they fell due."""

    clock: Clock
    memory: Memory
    wire: Wire
    bench_line: BenchLine
    queue: list[_Asked] = field(default_factory=list)
    current: int | None = None
    transactions: int = 0

    def due(self, asked: _Asked) -> None:
        """An exchange's period has come round; one that still waits is not queued twice."""
        self.clock.at(self.clock.now_ns + asked.period_ns, lambda: self.due(asked))
        if not asked.waiting:
            asked.waiting = True
            self.queue.append(asked)
        self._next()

    def _next(self) -> None:
        if self.current is not None or not self.queue:
            return
        asked = self.queue.pop(0)
        asked.waiting = False
        self.transactions = self.transactions % 0xFFFF + 1
        self.current = number = self.transactions
        request = self._request(asked)
        unit = ConnectionSettings.of(self.bench_line.line.connection).unit
        octets = Frame(number, unit, encode_request(request)).encode()
        asked.live.request = octets
        asked.live.transactions += 1
        sent = transaction(asked.settings, 0)
        arrival = self.clock.now_ns + int(sent.request_ms * _NS_A_MS)
        self.clock.at(arrival, lambda: self._arrived(octets, asked, request, number))
        if asked.settings.timeout_ms > 0:
            give_up = arrival + int(asked.settings.timeout_ms * _NS_A_MS)
            self.clock.at(give_up, lambda: self._silent(asked, number), priority=1)

    def _request(self, asked: _Asked) -> Request:
        settings = asked.settings
        data = b""
        if settings.function.direction == "out":
            start = self.bench_line.offsets[asked.exchange.id]
            data = bytes(self.memory.image_out[start : start + settings.function.data_octets(settings.count)])
        return Request(settings.function, settings.address, settings.count, data)

    def _arrived(self, octets: bytes, asked: _Asked, request: Request, number: int) -> None:
        """The request is at the device, if one is reached; its answer comes after its reply delay."""
        device = self.wire.reached(self.bench_line.line.station.address)
        answer = device.answer(octets) if device else None
        if device is None or answer is None:
            return
        took = device.reply_ms + transaction(asked.settings, 0).response_ms
        self.clock.at(self.clock.now_ns + int(took * _NS_A_MS), lambda: self._answered(answer, asked, request, number))

    def _answered(self, octets: bytes, asked: _Asked, request: Request, number: int) -> None:
        # An answer that comes after the time-out, or over a cable pulled meanwhile, is no answer.
        if self.current != number or self.wire.reached(self.bench_line.line.station.address) is None:
            return
        asked.live.response = octets
        try:
            data = decode_response(request, Frame.decode(octets).pdu)
        except ModbusError as error:
            self._failed(asked, f"exception {error.code:02X}: {explain(error.code)}")
            return
        if data:
            start = self.bench_line.offsets[asked.exchange.id]
            self.memory.image_in[start : start + len(data)] = data
        asked.live.state, asked.live.text = "good", "good"
        asked.live.last_good_ns = self.clock.now_ns
        self.memory.set_status(asked.exchange.id, True)
        self._done()

    def _silent(self, asked: _Asked, number: int) -> None:
        if self.current == number:
            asked.live.response = b""
            self._failed(asked, f"no answer within {shown(asked.settings.timeout_ms)} ms")

    def _failed(self, asked: _Asked, text: str) -> None:
        asked.live.state, asked.live.text = "bad", text
        asked.live.failures += 1
        self.memory.set_status(asked.exchange.id, False)
        self._done()

    def _done(self) -> None:
        self.current = None
        self._next()


class Words(Protocol):
    """An area of a server: registers or coils by address."""

    def get(self, address: int, default: int, /) -> int: ...

    def __setitem__(self, address: int, value: int, /) -> None: ...


@dataclass(slots=True)
class RailWords:
    """The octets of a coupler's modules as registers: the low octet of each is the earlier one."""

    octets: bytearray

    def get(self, address: int, default: int, /) -> int:
        """A register's value; the default behind the last."""
        two = self.octets[2 * address : 2 * address + 2]
        return int.from_bytes(two, "little") if len(two) == 2 else default

    def __setitem__(self, address: int, value: int, /) -> None:
        self.octets[2 * address : 2 * address + 2] = (value & 0xFFFF).to_bytes(2, "little")


@dataclass(slots=True)
class RegisterServer(Device):
    """A server whose registers and coils a process model reads and writes.

    `areas` maps the area digit to places present; None in `present` means that every address is there.
    """

    reply_ms: float
    areas: dict[int, Words] = field(default_factory=lambda: {0: {}, 1: {}, 3: {}, 4: {}})
    present: dict[int, range] | None = None

    def answer(self, octets: bytes) -> bytes | None:
        """The octets that answer a frame; None for what is no frame."""
        try:
            frame = Frame.decode(octets)
        except ModbusError:
            return None
        try:
            request = decode_request(frame.pdu)
            self._refuse_absent(request)
            data = self._read(request) if request.function.direction == "in" else self._write(request)
            pdu = encode_response(request, data)
        except ModbusError as error:
            code = frame.pdu[0] if frame.pdu else 0
            pdu = encode_exception(code, error.code)
        return Frame(frame.transaction, frame.unit, pdu).encode()

    def _refuse_absent(self, request: Request) -> None:
        if self.present is None:
            return
        there = self.present.get(request.function.area, range(0))
        if request.address not in there or request.address + request.count - 1 not in there:
            raise ModbusError(2)

    def _read(self, request: Request) -> bytes:
        area = self.areas[request.function.area]
        values = [area.get(request.address + n, 0) for n in range(request.count)]
        return pack(values, request.function)

    def _write(self, request: Request) -> bytes:
        area = self.areas[request.function.area]
        for n, value in enumerate(unpack(request.data, request.function, request.count)):
            area[request.address + n] = value
        return b""


def coupler(reply_ms: float, image_in: bytearray, image_out: bytearray) -> RegisterServer:
    """A server with modules behind it: what they give in input registers, what they take in holding registers."""
    server = RegisterServer(reply_ms, {0: {}, 1: {}, 3: RailWords(image_in), 4: RailWords(image_out)})
    server.present = {3: range(len(image_in) // 2), 4: range(len(image_out) // 2)}
    return server


def pack(values: list[int], function: Function) -> bytes:
    """Registers high octet first, or coils from bit 0 up."""
    if function.bits == 16:
        return b"".join((value & 0xFFFF).to_bytes(2, "big") for value in values)
    packed = bytearray(function.data_octets(len(values)))
    for n, value in enumerate(values):
        packed[n // 8] |= (1 if value else 0) << n % 8
    return bytes(packed)


def unpack(data: bytes, function: Function, count: int) -> list[int]:
    """The inverse of `pack`."""
    if function.bits == 16:
        return [int.from_bytes(data[2 * n : 2 * n + 2], "big") for n in range(count)]
    return [data[n // 8] >> n % 8 & 1 for n in range(count)]
