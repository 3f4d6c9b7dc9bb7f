"""Plants: the list, opening one, making, copying, importing, exporting and deleting."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Status
from ninja.files import UploadedFile

from highmoor.core.errors import Refusal
from highmoor.core.plant.fields import FieldSpec, printable
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import TABLES, Document
from highmoor.core.project.exchange_format import export_text, parse_plant
from highmoor.core.project.new import new_plant, renamed
from highmoor.core.project.reporting import rendered
from highmoor.server import store
from highmoor.server.answers import answered_as_json
from highmoor.server.api.access import member, opened, user_of
from highmoor.server.api.shapes import FindingsOut, PlantOut, Shape, StepOut, TakeBackState, TakeBackStates
from highmoor.server.demo import create_demo
from highmoor.server.library import keep_readings, share_files
from highmoor.server.live.bench_host import BENCHES
from highmoor.server.live.hub import HUB
from highmoor.server.models import Membership, Project
from highmoor.server.plants import OpenPlant, forget, open_plant
from highmoor.sheets import SIGNAL_FILES

router = Router(tags=["plants"])
_NAME = FieldSpec("name", "Name", "text")


class PlantLine(Shape):
    key: str
    name: str
    role: str
    revision: int
    changed: datetime
    members: int


class NewPlant(Shape):
    """A new plant: empty, a copy of another (`copy_of`), or the demo plant anew."""

    name: str
    copy_of: str | None = None
    demo: bool = False


@router.get("/plants", response=list[PlantLine], operation_id="plants")
def plants(request: HttpRequest) -> list[PlantLine]:
    """The plants I am a member of, the last changed first."""
    mine = Membership.objects.filter(user=user_of(request)).select_related("project")
    return [_line(m.project, m.role) for m in sorted(mine, key=lambda m: m.project.changed, reverse=True)]


def _line(project: Project, role: str) -> PlantLine:
    return PlantLine(
        key=project.key,
        name=project.name,
        role=role,
        revision=project.revision,
        changed=project.changed,
        members=project.memberships.count(),
    )


@router.post("/plants", response=PlantLine, operation_id="new_plant")
def new(request: HttpRequest, wanted: NewPlant) -> PlantLine:
    """Make a plant; it belongs to who makes it."""
    name = _NAME.parse(wanted.name)
    if not name:
        raise Refusal("A name is needed.", field="name", value=wanted.name)
    if wanted.copy_of:
        source = opened(request, wanted.copy_of)
        with source.lock:
            plant, label = renamed(source.plant, name), f"Copy of {source.project.name}"
    elif wanted.demo:
        return _line(create_demo(user_of(request), name), "owner")
    else:
        plant, label = new_plant(name), "New plant"
    with transaction.atomic():
        project = store.create_project(plant, user_of(request), label)
        if wanted.copy_of:
            share_files(source.project, project)
    return _line(project, "owner")


@router.post("/plants/import", response=PlantLine, operation_id="import_plant")
def import_file(request: HttpRequest, file: File[UploadedFile]) -> PlantLine:
    """A plant from a file. Refused with places and reasons, and then nothing is stored."""
    given = parse_plant(file.read())
    label = f"Imported from {printable(file.name or 'a file')}"
    with transaction.atomic():
        project = store.create_project(given.plant, user_of(request), label)
        keep_readings(project, given)
    return _line(project, "owner")


@router.get("/plants/{key}", response=PlantOut, operation_id="plant")
def plant(request: HttpRequest, key: str) -> HttpResponse:
    """The rows of the whole plant, as of its head. What follows from them takes longer, and is asked for by itself."""
    project, role = member(request, key)
    held = open_plant(project)
    with held.lock:
        body = {
            "key": project.key,
            "name": held.project.name,
            "role": role,
            "revision": held.revision,
            "configured": held.configured,
            "rows": rows_json(held.plant),
            "steps": steps_of(held, request).model_dump(),
        }
    return answered_as_json(body)


@router.get("/plants/{key}/findings", response=FindingsOut, operation_id="findings")
def findings(request: HttpRequest, key: str) -> HttpResponse:
    """All findings of the plant, worst first, as of its head."""
    held = opened(request, key)
    with held.lock:
        body = {"revision": held.revision, "findings": rendered(held.analysis)}
    return answered_as_json(body)


def rows_json(plant: Plant) -> dict[str, list[Any]]:
    """Every table as a list of its rows, which are written as they are."""
    return {name: list(plant.tables[name].values()) for name in TABLES}


def steps_of(held: OpenPlant, request: HttpRequest) -> TakeBackStates:
    """What undo and redo would do next for this user."""
    user = user_of(request)
    return TakeBackStates(plant=_steps(held, user, "plant"), built=_steps(held, user, "built"))


def _steps(held: OpenPlant, user: User, document: Document) -> TakeBackState:
    undo, redo = held.next_undo(user, document), held.next_redo(user, document)
    return TakeBackState(
        undo=StepOut(revision=undo.revision, label=undo.label) if undo else None,
        redo=StepOut(revision=redo.revision, label=redo.label) if redo else None,
    )


@router.delete("/plants/{key}", response={204: None}, operation_id="delete_plant")
def delete(request: HttpRequest, key: str) -> Status[None]:
    """Delete a plant for good, with its history. Only its owner may."""
    project, _ = member(request, key, "own")
    # Nothing of it is opened: what cannot be opened must be possible to delete. An edit under way finds it gone.
    store.delete_project(project)
    forget(project.pk)
    BENCHES.stop(key)
    HUB.plant_gone(key)
    return Status(204, None)


@router.get("/plants/{key}/export", operation_id="export_plant", response=dict[str, Any])
def export(request: HttpRequest, key: str) -> HttpResponse:
    """The plant as a file."""
    held = opened(request, key)
    with held.lock:
        text = export_text(held.plant, held.catalogue.find)
    response = HttpResponse(text, content_type="application/json")
    response.headers["Content-Disposition"] = f'attachment; filename="{_file_name(held.project.name)}.json"'
    return response


def _file_name(name: str) -> str:
    """What a plant's files are called: letters and digits that every system takes."""
    return "".join(c if c.isascii() and c.isalnum() else "-" for c in name).strip("-").lower() or "plant"


def as_download(octets: bytes, form: str, name: str) -> HttpResponse:
    """A file to be kept, one of `SIGNAL_FILES`."""
    response = HttpResponse(octets, content_type=SIGNAL_FILES[form])
    response.headers["Content-Disposition"] = f'attachment; filename="{_file_name(name)}.{form}"'
    return response
