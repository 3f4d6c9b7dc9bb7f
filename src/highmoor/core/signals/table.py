"""All signals of a plant as a table, as it goes out to sheets."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TypeAlias

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.numbers import exact
from highmoor.core.plant.rows import Controller, Link, Signal, Task
from highmoor.core.signals.path import LinkFacts, SignalPath
from highmoor.core.signals.places import place_of_link
from highmoor.core.signals.scaling import KINDS, Scaling, points_text
from highmoor.core.signals.values import raw_type

Cell: TypeAlias = str | float | int | None


@dataclass(frozen=True, slots=True)
class Line:
    """A signal with one of its links, None for one without; `first` of the lines of its signal."""

    controller: Controller
    signal: Signal
    link: Link | None
    facts: LinkFacts | None
    scaling: Scaling | None
    raw_type: str
    task: str
    first: bool


_Told = Callable[[Line], Cell]


def _scaled(of: Callable[[Scaling], Cell]) -> _Told:
    return lambda line: of(line.scaling) if line.scaling else None


def _linked(of: Callable[[LinkFacts], Cell]) -> _Told:
    return lambda line: of(line.facts) if line.facts else None


def _access(line: Line) -> str:
    return {"reads": "read", "writes": "written"}[line.link.access] if line.link else ""


def _set(line: Line, key: str) -> Cell:
    """What is set of a link's scaling besides what it computes by."""
    value: Cell = (line.link.scaling or {}).get(key) if line.link else None
    return value


def _wired(key: str) -> _Told:
    return lambda line: line.signal.wiring.get(key)


COLUMNS: tuple[tuple[str, _Told], ...] = (
    ("Controller", lambda line: line.controller.name),
    ("Signal", lambda line: line.signal.name),
    ("Type", lambda line: line.signal.type),
    ("Access", _access),
    ("Linked to", _linked(lambda facts: facts.label)),
    ("Terminals", _linked(lambda facts: facts.terminals)),
    ("In the image", _linked(lambda facts: facts.written)),
    ("Octet order", lambda line: line.link.order if line.link and line.facts and line.facts.bits > 8 else None),
    ("Characteristic", _scaled(lambda scaling: KINDS[scaling.kind])),
    ("Raw type", lambda line: line.raw_type if line.scaling else None),
    ("Raw low", _scaled(lambda scaling: scaling.raw_lo)),
    ("Raw high", _scaled(lambda scaling: scaling.raw_hi)),
    ("Low", _scaled(lambda scaling: scaling.lo)),
    ("High", _scaled(lambda scaling: scaling.hi)),
    ("Held", _scaled(lambda scaling: "yes" if scaling.clamp else "no")),
    ("Cut-off %", _scaled(lambda scaling: scaling.cutoff if scaling.kind == "root" else None)),
    ("Points", _scaled(lambda scaling: points_text([(exact(x), exact(y)) for x, y in scaling.points]) or None)),
    ("Computed in", _scaled(lambda scaling: scaling.precision)),
    ("Root in the transmitter", lambda line: "yes" if _set(line, "rooted") else None),
    ("Sensor errs by %", lambda line: _set(line, "sensor_error")),
    ("Module errs by %", lambda line: _set(line, "module_error")),
    ("Works at", lambda line: _set(line, "works_at")),
    ("Unit", lambda line: line.signal.unit or None),
    ("Response asked ms", lambda line: line.signal.asked_ms),
    ("Initial value", lambda line: line.signal.initial or None),
    ("On fault", _linked(lambda facts: facts.on_loss or None)),
    ("Refreshed by", lambda line: line.task or None),
    ("Comment", lambda line: line.signal.note or None),
    ("Tag", lambda line: line.signal.tag or None),
    ("Area", lambda line: line.signal.area or None),
    ("Location", _wired("location")),
    ("Strip", _wired("strip")),
    ("Terminal", _wired("terminal")),
    ("Cable", _wired("cable")),
    ("Core", _wired("core")),
    ("Loop", _wired("loop")),
    ("Kind", _wired("kind")),
    ("Range", _wired("range")),
)


def signal_table(analysis: Analysis) -> list[list[Cell]]:
    """The headings, then a line for each link of each signal, one for a signal without any."""
    rows: list[list[Cell]] = [[title for title, _ in COLUMNS]]
    for line in lines(analysis):
        rows.append([_plain(told(line)) for _, told in COLUMNS])
    return rows


def _plain(cell: Cell) -> Cell:
    return int(cell) if isinstance(cell, float) and cell.is_integer() and abs(cell) < 1e15 else cell


def lines(analysis: Analysis, only: str = "") -> Iterator[Line]:
    """By controller, in the order of its signals; `only` those of one."""
    plant, reader = analysis.plant, Reader(analysis)
    tasks = {task.id: task.name for task in plant.all(Task)}
    for controller in plant.all(Controller):
        if only and controller.id != only:
            continue
        for signal in plant.children(Signal, controller.id):
            path: SignalPath = analysis.result("signal.path", signal.id)
            task = tasks.get(signal.task or "", "")
            if not path.links:
                yield Line(controller, signal, None, None, None, "", task, first=True)
            for n, facts in enumerate(path.links):
                link = plant.get(facts.link, Link)
                raw = raw_type(signal.type, place_of_link(reader, link), link)
                scaling = Scaling.of(link.scaling)
                yield Line(controller, signal, link, facts, scaling, raw.name if raw else "", task, first=n == 0)
