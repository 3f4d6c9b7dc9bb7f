"""The catalogue of a plant: its types with footprints, comparing, what a place asks, files read in."""

from __future__ import annotations

import dataclasses
import json
import re
from collections import Counter
from typing import Annotated, Any, Literal

from django.http import Http404, HttpRequest, HttpResponse
from ninja import File, Query, Router, Schema, Status
from ninja.files import UploadedFile
from pydantic import Field

from highmoor.core.analysis.engine import Analysis
from highmoor.core.catalogue.comparing import differences, footprint, lines_of
from highmoor.core.catalogue.pins import device_of, pinned_key
from highmoor.core.catalogue.reading.device_sheet import DeviceSheet, sheet_text
from highmoor.core.catalogue.reading.families import FAMILIES, reader_version
from highmoor.core.catalogue.reading.text import OCTETS_AT_MOST, decoded
from highmoor.core.catalogue.sizes import LABELS, in_units
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Gone, Refusal
from highmoor.core.hardware.mounting import carries_modules
from highmoor.core.networks import FIELDBUSES
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.plant.rows import Controller, Module, PinnedType, Station
from highmoor.core.project.demand import demand_of, types_of
from highmoor.core.project.edits import TypePin
from highmoor.core.project.reporting import label_of
from highmoor.core.project.type_edits import users_of
from highmoor.core.signals.datatypes import DATA_TYPES
from highmoor.intake.reading import ReadFile, read_file
from highmoor.server.api.access import member, opened, user_of
from highmoor.server.api.views import FieldOut, described
from highmoor.server.library import LIBRARY, keep
from highmoor.server.models import DescriptionFile
from highmoor.server.plants import OpenPlant
from highmoor.server.readings import READINGS

router = Router(tags=["catalogue"])
_LINES_AT_MOST = 400


class ChannelsOut(Schema):
    kind: str
    count: int


class PortNameOut(Schema):
    key: str
    label: str


class TypeOut(Schema):
    """A device type as lists show it, with its footprint. `pin` is its row in the plant, null for built-in ones."""

    key: str
    kind: Literal["controller", "module", "cover", "feed-in", "device"]
    name: str
    order_number: str
    maker: str
    summary: str
    revisions: list[str]
    width_mm: float
    heat_w: float
    bus_current_ma: int
    bus_supply_ma: int
    field_limit_ma: int
    in_octets: int
    out_octets: int
    interval_us: int | None
    connections: int | None
    channels: list[ChannelsOut]
    ports: list[PortNameOut]
    places: list[int]
    addressed: bool
    alignment_octets: int | None = None
    fieldbus: str
    rail: bool
    head: str
    family: str
    file: str
    pin: str | None
    sha256: str
    used: int
    outdated: bool


class FieldbusOut(Schema):
    key: str
    name: str
    standard: str
    medium: str
    exchange_fields: list[FieldOut]


class FamilyOut(Schema):
    key: str
    name: str
    read: bool


class CatalogueOut(Schema):
    types: list[TypeOut]
    fieldbuses: list[FieldbusOut]
    data_types: list[str]
    families: list[FamilyOut]
    units: dict[str, str]


@router.get("/plants/{key}/catalogue", response=CatalogueOut, operation_id="catalogue")
def catalogue(request: HttpRequest, key: str) -> HttpResponse:
    """All device types of a plant, fieldbuses and data types."""
    held = opened(request, key)
    with held.lock:
        pins = {row.key: row for row in held.plant.all(PinnedType)}
        rows: list[Controller | Station | Module] = [
            *held.plant.all(Controller),
            *held.plant.all(Station),
            *held.plant.all(Module),
        ]
        used = Counter(row.type for row in rows)
        types = [_type(device, pins, used) for device in types_of(held.analysis)]
    # Written straight to JSON: a catalogue of thousands of types is not to be checked once more on its way out.
    body = {
        "types": types,
        "fieldbuses": [_fieldbus(bus) for bus in FIELDBUSES],
        "data_types": list(DATA_TYPES),
        "families": [{"key": f.key, "name": f.name, "read": f.read is not None} for f in FAMILIES],
        "units": LABELS,
    }
    return HttpResponse(json.dumps(body, ensure_ascii=False), content_type="application/json")


def _fieldbus(bus: Fieldbus) -> dict[str, Any]:
    return FieldbusOut(
        key=bus.key,
        name=bus.name,
        standard=bus.standard,
        medium=bus.medium,
        exchange_fields=[described(spec, spec.default) for spec in bus.new_exchange_fields],
    ).model_dump(mode="json")


def _type(device: DeviceType, pins: dict[str, PinnedType], used: Counter[str]) -> dict[str, Any]:
    owner, _, module = device.key.partition("/")
    pin = pins.get(owner)
    family = owner.partition(".")[0] if pin else ""
    return {
        **_told_by_itself(device),
        "head": owner if module else "",
        "family": family,
        "file": pin.file if pin else "",
        "pin": pin.id if pin and not module else None,
        "sha256": pin.sha256 if pin else "",
        "used": used[device.key],
        "outdated": bool(pin and not module and pin.reader < reader_version(family)),
    }


_TOLD: dict[int, tuple[DeviceType, dict[str, Any]]] = {}
_TOLD_AT_MOST = 20_000


def _told_by_itself(device: DeviceType) -> dict[str, Any]:
    """What a type says of itself, worked out once: types never change."""
    known = _TOLD.get(id(device))
    if known is not None and known[0] is device:
        return known[1]
    if len(_TOLD) >= _TOLD_AT_MOST:
        _TOLD.clear()
    facts = device.controller
    slots = facts.slots if facts else device.rail
    took = footprint(device)
    told = {
        "key": device.key,
        "kind": device.kind,
        "name": device.name,
        "order_number": device.order_number,
        "maker": device.maker,
        "summary": device.summary,
        "revisions": list(device.revisions),
        "width_mm": device.width_mm,
        "heat_w": device.heat_w,
        "bus_current_ma": device.bus_current_ma,
        "bus_supply_ma": device.bus_supply_ma,
        "field_limit_ma": device.field_limit_ma,
        "in_octets": took.in_octets,
        "out_octets": took.out_octets,
        "interval_us": took.interval_us,
        "connections": took.connections,
        "channels": [{"kind": c.kind, "count": c.count} for c in device.channels],
        "ports": [{"key": key, "label": label} for key, label in facts.ports] if facts else [],
        "places": list(slots.places) if slots else [],
        "addressed": bool(slots and slots.addressed),
        "alignment_octets": facts.alignment_octets if facts else None,
        "fieldbus": device.fieldbus,
        "rail": carries_modules(device) if device.kind == "device" else False,
    }
    _TOLD[id(device)] = (device, told)
    return told


# Comparing, one type whole, and what a place asks


class WantTypes(Schema):
    types: list[str] = Field(min_length=1, max_length=3)


class DifferenceOut(Schema):
    label: str
    values: list[str]


@router.post("/plants/{key}/compare", response=list[DifferenceOut], operation_id="compare")
def compare(request: HttpRequest, key: str, wanted: WantTypes) -> list[DifferenceOut]:
    """Up to three types side by side: the lines in which they differ. One alone: everything told of it."""
    held = opened(request, key)
    devices = [_visible(held, name) for name in wanted.types]
    if len(devices) == 1:
        return [DifferenceOut(label=label, values=[text]) for label, text in lines_of(devices[0]).items()]
    return [DifferenceOut(label=row.label, values=list(row.values)) for row in differences(devices)]


def _visible(held: OpenPlant, name: str) -> DeviceType:
    """A type this plant may see. Raises Gone for others, and says nothing of whether they exist elsewhere."""
    with held.lock:
        pinned = any(row.key == name.partition("/")[0] for row in held.plant.all(PinnedType))
        device = held.analysis.catalogue.find(name) if pinned or name in held.analysis.catalogue.types else None
    if device is None:
        raise Gone(f"There is no type {name} in this plant's catalogue.", place=name)
    return device


class TypeDetailOut(Schema):
    """A type whole, with where it is used and its sizes in every unit."""

    type: DeviceType
    used_at: list[UseOut]
    sizes: dict[str, dict[str, float]]
    other: list[str]


class UseOut(Schema):
    id: str
    label: str


@router.get("/plants/{key}/type", response=TypeDetailOut, operation_id="type_detail")
def type_detail(request: HttpRequest, key: str, name: str) -> TypeDetailOut:
    """One type with everything its file says."""
    held = opened(request, key)
    device = _visible(held, name)
    took = footprint(device)
    with held.lock:
        users = users_of(held.plant, name)[:100]
        find = held.analysis.catalogue.find
        used = [UseOut(id=row.id, label=label_of(held.plant, row.id, find)) for row in users]
        other = [r.key for r in held.plant.all(PinnedType) if r.key != name and device_of(r.key) == device_of(name)]
    sizes = {"in": in_units(took.in_octets), "out": in_units(took.out_octets)}
    return TypeDetailOut(type=device, used_at=used, sizes=sizes, other=other)


class ConditionOut(Schema):
    key: str
    label: str


class VerdictOut(Schema):
    type: str
    fails: list[str]
    left: float | None
    unit: str


class DemandOut(Schema):
    """What a place asks, and every type against it."""

    place: str
    label: str
    conditions: list[ConditionOut]
    verdicts: list[VerdictOut]


@router.get("/plants/{key}/demand", response=DemandOut, operation_id="demand")
def demand(request: HttpRequest, key: str, place: str = "", before: str | None = None) -> DemandOut:
    """What the place one comes from asks of a type, and which types fail which condition."""
    held = opened(request, key)
    with held.lock:
        asked = demand_of(held.analysis, place or None, before)
        verdicts = [asked.judge(device) for device in types_of(held.analysis)]
        label = label_of(held.plant, place, held.analysis.catalogue.find) if held.plant.find(place) else ""
    return DemandOut(
        place=place,
        label=label,
        conditions=[ConditionOut(**dataclasses.asdict(c)) for c in asked.conditions],
        verdicts=[VerdictOut(type=v.type, fails=list(v.fails), left=v.left, unit=v.unit) for v in verdicts],
    )


# Files


class ProblemLine(Schema):
    line: int
    severity: Literal["error", "warning", "note"]
    text: str


class ReadDeviceOut(Schema):
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


class OlderOut(Schema):
    """A reading of the same device that is in the plant, who uses it, and what differs."""

    key: str
    file: str
    used_at: list[UseOut]
    differences: list[DifferenceOut]


class ReadFileOut(Schema):
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
        raise Refusal(
            f"{file.name} has {(file.size or 0) // 2**20} MB; {OCTETS_AT_MOST // 2**20} MB are the most read."
        )
    read = READINGS.read(user_of(request).pk, reading, file.read(), (file.name or "file")[:200])
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
    return [_told(held, one) for one in read_file(text.encode(), f"{name}.json")]


@router.post("/plants/{key}/files/{sha256}/anew", response=list[ReadFileOut], operation_id="read_anew")
def read_anew(request: HttpRequest, key: str, sha256: str) -> list[ReadFileOut]:
    """Read a kept file again with today's reader."""
    held = opened(request, key, "edit")
    kept = _kept(held, sha256)
    return [
        _told(held, one) for one in READINGS.read(user_of(request).pk, sha256, bytes(kept.octets or b""), kept.name)
    ]


class FileTextOut(Schema):
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
    keys = keep(held.project, read)
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


def _device(analysis: Analysis, key: str, device: DeviceType, read: ReadFile) -> ReadDeviceOut:
    version = int(key.rpartition("-")[2])
    pinned = analysis.plant.all(PinnedType)
    same = any(row.key == key for row in pinned)
    older = [row for row in pinned if row.key != key and row.device == device.key] + [
        row for row in pinned if row.device != device.key and _same_product(LIBRARY.find(row.key), device)
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


TypeDetailOut.model_rebuild()
ReadDeviceOut.model_rebuild()
