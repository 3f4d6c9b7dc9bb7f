"""What a chain comes to: counts a unit, the drive's two whole numbers, and what is wrong by their rounding."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction

from highmoor.core.errors import Refusal
from highmoor.core.figures.motion.scale import nearest_fraction
from highmoor.core.motion.chain import Chain, Stage
from highmoor.core.motion.exact import Exact
from highmoor.core.motion.links import LINK_KINDS, MOTORS
from highmoor.core.motion.settings import Bounds, bounds_of, modulo_of
from highmoor.core.motion.told import ChainTold, DriveObject, LinkTold, ScaleTold
from highmoor.core.motion.units import Unit, unit_of
from highmoor.core.numbers import Settings, fraction_at, number_at, shown
from highmoor.core.plant.rows import Axis, ChainLink

INT32 = 2**31 - 1
_HOUR = 3600


def chain_told(axis: Axis, links: Sequence[ChainLink], chain: Chain) -> ChainTold:
    """An axis's chain in words and numbers."""
    unit, bounds = unit_of(axis.kind, axis.unit), bounds_of(axis)
    travel = _in_unit(chain.travel, unit)
    told = tuple(_link(link, chain, unit) for link in links)
    whole = not chain.problem
    speed = bounds.speed
    return ChainTold(
        unit.label, unit.speed, told, chain.problem, chain.at,
        float(travel.value) if whole else None, sum(one.play or 0 for one in told),
        float(60 * speed / travel.value) if whole and speed else None,
        number_at(chain.motor, "rated_rpm") or None,
        _scale(axis, chain, unit, bounds) if whole and axis.kind != "speed" else None,
    )  # fmt: skip


def counts_a_unit(chain: Chain, unit: Unit) -> Exact | None:
    """Encoder counts for one unit of an axis, exactly; None where the chain is not whole."""
    if chain.problem or not chain.counts:
        return None
    return Exact(chain.counts) / _in_unit(chain.travel, unit)


def words_a_unit(settings: Settings, chain: Chain, unit: Unit) -> Exact | None:
    """What the words of its drive count for one unit of an axis: encoder counts, or parts of its position unit where
    the drive makes those of them. None where the chain is not whole."""
    digits = fraction_at(settings, "drive_digits")
    counts = counts_a_unit(chain, unit)
    return counts if counts is None or digits is None else Exact(Fraction(10) ** int(digits))


def gear_and_feed(chain: Chain, unit: Unit) -> tuple[Fraction, Exact]:
    """Motor turns for a turn of the load's shaft, and the way of that turn."""
    turns, feed = Exact(Fraction(1)), Exact(1 / unit.size)
    for stage in chain.stages:
        if stage.kind.linear:
            feed = _in_unit(stage.gives, unit)
        else:
            turns = turns * stage.gives
    return 1 / turns.value, feed


def _in_unit(travel: Exact, unit: Unit) -> Exact:
    return Exact(travel.ratio / unit.size, travel.pi)


def _link(link: ChainLink, chain: Chain, unit: Unit) -> LinkTold:
    kind = LINK_KINDS[link.kind]
    says = kind.says(link.settings)
    problem = chain.problem if chain.at == link.id else ""
    at = next((n for n, stage in enumerate(chain.stages) if stage.link == link.id), None)
    if at is None:
        if link.kind in MOTORS:
            unit_of_turn = "counts" if link.kind == "motor" else "pulses"
            turn = f"1 turn, {shown(counts)} {unit_of_turn}" if (counts := chain.counts) else "1 turn"
            return LinkTold(link.id, link.kind, says, turn, _or_none(link, "inertia"), None, None, problem)
        becomes = _length(chain.travel, chain, unit) if link.kind == "load" and not chain.problem else ""
        return LinkTold(link.id, link.kind, says, becomes, _load_inertia(link, chain), None, None, problem)
    stage = chain.stages[at]
    before = chain.stages[at - 1].after if at else Exact(Fraction(1))
    becomes = f"{stage.after.short} mm" if stage.kind.linear else f"{stage.after.short} turn"
    felt = stage.inertia * float(before.value) ** 2 if stage.inertia else None
    return LinkTold(
        link.id, link.kind, says, becomes, felt, stage.efficiency, _play(stage, chain, unit), problem
    )  # fmt: skip


def _or_none(link: ChainLink, key: str) -> float | None:
    return number_at(link.settings, key) or None


def _length(travel: Exact, chain: Chain, unit: Unit) -> str:
    return f"{_in_unit(travel, unit).short} {unit.label}"


def _load_inertia(link: ChainLink, chain: Chain) -> float | None:
    """kg m² that the motor feels of the load alone."""
    if link.kind != "load" or chain.problem:
        return None
    linear = bool(chain.stages) and chain.stages[-1].kind.linear
    size = number_at(link.settings, "mass_kg" if linear else "inertia")
    reach = float(chain.travel.value) * (0.001 / 6.283185307179586 if linear else 1)
    return size * reach**2 or None


def _play(stage: Stage, chain: Chain, unit: Unit) -> float | None:
    """A link's play as the axis has it."""
    if stage.kind.linear:
        return number_at(stage.settings, "play_mm") / float(unit.size) or None
    turns = number_at(stage.settings, "play_deg") / 360
    rest = float((chain.travel / stage.after).value)
    return turns * rest / float(unit.size) or None


def _scale(axis: Axis, chain: Chain, unit: Unit, bounds: Bounds) -> ScaleTold:
    counts = Exact(chain.counts or Fraction(1)) / _in_unit(chain.travel, unit)
    value = counts.value
    word = words_a_unit(axis.settings, chain, unit)
    try:
        pair: Fraction | None = nearest_fraction(value, INT32)
    except Refusal:
        pair = None
    # By how much of itself every way is off that the drive makes with this fraction.
    off = pair / value - 1 if pair is not None else None
    travel = _travel(axis)
    load_turn = _load_turn(chain, unit)
    modulo = modulo_of(axis, unit)
    # As it is written: in what the drive's words count.
    modulo_counts = (word or counts) * Exact(modulo) if modulo else None
    turns = fraction_at(chain.motor, "absolute_turns")
    known = turns * _in_unit(chain.travel, unit).value if turns else None
    most = max((abs(at) for at in _ends(axis)), default=None)
    return ScaleTold(
        exact=counts.text, value=float(value), rational=counts.rational,
        numerator=pair.numerator if pair else None, denominator=pair.denominator if pair else None,
        error_a_turn=_times(off, load_turn), error_over_travel=_times(off, travel),
        error_an_hour=_times(off, bounds.speed * _HOUR if bounds.speed and modulo else None),
        objects=tuple(_objects(axis, chain, unit)), resolution=float(1 / min(value, word.value if word else value)),
        range=float(known) if known else None,
        range_is_whole=not (known and modulo) or _whole(known / modulo, counts),
        modulo_counts=modulo_counts.text if modulo_counts else "",
        modulo_is_whole=modulo_counts is None or (modulo_counts.rational and modulo_counts.ratio.denominator == 1),
        modulo_drift_an_hour=_drift(modulo_counts, bounds, modulo),
        most_counts=float(most * value) if most is not None else None,
    )  # fmt: skip


def _whole(value: Fraction, counts: Exact) -> bool:
    return counts.rational and value.denominator == 1


def _times(off: Fraction | None, way: Fraction | None) -> float | None:
    return None if off is None or way is None else float(off * way)


def _load_turn(chain: Chain, unit: Unit) -> Fraction:
    """The way of one turn of what moves the load: of the screw, the pinion, the table."""
    last = chain.stages[-1] if chain.stages else None
    if last is None or not last.kind.linear:
        return 1 / unit.size
    return last.gives.value / unit.size


def _drift(counts: Exact | None, bounds: Bounds, modulo: Fraction | None) -> float | None:
    """How far an endless axis that rounds its modulo to whole counts is off after an hour at its highest speed."""
    if counts is None or modulo is None or not bounds.speed:
        return None
    off = (round(counts.value) / counts.value - 1) if counts.value else Fraction(0)
    return float(abs(off) * bounds.speed * _HOUR)


def _ends(axis: Axis) -> Iterator[Fraction]:
    for key in ("stop_minus", "switch_minus", "soft_minus", "soft_plus", "switch_plus", "stop_plus"):
        at = fraction_at(axis.settings, key)
        if at is not None:
            yield at


def _travel(axis: Axis) -> Fraction | None:
    """From soft limit to soft limit, or as far as the limits are known."""
    ends = list(_ends(axis))
    return max(ends) - min(ends) if len(ends) > 1 else None


def _objects(axis: Axis, chain: Chain, unit: Unit) -> Iterator[DriveObject]:
    """The scale as CiA 402-2 has it: encoder resolution, gear ratio, feed constant in the drive's position unit."""
    counts = chain.counts or Fraction(1)
    gear, feed = gear_and_feed(chain, unit)
    digits = fraction_at(axis.settings, "drive_digits")
    if digits is None:
        # It counts as its encoder does: no gear, and as many units of position a turn.
        part, ratio, a_turn = "counts", Fraction(1), counts
    else:
        part, ratio, a_turn = f"10^−{digits} {unit.label}", gear, feed.value * 10 ** int(digits)
    turns, way = _pair(ratio), _pair(a_turn)
    yield from (
        DriveObject("16#608F:01", "Encoder increments", int(counts)),
        DriveObject("16#608F:02", "Motor turns", 1),
    )
    if turns:
        yield DriveObject("16#6091:01", "Gear, motor turns", turns.numerator)
        yield DriveObject("16#6091:02", "Gear, shaft turns", turns.denominator)
    if way:
        yield DriveObject("16#6092:01", f"Feed, {part}", way.numerator)
        yield DriveObject("16#6092:02", "Feed, shaft turns", way.denominator)


def _pair(value: Fraction) -> Fraction | None:
    try:
        return nearest_fraction(value, INT32)
    except Refusal:
        return None
