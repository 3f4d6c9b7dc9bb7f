"""Editing: preview, edit, undo, redo."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router
from pydantic import Field, TypeAdapter

from highmoor.core.analysis.findings import Finding
from highmoor.core.plant.change import value_at
from highmoor.core.project.consequences import FigureChange, preview
from highmoor.core.project.edits import Edit
from highmoor.core.project.fields import fields_of
from highmoor.core.project.reporting import render
from highmoor.server.api.access import opened, user_of
from highmoor.server.api.plants import steps_of
from highmoor.server.api.shapes import (
    EditIn,
    EditOut,
    FindingOut,
    Problem,
    RowChange,
    Shape,
    TakeBackIn,
    TakeBackStates,
)
from highmoor.server.api.views import PUBLISHED, PartOut
from highmoor.server.library import share_pinned
from highmoor.server.plants import Answer, Asked, OpenPlant

router = Router(tags=["editing"])
_PART: TypeAdapter[Any] = TypeAdapter(PartOut)


class PreviewIn(Shape):
    """An edit to be tried, and what is selected, so that what is near comes first."""

    edit: Edit
    selection: list[str] = []
    want: list[tuple[str, str]] = Field(default=[], max_length=20)


class FigureChangeOut(Shape):
    place: str
    label: str
    unit: str
    before: float | None = None
    after: float | None = None
    limit: float | None = None
    better: str
    over: bool
    crossed: bool
    improved: bool


class SetOut(Shape):
    """A field the edit sets: the value as read, and how it is written otherwise."""

    id: str
    field: str
    value: Any = None
    beside: str


class PreviewOut(Shape):
    revision: int
    figures: list[FigureChangeOut]
    more: int
    moving: int
    moved: list[str]
    added: list[FindingOut]
    gone: list[FindingOut]
    sets: list[SetOut]
    rows: list[RowChange]
    parts: list[PartOut]


def _figure(line: FigureChange) -> FigureChangeOut:
    return FigureChangeOut(
        place=line.place, label=line.label, unit=line.unit, before=line.before, after=line.after,
        limit=line.limit, better=line.better, over=line.over, crossed=line.crossed,
        improved=line.improved,
    )  # fmt: skip


@router.post("/plants/{key}/preview", response={200: PreviewOut, 422: Problem}, operation_id="preview")
def preview_edit(request: HttpRequest, key: str, wanted: PreviewIn) -> PreviewOut:
    """What an edit would change elsewhere; nothing is kept."""
    held = opened(request, key)
    with held.lock:
        applied, result = preview(
            held.analysis, wanted.edit, wanted.selection, [pair for pair in wanted.want if pair[0] in PUBLISHED]
        )
        return PreviewOut(
            revision=held.revision,
            figures=[_figure(line) for line in result.figures],
            more=result.more,
            moving=result.moving,
            moved=list(result.moved),
            added=[_finding(held, found) for found in result.added],
            gone=[_finding(held, found) for found in result.gone],
            sets=_sets(held, wanted.edit, applied.plant),
            rows=[RowChange(**entry) for entry in applied.change.to_json()],
            parts=[
                _PART.validate_python({"part": part, "root": root, "result": found}, from_attributes=True)
                for (part, root), found in result.wanted.items()
            ],
        )


def _finding(held: OpenPlant, found: Finding) -> FindingOut:
    return FindingOut(**render(held.analysis, found))


def _sets(held: OpenPlant, edit: Edit, after: Any) -> list[SetOut]:
    """For a typed value: what was understood, in the field's own unit and in the other base."""
    if edit.kind != "set":
        return []
    told = []
    for row_id in edit.ids[:1]:
        row = after.find(row_id)
        specs = {spec.path: spec for spec in fields_of(after, held.catalogue, row)} if row else {}
        for path in edit.values:
            if path in specs:
                value = value_at(row, path)
                told.append(SetOut(id=row_id, field=path, value=value, beside=specs[path].beside(value)))
    return told


@router.post("/plants/{key}/edits", response={200: EditOut, 409: Problem, 422: Problem}, operation_id="edit")
def edit(request: HttpRequest, key: str, wanted: EditIn) -> EditOut:
    """Apply an edit to the head, if nothing it writes was written since `base`."""
    held = opened(request, key, "edit")
    with held.lock:
        asked = Asked.of(user_of(request), wanted.client, wanted.client_key, wanted.edit.model_dump(mode="json"))
        answer = held.edit(asked, wanted.edit, base=wanted.base, label=wanted.label)
        share_pinned(held.project, user_of(request), answer.change)
        return answered(held, answer, request)


def answered(held: OpenPlant, answer: Answer, request: HttpRequest) -> EditOut:
    return EditOut(
        revision=answer.revision,
        document=answer.document,
        change=[RowChange(**entry) for entry in answer.change.to_json()],
        tags=answer.tags,
        findings_added=[FindingOut(**found) for found in answer.findings_added],
        findings_gone=list(answer.findings_gone),
        stale=[list(key) for key in answer.stale],
        steps=steps_of(held, request),
        repeated=answer.repeated,
    )


@router.post("/plants/{key}/undo", response={200: EditOut, 409: Problem, 422: Problem}, operation_id="undo")
def undo(request: HttpRequest, key: str, wanted: TakeBackIn) -> EditOut:
    """Take back my own latest edit."""
    return _take_back(request, key, wanted, redo=False)


@router.post("/plants/{key}/redo", response={200: EditOut, 409: Problem, 422: Problem}, operation_id="redo")
def redo(request: HttpRequest, key: str, wanted: TakeBackIn) -> EditOut:
    """Do again what I undid last."""
    return _take_back(request, key, wanted, redo=True)


def _take_back(request: HttpRequest, key: str, wanted: TakeBackIn, *, redo: bool) -> EditOut:
    held = opened(request, key, "edit")
    with held.lock:
        asked = Asked.of(
            user_of(request), wanted.client, wanted.client_key, "redo" if redo else "undo", wanted.rest, wanted.document
        )
        answer = held.take_back(asked, redo=redo, rest=wanted.rest, document=wanted.document)
        return answered(held, answer, request)


@router.get("/plants/{key}/steps", response=TakeBackStates, operation_id="steps")
def steps(request: HttpRequest, key: str) -> TakeBackStates:
    """What undo and redo would do next for me."""
    held = opened(request, key)
    with held.lock:
        return steps_of(held, request)
