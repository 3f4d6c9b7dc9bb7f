"""The first proving move of an axis: what is proposed, how it goes, and what a tape laid on it can decide."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from math import floor, log10

from highmoor.core.figures.motion.explain import (
    LinkKind,
    MeasuredLink,
    explained,
    told_apart_at,
)
from highmoor.core.figures.motion.profile import MotionLimits, Profile, pieces, profile, ramp_time
from highmoor.core.motion.chain import Chain
from highmoor.core.motion.settings import bounds_of
from highmoor.core.motion.units import Unit, unit_of
from highmoor.core.numbers import exact, fraction_at, shown
from highmoor.core.plant.rows import Axis

# What a tape, or an angle, is read to unless somebody says better: mm and degrees.
TAPE_MM, TAPE_DEG = Fraction(1), Fraction(1, 10)
_ABOUT_S = Fraction(5)
_SHARE_OF_TRAVEL = Fraction(1, 10)
_SHARE_OF_RATE = Fraction(1, 4)
_SHARE_OF_ROOM = Fraction(1, 4)


@dataclass(frozen=True, slots=True)
class CurvePiece:
    """A piece of a curve: from `at` s on for `lasts` s, position p + v·t + a·t²/2 + j·t³/6 in the axis's unit."""

    at: float
    lasts: float
    p: float
    v: float
    a: float
    j: float


@dataclass(frozen=True, slots=True)
class Curve:
    """A move drawn: its pieces, how long it takes, the speed it comes to.

    `says` tells plainly when the speed asked for is not reached, and what would reach it.
    """

    distance: float
    speed: float
    acceleration: float
    pieces: tuple[CurvePiece, ...]
    time: float
    peak_speed: float
    reaches_speed: bool
    says: str


@dataclass(frozen=True, slots=True)
class Proposal:
    """The move to begin with, by why each of its numbers is so; `uncertainty` is how well it can be measured."""

    distance: float
    speed: float
    acceleration: float
    jerk: float | None
    uncertainty: float
    why: tuple[str, ...]


_MEASURED: dict[str, LinkKind] = {
    "gear": "gear", "screw": "lead", "belt": "belt", "pinion": "pinion", "wheel": "wheel",
}  # fmt: skip


# Of what a tape can be read to, what would still turn a reading.
_TOLD_BY_TAPE = 10


def uncertainty_of(unit: Unit) -> Fraction:
    """How well a way can be measured by hand, in the axis's unit."""
    return TAPE_MM / unit.size if unit.linear else TAPE_DEG / 360 / unit.size


def measured_links(chain: Chain) -> list[tuple[str, MeasuredLink]]:
    """The links of a chain that may be others than they are set, each with its row's id."""
    found = []
    counts = chain.counts
    if counts:
        found.append((chain.motor_link, MeasuredLink("encoder", counts)))
    for stage in chain.stages:
        kind, value = (
            _measured(stage.kind.key),
            1 / stage.gives.ratio if stage.kind.key == "gear" else stage.gives.value,
        )
        if kind:
            found.append((stage.link, MeasuredLink(kind, value)))
    return found


def _measured(kind: str) -> LinkKind | None:
    names: dict[str, LinkKind] = {
        "gear": "gear", "screw": "lead", "belt": "belt", "pinion": "pinion", "wheel": "wheel",
    }  # fmt: skip
    return names.get(kind)


def deciding_distances(chain: Chain, unit: Unit) -> tuple[Fraction, Fraction]:
    """From which distance on any wrong link measures apart from what is set, and from which on all of them from each
    other."""
    off = uncertainty_of(unit)
    every = explained(Fraction(1), Fraction(1), off, [link for _, link in measured_links(chain)])
    ratios = sorted({Fraction(1), *(one.ratio for one in every.classes)})
    nearest = min((other for other in ratios if other != 1), key=lambda ratio: abs(ratio - 1))
    closest = min(other - one for one, other in pairwise(ratios))
    return told_apart_at(off, nearest, Fraction(1)), 2 * off / closest


def proposed(axis: Axis, chain: Chain) -> Proposal | None:
    """The move to begin with; None for an axis whose chain is not whole or that has no speed or acceleration.

    As far as the tape can decide, but no more than a quarter of the travel or 5 s at half the highest speed if that is
    enough to see that something is wrong; in about 5 s, by a quarter of the acceleration, and stopping within a tenth
    of the travel.
    """
    unit, bounds = unit_of(axis.kind, axis.unit), bounds_of(axis)
    if chain.problem or not bounds.speed or not bounds.acceleration or axis.kind == "speed":
        return None
    rate = bounds.acceleration * _SHARE_OF_RATE
    off, travel = uncertainty_of(unit), _travel(axis)
    decides, all_apart = deciding_distances(chain, unit)
    room = bounds.speed * _ABOUT_S / 2
    if travel is not None:
        room = min(room, travel * _SHARE_OF_ROOM)
    distance = _rounded_up(max(decides, min(all_apart, _rounded(room))))
    why = [f"read to {shown(off)} {unit.label}, a tape tells a wrong link from {shown(decides, 3)} {unit.label} on"]
    if travel is not None and distance > travel:
        distance = travel
        why.append(f"the travel is only {shown(travel)} {unit.label}")
    if distance < all_apart:
        why.append(f"which of all links it is, from {shown(all_apart, 3)} {unit.label} on")
    speed = min(_speed_for(distance, rate), bounds.speed)
    if travel is not None:
        speed = min(speed, _stopping_within(travel * _SHARE_OF_TRAVEL, rate))
    jerk = float(bounds.jerk) if bounds.jerk else None
    return Proposal(float(distance), float(_rounded(speed)), float(rate), jerk, float(off), tuple(why))


def lead_of(play: float, unit: Unit) -> float:
    """How far it goes back and forth again before it is measured, so that its play is on the side it moves to; 0 for a
    chain whose play no tape would tell."""
    told = uncertainty_of(unit) / _TOLD_BY_TAPE
    return float(_rounded_up(2 * exact(play))) if exact(play) >= told else 0.0


def _travel(axis: Axis) -> Fraction | None:
    low, high = (fraction_at(axis.settings, f"soft_{way}") for way in ("minus", "plus"))
    return None if low is None or high is None or high <= low else high - low


def _speed_for(distance: Fraction, rate: Fraction) -> Fraction:
    """The speed at which a move takes about as long as it should: s/v + v/a = t."""
    inside = _ABOUT_S**2 - 4 * distance / rate
    if inside <= 0:
        return rate * _ABOUT_S / 2
    return rate * (_ABOUT_S - Fraction(float(inside) ** 0.5)) / 2


def _stopping_within(way: Fraction, rate: Fraction) -> Fraction:
    return Fraction(float(2 * way * rate) ** 0.5)


def _rounded(value: Fraction) -> Fraction:
    """To two digits, downwards."""
    step = Fraction(10) ** (floor(log10(float(value))) - 1) if value > 0 else Fraction(1)
    return (value // step) * step


def _rounded_up(value: Fraction) -> Fraction:
    """To the next 1, 2 or 5 of its size."""
    size = Fraction(10) ** floor(log10(float(value)))
    return next(size * n for n in (1, 2, 5, 10) if size * n >= value)


def curve(axis: Axis, distance: Fraction, speed: Fraction, acceleration: Fraction, jerk: Fraction | None) -> Curve:
    """How a move of an axis goes, whichever way. Raises Refusal for bounds that are none."""
    move = profile(abs(distance), MotionLimits(speed, acceleration, acceleration, jerk))
    way = 1 if distance >= 0 else -1
    drawn = tuple(
        CurvePiece(piece.at, piece.lasts, way * piece.p, way * piece.v, way * piece.a, way * piece.j)
        for piece in pieces(move)
    )
    return Curve(
        float(distance), float(speed), float(acceleration), drawn, float(move.time), float(move.peak_speed),
        move.reaches_speed, "" if move.reaches_speed or not distance else _not_reached(axis, move),
    )  # fmt: skip


def _not_reached(axis: Axis, move: Profile) -> str:
    unit, limits = unit_of(axis.kind, axis.unit), move.limits
    speed, rate = float(limits.speed), float(limits.acceleration)
    ramp = speed * (speed / rate if limits.jerk is None else _ramp(limits))
    words = f"{shown(speed)} {unit.speed} is not reached: the move is at {shown(float(move.peak_speed), 4)}"
    more = f"{shown(ramp, 4)} {unit.label} would reach it"
    if limits.jerk is None:
        more += f", or {shown(speed**2 / float(move.distance), 4)} {unit.label}/s²"
    return f"{words} {unit.speed} when it has to brake. {more}."


def _ramp(limits: MotionLimits) -> float:
    return ramp_time(float(limits.speed), float(limits.acceleration), float(limits.jerk) if limits.jerk else None)
