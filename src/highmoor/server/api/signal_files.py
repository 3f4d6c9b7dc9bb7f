"""Signals as files: given out, and read in again beside the plant. What is taken of them is an edit."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import File, Query, Router
from ninja.files import UploadedFile

from highmoor.core.catalogue.reading.text import OCTETS_AT_MOST
from highmoor.core.errors import Gone, Refusal
from highmoor.core.plant.fields import printable
from highmoor.core.plant.rows import Controller
from highmoor.core.project.edits import StructureMember, WantedSignal
from highmoor.core.project.signal_tables.declared_text import DeclaredText
from highmoor.core.project.signal_tables.declaring import StructureTold, lay_declarations
from highmoor.core.project.signal_tables.laying import Laid, lay
from highmoor.server.api.access import opened, user_of
from highmoor.server.api.plants import as_download
from highmoor.server.api.shapes import Shape
from highmoor.server.readings import READINGS
from highmoor.sheets import SIGNAL_FILES, signals_octets

router = Router(tags=["signals"])


@router.get("/plants/{key}/signals.{form}", operation_id="export_signals", response=dict[str, Any])
def signals_file(request: HttpRequest, key: str, form: str) -> HttpResponse:
    """All signals as a file: a table (csv, xlsx), declarations of a program (st), or PLCopen XML (xml)."""
    held = opened(request, key)
    if form not in SIGNAL_FILES:
        raise Gone(f"Signals are had as {', '.join(SIGNAL_FILES)}.")
    with held.lock:
        octets = signals_octets(held.analysis, form, held.project.name)
    return as_download(octets, form, f"{held.project.name}-signals")


class CellChangeOut(Shape):
    """What a cell says beside what the plant says; `line` counts the links of a signal."""

    heading: str
    old: str
    new: str
    line: int


class SignalToldOut(Shape):
    """A signal that the file has otherwise than the plant; `wanted` is what an edit takes of it."""

    key: str
    row: int
    kind: Literal["new", "changed"]
    changes: list[CellChangeOut]
    wanted: WantedSignal


class StructureToldOut(Shape):
    """A structure that the file declares and the plant does not."""

    row: int
    name: str
    members: list[StructureMember]


class RefusedRowsOut(Shape):
    rows: list[int]
    why: str


class SignalFileOut(Shape):
    """A file of signals beside the plant: what differs, what cannot be taken, how many are alike or only here."""

    name: str
    title: str
    revision: int
    signals: list[SignalToldOut]
    structures: list[StructureToldOut]
    refused: list[RefusedRowsOut]
    same: int
    absent: int
    unknown: list[str]
    notes: list[str]


@router.post("/plants/{key}/signals/files", response=SignalFileOut, operation_id="read_signals")
def read_signals(
    request: HttpRequest,
    key: str,
    file: File[UploadedFile],
    controller: Annotated[str, Query(max_length=48)] = "",
    reading: Annotated[str, Query(max_length=60)] = "",
) -> SignalFileOut:
    """Read a table of signals, or declarations, beside the plant; `controller` has what names none. Nothing is kept."""
    held = opened(request, key, "edit")
    name = printable(file.name or "signals")
    if (file.size or 0) > OCTETS_AT_MOST:
        size = (file.size or 0) // 2**20
        raise Refusal(f"{printable(name, 60)} has {size} MB; at most {OCTETS_AT_MOST // 2**20} MB are read.")
    found = READINGS.signals(user_of(request).pk, reading, file.read(), name)
    with held.lock:
        analysis, revision = held.analysis, held.revision
        structures: tuple[StructureTold, ...] = ()
        if isinstance(found, DeclaredText):
            title, notes = "declarations", []
            laid, structures = lay_declarations(analysis, found, _owner(held.plant.all(Controller), controller))
        else:
            title, notes = found.title, [f"Row {row}: {text}" if row else text for row, text in found.notes]
            laid = lay(analysis, found.rows)
    return _told(name, title, revision, laid, structures, notes)


def _owner(controllers: list[Controller], wanted: str) -> str:
    """The controller of what names none. Raises Refusal where there is none at all."""
    if not controllers:
        raise Refusal("There is no controller yet that could have signals.")
    return next((one.id for one in controllers if one.id == wanted), controllers[0].id)


def _told(
    name: str, title: str, revision: int, laid: Laid, structures: tuple[StructureTold, ...], notes: list[str]
) -> SignalFileOut:
    return SignalFileOut(
        name=name, title=title, revision=revision,
        signals=[
            SignalToldOut(
                key=one.key, row=one.row, kind=one.kind, wanted=one.wanted,
                changes=[CellChangeOut(heading=c.heading, old=c.old, new=c.new, line=c.line) for c in one.changes],
            )
            for one in laid.signals
        ],
        structures=[StructureToldOut(row=one.row, name=one.name, members=list(one.members)) for one in structures],
        refused=[RefusedRowsOut(rows=list(one.rows), why=one.why) for one in laid.refused],
        same=laid.same, absent=laid.absent, unknown=list(laid.unknown), notes=notes,
    )  # fmt: skip
