"""What can be wrong with how an axis finds home."""

from __future__ import annotations

from collections.abc import Iterator

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.motion.homing import HomeTold
from highmoor.core.motion.told import TravelTold
from highmoor.core.motion.units import unit_of
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Axis


def _unit(reader: Reader, root: str) -> str:
    axis = reader.row(root, Axis)
    return unit_of(axis.kind, axis.unit).label


def _no_switch(result: HomeTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and result.missing:
        yield finding("MOT-151", (root, "settings.home_method"), method=result.method, missing=result.missing)


def _runs_into_stop(result: HomeTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and result.room is not None and result.runs_on > result.room:
        unit = _unit(reader, root)
        yield finding("MOT-152", (root, "settings.home_fast"), runs=f"{shown(result.runs_on, 4)} {unit}",
                      room=f"{shown(result.room, 4)} {unit}")  # fmt: skip


def _counts_otherwise(result: HomeTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result is None or result.home is None or result.position is None:
        return
    if abs(result.position - result.home) > result.resolution:
        unit = _unit(reader, root)
        yield finding("MOT-153", (root, "settings.home_position"), counts=f"{shown(result.position, 6)} {unit}",
                      home=f"{shown(result.home, 6)} {unit}")  # fmt: skip


def _closes(result: TravelTold, reader: Reader, root: str) -> Iterator[Finding]:
    settings = reader.row(root, Axis).settings
    if settings.get("limits_close") and any(end.switch is not None for end in result.ends):
        yield finding("MOT-128", (root, "settings.limits_close"))


HOMING_CHECKS: tuple[Check, ...] = (
    Check(
        "MOT-128", "axis.travel", "motion", "warning", "Limit switches that close",
        "The limit switches close when they are held.",
        "A broken wire looks like a free way: the axis runs on into its hard stop.", _closes,
    ),
    Check(
        "MOT-151", "axis.home", "motion", "error", "Homing without its switch",
        "Homing method {method} looks for the {missing}, and that is not set.",
        "The drive seeks until it comes to an end, and says that it has found no home.", _no_switch,
    ),
    Check(
        "MOT-152", "axis.home", "motion", "error", "Homing runs into the hard stop",
        "Seeking, it goes on for {runs} past the switch; to the hard stop it is {room}.",
        "It hits the end each time it finds home.", _runs_into_stop,
    ),
    Check(
        "MOT-153", "axis.home", "motion", "warning", "Home counts otherwise than it is drawn",
        "At home it counts {counts}, and by its switch and index it is at {home}.",
        "After homing the soft limits are elsewhere than the switches say, by just that much.", _counts_otherwise,
    ),
)  # fmt: skip
