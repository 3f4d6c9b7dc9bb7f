"""The forms of signals and of their links, with the scaling of a link."""

from __future__ import annotations

from typing import Any

from highmoor.core.catalogue.types import AnalogueRange, Catalogue
from highmoor.core.datatypes import DATA_TYPES, ORDERS
from highmoor.core.errors import Refusal
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Exchange, Link, Signal, Task
from highmoor.core.project.wires import usual_order
from highmoor.core.signals.beside import BY_KEY
from highmoor.core.signals.conversion import channel_range

PROGRAM_NAME = FieldSpec("name", "Name", "identifier", hint="Letters, digits, underscores; the program uses it.")


def signal_fields(plant: Plant, catalogue: Catalogue, row: Signal) -> tuple[FieldSpec, ...]:
    tasks = tuple(Choice(task.id, task.name) for task in plant.children(Task, row.controller))
    return (
        PROGRAM_NAME,
        FieldSpec("type", "Type", "choice", choices=tuple(Choice(t, t) for t in DATA_TYPES), term="IEC 61131-3"),
        FieldSpec("unit", "Unit", "text", default="", optional=True),
        FieldSpec("task", "Refreshed by", "choice", choices=tasks, optional=True, hint="If empty: the slowest task."),
        FieldSpec("asked_ms", "Response asked", "number", unit="ms", minimum=0, maximum=3_600_000, optional=True),
        FieldSpec("note", "Note", "note", default="", optional=True),
    )


_RAW_TYPES = tuple(Choice(t.name, t.name) for t in DATA_TYPES.values() if t.bits > 1)


def scaling_fields(row: Link, counted: AnalogueRange | None = None) -> tuple[FieldSpec, ...]:
    """The scaling of a link as one, and each of its ends where it has one; `counted` is the channel's number format."""
    whole = FieldSpec("scaling", "Scaling", "special", optional=True, read=scaling_object)
    if row.scaling is None:
        return (whole,)
    hint = beside = ""
    if counted:
        hint = "The nominal span ends below the channel's last count, so that over-range and a broken wire show."
        beside = f"{counted.label}: {counted.raw_low} … {counted.raw_high}, counts to {counted.raw_max}"
    return (
        whole,
        FieldSpec("scaling.raw_lo", "Raw at low end", "number", default=0, hint=hint),
        FieldSpec("scaling.raw_hi", "Raw at high end", "number", default=0, hint=hint, show=lambda _: beside),
        FieldSpec("scaling.lo", "Value at low end", "number", default=0),
        FieldSpec("scaling.hi", "Value at high end", "number", default=0),
        FieldSpec("scaling.clamp", "Hold at the ends", "boolean", default=False),
        FieldSpec("scaling.raw_type", "Raw type", "choice", choices=_RAW_TYPES, optional=True, hint="If not set: INT."),
    )


def link_fields(plant: Plant, catalogue: Catalogue, row: Link) -> tuple[FieldSpec, ...]:
    place, signal = plant.find(row.place), plant.find(row.signal)
    given = "" if isinstance(place, Exchange) else "the module's type decides it"
    if isinstance(signal, Signal) and signal.type == "BOOL":
        given = "a single bit has none"
    elif row.way in BY_KEY:
        given = "the controller makes this value itself"
    usual = usual_order(plant, catalogue, place) if isinstance(place, Exchange) else "ABCD"
    return (
        FieldSpec(
            "order", "Octet order", "choice", default=usual, choices=tuple(Choice(o, o) for o in ORDERS),
            disabled=given,
            hint="A is the highest octet of a 32-bit value. This is the order they travel in on the wire.",
        ),
        *scaling_fields(row, channel_range(plant, catalogue, row)),
    )  # fmt: skip


def scaling_object(given: Any) -> dict[str, Any]:
    """A whole scaling at once: from the scaling editor, or cleared with null."""
    if not isinstance(given, dict) or set(given) - {"raw_lo", "raw_hi", "lo", "hi", "clamp", "raw_type"}:
        raise Refusal("A scaling has raw_lo, raw_hi, lo, hi, and may have clamp and raw_type.", value=given)
    number = FieldSpec("scaling", "Scaling", "number")
    result: dict[str, Any] = {key: number.parse(given.get(key, 0)) for key in ("raw_lo", "raw_hi", "lo", "hi")}
    result["clamp"] = FieldSpec("scaling.clamp", "Hold at the ends", "boolean").parse(given.get("clamp", False))
    if given.get("raw_type"):
        result["raw_type"] = FieldSpec("scaling.raw_type", "Raw type", "choice", choices=_RAW_TYPES).parse(
            given["raw_type"]
        )
    return result
