"""Which faults to try of each part of a function, and what each has to lead to.

Source: ISO 13849-2:2012, Annex D (conductors: short and open circuit, short to a supply; contacts that do not open).
What is expected follows from how the part is evaluated; a test on the bench holds it to that.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.hardware.safe_pairs import Pair
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Proof, SafetyPart, Use
from highmoor.core.safety.lanes import wired_to
from highmoor.core.safety.proofs import changed_of, counts, when

# When a fault makes itself felt: as soon as it is there, when there is a demand, or not at all.
When = Literal["at once", "on a demand", "never"]
# By which key, and by which command of the bench with which value.
_DEEDS: dict[str, tuple[str, str]] = {
    "open-a": ("fault-a", "broken"), "open-b": ("fault-b", "broken"), "short-a": ("fault-a", "shorted"),
    "short-b": ("fault-b", "shorted"), "stuck-a": ("fault-a", "stuck"), "stuck-b": ("fault-b", "stuck"),
    "cross": ("cross", ""), "welded": ("weld", ""),
}  # fmt: skip
FAULTS = frozenset(_DEEDS)
_LABELS = {
    "open-a": "Wire 1 broken", "open-b": "Wire 2 broken",
    "short-a": "Wire 1 at the supply", "short-b": "Wire 2 at the supply",
    "stuck-a": "Contact 1 stuck", "stuck-b": "Contact 2 stuck",
    "cross": "Wires shorted", "welded": "Does not drop out",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a fault leads to: when it stops the function, when it is told and kept from starting again."""

    stops: When
    told: When


@dataclass(frozen=True, slots=True)
class FaultTold:
    """A fault to try: what has to happen, and the last record on site and on the bench, "" for none. `do` and `value`
    are how the bench does it. `dangerous`: it takes the function away and nobody is told."""

    part: str
    name: str
    key: str
    label: str
    expected: str
    dangerous: bool
    do: str
    value: str
    site: Literal["", "passed", "failed"]
    bench: Literal["", "passed", "failed"]
    last: str
    by: str


def outcomes(pair: Pair, *, tests_itself: bool) -> dict[str, Outcome]:
    """Of a sensor at a pair, or alone at one of its channels: by the key of each fault what it leads to."""
    pulses = pair.cross_circuit and pair.supply == "pulsed"
    off, unseen = Outcome("at once", "never"), Outcome("never", "never")
    if not pair.together:
        short = off if tests_itself else Outcome("at once", "at once") if pulses else unseen
        stuck = {} if tests_itself else {"stuck-a": unseen}
        return {"open-a": off, "short-a": short, **stuck}
    if tests_itself:
        # What shorts its outputs it finds by itself, and takes both away.
        broken = Outcome("at once", "at once")
        return {"open-a": broken, "open-b": broken, "short-a": off, "short-b": off, "cross": off}
    now, later = Outcome("at once", "at once"), Outcome("on a demand", "on a demand")
    # An antivalent second channel is off at rest: open it stays as it is, shorted it is on.
    second_open, second_short = (later, now) if pair.antivalent else (now, later)
    crossed = now if pulses or pair.antivalent else Outcome("on a demand", "never")
    return {
        "open-a": now, "open-b": second_open, "short-a": now if pulses else later,
        "short-b": now if pulses else second_short, "cross": crossed, "stuck-a": later, "stuck-b": later,
    }  # fmt: skip


def in_words(outcome: Outcome, pair: Pair | None) -> str:
    """What has to be seen."""
    if outcome.stops == "never":
        return "a demand does not stop it any more"
    begins = "stops at once" if outcome.stops == "at once" else "still stops on a demand"
    if outcome.told == "never":
        return f"{begins}, no fault told"
    within = f" within {shown(pair.discrepancy_ms)} ms" if pair and pair.together and outcome.told != "at once" else ""
    return f"{begins}, fault told{within}"


def _told(reader: Reader, root: str) -> tuple[FaultTold, ...]:
    return tuple(one for part in reader.children(SafetyPart, root) for one in _of(reader, part))


def _of(reader: Reader, part: SafetyPart) -> Iterator[FaultTold]:
    plan = dict(_plan(reader, part))
    proofs = [one for one in reader.children(Proof, part.id) if one.kind == "fault" and not one.voided]
    changed = changed_of(reader, proofs)
    standing = [one for one in proofs if one.id not in changed]
    for key, (expected, dangerous) in plan.items():
        own = sorted((one for one in standing if one.data.get("fault") == key), key=when)
        site = [one for one in own if counts(one)]
        bench = [one for one in own if one.where == "bench"]
        do, value = _DEEDS[key]
        yield FaultTold(
            part.id, part.name, key, _LABELS[key], expected, dangerous, do, value, _last(site), _last(bench),
            site[-1].at if site else "", site[-1].by if site else "",
        )  # fmt: skip


def _last(proofs: list[Proof]) -> Literal["", "passed", "failed"]:
    return proofs[-1].result if proofs else ""


def _plan(reader: Reader, part: SafetyPart) -> Iterator[tuple[str, tuple[str, bool]]]:
    if part.role == "sensor":
        wired = wired_to(reader, part)
        if wired is None or not wired.pair.inward:
            return
        for key, outcome in _outcomes(part, wired.pair).items():
            yield key, (in_words(outcome, wired.pair), outcome.stops == "never")
    elif part.block in ("contactor", "valve"):
        watched = any(use.role == "feedback" for use in reader.children(Use, part.id))
        expected = "told by its feedback, does not start again" if watched else "nothing tells it"
        yield "welded", (expected, not watched)


def _outcomes(part: SafetyPart, pair: Pair) -> dict[str, Outcome]:
    return outcomes(pair, tests_itself=part.settings.get("pulsed") is True)


def not_tried(faults: Iterable[FaultTold]) -> dict[str, tuple[int, int]]:
    """By part how many of its faults were not tried on site with the result that is expected, and how many it has."""
    open_of: dict[str, tuple[int, int]] = {}
    for one in faults:
        tried, every = open_of.get(one.name, (0, 0))
        open_of[one.name] = (tried + (one.site != "passed"), every + 1)
    return open_of


PARTS: tuple[Part, ...] = (Part("function.faults", "functions", _told, shown=tuple[FaultTold, ...], asked=True),)
