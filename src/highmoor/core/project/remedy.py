"""What a remedy is, and the two ways most of them are made: fields to set, and trying whether it helps."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.errors import Refusal
from highmoor.core.project import edits
from highmoor.core.project.consequences import preview

Hand = Literal[
    "in the project",
    "by hand at the device",
    "in the project, and by hand in the cabinet",
    "in the project, and by hand at the machine",
]


@dataclass(frozen=True, slots=True)
class Remedy:
    """What mends a finding, by whose hand. `edit` is None for what only hands can do."""

    label: str
    hand: Hand
    edit: edits.Edit | None = None
    restart: bool = False


def set_fields(label: str, row_id: str, **values: Any) -> Remedy:
    """Set fields of one object; `__` in a name stands for the dot of its path."""
    fields = {key.replace("__", "."): value for key, value in values.items()}
    return Remedy(label, "in the project", edits.SetFields(ids=[row_id], values=fields))


def tried(analysis: Analysis, found: Finding, remedy: Remedy) -> Remedy | None:
    """The remedy, if it is not refused, its finding goes by it and no new error comes."""
    if remedy.edit is None:
        return None
    try:
        _, told = preview(analysis, remedy.edit)
    except Refusal:
        return None
    severities = {analysis.checks.by_code[added.code].severity for added in told.added}
    return remedy if found.key in {gone.key for gone in told.gone} and "error" not in severities else None
