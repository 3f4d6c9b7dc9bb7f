"""What follows from what is sealed, and is sealed with it: rounded up, so that nothing is lost in a digit nobody reads.

So an edit of something plain that makes a function later breaks the seal by that function's name.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

from highmoor.core.analysis.engine import Reader
from highmoor.core.plant.rows import Controller, SafetyFunction, Scanner, Situation
from highmoor.core.safety.scanner.told import SituationTold
from highmoor.core.safety.seal.canonical import canonical, unset
from highmoor.core.safety.seal.paths import Paths
from highmoor.core.safety.seal.plain import ReaderSight
from highmoor.core.safety.seal.tree import Item
from highmoor.core.safety.told import FunctionTold

# What is worked out twice in different order may differ by so much, and means the same.
_NOISE = 1e-6


def rounded_up(value: float | None) -> int | None:
    """To a whole ms or mm."""
    return None if value is None else math.ceil(value - _NOISE)


def results_of(reader: Reader, controller: Controller) -> Iterator[Item]:
    """Response, standstill and level of each function; of each output of a scanner the distance it needs and lacks."""
    paths = Paths(ReaderSight(reader))
    own = paths.of(controller.id)
    for function in reader.children(SafetyFunction, controller.id):
        told: FunctionTold | None = reader.part("function.told", function.id)
        if told is not None:
            yield from _items(own, paths.of(function.id), function.id, {
                "response_ms": rounded_up(told.time.response_ms), "standstill_ms": rounded_up(told.time.total_ms),
                "level": told.level.level, "sil": told.level.sil, "missing": list(told.time.missing),
            })  # fmt: skip
    for scanner in reader.children(Scanner, controller.id):
        for situation in reader.children(Situation, scanner.id):
            yield from _situation(reader, paths.of(scanner.id), situation)


def _situation(reader: Reader, device: str, situation: Situation) -> Iterator[Item]:
    told: SituationTold | None = reader.part("situation.told", situation.id)
    for guard in told.guards if told else ():
        yield from _items(device, f"situation {situation.name}, output {guard.output}", situation.id, {
            "standstill_ms": rounded_up(guard.total_ms), "distance_mm": rounded_up(guard.needed),
            "short_mm": rounded_up(max(guard.short, 0)) if guard.short is not None else None, "past": guard.past,
            "room_behind": bool(guard.behind), "missing": guard.missing,
        })  # fmt: skip


def _items(device: str, at: str, row: str, values: dict[str, Any]) -> Iterator[Item]:
    for name, value in values.items():
        if not unset(value):
            yield Item(device, at, f"result.{name}", canonical(value), row)
