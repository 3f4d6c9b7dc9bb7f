"""Modbus TCP on the bench: a client in the controller and servers in the devices, with real octets between."""

from __future__ import annotations

from dataclasses import dataclass, field

from highmoor.core.networks.alive import Clock, Memory, Wire
from highmoor.core.networks.fieldbus import BenchLine
from highmoor.core.networks.modbus.asked import NS_A_MS, Asked, Queue
from highmoor.core.networks.modbus.explain import SILENT, explain
from highmoor.core.networks.modbus.pdu import (
    ModbusError,
    Request,
    decode_response,
    encode_request,
)
from highmoor.core.networks.modbus.server import RegisterServer
from highmoor.core.networks.modbus_tcp.frame import Frame
from highmoor.core.networks.modbus_tcp.settings import ConnectionSettings
from highmoor.core.networks.modbus_tcp.timing import transaction
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Network


def go_live(clock: Clock, memory: Memory, wire: Wire, _: Network, lines: list[BenchLine]) -> None:
    """Start a client for each connection; they go on for as long as the clock runs."""
    for line in lines:
        client = _Client(clock, memory, wire, line)
        Asked.begin(clock, memory, Asked.all_of(line), client.due)
        memory.at_stop.append(client.stop)


@dataclass(slots=True)
class _Client:
    """Asks one server, one transaction after the other, in the order in which they fell due."""

    clock: Clock
    memory: Memory
    wire: Wire
    bench_line: BenchLine
    queue: Queue = field(default_factory=Queue)
    current: int | None = None
    transactions: int = 0
    link: int = 0

    @property
    def _address(self) -> str:
        return self.bench_line.line.station.address

    def _server(self) -> TcpServer | None:
        device = self.wire.reached(self._address)
        return device if isinstance(device, TcpServer) else None

    def stop(self) -> None:
        """The controller stops: its TCP connection is closed."""
        self.current = -1
        self._hang_up()

    def _hang_up(self) -> None:
        if self.link:
            self.wire.closed(self.link)
            self.link = 0

    def due(self, asked: Asked, since_ns: int) -> None:
        """An exchange's time has come."""
        self.queue.put(asked, since_ns)
        self._next()

    def _next(self) -> None:
        asked = self.queue.take() if self.current is None else None
        if asked is None:
            return
        asked.begun(self.memory, self.clock.now_ns)
        self.transactions = self.transactions % 0xFFFF + 1
        self.current = number = self.transactions
        request = asked.request(self.memory)
        unit = ConnectionSettings.of(self.bench_line.line.connection).unit
        octets = Frame(number, unit, encode_request(request)).encode()
        there = self._server() is not None
        if there and not self.link:
            port = ConnectionSettings.of(self.bench_line.line.connection).port
            self.link = self.wire.opened(self._address, port)
        # Nothing goes out where no connection stands.
        asked.live.request = octets if self.link else b""
        asked.live.transactions += 1
        if there:
            self.wire.carried(self.link, octets, to_device=True)
        sent = transaction(asked.settings, 0)
        arrival = self.clock.now_ns + int(sent.request_ms * NS_A_MS)
        self.clock.at(arrival, lambda: self._arrived(octets, asked, request, number))
        if asked.settings.timeout_ms > 0:
            give_up = arrival + int(asked.settings.timeout_ms * NS_A_MS)
            self.clock.at(give_up, lambda: self._silent(asked, number), priority=1)

    def _arrived(self, octets: bytes, asked: Asked, request: Request, number: int) -> None:
        """The request is at the device, if one is reached; its answer comes after its reply delay."""
        device = self._server() if self.link else None
        answer = device.answer(octets) if device else None
        if device is None or answer is None:
            return
        took = device.reply_ms + transaction(asked.settings, 0).response_ms
        self.clock.at(self.clock.now_ns + int(took * NS_A_MS), lambda: self._answered(answer, asked, request, number))

    def _answered(self, octets: bytes, asked: Asked, request: Request, number: int) -> None:
        # An answer that comes after the time-out, or over a cable pulled meanwhile, is no answer.
        if self._server() is None or not self.link:
            return
        self.wire.carried(self.link, octets, to_device=False)
        if self.current != number:
            return
        asked.live.response = octets
        try:
            data = decode_response(request, Frame.decode(octets).pdu)
        except ModbusError as error:
            self._failed(asked, f"exception {error.code:02X}: {explain(error.code)}", error.code)
            return
        asked.take(data, self.memory, self.clock.now_ns)
        self._done(asked)

    def _silent(self, asked: Asked, number: int) -> None:
        if self.current == number:
            asked.live.response = b""
            if self._server() is None:
                # Nothing comes over this connection any more: the next request opens another one.
                self._hang_up()
            self._failed(asked, f"no answer within {shown(asked.settings.timeout_ms)} ms", SILENT)

    def _failed(self, asked: Asked, text: str, code: int) -> None:
        asked.live.failures += 1
        asked.fail(text, self.memory, code)
        self._done(asked)

    def _done(self, asked: Asked) -> None:
        self.current = None
        if asked.follower:
            self.queue.put(asked.follower, asked.due_ns)
        self._next()


@dataclass(slots=True)
class TcpServer:
    """A server reached over TCP: frames in, frames out."""

    server: RegisterServer

    @property
    def reply_ms(self) -> float:
        """How long it thinks."""
        return self.server.reply_ms

    def answer(self, octets: bytes) -> bytes | None:
        """The octets that answer a frame; None for what is no frame."""
        try:
            frame = Frame.decode(octets)
        except ModbusError:
            return None
        return Frame(frame.transaction, frame.unit, self.server.answer_unit(frame.pdu)).encode()
