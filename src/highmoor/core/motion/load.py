"""What the motor has to do: torques phase by phase, over the cycle, the brake, the energy that comes back."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction
from math import sqrt

from highmoor.core.errors import Refusal
from highmoor.core.figures.motion.profile import MotionLimits, Piece, pieces, profile
from highmoor.core.motion.chain import Chain
from highmoor.core.motion.mechanics import Mechanics, mechanics_of
from highmoor.core.motion.settings import Bounds, bounds_of, gain_of
from highmoor.core.motion.told import BrakeTold, BrakingTold, LoadTold, Phases
from highmoor.core.motion.units import Unit, unit_of
from highmoor.core.numbers import fraction_at, number_at
from highmoor.core.plant.rows import Axis, Move


def load_told(axis: Axis, chain: Chain, moves: Sequence[Move]) -> LoadTold | None:
    """What moving the load asks of the motor; None where the chain is not whole."""
    if chain.problem:
        return None
    unit, bounds = unit_of(axis.kind, axis.unit), bounds_of(axis)
    mechanics = mechanics_of(chain, linear=unit.linear)
    rate = float(bounds.acceleration or 0) * unit.si
    slower = float(bounds.deceleration or bounds.acceleration or 0) * unit.si
    forth, back = (_phases(mechanics, way, rate, slower) for way in (1, -1))
    rms = _over_cycle(axis, mechanics, bounds, unit, moves)
    peak = max(abs(each) for phases in (forth, back) for each in _each(phases))
    return LoadTold(
        missing=tuple(_missing(chain, bounds, mechanics, linear=unit.linear)),
        load_inertia=mechanics.load_inertia, motor_inertia=mechanics.motor_inertia,
        ratio=mechanics.load_inertia / mechanics.motor_inertia if mechanics.motor_inertia else None,
        forth=forth, back=back, hold=mechanics.hold, peak=peak, peak_allowed=_peak_allowed(axis, chain),
        rms=rms[0] if rms else None, rms_allowed=number_at(chain.motor, "rated_nm") or None,
        cycle_s=rms[1] if rms else None, brake=_brake(chain, mechanics, unit), pulls_back=mechanics.hold > 0,
        braking=_braking(axis, chain, mechanics, bounds, unit),
    )  # fmt: skip


def _missing(chain: Chain, bounds: Bounds, mechanics: Mechanics, *, linear: bool) -> Iterator[str]:
    if not mechanics.motor_inertia:
        yield "the rotor's inertia"
    if not mechanics.mass:
        yield "the load's mass" if linear else "the load's inertia"
    if not bounds.acceleration:
        yield "the axis's acceleration"
    if not bounds.speed:
        yield "its highest speed"


def _each(phases: Phases) -> tuple[float, float, float]:
    return phases.accelerating, phases.cruising, phases.braking


def _phases(mechanics: Mechanics, way: int, rate: float, slower: float) -> Phases:
    return Phases(mechanics.torque(way, way * rate), mechanics.torque(way, 0.0), mechanics.torque(way, -way * slower))


def _peak_allowed(axis: Axis, chain: Chain) -> float | None:
    """Of the motor, and of the current that the drive can give."""
    motor = number_at(chain.motor, "peak_nm")
    drive = number_at(axis.settings, "peak_a") * number_at(chain.motor, "torque_constant")
    return min((each for each in (motor, drive) if each), default=None)


def move_of(move: Move, bounds: Bounds, at: Fraction) -> tuple[Fraction, MotionLimits] | None:
    """How far a move goes from a position, and by what it is bounded; None where that is not set.

    Its own speed and acceleration come before the axis's.
    """
    settings = move.settings
    speed, rate = fraction_at(settings, "speed") or bounds.speed, fraction_at(settings, "acceleration")
    own = Bounds(speed, rate or bounds.acceleration, rate or bounds.deceleration, bounds.jerk).limits()
    to = fraction_at(settings, "to")
    if own is None or to is None:
        return None
    return (to - at if move.kind == "absolute" else to), own


def _over_cycle(
    axis: Axis, mechanics: Mechanics, bounds: Bounds, unit: Unit, moves: Sequence[Move]
) -> tuple[float, float] | None:
    """The torque that warms the motor as all moves in their order do, and how long they take."""
    at, squared, total = Fraction(0), 0.0, 0.0
    for move in moves:
        try:
            found = move_of(move, bounds, at)
            course = pieces(profile(abs(found[0]), found[1])) if found else []
        except Refusal:
            return None
        if found is None:
            continue
        at += found[0]
        way = 1 if found[0] >= 0 else -1
        for piece in course:
            squared += _squared(mechanics, piece, way, unit.si)
            total += piece.lasts
        wait = number_at(move.settings, "wait_s")
        total += wait
        if move.settings.get("wait_on", "motor") != "brake":
            squared += mechanics.hold**2 * wait
    return (sqrt(squared / total), total) if total > 0 else None


def _squared(mechanics: Mechanics, piece: Piece, way: int, si: float) -> float:
    """The torque squared over a piece: Simpson's rule, exact while the torque rises straight."""
    rates = (piece.after(piece.lasts * share)[2] for share in (0.0, 0.5, 1.0))
    first, middle, last = (mechanics.torque(way, way * rate * si) ** 2 for rate in rates)
    return piece.lasts / 6 * (first + 4 * middle + last)


def _brake(chain: Chain, mechanics: Mechanics, unit: Unit) -> BrakeTold | None:
    """Until the brake holds, the load falls freely with all that turns: ½·a·t²."""
    holds = number_at(chain.motor, "brake_nm")
    if not holds:
        return None
    falls = mechanics.hold / mechanics.inertia * mechanics.reach if mechanics.inertia else 0.0
    takes = number_at(chain.motor, "brake_ms") / 1000
    return BrakeTold(holds, mechanics.hold, falls * takes**2 / 2 / unit.si)


def _braking(axis: Axis, chain: Chain, mechanics: Mechanics, bounds: Bounds, unit: Unit) -> BrakingTold | None:
    """What comes back at the motor while it is braked from the highest speed, the worse of both ways, beside
    ½·C·(U² − U²).

    The load's part comes through the losses of the chain, the motor's own whole: torque · ω · t / 2, ω falling evenly;
    and as much as comes at full speed until the loop, 1/Kv behind its command, begins to brake.
    """
    slower = bounds.deceleration or bounds.acceleration
    if not bounds.speed or not slower:
        return None
    rate, speed = float(slower) * unit.si, float(bounds.speed) * unit.si
    turning, lag = abs(speed / mechanics.reach), 1 / gain_of(axis.settings)

    def energy(way: int) -> float:
        braked, cruising = (-way * mechanics.torque(way, acceleration) for acceleration in (-way * rate, 0.0))
        return turning * (max(braked, 0.0) * speed / rate / 2 + max(cruising, 0.0) * lag)

    capacity, usual, most = (number_at(axis.settings, key) for key in ("capacitance_uf", "bus_v", "bus_most_v"))
    takes = capacity * 1e-6 * (most**2 - usual**2) / 2 if capacity and most > usual else None
    return BrakingTold(max(energy(1), energy(-1)), takes, bool(number_at(axis.settings, "resistor_w")))
