"""A serial Modbus line on the bench: the master in the controller, with real octets and every end's own settings."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field

from highmoor.core.networks.alive import Clock, Memory
from highmoor.core.networks.line import BenchLine
from highmoor.core.networks.media import Heard, LineEnd
from highmoor.core.networks.modbus.asked import NS_A_MS, Asked, Queue
from highmoor.core.networks.modbus.explain import DAMAGED, SILENT, explain
from highmoor.core.networks.modbus.pdu import ModbusError, Request, decode_response, encode_request
from highmoor.core.networks.modbus.settings import unit_of
from highmoor.core.networks.modbus_rtu.frame import SerialFrame
from highmoor.core.networks.modbus_rtu.settings import LineSettings, line_settings, port_terminated, turnaround_ms
from highmoor.core.networks.modbus_rtu.timing import silence_ms
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Network


@dataclass(slots=True)
class Guest:
    """A question that is not the program's: its octets with which settings, how long it waits.

    `heard` takes what comes and says whether that is the answer; `over` is called once, whatever came.
    """

    octets: bytes
    on: LineSettings
    timeout_ms: float
    heard: Callable[[Heard], bool]
    over: Callable[[], None]


def go_live(clock: Clock, memory: Memory, end: LineEnd, network: Network, lines: list[BenchLine]) -> Master:
    """Start the master of one line; it goes on until its controller stops."""
    on = line_settings(network)
    rest = max(float(silence_ms(on)), turnaround_ms(network))
    master = Master(clock, memory, end, on, rest)
    end.terminated = port_terminated(network)
    end.on(master.heard)
    chain = [asked for line in lines for asked in Asked.all_of(line)]
    Asked.begin(clock, memory, chain, master.due)
    memory.at_stop.append(master.stop)
    return master


def _station(asked: Asked) -> int:
    return unit_of(asked.line.line.station, asked.line.line.connection)


@dataclass(slots=True)
class Master:
    """Asks one request after the other over the whole line, in the order in which they fell due."""

    clock: Clock
    memory: Memory
    end: LineEnd
    on: LineSettings
    rest_ms: float
    queue: Queue = field(default_factory=Queue)
    current: int | None = None
    number: int = 0
    guests: deque[Guest] = field(default_factory=deque)
    _guests_turn: bool = False
    _guest: Guest | None = None
    _asked: tuple[Asked, Request] | None = None
    _stopped: bool = False
    silent_ns: int = field(init=False)

    def __post_init__(self) -> None:
        self.silent_ns = int(silence_ms(self.on) * NS_A_MS)

    def stop(self) -> None:
        """The controller stops: nothing more is asked for its program."""
        self._stopped = True
        self.queue = Queue()

    def due(self, asked: Asked, since_ns: int) -> None:
        """A request's time has come."""
        if self._stopped:
            return
        self.queue.put(asked, since_ns)
        self._next()

    def ask_between(self, guest: Guest) -> None:
        """Ask a guest's question when the line is free, in turn with the program's own."""
        self.guests.append(guest)
        self._next()

    def _next(self) -> None:
        if self.current is not None:
            return
        asked = None if self.guests and self._guests_turn else self.queue.take()
        if asked is not None:
            self._guests_turn = True
            asked.begun(self.memory, self.clock.now_ns)
            self._ask(asked)
        elif self.guests:
            self._guests_turn = False
            self._ask_guest(self.guests.popleft())

    def _ask_guest(self, guest: Guest) -> None:
        self.number += 1
        self.current = number = self.number
        self._guest, self._asked = guest, None
        sent = self.end.transmit(guest.octets, guest.on)
        give_up = sent + int(guest.timeout_ms * NS_A_MS)
        self.clock.at(give_up, lambda: self._guest_over(number), priority=1)

    def _guest_over(self, number: int) -> None:
        guest = self._guest
        if self.current != number or guest is None:
            return
        self._guest = None
        self._rest(number)
        guest.over()

    def _ask(self, asked: Asked) -> None:
        asked.attempts += 1
        self.number += 1
        self.current = number = self.number
        request = asked.request(self.memory)
        octets = SerialFrame(_station(asked), encode_request(request)).encode(self.on.mode)
        live = asked.live
        live.request = octets
        live.transactions += 1
        self._asked = asked, request
        sent = self.end.transmit(octets, self.on)
        if _station(asked) == 0:
            self.clock.at(sent + int(self.rest_ms * NS_A_MS), lambda: self._good(asked, b"", number))
        else:
            # 0 would wait for ever; the line would stand still, and it does.
            if asked.settings.timeout_ms > 0:
                give_up = sent + int(asked.settings.timeout_ms * NS_A_MS)
                self.clock.at(give_up, lambda: self._silent(asked, number), priority=1)

    def heard(self, heard: Heard) -> None:
        """A frame on the line. One from a station that was not asked changes nothing (2.4.1)."""
        number = self.current
        if number is not None and self._guest:
            if self._guest.heard(heard):
                self._guest_over(number)
            return
        if number is None or self._asked is None or _station(self._asked[0]) == 0:
            return
        asked, request = self._asked
        asked.live.response = heard.octets
        try:
            frame = SerialFrame.decode(heard.octets, self.on.mode)
        except ModbusError as error:
            self._failed(asked, f"{error}" + (f": {heard.told}" if heard.told else ""), number, DAMAGED)
            return
        if frame.station != _station(asked):
            return
        try:
            data = decode_response(request, frame.pdu)
        except ModbusError as error:
            # An exception is an answer: asking again would bring the same.
            asked.attempts = asked.settings.retries + 1
            self._failed(asked, f"exception {error.code:02X}: {explain(error.code)}", number, error.code)
            return
        self._good(asked, data, number)

    def _good(self, asked: Asked, data: bytes, number: int) -> None:
        if self.current != number:
            return
        asked.take(data, self.memory, self.clock.now_ns)
        if _station(asked) == 0:
            # The rest after a broadcast was the silence behind it.
            asked.live.text = "sent to everybody"
            self._over(number, None, asked)
        else:
            self._rest(number, over=asked)

    def _silent(self, asked: Asked, number: int) -> None:
        if self.current == number:
            asked.line.live[asked.exchange.id].response = b""
            self._failed(asked, f"no answer within {shown(asked.settings.timeout_ms)} ms", number, SILENT)

    def _failed(self, asked: Asked, text: str, number: int, code: int) -> None:
        asked.live.failures += 1
        if asked.attempts <= asked.settings.retries:
            self._rest(number, again=asked)
            return
        tries = f", asked {asked.attempts} times" if asked.attempts > 1 else ""
        asked.fail(text + tries, self.memory, code)
        self._rest(number, over=asked)

    def _rest(self, number: int, again: Asked | None = None, over: Asked | None = None) -> None:
        """The silence behind a frame, then the next request, or the same once more; what is `over` has its follower."""
        self.clock.at(self.clock.now_ns + self.silent_ns, lambda: self._over(number, again, over))

    def _over(self, number: int, again: Asked | None, over: Asked | None) -> None:
        if self.current != number:
            return
        self.current = None
        if self._stopped:
            again = over = None
        if again:
            self._ask(again)
            return
        if over and over.follower:
            self.queue.put(over.follower, over.due_ns)
        self._next()
