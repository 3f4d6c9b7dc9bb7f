"""Files read into a plant: description files, archives of them, sheets entered by hand; their text and problems."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from django.http import Http404, HttpRequest
from ninja import File, Query, Router, Status
from ninja.files import UploadedFile

from highmoor.core.analysis.engine import Analysis
from highmoor.core.catalogue.comparing import differences, footprint
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.reading.device_sheet import DeviceSheet, sheet_text
from highmoor.core.catalogue.reading.families import FAMILIES
from highmoor.core.catalogue.reading.text import OCTETS_AT_MOST, decoded
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.plant.fields import printable
from highmoor.core.plant.rows import PinnedType, Station
from highmoor.core.project.edits import TypePin
from highmoor.core.project.reporting import label_of
from highmoor.core.project.type_edits import users_of
from highmoor.intake.reading import ReadFile
from highmoor.server.api.access import member, opened, user_of
from highmoor.server.api.catalogue import DifferenceOut, UseOut
from highmoor.server.api.shapes import Shape
from highmoor.server.library import keep, plants_that_pin
from highmoor.server.live.hub import HUB
from highmoor.server.models import DescriptionFile
from highmoor.server.plants import OpenPlant, forget, open_plant
from highmoor.server.readings import READINGS

router = Router(tags=["files"])
_LINES_AT_MOST = 400


class ProblemLine(Shape):
    line: int
    severity: Literal["error", "warning", "note"]
    text: str


class ReadDeviceOut(Shape):
    """A device found in a file. `state`: new here, the same reading is here, or a revision of what is here."""

    key: str
    pin: TypePin
    name: str
    order_number: str
    revisions: list[str]
    in_octets: int
    out_octets: int
    state: Literal["new", "same", "revision"]
    older: list[OlderOut]


class OlderOut(Shape):
    """A reading of the same device that is in the plant, who uses it, and what differs."""

    key: str
    file: str
    used_at: list[UseOut]
    differences: list[DifferenceOut]


class ReadFileOut(Shape):
    """What became of a file."""

    name: str
    sha256: str
    octets: int
    lines: int
    refused: str
    refused_line: int
    family: str
    vendor: str
    devices: list[ReadDeviceOut]
    problems: list[ProblemLine]
    unknown: int


@router.post("/plants/{key}/files", response=list[ReadFileOut], operation_id="read_file")
def read_in(
    request: HttpRequest, key: str, file: File[UploadedFile], reading: Annotated[str, Query(max_length=60)] = ""
) -> list[ReadFileOut]:
    """Read a description file, or every one of an archive. The types join the plant by an edit of their own."""
    held = opened(request, key, "edit")
    if (file.size or 0) > OCTETS_AT_MOST:
        name, size = printable(file.name or "The file", 60), (file.size or 0) // 2**20
        raise Refusal(f"{name} has {size} MB; at most {OCTETS_AT_MOST // 2**20} MB are read.")
    read = READINGS.read(user_of(request).pk, reading, file.read(), printable(file.name or "file"))
    return [_told(held, one) for one in read]


@router.delete("/plants/{key}/readings/{reading}", response={204: None}, operation_id="stop_reading")
def stop_reading(request: HttpRequest, key: str, reading: str) -> Status[None]:
    """Stop a reading under way."""
    member(request, key, "edit")
    READINGS.stop(user_of(request).pk, reading)
    return Status(204, None)


@router.post("/plants/{key}/sheets", response=list[ReadFileOut], operation_id="device_sheet")
def device_sheet(request: HttpRequest, key: str, sheet: DeviceSheet) -> list[ReadFileOut]:
    """A device entered by hand, kept as a file of ours and read like any other."""
    held = opened(request, key, "edit")
    text = sheet_text(sheet.model_dump())
    name = re.sub(r"[^a-z0-9]+", "-", sheet.model.lower()).strip("-") or "device"
    return [_told(held, one) for one in READINGS.read(user_of(request).pk, "", text.encode(), f"{name[:80]}.json")]


@router.post("/plants/{key}/files/{sha256}/anew", response=list[ReadFileOut], operation_id="read_anew")
def read_anew(request: HttpRequest, key: str, sha256: str) -> list[ReadFileOut]:
    """Read a kept file again with today's reader."""
    held = opened(request, key, "edit")
    kept = _kept(held, sha256)
    return [
        _told(held, one) for one in READINGS.read(user_of(request).pk, sha256, bytes(kept.octets or b""), kept.name)
    ]


class FileTextOut(Shape):
    """Lines of a kept file, from `first` on, and its problems."""

    name: str
    lines: int
    first: int
    text: list[str]
    problems: list[ProblemLine]


@router.get("/plants/{key}/files/{sha256}", response=FileTextOut, operation_id="file_text")
def file_text(request: HttpRequest, key: str, sha256: str, first: int = 1, count: int = 80) -> FileTextOut:
    """A stretch of a file that was read in this plant."""
    kept = _kept(opened(request, key), sha256)
    lines = re.split(r"\r\n|\r|\n", decoded(bytes(kept.octets or b""))[0])
    begin = max(min(first, len(lines)), 1)
    shown = lines[begin - 1 : begin - 1 + max(min(count, _LINES_AT_MOST), 1)]
    problems = [ProblemLine(**problem) for problem in kept.problems]
    return FileTextOut(
        name=kept.name, lines=len(lines), first=begin, text=[line[:400] for line in shown], problems=problems
    )


def _kept(held: OpenPlant, sha256: str) -> DescriptionFile:
    """A file that was read in this plant and is here whole; to others it does not exist."""
    kept = DescriptionFile.objects.filter(sha256=sha256, projects=held.project).first()
    if kept is None or kept.octets is None:
        raise Http404
    return kept


def _told(held: OpenPlant, read: ReadFile) -> ReadFileOut:
    description = read.description
    lines = read.octets.count(b"\n") + 1
    if description is None:
        return ReadFileOut(
            name=read.name, sha256=read.sha256, octets=len(read.octets), lines=lines, refused=read.refused,
            refused_line=read.line, family="", vendor="", devices=[], problems=[], unknown=0,
        )  # fmt: skip
    keys, learned = keep(held.project, read)
    held = _understood(held, learned)
    with held.lock:
        devices = [
            _device(held.analysis, key, device, read) for key, device in zip(keys, description.devices, strict=True)
        ]
    return ReadFileOut(
        name=read.name,
        sha256=read.sha256,
        octets=len(read.octets),
        lines=lines,
        refused="",
        refused_line=0,
        family=next((f.name for f in FAMILIES if f.key == description.family), description.family),
        vendor=description.vendor.name,
        devices=devices,
        problems=[ProblemLine(line=p.line, severity=p.severity, text=p.text) for p in description.problems],
        unknown=len(description.unknown),
    )


def _understood(held: OpenPlant, learned: set[str]) -> OpenPlant:
    """Plants that came without these readings, or with some of their own, are computed anew; their views are told."""
    for project in plants_that_pin(learned) if learned else ():
        forget(project.pk)
        HUB.publish(project.key, "reset", {"reason": "a type of the plant became known"})
    return open_plant(held.project)


def _device(analysis: Analysis, key: str, device: DeviceType, read: ReadFile) -> ReadDeviceOut:
    version = int(key.rpartition("-")[2])
    pinned = analysis.plant.all(PinnedType)
    same = any(row.key == key for row in pinned)
    older = [row for row in pinned if row.key != key and row.device == device.key] + [
        row for row in pinned if row.device != device.key and _same_product(analysis.catalogue.find(row.key), device)
    ]
    took = footprint(device)
    return ReadDeviceOut(
        key=pinned_key(device.key, read.sha256, version),
        pin=TypePin(device=device.key, sha256=read.sha256, reader=version, file=read.name),
        name=device.name,
        order_number=device.order_number,
        revisions=list(device.revisions),
        in_octets=took.in_octets,
        out_octets=took.out_octets,
        state="same" if same else "revision" if older else "new",
        older=[] if same else [_older(analysis, row, device) for row in older],
    )


def _same_product(known: DeviceType | None, device: DeviceType) -> bool:
    """The same product in another revision: its key names the revision where the standard counts it in."""
    return (
        known is not None
        and known.product_code is not None
        and (known.fieldbus, known.vendor_id, known.device_type, known.product_code)
        == (device.fieldbus, device.vendor_id, device.device_type, device.product_code)
    )


def _older(analysis: Analysis, row: PinnedType, device: DeviceType) -> OlderOut:
    users = [user for user in users_of(analysis.plant, row.key) if isinstance(user, Station)]
    old = analysis.catalogue.find(row.key)
    differs = differences([old, device])[:60] if old else []
    return OlderOut(
        key=row.key,
        file=row.file,
        used_at=[UseOut(id=u.id, label=label_of(analysis.plant, u.id, analysis.catalogue.find)) for u in users],
        differences=[DifferenceOut(label=d.label, values=list(d.values)) for d in differs],
    )


ReadDeviceOut.model_rebuild()
