"""The catalogue of a plant: its types with footprints, comparing, what a place asks, files read in."""

from __future__ import annotations

import dataclasses
from collections import Counter
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import Field

from highmoor.core.catalogue.comparing import differences, footprint, lines_of
from highmoor.core.catalogue.reading.families import FAMILIES, reader_version
from highmoor.core.catalogue.sizes import LABELS, in_units
from highmoor.core.catalogue.types import Channels, DeviceType, TypeKind
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.errors import Gone
from highmoor.core.hardware.mounting import carries_modules
from highmoor.core.motion.home_search import METHODS
from highmoor.core.motion.homing import method_label
from highmoor.core.motion.links import LINK_KINDS
from highmoor.core.motion.profiles import BASES
from highmoor.core.motion.robots.fields import TYPE_CHOICES
from highmoor.core.motion.robots.types import TYPES as ROBOT_TYPES
from highmoor.core.motion.units import AXIS_KINDS
from highmoor.core.networks import FIELDBUSES
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.networks.line_time import TimeColumn
from highmoor.core.plant.fields import Choice
from highmoor.core.plant.rows import Controller, Module, PinnedType, Station
from highmoor.core.project.demand import demand_of, types_of
from highmoor.core.project.reporting import label_of
from highmoor.core.project.type_edits import other_readings, users_of
from highmoor.core.safety.scanner.types import TYPES as SCANNER_TYPES
from highmoor.core.safety.settings import ACTUATORS, SENSORS
from highmoor.server.answers import answered_as_json
from highmoor.server.api.access import opened
from highmoor.server.api.shapes import Shape
from highmoor.server.api.views import FieldOut, described
from highmoor.server.plants import OpenPlant

router = Router(tags=["catalogue"])


class OnLossOut(Shape):
    """What outputs can do when their controller is lost: values with their words, and which it is unless it is set."""

    keys: list[str]
    usual: str
    words: dict[str, str]


class ChannelsOut(Shape):
    """A run of like channels. `on_loss` is null for what is no output, and for outputs that are not asked; `pulses` is
    how many of them give pulses for stepping motors."""

    kind: str
    count: int
    pulses: int = 0
    on_loss: OnLossOut | None = None


class PortNameOut(Shape):
    key: str
    label: str
    medium: str
    carries: str
    has_ip: bool


class TypeOut(Shape):
    """A device type as lists show it, with its footprint. `pin` is its row in the plant, null for built-in ones."""

    key: str
    kind: TypeKind
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
    # Whether it has a part of safety, and how many pairs of safe channels.
    safe: bool
    pairs: int
    head: str
    called: str
    joins: str
    takes: str
    family: str
    file: str
    pin: str | None
    sha256: str
    used: int
    outdated: bool


class NetworkActOut(Shape):
    """What can be done to a device over its network; what it `asks` for is typed, `back` undoes it."""

    key: str
    label: str
    asks: str
    keeps: bool
    back: str
    all: bool


class FieldbusOut(Shape):
    key: str
    name: str
    standard: str
    medium: str
    branches: bool
    damaged: bool
    exchange_fields: list[FieldOut]
    watches: dict[str, str]
    reference_title: str
    columns: list[TimeColumn]
    transfer_place: str
    acts: list[NetworkActOut]
    # Whether devices are found by name, and reached by the hardware address on their label.
    by_name: bool


class FamilyOut(Shape):
    key: str
    name: str
    read: bool


class RobotTypeOut(Shape):
    """A type of robots; `wrist` is null where that is as its data sheet says."""

    key: str
    label: str
    wrist: bool | None


class CatalogueOut(Shape):
    types: list[TypeOut]
    fieldbuses: list[FieldbusOut]
    data_types: list[str]
    families: list[FamilyOut]
    units: dict[str, str]
    axis_kinds: dict[str, str]
    link_kinds: dict[str, str]
    command_bases: dict[str, str]
    homing_methods: list[str]
    robot_types: list[RobotTypeOut]
    scanner_types: dict[str, str]
    sensor_blocks: dict[str, str]
    actuator_blocks: dict[str, str]


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
        types = [_type(device, pins, used) for device in types_of(held.plant, held.catalogue)]
    body = {
        "types": types,
        "fieldbuses": [_fieldbus(bus) for bus in FIELDBUSES],
        "data_types": list(DATA_TYPES),
        "families": [{"key": f.key, "name": f.name, "read": f.read is not None} for f in FAMILIES],
        "units": LABELS,
        "axis_kinds": {kind.key: kind.label for kind in AXIS_KINDS.values()},
        "link_kinds": {kind.key: kind.label for kind in LINK_KINDS.values()},
        "command_bases": {base.key: base.label for base in BASES.values()},
        "homing_methods": [method_label(number) for number in METHODS],
        "robot_types": [_robot_type(choice) for choice in TYPE_CHOICES],
        "scanner_types": {one.key: one.label for one in SCANNER_TYPES.values()},
        "sensor_blocks": {block.key: block.label for block in SENSORS.values()},
        "actuator_blocks": {block.key: block.label for block in ACTUATORS.values()},
    }
    return answered_as_json(body)


def _robot_type(choice: Choice) -> dict[str, Any]:
    of = ROBOT_TYPES.get(choice.value)
    return {"key": choice.value, "label": choice.label, "wrist": of.wrist is not None if of else None}


def _fieldbus(bus: Fieldbus) -> dict[str, Any]:
    return FieldbusOut(
        key=bus.key,
        name=bus.name,
        standard=bus.standard,
        medium=bus.medium.key,
        branches=bus.medium.switches,
        damaged=not bus.medium.switches,
        watches={key: watch.label for key, watch in bus.watches.items()},
        reference_title=bus.reference_title,
        columns=list(bus.columns),
        transfer_place=bus.transfers.place if bus.transfers else "",
        acts=[
            NetworkActOut(key=act.key, label=act.label, asks=act.asks, keeps=act.keeps, back=act.back, all=act.all)
            for act in bus.live.acts
        ],
        by_name=bus.live.by_name,
        exchange_fields=[described(spec, spec.default) for spec in bus.new_exchange_fields],
    ).model_dump(mode="json")


def _type(device: DeviceType, pins: dict[str, PinnedType], used: Counter[str]) -> dict[str, Any]:
    owner, _, module = device.key.partition("/")
    pin = pins.get(owner)
    family = owner.partition(".")[0] if pin else ""
    return {
        **_told_by_itself(device),
        "head": device.key.rpartition("/")[0],
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
        "safe": device.safety is not None,
        "pairs": len(device.safety.pairs) if device.safety else 0,
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
        "channels": [
            {"kind": c.kind, "count": c.count, "pulses": len(c.wiring.pulses), "on_loss": _on_loss(device, c)}
            for c in device.channels
        ],
        "ports": [
            {"key": p.key, "label": p.label, "medium": p.medium, "carries": p.on.name, "has_ip": p.on.has_ip}
            for p in device.ports
        ],
        "places": list(slots.places) if slots else [],
        "addressed": bool(slots and slots.addressed),
        "alignment_octets": facts.alignment_octets if facts else None,
        "fieldbus": device.fieldbus,
        "called": device.called,
        "joins": device.joins,
        "takes": device.takes,
        "rail": device.kind in ("device", "module") and carries_modules(device),
    }
    _TOLD[id(device)] = (device, told)
    return told


def _on_loss(device: DeviceType, group: Channels) -> dict[str, Any] | None:
    parameter = next((p for p in group.parameters if p.key == "on_loss"), None)
    if parameter is None:
        return None
    keys = [channel.key for channel in device.each_channel() if channel.group is group]
    return {"keys": keys, "usual": str(parameter.default), "words": {str(v): word for v, word in parameter.choices}}


# Comparing, one type whole, and what a place asks


class WantTypes(Shape):
    types: list[str] = Field(min_length=1, max_length=3)


class DifferenceOut(Shape):
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
        device = held.catalogue.find(name) if pinned or name in held.catalogue.types else None
    if device is None:
        raise Gone(f"There is no type {name} in this plant's catalogue.", place=name)
    return device


class TypeDetailOut(Shape):
    """A type whole, with where it is used and its sizes in every unit."""

    type: DeviceType
    used_at: list[UseOut]
    sizes: dict[str, dict[str, float]]
    other: list[str]


class UseOut(Shape):
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
        find = held.catalogue.find
        used = [UseOut(id=row.id, label=label_of(held.plant, row.id, find)) for row in users]
        other = [row.key for row in other_readings(held.plant, name)]
    sizes = {"in": in_units(took.in_octets), "out": in_units(took.out_octets)}
    return TypeDetailOut(type=device, used_at=used, sizes=sizes, other=other)


class ConditionOut(Shape):
    key: str
    label: str


class VerdictOut(Shape):
    type: str
    fails: list[str]
    left: float | None
    unit: str


class DemandOut(Shape):
    """What a place asks, and every type against it."""

    place: str
    label: str
    conditions: list[ConditionOut]
    verdicts: list[VerdictOut]


@router.get("/plants/{key}/demand", response=DemandOut, operation_id="demand")
def demand(
    request: HttpRequest, key: str, place: str = "", before: str | None = None, instead: str | None = None
) -> DemandOut:
    """What the place one comes from asks of a type, and which types fail which condition."""
    held = opened(request, key)
    with held.lock:
        asked = demand_of(held.analysis, place or None, before, instead)
        verdicts = [asked.judge(device) for device in types_of(held.plant, held.catalogue)]
        label = label_of(held.plant, place, held.catalogue.find) if held.plant.find(place) else ""
    return DemandOut(
        place=place,
        label=label,
        conditions=[ConditionOut(**dataclasses.asdict(c)) for c in asked.conditions],
        verdicts=[VerdictOut(type=v.type, fails=list(v.fails), left=v.left, unit=v.unit) for v in verdicts],
    )


TypeDetailOut.model_rebuild()
