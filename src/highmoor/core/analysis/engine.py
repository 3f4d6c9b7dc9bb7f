"""Incremental analysis: a memo of (part, root) → result, renewed from a Change through a reverse index.

Every part reads the plant through a `Reader`, which notes what was read. What a part depends on is thus what
it really read, and can be neither forgotten nor declared wrongly.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any, Literal, TypeVar

from highmoor.core.analysis.failures import could_not_compute
from highmoor.core.analysis.findings import Checks, Finding
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.plant.change import Change
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import TABLES

R = TypeVar("R")
PartKey = tuple[str, str]
Dependency = str | tuple[str, str, str] | PartKey
# An entry of a part's dict as it was read.
_Item = tuple[PartKey, str, Any]


@dataclass(frozen=True, slots=True)
class Headline:
    """A figure worth comparing before and after an edit. `limit` in the value's unit; `better` which way is good."""

    place: str
    key: str
    label: str
    value: float | None
    unit: str
    limit: float | None = None
    better: Literal["more", "less", ""] = ""

    @property
    def over(self) -> bool:
        """Whether the value is on the wrong side of its limit."""
        if self.limit is None or self.value is None:
            return False
        return self.value < self.limit if self.better == "more" else self.value > self.limit


@dataclass(frozen=True, slots=True)
class Part:
    """One thing computed for every row of `table`. `compute(reader, root id)` must be pure.

    `shown` is the type of its result where views show it, None for what only other parts read.
    """

    key: str
    table: str
    compute: Callable[[Reader, str], Any]
    headlines: Callable[[Any, Reader, str], Iterable[Headline]] = lambda *_: ()
    shown: Any = None


OnFailure = Callable[[Part, str, Exception], None]


def ignored(part: Part, root: str, error: Exception) -> None:
    """Nobody is told but by the finding."""


@dataclass(slots=True)
class _Entry:
    result: Any
    findings: tuple[Finding, ...]
    headlines: tuple[Headline, ...]
    dependencies: frozenset[Dependency]
    parts: tuple[PartKey, ...]
    items: tuple[_Item, ...]
    changed_at: int
    verified_at: int
    failed: bool = False


class _Unavailable(Exception):
    """What a part was to be computed from could itself not be computed."""


class Reader:
    """The plant as a part may see it; notes every read."""

    __slots__ = ("_analysis", "dependencies", "items", "parts")

    def __init__(self, analysis: Analysis) -> None:
        self._analysis = analysis
        self.dependencies: set[Dependency] = set()
        self.parts: set[PartKey] = set()
        self.items: list[_Item] = []

    def find(self, row_id: str | None) -> Any | None:
        """The row, or None."""
        if row_id is None:
            return None
        self.dependencies.add(row_id)
        return self._analysis.plant.find(row_id)

    def row(self, row_id: str, kind: type[R]) -> R:
        """The row, which must be there and of this kind."""
        self.dependencies.add(row_id)
        return self._analysis.plant.get(row_id, kind)

    def children(self, kind: type[R], owner_id: str) -> list[R]:
        """Owned rows by rank."""
        self.dependencies.add((*_OWNED[kind], owner_id))
        return self._analysis.plant.children(kind, owner_id)

    def referring(self, kind: type[R], name: str, target: str) -> list[R]:
        """Rows of `kind` whose field `name` refers to `target`, by rank."""
        table = _table_name(kind)
        self.dependencies.add((table, name, target))
        rows = self._analysis.plant.tables[table]
        return [rows[row_id] for row_id in self._analysis.plant.referring(table, name, target)]

    def all(self, kind: type[R]) -> list[R]:
        """Every row of a table that has few; whatever changes in it counts as read."""
        table = _table_name(kind)
        self.dependencies.add((table, "", ""))
        return list(self._analysis.plant.tables[table].values())

    def part(self, key: str, root: str) -> Any:
        """Another part's result; None when its root is gone."""
        self.parts.add((key, root))
        return self._analysis.available(key, root)

    def item(self, key: str, root: str, name: str) -> Any:
        """One entry of another part's dict, None without it: what else changes in the dict counts as not read."""
        try:
            found = self._analysis.available(key, root)
        except _Unavailable:
            self.parts.add((key, root))
            raise
        value = found.get(name) if found else None
        self.items.append(((key, root), name, value))
        return value

    def type(self, key: str) -> DeviceType | None:
        """A device type, or None when the catalogue has none by this key."""
        return self._analysis.catalogue.find(key)


@dataclass(slots=True)
class Delta:
    """What an analysis step changed: parts gone stale, findings added (or with new values) and gone, headlines."""

    stale: list[PartKey] = field(default_factory=list)
    added: list[Finding] = field(default_factory=list)
    gone: list[Finding] = field(default_factory=list)
    before: dict[tuple[str, str], Headline] = field(default_factory=dict)
    after: dict[tuple[str, str], Headline] = field(default_factory=dict)
    wanted: dict[PartKey, Any] = field(default_factory=dict)


class Analysis:
    """All parts of one plant, kept current. Not thread-safe: the holder of the plant guards it."""

    def __init__(
        self, plant: Plant, catalogue: Catalogue, parts: Iterable[Part], checks: Checks, on_failure: OnFailure = ignored
    ) -> None:
        self._on_failure = on_failure
        self.plant = plant
        self.catalogue = catalogue
        self.checks = checks
        self.parts = {part.key: part for part in parts}
        self._by_table: dict[str, list[Part]] = {}
        for part in self.parts.values():
            self._by_table.setdefault(part.table, []).append(part)
        self._entries: dict[PartKey, _Entry] = {}
        self._dependents: dict[Dependency, set[PartKey]] = {}
        self._suspect: dict[PartKey, bool] = {}
        self._replaced: dict[PartKey, _Entry | None] = {}
        self._tick = 0
        self.findings: dict[str, Finding] = {}
        for table, parts_here in self._by_table.items():
            for row_id in plant.tables[table]:
                for part in parts_here:
                    self._entry((part.key, row_id))
        self._settle()

    def result(self, key: str, root: str) -> Any:
        """The current result of a part, None when there is no such root."""
        entry = self._entry((key, root))
        return entry.result if entry else None

    def available(self, key: str, root: str) -> Any:
        """The same for a part that is computed from it: where it could not be computed, neither can that one."""
        entry = self._entry((key, root))
        if entry is None:
            return None
        if entry.failed:
            raise _Unavailable
        return entry.result

    def headlines(self) -> list[Headline]:
        """All headline figures."""
        return [line for entry in self._entries.values() for line in entry.headlines]

    def advance(self, plant: Plant, change: Change) -> Delta:
        """Move to `plant`, which is the current one after `change`."""
        self._step(plant, change)
        return self._settle()

    def preview(self, plant: Plant, change: Change, want: Iterable[PartKey] = ()) -> Delta:
        """What `advance` would say, with the results of the parts wanted; nothing is kept."""
        current, findings = self.plant, self.findings
        self.findings = dict(findings)
        replaced: dict[PartKey, _Entry | None] = {}
        try:
            self._step(plant, change)
            wanted = {key: self.result(*key) for key in want}
            replaced = dict(self._replaced)
            delta = self._settle()
        finally:
            # Whatever happens on the way, what is kept is what was there.
            for key, entry in (replaced or dict(self._replaced)).items():
                self._replace(key, entry)
            self._replaced.clear()
            self._suspect.clear()
            self.plant, self.findings = current, findings
        delta.wanted = wanted
        return delta

    def _step(self, plant: Plant, change: Change) -> None:
        self._tick += 1
        self.plant = plant
        roots: list[PartKey] = []
        for (table, row_id), (before, after) in change.items():
            touched: set[Dependency] = {row_id, (table, "", "")}
            for name in TABLES[table].refs:
                for row in (before, after):
                    if row is not None and getattr(row, name) is not None:
                        touched.add((table, name, getattr(row, name)))
            for dependency in touched:
                for key in self._dependents.get(dependency, ()):
                    self._suspect[key] = True
            if before is None or after is None:
                roots += [(part.key, row_id) for part in self._by_table.get(table, ())]
        self._spread()
        for key in roots:
            if self.plant.find(key[1]) is None:
                self._replace(key, None)
        for key in [*self._suspect, *roots]:
            self._entry(key)
        self._suspect.clear()

    def _spread(self) -> None:
        """Whatever depends on a suspect part may have to be renewed as well."""
        queue = list(self._suspect)
        while queue:
            for dependent in self._dependents.get(queue.pop(), ()):
                if dependent not in self._suspect:
                    self._suspect[dependent] = False
                    queue.append(dependent)

    def _entry(self, key: PartKey) -> _Entry | None:
        entry = self._entries.get(key)
        certain = self._suspect.get(key)
        if entry is not None and certain is None:
            return entry
        part = self.parts[key[0]]
        if key[1] not in self.plant.tables[part.table]:
            self._suspect.pop(key, None)
            if entry is not None:
                self._replace(key, None)
            return None
        if entry is not None and not certain and not self._inputs_changed(entry):
            entry.verified_at = self._tick
            self._suspect.pop(key, None)
            return entry
        self._suspect.pop(key, None)
        fresh = self._computed(part, key[1], entry)
        self._replace(key, fresh)
        return fresh

    def _inputs_changed(self, entry: _Entry) -> bool:
        for part in entry.parts:
            source = self._entry(part)
            if source is None or source.changed_at > entry.verified_at:
                return True
        for part, name, value in entry.items:
            source = self._entry(part)
            now = source.result.get(name) if source and source.result else None
            if now is not value and now != value:
                return True
        return False

    def _computed(self, part: Part, root: str, old: _Entry | None) -> _Entry:
        reader = Reader(self)
        try:
            result = part.compute(reader, root)
            findings = tuple(
                found
                for check in self.checks.looking_at(part.key, result, reader, root)
                for found in check.find(result, reader, root)
            )
            headlines = tuple(part.headlines(result, reader, root))
        except _Unavailable:
            return self._failed(reader, ())
        except Exception as error:
            # One part that breaks must not cost the plant: it is marked, and everything else goes on.
            self._on_failure(part, root, error)
            return self._failed(reader, (could_not_compute(part.table, part.key, root),))
        changed_at = self._tick
        if old is not None and not old.failed and old.result == result:
            # The same answer from other inputs: whoever depends on it need not be renewed.
            result, changed_at = old.result, old.changed_at
        return _Entry(
            result, findings, headlines, _looked_at(reader), tuple(reader.parts), tuple(reader.items), changed_at,
            self._tick,
        )  # fmt: skip

    def _failed(self, reader: Reader, findings: tuple[Finding, ...]) -> _Entry:
        """A part without a result; whatever it had read by then may mend it."""
        return _Entry(
            None, findings, (), _looked_at(reader), tuple(reader.parts), tuple(reader.items), self._tick, self._tick,
            failed=True,
        )  # fmt: skip

    def _replace(self, key: PartKey, fresh: _Entry | None) -> None:
        old = self._entries.get(key)
        if key not in self._replaced:
            self._replaced[key] = old
        old_deps = old.dependencies if old else frozenset()
        new_deps = fresh.dependencies if fresh else frozenset()
        for dependency in old_deps - new_deps:
            self._dependents[dependency].discard(key)
        for dependency in new_deps - old_deps:
            self._dependents.setdefault(dependency, set()).add(key)
        if fresh is None:
            self._entries.pop(key, None)
        else:
            self._entries[key] = fresh

    def _settle(self) -> Delta:
        """Compare what was replaced with what is there now, and bring the findings up to date."""
        delta = Delta()
        old_findings: dict[str, Finding] = {}
        new_findings: dict[str, Finding] = {}
        for key, old in self._replaced.items():
            fresh = self._entries.get(key)
            if old is not None:
                old_findings.update({found.key: found for found in old.findings})
                delta.before.update({(line.place, line.key): line for line in old.headlines})
            if fresh is not None:
                new_findings.update({found.key: found for found in fresh.findings})
                delta.after.update({(line.place, line.key): line for line in fresh.headlines})
            if old is None or fresh is None or old.result is not fresh.result:
                delta.stale.append(key)
        for name, found in new_findings.items():
            if old_findings.get(name) != found:
                delta.added.append(found)
        delta.gone = [found for name, found in old_findings.items() if name not in new_findings]
        for found in delta.gone:
            self.findings.pop(found.key, None)
        self.findings.update(new_findings)
        self._replaced.clear()
        return delta


def _looked_at(reader: Reader) -> frozenset[Dependency]:
    """All that may make what was computed be renewed."""
    return frozenset(reader.dependencies).union(reader.parts, (part for part, _, _ in reader.items))


_OWNED = {table.row: (name, table.owner or "") for name, table in TABLES.items()}
_NAMES = {table.row: name for name, table in TABLES.items()}


def _table_name(kind: type[Any]) -> str:
    return _NAMES[kind]
