"""Remedies for scanners: the zone taken as it is watched, the next pattern, the set-up that the standard knows."""

from __future__ import annotations

from collections.abc import Callable
from math import ceil

from shapely import LineString, Polygon

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.errors import Refusal
from highmoor.core.figures.safety.distance import least_height
from highmoor.core.numbers import exact, plain, shown
from highmoor.core.plant.rows import Link, SafetyFunction, Scanner, Situation, Zone
from highmoor.core.project import edits
from highmoor.core.project.remedy import Hand, Remedy, tried
from highmoor.core.project.scanner_edits import free_select
from highmoor.core.safety.scanner.checks import CRAWLS_MM
from highmoor.core.safety.scanner.signals import ScannerSignals
from highmoor.core.safety.scanner.told import SituationTold, ZoneTold
from highmoor.core.safety.scanner.types import LEAST_SCANS, scanner_set

_AT_SCANNER: Hand = "in the project, and by hand at the machine"
# A corner is taken for one within so much of the arc it stands for, mm.
_CORNERS_MM = 2.0


def _set(label: str, row: str, hand: Hand = "in the project", **values: object) -> Remedy:
    paths = {key.replace("__", "."): value for key, value in values.items()}
    return Remedy(label, hand, edits.SetFields(ids=[row], values=paths))


def _as_watched(analysis: Analysis, found: Finding) -> Remedy | None:
    """The zone drawn as what of it is watched; of several pieces the largest."""
    zone = found.places[0].id
    told: ZoneTold = analysis.result("zone.told", zone)
    if not told.watched:
        return None
    largest = max((Polygon(ring) for ring in told.watched), key=lambda area: float(area.area))
    line = LineString(largest.exterior.coords).simplify(_CORNERS_MM)
    corners = [[round(x), round(y)] for x, y in line.coords[:-1]]
    shape = {"kind": "polygon", "points": corners}
    return _set("Draw it as far as it is watched", zone, settings__shape=shape)


def _next_pattern(analysis: Analysis, found: Finding) -> Remedy | None:
    row = analysis.plant.get(found.places[0].id, Situation)
    scanner = analysis.plant.get(row.scanner, Scanner)
    others = [one for one in analysis.plant.children(Situation, scanner.id) if one.id != row.id]
    select = free_select(scanner, others)
    return _set(f"Select it by {select}", row.id, select=select) if select else None


def _with_a_zone(analysis: Analysis, found: Finding) -> Remedy | None:
    """The first protective zone at its first output."""
    situation = analysis.plant.get(found.places[0].id, Situation)
    zones = [one for one in analysis.plant.children(Zone, situation.scanner) if one.kind == "protective"]
    if not zones:
        return None
    edit = edits.UseZone(situation=situation.id, output=1, zone=zones[0].id)
    return Remedy(f"Output 1 answers to zone {zones[0].letter}", "in the project", edit)


def _without_zone(analysis: Analysis, found: Finding) -> Remedy | None:
    zone = analysis.plant.get(found.places[0].id, Zone)
    if any(analysis.plant.referring("zone_uses", "zone", zone.id)):
        return None
    return Remedy(f"Remove zone {zone.letter}", "in the project", edits.Remove(ids=[zone.id]))


def _by_hand(analysis: Analysis, found: Finding) -> Remedy:
    function = analysis.plant.get(found.places[1].id, SafetyFunction)
    return _set(f"{function.name}: reset by hand", function.id, settings__restart="hand")


def _two_scans(analysis: Analysis, found: Finding) -> Remedy:
    return _set(f"{LEAST_SCANS} scans confirm", found.places[0].id, _AT_SCANNER, settings__scans=LEAST_SCANS)


def _finer(analysis: Analysis, found: Finding) -> Remedy | None:
    """The coarsest resolution that sees what it has to at its height."""
    row = analysis.plant.get(found.places[0].id, Scanner)
    of = scanner_set(row.type, row.settings)
    fits = [step for step in of.type.ranges if _sees(step, of.height, vertical=of.vertical)]
    if not fits:
        return None
    return _set(f"Resolution of {max(fits)} mm", row.id, _AT_SCANNER, settings__resolution=max(fits))


def _sees(resolution: int, height: float, *, vertical: bool) -> bool:
    try:
        return resolution <= 70 if vertical else least_height(exact(resolution)) <= exact(height) <= 1000
    except Refusal:
        return False


def _lower(analysis: Analysis, found: Finding) -> Remedy | None:
    row = analysis.plant.get(found.places[0].id, Scanner)
    of = scanner_set(row.type, row.settings)
    if least_height(exact(of.resolution)) > CRAWLS_MM:
        return None
    return _set(f"Field {CRAWLS_MM} mm high", row.id, _AT_SCANNER, settings__height=CRAWLS_MM)


def _contour(analysis: Analysis, found: Finding) -> Remedy:
    return _set("Watch the surroundings", found.places[0].id, _AT_SCANNER, settings__contour=True)


def _sooner(analysis: Analysis, found: Finding) -> Remedy:
    row = analysis.plant.get(found.places[0].id, Situation)
    told: SituationTold = analysis.result("situation.told", row.id)
    lead = ceil(told.lead_ms)
    return _set(f"Select it {shown(plain(exact(lead)))} ms before", row.id, _AT_SCANNER, settings__lead_ms=lead)


def _driven(analysis: Analysis, found: Finding) -> Remedy | None:
    """Signals for all inputs that have none, at channels beside one that drives another."""
    plant, scanner = analysis.plant, found.places[0].id
    told: ScannerSignals = analysis.result("scanner.signals", scanner)
    links = (link for one in told.inputs if one.signal for link in plant.children(Link, one.signal))
    there = next((link for link in links if link.access != "reads"), None)
    edit = edits.NameScanner(
        scanner=scanner, what="select", pattern="{scanner} select {n}", place=there.place if there else None,
        key=there.key if there else None,
    )  # fmt: skip
    return tried(analysis, found, Remedy("Make signals for its inputs", "in the project", edit))


SCANNER_REMEDIES: dict[str, Callable[[Analysis, Finding], Remedy | None]] = {
    "SAF-302": _as_watched,
    "SAF-303": _as_watched,
    "SAF-304": _without_zone,
    "SAF-305": _with_a_zone,
    "SAF-306": _next_pattern,
    "SAF-310": _by_hand,
    "SAF-311": _two_scans,
    "SAF-312": _finer,
    "SAF-313": _lower,
    "SAF-314": _contour,
    "SAF-316": _sooner,
    "SAF-318": _driven,
}
