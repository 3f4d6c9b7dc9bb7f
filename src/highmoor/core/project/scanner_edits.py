"""Edits of scanners: a new one, its zones and situations, what stands around it, which zone an output answers to."""

from __future__ import annotations

import dataclasses
from string import ascii_uppercase

from shapely import LineString, Point

from highmoor.core.errors import Refusal
from highmoor.core.plant.rows import Controller, PlanShape, Scanner, Situation, Station, Zone, ZoneUse
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.safety.scanner.fields import least_points
from highmoor.core.safety.scanner.parts import sight_of
from highmoor.core.safety.scanner.shapes import POINTS_AT_MOST, read_points, read_shape
from highmoor.core.safety.scanner.sight import pieces
from highmoor.core.safety.scanner.types import TYPES, scanner_set

# In front of a scanner, until it is drawn.
_FIRST_MM = 1500
# Quarters of a circle are drawn by so many chords; what is within so much of a line lies on it.
_ROUND, _CORNERS_MM = 16, 5.0


def add_scanner(draft: Draft, edit: edits.AddScanner) -> None:
    """A scanner behind the controller's last. Raises Refusal for a type that is not known."""
    controller = draft.plant.get(draft.resolve(edit.controller), Controller)
    if edit.scanner not in TYPES:
        raise Refusal(f"There is no type {edit.scanner!r} of scanners.", field="scanner", value=edit.scanner)
    station = draft.plant.get(draft.resolve(edit.station), Station) if edit.station else None
    taken = [one.name for one in draft.plant.children(Scanner, controller.id)]
    name = edit.name or draft.free_name(station.name if station else "Scanner 1", taken)
    rank = draft.last_rank(Scanner, controller.id)[0]
    row = Scanner(draft.new_id("scanners"), controller.id, name, rank, edit.scanner, station.id if station else None)
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def add_zone(draft: Draft, edit: edits.AddZone) -> None:
    """A zone under the next letter. Raises Refusal for a shape that is none."""
    scanner = draft.plant.get(draft.resolve(edit.scanner), Scanner)
    shape = read_shape(edit.shape) if edit.shape is not None else _first_shape(scanner)
    taken = {zone.letter for zone in draft.plant.children(Zone, scanner.id)}
    letters = (*ascii_uppercase, *(f"Z{n}" for n in range(1, 1000)))
    letter = next(one for one in letters if one not in taken)
    rank = draft.last_rank(Zone, scanner.id)[0]
    row = Zone(draft.new_id("zones"), scanner.id, letter, edit.zone, rank, {"shape": shape})
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def _first_shape(scanner: Scanner) -> dict[str, object]:
    of = scanner_set(scanner.type, scanner.settings)
    half = min(of.angle / 2, 60)
    return {"kind": "sector", "from": of.looks - half, "to": of.looks + half, "radius": min(_FIRST_MM, of.range)}


def trace_zone(draft: Draft, edit: edits.TraceZone) -> None:
    """Raises Refusal where nothing is left of it."""
    zone = draft.plant.get(draft.resolve(edit.zone), Zone)
    scanner = draft.plant.get(zone.scanner, Scanner)
    sight = sight_of(scanner, draft.plant.children(PlanShape, scanner.id))
    near = Point(sight.at).buffer(edit.reach_mm, quad_segs=_ROUND)
    left = pieces(sight.area.intersection(near).buffer(-edit.margin_mm, join_style="mitre"))
    if not left:
        raise Refusal("Nothing is left of what it sees.", place=zone.id, field="margin_mm", value=edit.margin_mm)
    line = LineString(max(left, key=lambda area: float(area.area)).exterior.coords).simplify(_CORNERS_MM)
    points = [[round(x), round(y)] for x, y in line.coords[:-1]]
    shape = read_shape({"kind": "polygon", "points": points[:POINTS_AT_MOST]})
    draft.put(dataclasses.replace(zone, settings={**zone.settings, "shape": shape}))


def add_situation(draft: Draft, edit: edits.AddSituation) -> None:
    """A situation that the next input alone selects; without a free one nothing selects it yet."""
    scanner = draft.plant.get(draft.resolve(edit.scanner), Scanner)
    there = draft.plant.children(Situation, scanner.id)
    name = edit.name or draft.free_name("Situation 1", [one.name for one in there])
    rank = draft.last_rank(Situation, scanner.id)[0]
    row = Situation(draft.new_id("situations"), scanner.id, name, rank, free_select(scanner, there))
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def free_select(scanner: Scanner, there: list[Situation]) -> str:
    """The first pattern of one input alone that selects none of the others; "" where all are taken."""
    inputs = scanner_set(scanner.type, scanner.settings).inputs
    taken = {one.select for one in there}
    patterns = ("".join("1" if n == at else "0" for n in range(inputs)) for at in range(inputs))
    return next((one for one in patterns if one not in taken), "")


def add_plan_shape(draft: Draft, edit: edits.AddPlanShape) -> None:
    """Something that stands around. Raises Refusal for too few points, and for a situation of another scanner."""
    scanner = draft.plant.get(draft.resolve(edit.scanner), Scanner)
    situation = _own_situation(draft, scanner, edit.situation)
    if situation is not None and edit.shape != "hazard":
        raise Refusal("Only a hazard is there in one situation and not in another.", field="situation")
    points = read_points(edit.points, least_points(edit.shape))
    rank = draft.last_rank(PlanShape, scanner.id)[0]
    row = PlanShape(
        draft.new_id("plan_shapes"), scanner.id, edit.shape, rank, situation.id if situation else None,
        {"points": points},
    )  # fmt: skip
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def _own_situation(draft: Draft, scanner: Scanner, given: str | None) -> Situation | None:
    if given is None:
        return None
    situation = draft.plant.get(draft.resolve(given), Situation)
    if situation.scanner != scanner.id:
        raise Refusal(f"{situation.name} is a situation of another scanner.", place=situation.id, field="situation")
    return situation


def use_zone(draft: Draft, edit: edits.UseZone) -> None:
    """Raises Refusal for a zone of another scanner."""
    situation = draft.plant.get(draft.resolve(edit.situation), Situation)
    zone = draft.plant.get(draft.resolve(edit.zone), Zone) if edit.zone else None
    if zone is not None and zone.scanner != situation.scanner:
        raise Refusal(f"{zone.letter} is a zone of another scanner.", place=zone.id, field="zone")
    own = [use for use in draft.plant.children(ZoneUse, situation.id) if use.output == edit.output]
    if zone is None:
        draft.remove([use.id for use in own])
    elif own:
        draft.put(dataclasses.replace(own[0], zone=zone.id))
    else:
        rank = draft.last_rank(ZoneUse, situation.id)[0]
        draft.put(ZoneUse(draft.new_id("zone_uses"), situation.id, edit.output, rank, zone.id))
