"""What mends a fault of a program's text: a sign that is missing, or a name that was meant."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from difflib import get_close_matches

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.plant.rows import Program
from highmoor.core.project.remedy import Remedy, set_fields
from highmoor.core.signals.programs import ControllerScope, FaultTold, FixTold, ProgramTold

# How alike two names are that may be one (0 to 1): a letter too many in five, two letters turned round.
_ALIKE = 0.75


def fix_of(fault: FaultTold, names: Iterable[str]) -> FixTold | None:
    """What mends it; the nearest of the names for one that nobody knows."""
    if fault.fix is not None or not fault.unknown:
        return fault.fix
    by_small = {name.lower(): name for name in names}
    near = get_close_matches(fault.unknown.lower(), by_small, 1, _ALIKE)
    return FixTold(fault.line, fault.column, len(fault.unknown), by_small[near[0]]) if near else None


def fixed(text: str, fix: FixTold) -> str:
    """The text with it mended."""
    lines = text.split("\n")
    line = lines[fix.line - 1]
    lines[fix.line - 1] = line[: fix.column - 1] + fix.by + line[fix.column - 1 + fix.letters :]
    return "\n".join(lines)


def fix_in_words(text: str, fix: FixTold) -> str:
    """What the mend does, as a button says it."""
    was = text.split("\n")[fix.line - 1][fix.column - 1 : fix.column - 1 + fix.letters]
    return f"Write “{fix.by}” for “{was}”" if was else f"Put “{fix.by}” there"


def _translatable(analysis: Analysis, found: Finding) -> Remedy | None:
    program = analysis.plant.get(found.places[0].id, Program)
    told: ProgramTold = analysis.result("program.checked", program.id)
    known: ControllerScope = analysis.result("controller.scope", program.controller)
    fix = fix_of(told.faults[0], (one.name for one in known.signals)) if told.faults else None
    if fix is None:
        return None
    return set_fields(
        f"{fix_in_words(program.text, fix)} in line {fix.line}", program.id, text=fixed(program.text, fix)
    )


PROGRAM_REMEDIES: Mapping[str, Callable[[Analysis, Finding], Remedy | None]] = {"SIG-201": _translatable}
