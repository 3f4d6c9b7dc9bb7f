"""A part that could not be computed: said as a finding, so that the plant opens and everything else works."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from highmoor.core.analysis.findings import Check, Finding, Stage, finding

_STAGES: dict[Stage, tuple[str, frozenset[str]]] = {
    "hardware": ("HW-190", frozenset({"controllers", "ports", "tasks", "rails", "modules", "types", "spares"})),
    "networks": ("NET-190", frozenset({"networks", "stations", "connections", "exchanges"})),
    "signals": ("SIG-190", frozenset({"signals", "links"})),
    "motion": ("MOT-190", frozenset({"command_profiles", "robots", "axes", "uses", "chain_links", "moves"})),
    "safety": (
        "SAF-190",
        frozenset(
            {
                "functions",
                "safety_parts",
                "proofs",
                "seals",
                "scanners",
                "situations",
                "zones",
                "plan_shapes",
                "zone_uses",
            }
        ),
    ),
}


def could_not_compute(stage: Stage | None, table: str, part: str, root: str) -> Finding:
    """The finding at a root whose part broke. Parts of one root that break are told apart by their names."""
    of_table: Stage = next((each for each, (_, tables) in _STAGES.items() if table in tables), "hardware")
    code, _ = _STAGES[stage or of_table]
    return finding(code, (root, f"part {part}"), part=part)


def _nothing(*_: Any) -> Iterator[Finding]:
    return iter(())


CHECKS: tuple[Check, ...] = tuple(
    Check(
        code, (), stage, "error", "Could not be computed",
        "“{part}” could not be computed here: an error in Highmoor itself. Everything else is as it should be.",
        "What is set here is something Highmoor has not met before. Undo the latest change here, or set it otherwise; "
        "the plant as a file helps to mend the error.",
        _nothing,
    )
    for stage, (code, _) in _STAGES.items()
)  # fmt: skip
