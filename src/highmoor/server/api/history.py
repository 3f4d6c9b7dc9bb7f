"""The journal: who did what when, the plant as it was, marks, and going back as an edit."""

from __future__ import annotations

from datetime import datetime
from typing import cast

from django.db.models import Q
from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router, Status
from pydantic import Field

from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Document
from highmoor.server.answers import answered_as_json
from highmoor.server.api.access import member, opened, user_of
from highmoor.server.api.editing import answered
from highmoor.server.api.plants import rows_json
from highmoor.server.api.shapes import ClientKey, ClientName, EditOut, Problem, Revision, RowChange, RowsOut, Shape
from highmoor.server.models import Entry
from highmoor.server.plants import Asked

router = Router(tags=["history"])
_MARK = FieldSpec("mark", "Mark", "text")


class EntryOut(Shape):
    revision: int
    kind: str
    of: int | None = None
    author: str
    time: datetime
    label: str
    document: Document
    mark: str
    change: list[RowChange]


class MarkIn(Shape):
    mark: str = Field(max_length=120)


class RestoreIn(Shape):
    client: ClientName
    client_key: ClientKey


class RevisionOut(Shape):
    revision: int
    rows: RowsOut


@router.get("/plants/{key}/history", response=list[EntryOut], operation_id="history")
def history(request: HttpRequest, key: str, before: Revision | None = None, of: str | None = None) -> list[EntryOut]:
    """Up to fifty entries below revision `before`, the newest first; `of` one object."""
    project, _ = member(request, key)
    found = Entry.objects.filter(project=project).select_related("author").order_by("-revision")
    if before is not None:
        found = found.filter(revision__lt=before)
    if of is not None:
        found = found.filter(Q(change__icontains=f'"id": "{of}"'))
    return [
        EntryOut(
            revision=e.revision,
            kind=e.kind,
            of=e.of,
            author=e.author.username if e.author else "",
            time=e.time,
            label=e.label,
            document=cast(Document, e.document),
            mark=e.mark,
            change=[RowChange(**row) for row in e.change],
        )
        for e in found[:50]
    ]


@router.get("/plants/{key}/revisions/{revision}", response=RevisionOut, operation_id="revision")
def revision(request: HttpRequest, key: str, revision: Revision) -> HttpResponse:
    """The plant as it was."""
    held = opened(request, key)
    with held.lock:
        body = {"revision": revision, "rows": rows_json(held.at(revision))}
    return answered_as_json(body)


@router.post("/plants/{key}/revisions/{revision}/mark", response={204: None}, operation_id="mark")
def mark(request: HttpRequest, key: str, revision: Revision, wanted: MarkIn) -> Status[None]:
    """Give a revision a name to find it by; an empty one takes it away."""
    project, _ = member(request, key, "edit")
    if not Entry.objects.filter(project=project, revision=revision).update(mark=_MARK.parse(wanted.mark)):
        raise Http404
    return Status(204, None)


@router.post(
    "/plants/{key}/revisions/{revision}/restore",
    response={200: EditOut, 422: Problem},
    operation_id="restore",
)
def restore(request: HttpRequest, key: str, revision: Revision, wanted: RestoreIn) -> EditOut:
    """Make the plant again what it was at a revision; itself an edit that can be undone."""
    held = opened(request, key, "edit")
    with held.lock:
        asked = Asked.of(user_of(request), wanted.client, wanted.client_key, "restore", revision)
        answer = held.restore(asked, revision)
        return answered(held, answer, request)
