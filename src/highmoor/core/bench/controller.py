"""A simulated controller: its image, its rails, its tasks, and the signals decoded on demand."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import count
from struct import Struct
from typing import Literal, Protocol

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.rail import NS_A_MS, SimulatedRail
from highmoor.core.catalogue.types import AnalogueRange
from highmoor.core.datatypes import DataType, codec, decode, encode
from highmoor.core.numbers import exact, round_half_away
from highmoor.core.signals.beside import CODE, FAILURES, LENGTH, RUNNING, START, STATE, STATUS, Beside
from highmoor.core.signals.scaling import Scaling

Value = float | int | bool


@dataclass(frozen=True, slots=True)
class SignalCode:
    """A signal compiled: where its bits lie, how they are read, which task refreshes it."""

    id: str
    raw: DataType
    declared: DataType
    area: Literal["in", "out", ""]
    octet: int
    bit: int
    order: str
    scaling: Scaling | None
    task: str
    holder: str
    # How many bits a field has that shares its octets with others, from `bit` on; 0 for whole octets.
    width: int = 0
    # Between what the value must lie, in its own unit, so that the place can hold it; None where nothing bounds it.
    least: float | None = None
    most: float | None = None
    terminal: str = ""
    channel: AnalogueRange | None = None
    # Whether its loop is watched for a break.
    supervised: bool = False
    # What it has until the program writes it.
    initial: Value = 0
    # What its number means in words, where it is a code.
    words: Callable[[int], str] | None = None
    # Whether the field's lowest bit is in the last of its octets.
    high: bool = False
    # What reads and writes whole octets in place, with the least and the most that they hold; None for all else.
    whole: tuple[Struct, int, int] | None = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        own = None if self.width else codec(self.raw, self.order)
        low, high = self.raw.low, self.raw.high
        whole = None if own is None or low is None or high is None else (own, low, high)
        object.__setattr__(self, "whole", whole)

    @property
    def place(self) -> tuple[str, int, int]:
        """One of the places of its signal."""
        return self.id, self.octet, self.bit

    def read(self, image: bytes | bytearray) -> Value:
        """The value that the bits in the image stand for."""
        value: float | int
        if self.whole:
            (value,) = self.whole[0].unpack_from(image, self.octet)
        elif self.raw.bits == 1:
            return bool(image[self.octet] >> self.bit & 1)
        elif self.width:
            value = self._field(image)
        else:
            value = decode(bytes(image[self.octet : self.octet + self.raw.bits // 8]), self.raw, self.order)
        return self.scaling.value(value) if self.scaling else value

    def write(self, image: bytearray, value: Value) -> None:
        """Put a value's bits into the image."""
        if self.raw.bits == 1:
            mask = 1 << self.bit
            image[self.octet] = image[self.octet] | mask if value else image[self.octet] & ~mask
            return
        # Whole numbers stay whole: of 64 bits a double holds only 53.
        number: float = value
        if self.scaling:
            number = self.scaling.raw(number)
        elif self.raw.family != "real" and not isinstance(number, int):
            number = round_half_away(exact(number))
        if self.whole:
            own, low, high = self.whole
            own.pack_into(image, self.octet, min(max(int(number), low), high))
            return
        if self.width:
            self._put_field(image, number)
            return
        image[self.octet : self.octet + self.raw.bits // 8] = encode(number, self.raw, self.order)

    @property
    def _first(self) -> Literal["little", "big"]:
        return "big" if self.high else "little"

    def _span(self) -> slice:
        return slice(self.octet, self.octet + (self.bit + self.width + 7) // 8)

    def _field(self, image: bytes | bytearray) -> float | int:
        """A field counted from the lowest bit of its first octet (CIP volume 1, C-6: low octet first), or its last."""
        bits = int.from_bytes(image[self._span()], self._first) >> self.bit & (1 << self.width) - 1
        if self.raw.family == "real":
            return decode((bits & (1 << self.raw.bits) - 1).to_bytes(self.raw.bits // 8, "big"), self.raw, "ABCD")
        return bits - (1 << self.width) if self.raw.family == "signed" and bits >> self.width - 1 else bits

    def _put_field(self, image: bytearray, number: float) -> None:
        mask = (1 << self.width) - 1
        if self.raw.family == "real":
            bits = int.from_bytes(encode(number, self.raw, "ABCD"), "big")
        else:
            signed = self.raw.family == "signed"
            low, high = (-(mask + 1) // 2, mask // 2) if signed else (0, mask)
            bits = min(max(int(number), low), high) & mask
        span = self._span()
        there = int.from_bytes(image[span], self._first) & ~(mask << self.bit)
        image[span] = (there | bits << self.bit).to_bytes(span.stop - span.start, self._first)


# A place that a task writes, what stands there compiled, and where its signal has its value from.
Output = tuple[tuple[str, int, int], SignalCode, SignalCode]


class ProgramRun(Protocol):
    """A program that a task runs."""

    def run(self, controller: SimulatedController) -> bool:
        """Once; False where it could not go on."""


@dataclass(slots=True)
class SimulatedController:
    """One controller going on in virtual time."""

    id: str
    clock: VirtualClock
    image_in: bytearray
    image_out: bytearray
    rail: SimulatedRail
    # Where what belongs to an exchange beside its data lies: octet and bit by `EXCHANGE.key`.
    beside: Mapping[str, tuple[int, int]]
    # Where each stretch of the images begins and how many octets it has, by `HOLDER.AREA`.
    stretches: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    signals: dict[str, SignalCode] = field(default_factory=dict)
    # The further places that signals are written to.
    copies: list[SignalCode] = field(default_factory=list)
    # What each task saw of the input area when it last ran.
    seen: dict[str, bytes] = field(default_factory=dict)
    program: dict[str, Value] = field(default_factory=dict)
    forces: dict[str, Value] = field(default_factory=dict)
    at_stop: list[Callable[[], None]] = field(default_factory=list)
    # Called when a program could not go on and what was open has ended.
    at_fault: list[Callable[[], None]] = field(default_factory=list)
    # What came last of each exchange.
    codes: dict[str, int] = field(default_factory=dict)
    # How often each exchange stopped being good.
    failures: dict[str, int] = field(default_factory=dict)
    # What each task runs, in order.
    programs: dict[str, list[ProgramRun]] = field(default_factory=dict)
    # Whether a program could not go on: then no task runs any more.
    stopped: bool = False
    _numbers: Iterator[int] = field(default_factory=lambda: count(1))
    # The same, by exchange and key.
    _places: dict[str, dict[str, tuple[int, int]]] = field(default_factory=dict)
    # The signals that each task writes and that were put or forced since it last ran, in that order, and the same by
    # signal.
    _touched: dict[str, dict[str, None]] = field(default_factory=dict)
    _touches: dict[str, list[dict[str, None]]] = field(default_factory=dict)
    # What stands at each place that a task writes, by signal, octet and bit.
    _written: dict[tuple[str, int, int], Value] = field(default_factory=dict)
    # What each task writes by signal, and which of these are read in one place and handed on to others.
    _outputs: dict[str, dict[str, list[Output]]] = field(default_factory=dict)
    _handed: dict[str, list[str]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for name, place in self.beside.items():
            exchange, _, key = name.partition(".")
            self._places.setdefault(exchange, {})[key] = place

    def start(self, tasks: Mapping[str, float]) -> None:
        """Begin all tasks (period in ms by id)."""
        for task, period_ms in tasks.items():
            self.seen[task] = bytes(self.image_in)
            outputs: dict[str, list[Output]] = {}
            for code in (*self.signals.values(), *self.copies):
                if code.area == "out" and code.task == task:
                    outputs.setdefault(code.id, []).append((code.place, code, self.signals[code.id]))
            self._outputs[task], self._touched[task] = outputs, dict.fromkeys(outputs)
            self._handed[task] = [signal for signal in outputs if self.signals[signal].area == "in"]
            for signal in outputs:
                self._touches.setdefault(signal, []).append(self._touched[task])
            self.clock.every(max(int(period_ms * NS_A_MS), NS_A_MS // 4), lambda t=task: self._run(t), priority=2)  # type: ignore[misc]

    def _run(self, task: str) -> None:
        """One run of a task: the input area is latched, what the programs decide goes into the output area."""
        if self.stopped:
            return
        before, seen = self.seen[task], bytes(self.image_in)
        self.seen[task] = seen
        for program in self.programs.get(task, ()):
            if not program.run(self):
                self._stop_at_once()
                return
        touched = self._touched[task]
        if seen != before:
            touched.update(dict.fromkeys(self._handed[task]))
        for signal in touched:
            for output in self._outputs[task][signal]:
                self._put_out(output, seen)
        touched.clear()

    def _put_out(self, output: Output, seen: bytes) -> None:
        place, code, source = output
        value = self.forces.get(code.id) if self.forces else None
        if value is None:
            # What is read in one place is handed on to the others.
            value = source.read(seen) if source.area == "in" else self.program.get(code.id, code.initial)
        # Only tasks write here, so what is the same as last time stands there already.
        if self._written.get(place) != value:
            self._written[place] = value
            code.write(self.image_out, value)

    def _stop_at_once(self) -> None:
        """A program could not go on: nothing is written any more, outputs do what their modules are set to."""
        self.stopped = True
        self.rail.let_go()
        # Whoever waits for the end of something open may still be in the midst of it.
        self.clock.at(self.clock.now_ns, self._end)

    def _end(self) -> None:
        self.stop()
        for action in self.at_fault:
            action()

    def value_for_program(self, code: SignalCode) -> Value:
        """What a signal is to the program: what is forced, what its task saw of it, or what was last written."""
        if self.forces and code.id in self.forces:
            return self.forces[code.id]
        if code.area == "in":
            return code.read(self.seen.get(code.task, self.image_in))
        return self.program.get(code.id, code.initial)

    def put(self, signal: str, value: Value) -> None:
        """What the program decides, from the tasks' next runs on."""
        self.program[signal] = value
        self._touch(signal)

    def force(self, signal: str, value: Value | None) -> None:
        """A value against whatever the program decides; None to let it go again."""
        if value is None:
            self.forces.pop(signal, None)
        else:
            self.forces[signal] = value
        self._touch(signal)

    def _touch(self, signal: str) -> None:
        for touched in self._touches.get(signal, ()):
            touched[signal] = None

    def fresh(self) -> int:
        """A number that this controller has not used yet."""
        return next(self._numbers)

    def stop(self) -> None:
        """Stop: whoever has something open ends it."""
        actions, self.at_stop = self.at_stop, []
        for action in actions:
            action()

    def set_code(self, exchange: str, code: int) -> None:
        """What came of an exchange: 0 is good, and sets its status bit."""
        if self.codes.get(exchange) == code:
            return
        if code and self.codes.get(exchange) == 0:
            self.failures[exchange] = self.failures.get(exchange, 0) + 1
            self._tell(exchange, FAILURES, self.failures[exchange])
        self.codes[exchange] = code
        self._tell(exchange, STATUS, not code)
        self._tell(exchange, CODE, code)

    def set_running(self, exchange: str, running: bool) -> None:
        """Whether it has been asked and not been answered yet."""
        self._tell(exchange, RUNNING, running)

    def set_length(self, exchange: str, octets: int) -> None:
        """How many octets of data it carried the last time, 0 for a failure."""
        self._tell(exchange, LENGTH, octets)

    def set_state(self, exchange: str, state: int) -> None:
        """The state of its device, by its fieldbus's numbers."""
        self._tell(exchange, STATE, state)

    def _place(self, exchange: str, beside: Beside) -> tuple[int, int] | None:
        places = self._places.get(exchange)
        return places.get(beside.key) if places else None

    def _tell(self, exchange: str, beside: Beside, value: int) -> None:
        """Nothing happens where no signal asks for it, so that it has no place."""
        place = self._place(exchange, beside)
        if place is None:
            return
        octet, bit = place
        if beside.bits == 1:
            mask = 1 << bit
            self.image_in[octet] = self.image_in[octet] | mask if value else self.image_in[octet] & ~mask
        else:
            octets = beside.bits // 8
            self.image_in[octet : octet + octets] = (value & (1 << beside.bits) - 1).to_bytes(octets, "big")

    def started(self, exchange: str) -> bool:
        """An exchange's start bit, as the program last wrote it."""
        place = self._place(exchange, START)
        return place is not None and bool(self.image_out[place[0]] >> place[1] & 1)

    def value(self, code: SignalCode) -> Value:
        """A signal's value as the program has it now."""
        if code.id in self.forces:
            return self.forces[code.id]
        if code.area == "in":
            return code.read(self.seen.get(code.task, self.image_in))
        if code.area == "out" and code.place in self._written:
            # What stands in the image is what leaves: rounded to its counts, held within its ends.
            return code.read(self.image_out)
        return self.program.get(code.id, code.initial)

    def octets(self, holder: str, area: str) -> bytes:
        """What stands in the image for a holder now, as tasks read it and as it leaves; nothing where it has none."""
        offset, octets = self.stretches.get(f"{holder}.{area}", (0, 0))
        return bytes((self.image_in if area == "in" else self.image_out)[offset : offset + octets])

    def status_good(self, exchange: str) -> bool:
        """What an exchange's status bit says."""
        place = self._place(exchange, STATUS)
        return place is None or bool(self.image_in[place[0]] >> place[1] & 1)
