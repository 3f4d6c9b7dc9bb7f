"""What hands do to a scanner on the bench, and how near somebody who walks is when all stands."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Any

from highmoor.core.bench.rail import NS_A_MS
from highmoor.core.bench.safety.controller import ControllerSafety
from highmoor.core.bench.safety.scanner import LEG_RADIUS_MM, XY, SimulatedScanner
from highmoor.core.errors import Refusal
from highmoor.core.numbers import fraction_at
from highmoor.core.plant.rows import PlanShape, SafetyPart, Situation
from highmoor.core.safety.scanner.shapes import read_points
from highmoor.core.safety.scanner.types import off_line

_PATH_AT_MOST = 20


def _select(scanner: SimulatedScanner, value: Any) -> None:
    if not isinstance(value, str) or len(value) != scanner.of.inputs or {*value} - {"0", "1"}:
        raise Refusal(f"A pattern of {scanner.of.inputs} inputs is needed, in 0 and 1.", value=value)
    scanner.select(value)


def _walk(scanner: SimulatedScanner, value: Any) -> None:
    points = read_points(value, 2)
    if len(points) > _PATH_AT_MOST:
        raise Refusal(f"A path has at most {_PATH_AT_MOST} points.", value=len(points))
    scanner.walk(*((float(x), float(y)) for x, y in points))


SCANNER_DEEDS: dict[str, Callable[[SimulatedScanner, Any], None]] = {
    "select": _select,
    "walk": _walk,
    "leave": lambda scanner, value: scanner.leave(),
}


def scanner_seen(one: ControllerSafety, key: str) -> dict[str, Any]:
    """A scanner as it is now; times in ms since somebody began to walk, mm."""
    scanner, now = one.scanners[key], one.clock.now_ns
    person = scanner.person
    began = person.since if person else now
    return {
        "pattern": scanner.pattern,
        "situation": scanner.situation.id if scanner.situation else None,
        "situation_name": _called(one, scanner),
        "driven": sorted(one.driven[key].terminals) if key in one.driven else [],
        "outputs": {str(n): output.on for n, output in scanner.outputs.items()},
        "person": list(person.at(now)) if person else None,
        "walked_ms": (now - began) / NS_A_MS,
        "switched": [
            {"ms": (each.at - began) / NS_A_MS, "output": each.output, "on": each.on} for each in scanner.seen
        ] if person else [],
        "left_mm": _left(one, key),
    }  # fmt: skip


def _called(one: ControllerSafety, scanner: SimulatedScanner) -> str:
    """What its situation is called in the device: it need not be configured any more."""
    row = one.in_devices.find(scanner.situation.id) if scanner.situation else None
    return row.name if isinstance(row, Situation) else ""


def _left(one: ControllerSafety, key: str) -> float | None:
    """How far from the hazard somebody is when the last of what was stopped stands; None while anything runs."""
    scanner = one.scanners[key]
    if scanner.person is None or scanner.situation is None:
        return None
    functions = {
        part.function
        for part in (one.plant.get(i, SafetyPart) for i in one.plant.referring("safety_parts", "device", key))
    }
    stands: list[int] = []
    for row, (_, actuator) in one.actuators.items():
        part = one.plant.get(row, SafetyPart)
        stop = fraction_at(part.settings, "stop_ms")
        if part.function not in functions or stop is None:
            continue
        if actuator.supplied or actuator.since < scanner.person.since:
            return None
        stands.append(actuator.since + round(stop * NS_A_MS))
    shapes = one.plant.children(PlanShape, key)
    here = [one for one in shapes if one.kind == "hazard" and one.situation in (None, scanner.situation.id)]
    hazards = [[(float(x), float(y)) for x, y in one.settings["points"]] for one in here if "points" in one.settings]
    if not stands or not hazards:
        return None
    leg = scanner.person.at(max(stands))
    return max(0.0, min(_distance(leg, ring) for ring in hazards) - LEG_RADIUS_MM)


def _distance(spot: XY, ring: Sequence[XY]) -> float:
    """From a place to an area; 0 within it."""
    sides = list(pairwise([*ring, ring[0]]))
    crossed = sum(
        (a[1] > spot[1]) != (b[1] > spot[1])
        and spot[0] < a[0] + (spot[1] - a[1]) * (b[0] - a[0]) / (b[1] - a[1])
        for a, b in sides
    )  # fmt: skip
    return 0.0 if crossed % 2 else min(off_line(spot, a, b) for a, b in sides)
