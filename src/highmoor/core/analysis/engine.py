"""Incremental analysis: a memo of (part, root) → result, renewed from a Change through a reverse index.

Every part reads the plant through a `Reader`, which notes what was read. What a part depends on is thus what
it really read, and can be neither forgotten nor declared wrongly.

What a Change touches is renewed from below: every entry stands higher than what it was computed from, and the lowest
goes first. An entry whose answer stays the same wakes nobody; of an answer that is a dict only those are woken who read
an entry that is another now. So an edit costs what it changes, however much else there is.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, TypeVar

from highmoor.core.analysis.failures import could_not_compute
from highmoor.core.analysis.findings import Checks, Finding, Stage
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.plant.change import Change
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import TABLES, PinnedType

R = TypeVar("R")
PartKey = tuple[str, str]
# A row or a type, the rows of a table that refer to one, a part or one field of a row.
Dependency = str | tuple[str, str, str] | tuple[str, str]
# An entry of a part's dict that was read.
_Item = tuple[PartKey, str]


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

    `shown` is the type of its result where views show it, None for what only other parts read. One that is `asked` is
    computed when a view or another part asks for it, and forgotten when it changes and nobody depends on it; it has
    neither checks nor headlines. `stage` is where it is told that it could not be computed, if not where its rows are.
    """

    key: str
    table: str
    compute: Callable[[Reader, str], Any]
    headlines: Callable[[Any, Reader, str], Iterable[Headline]] | None = None
    shown: Any = None
    asked: bool = False
    stage: Stage | None = None


OnFailure = Callable[[Part, str, Exception], None]


def ignored(part: Part, root: str, error: Exception) -> None:
    """Nobody is told but by the finding."""


@dataclass(slots=True)
class _Entry:
    """A result with what follows from it, and what it was computed from. It stands above all that it read."""

    result: Any
    findings: tuple[Finding, ...]
    headlines: tuple[Headline, ...]
    dependencies: set[Dependency]
    items: set[_Item]
    height: int
    failed: Exception | None = None


class _Unavailable(Exception):
    """What a part was to be computed from could itself not be computed."""


class _Later(BaseException):
    """What is being computed reads something that is to be renewed first, at `height`; it is tried again above that.

    No error, and not to be caught by a part that expects errors.
    """

    def __init__(self, height: int) -> None:
        super().__init__(height)
        self.height = height


class Circle(Exception):
    """A part was to be computed from itself."""


class Reader:
    """The plant as a part may see it; notes every read."""

    __slots__ = ("_analysis", "_plant", "_types", "dependencies", "height", "items")

    def __init__(self, analysis: Analysis) -> None:
        self._analysis = analysis
        self._plant = analysis.plant
        self._types: dict[str, DeviceType | None] = {}
        self.dependencies: set[Dependency] = set()
        self.items: set[_Item] = set()
        self.height = 0

    def find(self, row_id: str | None) -> Any | None:
        """The row, or None."""
        if row_id is None:
            return None
        self.dependencies.add(row_id)
        return self._plant.find(row_id)

    def row(self, row_id: str, kind: type[R]) -> R:
        """The row, which must be there and of this kind."""
        self.dependencies.add(row_id)
        return self._plant.get(row_id, kind)

    def value(self, row_id: str, kind: type[Any], name: str) -> Any:
        """One field of a row that must be there: whatever else changes of it counts as not read."""
        self.dependencies.add((row_id, name))
        return getattr(self._plant.get(row_id, kind), name)

    def children(self, kind: type[R], owner_id: str) -> list[R]:
        """Owned rows by rank."""
        self.dependencies.add((*_OWNED[kind], owner_id))
        return self._plant.children(kind, owner_id)

    def referring(self, kind: type[R], name: str, target: str) -> list[R]:
        """Rows of `kind` whose field `name` refers to `target`, by rank."""
        table = _table_name(kind)
        self.dependencies.add((table, name, target))
        rows = self._plant.tables[table]
        return [rows[row_id] for row_id in self._plant.referring(table, name, target)]

    def all(self, kind: type[R]) -> list[R]:
        """Every row of a table that has few; whatever changes in it counts as read."""
        table = _table_name(kind)
        self.dependencies.add((table, "", ""))
        return list(self._plant.tables[table].values())

    def index(self, kind: type[Any], name: str) -> Mapping[str, tuple[str, ...]]:
        """The ids of all rows of `kind` by what their field `name` refers to; whatever changes in them counts as read.

        For what looks at very many: one read costs less than one for each.
        """
        table = _table_name(kind)
        self.dependencies.add((table, "", ""))
        return self._plant.index[table, name]

    def part(self, key: str, root: str) -> Any:
        """Another part's result; None when its root is gone."""
        name = (key, root)
        self.dependencies.add(name)
        return self._result(name)

    def item(self, key: str, root: str, name: str) -> Any:
        """One entry of another part's dict, None without it: what else changes in the dict counts as not read."""
        source = (key, root)
        self.items.add((source, name))
        result = self._result(source)
        return result.get(name) if result else None

    def _result(self, source: PartKey) -> Any:
        entry = self._analysis.settled(source)
        if entry is None:
            return None
        if entry.height > self.height:
            self.height = entry.height
        if entry.failed is not None:
            raise _Unavailable
        return entry.result

    def today(self) -> str:
        """The day, ISO 8601; "" where nobody has told it."""
        self.dependencies.add(_TODAY)
        return self._analysis.today

    def type(self, key: str) -> DeviceType | None:
        """A device type, or None when the catalogue has none by this key."""
        if key not in self._types:
            # A module of a file's device comes and goes with that device.
            self.dependencies.add(key.partition("/")[0])
            self._types[key] = self._analysis.catalogue.find(key)
        return self._types[key]


@dataclass(slots=True)
class Delta:
    """What an analysis step changed: parts with their results before and after, findings added (or with new values)
    and gone, headlines."""

    changed: dict[PartKey, tuple[Any, Any]] = field(default_factory=dict)
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
        self.today = ""
        self.parts = {part.key: part for part in parts}
        self._by_table: dict[str, list[Part]] = {}
        for part in self.parts.values():
            if not part.asked:
                self._by_table.setdefault(part.table, []).append(part)
            elif part.headlines or checks.look_at(part.key):
                raise ValueError(f"{part.key} is computed when asked for, and so can have neither headlines nor checks")
        self._entries: dict[PartKey, _Entry] = {}
        # Who has read a row, a list of rows, a type or a whole part; and who an entry of a part that is a dict.
        self._dependents: dict[Dependency, set[PartKey]] = {}
        self._watching: dict[PartKey, dict[str, set[PartKey]]] = {}
        self._dirty: set[PartKey] = set()
        self._queue: list[tuple[int, PartKey]] = []
        self._computing: set[PartKey] = set()
        self._limit: float = math.inf
        # How high a part stood the last time, for those that are new.
        self._usual: dict[str, int] = {}
        self._replaced: dict[PartKey, _Entry | None] = {}
        self.findings: dict[str, Finding] = {}
        for table, parts_here in self._by_table.items():
            for row_id in plant.tables[table]:
                for part in parts_here:
                    self.settled((part.key, row_id))
        # Only what is computed from itself can have woken anybody.
        self._dirty.clear()
        self._queue.clear()
        self._settle()

    def result(self, key: str, root: str) -> Any:
        """The current result of a part, None when there is no such root."""
        entry = self._entries.get((key, root))
        if entry is None:
            entry = self.settled((key, root))
            self._replaced.clear()
            if entry is not None and entry.failed and not isinstance(entry.failed, _Unavailable):
                self._on_failure(self.parts[key], root, entry.failed)
        return entry.result if entry else None

    def rows_behind(self, key: str, root: str) -> set[str]:
        """The ids of all rows that a part's result was made of, by whatever parts between."""
        rows: set[str] = set()
        seen: set[PartKey] = set()
        waiting: list[PartKey] = [(key, root)]
        while waiting:
            name = waiting.pop()
            entry = self._entries.get(name)
            if name in seen or entry is None:
                continue
            seen.add(name)
            waiting += [source for source, _ in entry.items]
            for read in entry.dependencies:
                if isinstance(read, str):
                    rows.add(read)
                elif len(read) == 2 and read[0] in self.parts:
                    waiting.append((read[0], read[1]))
                elif len(read) == 2:
                    rows.add(read[0])
        return rows

    def headlines(self) -> list[Headline]:
        """All headline figures."""
        return [line for entry in self._entries.values() for line in entry.headlines]

    def advance(self, plant: Plant, change: Change) -> Delta:
        """Move to `plant`, which is the current one after `change`."""
        self._step(plant, change)
        return self._settle()

    def pass_to(self, today: str) -> Delta:
        """Another day (ISO 8601) has begun, by which what is due can be overdue."""
        self._replaced.clear()
        if today != self.today:
            self.today = today
            self._wake(self._dependents.get(_TODAY, ()))
            self._renew()
        return self._settle()

    def preview(self, plant: Plant, change: Change, want: Iterable[PartKey] = ()) -> Delta:
        """What `advance` would say, with the results of the parts wanted; nothing is kept."""
        current, findings = self.plant, self.findings
        self.findings = dict(findings)
        replaced: dict[PartKey, _Entry | None] = {}
        try:
            self._step(plant, change)
            wanted = {}
            for key in want:
                entry = self.settled(key)
                wanted[key] = entry.result if entry else None
            replaced = dict(self._replaced)
            delta = self._settle()
        finally:
            # Whatever happens on the way, what is kept is what was there.
            for key, kept in (replaced or dict(self._replaced)).items():
                self._store(key, kept)
            self._replaced.clear()
            self._dirty.clear()
            self._queue.clear()
            self.plant, self.findings = current, findings
        delta.wanted = wanted
        return delta

    def _step(self, plant: Plant, change: Change) -> None:
        self.plant = plant
        self._replaced.clear()
        for (table, row_id), (before, after) in change.items():
            touched: set[Dependency] = {row_id, (table, "", "")}
            touched.update((row_id, name) for name in _differing(table, before, after))
            for row in (before, after):
                if row is None:
                    continue
                if isinstance(row, PinnedType):
                    touched.add(row.key)
                for name in TABLES[table].refs:
                    target = getattr(row, name)
                    if target is not None:
                        touched.add((table, name, target))
            for dependency in touched:
                self._wake(self._dependents.get(dependency, ()))
            if after is None:
                for part in self._of_table(table):
                    if (part.key, row_id) in self._entries:
                        self._replace((part.key, row_id), None)
            elif before is None:
                self._wake((part.key, row_id) for part in self._by_table.get(table, ()))
        self._renew()

    def _of_table(self, table: str) -> list[Part]:
        return [part for part in self.parts.values() if part.table == table]

    def _wake(self, keys: Iterable[PartKey]) -> None:
        for key in keys:
            if key not in self._dirty:
                self._dirty.add(key)
                entry = self._entries.get(key)
                height = entry.height if entry else self._usual.get(key[0], 0)
                heapq.heappush(self._queue, (height, key))

    def _renew(self) -> None:
        """All that is to be renewed, from below."""
        while self._queue:
            height, key = heapq.heappop(self._queue)
            if key not in self._dirty:
                continue
            self._dirty.discard(key)
            part, old = self.parts[key[0]], self._entries.get(key)
            if key[1] not in self.plant.tables[part.table]:
                continue
            if part.asked and not self._dependents.get(key) and not self._watching.get(key):
                if old is not None:
                    self._replace(key, None)
                continue
            self._limit = height
            try:
                self._compute(part, key, old)
            except _Later as later:
                self._dirty.add(key)
                height = max(later.height + 1, height)
                if old is not None:
                    # Whoever reads it has to wait until then as well.
                    old.height = height
                heapq.heappush(self._queue, (height, key))
            finally:
                self._limit = math.inf
                self._computing.clear()

    def settled(self, key: PartKey) -> _Entry | None:
        """A part's entry as it is now; None when its root is gone. While parts are renewed, `_Later` where it is not
        that one's turn yet."""
        entry = self._entries.get(key)
        if entry is not None:
            if self._dirty and self._limit < math.inf and (entry.height >= self._limit or key in self._dirty):
                self._postpone(entry.height)
            return entry
        part = self.parts[key[0]]
        if key[1] not in self.plant.tables[part.table]:
            return None
        entry = self._compute(part, key, None)
        self._dirty.discard(key)
        return entry

    def _postpone(self, height: int) -> None:
        if height > len(self._entries):
            raise Circle("computed from itself")
        raise _Later(height)

    def _compute(self, part: Part, key: PartKey, old: _Entry | None) -> _Entry:
        if key in self._computing:
            raise Circle(f"{part.key} of {key[1]} is computed from itself")
        self._computing.add(key)
        fresh = self._computed(part, key[1])
        self._computing.discard(key)
        self._usual[part.key] = fresh.height
        if old is not None and not old.failed and not fresh.failed and old.result == fresh.result:
            # The same answer from other inputs: whoever depends on it need not be renewed.
            fresh.result = old.result
        self._replace(key, fresh)
        return fresh

    def _computed(self, part: Part, root: str) -> _Entry:
        reader = Reader(self)
        findings: tuple[Finding, ...] = ()
        headlines: tuple[Headline, ...] = ()
        failed: Exception | None = None
        result = None
        try:
            result = part.compute(reader, root)
            if not part.asked:
                findings = self.checks.found(part.key, result, reader, root)
                if part.headlines:
                    headlines = tuple(part.headlines(result, reader, root))
        except _Unavailable as unavailable:
            result, findings, headlines, failed = None, (), (), unavailable
        except Exception as error:
            # One part that breaks must not cost the plant: it is marked, and everything else goes on.
            result, headlines, failed = None, (), error
            findings = () if part.asked else (could_not_compute(part.stage, part.table, part.key, root),)
        return _Entry(result, findings, headlines, reader.dependencies, reader.items, reader.height + 1, failed)

    def _replace(self, key: PartKey, fresh: _Entry | None) -> None:
        """Put an entry in another's place, and wake who has to know."""
        old = self._entries.get(key)
        if key not in self._replaced:
            self._replaced[key] = old
        self._store(key, fresh)
        if (
            old is not None
            and fresh is not None
            and old.result is fresh.result
            and bool(old.failed) == bool(fresh.failed)
        ):
            # Of two failures one is as good as the other: neither can be computed from.
            return
        self._wake(self._dependents.get(key, ()))
        watching = self._watching.get(key)
        if not watching:
            return
        broken = bool((old and old.failed) or (fresh and fresh.failed))
        was, now = (entry.result if entry and entry.result else {} for entry in (old, fresh))
        for name, keys in watching.items():
            one, other = was.get(name), now.get(name)
            if broken or (one is not other and one != other):
                self._wake(keys)

    def _store(self, key: PartKey, fresh: _Entry | None) -> None:
        old = self._entries.get(key)
        if fresh is None:
            self._entries.pop(key, None)
        else:
            self._entries[key] = fresh
        if old is None or fresh is None or old.dependencies != fresh.dependencies:
            self._depend(key, old.dependencies if old else set(), fresh.dependencies if fresh else set())
        if (old and old.items) or (fresh and fresh.items):
            self._watch(key, old.items if old else set(), fresh.items if fresh else set())

    def _depend(self, key: PartKey, was: set[Dependency], now: set[Dependency]) -> None:
        dependents = self._dependents
        for dependency in was - now if was else ():
            readers = dependents[dependency]
            readers.discard(key)
            if not readers:
                del dependents[dependency]
        for dependency in now - was if was else now:
            found = dependents.get(dependency)
            if found is None:
                dependents[dependency] = {key}
            else:
                found.add(key)

    def _watch(self, key: PartKey, was: set[_Item], now: set[_Item]) -> None:
        for source, name in was - now:
            names = self._watching[source]
            names[name].discard(key)
            if not names[name]:
                del names[name]
            if not names:
                del self._watching[source]
        for source, name in now - was:
            self._watching.setdefault(source, {}).setdefault(name, set()).add(key)

    def _settle(self) -> Delta:
        """Compare what was replaced with what is there now, and bring the findings up to date."""
        delta = Delta()
        old_findings: dict[str, Finding] = {}
        new_findings: dict[str, Finding] = {}
        for key, old in self._replaced.items():
            fresh = self._entries.get(key)
            if old is not None:
                if old.findings:
                    old_findings.update({found.key: found for found in old.findings})
                for line in old.headlines:
                    delta.before[line.place, line.key] = line
            if fresh is not None:
                if fresh.findings:
                    new_findings.update({found.key: found for found in fresh.findings})
                for line in fresh.headlines:
                    delta.after[line.place, line.key] = line
                if fresh.failed and not isinstance(fresh.failed, _Unavailable):
                    self._on_failure(self.parts[key[0]], key[1], fresh.failed)
            if old is None or fresh is None or old.result is not fresh.result:
                delta.changed[key] = (old.result if old else None, fresh.result if fresh else None)
        for name, found in new_findings.items():
            if old_findings.get(name) != found:
                delta.added.append(found)
        delta.gone = [found for name, found in old_findings.items() if name not in new_findings]
        for found in delta.gone:
            self.findings.pop(found.key, None)
        self.findings.update(new_findings)
        self._replaced.clear()
        return delta


def _differing(table: str, before: Any, after: Any) -> Iterator[str]:
    """The fields of a row that a change is about: all of one that comes or goes."""
    for name in TABLES[table].fields:
        if before is None or after is None or getattr(before, name) != getattr(after, name):
            yield name


# No row has such an id.
_TODAY = "the day"
_OWNED = {table.row: (name, table.owner or "") for name, table in TABLES.items()}
_NAMES = {table.row: name for name, table in TABLES.items()}


def _table_name(kind: type[Any]) -> str:
    return _NAMES[kind]
