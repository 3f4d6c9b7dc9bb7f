"""Findings in words, and the list of checks as a document."""

from __future__ import annotations

from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.parts import CHECKS
from highmoor.core.plant.change import Change
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Controller, Link, Module, Port, Rail

# What objects are called, by their ids.
Labels = dict[str, str]
_RANK = {"error": 0, "warning": 1, "note": 2}


def rendered(analysis: Analysis) -> list[dict[str, Any]]:
    """All findings as plain JSON, worst first."""
    known: Labels = {}
    lines = [render(analysis, found, known) for found in analysis.findings.values()]
    return sorted(lines, key=lambda line: (_RANK[line["severity"]], line["code"], line["where"], line["key"]))


def render(analysis: Analysis, found: Finding, known: Labels | None = None) -> dict[str, Any]:
    """One finding with its text, its reason and where it is; `known` keeps labels for the next."""
    check = analysis.checks.by_code[found.code]
    return {
        "key": found.key,
        "code": found.code,
        "stage": check.stage,
        "severity": check.severity,
        "title": check.title,
        "text": check.render(found),
        "reason": check.reason,
        "standard": check.standard,
        "where": label_of(analysis.plant, found.places[0].id, analysis.catalogue.find, known),
        "places": [{"id": place.id, "field": place.field} for place in found.places],
    }


def label_of(plant: Plant, row_id: str, type_of: Any, known: Labels | None = None) -> str:
    """What people call an object, with what it belongs to: "HALL, -K4", "Utilities, Humidifier, Measured".

    `known` are labels of the same plant that were made before, and this one and its owners' join them.
    """
    known = {} if known is None else known
    if row_id not in known:
        row = plant.find(row_id)
        if row is None:
            return row_id
        owner = plant.owner_of(row)
        names = (label_of(plant, owner.id, type_of, known) if owner else "", _own_name(plant, row, type_of))
        known[row_id] = ", ".join(filter(None, names))
    return known[row_id]


def called_otherwise(analysis: Analysis, change: Change, before: Plant) -> list[Finding]:
    """Findings that stay, but stand at something that is called otherwise since a change, or belongs to something
    else."""
    plant, type_of = analysis.plant, analysis.catalogue.find
    renamed = {
        row_id
        for (_, row_id), (was, now) in change.items()
        if was is not None
        and now is not None
        and (_own_name(before, was, type_of), _owner(before, was))
        != (_own_name(plant, now, type_of), _owner(plant, now))
    }
    if not renamed:
        return []
    known: dict[str, bool] = {}
    return [found for found in analysis.findings.values() if _hangs_on(plant, found.places[0].id, renamed, known)]


def _owner(plant: Plant, row: Any) -> str:
    owner = plant.owner_of(row)
    return owner.id if owner else ""


def _hangs_on(plant: Plant, row_id: str, rows: set[str], known: dict[str, bool]) -> bool:
    """Whether a row is one of these, or belongs to one."""
    if row_id not in known:
        row = plant.find(row_id)
        owner = plant.owner_of(row) if row is not None else None
        known[row_id] = row_id in rows or (owner is not None and _hangs_on(plant, owner.id, rows, known))
    return known[row_id]


def _own_name(plant: Plant, row: Any, type_of: Any) -> str:
    if isinstance(row, Module):
        device = type_of(row.type)
        return row.designation or (device.name if device else row.type)
    if isinstance(row, Port):
        return f"port {row.key}"
    if isinstance(row, Rail) and plant.find(row.head) is not None:
        return "" if row.name == "Local" else row.name
    if isinstance(row, Connection | Link):
        return ""
    if isinstance(row, Controller):
        return row.name
    return str(getattr(row, "name", row.id))


def checks_document() -> str:
    """Every check with its reason and standard, as Markdown."""
    lines = ["# Checks", "", "Generated from the checks themselves: `./highmoor checks`.", ""]
    for check in sorted(CHECKS, key=lambda c: c.code):
        lines += [f"## {check.code} {check.title}", "", f"{check.severity} · {check.stage}", "", check.reason, ""]
        if check.standard:
            lines += [f"Source: {check.standard}", ""]
    return "\n".join(lines)
