"""What can be set of a robot."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.motion.copies import BY_KEY
from highmoor.core.motion.robots.frame import AXES
from highmoor.core.motion.robots.types import OWN, OWN_ANGLES, OWN_LENGTHS, TYPES, type_of
from highmoor.core.motion.units import UNITS
from highmoor.core.plant.fields import Choice, FieldSection, FieldSpec
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Robot

_FAR = 1e5
_TURNS = 3600


def robot_fields(plant: Plant, catalogue: Catalogue, row: Robot) -> tuple[FieldSpec, ...]:
    built, _ = type_of(row)
    return (
        FieldSpec("name", "Name", "identifier", hint="As the program calls it.", term="IEC 61131-3"),
        FieldSpec("type", "Type", "choice", choices=TYPE_CHOICES),
        *(_sheet(row) if row.type == OWN else ()),
        *_frame(),
        *_straight(wrist=built is not None and built.wrist is not None),
        FieldSpec("note", "Note", "note", default="", optional=True),
    )


TYPE_CHOICES = (*(Choice(each.key, each.label) for each in TYPES.values()), Choice(OWN, "By its data sheet"))


def _set(key: str, label: str, unit: str, section: FieldSection, low: float, high: float, **more: Any) -> FieldSpec:
    return FieldSpec(
        f"settings.{key}", label, "number", unit=unit, minimum=low, maximum=high, optional=True, section=section, **more
    )


def _sheet(row: Robot) -> Iterator[FieldSpec]:
    for key, label in OWN_LENGTHS.items():
        yield _set(key, label, "mm", "sheet", 1e-3, _FAR)
    for key, label in OWN_ANGLES.items():
        yield _set(key, label, "°", "sheet", -180, 180, hint="Below the level, outward." if key == "low_deg" else "")
    yield FieldSpec("settings.has_wrist", "Has a wrist", "boolean", default=False, section="sheet")
    yield from _asks("arms")
    if row.settings.get("has_wrist"):
        yield from _asks("wrist")


def _asks(of: FieldSection) -> Iterator[FieldSpec]:
    degrees = UNITS["deg"].label
    yield _set(f"{of}_most", "Turns at most at", UNITS["deg"].speed, of, 1e-6, 1e6)
    yield _set(f"{of}_gear", BY_KEY["gear"].label, "", of, 1e-6, 1e6)
    yield FieldSpec(f"settings.{of}_reversed", BY_KEY["reversed"].label, "boolean", default=False, section=of)
    for key in ("peak_a", "quick_ramp"):
        yield _set(f"{of}_{key}", BY_KEY[key].label, BY_KEY[key].unit.format(degrees), of, 1e-6, 1e8)


def _frame() -> Iterator[FieldSpec]:
    for axis in AXES:
        more = {"hint": "From the middle of its base; z is below 0 under it."} if axis == "x" else {}
        yield _set(f"frame_{axis}", f"Frame {axis}", "mm", "frame", -_FAR, _FAR, **more)
    yield _set("frame_turn", "Frame turned by", "°", "frame", -_TURNS, _TURNS)
    for axis in AXES:
        more = {"hint": "About the frame's origin; z upwards from it."} if axis == "x" else {}
        yield _set(f"work_{axis}", f"Work takes up {axis}", "mm", "frame", 0, _FAR, **more)


def _straight(*, wrist: bool) -> Iterator[FieldSpec]:
    for name, label in (("from", "From"), ("to", "To")):
        for axis in AXES:
            more = {"hint": "In the frame."} if (name, axis) == ("from", "x") else {}
            yield _set(f"{name}_{axis}", f"{label} {axis}", "mm", "straight", -_FAR, _FAR, **more)
        if wrist:
            yield _set(f"{name}_turn", f"{label}, wrist", "°", "straight", -_TURNS, _TURNS)
    yield _set("line_speed", "Speed", "mm/s", "straight", 1e-6, 1e6)
    yield _set("line_acceleration", "Acceleration", "mm/s²", "straight", 1e-6, 1e8)
