"""What the safety report of a controller says: every figure from the analysis, in words."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from django.utils.safestring import SafeString

from highmoor.core.analysis.engine import Analysis
from highmoor.core.errors import Refusal
from highmoor.core.hardware.safe_pairs import Pair, pairs_of
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import (
    Controller,
    Module,
    PlanShape,
    Proof,
    SafetyFunction,
    SafetyPart,
    Scanner,
    Signal,
    Situation,
    Zone,
)
from highmoor.core.project.reporting import label_of
from highmoor.core.project.seal_words import DifferenceInWords, in_words
from highmoor.core.project.sealing import open_errors
from highmoor.core.safety.fault_plan import FaultTold
from highmoor.core.safety.fields import places_of_controller
from highmoor.core.safety.proofs import ProofsTold, RecordTold
from highmoor.core.safety.scanner.signals import ScannerSignals
from highmoor.core.safety.scanner.told import ScannerTold, SituationTold, ZoneTold
from highmoor.core.safety.seal.canonical import grouped
from highmoor.core.safety.seal.parts import SealTold
from highmoor.core.safety.settings import BLOCKS
from highmoor.core.safety.told import FunctionTold, SegmentTold
from highmoor.server.report.drawings import DASHES, Drawn, plan, time_bar

_STOPS = {0: "0, supply off at once", 1: "1, brakes, then supply off", 2: "2, brakes, stays on"}
_SUPPLIES = {"pulsed": "by the module, pulsed", "steady": "by the module, steady", "external": "from outside"}


@dataclass(frozen=True, slots=True)
class FunctionFacts:
    """A function: its time as a bar and by segments, its level, its parts and its records."""

    name: str
    asked: str
    asked_ms: str
    stop_category: str
    restart: str
    demand: str
    response: str
    standstill: str
    missing: str
    enough_time: bool | None
    reaches: str
    pfh: str
    enough: bool | None
    bar: SafeString
    segments: tuple[SegmentTold, ...]
    fault: str
    counted: tuple[tuple[str, str, str, str], ...]
    parts: tuple[tuple[str, str, str, str], ...]
    records: tuple[tuple[str, RecordTold], ...]
    faults: tuple[FaultTold, ...]


@dataclass(frozen=True, slots=True)
class ModuleFacts:
    """A safe module with its pairs in words."""

    name: str
    where: str
    pairs: tuple[tuple[str, str, str, str, str, str], ...]


@dataclass(frozen=True, slots=True)
class SituationFacts:
    """A situation in plan, and what each of its outputs keeps away."""

    name: str
    select: str
    plan: SafeString
    outputs: tuple[dict[str, Any], ...]
    problem: str


@dataclass(frozen=True, slots=True)
class ScannerFacts:
    """A scanner: how it is set up, its zones by their corners, its situations."""

    name: str
    told: ScannerTold
    rule: str
    # What each input and output is by which signal, and how long from the program to its inputs; "" without.
    signals: tuple[tuple[str, str], ...]
    select: str
    zones: tuple[tuple[str, str, str], ...]
    situations: tuple[SituationFacts, ...]


# By which rule of the standard its distance goes, as the figure tells them apart.
_RULES: dict[str, str] = {
    "parallel": "field parallel to the floor", "normal_2000": "upright field", "normal_1600": "upright field",
    "normal_850": "upright field that sees an arm, not a hand",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class ReportFacts:
    """All of the report."""

    controller: str
    seal: SealTold
    fingerprint: str
    devices: tuple[tuple[str, str, str], ...]
    differences: tuple[DifferenceInWords, ...]
    functions: tuple[FunctionFacts, ...]
    modules: tuple[ModuleFacts, ...]
    scanners: tuple[ScannerFacts, ...]
    errors: tuple[str, ...]
    open: tuple[str, ...]


def facts_of(analysis: Analysis, controller: Controller, open_ones: Iterable[str]) -> ReportFacts:
    """What there is to say of a controller, with what is open."""
    seal: SealTold | None = analysis.result("controller.seal", controller.id)
    if seal is None:
        raise Refusal("The seal could not be computed; the findings say where.", place=controller.id)
    plant = analysis.plant
    return ReportFacts(
        controller.name, seal, grouped(seal.fingerprint),
        tuple((one.name, grouped(one.hash), one.state) for one in seal.devices),
        tuple(in_words(analysis, seal.differences)),
        tuple(_function(analysis, one) for one in plant.children(SafetyFunction, controller.id)
              if analysis.result("function.proofs", one.id) is not None),
        tuple(_modules(analysis, controller)),
        tuple(_scanner(analysis, one) for one in plant.children(Scanner, controller.id)
              if analysis.result("scanner.told", one.id) is not None),
        tuple(open_errors(analysis, analysis.result("controller.covered", controller.id))),
        tuple(open_ones),
    )  # fmt: skip


def _ms(value: float | None) -> str:
    return "not known" if value is None else f"{shown(value, 5)} ms"


def _per_hour(value: float | None) -> str:
    """Failures as they are written in the trade: 2.02·10⁻⁹."""
    if value is None:
        return "not known"
    digits, _, power = f"{value:.2e}".partition("e")
    return f"{digits}·10{str(int(power)).translate(_RAISED)}" if value else "0"


_RAISED = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")


def _function(analysis: Analysis, row: SafetyFunction) -> FunctionFacts:
    told: FunctionTold = analysis.result("function.told", row.id)
    proofs: ProofsTold = analysis.result("function.proofs", row.id)
    time, level = told.time, told.level
    parts = analysis.plant.children(SafetyPart, row.id)
    demand, asked_ms = row.settings.get("demand_per_h"), None if row.asked_ms is None else float(row.asked_ms)
    pfh = f"{'at least ' if level.at_least else ''}{_per_hour(level.pfh)} an hour"
    counted = tuple((one.label, one.fails, one.level, _per_hour(one.pfh)) for one in level.counted)
    reaches = f"PL {level.level}" if level.level else "no level"
    return FunctionFacts(
        row.name, row.asked or "nothing", "nothing" if asked_ms is None else _ms(asked_ms),
        _STOPS[int(row.settings.get("stop_category", 0))],
        "by itself" if row.settings.get("restart") == "self" else "when reset by hand",
        "not given" if demand is None else f"{shown(demand)} times an hour", _ms(time.response_ms), _ms(time.total_ms),
        ", ".join(time.missing),
        None if time.total_ms is None or asked_ms is None else time.total_ms <= asked_ms,
        f"{reaches}, SIL {level.sil}" if level.sil else reaches, pfh, level.enough, time_bar(time, asked_ms),
        time.segments, _ms(time.fault_ms), counted, tuple(_part(analysis, one) for one in parts),
        tuple((part.name, one) for part in parts for one in proofs.records.get(part.id, ())),
        analysis.result("function.faults", row.id),
    )  # fmt: skip


def _part(analysis: Analysis, row: SafetyPart) -> tuple[str, str, str, str]:
    block = BLOCKS[row.role].get(row.block)
    place = label_of(analysis.plant, row.place, analysis.catalogue.find) if row.place else "nothing"
    return row.role, row.name, block.label if block else "", f"{place} {row.key}".strip()


def _modules(analysis: Analysis, controller: Controller) -> Iterator[ModuleFacts]:
    for module, device in places_of_controller(analysis.plant, analysis.catalogue, controller.id):
        where = label_of(analysis.plant, module.id, analysis.catalogue.find)
        yield ModuleFacts(device.name, where, tuple(_pair(pair) for pair in _pairs(module, device)))


def _pairs(module: Module, device: Any) -> list[Pair]:
    return [pair for pair in pairs_of(device, module.settings) if pair.inward]


def _pair(pair: Pair) -> tuple[str, str, str, str, str, str]:
    taken = "each alone" if not pair.together else "antivalent" if pair.antivalent else "equivalent"
    return (
        pair.called, taken, f"{shown(pair.discrepancy_ms)} ms" if pair.together else "–", f"{shown(pair.filter_ms)} ms",
        _SUPPLIES[pair.supply], "looked for" if pair.cross_circuit else "not looked for",
    )  # fmt: skip


def _scanner(analysis: Analysis, row: Scanner) -> ScannerFacts:
    told: ScannerTold = analysis.result("scanner.told", row.id)
    zones = sorted(analysis.plant.children(Zone, row.id), key=lambda one: one.letter)
    all_told = {zone.id: analysis.result("zone.told", zone.id) for zone in zones}
    drawn = {zone: one for zone, one in all_told.items() if one is not None}
    zones = [zone for zone in zones if zone.id in drawn]
    said = tuple((zone.letter, zone.kind, _corners(drawn[zone.id])) for zone in zones)
    situations = tuple(_situation(analysis, told, one, zones, drawn)
                       for one in analysis.plant.children(Situation, row.id))  # fmt: skip
    signals: ScannerSignals | None = analysis.result("scanner.signals", row.id)
    select = f"{shown(signals.select_ms, 4)} ms" if signals and signals.select_ms else ""
    named = tuple(_named(analysis, signals)) if signals else ()
    return ScannerFacts(row.name, told, _RULES.get(told.rule, ""), named, select, said, situations)


def _named(analysis: Analysis, signals: ScannerSignals) -> Iterator[tuple[str, str]]:
    ends = [(f"input {one.number}", one.signal) for one in signals.inputs]
    ends += [("enable", signals.enable), *((f"output {one.number}", one.signal) for one in signals.outputs)]
    for label, signal in ends:
        if signal is not None:
            yield label, analysis.plant.get(signal, Signal).name


def _corners(zone: ZoneTold) -> str:
    if zone.problem:
        return zone.problem
    return " · ".join(f"{round(x)}, {round(y)}" for x, y in zone.drawn).replace("-", "−")


def _situation(
    analysis: Analysis, scanner: ScannerTold, row: Situation, zones: list[Zone], drawn: dict[str, ZoneTold]
) -> SituationFacts:  # fmt: skip
    told: SituationTold = analysis.result("situation.told", row.id) or SituationTold(
        (), (), "could not be computed", 0.0
    )
    letters = {zone.id: zone.letter for zone in zones}
    dashes = {zone.id: DASHES[n % len(DASHES)] for n, zone in enumerate(zones)}
    around = [
        Drawn((tuple((float(x), float(y)) for x, y in shape.settings.get("points", ())),), shape.kind, closed=False)
        for shape in analysis.plant.children(PlanShape, row.scanner) if shape.kind != "hazard"
    ]  # fmt: skip
    # A file from outside may have named another scanner's zone.
    watched = [Drawn(drawn[zone].watched, f"zone|{dashes[zone]}") for zone in
               (guard.zone for guard in told.guards) if zone is not None and zone in drawn]  # fmt: skip
    outputs = tuple(
        {
            "output": guard.output, "zone": letters.get(guard.zone or "", "none"), "standstill": _ms(guard.total_ms),
            "needed": "not known" if guard.needed is None else f"{shown(guard.needed, 6)} mm",
            "distance": "–" if guard.distance is None else f"{guard.distance:.0f} mm",
            "short": _short(guard.short), "bearing": "–" if guard.bearing is None else f"{guard.bearing:.0f}°",
            "past": guard.past, "behind": bool(guard.behind), "missing": guard.missing,
            "walked": [one for one in analysis.plant.children(Proof, row.id)
                       if one.kind == "walk" and one.data.get("output") == guard.output],
        }
        for guard in told.guards
    )  # fmt: skip
    return SituationFacts(
        row.name, row.select or "nothing", plan(scanner, told, around, watched), outputs, told.problem
    )


def _short(short: float | None) -> str:
    if short is None:
        return "–"
    return f"{short:.1f} mm too near" if short > 0 else f"{-short:.1f} mm over"
