"""Lists from design: read, compared with the plant, given out again. They are taken over by an edit."""

from __future__ import annotations

from typing import Annotated, Literal

from django.http import Http404, HttpRequest, HttpResponse
from ninja import File, Query, Router
from ninja.files import UploadedFile

from highmoor.core.catalogue.reading.text import OCTETS_AT_MOST
from highmoor.core.errors import Refusal
from highmoor.core.plant.fields import printable
from highmoor.core.plant.rows import IoList
from highmoor.core.project.edits import ListIssue, ListRow
from highmoor.core.project.lists.columns import COLUMNS
from highmoor.core.project.lists.comparing import compare
from highmoor.core.project.lists.proposing import proposal
from highmoor.core.project.lists.writing import written
from highmoor.server.api.access import opened, user_of
from highmoor.server.api.plants import as_download
from highmoor.server.api.shapes import Shape
from highmoor.server.readings import READINGS
from highmoor.sheets import csv_octets, xlsx_octets

router = Router(tags=["lists"])


class HeadingOut(Shape):
    """A column: its heading, what it holds as it is proposed, and the key by which it is only kept."""

    text: str
    key: str
    kept: str


class KnownColumnOut(Shape):
    key: str
    label: str


class SheetNoteOut(Shape):
    row: int
    text: str


class SheetOut(Shape):
    """A table from outside: `row` has its headings; `of` is the list whose new issue it seems to be."""

    name: str
    title: str
    row: int
    headings: list[HeadingOut]
    rows: list[ListRow]
    notes: list[SheetNoteOut]
    of: str | None
    columns: list[KnownColumnOut]


@router.post("/plants/{key}/lists", response=SheetOut, operation_id="read_list")
def read_list(
    request: HttpRequest, key: str, file: File[UploadedFile], reading: Annotated[str, Query(max_length=60)] = ""
) -> SheetOut:
    """Read a workbook or delimited text as a list. Nothing of it is kept."""
    held = opened(request, key, "edit")
    name = printable(file.name or "list")
    if (file.size or 0) > OCTETS_AT_MOST:
        size = (file.size or 0) // 2**20
        raise Refusal(f"{printable(name, 60)} has {size} MB; at most {OCTETS_AT_MOST // 2**20} MB are read.")
    sheet = READINGS.table(user_of(request).pk, reading, file.read(), name)
    with held.lock:
        plant = held.analysis.plant
    found = proposal(plant, sheet.rows)
    return SheetOut(
        name=name,
        title=sheet.title,
        row=found.row,
        headings=[HeadingOut(text=one.text, key=one.key, kept=one.kept) for one in found.headings],
        rows=[ListRow(row=row, cells=list(cells)) for row, cells in found.rows],
        notes=[SheetNoteOut(row=row, text=text) for row, text in sheet.notes],
        of=found.of.id if found.of else None,
        columns=[KnownColumnOut(key=column.key, label=column.label) for column in COLUMNS],
    )


class ListDifferenceOut(Shape):
    """One thing that could be taken over; `column` is "" where it is about a whole line."""

    id: str
    kind: Literal["new", "changed", "gone", "renamed"]
    row: int
    tag: str
    signal: str | None
    name: str
    column: str
    label: str
    old: str
    new: str
    last: str | None
    both: bool
    within: str


class RefusedLineOut(Shape):
    rows: list[int]
    tag: str
    reason: str


class ComparisonOut(Shape):
    """What an issue would change: of `lines` in all; `kept` is what the plant says otherwise of its own."""

    revision: int
    lines: int
    differences: list[ListDifferenceOut]
    refused: list[RefusedLineOut]
    kept: int


_LABELS = {column.key: column.label for column in COLUMNS}


@router.post("/plants/{key}/lists/issue", response=ComparisonOut, operation_id="compare_list")
def compare_list(request: HttpRequest, key: str, issue: ListIssue) -> ComparisonOut:
    """Lay an issue of a list beside the last one and the plant."""
    held = opened(request, key)
    with held.lock:
        plant, revision = held.analysis.plant, held.revision
    found = compare(plant, issue)
    return ComparisonOut(
        revision=revision,
        lines=len(found.matched),
        differences=[
            ListDifferenceOut(
                id=one.id, kind=one.kind, row=one.row, tag=one.tag, signal=one.signal, name=one.name,
                column=one.column, label=_LABELS.get(one.column, ""), old=one.old, new=one.new, last=one.last,
                both=one.both, within="" if one.id == one.within else one.within,
            )
            for one in found.differences
        ],
        refused=[RefusedLineOut(rows=list(one.rows), tag=one.tag, reason=one.reason) for one in found.refused],
        kept=found.kept,
    )  # fmt: skip


@router.get("/plants/{key}/lists/{list_id}.{form}", operation_id="list_file")
def list_file(request: HttpRequest, key: str, list_id: str, form: str) -> HttpResponse:
    """A list as the plant has it, with the columns it came with."""
    held = opened(request, key)
    with held.lock:
        plant = held.analysis.plant
    of = plant.find(list_id)
    if not isinstance(of, IoList) or form not in ("csv", "xlsx"):
        raise Http404
    rows = written(plant, of)
    octets = csv_octets(rows) if form == "csv" else xlsx_octets(rows, of.name)
    stem = of.name.rpartition(".")[0] or of.name
    return as_download(octets, form, stem)
