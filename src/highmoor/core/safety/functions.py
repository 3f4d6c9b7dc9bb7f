"""How soon and how surely a safety function acts, of its lanes, and what would help where that is not enough."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from fractions import Fraction
from typing import cast

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.errors import Refusal
from highmoor.core.figures.safety.failures import LEVELS, Level, level_of
from highmoor.core.figures.safety.response import ResponsePart, response_ms
from highmoor.core.numbers import exact, fraction_at, plain, shown
from highmoor.core.plant.rows import SafetyFunction, SafetyPart
from highmoor.core.safety.failing import lowest
from highmoor.core.safety.lanes import lane_of, logic_of
from highmoor.core.safety.settings import ASKED, SIL_OF
from highmoor.core.safety.told import FunctionTold, LaneTold, LevelTold, SegmentTold, TimeTold


def rank(level: str) -> int:
    """How high a level is: 0 for none, 5 for PL e."""
    return LEVELS.index(cast(Level, level)) + 1 if level else 0


def _told(reader: Reader, root: str) -> FunctionTold:
    function = reader.row(root, SafetyFunction)
    parts = reader.children(SafetyPart, root)
    demand = fraction_at(function.settings, "demand_per_h")
    logic = logic_of(reader, function.controller)
    sensors = tuple(lane_of(reader, part, demand) for part in parts if part.role == "sensor")
    actuators = tuple(lane_of(reader, part, demand) for part in parts if part.role == "actuator")
    time, level = _time(sensors, logic, actuators), _level(sensors, logic, actuators, ASKED.get(function.asked, ""))
    change = (*_sooner(time, function.asked_ms), *_surer(level))
    return FunctionTold(sensors, logic, actuators, time, level, change)


def total_ms(told: FunctionTold, sensor: str) -> float | None:
    """From a demand at one sensor to standstill at worst; None where that cannot be told."""
    lane = next((one for one in told.sensors if one.part == sensor), None)
    if lane is None or not told.actuators:
        return None
    totals = [_way(lane, told.logic, actuator).total_ms for actuator in told.actuators]
    return None if None in totals else max(one for one in totals if one is not None)


def _time(sensors: tuple[LaneTold, ...], logic: SegmentTold, actuators: tuple[LaneTold, ...]) -> TimeTold:
    """Of all ways through the function the one that takes longest: the worst sensor's, to the worst actuator."""
    if not sensors or not actuators:
        missing = [what for what, lanes in (("a sensor", sensors), ("an actuator", actuators)) if not lanes]
        return TimeTold("", "", (), None, 0, "", 0, None, None, tuple(missing))
    ways = [_way(sensor, logic, actuator) for sensor in sensors for actuator in actuators]
    # One that cannot be told yet may be worse than all others.
    return max(
        ways, key=lambda way: (way.total_ms is None, way.response_ms is None, way.total_ms or way.response_ms or 0)
    )


def _way(sensor: LaneTold, logic: SegmentTold, actuator: LaneTold) -> TimeTold:
    segments = (*sensor.segments, logic, *actuator.segments)
    missing = [f"how {sensor.segments[0].label} reaches the safe part"] if sensor.problem else []
    missing += [f"how the safe part reaches {actuator.segments[-1].label}"] if actuator.problem else []
    missing += [f"how long {one.label} takes" for one in segments if one.worst_ms is None]
    costly = max((one for one in segments if one.watchdog_ms is not None), key=_beyond)
    response = None
    if not missing:
        try:
            response = response_ms([_response_part(one) for one in segments])
        except Refusal as refusal:
            missing.append(refusal.reason.rstrip("."))
    if actuator.stop_ms is None:
        missing.append(f"how long the machine takes to stop by {actuator.segments[-1].label}")
    total = None
    if response is not None and actuator.stop_ms is not None:
        total = float(response + exact(actuator.delay_ms) + exact(actuator.stop_ms))
    return TimeTold(
        sensor.part, actuator.part, segments, None if response is None else float(response),
        float(max(_beyond(costly), Fraction(0))), f"{costly.kind}.{costly.of}", actuator.delay_ms, actuator.stop_ms,
        total, tuple(missing),
    )  # fmt: skip


def _response_part(one: SegmentTold) -> ResponsePart:
    return ResponsePart(exact(one.worst_ms or 0), None if one.watchdog_ms is None else exact(one.watchdog_ms))


def _beyond(one: SegmentTold) -> Fraction:
    return exact(one.watchdog_ms or 0) - exact(one.worst_ms or 0)


def _level(sensors: tuple[LaneTold, ...], logic: SegmentTold, actuators: tuple[LaneTold, ...], asked: str) -> LevelTold:
    """Of the demand that is answered least surely: each sensor's is one, and every actuator has to act."""
    demands = [_reached(_counted(sensor, logic, actuators)) for sensor in sensors if actuators]
    if not demands:
        return LevelTold((), None, at_least=True, level="", sil=0, asked=asked, enough=None)
    worst = min(demands, key=lambda one: (not one.at_least, rank(one.level), -(one.pfh or 0)))
    enough = None if not asked or worst.at_least else rank(worst.level) >= rank(asked)
    return replace(worst, asked=asked, enough=enough)


def _counted(sensor: LaneTold, logic: SegmentTold, actuators: Iterable[LaneTold]) -> tuple[SegmentTold, ...]:
    """What of a demand can fail, each once however many lanes go through it. A link's failures are within its ends'."""
    found: dict[str, SegmentTold] = {}
    for one in (*sensor.segments, logic, *(one for lane in actuators for one in lane.segments)):
        if one.kind != "link":
            found.setdefault(one.of, one)
    return tuple(found.values())


def _reached(counted: tuple[SegmentTold, ...]) -> LevelTold:
    """The level of the sum, and no higher than that of the lowest (ISO 13849-1:2015, 6.3)."""
    given = [exact(one.pfh) for one in counted if one.pfh is not None]
    total = sum(given, Fraction(0))
    at_least = len(given) < len(counted)
    level = "" if at_least else lowest(level_of(total) or "", *(one.level for one in counted))
    return LevelTold(counted, float(total) if given else None, at_least, level, SIL_OF[level], "", None)


def _sooner(time: TimeTold, asked_ms: float | None) -> Iterator[str]:
    """What would have to take how much less, so that it is soon enough: what takes longest first."""
    if asked_ms is None or time.total_ms is None or time.total_ms <= asked_ms:
        return
    over = exact(time.total_ms) - exact(asked_ms)
    times = [(one.label, exact(one.worst_ms or 0)) for one in time.segments]
    times += [
        ("the machine's stop", exact(time.stop_ms or 0)),
        ("the delay before the supply goes", exact(time.delay_ms)),
        ("what the longest watchdog costs", exact(time.fault_ms)),
    ]
    for label, ms in sorted(times, key=lambda one: -one[1])[:3]:
        if ms > over:
            yield f"{shown(plain(ms - over))} ms instead of {shown(plain(ms))} ms for {label} would be soon enough."


def _surer(level: LevelTold) -> Iterator[str]:
    """Which part keeps the level down: those that are lower than asked, or the one that fails most."""
    if level.enough is not False:
        return
    below = [one for one in level.counted if rank(one.level) < rank(level.asked)]
    for one in below:
        yield f"{one.label} reaches {f'PL {one.level}' if one.level else 'no level'} by itself."
    if not below:
        most = max(level.counted, key=lambda one: one.pfh or 0)
        yield f"{most.label} fails most: {(most.pfh or 0) / (level.pfh or 1):.0%} of the sum."


def _headlines(result: FunctionTold, reader: Reader, root: str) -> Iterator[Headline]:
    asked = reader.value(root, SafetyFunction, "asked_ms")
    if result.time.total_ms is not None:
        yield Headline(root, "stops", "Demand to standstill", result.time.total_ms, "ms", asked, "less")
    if result.time.response_ms is not None:
        yield Headline(root, "response", "Response", result.time.response_ms, "ms", None, "less")


PARTS: tuple[Part, ...] = (Part("function.told", "functions", _told, _headlines, shown=FunctionTold),)
