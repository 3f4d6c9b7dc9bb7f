"""The plants held open: each with its lock, its analysis and its journal's outline; the database is the truth."""

from __future__ import annotations

import gc
import hashlib
import json
import logging
import random
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from types import TracebackType
from typing import Any, cast

from django.contrib.auth.models import User
from django.utils import timezone

from highmoor.core.analysis.engine import Analysis, Part
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.collecting import uncollected
from highmoor.core.errors import Gone, Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.change import Change
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Document
from highmoor.core.project import edits, sealing
from highmoor.core.project.apply import apply
from highmoor.core.project.draft import Draft
from highmoor.core.project.reporting import Labels, called_otherwise, label_of, render
from highmoor.core.project.undo import Inverse, Overlap, difference, inverse_on, is_record, without_records
from highmoor.core.safety.seal.tree import Tree, tree_of
from highmoor.server import store
from highmoor.server.library import plant_catalogue
from highmoor.server.models import Entry, Project

_log = logging.getLogger(__name__)
# What is kept in memory, counted in rows: a row with what is computed of it takes about 10 KB.
_ROWS_AT_MOST = 100_000
# Who used a plant just now will use it again: it stays beyond the limit, up to twice as much.
_JUST_USED_S = 5.0


class Conflict(Exception):
    """An edit writes what another wrote since; both values are told, nothing is lost."""

    def __init__(self, overlaps: list[dict[str, Any]]) -> None:
        super().__init__("What you edited was changed meanwhile.")
        self.overlaps = overlaps


class PlantLock:
    """Held by whoever touches a plant. Once the plant was let go of, nobody gets in: Outdated is raised."""

    def __init__(self) -> None:
        self._lock = threading.RLock()
        self.let_go = False

    def __enter__(self) -> None:
        self._lock.acquire()
        if self.let_go:
            self._lock.release()
            raise store.Outdated

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._lock.release()

    def free(self) -> bool:
        """Whether nobody is in; then nobody gets in any more."""
        if not self._lock.acquire(blocking=False):
            return False
        self.let_go = True
        self._lock.release()
        return True


@dataclass(frozen=True, slots=True)
class Step:
    """A journal entry in outline."""

    revision: int
    kind: str
    of: int | None
    author: int | None
    client: str
    label: str
    document: str


@dataclass(frozen=True, slots=True)
class Asked:
    """Who asks, from which client, under which key; `what` tells one edit from another under the same key."""

    user: User
    client: str
    client_key: str
    what: str

    @classmethod
    def of(cls, user: User, client: str, client_key: str, *what: Any) -> Asked:
        """`what` is anything that can be written as JSON."""
        text = json.dumps(what, sort_keys=True, default=str)
        return cls(user, client, client_key, hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest())


@dataclass(frozen=True, slots=True)
class Answer:
    """What an edit is answered with; findings in words as they are after it."""

    revision: int
    change: Change
    tags: dict[str, str]
    label: str
    stale: tuple[tuple[str, str], ...] = ()
    findings_added: tuple[dict[str, Any], ...] = ()
    findings_gone: tuple[str, ...] = ()
    repeated: bool = False
    document: Document = "plant"


@dataclass(slots=True)
class Stacks:
    """A user's edits of one document that can be undone, and those that can be redone, the next one last."""

    undo: list[Step] = field(default_factory=list)
    redo: list[Step] = field(default_factory=list)
    followed: int = 0

    def follow(self, step: Step) -> None:
        """One more step of the journal."""
        if step.kind == "undo":
            self.undo = [s for s in self.undo if s.revision != step.of]
            self.redo.append(step)
        elif step.kind == "redo":
            self.redo = [s for s in self.redo if s.revision != step.of]
            self.undo.append(step)
        elif step.kind not in ("begin", "record"):
            # A record is never taken back: it is voided, and says why.
            self.undo.append(step)
            self.redo.clear()


@dataclass(slots=True)
class OpenPlant:
    """One plant in memory. Everything that touches it holds `lock`."""

    project: Project
    plant: Plant
    catalogue: Catalogue
    steps: list[Step]
    lock: PlantLock = field(default_factory=PlantLock)
    used: float = 0.0
    _analysis: Analysis | None = None
    _known_stacks: dict[tuple[int, Document], Stacks] = field(default_factory=dict)

    @property
    def analysis(self) -> Analysis:
        """What follows from the plant, worked out when it is first asked for: its rows can be shown before.

        A day that passes changes it, so that who asks has to wait for whoever is at it.
        """
        with self.lock:
            if self._analysis is None:
                with _to_stay():
                    self._analysis = analyse(self.plant, self.catalogue, _failed)
            self._analysis.pass_to(timezone.localdate().isoformat())
            return self._analysis

    @property
    def revision(self) -> int:
        """The head's revision."""
        return self.project.revision

    @property
    def configured(self) -> int:
        """The last revision that changed what is configured."""
        return next((step.revision for step in reversed(self.steps) if step.document == "plant"), self.revision)

    @property
    def size(self) -> int:
        """How many rows it has."""
        return sum(len(rows) for rows in self.plant.tables.values())

    def edit(self, asked: Asked, edit: edits.Edit, *, base: int, label: str) -> Answer:
        """Apply an edit made on revision `base`. Raises Refusal or Conflict; then nothing has happened."""
        with self.lock:
            repeated = self._repeated(asked)
            if repeated:
                return repeated
            later = self._later(base, asked)
            try:
                applied = apply(self.plant, self.catalogue, edit)
            except Gone as gone:
                lost = [
                    self._told(gone.place, "", False, True, entry) for entry in later if _removes(entry, gone.place)
                ]
                if lost:
                    raise Conflict(lost) from None
                raise
            self._refuse_overlaps(applied.change, later)
            kind = "record" if is_record(applied.change) else "edit"
            return self._commit(asked, applied.plant, applied.change, applied.tags, label=label, kind=kind,
                                document=applied.document)  # fmt: skip

    def repeated(self, asked: Asked) -> Answer | None:
        """What the first try did, where this is a retry after a lost answer."""
        with self.lock:
            return self._repeated(asked)

    def record(self, asked: Asked, make: Callable[[], tuple[Draft, str]], *, document: Document = "plant") -> Answer:
        """Something that is done once and never taken back, with its label. Raises what `make` raises; then nothing
        has happened."""
        with self.lock:
            repeated = self._repeated(asked)
            if repeated:
                return repeated
            draft, label = make()
            return self._commit(asked, draft.plant, draft.change, {}, label=label, kind="record", document=document)

    def seal(self, asked: Asked, controller: str, at: str, also_open: Sequence[str] = ()) -> Answer:
        """Seal a controller as it is now, by the user who asks, with what is open besides what the plant says. Raises
        Refusal where it cannot be sealed."""

        def make() -> tuple[Draft, str]:
            tree: Tree = self.analysis.result("controller.covered", controller) or tree_of(())
            last = self.last_to_edit({item.row for item in tree.items})
            draft = sealing.seal(self.analysis, controller, at=at, by=asked.user.get_username(),
                                 revision=self.revision, edited_last=last == asked.user.pk,
                                 also_open=also_open)  # fmt: skip
            return draft, f"Seal {draft.plant.get(controller, Controller).name}"

        return self.record(asked, make)

    def last_to_edit(self, rows: set[str]) -> int | None:
        """Who made the last edit of one of these rows."""
        for entry in Entry.objects.filter(project=self.project).exclude(kind="begin").order_by("-revision").iterator():
            if rows & {row["id"] for row in entry.change}:
                return int(entry.author_id) if entry.author_id is not None else None
        return None

    def since(self, revision: int, rows: set[str]) -> list[Entry]:
        """What was edited of these rows after a revision, the last edit first."""
        later = store.entries_between(self.project, revision)
        return [e for e in reversed(list(later)) if rows & {row["id"] for row in e.change}]

    def take_back(self, asked: Asked, *, redo: bool, rest: bool, document: Document = "plant") -> Answer:
        """Undo the user's latest own edit of a document, or redo the latest undone. Raises Refusal or Conflict."""
        with self.lock:
            repeated = self._repeated(asked)
            if repeated:
                return repeated
            step = self.next_redo(asked.user, document) if redo else self.next_undo(asked.user, document)
            if step is None:
                raise Refusal("You have nothing to redo." if redo else "You have nothing to undo.")
            entry = Entry.objects.get(project=self.project, revision=step.revision)
            inverse = inverse_on(self.plant, store.change_of(entry))
            if inverse.overlaps and not rest:
                raise Conflict(self._overlaps(inverse, step.revision))
            # What was recorded together with something else stays recorded.
            change = without_records(inverse.change, self.plant.patched(inverse.change))
            after = self.plant.patched(change)
            # Even when nothing is left to take back, the step is done with.
            return self._commit(asked, after, change, {}, kind="redo" if redo else "undo", of=step.revision,
                                label=step.label, even_empty=True, document=document)  # fmt: skip

    def restore(self, asked: Asked, revision: int) -> Answer:
        """Bring back what was configured at an earlier revision, as an edit of its own; what is built stays."""
        with self.lock:
            repeated = self._repeated(asked)
            if repeated:
                return repeated
            earlier = self.at(revision)
            change = without_records(difference(self.plant, earlier), earlier)
            after = self.plant.patched(change)
            return self._commit(asked, after, change, {}, label=f"Restore revision {revision}")

    def at(self, revision: int) -> Plant:
        """The plant as it was at a revision: today's, with every later entry taken back."""
        if not 1 <= revision <= self.revision:
            raise Refusal(f"There is no revision {revision}; the plant has 1 to {self.revision}.")
        plant = self.plant
        for entry in reversed(list(store.entries_between(self.project, revision))):
            plant = plant.patched(store.change_of(entry).inverse())
        return plant

    def next_undo(self, user: User, document: Document = "plant") -> Step | None:
        """The user's latest own edit of a document not yet undone."""
        undo = self._stacks(user, document).undo
        return undo[-1] if undo else None

    def next_redo(self, user: User, document: Document = "plant") -> Step | None:
        """The user's latest undo not yet redone or buried under a new edit."""
        redo = self._stacks(user, document).redo
        return redo[-1] if redo else None

    def _stacks(self, user: User, document: Document) -> Stacks:
        """What a user can take back and do again, followed from where it was looked at last."""
        known = self._known_stacks.setdefault((user.pk, document), Stacks())
        for step in self.steps[known.followed :]:
            if step.author == user.pk and step.document == document:
                known.follow(step)
        known.followed = len(self.steps)
        return known

    def _repeated(self, asked: Asked) -> Answer | None:
        """A retry after a lost answer is told what the first try did. Raises Refusal for another edit by that key."""
        entry = Entry.objects.filter(project=self.project, author=asked.user, client_key=asked.client_key).first()
        if entry is None:
            return None
        if entry.asked not in ("", asked.what):
            raise Refusal(
                f"This key was used for another edit already (revision {entry.revision}); nothing was changed.",
                field="client_key", value=asked.client_key,
            )  # fmt: skip
        return Answer(
            entry.revision,
            store.change_of(entry),
            entry.tags,
            entry.label,
            repeated=True,
            document=cast("Document", entry.document),
        )

    def _later(self, base: int, asked: Asked) -> list[Entry]:
        """What others, or other clients of the same user, wrote since."""
        if base >= self.revision:
            return []
        own = (asked.user.pk, asked.client)
        return [e for e in store.entries_between(self.project, base) if (e.author_id, e.client) != own]

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
        label = label_of(self.plant, row_id, self.catalogue.find)
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
        self, asked: Asked, plant: Plant, change: Change, tags: dict[str, str], *, label: str, kind: str = "edit",
        of: int | None = None, even_empty: bool = False, document: Document = "plant",
    ) -> Answer:  # fmt: skip
        """Analysis, then database, then memory: what fails before the database leaves it as it was, and this plant is
        let go of, so that the next one to ask has it from there."""
        if not change and not even_empty:
            return Answer(self.revision, change, tags, label)
        details = {
            "label": label, "tags": tags, "kind": kind, "of": of, "client": asked.client,
            "client_key": asked.client_key, "asked": asked.what, "document": document,
        }  # fmt: skip
        try:
            delta = self.analysis.advance(plant, change)
            known: Labels = {}
            told = {found.key: found for found in called_otherwise(self.analysis, change, self.plant)}
            told |= {found.key: found for found in delta.added}
            added = tuple(render(self.analysis, found, known) for found in told.values())
            saved = store.save_step(self.project, plant, change, author=asked.user, entry=details)
        except BaseException:
            forget(self.project.pk)
            raise
        self.plant = plant
        self.steps.append(Step(saved.revision, saved.kind, saved.of, asked.user.pk, saved.client, label, document))
        gone = tuple(found.key for found in delta.gone)
        answer = Answer(saved.revision, change, tags, label, tuple(delta.changed), added, gone, document=document)
        for listener in _listeners:
            try:
                listener(self, answer, asked.user, asked.client)
            except Exception:
                # The edit is made; whoever could not be told of it finds out from the revision.
                _log.exception("telling of revision %s failed", saved.revision)
        return answer


def _name(entry: dict[str, Any]) -> str:
    row = entry["before"] or entry["after"]
    return str(row.get("name") or row.get("designation") or row.get("type") or entry["id"])


def _removes(entry: Entry, row_id: str) -> bool:
    return any(e["id"] == row_id and e["after"] is None for e in entry.change)


def _touches(entry: Entry, overlap: Overlap) -> bool:
    return any(e["id"] == overlap.id or overlap.theirs == e["id"] for e in entry.change)


Listener = Callable[[OpenPlant, Answer, User, str], None]
_listeners: list[Listener] = []
_open: dict[int, OpenPlant] = {}
_guard = threading.Lock()
_opening: dict[int, threading.Lock] = {}


def on_commit(listener: Listener) -> None:
    """Call `listener` after every committed step, while the plant's lock is held."""
    _listeners.append(listener)


def open_plant(project: Project) -> OpenPlant:
    """The plant of a project, from memory or from the database; two may be opened at once, one only once."""
    with _guard:
        held = _open.get(project.pk)
        opening = _opening.setdefault(project.pk, threading.Lock())
    if held is None:
        with opening:
            with _guard:
                held = _open.get(project.pk)
            if held is None:
                held = _loaded(project)
                with _guard:
                    _open[project.pk] = held
    held.used = time.monotonic()
    _make_room(held)
    return held


def _make_room(newest: OpenPlant) -> None:
    """Let go of plants beyond the limit: those longest unused, and of those just used any, so that many who work in
    turn do not all find theirs gone."""
    with _guard:
        total = sum(held.size for held in _open.values())
        if total <= _ROWS_AT_MOST:
            return
        now = time.monotonic()
        others = [(pk, held) for pk, held in _open.items() if held is not newest]
        idle = sorted((o for o in others if now - o[1].used > _JUST_USED_S), key=lambda o: o[1].used)
        busy = [o for o in others if now - o[1].used <= _JUST_USED_S]
        random.shuffle(busy)
        for most, group in ((_ROWS_AT_MOST, idle), (2 * _ROWS_AT_MOST, busy)):
            for pk, held in group:
                if total <= most:
                    break
                if held.lock.free():
                    del _open[pk]
                    total -= held.size


def _loaded(project: Project) -> OpenPlant:
    with _to_stay(), store.snapshot():
        project.refresh_from_db()
        plant = store.load_plant(project)
        entries = Entry.objects.filter(project=project).order_by("revision")
        outline = list(entries.values_list("revision", "kind", "of", "author_id", "client", "label", "document"))
        return OpenPlant(project, plant, plant_catalogue(project), [Step(*values) for values in outline])


@contextmanager
def _to_stay() -> Iterator[None]:
    """A plant is hundreds of thousands of objects that stay: the collector need not visit them at every edit."""
    with uncollected():
        try:
            yield
        finally:
            gc.freeze()


def _failed(part: Part, root: str, error: Exception) -> None:
    _log.error("%s of %s could not be computed", part.key, root, exc_info=error)


def forget(project_pk: int | None = None) -> None:
    """Let go of one plant, or of all: whoever asks next has it from the database."""
    with _guard:
        going = list(_open.values()) if project_pk is None else [h for h in (_open.get(project_pk),) if h]
        if project_pk is None:
            _open.clear()
            _opening.clear()
        else:
            _open.pop(project_pk, None)
    for held in going:
        held.lock.let_go = True
