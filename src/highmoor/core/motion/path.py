"""Where a drive wants its axis to be: towards a target with bounded speed and acceleration, or after set-points."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from math import sqrt
from typing import Protocol

from highmoor.core.figures.motion.profile import Piece

# After so long set-points are no longer taken to come regularly.
PAUSE_S = 0.1


class Way(Protocol):
    """Where something is to be over the time of a move, from 0 to `takes` s; in any unit."""

    @property
    def takes(self) -> float:
        """s."""

    def at(self, t: float) -> tuple[float, float]:
        """Position and speed; from its end on where it ends, standing."""


@dataclass(frozen=True, slots=True)
class Along:
    """A way from `begin` on, forth or (with a negative `by`) back, `by` times as far as its pieces say."""

    begin: float
    by: float
    pieces: Sequence[Piece]
    takes: float = field(init=False)

    def __post_init__(self) -> None:
        last = self.pieces[-1] if self.pieces else None
        object.__setattr__(self, "takes", last.at + last.lasts if last else 0.0)

    def at(self, t: float) -> tuple[float, float]:
        for piece in self.pieces:
            if t < piece.at + piece.lasts:
                position, speed, _ = piece.after(t - piece.at)
                return self.begin + self.by * position, self.by * speed
        if not self.pieces:
            return self.begin, 0.0
        last = self.pieces[-1]
        return self.begin + self.by * last.after(last.lasts)[0], 0.0


def braked(along: Along, t: float, rate: float) -> Along:
    """From where it is at a time of its move to a stand, slower by so much a s²."""
    at, speed = along.at(t)
    way = -1.0 if speed < 0 else 1.0
    brakes = [Piece(0.0, abs(speed) / rate, 0.0, abs(speed), -rate, 0.0)] if speed else []
    return Along(at, way, brakes)


@dataclass(slots=True)
class Ramp:
    """A wanted position that goes to a target by itself, whatever it does when it is told to. In any unit and s."""

    at: float
    speed: float = 0.0

    def towards(self, target: float, most: float, rate: float, dt: float) -> None:
        """A step towards a target: as quick as it may, and slow enough to stop there."""
        left = target - self.at
        # What a step reaches from which a step stops: else it would swing about the target, ever less.
        if abs(left) <= rate * dt * dt and abs(left / dt - self.speed) <= 2 * rate * dt:
            self.at, self.speed = target, 0.0
            return
        # From this speed a step and a ramp end at the target.
        may = min(most, sqrt(max(rate * rate * dt * dt / 4 + 2 * rate * abs(left), 0.0)) - rate * dt / 2)
        self._to(may if left >= 0 else -may, rate, dt)
        self.at += self.speed * dt

    def at_speed(self, wanted: float, rate: float, dt: float) -> None:
        """A step at a speed, or towards it."""
        self._to(wanted, rate, dt)
        self.at += self.speed * dt

    def _to(self, wanted: float, rate: float, dt: float) -> None:
        self.speed += min(max(wanted - self.speed, -rate * dt), rate * dt)


@dataclass(slots=True)
class Follower:
    """A wanted position after set-points that come every so often: straight between them."""

    at: float
    target: float
    came_s: float = 0.0
    every_s: float = 0.004
    speed: float = 0.0
    # The speed on the straight line to the target.
    line: float = field(init=False)

    def __post_init__(self) -> None:
        self.line = (self.target - self.at) / self.every_s

    def step(self, target: float, now_s: float, dt: float) -> None:
        """A step; `now_s` is bench time."""
        if target != self.target:
            since = now_s - self.came_s
            # After a pause it is not known how often they come.
            self.every_s = since if since < PAUSE_S else self.every_s
            self.target, self.came_s = target, now_s
            self.line = (target - self.at) / self.every_s
        left = self.came_s + self.every_s - now_s
        before = self.at
        self.at = self.target if left <= dt else self.at + self.line * dt
        self.speed = (self.at - before) / dt
