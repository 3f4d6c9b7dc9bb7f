"""What all drives share: what is set in them, their position loop, what makes a fault."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from math import floor, inf
from typing import Protocol

from highmoor.core.bench.axes.machine import Machine
from highmoor.core.motion.home_search import Event, HomingMethod
from highmoor.core.motion.path import Ramp


@dataclass(frozen=True, slots=True)
class Facts:
    """What is set in a drive, in the axis's unit and s: counts a unit and the way of a motor turn (both turned round
    where its motor is), gain 1/s, the following error it allows (None: any), in position within, its own highest speed
    and its ramp; counts of a speed of one unit a second; how it finds home, and what it counts there; the ramp of its
    emergency stop; by how much its encoder offset is off; the most torque that its current makes, Nm.
    """

    counts: float
    a_turn: float
    gain: float
    following: float | None
    window: float
    speed: float
    rate: float
    speed_counts: float
    homing: Homing | None = None
    quick_rate: float | None = None
    offset: float = 0.0
    most_nm: float = inf

    @property
    def quick(self) -> float:
        """The ramp of an emergency stop."""
        return self.quick_rate or self.rate


@dataclass(frozen=True, slots=True)
class Homing:
    """How a drive finds home: its method, how quickly it seeks the switch and then its edge, in the unit and s, and
    what it counts there."""

    method: HomingMethod
    fast: float
    slow: float
    position: float


class Words(Protocol):
    """The words of a drive by role, as it has them."""

    def look(self) -> tuple[bytes, ...]:
        """All that has come; `get` tells of it until the next look."""

    def has(self, role: str) -> bool:
        """Whether there is such a word."""

    def get(self, role: str) -> int:
        """A word as it came, 0 where there is none."""

    def put(self, role: str, value: float) -> None:
        """A word to be told."""

    def tell(self) -> None:
        """What was put, on its way."""


class Drive(Protocol):
    """A drive in its steps."""

    fault: int
    facts: Facts

    def step(self, dt: float, now_s: float, *, alive: bool) -> None:
        """On by a step; `alive` is whether its controller still exchanges with it."""

    @property
    def settled(self) -> bool:
        """Whether nothing changes until something else is taken."""

    @property
    def idle(self) -> bool:
        """Whether a further step would change nothing as long as nothing else comes."""

    @property
    def powered(self) -> bool:
        """Whether the motor holds the load."""

    def stop_safely(self) -> None:
        """From outside: a fault, whatever it does."""


# What is told of a fault (CiA 402-2 error codes).
FOLLOWING_ERROR, OVERLOAD, LINK_LOST = 0x8611, 0x2310, 0x8100
# Stopped from outside (CiA 402-2: external error).
SAFELY_STOPPED = 0x9000
_OVERLOAD_S = 0.3
_COUNT = 0.5


@dataclass(slots=True)
class Powered:
    """What all drives share: a position loop that brings the machine to where they want it, and what makes a fault."""

    facts: Facts
    machine: Machine
    words: Words
    # The position at which the drive began to count.
    zero: float
    fault: int = 0
    # What it had taken when its last step changed nothing, None while steps do.
    _settled: tuple[bytes, ...] | None = None
    wanted: Ramp = field(init=False)
    # Whether a limit switch can ever be held.
    _limits: bool = field(init=False)

    def __post_init__(self) -> None:
        self.wanted = Ramp(self.machine.position + self.facts.offset)
        build = self.machine.build
        self._limits = bool(build.ground.minus or build.ground.plus or build.inverted)

    @property
    def shown(self) -> float:
        """The position as the drive has it: what its encoder counts is right only with the chain that is set."""
        return self.zero + self.facts.offset + self.machine.gone * self.ratio

    @property
    def ratio(self) -> float:
        """How far the drive sees its axis go for how far the load does."""
        return self.facts.a_turn / self.machine.build.way

    def as_counted(self, event: Event) -> Event:
        """What the machine passed as the drive has it: at the whole count below, in its own way."""
        ratio = self.ratio
        slack = self.machine.shaft - self.machine.position
        at = self.zero + self.facts.offset + (event.at + slack - self.machine.began) * ratio
        counts = self.facts.counts
        return replace(event, at=floor(at * counts) / counts, way=event.way if ratio > 0 else -event.way)

    @property
    def shown_speed(self) -> float:
        """The speed as the drive has it."""
        return self.machine.speed * self.ratio

    @property
    def _crawl(self) -> float:
        """A speed at which a count takes longer than the loop."""
        return abs(self.facts.gain / self.facts.counts)

    def hold(self, dt: float) -> None:
        """The loop: speed as much as the gain makes of the error."""
        error = self.wanted.at - self.shown
        if not self.wanted.speed and abs(error * self.facts.counts) < _COUNT and abs(self.machine.speed) <= self._crawl:
            # Within a count an encoder sees nothing more.
            self.machine.rest()
            return
        self.machine.drive(error * (self.facts.gain / self.ratio), dt)
        if self.facts.following is not None and abs(error) > self.facts.following:
            self.fault = FOLLOWING_ERROR
        elif self.machine.limited_s > _OVERLOAD_S:
            self.fault = OVERLOAD

    def _settle(self, taken: tuple[bytes, ...], before: float, *, more: bool = False) -> None:
        """After a step: whether the next one would change nothing, as long as the same is taken; `more` is whether it
        is still in the middle of something."""
        still = not more and self.machine.position == before and self.machine.speed == 0 and self.wanted.speed == 0
        self._settled = taken if still and (self.powered or self.machine.at_rest()) else None

    def stop_safely(self) -> None:
        """From outside: a fault, whatever it does."""
        self.fault, self._settled = SAFELY_STOPPED, None

    @property
    def settled(self) -> bool:
        """Whether nothing changes until something else is taken."""
        return self._settled is not None

    @property
    def idle(self) -> bool:
        """Whether a further step would change nothing: the same is taken as when the last one did not."""
        return self._settled is not None and self._settled == self.words.look()

    @property
    def powered(self) -> bool:
        """Whether the motor holds the load."""
        raise NotImplementedError

    def release(self, dt: float) -> None:
        """Without power the wanted position is where it is."""
        self.machine.coast(dt)
        self.wanted = Ramp(self.shown)

    def stopped_by_limit(self, wanted_speed: float) -> bool:
        """Whether a switch forbids going on this way; out again is allowed."""
        if not self._limits or not wanted_speed:
            return False
        return self.machine.switch("minus" if wanted_speed < 0 else "plus")

    def inputs(self) -> int:
        """CiA 402 60FDh: bit 0 the lower limit, bit 1 the upper, bit 2 the home switch."""
        held = self.machine.switch
        return held("minus") | held("plus") << 1 | held("home") << 2
