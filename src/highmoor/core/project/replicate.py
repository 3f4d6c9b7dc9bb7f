"""Replicating: n copies of an object with all that hangs on it, from table metadata, planned before it is done."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any, Literal

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.errors import Refusal
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.addressing import IPV4, Scheme
from highmoor.core.plant.fields import identifier_problem
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    Axis,
    Controller,
    Link,
    Module,
    Network,
    Port,
    Rail,
    Signal,
    Station,
    Table,
    Use,
    table_of,
)
from highmoor.core.plant.variables import variable_problem
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.duplicate import copied, owned_subtree, placed_behind
from highmoor.core.project.hardware_edits import seat_copy
from highmoor.core.project.patterns import counted
from highmoor.core.project.program_copies import copy_lines

_NUMBER = re.compile(r"[0-9]+")
_ROOTS = (Controller, Rail, Module, Network, Station, Signal)


@dataclass(frozen=True, slots=True)
class Cell:
    """What one copy gets in one field; `owner` is who has it already, "" where it is free."""

    text: str
    owner: str = ""


@dataclass(frozen=True, slots=True)
class PlanRow:
    """One field of one thing that hangs on the source, with a cell a copy."""

    source: str
    field: Literal["name", "address", "designation"]
    original: str
    cells: tuple[Cell, ...]


@dataclass(frozen=True, slots=True)
class ReplicaPlan:
    """Everything that would be copied, owners first, and what each copy would be called."""

    sources: tuple[str, ...]
    rows: tuple[PlanRow, ...]

    @property
    def collisions(self) -> list[tuple[PlanRow, int]]:
        """Cells that are taken, as (row, copy from 0)."""
        return [(row, n) for row in self.rows for n, cell in enumerate(row.cells) if cell.owner]


def plan_replicas(plant: Plant, catalogue: Catalogue, edit: edits.Replicate) -> ReplicaPlan:
    """What `edit` would make. Raises Refusal for what cannot be copied and for names that cannot be."""
    root: Any = plant.get(edit.id, object)
    if not isinstance(root, _ROOTS):
        raise Refusal("This cannot be replicated on its own.", place=root.id)
    sources = _sources(plant, root, set(edit.leave_out))
    return ReplicaPlan(tuple(row.id for row in sources), tuple(_Namer(plant, edit, root, sources).rows()))


def _sources(plant: Plant, root: Any, left_out: set[str]) -> list[Any]:
    """The subtree without what is left out, then the signals linked to it; links come along by themselves."""
    dropped: set[str] = set(left_out) - {root.id}
    kept = []
    for row in owned_subtree(plant, root):
        owner = table_of(row).owner
        if row.id in dropped or (row is not root and owner and getattr(row, owner) in dropped):
            dropped.add(row.id)
        elif not isinstance(row, Link):
            kept.append(row)
    ids = {row.id for row in kept}
    for row in list(kept):
        for link_id in plant.referring("links", "place", row.id):
            signal: Any = plant.find(plant.get(link_id, Link).signal)
            if signal is not None and signal.id not in ids and signal.id not in dropped:
                ids.add(signal.id)
                kept.append(signal)
    kept += _axes_of(plant, ids, dropped)
    return kept


def _axes_of(plant: Plant, ids: set[str], dropped: set[str]) -> list[Any]:
    """The axes whose drives are copied, with all that is theirs; what they use is copied as it is linked."""
    found = []
    for axis in plant.all(Axis):
        if axis.drive in ids and axis.id not in ids and axis.id not in dropped:
            found += [row for row in owned_subtree(plant, axis) if row.id not in dropped]
    # A word whose signal is not copied would be the same for both.
    return [row for row in found if not isinstance(row, Use) or row.signal in ids]


class _Namer:
    """Gives names, addresses and designations to the copies, and knows who has them already."""

    def __init__(self, plant: Plant, edit: edits.Replicate, root: Any, sources: list[Any]) -> None:
        self.plant = plant
        self.edit = edit
        self.root = root
        self.sources = sources
        self.ids = {row.id for row in sources}
        self.copies = range(1, edit.count + 1)
        self.root_names = self._root_names()
        self.runs = _runs(row.name for row in sources if isinstance(row, Signal))

    def rows(self) -> Iterable[PlanRow]:
        used = {key: dict(names) for key, names in self._taken().items()}
        for row in self.sources:
            table = table_of(row)
            if "name" in table.fields and self._renamed(row, table):
                yield self._row(row, "name", row.name, self._names(row), used[_scope(row)])
            if isinstance(row, Station | Port) and row.address and self._readdressed(row):
                taken = used[self._address_scope(row)]
                yield self._row(row, "address", row.address, self._addresses(row, taken), taken)
            if getattr(row, "designation", ""):
                stems = self._designations(row.designation, used["designation"])
                yield self._row(row, "designation", row.designation, stems, used["designation"])

    def _row(self, row: Any, field: Any, original: str, texts: list[str], taken: dict[str, str]) -> PlanRow:
        overrides = self.edit.addresses if field == "address" else self.edit.names if field == "name" else {}
        cells = []
        for n, text in zip(self.copies, texts, strict=True):
            text = overrides.get(f"{row.id}.{n}", text)
            if field == "address":
                text = self._scheme(row).read(text) if text else ""
            if field == "name" and isinstance(row, Signal | Controller | Axis):
                problem = (variable_problem if isinstance(row, Signal) else identifier_problem)(text)
                if problem:
                    raise Refusal(problem, place=row.id, field="names", value=text)
            owner = taken.get(text.lower(), "") if text else ""
            if text:
                taken.setdefault(text.lower(), f"copy {n}")
            cells.append(Cell(text, owner))
        return PlanRow(row.id, field, original, tuple(cells))

    def _renamed(self, row: Any, table: Table) -> bool:
        """A name has to change where its owner is not copied: within a copied owner it is alone."""
        return table.owner is None or getattr(row, table.owner) not in self.ids

    def _readdressed(self, row: Station | Port) -> bool:
        return isinstance(row, Port) or row.network not in self.ids

    def _taken(self) -> dict[str, dict[str, str]]:
        """Who has which name in each scope, which address, which designation; letter case aside."""
        taken: dict[str, dict[str, str]] = {"designation": {}}
        for row in self.sources:
            taken.setdefault(_scope(row), {})
            if isinstance(row, Station | Port):
                taken.setdefault(self._address_scope(row), {})
        for row in self.plant.rows():
            scope = _scope(row)
            if scope in taken and hasattr(row, "name"):
                taken[scope][row.name.lower()] = row.name
            address = self._address_scope(row) if isinstance(row, Station | Port) else ""
            for field, scope in (("address", address), ("designation", "designation")):
                value = getattr(row, field, "")
                if value and scope in taken:
                    taken[scope].setdefault(value.lower(), getattr(row, "name", "") or getattr(row, "key", "") or value)
        return taken

    def _root_names(self) -> list[str]:
        name = getattr(self.root, "name", "")
        if not name:
            return []
        if self.edit.pattern:
            start = self.edit.start if self.edit.start is not None else 1
            return counted(self.edit.pattern, start, self.edit.step, self.edit.count)
        numbers = list(_NUMBER.finditer(name))
        first = self.edit.start if self.edit.start is not None else (int(numbers[-1][0]) + 1 if numbers else 2)
        last = numbers[-1] if numbers else None
        made = []
        for n in range(self.edit.count):
            number = str(first + n * self.edit.step)
            made.append(name + number if last is None else _with_number(name, last, number))
        return made

    def _names(self, row: Any) -> list[str]:
        if row is self.root:
            return self.root_names
        own = getattr(self.root, "name", "")
        if own and own.lower() in row.name.lower():
            at = row.name.lower().index(own.lower())
            new = [
                self.edit.names.get(f"{self.root.id}.{n}", name)
                for n, name in zip(self.copies, self.root_names, strict=True)
            ]
            return [row.name[:at] + _joined(name, row.name[at + len(own) :]) for name in new]
        number = _NUMBER.search(row.name)
        if number is None:
            return [f"{row.name}{n + 1}" for n in self.copies]
        span = self.runs.get(_stem(row.name), 1)
        return [_with_number(row.name, number, str(int(number[0]) + n * span)) for n in self.copies]

    def _addresses(self, row: Station | Port, used: dict[str, str]) -> list[str]:
        """The next free addresses behind the original's, then from the first on; "" where none is left."""
        scheme, own = self._scheme(row), row if isinstance(row, Port) else self._port(row)
        texts = []
        taken = set(used)
        for n in self.copies:
            given = self.edit.addresses.get(f"{row.id}.{n}")
            if given is None:
                free = scheme.next(own, taken, row.address)
                given = free[0] if free else ""
            taken.add(given or "")
            texts.append(given or "")
        return texts

    def _port(self, station: Station) -> Port | None:
        network: Network | None = self.plant.find(station.network)
        port: Port | None = self.plant.find(network.port) if network else None
        return port

    def _scheme(self, row: Station | Port) -> Scheme:
        network: Network | None = self.plant.find(row.network) if isinstance(row, Station) else None
        bus = fieldbus_of(network.kind) if network else None
        return bus.addresses if bus else IPV4

    def _address_scope(self, row: Station | Port) -> str:
        """Where an address must be alone: in the plant, or on its network."""
        return "address" if isinstance(row, Port) or self._scheme(row).everywhere else f"address {row.network}"

    def _designations(self, text: str, used: dict[str, str]) -> list[str]:
        """The next free number of the same stem: -K4 → -K12 where -K11 is the last."""
        numbers = list(_NUMBER.finditer(text))
        made: list[str] = []
        number = int(numbers[-1][0]) if numbers else 1
        for _ in self.copies:
            number += 1
            while True:
                candidate = _with_number(text, numbers[-1], str(number)) if numbers else f"{text}{number}"
                if candidate.lower() not in used and candidate not in made:
                    break
                number += 1
            made.append(candidate)
        return made


def _scope(row: Any) -> str:
    """Where a name must be alone: among the rows of its table with the same owner."""
    table = table_of(row)
    return f"{table.name}.{getattr(row, table.owner) if table.owner else ''}"


def _stem(name: str) -> str:
    return _NUMBER.sub("#", name, count=1).lower()


def _runs(names: Iterable[str]) -> dict[str, int]:
    """How far a run of like names reaches, so that its copies go on behind it: Tank1 … Tank4 → 4."""
    numbers: dict[str, list[int]] = {}
    for name in names:
        match = _NUMBER.search(name)
        if match:
            numbers.setdefault(_stem(name), []).append(int(match[0]))
    return {stem: max(found) - min(found) + 1 for stem, found in numbers.items()}


def _with_number(text: str, at: re.Match[str], number: str) -> str:
    """`text` with the number at a match exchanged, as many digits wide as before."""
    return text[: at.start()] + number.zfill(len(at[0])) + text[at.end() :]


def _joined(name: str, rest: str) -> str:
    """A digit before a digit would make another number of both."""
    return f"{name}_{rest}" if name[-1:].isdigit() and rest[:1].isdigit() else name + rest


def replicate(draft: Draft, edit: edits.Replicate) -> None:
    """Make the copies planned. Raises Refusal when a name or address is taken; then nothing is made."""
    edit = edit.model_copy(update={"id": draft.resolve(edit.id)})
    plan = plan_replicas(draft.plant, draft.catalogue, edit)
    for row, n in plan.collisions:
        cell = row.cells[n]
        raise Refusal(
            f"{cell.text} is taken already, by {cell.owner}.", place=row.source, field=row.field, value=cell.text
        )
    root: Any = draft.plant.get(edit.id, object)
    sources = [draft.plant.get(i, object) for i in plan.sources]
    behind = root
    for n in range(edit.count):
        values: dict[str, dict[str, str]] = {}
        for row in plan.rows:
            values.setdefault(row.source, {})[row.field] = row.cells[n].text
        behind = _copy_once(draft, root, behind, sources, values)


def _behind_the_last(draft: Draft, copies: list[Any], new_ids: dict[str, str]) -> None:
    """Axes stand in their controller's order."""
    for n, row in enumerate(copies):
        if isinstance(row, Axis) and row.controller not in new_ids.values():
            # The robot's joints are those it has.
            copies[n] = replace(row, rank=draft.last_rank(Axis, row.controller)[0], robot=None, arm="")


def _lines_of_programs(draft: Draft, sources: list[Any], new_ids: dict[str, str]) -> None:
    """What programs do with a copied axis they do with its copy as well."""
    if not any(isinstance(row, Axis) for row in sources):
        return
    names: dict[str, dict[str, str]] = {}
    for row in sources:
        if isinstance(row, Signal) and row.controller not in new_ids:
            names.setdefault(row.controller, {})[row.name] = draft.plant.get(new_ids[row.id], Signal).name
    for controller, renamed in names.items():
        copy_lines(draft, controller, renamed)


def _copy_once(draft: Draft, root: Any, behind: Any, sources: list[Any], values: dict[str, dict[str, str]]) -> Any:
    new_ids = {row.id: draft.new_id(table_of(row).name) for row in sources}
    copies = [replace(copied(row, new_ids), **values.get(row.id, {})) for row in sources]
    copies[0] = placed_behind(draft, behind, copies[0])
    signals = [
        n
        for n, row in enumerate(copies)
        if isinstance(row, Signal) and n > 0 and row.controller not in new_ids.values()
    ]
    for n in signals:
        copies[n] = replace(copies[n], rank=draft.last_rank(Signal, copies[n].controller)[0])
        draft.put(copies[n])
    _behind_the_last(draft, copies, new_ids)
    draft.put(*copies)
    for row in sources:
        for link_id in draft.plant.referring("links", "place", row.id):
            link = draft.plant.get(link_id, Link)
            if link.signal in new_ids:
                signal, place = new_ids[link.signal], new_ids[row.id]
                draft.put(replace(link, id=draft.new_id("links"), signal=signal, place=place))
    _lines_of_programs(draft, sources, new_ids)
    if isinstance(root, Module):
        seat_copy(draft, behind, copies[0])
        return draft.plant.get(copies[0].id, Module)
    return copies[0]
