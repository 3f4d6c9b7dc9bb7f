"""Records of what was measured, tested and replaced, and what of it is due when.

Sources: ISO 13855:2010, Annex D (stop times); ISO 14119:2013, 8.2 (tests of guards that are seldom opened); ISO
13849-1:2015, C.4.2 (T10D). A record on the bench is a rehearsal: it makes nothing less due.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.days import days_after, days_from, months_after
from highmoor.core.figures.safety.failures import HOURS_A_YEAR
from highmoor.core.figures.safety.stop_time import StopTime, stop_time
from highmoor.core.numbers import exact, fraction_at, shown
from highmoor.core.plant.rows import Axis, Controller, Proof, SafetyFunction, SafetyPart, Situation
from highmoor.core.safety.failing import MISSION_YEARS
from highmoor.core.safety.seal.plain import ReaderSight
from highmoor.core.safety.seal.rests import rests_on
from highmoor.core.safety.settings import ASKED
from highmoor.core.safety.told import FunctionTold

USUAL_STOP_TIME_MONTHS = 12
# Of a field of an area scanner, with its test piece (IEC/TS 62046, 5.7: at least yearly).
FIELD_MONTHS = 12
# So much sooner it is said that something will be due.
SOON_DAYS = 30
_DAYS_A_YEAR = 365

DueState = Literal["never", "changed", "overdue", "soon", "in time", "unknown"]


@dataclass(frozen=True, slots=True)
class RecordTold:
    """A record as it is read: of a stop time with what its readings come to, ms. `counts` where it stands on site and
    holds; `changed` where what it rests on is another by now."""

    id: str
    kind: str
    where: str
    at: str
    by: str
    result: str
    voided: str
    counts: bool
    changed: bool = False
    value_ms: float | None = None
    mean_ms: float | None = None
    deviation_ms: float | None = None
    readings: int = 0


@dataclass(frozen=True, slots=True)
class DueTold:
    """Something that has to be done again and again to a part: `of` what its records are kept of, `every` in words,
    the last time it was done on site and when it is due, ISO 8601; "" for never."""

    part: str
    of: str
    name: str
    kind: Literal["stop-time", "test", "replaced"]
    label: str
    every: str
    last: str
    due: str
    state: DueState


@dataclass(frozen=True, slots=True)
class ProofsTold:
    """What is due of a safety function, and the records of its parts, the latest first."""

    due: tuple[DueTold, ...]
    records: dict[str, tuple[RecordTold, ...]]


def measured(proof: Proof) -> StopTime | None:
    """What a record's readings come to; None of one that is of no stop time."""
    if proof.kind != "stop-time":
        return None
    return stop_time([exact(value) for value in proof.data.get("readings_ms", ())])


def recorded_at(part: SafetyPart, axis: Axis | None, kind: str) -> str:
    """What a part's records are kept of: a stop time of the axis that is stopped, all else of the part itself."""
    return axis.id if kind == "stop-time" and axis is not None else part.id


def axis_of(reader: Reader, part: SafetyPart) -> Axis | None:
    """The axis that an actuator stops, where that is in the plant."""
    row = reader.find(part.device)
    return row if isinstance(row, Axis) else None


def proofs_of(reader: Reader, part: SafetyPart) -> Iterator[Proof]:
    """All records that speak of a part: its own, its axis's, and those of the same thing in other functions."""
    same = [part]
    if part.place is not None and part.key:
        others = reader.referring(SafetyPart, "place", part.place)
        same += [one for one in others if one.id != part.id and _same_thing(one, part)]
    axis = axis_of(reader, part)
    for owner in (axis.id if axis else None, *(one.id for one in same)):
        if owner is not None:
            yield from reader.children(Proof, owner)


def _same_thing(one: SafetyPart, other: SafetyPart) -> bool:
    """An actuator that is in the plant is told by what it is; all else by where it is wired."""
    if one.role != other.role or one.block != other.block or one.key != other.key:
        return False
    return one.device == other.device and (one.role == "sensor" or one.device is not None or one.name == other.name)


def latest(proofs: Iterable[Proof], kind: str, today: str = "") -> Proof | None:
    """The last of a kind that stands on site; of one day the one that was recorded last."""
    held = [p for p in proofs if p.kind == kind and counts(p) and (not today or p.at <= today)]
    return max(held, key=when, default=None)


def changed_of(reader: Reader, proofs: Iterable[Proof]) -> set[str]:
    """The ids of those records that rest on what is another than when they were made.

    One from before that was kept is taken to hold; what was replaced is replaced whatever changes around it. What they
    rest on is gone through once, however many there are.
    """
    now: dict[str, str] = {}
    changed: set[str] = set()
    for proof in proofs:
        kept = proof.data.get("rests_on")
        of: Axis | SafetyPart | Situation | None = reader.find(proof.of)
        if not kept or of is None or proof.kind == "replaced":
            continue
        if proof.of not in now:
            now[proof.of] = rests_on(ReaderSight(reader), of)
        if now[proof.of] != kept:
            changed.add(proof.id)
    return changed


def counts(proof: Proof) -> bool:
    """Whether a record stands, and is of the site."""
    return proof.where == "site" and not proof.voided


def test_months(part: SafetyPart, asked: str, demand_per_h: Fraction | None) -> int | None:
    """After how many months a sensor has to be tested; None where its use does that, or nothing asks for it."""
    own = fraction_at(part.settings, "check_months")
    if own is not None:
        return int(own) or None
    if part.block == "espe":
        return FIELD_MONTHS
    months = {"e": 1, "d": 12}.get(asked)
    if part.block != "guard" or months is None:
        return None
    a_period = Fraction(HOURS_A_YEAR, 12) * months
    return months if demand_per_h is None or demand_per_h * a_period < 1 else None


def _told(reader: Reader, root: str) -> ProofsTold:
    function = reader.row(root, SafetyFunction)
    told: FunctionTold = reader.part("function.told", root)
    worn = {lane.part: one.replace_years for lane in (*told.sensors, *told.actuators) for one in lane.segments
            if one.of == lane.part}  # fmt: skip
    due: list[DueTold] = []
    records: dict[str, tuple[RecordTold, ...]] = {}
    today = reader.today()
    for part in reader.children(SafetyPart, root):
        proofs = list(proofs_of(reader, part))
        changed = changed_of(reader, proofs)
        records[part.id] = tuple(record_told(one, one.id in changed) for one in sorted(proofs, key=when, reverse=True))
        axis = axis_of(reader, part)
        for kind, label, months, years in _asked(reader, function, part, worn.get(part.id)):
            last = latest(proofs, kind, today)
            every = f"{shown(years, 3)} years" if years is not None else _in_months(months)
            ends = _ends(last, months, years) if last else ""
            state = "changed" if last is not None and last.id in changed else _state(ends, today)
            due.append(
                DueTold(part.id, recorded_at(part, axis, kind), part.name, kind, label, every, last.at if last else "",
                        ends, state)
            )  # fmt: skip
    return ProofsTold(tuple(due), records)


def when(proof: Proof) -> tuple[str, str, int, str]:
    """Orders records by when they were made; those of one day by when they were put down."""
    return proof.at, proof.rank, len(proof.id), proof.id


def _asked(
    reader: Reader, function: SafetyFunction, part: SafetyPart, worn: float | None
) -> Iterator[tuple[Literal["stop-time", "test", "replaced"], str, int, float | None]]:
    if part.role == "actuator":
        settings = reader.value(function.controller, Controller, "settings")
        months = fraction_at(settings, "stop_time_months")
        yield "stop-time", "Stop time measured", int(months or USUAL_STOP_TIME_MONTHS), None
    else:
        tested = test_months(part, ASKED.get(function.asked, ""), fraction_at(function.settings, "demand_per_h"))
        if tested is not None:
            yield "test", "Tested with its test piece" if part.block == "espe" else "Tested", tested, None
    if worn is not None and worn < MISSION_YEARS:
        yield "replaced", "Replaced", 0, worn


def _in_months(months: int) -> str:
    if months % 12 == 0:
        return "year" if months == 12 else f"{months // 12} years"
    return "month" if months == 1 else f"{months} months"


def _ends(last: Proof, months: int, years: float | None) -> str:
    if years is not None:
        return days_after(last.at, int(years * _DAYS_A_YEAR))
    return months_after(last.at, months)


def _state(ends: str, today: str) -> DueState:
    if not ends:
        return "never"
    if not today:
        return "unknown"
    left = days_from(today, ends)
    return "overdue" if left < 0 else "soon" if left <= SOON_DAYS else "in time"


def record_told(proof: Proof, changed: bool) -> RecordTold:
    """A record as it is read."""
    made = measured(proof)
    return RecordTold(
        proof.id, proof.kind, proof.where, proof.at, proof.by, proof.result, proof.voided,
        counts(proof) and not changed, changed,
        float(made.value_ms) if made else None, float(made.mean_ms) if made else None,
        made.deviation_ms if made else None, len(proof.data.get("readings_ms", ())),
    )  # fmt: skip


PARTS: tuple[Part, ...] = (Part("function.proofs", "functions", _told, shown=ProofsTold),)
