"""Modbus TCP on the bench: the client in the controller, with real octets."""

from __future__ import annotations

from dataclasses import dataclass, field

from highmoor.core.networks.alive import Clock, Memory
from highmoor.core.networks.line import BenchLine
from highmoor.core.networks.media import NS_AN_OCTET, Host, TcpEnd, tcp_octets
from highmoor.core.networks.modbus.asked import NS_A_MS, Asked, Queue
from highmoor.core.networks.modbus.explain import SILENT, explain
from highmoor.core.networks.modbus.pdu import (
    ModbusError,
    Request,
    decode_response,
    encode_request,
)
from highmoor.core.networks.modbus_tcp.frame import Frame
from highmoor.core.networks.modbus_tcp.settings import ConnectionSettings
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Network


def go_live(clock: Clock, memory: Memory, host: Host, _: Network, lines: list[BenchLine]) -> None:
    """Start a client for each connection; they go on for as long as the clock runs."""
    for line in lines:
        client = _Client(clock, memory, host, line)
        Asked.begin(clock, memory, Asked.all_of(line), client.due)
        memory.at_stop.append(client.stop)


@dataclass(slots=True)
class _Client:
    """Asks one server, one transaction after the other, in the order in which they fell due."""

    clock: Clock
    memory: Memory
    host: Host
    bench_line: BenchLine
    queue: Queue = field(default_factory=Queue)
    current: int | None = None
    transactions: int = 0
    end: TcpEnd | None = None
    _asked: tuple[Asked, Request] | None = None

    def stop(self) -> None:
        """The controller stops: its TCP connection is closed."""
        self.current = -1
        self._hang_up()

    def _hang_up(self) -> None:
        end, self.end = self.end, None
        if end:
            end.close()

    def _connected(self) -> TcpEnd | None:
        if self.end is None:
            port = ConnectionSettings.of(self.bench_line.line.connection).port
            self.end = self.host.connect(self.bench_line.line.station.address, port)
            if self.end:
                self.end.on(self._heard, self._hang_up)
        return self.end

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
        self._asked = asked, request
        end = self._connected()
        # Nothing goes out where no connection stands.
        asked.live.request = octets if end else b""
        asked.live.transactions += 1
        if end:
            end.send(octets)
        if asked.settings.timeout_ms > 0:
            # From the moment when the request would be there.
            give_up = self.clock.now_ns + NS_AN_OCTET * tcp_octets(len(octets))
            give_up += int(asked.settings.timeout_ms * NS_A_MS)
            self.clock.at(give_up, lambda: self._silent(asked, number), priority=1)

    def _heard(self, octets: bytes) -> None:
        """An answer; one that comes after the time-out is none."""
        try:
            frame = Frame.decode(octets)
        except ModbusError:
            return
        if self._asked is None or frame.transaction != self.current:
            return
        asked, request = self._asked
        asked.live.response = octets
        try:
            data = decode_response(request, frame.pdu)
        except ModbusError as error:
            self._failed(asked, f"exception {error.code:02X}: {explain(error.code)}", error.code)
            return
        asked.take(data, self.memory, self.clock.now_ns)
        self._done(asked)

    def _silent(self, asked: Asked, number: int) -> None:
        if self.current == number:
            asked.live.response = b""
            if self.end and not self.end.whole:
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
