"""What can be wrong with an axis: its chain, its travel, what its motor has to do."""

from __future__ import annotations

from collections.abc import Iterator

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.motion.scale import INT32
from highmoor.core.motion.steppers import StepperTold
from highmoor.core.motion.told import ChainTold, EndTold, LoadTold, TravelTold
from highmoor.core.motion.words import CommandsTold, missing
from highmoor.core.numbers import number_at, shown
from highmoor.core.plant.rows import Axis, Signal, Station

# A window of fewer counts than this is met or left by chance.
COUNTS_A_WINDOW = 10
# Closer than this to the switch's edge, of a turn, the index is found now before it and now behind it.
INDEX_MARGIN = 0.1
_SIGNS = {-1: ("minus", "−"), 1: ("plus", "+")}


def _axis(reader: Reader, root: str) -> Axis:
    return reader.row(root, Axis)


def _no_scale(result: ChainTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.problem:
        places = [result.at] if result.at else []
        yield finding("MOT-101", root, *places, problem=result.problem)


def _no_drive(result: ChainTold, reader: Reader, root: str) -> Iterator[Finding]:
    if _axis(reader, root).drive is None:
        yield finding("MOT-102", (root, "drive"), name=_axis(reader, root).name)


def _shared_drive(result: ChainTold, reader: Reader, root: str) -> Iterator[Finding]:
    axis = _axis(reader, root)
    if axis.drive is None:
        return
    for other in reader.referring(Axis, "drive", axis.drive):
        if other.id != root and other.key == axis.key and other.id < root:
            yield finding("MOT-103", (root, "drive"), (other.id, "drive"), name=axis.name, other=other.name)


def _same_name(result: ChainTold, reader: Reader, root: str) -> Iterator[Finding]:
    axis = _axis(reader, root)
    for other in reader.children(Axis, axis.controller):
        if other.id < root and other.name.lower() == axis.name.lower():
            yield finding("MOT-104", (root, "name"), (other.id, "name"), name=axis.name)


def _too_quick(result: ChainTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.motor_rpm and result.rated_rpm and result.motor_rpm > result.rated_rpm:
        yield finding("MOT-105", (root, "settings.speed"), rpm=shown(result.motor_rpm, 5),
                      rated=shown(result.rated_rpm, 5))  # fmt: skip


def _no_fraction(result: ChainTold, reader: Reader, root: str) -> Iterator[Finding]:
    scale = result.scale
    if scale is None:
        return
    if scale.numerator is None:
        yield finding("MOT-106", root, what=f"{shown(scale.value)} counts a unit lie beyond what a fraction of 32-bit "
                      "numbers can say")  # fmt: skip
    elif scale.most_counts is not None and scale.most_counts > INT32:
        yield finding("MOT-106", root, what=f"the far end of the travel is {shown(scale.most_counts, 12)} counts from "
                      f"0, and signed 32 bits count to {INT32}")  # fmt: skip


def _coarse(result: ChainTold, reader: Reader, root: str) -> Iterator[Finding]:
    window = number_at(_axis(reader, root).settings, "window")
    if result.scale and window and COUNTS_A_WINDOW * result.scale.resolution > window:
        yield finding("MOT-107", (root, "settings.window"), window=shown(window), unit=result.unit,
                      count=shown(result.scale.resolution, 4))  # fmt: skip


def _modulo_drifts(result: ChainTold, reader: Reader, root: str) -> Iterator[Finding]:
    scale = result.scale
    if scale and not scale.modulo_is_whole:
        drift = scale.modulo_drift_an_hour
        tail = f"; rounded, it is off by {shown(drift, 3)} {result.unit} an hour at the highest speed" if drift else ""
        yield finding("MOT-108", (root, "settings.modulo"), counts=scale.modulo_counts, tail=tail)


def _range_breaks(result: ChainTold, reader: Reader, root: str) -> Iterator[Finding]:
    scale = result.scale
    if scale and scale.range is not None and scale.modulo_counts and not scale.range_is_whole:
        yield finding("MOT-109", (root, "settings.modulo"), range=shown(scale.range), unit=result.unit)


def _range_short(result: ChainTold, reader: Reader, root: str) -> Iterator[Finding]:
    scale = result.scale
    if scale is None or scale.range is None or scale.modulo_counts:
        return
    settings = _axis(reader, root).settings
    low, high = (number_at(settings, f"soft_{way}") for way in ("minus", "plus"))
    if high - low > scale.range:
        yield finding("MOT-110", (root, "settings.soft_plus"), range=shown(scale.range), travel=shown(high - low),
                      unit=result.unit)  # fmt: skip


def _peak(result: LoadTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and result.peak_allowed is not None and result.peak > result.peak_allowed:
        yield finding("MOT-111", (root, "settings.acceleration"), peak=shown(result.peak, 4),
                      allowed=shown(result.peak_allowed, 4))  # fmt: skip


def _warm(result: LoadTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and result.rms is not None and result.rms_allowed is not None and result.rms > result.rms_allowed:
        yield finding("MOT-112", root, rms=shown(result.rms, 4), allowed=shown(result.rms_allowed, 4))


def _brake_slips(result: LoadTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and result.brake and result.brake.holds_nm < result.brake.asked_nm:
        yield finding("MOT-113", root, holds=shown(result.brake.holds_nm, 4), asked=shown(result.brake.asked_nm, 4))


def _no_brake(result: LoadTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and result.pulls_back and result.brake is None:
        yield finding("MOT-114", root, hold=shown(result.hold, 4))


def _comes_back(result: LoadTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    braking = result.braking if result else None
    takes = braking.capacitors_j if braking else None
    if braking and takes is not None and not braking.resistor and braking.energy_j > takes:
        yield finding("MOT-115", (root, "settings.resistor_w"), energy=shown(braking.energy_j, 3),
                      takes=shown(takes, 3))  # fmt: skip


def _end_places(root: str, end: EndTold, *what: str) -> list[tuple[str, str]]:
    return [(root, f"settings.{each}_{_SIGNS[end.way][0]}") for each in what]


def _soft_gap(result: TravelTold, reader: Reader, root: str) -> Iterator[Finding]:
    yield from _short_gaps(result, root, "MOT-121", "soft", "switch")


def _stop_gap(result: TravelTold, reader: Reader, root: str) -> Iterator[Finding]:
    yield from _short_gaps(result, root, "MOT-122", "switch", "stop")


def _short_gaps(result: TravelTold, root: str, code: str, one: str, other: str) -> Iterator[Finding]:
    for end in result.ends:
        gap = end.soft_gap if one == "soft" else end.switch_gap
        if gap is not None and end.in_order and result.stopping is not None and gap < result.stopping:
            yield finding(code, *_end_places(root, end, one, other), sign=_SIGNS[end.way][1], gap=shown(gap, 4),
                          stopping=shown(result.stopping, 4))  # fmt: skip


def _cam_ends(result: TravelTold, reader: Reader, root: str) -> Iterator[Finding]:
    for end in result.ends:
        if end.cam_reaches is False and end.in_order:
            yield finding("MOT-123", *_end_places(root, end, "stop"), (root, "settings.cam"), sign=_SIGNS[end.way][1],
                          gap=shown(end.switch_gap or 0, 4))  # fmt: skip


def _disordered(result: TravelTold, reader: Reader, root: str) -> Iterator[Finding]:
    for end in result.ends:
        if not end.in_order:
            yield finding("MOT-124", *_end_places(root, end, "soft", "switch", "stop"), sign=_SIGNS[end.way][1])


def _crossed(result: TravelTold, reader: Reader, root: str) -> Iterator[Finding]:
    low, high = (end.soft for end in result.ends) if result.ends else (None, None)
    if low is not None and high is not None and low >= high:
        yield finding("MOT-125", (root, "settings.soft_minus"), (root, "settings.soft_plus"))


def _near_index(result: TravelTold, reader: Reader, root: str) -> Iterator[Finding]:
    turn = _axis(reader, root).settings.get("index_turn")
    if isinstance(turn, int | float) and not INDEX_MARGIN <= turn <= 1 - INDEX_MARGIN:
        yield finding("MOT-126", (root, "settings.index_turn"), turn=shown(turn))


def _lags(result: TravelTold, reader: Reader, root: str) -> Iterator[Finding]:
    allowed = number_at(_axis(reader, root).settings, "following")
    if allowed and result.following_error is not None and result.following_error > allowed:
        yield finding("MOT-127", (root, "settings.following"), (root, "settings.gain"),
                      error=shown(result.following_error, 4), allowed=shown(allowed))  # fmt: skip


def _unnamed(result: CommandsTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result is None and isinstance(reader.find(_axis(reader, root).drive), Station):
        yield finding("MOT-131", (root, "profile"), name=_axis(reader, root).name)


def _without_signals(result: CommandsTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    without = [word.label for word in missing(result) if not word.problem] if result else []
    if without:
        more = f" and {len(without) - 3} more" if len(without) > 3 else ""
        yield finding("MOT-132", (root, "profile"), name=_axis(reader, root).name,
                      words=", ".join(without[:3]) + more)  # fmt: skip


def _wrong_words(result: CommandsTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    for word in result.words if result else ():
        if word.problem:
            yield finding("MOT-133", (root, f"word {word.role}"), word=word.label, problem=word.problem)


def _too_many_pulses(result: StepperTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and result.hz is not None and result.most_hz is not None and result.hz > result.most_hz:
        yield finding("MOT-141", (root, "settings.speed"), (root, "key"), hz=shown(result.hz, 6),
                      most=shown(result.most_hz, 6))  # fmt: skip


def _no_ramp(result: StepperTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    ramp = number_at(_axis(reader, root).settings, "acceleration")
    if result and result.hz is not None and result.starts_hz is not None and result.hz > result.starts_hz and not ramp:
        yield finding("MOT-142", (root, "settings.acceleration"), hz=shown(result.hz, 6),
                      starts=shown(result.starts_hz, 4))  # fmt: skip


def _too_much_current(result: StepperTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and result.current_peak and result.rated_peak and result.current_peak > result.rated_peak * (1 + 1e-9):
        yield finding("MOT-143", root, peak=shown(result.current_peak, 3), rated=shown(result.rated_peak, 3))


def _wrong_way_round(result: StepperTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    """A sourcing output drives what takes current in, a sinking one what gives it."""
    if result and result.polarity and result.driver_input and result.polarity != result.driver_input:
        words = {"sourcing": "plus", "sinking": "minus"}
        yield finding("MOT-144", (root, "drive"), driver=result.driver, wants=words[result.driver_input],
                      switches=words[result.polarity])  # fmt: skip


def _short_pulses(result: StepperTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and result.pulse_us is not None and result.least_pulse_us and result.pulse_us < result.least_pulse_us:
        yield finding("MOT-145", (root, "settings.speed"), pulse=shown(result.pulse_us, 3), driver=result.driver,
                      least=shown(result.least_pulse_us, 3))  # fmt: skip


def _shared_outputs(result: StepperTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    for signal in result.shared if result else ():
        yield finding("MOT-147", (root, "key"), signal, signal=reader.value(signal, Signal, "name"))


def _no_such_switches(result: StepperTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and result.driver and not (result.microstep_switches and (result.current_switches or not
                                                                        result.current_peak)):  # fmt: skip
        what = "these microsteps" if not result.microstep_switches else "this current"
        yield finding("MOT-146", root, driver=result.driver, what=what)


CHECKS: tuple[Check, ...] = (
    Check(
        "MOT-101", "axis.chain", "motion", "error", "Chain without an end",
        "The chain gives no scale: {problem}.",
        "Counts a unit follow from every link between encoder and load; without them no move has a length.", _no_scale,
    ),
    Check(
        "MOT-102", "axis.chain", "motion", "warning", "Axis without a drive",
        "{name} has no drive.",
        "Nothing turns its motor, so it can be worked out but not moved.", _no_drive,
    ),
    Check(
        "MOT-103", "axis.chain", "motion", "error", "Two axes on one drive",
        "{name} and {other} are of the same drive.",
        "Both would command one motor, each by its own scale.", _shared_drive,
    ),
    Check(
        "MOT-104", "axis.chain", "motion", "error", "Two axes of one name",
        "Two axes of this controller are called {name}.",
        "A program could not say which of them it means.", _same_name,
    ),
    Check(
        "MOT-105", "axis.chain", "motion", "error", "Quicker than the motor",
        "At the highest speed the motor would turn at {rpm} 1/min; its rated speed is {rated} 1/min.",
        "The drive cuts the speed off, and the axis runs behind its command until it is switched off.", _too_quick,
    ),
    Check(
        "MOT-106", "axis.chain", "motion", "error", "Positions beyond 32 bits",
        "The positions do not fit a drive: {what}.",
        "Position and scale are signed 32-bit numbers in drive and controller; beyond them a position jumps to the "
        "other end.", _no_fraction, "IEC 61800-7-201, factor group",
    ),
    Check(
        "MOT-107", "axis.chain", "motion", "warning", "Window of few counts",
        "A window of {window} {unit} is less than ten counts of {count} {unit}.",
        "At rest an encoder changes by a count or two; the axis would report in position and out of it by chance.",
        _coarse,
    ),
    Check(
        "MOT-108", "axis.chain", "motion", "warning", "Endless axis drifts",
        "After each round the axis counts from 0 again, and a round is {counts} counts: not a whole number{tail}.",
        "What is rounded off at every round adds up as long as it turns.", _modulo_drifts,
    ),
    Check(
        "MOT-109", "axis.chain", "motion", "error", "Absolute position lost after a range",
        "The encoder's range of {range} {unit} is no whole number of rounds.",
        "Each time the encoder begins anew, the position after switching on is off by what is left of a round.",
        _range_breaks,
    ),
    Check(
        "MOT-110", "axis.chain", "motion", "error", "Travel beyond the encoder's range",
        "From soft limit to soft limit it is {travel} {unit}; the encoder knows its position over {range} {unit}.",
        "Switched on beyond that, the axis believes it is elsewhere.", _range_short,
    ),
    Check(
        "MOT-111", "axis.load", "motion", "error", "More torque than there is",
        "Moving the load takes up to {peak} Nm at the motor; motor and drive give {allowed} Nm.",
        "The axis falls behind its command while it accelerates, and the drive switches off.", _peak,
    ),
    Check(
        "MOT-112", "axis.load", "motion", "error", "Motor too warm over the cycle",
        "Over its moves the motor gives {rms} Nm on average of squares; it may {allowed} Nm.",
        "It reaches its temperature limit after some time, and the drive switches off in the middle of a shift.", _warm,
    ),
    Check(
        "MOT-113", "axis.load", "motion", "error", "Brake slips",
        "The brake holds {holds} Nm, and the load asks for {asked} Nm at the motor.",
        "Without power the load sinks.", _brake_slips,
    ),
    Check(
        "MOT-114", "axis.load", "motion", "warning", "Climbing axis without a brake",
        "Gravity pulls with {hold} Nm at the motor, and no brake is set.",
        "Unless the gear holds by itself, the load falls whenever the drive is off.", _no_brake,
    ),
    Check(
        "MOT-115", "axis.load", "motion", "warning", "Braking energy has nowhere to go",
        "A stop from the highest speed brings {energy} J back; the capacitors take {takes} J, and no resistor is set.",
        "The drive switches off for over-voltage, and the axis runs out.", _comes_back,
    ),
    Check(
        "MOT-121", "axis.travel", "motion", "error", "Soft limit too near to the switch",
        "From soft limit {sign} to the switch it is {gap}, and stopping takes {stopping}.",
        "An axis that is stopped by its soft limit runs over the switch.", _soft_gap,
    ),
    Check(
        "MOT-122", "axis.travel", "motion", "error", "Switch too near to the hard stop",
        "From switch {sign} to the hard stop it is {gap}, and stopping takes {stopping}.",
        "An axis that is stopped by its switch hits the end.", _stop_gap,
    ),
    Check(
        "MOT-123", "axis.travel", "motion", "error", "Switch let go before the end",
        "What holds switch {sign} is shorter than the {gap} from there to the hard stop.",
        "Beyond it the switch is free again: the axis is at its end and reports that it is not, and homing goes the "
        "wrong way.", _cam_ends,
    ),
    Check(
        "MOT-124", "axis.travel", "motion", "error", "Limits out of order",
        "Going {sign}, soft limit, switch and hard stop do not come in this order.",
        "Each is there for when the one before it did not stop the axis.", _disordered,
    ),
    Check(
        "MOT-125", "axis.travel", "motion", "error", "Nowhere to go",
        "Soft limit − lies at soft limit + or beyond it.",
        "No position is allowed.", _crossed,
    ),
    Check(
        "MOT-126", "axis.travel", "motion", "warning", "Index at the switch's edge",
        "The index comes {turn} of a turn behind the edge of the switch.",
        "With a little wear or warmth it comes before the edge: the axis is off by a whole turn after homing. Between "
        "0.1 and 0.9 of a turn is safe; turn the motor on its coupling, or move the switch.", _near_index,
    ),
    Check(
        "MOT-127", "axis.travel", "motion", "warning", "Following error beyond what is allowed",
        "At the highest speed the axis is {error} behind its command; {allowed} are allowed.",
        "The drive switches off as soon as the axis reaches its speed.", _lags,
    ),
    Check(
        "MOT-131", "axis.commands", "motion", "note", "Nobody commands it",
        "{name} has a drive, and no profile says which words command it.",
        "Commands and the trial move go through the words that its drive exchanges.", _unnamed,
    ),
    Check(
        "MOT-132", "axis.commands", "motion", "warning", "Words without signals",
        "{name} cannot be commanded: {words} have no signal.",
        "A program, and the trial move, command an axis through all of its words.", _without_signals,
    ),
    Check(
        "MOT-133", "axis.commands", "motion", "error", "Word at the wrong place",
        "{word}: {problem}.",
        "The drive takes what stands where its profile says; elsewhere nobody reads it, or something else is read.",
        _wrong_words,
    ),
    Check(
        "MOT-141", "axis.stepper", "motion", "error", "More pulses than the output gives",
        "The highest speed takes {hz} Hz; the output gives {most} Hz at most.",
        "The output stays behind, and the axis is slower than its program believes.", _too_many_pulses,
    ),
    Check(
        "MOT-142", "axis.stepper", "motion", "error", "Too quick to start without a ramp",
        "It is to start at {hz} Hz at once; with its load the motor starts up to {starts} Hz.",
        "Beyond that it hums and stands, and every pulse is lost.", _no_ramp,
    ),
    Check(
        "MOT-143", "axis.stepper", "motion", "error", "More current than the motor bears",
        "The driver is set to {peak} A peak; the motor is rated for {rated} A peak.",
        "The rating is RMS, its peak √2 of that: a motor that gets more grows too hot to touch and then fails.",
        _too_much_current,
    ),
    Check(
        "MOT-144", "axis.stepper", "motion", "error", "Output and driver do not fit",
        "{driver} wants outputs that switch {wants}; these switch {switches}.",
        "No current flows through its input: no pulse is seen.", _wrong_way_round,
    ),
    Check(
        "MOT-145", "axis.stepper", "motion", "error", "Pulses too short for the driver",
        "At the highest speed a pulse lasts {pulse} µs; {driver} needs {least} µs.",
        "Pulses that are too short are seen now and then: the axis loses steps.", _short_pulses,
    ),
    Check(
        "MOT-146", "axis.stepper", "motion", "warning", "No switches for this",
        "{driver} has no switches for {what}.",
        "What is computed here would not be what the driver does.", _no_such_switches,
    ),
    Check(
        "MOT-147", "axis.stepper", "motion", "error", "Output with two masters",
        "{signal} is written to an output that gives this axis its pulses or their direction.",
        "What the program writes there moves the axis, or turns it round.", _shared_outputs,
    ),
)  # fmt: skip
