"""Remedies for axes: the nearest setting that mends, tried on the whole plant before it is offered."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from math import floor, isfinite, log10, sqrt

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.figures.motion.profile import stopping_distance
from highmoor.core.motion.chain import Chain
from highmoor.core.motion.checks import COUNTS_A_WINDOW
from highmoor.core.motion.fields import drives_of, pulse_modules_of
from highmoor.core.motion.homing import HomeTold, method_label
from highmoor.core.motion.load import load_told
from highmoor.core.motion.settings import bounds_of, modulo_of, reaction_s
from highmoor.core.motion.stepper_drivers import DRIVERS
from highmoor.core.motion.steppers import StepperTold
from highmoor.core.motion.told import ChainTold, EndTold, TravelTold
from highmoor.core.motion.units import unit_of
from highmoor.core.numbers import fraction_at, number_at, shown
from highmoor.core.plant.change import value_at
from highmoor.core.plant.rows import Axis, Move, Use
from highmoor.core.project import edits
from highmoor.core.project.draft import free_name
from highmoor.core.project.remedy import Remedy, set_fields, tried

_DIGITS = 3


def _rounded(value: float, *, up: bool = False) -> float:
    """To three digits, towards 0 unless up: a number somebody would type."""
    if value <= 0 or not isfinite(value):
        return value
    step = 10.0 ** (floor(log10(value)) - _DIGITS + 1)
    whole = floor(value / step + (1 - 1e-9 if up else 1e-9))
    return float(f"{whole * step:.12g}")


def _axis(analysis: Analysis, found: Finding) -> Axis:
    return analysis.plant.get(found.places[0].id, Axis)


def _drive_nobody_has(analysis: Analysis, found: Finding) -> Remedy | None:
    """The drive of the same name, or the only one that has no axis yet."""
    axis = _axis(analysis, found)
    taken = {other.drive for other in analysis.plant.all(Axis)}
    free = [s for s, _ in drives_of(analysis.plant, analysis.catalogue, axis.controller) if s.id not in taken]
    named = [s for s in free if s.name.lower() == axis.name.lower()]
    drive = named[0] if named else free[0] if len(free) == 1 else None
    return set_fields(f"Take {drive.name}", axis.id, drive=drive.id) if drive else None


def _leave_drive(analysis: Analysis, found: Finding) -> Remedy:
    axis = _axis(analysis, found)
    return set_fields(f"Take the drive from {axis.name}", axis.id, drive=None)


def _other_name(analysis: Analysis, found: Finding) -> Remedy:
    axis = _axis(analysis, found)
    used = {other.name.lower() for other in analysis.plant.children(Axis, axis.controller)}
    name = free_name(axis.name, used)
    return set_fields(f"Call it {name}", axis.id, name=name)


def _slower(analysis: Analysis, found: Finding) -> Remedy | None:
    """As quick as the motor's rated speed makes it."""
    axis = _axis(analysis, found)
    told: ChainTold = analysis.result("axis.chain", axis.id)
    speed = number_at(axis.settings, "speed")
    if not told.motor_rpm or not told.rated_rpm:
        return None
    return _speed(analysis, found, axis, speed * told.rated_rpm / told.motor_rpm)


def _speed(analysis: Analysis, found: Finding, axis: Axis, speed: float) -> Remedy | None:
    unit, rounded = unit_of(axis.kind, axis.unit), _rounded(speed)
    if rounded <= 0:
        return None
    remedy = set_fields(f"At most {shown(rounded)} {unit.speed}", axis.id, settings__speed=rounded)
    return tried(analysis, found, remedy)


def _wider_window(analysis: Analysis, found: Finding) -> Remedy | None:
    axis = _axis(analysis, found)
    told: ChainTold = analysis.result("axis.chain", axis.id)
    if told.scale is None:
        return None
    window = _rounded(COUNTS_A_WINDOW * told.scale.resolution, up=True)
    return set_fields(f"In position within {shown(window)} {told.unit}", axis.id, settings__window=window)


def _more_rounds(analysis: Analysis, found: Finding) -> Remedy | None:
    """Count from 0 again only after as many rounds as are whole counts together."""
    axis = _axis(analysis, found)
    told: ChainTold = analysis.result("axis.chain", axis.id)
    modulo = modulo_of(axis, unit_of(axis.kind, axis.unit))
    if told.scale is None or not told.scale.rational or modulo is None:
        return None
    rounds = Fraction(told.scale.modulo_counts).denominator
    longer = modulo * rounds
    label = f"Count from 0 again after {rounds} rounds"
    return tried(analysis, found, set_fields(label, axis.id, settings__modulo=float(longer)))


def _within_range(analysis: Analysis, found: Finding) -> Remedy | None:
    axis = _axis(analysis, found)
    told: ChainTold = analysis.result("axis.chain", axis.id)
    if told.scale is None or told.scale.range is None:
        return None
    end = number_at(axis.settings, "soft_minus") + _rounded(told.scale.range)
    label = f"Soft limit + at {shown(end)} {told.unit}"
    return tried(analysis, found, set_fields(label, axis.id, settings__soft_plus=end))


def _gentler(analysis: Analysis, found: Finding) -> Remedy | None:
    """The acceleration up to which the torque suffices; None where even creeping takes more."""
    axis = _axis(analysis, found)
    low, high = 0.0, number_at(axis.settings, "acceleration")
    chain, moves = analysis.result("axis.links", axis.id), analysis.plant.children(Move, axis.id)
    for _ in range(40):
        middle = (low + high) / 2
        settings = {**axis.settings, "acceleration": middle, "deceleration": None}
        told = load_told(Axis(axis.id, axis.controller, axis.name, axis.rank, axis.kind, axis.unit,
                              settings=settings), chain, moves)  # fmt: skip
        if told is None or told.peak_allowed is None:
            return None
        low, high = (middle, high) if told.peak <= told.peak_allowed else (low, middle)
    rate = _rounded(low)
    if rate <= 0:
        return None
    values = {"settings__acceleration": rate}
    if (fraction_at(axis.settings, "deceleration") or 0) > rate:
        values["settings__deceleration"] = rate
    label = f"Accelerate by {shown(rate)} {unit_of(axis.kind, axis.unit).label}/s²"
    return tried(analysis, found, set_fields(label, axis.id, **values))


def _ends(analysis: Analysis, found: Finding) -> tuple[Axis, TravelTold, EndTold, str] | None:
    """The end of the travel that a finding is about, and what its settings end in."""
    axis = _axis(analysis, found)
    told: TravelTold = analysis.result("axis.travel", axis.id)
    suffix = next((s for s in ("minus", "plus") if found.places[0].field.endswith(s)), "")
    end = next((one for one in told.ends if (one.way < 0) == (suffix == "minus")), None)
    return (axis, told, end, suffix) if end else None


def _soft_limit_inward(analysis: Analysis, found: Finding) -> Remedy | None:
    about = _ends(analysis, found)
    if about is None or about[2].switch is None or about[1].stopping is None:
        return None
    axis, told, end, suffix = about
    at = float(f"{(end.switch or 0) - end.way * _rounded(told.stopping or 0, up=True):.9g}")
    label = f"Soft limit {'+' if end.way > 0 else '−'} at {shown(at)} {unit_of(axis.kind, axis.unit).label}"
    remedy = set_fields(label, axis.id, **{f"settings__soft_{suffix}": at})
    return tried(analysis, found, remedy)


def _slow_enough_to_stop(analysis: Analysis, found: Finding) -> Remedy | None:
    """The highest speed from which what lies between switch and end is enough."""
    about = _ends(analysis, found)
    if about is None or about[2].switch_gap is None:
        return None
    axis, _, end, _ = about
    bounds, unit = bounds_of(axis), unit_of(axis.kind, axis.unit)
    slower = bounds.deceleration or bounds.acceleration
    if not bounds.speed or not slower or end.switch_gap is None:
        return None
    low, high = 0.0, float(bounds.speed)
    jerk, reaction = float(bounds.jerk) if bounds.jerk else None, reaction_s(axis.settings)
    for _ in range(60):
        middle = (low + high) / 2
        fits = middle > 0 and stopping_distance(middle, float(slower), jerk, reaction) <= end.switch_gap
        low, high = (middle, high) if fits else (low, middle)
    return _speed(analysis, found, axis, low * unit.a_speed)


def _longer_cam(analysis: Analysis, found: Finding) -> Remedy | None:
    axis = _axis(analysis, found)
    told: TravelTold = analysis.result("axis.travel", axis.id)
    gap = max((end.switch_gap or 0.0 for end in told.ends), default=0.0)
    if gap <= 0:
        return None
    label = f"Let it be held for {shown(gap)} {unit_of(axis.kind, axis.unit).label}"
    remedy = tried(analysis, found, set_fields(label, axis.id, settings__cam=gap))
    return Remedy(label, "in the project, and by hand at the machine", remedy.edit) if remedy else None


def _in_order(analysis: Analysis, found: Finding) -> Remedy | None:
    """The values that are there, put in their order going outward."""
    about = _ends(analysis, found)
    if about is None:
        return None
    axis, _, end, suffix = about
    set_here = [what for what in ("soft", "switch", "stop") if value_at(axis, f"settings.{what}_{suffix}") is not None]
    values = sorted((number_at(axis.settings, f"{what}_{suffix}") for what in set_here), reverse=end.way < 0)
    ordered = {f"settings__{what}_{suffix}": at for what, at in zip(set_here, values, strict=True)}
    return tried(analysis, found, set_fields("Put them in order", axis.id, **ordered))


def _soft_limits_swapped(analysis: Analysis, found: Finding) -> Remedy | None:
    axis = _axis(analysis, found)
    low, high = (axis.settings.get(f"soft_{way}") for way in ("minus", "plus"))
    swap = set_fields("Swap the soft limits", axis.id, settings__soft_minus=high, settings__soft_plus=low)
    return tried(analysis, found, swap)


def _allow_more(analysis: Analysis, found: Finding) -> Remedy | None:
    axis = _axis(analysis, found)
    told: TravelTold = analysis.result("axis.travel", axis.id)
    if told.following_error is None:
        return None
    allowed = _rounded(told.following_error, up=True)
    label = f"Allow {shown(allowed)} {unit_of(axis.kind, axis.unit).label}"
    return tried(analysis, found, set_fields(label, axis.id, settings__following=allowed))


def _name_words(analysis: Analysis, found: Finding) -> Remedy | None:
    """Its words as signals, by the profile it has or the usual one of its network."""
    remedy = Remedy("Name its words", "in the project", edits.NameWords(axis=found.places[0].id))
    return tried(analysis, found, remedy)


def _words_at_their_places(analysis: Analysis, found: Finding) -> Remedy | None:
    """What stands at the word's place is it from now on."""
    axis = _axis(analysis, found)
    role = found.places[0].field.removeprefix("word ")
    use = next((use for use in analysis.plant.children(Use, axis.id) if use.role == role), None)
    if use is None:
        return None
    again = edits.Batch(edits=[edits.Remove(ids=[use.id]), edits.NameWords(axis=axis.id)])
    return tried(analysis, found, Remedy("Take the signal at its place", "in the project", again))


def _as_quick_as_pulses(analysis: Analysis, found: Finding) -> Remedy | None:
    """The highest speed at which output and driver keep up."""
    axis = _axis(analysis, found)
    told: StepperTold | None = analysis.result("axis.stepper", axis.id)
    if told is None or not told.hz:
        return None
    most = told.most_hz or told.hz
    if told.least_pulse_us:
        most = min(most, 500_000 / told.least_pulse_us)
    return _speed(analysis, found, axis, number_at(axis.settings, "speed") * most / told.hz)


def _other_output(analysis: Analysis, found: Finding) -> Remedy | None:
    """The first pair of outputs that nobody writes to."""
    axis = _axis(analysis, found)
    pairs = next((p for m, _, p in pulse_modules_of(analysis.plant, analysis.catalogue, axis.controller)
                  if m.id == axis.drive), ())  # fmt: skip
    for pair in pairs:
        remedy = set_fields(f"Pulses from channel {pair.pulse}", axis.id, key=f"ch{pair.pulse}")
        if helps := tried(analysis, found, remedy):
            return helps
    return None


def _rated_current(analysis: Analysis, found: Finding) -> Remedy | None:
    """The highest current that the driver's switches have and the motor bears."""
    axis = _axis(analysis, found)
    chain: Chain = analysis.result("axis.links", axis.id)
    told: StepperTold | None = analysis.result("axis.stepper", axis.id)
    driver = DRIVERS.get(str(chain.motor.get("driver", "")))
    if told is None or told.rated_peak is None:
        return None
    fits = [current for current, _ in (driver.currents if driver else ()) if current <= told.rated_peak]
    current = max(fits, default=_rounded(told.rated_peak))
    return tried(analysis, found, set_fields(f"Set {shown(current)} A", chain.motor_link, settings__current_a=current))


def _opening_limits(analysis: Analysis, found: Finding) -> Remedy:
    return set_fields("Take switches that open", found.places[0].id, settings__limits_close=False)


def _method_with_what_there_is(analysis: Analysis, found: Finding) -> Remedy | None:
    """By a limit switch that there is, else where it stands."""
    axis = _axis(analysis, found)
    for number, needs in ((17, "switch_minus"), (18, "switch_plus"), (37, "")):
        if not needs or fraction_at(axis.settings, needs) is not None:
            label = method_label(number).partition(" · ")[2]
            remedy = set_fields(f"Home by method {number}, {label}", axis.id, settings__home_method=number)
            if helps := tried(analysis, found, remedy):
                return helps
    return None


def _seek_slowly(analysis: Analysis, found: Finding) -> Remedy | None:
    """The highest speed from which it stops before the hard stop: v²/2a + v·t is the room there is."""
    axis, bounds = _axis(analysis, found), bounds_of(_axis(analysis, found))
    told: HomeTold | None = analysis.result("axis.home", axis.id)
    rate = bounds.deceleration or bounds.acceleration
    if told is None or told.room is None or not rate:
        return None
    unit, reaction, a = unit_of(axis.kind, axis.unit), reaction_s(axis.settings), float(rate)
    speed = _rounded(a * (-reaction + sqrt(reaction**2 + 2 * told.room / a)) * unit.a_speed)
    if speed <= 0:
        return None
    remedy = set_fields(f"Seek at {shown(speed)} {unit.speed}", axis.id, settings__home_fast=speed)
    return tried(analysis, found, remedy)


def _home_as_drawn(analysis: Analysis, found: Finding) -> Remedy:
    return set_fields("Count as it is drawn", found.places[0].id, settings__home_position=None)


MOTION_REMEDIES: dict[str, Callable[[Analysis, Finding], Remedy | None]] = {
    "MOT-102": _drive_nobody_has,
    "MOT-103": _leave_drive,
    "MOT-104": _other_name,
    "MOT-105": _slower,
    "MOT-107": _wider_window,
    "MOT-108": _more_rounds,
    "MOT-110": _within_range,
    "MOT-111": _gentler,
    "MOT-121": _soft_limit_inward,
    "MOT-122": _slow_enough_to_stop,
    "MOT-123": _longer_cam,
    "MOT-124": _in_order,
    "MOT-125": _soft_limits_swapped,
    "MOT-127": _allow_more,
    "MOT-128": _opening_limits,
    "MOT-151": _method_with_what_there_is,
    "MOT-152": _seek_slowly,
    "MOT-153": _home_as_drawn,
    "MOT-141": _as_quick_as_pulses,
    "MOT-143": _rated_current,
    "MOT-145": _as_quick_as_pulses,
    "MOT-147": _other_output,
    "MOT-131": _name_words,
    "MOT-132": _name_words,
    "MOT-133": _words_at_their_places,
}
