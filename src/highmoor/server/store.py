"""Rows between the core and the database. A Change is saved by deleting what changed and inserting what is now."""

from __future__ import annotations

import json
import secrets
import threading
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from itertools import islice
from typing import Any

from django.contrib.auth.models import User
from django.db import connection, transaction
from django.db.models import BooleanField, FloatField, JSONField
from django.utils import timezone

from highmoor.core.plant.change import Change
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import TABLES, Facts, Table, row_values
from highmoor.core.project.exchange_format import SCHEMA_VERSION, upgraded_row
from highmoor.server.models import LOOSE, RENAMED, ROW_MODELS, Entry, Membership, Project, Row


class Outdated(Exception):
    """The plant in memory is not the one in the database (any more)."""


# One writes at a time: SQLite itself lets all others look again and again until one of them is lucky.
_WRITING = threading.Lock()
# Few enough parameters a statement for every SQLite that is about.
_IDS_A_STATEMENT = 400


def column_of(table: Table, field: str) -> str:
    """The database column of a core field."""
    name = RENAMED.get((table.name, field), field)
    return f"{name}_id" if field in table.refs and (table.name, field) not in LOOSE else name


def _to_model(project: Project, table: Table, row: Any) -> Row:
    values: dict[str, Any] = {}
    for field, value in row_values(row).items():
        if field == "id":
            continue
        column = column_of(table, field)
        values[column] = f"{project.key}.{value}" if column.endswith("_id") and value is not None else value
    return ROW_MODELS[table.name](key=f"{project.key}.{row.id}", project_id=project.pk, **values)


@contextmanager
def snapshot() -> Iterator[None]:
    """Whatever is read within is of one moment; nobody who writes has to wait for it."""
    if connection.in_atomic_block:
        yield
        return
    with connection.cursor() as cursor:
        # Django's own transactions take the write lock when they begin; reading needs none.
        cursor.execute("BEGIN DEFERRED")
        try:
            yield
        finally:
            cursor.execute("ROLLBACK")


def load_plant(project: Project) -> Plant:
    """The project's plant as it stands in the database.

    Read column by column past the ORM, which makes an object of each value on its way: a plant has many.
    """
    tables: dict[str, dict[str, Any]] = {}
    with connection.cursor() as cursor:
        for table in TABLES.values():
            model: Any = ROW_MODELS[table.name]
            names = [column_of(table, field) for field in table.fields if field != "id"]
            listed = ", ".join(connection.ops.quote_name(name) for name in ("key", *names))
            of = connection.ops.quote_name(model._meta.db_table)
            cursor.execute(f"SELECT {listed} FROM {of} WHERE project_id = %s", [project.pk])
            rows = cursor.fetchall()
            if not rows:
                tables[table.name] = {}
                continue
            keys, *columns = zip(*rows, strict=True)
            skip = len(project.key) + 1
            ids = [key[skip:] for key in keys]
            values = [_read(model, name, skip, column) for name, column in zip(names, columns, strict=True)]
            # The id is every row's first field, and the columns stand in the order of the others.
            tables[table.name] = dict(zip(ids, map(table.row, ids, *values), strict=True))
    return Plant.of_tables(tables, project.counter)


def _read(model: Any, name: str, skip: int, column: Sequence[Any]) -> Sequence[Any]:
    """A column's values as the core has them: without the project's key, JSON read, whole numbers whole."""
    if name.endswith("_id"):
        return [value if value is None else value[skip:] for value in column]
    kind = model._meta.get_field(name)
    if isinstance(kind, JSONField):
        return [value if value is None else {} if value == "{}" else json.loads(value) for value in column]
    if isinstance(kind, FloatField):
        return [_number(value) for value in column]
    return [value if value is None else bool(value) for value in column] if isinstance(kind, BooleanField) else column


def _number(value: Any) -> Any:
    """A float that is whole comes back whole, as it was typed."""
    return int(value) if isinstance(value, float) and value.is_integer() else value


def save_change(project: Project, change: Change) -> None:
    """Write a Change; the caller holds the transaction."""
    outdated: dict[str, list[str]] = {}
    fresh: dict[str, list[Row]] = {}
    for (name, row_id), (before, after) in change.items():
        if before is not None:
            outdated.setdefault(name, []).append(f"{project.key}.{row_id}")
        if after is not None:
            fresh.setdefault(name, []).append(_to_model(project, TABLES[name], after))
            if isinstance(after, Facts):
                project.name = after.name
    for name, keys in outdated.items():
        model: Any = ROW_MODELS[name]
        for start in range(0, len(keys), _IDS_A_STATEMENT):
            chosen = model.objects.filter(key__in=keys[start : start + _IDS_A_STATEMENT])
            chosen._raw_delete(chosen.db)
    for name in TABLES:
        if name in fresh:
            ROW_MODELS[name].objects.bulk_create(fresh[name], batch_size=_IDS_A_STATEMENT)  # type: ignore[attr-defined]


def save_step(project: Project, plant: Plant, change: Change, *, entry: dict[str, Any], author: User | None) -> Entry:
    """One answered edit: rows, journal entry and the project's head, in one transaction.

    Raises Outdated when the database is at another revision than `project`; then nothing is written.
    """
    revision, name = project.revision + 1, project.name
    try:
        with _WRITING, transaction.atomic():
            save_change(project, change)
            head = Project.objects.filter(pk=project.pk, revision=project.revision)
            if not head.update(revision=revision, counter=plant.counter, name=project.name, changed=timezone.now()):
                raise Outdated
            saved = Entry.objects.create(
                project=project,
                revision=revision,
                author=author,
                schema_version=SCHEMA_VERSION,
                change=change.to_json(),
                **entry,
            )
    except BaseException:
        project.name = name
        raise
    project.revision, project.counter = revision, plant.counter
    return saved


def change_of(entry: Entry) -> Change:
    """The Change of a journal entry, whatever version wrote it."""
    return Change.from_json(
        [
            {
                **line,
                **{side: upgraded_row(line["table"], line[side], entry.schema_version) for side in ("before", "after")},
            }
            for line in entry.change
        ]
    )


def create_project(plant: Plant, owner: User, label: str, key: str | None = None) -> Project:
    """A new project with a plant's rows and its first journal entry."""
    (facts,) = plant.tables["facts"].values()
    with transaction.atomic():
        project = Project.objects.create(key=key or free_key(), name=facts.name)
        Membership.objects.create(project=project, user=owner, role="owner")
        # The first entry says how the plant came about; its rows are the ground the journal stands on.
        for name, kind in TABLES.items():
            for some in _batched(plant.tables[name].values()):
                ROW_MODELS[name].objects.bulk_create([_to_model(project, kind, row) for row in some])  # type: ignore[attr-defined]
        project.revision, project.counter = 1, plant.counter
        project.save()
        Entry.objects.create(
            project=project, revision=1, kind="begin", author=owner, client="", client_key=f"begin-{project.key}",
            label=label, schema_version=SCHEMA_VERSION, change=[],
        )  # fmt: skip
    return project


def _batched(rows: Iterable[Any]) -> Iterator[list[Any]]:
    """A few hundred at a time: a large plant is not held a second time as the database sees it."""
    source = iter(rows)
    while some := list(islice(source, _IDS_A_STATEMENT)):
        yield some


def free_key() -> str:
    """A key for URLs that says nothing and is not in use."""
    alphabet = "23456789abcdefghjkmnpqrstuvwxyz"
    while True:
        key = "".join(secrets.choice(alphabet) for _ in range(8))
        if not Project.objects.filter(key=key).exists():
            return key


def delete_project(project: Project) -> None:
    """The project with everything in it."""
    with transaction.atomic():
        for model in reversed(ROW_MODELS.values()):
            rows: Any = model.objects.filter(project=project)  # type: ignore[attr-defined]
            rows._raw_delete(rows.db)
        project.delete()


def entries_between(project: Project, after: int, until: int | None = None) -> Iterable[Entry]:
    """Journal entries with after < revision ≤ until, oldest first."""
    found = Entry.objects.filter(project=project, revision__gt=after).select_related("author").order_by("revision")
    return found if until is None else found.filter(revision__lte=until)
