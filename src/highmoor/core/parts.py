"""Everything that is computed of a plant, in one list: the parts and the checks on them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from highmoor.core.analysis import failures
from highmoor.core.analysis.engine import Analysis, OnFailure, Part, ignored
from highmoor.core.analysis.findings import Check, Checks
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.collecting import uncollected
from highmoor.core.hardware import addressing, ports, wiring, wiring_checks
from highmoor.core.hardware import checks as hardware_checks
from highmoor.core.hardware import parts as hardware_parts
from highmoor.core.motion import axes, handing_over, homing, steppers, words
from highmoor.core.motion import checks as motion_checks
from highmoor.core.motion.homing_checks import HOMING_CHECKS
from highmoor.core.motion.robots import parts as robot_parts
from highmoor.core.motion.robots.checks import ROBOT_CHECKS
from highmoor.core.networks import FIELDBUSES, cables, claims, on_demand_checks, parked, partner_checks, tree_checks
from highmoor.core.networks import parts as network_parts
from highmoor.core.networks.io_link import checks as port_checks
from highmoor.core.networks.lines import kind_at
from highmoor.core.networks.parked import silent_while_parked
from highmoor.core.plant.plant import Plant
from highmoor.core.safety import document as safety_document
from highmoor.core.safety import fault_plan
from highmoor.core.safety import functions as safety_functions
from highmoor.core.safety import pairs as safe_pairs
from highmoor.core.safety import proofs as safety_proofs
from highmoor.core.safety.checks import FUNCTION_CHECKS
from highmoor.core.safety.pair_checks import PAIR_CHECKS
from highmoor.core.safety.part_checks import PART_CHECKS
from highmoor.core.safety.proof_checks import PROOF_CHECKS
from highmoor.core.safety.scanner import parts as scanner_parts
from highmoor.core.safety.scanner import signals as scanner_signals
from highmoor.core.safety.scanner import walk as scanner_walk
from highmoor.core.safety.scanner.checks import SCANNER_CHECKS
from highmoor.core.safety.seal import parts as seal_parts
from highmoor.core.signals import checks as signal_checks
from highmoor.core.signals import (
    holders,
    hops,
    image,
    image_views,
    linked,
    path,
    places,
    programs,
    response,
    variables_told,
)

PARTS: tuple[Part, ...] = (
    *ports.PARTS,
    *hardware_parts.PARTS,
    *wiring.PARTS,
    *network_parts.PARTS,
    *parked.PARTS,
    *cables.PARTS,
    *claims.PARTS,
    *(part for bus in FIELDBUSES for part in bus.parts),
    *places.PARTS,
    *image.PARTS,
    *image_views.PARTS,
    *linked.PARTS,
    *programs.PARTS,
    *holders.PARTS,
    *hops.PARTS,
    *path.PARTS,
    *response.PARTS,
    *signal_checks.PARTS,
    *variables_told.PARTS,
    *axes.PARTS,
    *words.PARTS,
    *handing_over.PARTS,
    *homing.PARTS,
    *steppers.PARTS,
    *robot_parts.PARTS,
    *safe_pairs.PARTS,
    *safety_functions.PARTS,
    *safety_proofs.PARTS,
    *scanner_parts.PARTS,
    *scanner_walk.PARTS,
    *scanner_signals.PARTS,
    *safety_document.PARTS,
    *fault_plan.PARTS,
    *seal_parts.PARTS,
)

_ON_NETWORKS = {part.key for part in PARTS if part.table in ("networks", "stations", "connections", "exchanges")}


def _of_fieldbuses() -> Iterator[Check]:
    """The checks of all fieldbuses; what looks at something of a network is asked of those who list it."""
    listed: dict[str, tuple[Check, list[str]]] = {}
    for bus in FIELDBUSES:
        for check in bus.checks:
            listed.setdefault(check.code, (check, []))[1].append(bus.key)
    for check, keys in listed.values():
        looks_at = {check.part} if isinstance(check.part, str) else set(check.part)
        yield replace(check, kinds=tuple(keys)) if looks_at <= _ON_NETWORKS else check


CHECKS: tuple[Check, ...] = (
    *failures.CHECKS,
    *hardware_checks.CHECKS,
    *wiring_checks.CHECKS,
    *addressing.CHECKS,
    *parked.CHECKS,
    *(
        silent_while_parked(check)
        for check in (
            *network_parts.CHECKS,
            *tree_checks.CHECKS,
            *partner_checks.CHECKS,
            *on_demand_checks.CHECKS,
            *port_checks.CHECKS,
            *_of_fieldbuses(),
        )
    ),
    *image.CHECKS,
    *signal_checks.CHECKS,
    *programs.CHECKS,
    *variables_told.CHECKS,
    *motion_checks.CHECKS,
    *HOMING_CHECKS,
    *ROBOT_CHECKS,
    *FUNCTION_CHECKS,
    *PART_CHECKS,
    *PAIR_CHECKS,
    *PROOF_CHECKS,
    *SCANNER_CHECKS,
    *scanner_signals.SIGNAL_CHECKS,
    *seal_parts.SEAL_CHECKS,
)


def analyse(plant: Plant, catalogue: Catalogue, on_failure: OnFailure = ignored) -> Analysis:
    """The plant analysed from scratch, ready to be kept current by Changes; `on_failure` hears of parts that break."""
    with uncollected():
        return Analysis(plant, catalogue, PARTS, Checks(CHECKS, kind_at), on_failure)
