"""CIP's position controller on both ends: one message at a time, each loaded and seen, and a drive that goes by itself
to what was loaded last."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.bench.axes.hands import Does, Read, Wish, Written
from highmoor.core.bench.axes.powered import LINK_LOST, Powered

# CIP volume 1, position controller device: command message types, and those of responses.
_TARGET, _VELOCITY, _ACCELERATION, _DECELERATION = 1, 2, 3, 4
_POSITION_IS, _COMMANDED_IS, _VELOCITY_IS = 1, 2, 3
# Which axis a message is for stands in its three highest bits, counted from 1.
_AXIS_1, _TYPE = 1 << 5, 0x1F


class CipPositionHand:
    """What bounds a move is loaded first, message by message; the target begins it."""

    streams = False
    does: frozenset[Does] = frozenset(("move",))

    def __init__(self) -> None:
        # Which message is being loaded, and whether the drive is told to take it.
        self._at = 0
        self._load = False

    def seen(self, read: Read) -> tuple[bool, str]:
        fault = bool(read("fault"))
        return bool(read("enabled")) and not fault, "the drive is in fault" if fault else ""

    def limited(self, read: Read) -> bool:
        return bool(read("limit_plus") or read("limit_minus"))

    def acknowledged(self, read: Read) -> bool:
        return self._at == len(_LOADED)

    def homed(self, read: Read) -> bool | None:
        return None

    def words(self, wish: Wish, read: Read) -> Written:
        self._go_on(begins=wish.start and wish.state == "moving", loaded=bool(read("loaded")))
        kind = _LOADED[min(self._at, len(_LOADED) - 1)]
        yield "says", _AXIS_1 | kind
        yield "asks", _AXIS_1 | _POSITION_IS
        yield "target", dict(_values(wish))[kind]
        yield "load", self._load
        yield "stop", wish.state == "stopping"
        # A fault goes with the next enable.
        yield "enable", wish.on and not wish.resetting

    def _go_on(self, *, begins: bool, loaded: bool) -> None:
        """Load a message until it is seen, take that away until it is gone again, and then the next one."""
        if not begins:
            self._at, self._load = 0, False
        elif self._load and loaded:
            self._load, self._at = False, self._at + 1
        elif not self._load and not loaded and self._at < len(_LOADED):
            self._load = True


_LOADED = (_ACCELERATION, _DECELERATION, _VELOCITY, _TARGET)


def _values(wish: Wish) -> Iterator[tuple[int, float]]:
    counts = abs(wish.counts)
    yield _ACCELERATION, wish.rate * counts
    yield _DECELERATION, wish.rate * counts
    yield _VELOCITY, wish.speed * counts
    yield _TARGET, wish.goal * wish.counts


@dataclass(slots=True)
class CipPositionDrive(Powered):
    """A drive of it: a rising load bit takes the message; a target of it is gone to. An enable that goes takes a fault
    along."""

    _on: bool = False
    _load: int = 0
    _loaded: bool = False
    _going: bool = False
    _to: float = 0.0
    _speed: float = 0.0
    _rate: float = 0.0
    _slower: float = 0.0

    def __post_init__(self) -> None:
        Powered.__post_init__(self)
        self._to = self.wanted.at

    @property
    def powered(self) -> bool:
        return self._on

    def step(self, dt: float, now_s: float, *, alive: bool) -> None:
        taken, before = self.words.look(), self.machine.position
        enable, load = self.words.get("enable"), self.words.get("load")
        if not alive and self._on:
            self.fault = LINK_LOST
        if not enable:
            self.fault = 0
        self._on = bool(enable) and not self.fault
        if load and not self._load:
            self._take()
        self._loaded = self._loaded and bool(load)
        self._load = load
        if self._on:
            self._go(dt)
            self.hold(dt)
        else:
            self._going = False
            self.release(dt)
            self._to = self.shown
        self._tell()
        self._settle(taken, before)

    def _take(self) -> None:
        """The message that is there now; one of a kind it does not know is not taken."""
        kind, value = self.words.get("says") & _TYPE, self.words.get("target")
        counts = self.facts.counts
        if kind == _TARGET:
            self._to = self.wanted.at + value / counts if self.words.get("relative") else value / counts
            self._going = self._on
        elif kind == _VELOCITY:
            self._speed = abs(value / counts)
        elif kind == _ACCELERATION:
            self._rate = abs(value / counts)
        elif kind == _DECELERATION:
            self._slower = abs(value / counts)
        self._loaded = kind in _LOADED

    def _go(self, dt: float) -> None:
        most, least = self.facts.speed, self.facts.rate
        if self.words.get("hard_stop"):
            self._going = False
            self.wanted.at_speed(0.0, self.facts.quick, dt)
        elif self.words.get("stop") or self.stopped_by_limit(self._to - self.wanted.at if self._going else 0.0):
            self._going = False
            self.wanted.at_speed(0.0, min(self._slower or least, least), dt)
        elif self._going:
            rate = min(self._rate or least, self._slower or least, least)
            self.wanted.towards(self._to, min(self._speed or most, most), rate, dt)
            self._going = self.wanted.at != self._to
        else:
            self.wanted.at_speed(0.0, least, dt)

    def _tell(self) -> None:
        put, counts = self.words.put, self.facts.counts
        put("in_progress", self._going or self.wanted.speed != 0)
        put("in_position", self._on and not self._going and abs(self.shown - self._to) <= self.facts.window)
        put("fault", self.fault != 0)
        put("enabled", self._on)
        put("loaded", self._loaded)
        put("limit_plus", self.machine.switch("plus"))
        put("limit_minus", self.machine.switch("minus"))
        asked = self.words.get("asks")
        answers = {
            _POSITION_IS: self.shown * counts, _COMMANDED_IS: self.wanted.at * counts,
            _VELOCITY_IS: self.shown_speed * counts,
        }  # fmt: skip
        put("answers", asked)
        put("position", answers.get(asked & _TYPE, 0.0))
        self.words.tell()
