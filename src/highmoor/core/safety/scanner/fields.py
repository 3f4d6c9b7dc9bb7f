"""What can be set of a scanner, its zones, its situations and what stands around it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.errors import Refusal
from highmoor.core.motion.fields import drives_of
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import PlanShape, Scanner, Situation, Zone, ZoneUse
from highmoor.core.safety.scanner.shapes import read_points, read_shape
from highmoor.core.safety.scanner.types import LEAST_SCANS, TYPES, scanner_set

_FAR = 100_000
_NOTE = FieldSpec("note", "Note", "note", default="", optional=True)


def scanner_fields(plant: Plant, catalogue: Catalogue, row: Scanner) -> tuple[FieldSpec, ...]:
    of = scanner_set(row.type, row.settings)
    stations = tuple(Choice(s.id, label) for s, label in drives_of(plant, catalogue, row.controller))
    return (
        FieldSpec("name", "Name", "text"),
        FieldSpec("type", "Type", "choice", choices=tuple(Choice(one.key, one.label) for one in TYPES.values())),
        FieldSpec("device", "Speaks as", "choice", choices=stations, optional=True,
                  hint="Information only: it acts by its outputs."),
        FieldSpec("settings.application", "Field lies", "choice", default="horizontal", optional=True,
                  section="safety", term="ISO 13855", choices=(
                      Choice("horizontal", "parallel to the floor"), Choice("vertical", "upright"))),
        _mm("height", "Field lies high", 200, 0, 3000),
        FieldSpec("settings.resolution", "Resolution", "choice", default=50, unit="mm", optional=True, source="type",
                  section="safety", choices=tuple(Choice(step, str(step)) for step in of.type.ranges)),
        FieldSpec("settings.scans", "Scans that confirm", "integer", default=LEAST_SCANS, minimum=1, maximum=32,
                  optional=True, section="safety", hint="Each more makes it later by one turn of its beam.",
                  counted=True),
        FieldSpec("settings.contour", "Watches its surroundings", "boolean", default=False, optional=True,
                  section="safety", hint="By a contour it must always see: needed where the field is upright."),
        FieldSpec("settings.reflectors", "Reflectors are near", "boolean", default=False, optional=True,
                  section="safety"),
        _mm("x", "Stands at x", 0, -_FAR, _FAR),
        _mm("y", "Stands at y", 0, -_FAR, _FAR),
        FieldSpec("settings.looks", "Looks to", "number", unit="°", default=0, minimum=-360, maximum=360,
                  optional=True, section="safety", hint="Clockwise from up in the plan."),
        *_sheet(row),
        _NOTE,
    )  # fmt: skip


def _mm(key: str, label: str, default: float, low: float, high: float, **more: Any) -> FieldSpec:
    return FieldSpec(f"settings.{key}", label, "number", unit="mm", default=default, minimum=low, maximum=high,
                     optional=True, section="safety", **more)  # fmt: skip


def _sheet(row: Scanner) -> Iterator[FieldSpec]:
    """What its type says, where the one that stands there is another."""
    of = scanner_set(row.type, {**row.settings, **dict.fromkeys(("range", "angle", "blind", "tolerance", "reflector"))})
    kind = of.type
    for key, label, unit, usual, low, high in (
        ("scan_ms", "One turn of its beam", "ms", kind.scan_ms, 1, 1000),
        ("fixed_ms", "Beyond its scans it needs", "ms", kind.fixed_ms, 0, 10_000),
        ("range", "Sees up to", "mm", of.range, 100, _FAR),
        ("angle", "Sees an angle of", "°", kind.angle, 1, 360),
        ("blind", "Blind up to", "mm", kind.blind, 0, 5000),
        ("tolerance", "Measures wrong by", "mm", kind.tolerance, 0, 2000),
        ("reflector", "Near reflectors by", "mm", kind.reflector, 0, 2000),
        ("switch_over_ms", "Switches over within", "ms", kind.switch_over_ms, 0, 60_000),
    ):
        yield FieldSpec(f"settings.{key}", label, "number", unit=unit, default=usual, minimum=low, maximum=high,
                        optional=True, section="sheet")  # fmt: skip
    for key, label, most in (
        ("inputs", "Inputs that select", kind.inputs),
        ("outputs", "Pairs of outputs", kind.outputs),
    ):
        yield FieldSpec(f"settings.{key}", label, "integer", counted=True, default=most, minimum=1, maximum=16,
                        optional=True, section="sheet")  # fmt: skip


def _pattern(given: Any) -> str:
    text = str(given).strip()
    if text and not re.fullmatch(r"[01]{1,16}", text):
        raise Refusal("A pattern is written in 0 and 1, the first input first: 0100.", value=given)
    return text


def situation_fields(plant: Plant, catalogue: Catalogue, row: Situation) -> tuple[FieldSpec, ...]:
    return (
        FieldSpec("name", "Name", "text"),
        FieldSpec("select", "Selected by", "text", default="", optional=True, read=_pattern,
                  hint="Its inputs in order, 1 for on."),
        FieldSpec("settings.lead_ms", "Selected before motion by", "number", unit="ms", minimum=0, maximum=600_000,
                  optional=True, section="safety",
                  hint="The way of its signals, the switch-over and the response have to fit in."),
    )  # fmt: skip


def zone_fields(plant: Plant, catalogue: Catalogue, row: Zone) -> tuple[FieldSpec, ...]:
    kinds = (Choice("protective", "protective: shuts off"), Choice("warning", "warning: only tells"))
    return (
        FieldSpec("letter", "Letter", "text", read=_letter),
        FieldSpec("kind", "Kind", "choice", choices=kinds),
        FieldSpec("settings.shape", "Shape", "special", read=read_shape),
    )


def _letter(given: Any) -> str:
    text = str(given).strip()
    if not re.fullmatch(r"[A-Za-z][A-Za-z0-9]{0,3}", text):
        raise Refusal("A zone is called by a letter, with up to three more.", value=given)
    return text


def least_points(kind: str) -> int:
    """How many points a thing of the plan has at least: an area three, a line two."""
    return 3 if kind == "hazard" else 2


def plan_shape_fields(plant: Plant, catalogue: Catalogue, row: PlanShape) -> tuple[FieldSpec, ...]:
    kinds = (
        Choice("hazard", "hazard"), Choice("wall", "wall"), Choice("guard", "guard"),
        Choice("open", "open: somebody comes here"),
    )  # fmt: skip
    situations = tuple(Choice(one.id, one.name) for one in plant.children(Situation, row.scanner))
    return (
        FieldSpec("kind", "Is", "choice", choices=kinds),
        *((FieldSpec("situation", "Only in", "choice", choices=situations, optional=True,
                     hint="If empty: in every situation."),) if row.kind == "hazard" else ()),
        FieldSpec("settings.points", "Points", "special",
                  read=lambda given: read_points(given, least_points(row.kind))),
    )  # fmt: skip


def zone_use_fields(plant: Plant, catalogue: Catalogue, row: ZoneUse) -> tuple[FieldSpec, ...]:
    situation: Situation | None = plant.find(row.situation)
    zones = tuple(Choice(z.id, z.letter) for z in plant.children(Zone, situation.scanner)) if situation else ()
    return (
        FieldSpec("output", "Output", "integer", minimum=1, maximum=16, made=True),
        FieldSpec("zone", "Zone", "choice", choices=zones, optional=True),
    )
