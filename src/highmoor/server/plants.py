"""The plants held open: each with its lock, its analysis and its journal's outline; the database is the truth."""

from __future__ import annotations

import gc
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from django.contrib.auth.models import User

from highmoor.core.analysis.engine import Analysis, Delta
from highmoor.core.errors import Gone, Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.change import Change
from highmoor.core.plant.plant import Plant
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.reporting import label_of, render
from highmoor.core.project.undo import Inverse, Overlap, difference, inverse_on
from highmoor.server import store
from highmoor.server.library import LIBRARY
from highmoor.server.models import Entry, Project

_OPEN_AT_MOST = 24


class Conflict(Exception):
    """An edit writes what another wrote since; both values are told, nothing is lost."""

    def __init__(self, overlaps: list[dict[str, Any]]) -> None:
        super().__init__("What you edited was changed meanwhile.")
        self.overlaps = overlaps


@dataclass(frozen=True, slots=True)
class Step:
    """A journal entry in outline."""

    revision: int
    kind: str
    of: int | None
    author: int | None
    client: str
    label: str


@dataclass(frozen=True, slots=True)
class Answer:
    """What an edit is answered with."""

    revision: int
    change: Change
    tags: dict[str, str]
    delta: Delta
    label: str
    repeated: bool = False


@dataclass(slots=True)
class OpenPlant:
    """One plant in memory. Everything that touches it holds `lock`."""

    project: Project
    plant: Plant
    analysis: Analysis
    steps: list[Step]
    lock: threading.RLock = field(default_factory=threading.RLock)

    @property
    def revision(self) -> int:
        """The head's revision."""
        return self.project.revision

    def edit(self, user: User, edit: edits.Edit, *, base: int, client: str, client_key: str, label: str) -> Answer:
        """Apply an edit made on revision `base`. Raises Refusal or Conflict; then nothing has happened."""
        with self.lock:
            repeated = self._repeated(client_key)
            if repeated:
                return repeated
            later = self._later(base, client)
            try:
                applied = apply(self.plant, self.analysis.catalogue, edit)
            except Gone as gone:
                lost = [
                    self._told(gone.place, "", False, True, entry) for entry in later if _removes(entry, gone.place)
                ]
                if lost:
                    raise Conflict(lost) from None
                raise
            self._refuse_overlaps(applied.change, later)
            return self._commit(user, applied.plant, applied.change, applied.tags, kind="edit", of=None,
                                client=client, client_key=client_key, label=label)  # fmt: skip

    def take_back(self, user: User, *, redo: bool, rest: bool, client: str, client_key: str) -> Answer:
        """Undo the user's latest own edit, or redo the latest undone. Raises Refusal or Conflict."""
        with self.lock:
            repeated = self._repeated(client_key)
            if repeated:
                return repeated
            step = self.next_redo(user) if redo else self.next_undo(user)
            if step is None:
                raise Refusal("There is nothing of yours to redo." if redo else "There is nothing of yours to undo.")
            entry = Entry.objects.get(project=self.project, revision=step.revision)
            inverse = inverse_on(self.plant, store.change_of(entry))
            if inverse.overlaps and not rest:
                raise Conflict(self._overlaps(inverse, step.revision))
            after = self.plant.patched(inverse.change)
            # Even when nothing is left to take back, the step is done with.
            return self._commit(user, after, inverse.change, {}, kind="redo" if redo else "undo", of=step.revision,
                                client=client, client_key=client_key, label=step.label, even_empty=True)  # fmt: skip

    def restore(self, user: User, revision: int, *, client: str, client_key: str) -> Answer:
        """Bring back the state of an earlier revision, as an edit of its own."""
        with self.lock:
            repeated = self._repeated(client_key)
            if repeated:
                return repeated
            earlier = self.at(revision)
            change = difference(self.plant, earlier)
            after = self.plant.patched(change)
            return self._commit(user, after, change, {}, kind="edit", of=None, client=client,
                                client_key=client_key, label=f"Restore revision {revision}")  # fmt: skip

    def at(self, revision: int) -> Plant:
        """The plant as it was at a revision: today's, with every later entry taken back."""
        if not 1 <= revision <= self.revision:
            raise Refusal(f"There is no revision {revision}; the plant has 1 to {self.revision}.")
        plant = self.plant
        for entry in reversed(list(store.entries_between(self.project, revision))):
            plant = plant.patched(store.change_of(entry).inverse())
        return plant

    def next_undo(self, user: User) -> Step | None:
        """The user's latest own edit not yet undone."""
        undo, _ = self._stacks(user)
        return undo[-1] if undo else None

    def next_redo(self, user: User) -> Step | None:
        """The user's latest undo not yet redone or buried under a new edit."""
        _, redo = self._stacks(user)
        return redo[-1] if redo else None

    def _stacks(self, user: User) -> tuple[list[Step], list[Step]]:
        undo: list[Step] = []
        redo: list[Step] = []
        for step in self.steps:
            if step.author != user.pk or step.kind == "begin":
                continue
            if step.kind == "undo":
                undo = [s for s in undo if s.revision != step.of]
                redo.append(step)
            elif step.kind == "redo":
                redo = [s for s in redo if s.revision != step.of]
                undo.append(step)
            else:
                undo.append(step)
                redo.clear()
        return undo, redo

    def _repeated(self, client_key: str) -> Answer | None:
        """A retry after a lost answer is told what the first try did."""
        entry = Entry.objects.filter(project=self.project, client_key=client_key).first()
        if entry is None:
            return None
        return Answer(entry.revision, store.change_of(entry), entry.tags, Delta(), entry.label, repeated=True)

    def _later(self, base: int, client: str) -> list[Entry]:
        if base >= self.revision:
            return []
        return [entry for entry in store.entries_between(self.project, base) if entry.client != client]

    def _refuse_overlaps(self, change: Change, later: list[Entry]) -> None:
        if not later:
            return
        mine = change.written()
        found = []
        for entry in later:
            theirs = store.change_of(entry).written()
            for place in mine.keys() & theirs.keys():
                found.append(self._told(*place, theirs[place][1], mine[place][1], entry))
        if found:
            raise Conflict(found)

    def _overlaps(self, inverse: Inverse, since: int) -> list[dict[str, Any]]:
        later = list(store.entries_between(self.project, since))
        told = []
        for overlap in inverse.overlaps:
            entry = next((e for e in reversed(later) if _touches(e, overlap)), None)
            told.append(self._told(overlap.id, overlap.field, overlap.theirs, overlap.yours, entry))
        return told

    def _told(self, row_id: str, path: str, theirs: Any, yours: Any, entry: Entry | None) -> dict[str, Any]:
        label = label_of(self.plant, row_id, self.analysis.catalogue.find)
        if label == row_id and entry:
            # It is gone from the plant; the journal still knows what it was called.
            label = next((_name(e) for e in entry.change if e["id"] == row_id), row_id)
        return {
            "id": row_id,
            "field": path,
            "label": label,
            "theirs": theirs,
            "yours": yours,
            "author": entry.author.username if entry and entry.author else "",
            "revision": entry.revision if entry else 0,
        }

    def _commit(
        self, user: User, plant: Plant, change: Change, tags: dict[str, str], *, label: str,
        even_empty: bool = False, **entry: Any
    ) -> Answer:  # fmt: skip
        if not change and not even_empty:
            return Answer(self.revision, change, tags, Delta(), label)
        details = {"label": label, "tags": tags, **entry}
        try:
            saved = store.save_step(self.project, plant, change, author=user, entry=details)
        except store.Outdated:
            forget(self.project.pk)
            raise
        delta = self.analysis.advance(plant, change)
        self.plant = plant
        self.steps.append(Step(saved.revision, saved.kind, saved.of, user.pk, saved.client, label))
        answer = Answer(saved.revision, change, tags, delta, label)
        for listener in _listeners:
            listener(self, answer, user, entry["client"])
        return answer

    def findings_json(self, delta: Delta) -> tuple[list[dict[str, Any]], list[str]]:
        """Findings that came or changed, in words, and the keys of those that went."""
        return [render(self.analysis, found) for found in delta.added], [found.key for found in delta.gone]


def _name(entry: dict[str, Any]) -> str:
    row = entry["before"] or entry["after"]
    return str(row.get("name") or row.get("designation") or row.get("type") or entry["id"])


def _removes(entry: Entry, row_id: str) -> bool:
    return any(e["id"] == row_id and e["after"] is None for e in entry.change)


def _touches(entry: Entry, overlap: Overlap) -> bool:
    return any(e["id"] == overlap.id or overlap.theirs == e["id"] for e in entry.change)


Listener = Callable[[OpenPlant, Answer, User, str], None]
_listeners: list[Listener] = []
_open: OrderedDict[int, OpenPlant] = OrderedDict()
_opening = threading.Lock()


def on_commit(listener: Listener) -> None:
    """Call `listener` after every committed step, while the plant's lock is held."""
    _listeners.append(listener)


def open_plant(project: Project) -> OpenPlant:
    """The plant of a project, from memory or from the database."""
    with _opening:
        held = _open.get(project.pk)
        if held is None:
            held = _open[project.pk] = _loaded(project)
        _open.move_to_end(project.pk)
        while len(_open) > _OPEN_AT_MOST:
            _open.popitem(last=False)
        return held


def _loaded(project: Project) -> OpenPlant:
    collecting = gc.isenabled()
    gc.disable()
    try:
        plant = store.load_plant(project)
        entries = Entry.objects.filter(project=project).order_by("revision")
        outline = entries.values_list("revision", "kind", "of", "author_id", "client", "label")
        return OpenPlant(project, plant, analyse(plant, LIBRARY), [Step(*values) for values in outline])
    finally:
        # A plant is hundreds of thousands of objects that stay: the collector need not visit them at every edit.
        gc.freeze()
        if collecting:
            gc.enable()


def forget(project_pk: int | None = None) -> None:
    """Let go of one plant, or of all (tests, deletion)."""
    with _opening:
        if project_pk is None:
            _open.clear()
        else:
            _open.pop(project_pk, None)
