"""All signals of a plant as a table, as it goes out to sheets, and as declarations of a program."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import TypeAlias

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.datatypes import DATA_TYPES
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


def lines(analysis: Analysis) -> Iterator[Line]:
    """By controller, in the order of its signals."""
    plant, reader = analysis.plant, Reader(analysis)
    tasks = {task.id: task.name for task in plant.all(Task)}
    for controller in plant.all(Controller):
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


# ── declarations

_SIZES = {1: "X", 8: "B", 16: "W", 32: "D", 64: "L"}


def declarations(analysis: Analysis, controller: str) -> str:
    """A controller's signals as global variables (IEC 61131-3:2013, 6.5.5) at octet addresses of its image.

    A scaled signal is declared beside the count it is made of, which has the address.
    """
    every = [line for line in lines(analysis) if line.controller.id == controller]
    taken = {line.signal.name.lower() for line in every}
    texts: list[str] = []
    for line in every:
        texts += _declared(line, taken)
    return "\n".join(["VAR_GLOBAL", *(f"    {text}" for text in texts), "END_VAR"]) + "\n"


def _declared(line: Line, taken: set[str]) -> Iterator[str]:
    name, kind = line.signal.name, line.signal.type
    note = _comment([line.facts.label if line.facts else "", line.signal.unit, line.signal.note])
    address = _address(line)
    if address and line.scaling is None and line.first:
        yield f"{name} AT {address} : {kind};{note}"
        return
    if address:
        # What is scaled, and what is written to one place more.
        raw = _free(f"{name}_raw" if line.scaling else f"{name}_copy", taken)
        yield f"{raw} AT {address} : {line.raw_type or kind};{note}"
    if line.first:
        yield f"{name} : {kind};{'' if address else note}"


def _address(line: Line) -> str:
    """`%IX4.0`: of a bit its octet and bit, of more the first octet; "" where no type has just these bits."""
    facts = line.facts
    if facts is None or facts.octet is None or facts.bit is None:
        return ""
    bits = DATA_TYPES[line.raw_type or line.signal.type].bits
    size = _SIZES.get(facts.bits)
    if size is None or facts.bits != bits or (bits > 1 and facts.bit):
        return ""
    return f"%{'I' if facts.area == 'in' else 'Q'}{size}{facts.octet}" + (f".{facts.bit}" if bits == 1 else "")


def _free(wanted: str, taken: set[str]) -> str:
    name, n = wanted, 2
    while name.lower() in taken:
        name, n = f"{wanted}{n}", n + 1
    taken.add(name.lower())
    return name


def _comment(parts: Sequence[str]) -> str:
    """Beside a declaration; what would end it is taken apart."""
    text = ", ".join(" ".join(part.split()) for part in parts if part)
    return f" (* {text.replace('*)', '* )').replace('(*', '( *')} *)" if text else ""
