"""How a drive finds home: the methods of its profile, and the way it goes by each through the switches there are."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from math import ceil, floor, inf
from typing import Literal

from highmoor.core.motion.path import Ramp

Switch = Literal["minus", "plus", "home", ""]
SWITCHES: tuple[Switch, ...] = ("minus", "plus", "home")
Interval = tuple[float, float]


@dataclass(frozen=True, slots=True)
class HomingMethod:
    """A homing method (IEC 61800-7-201, homing mode): home is the `edge` of a switch where that changes, or the first
    index pulse on its `side` of that; without a switch it is the first index that way, or right here.

    `begins` is which way it sets out where the home switch is not held.
    """

    number: int
    switch: Switch
    edge: Literal["lower", "upper", ""]
    side: int
    index: bool
    begins: int = 0

    @property
    def label(self) -> str:
        """What becomes home, said plainly."""
        sign = "+" if self.side > 0 else "−"
        if not self.switch:
            return f"first index in {sign}" if self.index else "here"
        name = "home switch" if self.switch == "home" else f"limit switch {'+' if self.switch == 'plus' else '−'}"
        where = f"{self.edge} edge of the home switch" if self.switch == "home" else f"edge of the {name}"
        found = f"first index {'above' if self.side > 0 else 'below'} the {where}" if self.index else where
        if not self.begins:
            return found
        return f"{found}, sets out in {'+' if self.begins > 0 else '−'}"


def _methods() -> Iterator[HomingMethod]:
    # Index left (−) or right (+) of the lower or the upper edge of a home switch, in the order of the standard.
    middle: tuple[tuple[Literal["lower", "upper"], int], ...] = (
        ("lower", -1), ("lower", 1), ("upper", -1), ("upper", 1),
        ("upper", 1), ("upper", -1), ("lower", 1), ("lower", -1),
    )  # fmt: skip
    for first, index in ((1, True), (17, False)):
        yield HomingMethod(first, "minus", "upper", 1, index)
        yield HomingMethod(first + 1, "plus", "lower", -1, index)
        # A home switch held from its edge to the upper end, then one held from the lower end to its edge.
        yield HomingMethod(first + 2, "home", "lower", -1, index, 1)
        yield HomingMethod(first + 3, "home", "lower", 1, index, 1)
        yield HomingMethod(first + 4, "home", "upper", 1, index, -1)
        yield HomingMethod(first + 5, "home", "upper", -1, index, -1)
        for n, (edge, side) in enumerate(middle):
            yield HomingMethod(first + 6 + n, "home", edge, side, index, 1 if n < 4 else -1)
    yield HomingMethod(33, "", "", -1, index=True)
    yield HomingMethod(34, "", "", 1, index=True)
    yield HomingMethod(37, "", "", 0, index=False)


METHODS: dict[int, HomingMethod] = {method.number: method for method in _methods()}


@dataclass(frozen=True, slots=True)
class Event:
    """Something an axis passed: a switch changed, or an index pulse came, where, and going which way."""

    at: float
    way: int
    switch: Switch
    held: bool = False


@dataclass(frozen=True, slots=True)
class Ground:
    """The switches and index pulses along an axis, in its unit: where each switch is held, where one index pulse is and
    how far it is to the next (0 for an encoder that has none)."""

    minus: Interval | None = None
    plus: Interval | None = None
    home: Interval | None = None
    index: float = 0.0
    turn: float = 0.0

    def held(self, switch: Switch, at: float) -> bool:
        """Whether a switch is held there."""
        where = self._interval(switch)
        return where is not None and where[0] <= at <= where[1]

    def _interval(self, switch: Switch) -> Interval | None:
        return self.minus if switch == "minus" else self.plus if switch == "plus" else self.home

    def passed(self, before: float, now: float) -> list[Event]:
        """What was passed on the way from one place to another, in the order it came."""
        if before == now:
            return []
        way = 1 if now > before else -1
        found = [event for switch in SWITCHES for event in self._edges(switch, before, now, way)]
        found += [Event(at, way, "") for at in self._indexes(before, now, way)]
        return sorted(found, key=lambda event: event.at * way)

    def _edges(self, switch: Switch, before: float, now: float, way: int) -> Iterator[Event]:
        where = self._interval(switch)
        if where is None:
            return
        low, high = min(before, now), max(before, now)
        for at, held in ((where[0], way > 0), (where[1], way < 0)):
            # It counts as held on its edge: it changes on coming to it, and on leaving it.
            if (low < at <= high) if (at == where[0]) else (low <= at < high):
                yield Event(at, way, switch, held)

    def edge_ahead(self, at: float, way: int) -> float | None:
        """How far it is to the next edge of a switch; None where there is none."""
        edges = [edge for switch in SWITCHES if (where := self._interval(switch)) for edge in where]
        return min(((edge - at) * way for edge in edges if (edge - at) * way >= 0 and abs(edge) != inf), default=None)

    def _indexes(self, before: float, now: float, way: int) -> Iterator[float]:
        if not self.turn:
            return
        first = floor((before - self.index) / self.turn) + 1 if way > 0 else ceil((before - self.index) / self.turn) - 1
        at = self.index + first * self.turn
        while (now - at) * way >= 0:
            yield at
            at += way * self.turn


Phase = Literal["seek", "brake", "back", "latch", "index", "stop", "done", "failed"]


@dataclass(slots=True)
class HomeSearch:
    """A drive on its way home. `wanted` is where it wants to be, in the axis's unit; `fast` seeks the switch, `slow`
    its edge and the index, in the unit a s; `rate` in that a s².

    It goes over the edge a last time slowly and from standing still, whichever way it came, and takes the encoder's
    count there; so play and the switch's delay are always on the same side.
    """

    method: HomingMethod
    fast: float
    slow: float
    rate: float
    wanted: Ramp
    # So far before an edge it is safely not at it.
    least: float = 0.0
    held: dict[Switch, bool] = field(default_factory=dict)
    phase: Phase = "seek"
    # Where home was found, None until it is.
    found: float | None = None
    _way: int = 0
    _turns: int = 0
    _edge: float = 0.0

    def __post_init__(self) -> None:
        method = self.method
        if method.switch:
            self._way = self._outset()
        elif method.index:
            self.phase = "index"
        else:
            self.found, self.phase = self.wanted.at, "done"

    def _outset(self) -> int:
        """Towards the switch; where that is held already, out of it over the edge that is looked for."""
        held = self.held.get(self.method.switch, False)
        outward = 1 if self.method.edge == "upper" else -1
        if held:
            return outward
        way = self.method.begins or -outward
        if self.held.get("plus" if way > 0 else "minus", False):
            self._turns = 1
            return -way
        return way

    @property
    def over(self) -> bool:
        return self.phase in ("done", "failed")

    def step(self, passed: list[Event], shown: float, dt: float) -> None:
        """On by a step of so many s, after what was passed in the last one; `shown` is where the drive is."""
        for event in passed:
            self._take(event)
        if self.phase == "back":
            self._back(shown, dt)
        else:
            self.wanted.at_speed(self._speed(), self.rate, dt)
        if self.wanted.speed == 0 and self.phase in ("brake", "stop"):
            self.phase = "done" if self.phase == "stop" else "back"

    def _speed(self) -> float:
        if self.phase == "seek":
            return self._way * self.fast
        return self.method.side * self.slow if self.phase in ("latch", "index") else 0.0

    def _back(self, shown: float, dt: float) -> None:
        """To before the edge, as far as it takes to be at speed again."""
        side = self.method.side
        ahead = self.slow**2 / (2 * self.rate) + 2 * self.slow * dt + self.least
        behind = self._edge - side * ahead
        if self.wanted.speed or (behind - self.wanted.at) * side < 0:
            self.wanted.towards(behind, self.fast, self.rate, dt)
        if self.wanted.speed == 0 and (self._edge - shown) * side >= ahead / 2:
            self.phase = "latch"

    def _take(self, event: Event) -> None:
        if event.switch:
            self.held[event.switch] = event.held
        if self._is_edge(event):
            if self.phase == "seek":
                self._edge, self.phase = event.at, "brake"
            elif self.phase == "latch" and event.way == self.method.side:
                self.phase = "index"
                if not self.method.index:
                    self._home(event.at)
        elif event.switch == "" and self.phase == "index":
            self._home(event.at)
        elif event.switch in ("minus", "plus") and event.held:
            self._reached(event)

    def _is_edge(self, event: Event) -> bool:
        """Whether it is the edge that is looked for, whichever way it is passed."""
        if not event.switch or event.switch != self.method.switch:
            return False
        return event.held == ((event.way > 0) == (self.method.edge == "lower"))

    def _home(self, at: float) -> None:
        self.found, self.phase = at, "stop"

    def _reached(self, event: Event) -> None:
        """A limit on the way: back the other way, once; what is not between both limits is not there."""
        if event.way != (1 if event.switch == "plus" else -1):
            return
        if self.phase == "seek" and self._turns == 0:
            self._way, self._turns = -event.way, 1
        elif self.phase in ("seek", "latch", "index"):
            self.phase = "failed"
