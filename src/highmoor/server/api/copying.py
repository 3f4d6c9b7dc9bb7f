"""Copying what worked: replicas planned, room for more, clips, own templates; and the quantity list."""

from __future__ import annotations

from typing import Literal

from django.http import Http404, HttpRequest
from ninja import Router, Status
from pydantic import Field

from highmoor.core.errors import Gone, Refusal
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import table_of
from highmoor.core.project.clips import clip_of
from highmoor.core.project.edits import Clip, Replicate
from highmoor.core.project.quantities import quantities
from highmoor.core.project.reporting import label_of
from highmoor.core.project.room import courses, room_for
from highmoor.server.api.access import opened, user_of
from highmoor.server.api.shapes import Shape
from highmoor.server.models import Template

router = Router(tags=["copying"])
_NAME = FieldSpec("name", "Name", "text")
_TEMPLATES_AT_MOST = 500


class CellOut(Shape):
    text: str
    owner: str


class PlanRowOut(Shape):
    source: str
    label: str
    table: str
    field: Literal["name", "address", "designation"]
    original: str
    cells: list[CellOut]


class SourceOut(Shape):
    id: str
    label: str
    table: str


class CourseOut(Shape):
    """A limited figure now and after each copy; `runs_out` the copy that goes over."""

    label: str
    unit: str
    limit: float
    better: str
    values: list[float | None]
    runs_out: int | None


class ReplicasOut(Shape):
    revision: int
    sources: list[SourceOut]
    rows: list[PlanRowOut]
    courses: list[CourseOut]


@router.post("/plants/{key}/replicas", response=ReplicasOut, operation_id="replicas")
def replicas(request: HttpRequest, key: str, wanted: Replicate) -> ReplicasOut:
    """What a replication would make, and where limits run out; nothing is kept."""
    held = opened(request, key)
    with held.lock:
        plan, found = courses(held.analysis, wanted)
        plant, find = held.plant, held.catalogue.find

        def source(row_id: str) -> SourceOut:
            table = table_of(plant.get(row_id, object)).name
            return SourceOut(id=row_id, label=label_of(plant, row_id, find), table=table)

        return ReplicasOut(
            revision=held.revision,
            sources=[source(row_id) for row_id in plan.sources],
            rows=[
                PlanRowOut(
                    **source(row.source).model_dump(exclude={"id"}),
                    source=row.source,
                    field=row.field,
                    original=row.original,
                    cells=[CellOut(text=cell.text, owner=cell.owner) for cell in row.cells],
                )
                for row in plan.rows
            ],
            courses=[
                CourseOut(
                    label=c.label,
                    unit=c.unit,
                    limit=c.limit,
                    better=c.better,
                    values=list(c.values),
                    runs_out=c.runs_out,
                )
                for c in found
            ],
        )


class LimitOut(Shape):
    place: str
    label: str
    unit: str
    now: float
    need: float
    limit: float
    more: int


class RoomOut(Shape):
    """How many more fit (null: nothing computed stops it), and the limits, nearest first."""

    more: int | None
    limits: list[LimitOut]
    refused: str


@router.get("/plants/{key}/room/{row_id}", response=RoomOut, operation_id="room")
def room(request: HttpRequest, key: str, row_id: str) -> RoomOut:
    """How many more of a thing with all that hangs on it, and what stops the next."""
    held = opened(request, key)
    with held.lock:
        if held.plant.find(row_id) is None:
            raise Gone("This object is not there (any more).", place=row_id)
        found = room_for(held.analysis, row_id)
    return RoomOut.model_validate(found, from_attributes=True)


class ClipIn(Shape):
    ids: list[str] = Field(min_length=1, max_length=64)


@router.post("/plants/{key}/clip", response=Clip, operation_id="clip")
def clip(request: HttpRequest, key: str, wanted: ClipIn) -> Clip:
    """Modules, a rail or a station as a clip, to be pasted here or in another plant."""
    held = opened(request, key)
    with held.lock:
        return clip_of(held.plant, wanted.ids)


class QuantityOut(Shape):
    type: str
    name: str
    order_number: str
    maker: str
    kind: str
    known: bool
    fitted: int
    spares: int
    total: int


@router.get("/plants/{key}/quantities", response=list[QuantityOut], operation_id="quantities")
def quantity_list(request: HttpRequest, key: str) -> list[QuantityOut]:
    """How many of each type are fitted, in stock, and in all."""
    held = opened(request, key)
    with held.lock:
        lines = quantities(held.plant, held.catalogue)
    return [QuantityOut.model_validate(line, from_attributes=True) for line in lines]


class TemplateIn(Shape):
    name: str
    clip: Clip


class TemplateOut(Shape):
    id: int
    name: str
    kind: str
    clip: Clip


@router.get("/templates", response=list[TemplateOut], operation_id="templates")
def templates(request: HttpRequest) -> list[TemplateOut]:
    """My own templates, by name."""
    return [_template(row) for row in Template.objects.filter(owner=user_of(request)).order_by("name")]


@router.post("/templates", response=TemplateOut, operation_id="new_template")
def new_template(request: HttpRequest, wanted: TemplateIn) -> TemplateOut:
    """Keep a clip by name; a name that is taken is refused."""
    name = _NAME.parse(wanted.name)
    if not name:
        raise Refusal("A name is needed.", field="name", value=wanted.name)
    mine = Template.objects.filter(owner=user_of(request))
    if mine.filter(name=name).exists():
        raise Refusal(f"You have a template called {name} already.", field="name", value=name)
    if mine.count() >= _TEMPLATES_AT_MOST:
        raise Refusal(f"At most {_TEMPLATES_AT_MOST} templates can be kept.", field="name")
    content = wanted.clip.model_dump(mode="json")
    return _template(Template.objects.create(owner=user_of(request), name=name, kind=wanted.clip.kind, content=content))


@router.delete("/templates/{number}", response={204: None}, operation_id="delete_template")
def delete_template(request: HttpRequest, number: int) -> Status[None]:
    """Forget a template of mine."""
    found = Template.objects.filter(owner=user_of(request), pk=number)
    if not found.exists():
        raise Http404
    found.delete()
    return Status(204, None)


def _template(row: Template) -> TemplateOut:
    return TemplateOut(id=row.pk, name=row.name, kind=row.kind, clip=Clip.model_validate(row.content))
