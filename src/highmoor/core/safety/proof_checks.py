"""What the records of a safety function say against it: a longer stop, a test that failed, what is overdue."""

from __future__ import annotations

from collections.abc import Iterator

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.numbers import exact, number_at, shown
from highmoor.core.plant.rows import SafetyPart
from highmoor.core.safety.proofs import ProofsTold
from highmoor.core.safety.settings import BRAKING

_TOLD = "function.proofs"


def reckoned_ms(part: SafetyPart) -> float:
    """What an actuator's stop is reckoned with, from where it begins to act to standstill, ms."""
    return number_at(part.settings, "stop_ms") + (number_at(part.settings, "delay_ms") if part.block in BRAKING else 0)


def _longer(result: ProofsTold, reader: Reader, root: str) -> Iterator[Finding]:
    for part in reader.children(SafetyPart, root):
        last = next((one for one in result.records[part.id] if one.kind == "stop-time" and one.counts), None)
        if last is None or last.value_ms is None or "stop_ms" not in part.settings:
            continue
        if exact(last.value_ms) > exact(reckoned_ms(part)):
            yield finding("SAF-125", (part.id, "settings.stop_ms"), name=part.name, value=shown(last.value_ms, 5),
                          day=last.at, reckoned=shown(reckoned_ms(part), 5))  # fmt: skip


def _assumed(result: ProofsTold, reader: Reader, root: str) -> Iterator[Finding]:
    """Nothing on site says how long it takes; said once a function."""
    names = [one.name for one in result.due if one.kind == "stop-time" and not one.last]
    if names:
        called = names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
        yield finding("SAF-126", root, names=called)


def _overdue(result: ProofsTold, reader: Reader, root: str) -> Iterator[Finding]:
    for one in result.due:
        if one.state == "overdue":
            what = {"stop-time": "the stop time has to be measured again", "test": "it has to be tested",
                    "replaced": "it has to be replaced"}[one.kind]  # fmt: skip
            yield finding("SAF-127", (one.part, one.kind), name=one.name, what=what, day=one.due)


def _failed(result: ProofsTold, reader: Reader, root: str) -> Iterator[Finding]:
    for part in reader.children(SafetyPart, root):
        last = next((one for one in result.records[part.id] if one.kind == "test" and one.counts), None)
        if last is not None and last.result == "failed":
            yield finding("SAF-128", (part.id, "test"), name=part.name, day=last.at)


def _changed(result: ProofsTold, reader: Reader, root: str) -> Iterator[Finding]:
    for one in result.due:
        if one.state == "changed":
            yield finding("SAF-131", (one.part, one.kind), name=one.name, day=one.last,
                          what="stop time" if one.kind == "stop-time" else "test")  # fmt: skip


PROOF_CHECKS: tuple[Check, ...] = (
    Check(
        "SAF-125", _TOLD, "safety", "error", "Stops later than reckoned with",
        "{name} took {value} ms to stop when it was measured on {day}; {reckoned} ms are reckoned with.",
        "Distances and times to standstill rely on the shorter one.", _longer, "ISO 13855:2010, Annex D",
    ),
    Check(
        "SAF-126", _TOLD, "safety", "note", "Stop time never measured",
        "No record on site says how long it takes {names} to stop.",
        "What is reckoned with is only expected, until ten stops were measured.", _assumed, "ISO 13855:2010, Annex D",
    ),
    Check(
        "SAF-127", _TOLD, "safety", "warning", "Overdue",
        "{name}: {what}, since {day}.", "What wears or is seldom used is only as good as its last test.", _overdue,
        "ISO 14119:2013, 8.2",
    ),
    Check(
        "SAF-128", _TOLD, "safety", "error", "Failed its test",
        "{name} failed its test on {day}.", "Until it passes one it cannot be relied on.", _failed,
    ),
    Check(
        "SAF-131", _TOLD, "safety", "warning", "Changed since it was proved",
        "{name}: what its {what} of {day} was done with has changed since.",
        "A record is of what stood there then. Prove it again, or take the change back.", _changed,
    ),
)  # fmt: skip
