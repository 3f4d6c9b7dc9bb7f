"""The forms of signals and of their links, with the scaling of a link."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from highmoor.core.catalogue.types import AnalogueRange, Catalogue
from highmoor.core.datatypes import DATA_TYPES, ORDERS
from highmoor.core.errors import Refusal
from highmoor.core.numbers import parse_number, shown
from highmoor.core.plant.fields import Choice, FieldSpec, text_problem
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import PROGRAM_LETTERS_AT_MOST, Exchange, Link, Program, Signal, Task
from highmoor.core.plant.variables import variable_problem
from highmoor.core.project.wires import usual_order
from highmoor.core.signals.beside import BY_KEY
from highmoor.core.signals.conversion import channel_range
from highmoor.core.signals.electrical import count_at, electrical_at, raw_at
from highmoor.core.signals.scaling import KINDS, points_of, points_text

PROGRAM_NAME = FieldSpec("name", "Name", "identifier", hint="Letters, digits, underscores; the program uses it.")


def _variable(given: Any) -> str:
    name = str(given).strip() if isinstance(given, str) else ""
    problem = variable_problem(name)
    if problem:
        raise Refusal(problem, value=given)
    return name


SIGNAL_NAME = FieldSpec(
    "name", "Name", "identifier", read=_variable,
    hint="Letters, digits, underscores; Fan1.Speed is a member of a structure, Bins[3] an element of an array.",
)  # fmt: skip


def _initial(given: Any) -> str:
    """TRUE, FALSE or a number, as it was typed. Raises Refusal for anything else."""
    text = ("TRUE" if given else "FALSE") if isinstance(given, bool) else str(given).strip()
    if text.upper() in ("TRUE", "FALSE", ""):
        return text.upper()
    parse_number(text)
    return text


INITIAL = FieldSpec(
    "initial", "Initial value", "text", default="", optional=True, read=_initial,
    hint="What the program has of it from the start until it is written. If empty: 0, or FALSE.",
)  # fmt: skip


def signal_fields(plant: Plant, catalogue: Catalogue, row: Signal) -> tuple[FieldSpec, ...]:
    tasks = tuple(Choice(task.id, task.name) for task in plant.children(Task, row.controller))
    return (
        SIGNAL_NAME,
        FieldSpec("type", "Type", "choice", choices=tuple(Choice(t, t) for t in DATA_TYPES), term="IEC 61131-3"),
        FieldSpec("unit", "Unit", "text", default="", optional=True),
        INITIAL,
        FieldSpec(
            "task", "Refreshed by", "choice", choices=tasks, optional=True,
            hint="If empty: the quickest whose programs use it, or the slowest.",
        ),
        FieldSpec("asked_ms", "Response asked", "number", unit="ms", minimum=0, maximum=3_600_000, optional=True),
        FieldSpec("note", "Note", "note", default="", optional=True),
        FieldSpec("tag", "Tag", "text", default="", optional=True, hint="What the plant's lists call it."),
        FieldSpec("area", "Area", "text", default="", optional=True, hint="The part of the plant it belongs to."),
        *(
            FieldSpec(f"wiring.{key}", label, "text", optional=True, section="wiring")
            for key, label in WIRING.items()
        ),
    )  # fmt: skip


def _text(given: Any) -> str:
    text = str(given).replace("\r\n", "\n").replace("\r", "\n") if isinstance(given, str) else ""
    if len(text) > PROGRAM_LETTERS_AT_MOST:
        raise Refusal(f"The text has {len(text)} letters; a program of at most {PROGRAM_LETTERS_AT_MOST} is kept.")
    problem = text_problem(text)
    if problem:
        raise Refusal(f"The text {problem}.")
    return text


def program_fields(plant: Plant, catalogue: Catalogue, row: Program) -> tuple[FieldSpec, ...]:
    """The form of a little program."""
    tasks = tuple(Choice(task.id, task.name) for task in plant.children(Task, row.controller))
    return (
        PROGRAM_NAME,
        FieldSpec("task", "Run by", "choice", choices=tasks, optional=True, hint="If empty: the slowest task."),
        FieldSpec("text", "Text", "note", default="", read=_text, term="IEC 61131-3"),
        FieldSpec("note", "Note", "note", default="", optional=True),
    )


WIRING = {
    "location": "Location",
    "strip": "Strip",
    "terminal": "Terminal",
    "cable": "Cable",
    "core": "Core",
    "loop": "Loop",
    "kind": "Kind",
    "range": "Range",
}
"""What a list says of how a signal is wired, and what each is called."""
_KINDS = tuple(Choice(key, label) for key, label in KINDS.items())
_PRECISIONS = (Choice("LREAL", "LREAL, 64 bits"), Choice("REAL", "REAL, 32 bits"))
_RAW_TYPES = tuple(Choice(t.name, t.name) for t in DATA_TYPES.values() if t.bits > 1)


def scaling_fields(row: Link, counted: AnalogueRange | None = None, unit: str = "") -> tuple[FieldSpec, ...]:
    """The scaling of a link as one, and each of its ends where it has one; `counted` is the channel's number format."""
    whole = FieldSpec("scaling", "Scaling", "special", optional=True, read=scaling_object)
    if row.scaling is None:
        return (whole,)
    hint, read, low, high = "", None, None, None
    if counted:
        hint = f"A count, or what stands at the terminals: {shown(counted.high)} {counted.unit}. The nominal span ends "
        hint += "below the channel's last count, so that over-range and a broken wire show."
        read, low = _count_or_electrical(counted), _at_terminals(counted)
        high = _at_terminals(counted, f"; {counted.label} counts to {counted.raw_max}")
    kind = row.scaling.get("kind") or "linear"
    return (
        whole,
        FieldSpec("scaling.kind", "Characteristic", "choice", choices=_KINDS, default="linear"),
        FieldSpec("scaling.raw_lo", "Raw at low end", "number", default=0, hint=hint, read=read, show=low),
        FieldSpec("scaling.raw_hi", "Raw at high end", "number", default=0, hint=hint, read=read, show=high),
        FieldSpec("scaling.lo", "Value at low end", "number", default=0),
        FieldSpec("scaling.hi", "Value at high end", "number", default=0),
        *_CHARACTERISTIC.get(kind, ()),
        FieldSpec("scaling.clamp", "Hold at the ends", "boolean", default=False),
        FieldSpec(
            "scaling.precision",
            "Program computes in",
            "choice",
            choices=_PRECISIONS,
            default="LREAL",
            term="IEC 61131-3",
        ),
        FieldSpec("scaling.raw_type", "Raw type", "choice", choices=_RAW_TYPES, optional=True, hint="If not set: INT."),
        *_ERRORS[:-1],
        replace(_ERRORS[-1], unit=unit),
    )


_COUNT = FieldSpec("scaling.raw", "Raw", "number")


def _count_or_electrical(channel: AnalogueRange) -> Callable[[Any], Any]:
    """Reads a count, or with its unit what stands at the terminals: `2 V` as its count."""

    def read(given: Any) -> Any:
        try:
            return _COUNT.parse(given)
        except Refusal:
            if not isinstance(given, str):
                raise
            electrical = parse_number(given, unit=channel.unit)
            counts = count_at(channel, electrical)
            if abs(counts - raw_at(channel, electrical)) > 1:
                raise Refusal(f"{channel.label} does not count to {given.strip()}.", value=given) from None
            return counts

    return read


def _at_terminals(channel: AnalogueRange, behind: str = "") -> Callable[[Any], str]:
    def words(raw: Any) -> str:
        usable = isinstance(raw, int | float) and not isinstance(raw, bool)
        return f"{shown(electrical_at(channel, raw), 5)} {channel.unit}{behind}" if usable else ""

    return words


def _points(given: Any) -> str:
    return points_text(points_of(str(given)))


_CUTOFF = FieldSpec(
    "scaling.cutoff", "Low cut-off", "number", unit="%", default=0, minimum=0, maximum=100,
    hint="Of the flow's span: below it the flow is the low end.",
)  # fmt: skip
_POINTS = FieldSpec(
    "scaling.points", "Points", "text", default="", read=_points,
    hint="What the straight line gives, and what is there: 0 0; 0.8 2; 3.2 12. Two columns can be pasted.",
)  # fmt: skip
_ROOTED = FieldSpec(
    "scaling.rooted", "Transmitter takes the root", "boolean", default=False, hint="Then it is not taken here again."
)
_ERRORS = (
    FieldSpec("scaling.sensor_error", "Sensor errs by", "number", unit="%", minimum=0, maximum=100, optional=True,
              hint="Of the span, as its data sheet says."),
    FieldSpec("scaling.module_error", "Module errs by", "number", unit="%", minimum=0, maximum=100, optional=True,
              hint="Of the span, as its data sheet says."),
    FieldSpec("scaling.works_at", "Works at", "number", optional=True,
              hint="The value it has in operation: what it errs by there is told."),
)  # fmt: skip
_CHARACTERISTIC: dict[str, tuple[FieldSpec, ...]] = {"root": (_CUTOFF, _ROOTED), "table": (_POINTS,)}
_PARTS: dict[str, FieldSpec] = {
    "kind": FieldSpec("scaling.kind", "Characteristic", "choice", choices=_KINDS),
    "cutoff": _CUTOFF,
    "points": _POINTS,
    "rooted": _ROOTED,
    "precision": FieldSpec("scaling.precision", "Program computes in", "choice", choices=_PRECISIONS),
    "raw_type": FieldSpec("scaling.raw_type", "Raw type", "choice", choices=_RAW_TYPES),
    **{spec.path.removeprefix("scaling."): spec for spec in _ERRORS},
}
"""What a scaling may have besides its ends."""


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
        *scaling_fields(row, channel_range(plant, catalogue, row), signal.unit if isinstance(signal, Signal) else ""),
    )  # fmt: skip


def scaling_object(given: Any) -> dict[str, Any]:
    """A whole scaling at once: from the scaling editor, or cleared with null."""
    ends = ("raw_lo", "raw_hi", "lo", "hi")
    if not isinstance(given, dict) or set(given) - {*ends, "clamp", *_PARTS}:
        raise Refusal(f"A scaling has {', '.join(ends)}, and may have clamp, {', '.join(_PARTS)}.", value=given)
    number = FieldSpec("scaling", "Scaling", "number")
    result: dict[str, Any] = {key: number.parse(given.get(key, 0)) for key in ends}
    result["clamp"] = FieldSpec("scaling.clamp", "Hold at the ends", "boolean").parse(given.get("clamp", False))
    for key, spec in _PARTS.items():
        value = given.get(key)
        if value is not None and value is not False and value != "":
            result[key] = spec.parse(value)
    return result
