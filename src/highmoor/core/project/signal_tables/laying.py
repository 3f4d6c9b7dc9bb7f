"""A table of signals from outside laid beside the plant: which are new, which differ in what, which lines are none."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from highmoor.core.analysis.engine import Analysis
from highmoor.core.errors import Refusal
from highmoor.core.numbers import parse_number
from highmoor.core.plant.rows import Controller, Signal, Task
from highmoor.core.plant.variables import variable_problem
from highmoor.core.project.channel_cells import ON_LOSS
from highmoor.core.project.edits import WantedLink, WantedSignal
from highmoor.core.project.signal_tables.finding import PlaceFinder
from highmoor.core.signals.scaling import KINDS
from highmoor.core.signals.table import COLUMNS, Cell, lines

HEADINGS_WITHIN = 20
# What each column sets of the signal itself.
_FIELDS: dict[str, str] = {
    "Type": "type", "Unit": "unit", "Initial value": "initial", "Response asked ms": "asked_ms",
    "On fault": ON_LOSS, "Refreshed by": "task", "Comment": "note", "Tag": "tag", "Area": "area",
    **{label: f"wiring.{label.lower()}" for label in
       ("Location", "Strip", "Terminal", "Cable", "Core", "Loop", "Kind", "Range")},
}  # fmt: skip
# What each sets of a link's scaling.
_SCALING: dict[str, str] = {
    "Characteristic": "kind", "Raw type": "raw_type", "Raw low": "raw_lo", "Raw high": "raw_hi", "Low": "lo",
    "High": "hi", "Held": "clamp", "Cut-off %": "cutoff", "Points": "points", "Computed in": "precision",
    "Root in the transmitter": "rooted", "Sensor errs by %": "sensor_error", "Module errs by %": "module_error",
    "Works at": "works_at",
}  # fmt: skip
_OF_LINKS = ("Linked to", "Octet order", *_SCALING)
_KNOWN = {title.casefold(): title for title, _ in COLUMNS}
_KIND_BY_LABEL = {label.casefold(): key for key, label in KINDS.items()}
_YES = {"yes": True, "true": True, "1": True, "no": False, "false": False, "0": False, "": False}


@dataclass(frozen=True, slots=True)
class CellChange:
    """What a cell says, beside what the plant says; `line` counts the links of a signal from 0."""

    heading: str
    old: str
    new: str
    line: int = 0


@dataclass(frozen=True, slots=True)
class SignalTold:
    """A signal that a table has otherwise than the plant, from which row on, and what taking it over would set."""

    key: str
    row: int
    kind: Literal["new", "changed"]
    changes: tuple[CellChange, ...]
    wanted: WantedSignal


@dataclass(frozen=True, slots=True)
class RefusedRows:
    """Rows that cannot be taken over, and why."""

    rows: tuple[int, ...]
    why: str


@dataclass(frozen=True, slots=True)
class Laid:
    """A table beside the plant: `same` are as they are there, `absent` are only in the plant and stay.

    `unknown` are headings under which nothing is looked for. Raises nothing: what cannot be taken is refused by row.
    """

    signals: tuple[SignalTold, ...]
    refused: tuple[RefusedRows, ...]
    same: int
    absent: int
    unknown: tuple[str, ...]


@dataclass(slots=True)
class _Group:
    """The rows of one signal, with their cells by heading."""

    controller: Controller
    name: str
    rows: list[int] = field(default_factory=list)
    cells: list[dict[str, str]] = field(default_factory=list)


def lay(analysis: Analysis, rows: Sequence[tuple[int, Sequence[str]]]) -> Laid:
    """Lay a table beside the plant. Raises Refusal for one without the headings of signals."""
    headings, body = _headed(rows)
    known = tuple(_KNOWN.get(text.casefold(), "") for text in headings)
    unknown = tuple(text for text, title in zip(headings, known, strict=True) if text and not title)
    groups, refused = _grouped(analysis, known, body)
    own = _own_cells(analysis)
    finder = PlaceFinder(analysis)
    told: list[SignalTold] = []
    same = 0
    for key, group in groups.items():
        there = own.get(key)
        changes = _changes(group, there[1] if there else None, known)
        if there and not changes:
            same += 1
            continue
        try:
            wanted = _wanted(analysis, finder, group, known, {change.heading for change in changes}, there is None)
        except Refusal as refusal:
            refused.append(RefusedRows(tuple(group.rows), refusal.reason))
            continue
        told.append(
            SignalTold(f"{group.controller.name}.{group.name}", group.rows[0], "changed" if there else "new", changes,
                       wanted)
        )  # fmt: skip
    return Laid(tuple(told), tuple(refused), same, len(own.keys() - groups.keys()), unknown)


def _headed(rows: Sequence[tuple[int, Sequence[str]]]) -> tuple[list[str], Sequence[tuple[int, Sequence[str]]]]:
    for n, (_, cells) in enumerate(rows[:HEADINGS_WITHIN]):
        texts = [" ".join(cell.split()) for cell in cells]
        found = [_KNOWN[text.casefold()] for text in texts if text.casefold() in _KNOWN]
        if "Signal" in found and len(found) > 1:
            twice = next((title for title in found if found.count(title) > 1), None)
            if twice:
                raise Refusal(f"The heading “{twice}” stands over two columns.", field="headings", value=twice)
            return texts, rows[n + 1 :]
    raise Refusal("No row has the heading Signal and another one: it is no table of signals as one goes out of here.")


_Key = tuple[str, str]


def _grouped(
    analysis: Analysis, known: Sequence[str], body: Iterable[tuple[int, Sequence[str]]]
) -> tuple[dict[_Key, _Group], list[RefusedRows]]:
    controllers = {one.name.casefold(): one for one in analysis.plant.all(Controller)}
    only = next(iter(controllers.values())) if len(controllers) == 1 else None
    groups: dict[_Key, _Group] = {}
    refused: list[RefusedRows] = []
    last: _Group | None = None
    for row, texts in body:
        cells = {title: text.strip() for title, text in zip(known, texts, strict=False) if title}
        name, owner = cells.get("Signal", ""), cells.get("Controller", "")
        controller = controllers.get(owner.casefold()) if owner else only
        problem = variable_problem(name)
        if controller is None:
            problem = f"there is no controller {owner}" if owner else "it names no controller"
        if problem or controller is None:
            refused.append(RefusedRows((row,), problem.rstrip(".")))
            continue
        key = (controller.id, name.casefold())
        group = groups.get(key)
        if group and group is not last:
            refused.append(RefusedRows((row,), f"{name} stands above already, and not in the row before"))
            continue
        last = groups.setdefault(key, group or _Group(controller, name))
        last.rows.append(row)
        last.cells.append(cells)
    return groups, refused


def _own_cells(analysis: Analysis) -> dict[_Key, tuple[Signal, list[dict[str, str]]]]:
    own: dict[_Key, tuple[Signal, list[dict[str, str]]]] = {}
    for line in lines(analysis):
        _, cells = own.setdefault((line.controller.id, line.signal.name.casefold()), (line.signal, []))
        cells.append({title: _text(told(line)) for title, told in COLUMNS})
    return own


def _text(cell: Cell) -> str:
    return "" if cell is None else str(int(cell) if isinstance(cell, float) and cell.is_integer() else cell)


def _changes(group: _Group, there: list[dict[str, str]] | None, known: Sequence[str]) -> tuple[CellChange, ...]:
    found = []
    for heading in known:
        if heading in _FIELDS:
            old = there[0].get(heading, "") if there else ""
            new = group.cells[0].get(heading, "")
            # An output always does something: an empty cell says nothing of it.
            if not _alike(old, new) and (new or heading != "On fault"):
                found.append(CellChange(heading, old, new))
        elif heading in _OF_LINKS:
            for n in range(max(len(group.cells), len(there or ()))):
                old = there[n].get(heading, "") if there and n < len(there) else ""
                new = group.cells[n].get(heading, "") if n < len(group.cells) else ""
                if not _alike(old, new):
                    found.append(CellChange(heading, old, new, n))
    return tuple(found)


def _alike(one: str, other: str) -> bool:
    """Whether two cells say the same: numbers in whatever way they are written."""
    if one == other:
        return True
    try:
        return parse_number(one) == parse_number(other)
    except Refusal:
        return False


def _wanted(
    analysis: Analysis, finder: PlaceFinder, group: _Group, known: Sequence[str], changed: set[str], new: bool
) -> WantedSignal:
    """What taking it over sets. Raises Refusal for what cannot be set."""
    values: dict[str, Any] = {}
    for heading, path in _FIELDS.items():
        if heading in changed:
            text = group.cells[0].get(heading, "")
            values[path] = _task(analysis, group.controller, text) if path == "task" else text or None
    if new:
        values.setdefault("type", "BOOL")
    links = None
    if "Linked to" in known and (new or changed & set(_OF_LINKS)):
        links = list(_links(finder, group, known))
    return WantedSignal(controller=group.controller.id, name=group.name, values=values, links=links)


def _task(analysis: Analysis, controller: Controller, name: str) -> str | None:
    if not name:
        return None
    found = next(
        (t for t in analysis.plant.children(Task, controller.id) if t.name.casefold() == name.casefold()), None
    )
    if found is None:
        raise Refusal(f"{controller.name} has no task {name}.", field="task", value=name)
    return found.id


def _links(finder: PlaceFinder, group: _Group, known: Sequence[str]) -> Iterator[WantedLink]:
    for cells in group.cells:
        label = cells.get("Linked to", "")
        if not label:
            continue
        found = finder.called(label, cells.get("In the image", ""))
        if found is None:
            raise Refusal(f"{group.name}: no place here is called “{label}”.", field="key", value=label)
        order = cells.get("Octet order", "").upper() or None
        keeps = "Characteristic" not in known
        scaling = _scaling(cells) if not keeps and cells.get("Characteristic") else None
        yield WantedLink(place=found.holder, key=found.word, order=order, scaling=scaling, keeps_scaling=keeps)


def _scaling(cells: Mapping[str, str]) -> dict[str, Any]:
    scaling: dict[str, Any] = {}
    for heading, key in _SCALING.items():
        text = cells.get(heading, "")
        if not text:
            continue
        if key == "kind":
            kind = _KIND_BY_LABEL.get(text.casefold())
            if kind is None:
                raise Refusal(f"{text} is no characteristic; there are {', '.join(KINDS.values())}.", value=text)
            scaling[key] = kind
        elif key in ("clamp", "rooted"):
            if text.casefold() not in _YES:
                raise Refusal(f"{heading}: yes or no, not “{text}”.", value=text)
            scaling[key] = _YES[text.casefold()]
        else:
            scaling[key] = text
    return scaling
