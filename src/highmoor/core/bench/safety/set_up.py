"""How a scanner on the bench is set up: by what it has in itself, among what stands around it now."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from typing import Any

from highmoor.core.bench.safety.scanner import WatchedSituation, walls_by_ray, zone_by_ray
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import PlanShape, Scanner, Situation, Zone, ZoneUse
from highmoor.core.safety.scanner.shapes import ring_of, shape_problem
from highmoor.core.safety.scanner.types import ScannerSet, beam_of, scanner_set


def set_up(
    inside: Plant, plant: Plant, row: Scanner
) -> tuple[ScannerSet, tuple[float, ...], tuple[WatchedSituation, ...]]:
    """How it is set up in the device, where each of its rays ends, and its situations.

    It stands where it is configured to stand in `plant`, among walls as they are configured; how far its zones go at
    each ray is as it was sent there (`inside`), whatever was moved since.
    """
    own = inside.get(row.id, Scanner)
    sent, walls_sent = _standing(scanner_set(own.type, own.settings), inside.children(PlanShape, row.id))
    reach: dict[str, tuple[float, ...]] = {}
    for zone in inside.children(Zone, row.id):
        ring = ring_of(zone.settings.get("shape") or {}, (sent.x, sent.y))
        if ring and not shape_problem(ring):
            reach[zone.id] = zone_by_ray(sent, ring, walls_sent)
    situations = tuple(
        WatchedSituation(one.id, one.select, {
            use.output: reach.get(use.zone or "") for use in inside.children(ZoneUse, one.id)
        })
        for one in inside.children(Situation, row.id)
    )  # fmt: skip
    at = scanner_set(row.type, row.settings)
    here = replace(sent, x=at.x, y=at.y, looks=at.looks)
    return *_standing(here, plant.children(PlanShape, row.id)), situations


def _standing(of: ScannerSet, shapes: list[PlanShape]) -> tuple[ScannerSet, tuple[float, ...]]:
    """A scanner among walls: with where its beam begins, and where each of its rays ends."""
    lines = [one.settings.get("points", ()) for one in shapes if one.kind in ("wall", "guard")]
    x, y = beam_of(of, [wall for line in lines for wall in pairwise(line)])
    of = replace(of, x=x, y=y)
    return of, walls_by_ray(of, lines)


def rows_of(plant: Plant, scanner: str) -> list[Any]:
    """All that a scanner has."""
    situations = plant.children(Situation, scanner)
    uses = [use for one in situations for use in plant.children(ZoneUse, one.id)]
    shapes = plant.children(PlanShape, scanner)
    return [plant.find(scanner), *situations, *plant.children(Zone, scanner), *uses, *shapes]
