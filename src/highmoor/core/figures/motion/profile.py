"""A move from rest to rest in the least time, with or without a bound to its jerk.

In any unit of distance, s. Without jerk: speed rises and falls straight. With jerk: both ramps are alike and the
acceleration itself rises and falls straight.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from math import sqrt

from highmoor.core.errors import Refusal
from highmoor.core.figures.motion.roots import root
from highmoor.core.numbers import plain, shown


@dataclass(frozen=True, slots=True)
class MotionLimits:
    """What bounds a move: speed, acceleration, deceleration, and the jerk of all ramps or None."""

    speed: Fraction
    acceleration: Fraction
    deceleration: Fraction
    jerk: Fraction | None = None

    def __post_init__(self) -> None:
        for what in ("speed", "acceleration", "deceleration", "jerk"):
            value = getattr(self, what)
            if value is not None and value <= 0:
                raise Refusal(f"The {what} must be above 0, not {shown(value)}.", field=what, value=plain(value))
        if self.jerk is not None and self.acceleration != self.deceleration:
            raise Refusal(
                "With a jerk limit, acceleration and deceleration must be equal, not "
                f"{shown(self.acceleration)} and {shown(self.deceleration)}.",
                field="jerk",
            )


@dataclass(frozen=True, slots=True)
class Profile:
    """How a move goes: its time, the highest speed it comes to, whether that is the one asked for."""

    distance: Fraction
    limits: MotionLimits
    time: Fraction | float
    peak_speed: Fraction | float
    reaches_speed: bool


def profile(distance: Fraction, limits: MotionLimits) -> Profile:
    """The quickest move over a distance. Raises Refusal for one below 0."""
    if distance < 0:
        raise Refusal(f"The distance {shown(distance)} is negative.", field="distance", value=plain(distance))
    if distance == 0:
        return Profile(distance, limits, Fraction(0), Fraction(0), reaches_speed=False)
    time, peak, reaches = _straight(distance, limits) if limits.jerk is None else _bounded(distance, limits)
    return Profile(distance, limits, time, peak, reaches)


def _straight(s: Fraction, limits: MotionLimits) -> tuple[Fraction | float, Fraction | float, bool]:
    v, a, d = limits.speed, limits.acceleration, limits.deceleration
    ramps = v * v / (2 * a) + v * v / (2 * d)
    if ramps <= s:
        return v / a + v / d + (s - ramps) / v, v, True
    # The time of both ramps is that of a triangle: 2·s over its peak.
    return root(2 * s * (a + d) / (a * d)), root(2 * s * a * d / (a + d)), False


def _bounded(s: Fraction, limits: MotionLimits) -> tuple[Fraction | float, Fraction | float, bool]:
    v, a, j = limits.speed, limits.acceleration, limits.jerk or Fraction(1)
    full = v * j >= a * a
    if (v * (a / j + v / a) if full else _squared(v, j, s)) <= s:
        ramp: Fraction | float = a / j + v / a if full else 2 * root(v / j)
        return s / v + ramp, v, True
    if s >= 2 * a**3 / j**2:
        rest = a * a / j
        peak = (Fraction(root(rest * rest + 4 * a * s)) - rest) / 2
        return float(2 * (a / j + peak / a)), float(peak), False
    return 4 * root(s / (2 * j), 3), root(s * s * j / 4, 3), False


def _squared(v: Fraction, j: Fraction, s: Fraction) -> Fraction:
    """A distance that is above `s` just where v · 2·√(v/j) is, without a root."""
    return s if 4 * v**3 <= s * s * j else s + 1


def ramp_time(speed: float, acceleration: float, jerk: float | None) -> float:
    """How long it takes from rest to a speed, or back, s."""
    if jerk is None:
        return speed / acceleration
    if speed * jerk >= acceleration * acceleration:
        return acceleration / jerk + speed / acceleration
    return 2 * sqrt(speed / jerk)


def stopping_distance(speed: float, deceleration: float, jerk: float | None, reaction_s: float) -> float:
    """How far it goes on from a speed: v·t + v²/2d, with jerk v·t + v·ramp/2."""
    return speed * reaction_s + speed * ramp_time(speed, deceleration, jerk) / 2


@dataclass(frozen=True, slots=True)
class Piece:
    """A piece of a move with one jerk: from `at` on for `lasts` s, position p + v·t + a·t²/2 + j·t³/6."""

    at: float
    lasts: float
    p: float
    v: float
    a: float
    j: float

    def after(self, t: float) -> tuple[float, float, float]:
        """Position, speed and acceleration so long into it."""
        return (
            self.p + t * (self.v + t * (self.a / 2 + t * self.j / 6)),
            self.v + t * (self.a + t * self.j / 2),
            self.a + t * self.j,
        )


def pieces(move: Profile) -> list[Piece]:
    """The move as polynomial pieces, one after the other; none where it has no length."""
    done: list[Piece] = []
    state = (0.0, 0.0)
    at = 0.0
    for lasts, a, j in _phases(move):
        if lasts <= 0:
            continue
        piece = Piece(at, lasts, *state, a, j)
        done.append(piece)
        p, v, _ = piece.after(lasts)
        state, at = (p, v), at + lasts
    return done


def _phases(move: Profile) -> Iterator[tuple[float, float, float]]:
    """How long, from which acceleration, with which jerk."""
    peak, limits, total = float(move.peak_speed), move.limits, float(move.time)
    if peak == 0:
        return
    a, d = float(limits.acceleration), float(limits.deceleration)
    if limits.jerk is None:
        cruise = max(total - peak / a - peak / d, 0.0) if move.reaches_speed else 0.0
        yield from ((peak / a, a, 0.0), (cruise, 0.0, 0.0), (peak / d, -d, 0.0))
        return
    j = float(limits.jerk)
    rise = min(a / j, sqrt(peak / j))
    held, reached = max(peak / a - a / j, 0.0), rise * j
    cruise = max(total - 2 * (2 * rise + held), 0.0) if move.reaches_speed else 0.0
    up = ((rise, 0.0, j), (held, reached, 0.0), (rise, reached, -j))
    yield from up
    yield cruise, 0.0, 0.0
    yield from ((lasts, -acceleration, -jerk) for lasts, acceleration, jerk in up)
