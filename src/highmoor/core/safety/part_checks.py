"""What can be wrong with a sensor or an actuator of a safety function: where it is wired, what it is made of."""

from __future__ import annotations

from collections.abc import Iterator
from math import ceil

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.figures.safety.distance import guard_distance
from highmoor.core.motion.settings import bounds_of
from highmoor.core.motion.told import LoadTold
from highmoor.core.numbers import exact, fraction_at, number_at, plain, shown
from highmoor.core.plant.rows import Axis, Controller, SafetyFunction, SafetyPart
from highmoor.core.safety.failing import CCF_NEEDED, MISSION_YEARS, WITH_TESTS
from highmoor.core.safety.functions import rank, total_ms
from highmoor.core.safety.lanes import BY_PLAIN, OVER_PLAIN, Wired, link_ms, wired_to
from highmoor.core.safety.pairs import finds_crossed
from highmoor.core.safety.settings import TORQUE_BLOCKS, safe_part_of, watchdog_of
from highmoor.core.safety.told import FunctionTold

_TOLD = "function.told"


def _parts(reader: Reader, root: str, role: str) -> list[SafetyPart]:
    return [part for part in reader.children(SafetyPart, root) if part.role == role]


def _wired(reader: Reader, root: str) -> Iterator[tuple[SafetyPart, Wired]]:
    """The parts of a function that are wired to a safe module."""
    for part in reader.children(SafetyPart, root):
        wired = wired_to(reader, part)
        if wired:
            yield part, wired


def _axis(reader: Reader, part: SafetyPart) -> Axis | None:
    row = reader.find(part.device)
    return row if isinstance(row, Axis) else None


def _pair_field(wired: Wired, key: str) -> tuple[str, str]:
    return wired.module.id, f"settings.pairs.{wired.pair.key}.{key}"


def _not_wired(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    for lane in (*result.sensors, *result.actuators):
        if lane.problem and lane.problem not in (OVER_PLAIN, BY_PLAIN):
            part = reader.row(lane.part, SafetyPart)
            yield finding("SAF-103", (lane.part, "place"), name=part.name, problem=lane.problem)


def _plain(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    for lane in (*result.sensors, *result.actuators):
        if lane.problem in (OVER_PLAIN, BY_PLAIN):
            part = reader.row(lane.part, SafetyPart)
            yield finding("SAF-104", (lane.part, "place"), name=part.name, problem=lane.problem)


def _single(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    """One channel alone where the level asks for two (category 3 or 4 for PL d and e, as a rule)."""
    if rank(result.level.asked) < rank("d"):
        return
    asked = reader.value(root, SafetyFunction, "asked")
    for part, wired in _wired(reader, root):
        if not wired.pair.together:
            yield finding("SAF-114", (part.id, "key"), _pair_field(wired, "evaluation"), name=part.name, asked=asked)


def _blind_wires(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.level.asked != "e":
        return
    asked = reader.value(root, SafetyFunction, "asked")
    for part, wired in _wired(reader, root):
        tests_itself = part.settings.get("pulsed") is True
        if wired.pair.inward and not tests_itself and not finds_crossed(wired.pair):
            yield finding("SAF-115", _pair_field(wired, "cross_circuit"), part.id, name=part.name, asked=asked)


def _pulse_passes(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    for part, wired in _wired(reader, root):
        passes, pulse = fraction_at(part.settings, "filter_ms"), exact(wired.facts.pulse_ms)
        if not wired.pair.inward and wired.pair.pulses and passes is not None and passes < pulse:
            yield finding("SAF-119", (part.id, "settings.filter_ms"), _pair_field(wired, "pulses"), name=part.name,
                          pulse=shown(pulse), passes=shown(passes))  # fmt: skip


def _drops(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    for part in _parts(reader, root, "actuator"):
        axis = _axis(reader, part)
        load: LoadTold | None = reader.part("axis.load", axis.id) if axis else None
        if axis and load and part.block in TORQUE_BLOCKS and load.pulls_back and load.brake is None:
            yield finding("SAF-117", (part.id, "device"), axis.id, name=axis.name, hold=shown(load.hold, 4))


def _short_ss1(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    for part in _parts(reader, root, "actuator"):
        axis = _axis(reader, part)
        ramp = ramp_ms(axis) if axis else None
        delay = number_at(part.settings, "delay_ms")
        if axis and part.block == "ss1-t" and ramp is not None and delay < ramp:
            yield finding("SAF-118", (part.id, "settings.delay_ms"), (axis.id, "settings.quick_ramp"), name=part.name,
                          delay=shown(delay), ramp=shown(ramp, 4))  # fmt: skip


def _trips(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    """A safe module's watchdog runs out while all is well; said once a module, of the first function that uses it."""
    controller = reader.row(reader.value(root, SafetyFunction, "controller"), Controller)
    logic = safe_part_of(controller.settings).worst
    for wired in {wired.module.id: wired for _, wired in _wired(reader, root)}.values():
        if root != min(part.function for part in reader.referring(SafetyPart, "place", wired.module.id)):
            continue
        one_way, watchdog = link_ms(reader, wired.module, wired.pair.key), watchdog_of(wired.module.settings)
        floor = None if one_way is None else 2 * one_way + exact(wired.facts.ack_ms) + logic
        if floor is not None and watchdog < floor:
            yield finding("SAF-123", (wired.module.id, "settings.safe_watchdog_ms"), name=wired.called,
                          watchdog=shown(watchdog), floor=shown(floor))  # fmt: skip


def _masked(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    """Contacts in series in one pair: opening the other door clears the fault of the first."""
    seen: dict[tuple[str | None, str], SafetyPart] = {}
    for part in _parts(reader, root, "sensor"):
        if part.place is None or part.settings.get("pulsed") is True:
            continue
        first = seen.setdefault((part.place, part.key), part)
        if first is not part:
            yield finding("SAF-116", (part.id, "key"), (first.id, "key"), one=first.name, other=part.name)


def ramp_ms(axis: Axis) -> float | None:
    """From its highest speed to standstill on its emergency-stop ramp, ms; None where either is not set."""
    bounds = bounds_of(axis)
    ramp = fraction_at(axis.settings, "quick_ramp")
    slower = ramp or bounds.deceleration or bounds.acceleration
    return float(1000 * bounds.speed / slower) if bounds.speed and slower else None


def _feedback_short(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    for part in _parts(reader, root, "actuator"):
        drops, waits = (fraction_at(part.settings, key) for key in ("drop_out_ms", "feedback_ms"))
        if drops is not None and waits is not None and waits < drops:
            yield finding("SAF-120", (part.id, "settings.feedback_ms"), name=part.name, waits=shown(plain(waits)),
                          drops=shown(plain(drops)))  # fmt: skip


def _common_cause(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    for part in reader.children(SafetyPart, root):
        points = fraction_at(part.settings, "ccf")
        category = str(part.settings.get("category") or "3")
        if points is not None and points < CCF_NEEDED and category in WITH_TESTS:
            yield finding("SAF-121", (part.id, "settings.ccf"), name=part.name, points=shown(plain(points)),
                          category=category)  # fmt: skip


def _worn(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    for lane in (*result.sensors, *result.actuators):
        for one in lane.segments:
            if one.of == lane.part and one.replace_years is not None and one.replace_years < MISSION_YEARS:
                yield finding("SAF-122", (lane.part, "settings.b10d"), name=one.label,
                              years=shown(one.replace_years, 3))  # fmt: skip


def guard_needs(told: FunctionTold, part: SafetyPart) -> float | None:
    """How far behind a guard the hazard has to lie, mm; None where it is locked, or the stop cannot be told."""
    total = total_ms(told, part.id)
    if part.block != "guard" or total is None or part.settings.get("locked") is True:
        return None
    opening, reach = (exact(number_at(part.settings, key)) for key in ("opening_ms", "reach_mm"))
    return float(guard_distance(exact(total) / 1000, opening / 1000, reach))


def _near_guard(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    for part in _parts(reader, root, "sensor"):
        needed, there = guard_needs(result, part), fraction_at(part.settings, "distance_mm")
        if needed is not None and there is not None and there < exact(needed):
            yield finding("SAF-129", (part.id, "settings.distance_mm"), (part.id, "settings.locked"), name=part.name,
                          there=shown(plain(there)), needed=shown(ceil(needed)))  # fmt: skip


def _unplaced_guard(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    for part in _parts(reader, root, "sensor"):
        locked = part.settings.get("locked") is True
        if part.block == "guard" and not locked and "distance_mm" not in part.settings:
            yield finding("SAF-130", (part.id, "settings.distance_mm"), name=part.name)


PART_CHECKS: tuple[Check, ...] = (
    Check(
        "SAF-103", _TOLD, "safety", "error", "Not wired to a safe module",
        "{name} {problem}.", "Only what reaches the safe part can stop anything.", _not_wired,
    ),
    Check(
        "SAF-104", _TOLD, "safety", "error", "Safety over a plain connection",
        "{name} {problem}: that is information only.",
        "A plain module or exchange notices no loss, delay or short circuit in time; nothing may rely on it.",
        _plain, "IEC 61784-3, 5",
    ),
    Check(
        "SAF-114", _TOLD, "safety", "warning", "One channel where two are asked for",
        "{name} is taken by one channel alone under {asked}.",
        "A single fault would take the function away; PL d and e are reached by two channels, as a rule.", _single,
        "ISO 13849-1:2015, 6.2.6",
    ),
    Check(
        "SAF-115", _TOLD, "safety", "error", "Cross circuit not found under PL e",
        "{name}: a short between its two channels would not be seen, and {asked} is asked.",
        "One short circuit makes one channel of two, and nobody knows until the second fault.", _blind_wires,
        "ISO 13849-1:2015, 6.2.7; ISO 13849-2, D.2",
    ),
    Check(
        "SAF-116", _TOLD, "safety", "warning", "Several contacts in one pair",
        "{one} and {other} are in series in one pair.",
        "A fault of one is masked as soon as the other is opened and closed. Each in a pair of its own is found.",
        _masked, "ISO/TR 24119",
    ),
    Check(
        "SAF-117", _TOLD, "safety", "error", "Load that falls when it is stopped",
        "{name}: its load pulls with {hold} Nm at the motor, and without a brake nothing holds it under STO.",
        "STO takes the torque away: a load that hangs comes down.", _drops, "IEC 61800-5-2, 4.2.3.2",
    ),
    Check(
        "SAF-118", _TOLD, "safety", "error", "Supply goes before the drive stands",
        "{name}: its supply goes after {delay} ms, and braking from the highest speed takes {ramp} ms.",
        "What has not been braked by then runs out, and takes longer than either.", _short_ss1,
        "IEC 61800-5-2, 4.2.3.3",
    ),
    Check(
        "SAF-119", _TOLD, "safety", "warning", "Test pulse that switches",
        "{name} sees test pulses of {pulse} ms: its input passes over {passes} ms only.",
        "It would drop out each time the output tests itself.", _pulse_passes, "IEC 61131-6, 8",
    ),
    Check(
        "SAF-120", _TOLD, "safety", "error", "Feedback expected too early",
        "{name} drops out within {drops} ms, and its feedback is expected within {waits} ms.",
        "The function would report a welded contact that is none.", _feedback_short, "PLCopen Safety, part 1, SF_EDM",
    ),
    Check(
        "SAF-121", _TOLD, "safety", "error", "Common cause not held off",
        "{name}: {points} points against common cause, and category {category} takes 65.",
        "One cause could take both channels at once; the category may not be claimed.", _common_cause,
        "ISO 13849-1:2015, annex F",
    ),
    Check(
        "SAF-122", _TOLD, "safety", "note", "To be replaced in time",
        "{name} has to be replaced after {years} years.",
        "By then a tenth of its kind has failed dangerously; after that its figures no longer hold.", _worn,
        "ISO 13849-1:2015, C.4.2",
    ),
    Check(
        "SAF-129", _TOLD, "safety", "error", "Guard too near to the hazard",
        "The hazard lies {there} mm behind {name}; {needed} mm are needed, or a lock until all stands.",
        "Whoever opens it and walks on is there before it stands.", _near_guard, "ISO 13855:2010, 9",
    ),
    Check(
        "SAF-130", _TOLD, "safety", "note", "Distance of a guard not known",
        "Nothing says how far the hazard lies behind {name}, or that it is locked until all stands.",
        "A guard that opens at once has to stand as far off as a field would.", _unplaced_guard, "ISO 13855:2010, 9",
    ),
    Check(
        "SAF-123", _TOLD, "safety", "error", "Watchdog that runs out while all is well",
        "{name} watches its safe telegrams for {watchdog} ms; there and back with both ends takes up to {floor} ms.",
        "The module would be held safe now and then, for no reason that anybody finds.", _trips, "IEC 61784-3, 5.4",
    ),
)  # fmt: skip
