"""What can be wrong with a scanner: its set-up, its zones, its situations, the distance they keep."""

from __future__ import annotations

from collections.abc import Iterator
from math import ceil, floor

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.numbers import number_at, shown
from highmoor.core.plant.rows import SafetyFunction, SafetyPart, Scanner, Situation, Zone, ZoneUse
from highmoor.core.safety.scanner.told import GuardTold, ScannerTold, SituationTold, ZoneTold
from highmoor.core.safety.scanner.types import LEAST_SCANS, scanner_set

_SCANNER, _ZONE, _SITUATION = "scanner.told", "zone.told", "situation.told"
# Higher than this somebody may crawl beneath (ISO 13855:2010, 6.3).
CRAWLS_MM = 300


def _no_area(result: ZoneTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.problem:
        letter = reader.value(root, Zone, "letter")
        yield finding("SAF-301", (root, "settings.shape"), name=letter, problem=result.problem)


def _unseen(result: ZoneTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.lost_mm2 and not result.beyond:
        yield finding("SAF-302", (root, "settings.shape"), name=reader.value(root, Zone, "letter"),
                      area=shown(result.lost_mm2 / 1e6, 3))  # fmt: skip


def _beyond(result: ZoneTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.beyond and result.lost_mm2:
        scanner = reader.row(reader.value(root, Zone, "scanner"), Scanner)
        of = scanner_set(scanner.type, scanner.settings)
        yield finding("SAF-303", (root, "settings.shape"), name=reader.value(root, Zone, "letter"),
                      reach=shown(of.range), resolution=shown(of.resolution))  # fmt: skip


def _unused(result: ZoneTold, reader: Reader, root: str) -> Iterator[Finding]:
    if not reader.referring(ZoneUse, "zone", root):
        yield finding("SAF-304", root, name=reader.value(root, Zone, "letter"))


def _protects(reader: Reader, guard: GuardTold) -> bool:
    zone = reader.find(guard.zone)
    return isinstance(zone, Zone) and zone.kind == "protective"


def _unprotected(result: SituationTold, reader: Reader, root: str) -> Iterator[Finding]:
    if not any(_protects(reader, guard) for guard in result.guards):
        yield finding("SAF-305", root, name=reader.value(root, Situation, "name"))


def _selected(result: SituationTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.problem:
        yield finding("SAF-306", (root, "select"), name=reader.value(root, Situation, "name"), problem=result.problem)


def _near(result: SituationTold, reader: Reader, root: str) -> Iterator[Finding]:
    for guard in result.guards:
        if guard.short is not None and guard.short > 0 and guard.zone is not None:
            letter = reader.value(guard.zone, Zone, "letter")
            yield finding("SAF-307", (root, f"output {guard.output}"), guard.zone, name=_name(reader, root),
                          zone=letter, bearing=f"{guard.bearing or 0:.0f}", short=shown(ceil(guard.short)),
                          distance=shown(floor(guard.distance or 0)), needed=shown(guard.needed or 0, 6))  # fmt: skip


def _name(reader: Reader, root: str) -> str:
    return str(reader.value(root, Situation, "name"))


def _past(result: SituationTold, reader: Reader, root: str) -> Iterator[Finding]:
    """Said once a situation, where no zone that protects closes the way."""
    guards = [guard for guard in result.guards if _protects(reader, guard)]
    if guards and all(guard.past for guard in guards):
        yield finding("SAF-308", root, *(guard.zone for guard in guards if guard.zone), name=_name(reader, root))


def _behind(result: SituationTold, reader: Reader, root: str) -> Iterator[Finding]:
    for guard in result.guards:
        if guard.behind and not guard.past and not _by_itself(reader, guard):
            yield finding("SAF-309", (root, f"output {guard.output}"), name=_name(reader, root))


def _behind_alone(result: SituationTold, reader: Reader, root: str) -> Iterator[Finding]:
    for guard in result.guards:
        function = _by_itself(reader, guard)
        if guard.behind and not guard.past and function:
            yield finding("SAF-310", (root, f"output {guard.output}"), (function.id, "settings.restart"),
                          name=_name(reader, root), function=function.name)  # fmt: skip


def _by_itself(reader: Reader, guard: GuardTold) -> SafetyFunction | None:
    functions = (reader.row(reader.value(one, SafetyPart, "function"), SafetyFunction) for one in guard.parts)
    return next((one for one in functions if one.settings.get("restart") == "self"), None)


def _scans(result: ScannerTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.scans < LEAST_SCANS:
        yield finding("SAF-311", (root, "settings.scans"), name=reader.value(root, Scanner, "name"))


def _refused(result: ScannerTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.refused:
        yield finding("SAF-312", (root, "settings.height"), (root, "settings.resolution"),
                      name=reader.value(root, Scanner, "name"), why=result.refused.rstrip("."))  # fmt: skip


def _crawls(result: ScannerTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.rule == "parallel" and result.height > CRAWLS_MM:
        yield finding("SAF-313", (root, "settings.height"), name=reader.value(root, Scanner, "name"),
                      height=shown(result.height))  # fmt: skip


def _no_contour(result: ScannerTold, reader: Reader, root: str) -> Iterator[Finding]:
    settings = reader.value(root, Scanner, "settings")
    if settings.get("application") == "vertical" and settings.get("contour") is not True:
        yield finding("SAF-314", (root, "settings.contour"), name=reader.value(root, Scanner, "name"))


def _untold(result: SituationTold, reader: Reader, root: str) -> Iterator[Finding]:
    for guard in result.guards:
        if _protects(reader, guard) and guard.needed is None and guard.missing:
            yield finding("SAF-315", (root, f"output {guard.output}"), name=_name(reader, root), output=guard.output,
                          missing=guard.missing.rstrip("."))  # fmt: skip


def _late(result: SituationTold, reader: Reader, root: str) -> Iterator[Finding]:
    row = reader.row(root, Situation)
    if "lead_ms" not in row.settings:
        return
    lead, needed = number_at(row.settings, "lead_ms"), result.lead_ms
    if lead < needed:
        yield finding("SAF-316", (root, "settings.lead_ms"), name=row.name, lead=shown(lead), needed=shown(needed))


SCANNER_CHECKS: tuple[Check, ...] = (
    Check("SAF-301", _ZONE, "safety", "error", "Zone that is no area", "Zone {name} {problem}.",
          "A scanner watches an area from one edge to the next; this has none, or two.", _no_area),
    Check("SAF-302", _ZONE, "safety", "warning", "Zone beyond what is seen",
          "{area} m² of zone {name} lie where the scanner does not see.",
          "Behind a wall, beside its angle or behind a gap in the zone nobody is noticed.", _unseen, "IEC 61496-3"),
    Check("SAF-303", _ZONE, "safety", "error", "Zone beyond the range",
          "Zone {name} goes further than the {reach} mm that the scanner sees at a resolution of {resolution} mm.",
          "Further out it does not surely notice what is as small as that.", _beyond, "IEC 61496-3"),
    Check("SAF-304", _ZONE, "safety", "note", "Zone in no situation", "Nothing answers to zone {name}.",
          "It is watched in no situation.", _unused),
    Check("SAF-305", _SITUATION, "safety", "error", "Situation without a protective zone",
          "No output answers to a protective zone while {name} is selected.", "Whoever comes then stops nothing.",
          _unprotected),
    Check("SAF-306", _SITUATION, "safety", "error", "Situation that is not selected alone", "{name} {problem}.",
          "By exactly one input each, one broken wire selects none, and never another one.", _selected),
    Check("SAF-307", _SITUATION, "safety", "error", "Zone too near to the hazard",
          "{name}: at {bearing}° zone {zone} ends {distance} mm from the hazard, {short} mm less than the {needed} mm "
          "it takes to stop.", "Somebody who walks in there is at the hazard before it stands.", _near,
          "ISO 13855:2010, 6.3"),
    Check("SAF-308", _SITUATION, "safety", "error", "Hazard reached past the zone",
          "{name}: the hazard can be reached without entering a zone.",
          "Between a zone and what is fixed there is a gap that a leg passes.", _past, "ISO 13855:2010, 6"),
    Check("SAF-309", _SITUATION, "safety", "warning", "Somebody can stand behind the zone",
          "{name}: behind the zone there is room to stand unseen.",
          "Whoever resets has to look there as well.", _behind, "ISO 13849-1:2015, 5.2.2"),
    Check("SAF-310", _SITUATION, "safety", "error", "Starts again with somebody behind the zone",
          "{name}: behind the zone there is room to stand unseen, and {function} starts again by itself.",
          "It would start with somebody in there.", _behind_alone, "ISO 12100:2010, 6.3.3.2.5"),
    Check("SAF-311", _SCANNER, "safety", "error", "One scan alone confirms",
          "{name} acts on a single scan.", "A speck of dust would stop the machine, and be passed over before long.",
          _scans, "IEC 61496-3"),
    Check("SAF-312", _SCANNER, "safety", "error", "No distance for a field like this", "{name}: {why}.",
          "For such a height and resolution the standard has no distance.", _refused, "ISO 13855:2010, 6"),
    Check("SAF-313", _SCANNER, "safety", "warning", "High enough to crawl beneath",
          "The field of {name} lies {height} mm high: somebody may crawl beneath it.",
          "Above 300 mm that has to be prevented otherwise, or ruled out.", _crawls, "ISO 13855:2010, 6.3"),
    Check("SAF-314", _SCANNER, "safety", "error", "Upright field that does not watch its surroundings",
          "{name} watches an upright field and no contour around it.",
          "Moved by a knock, it would look past the opening and nobody would know.", _no_contour, "IEC 61496-3"),
    Check("SAF-315", _SITUATION, "safety", "warning", "Distance not known",
          "{name}, output {output}: {missing}.", "Whether its zone is large enough cannot be told.", _untold),
    Check("SAF-316", _SITUATION, "safety", "error", "Selected too late",
          "{name} is selected {lead} ms before the motion; until its zones answer it takes {needed} ms.",
          "The motion would begin while the zones of the situation before it are watched.", _late),
)  # fmt: skip
