"""Rows of safety: functions with their parts, scanners, what signals are to them, records and seals."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Literal

from highmoor.core.plant.refs import Json, Number, Ref


@dataclass(frozen=True, slots=True)
class SafetyFunction:
    """A safety function of a controller: what it stops, on which demands, is in its parts.

    `asked` is the level that the risk asks for (`PL d`, `SIL 2`, "" for none), `asked_ms` how soon there must be a
    standstill. `settings`: stop category, restart, demands an hour, how long the machine takes to stop.
    """

    id: str
    controller: Annotated[str, Ref(("controllers",), owner=True)]
    name: str
    rank: str
    asked: str = ""
    asked_ms: Number | None = None
    note: str = ""
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Scanner:
    """An area scanner: its type, or `own` by its data sheet; `device` is the station by which it speaks, if it does.

    `settings` holds where it stands, how it is set up and what its data sheet says, mm, degrees and ms.
    """

    id: str
    controller: Annotated[str, Ref(("controllers",), owner=True)]
    name: str
    rank: str
    type: str = "own"
    device: Annotated[str | None, Ref(("stations",), on_removal="clear")] = None
    note: str = ""
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Situation:
    """Which zones a scanner watches while its inputs say so: `select` is a pattern of 0 and 1, input by input."""

    id: str
    scanner: Annotated[str, Ref(("scanners",), owner=True)]
    name: str
    rank: str
    select: str = ""
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Zone:
    """An area a scanner watches; `settings.shape` is how it is drawn."""

    id: str
    scanner: Annotated[str, Ref(("scanners",), owner=True)]
    letter: str
    kind: Literal["protective", "warning"]
    rank: str
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class PlanShape:
    """What stands around a scanner: a hazard's area, a wall's or a guard's line, a line by which somebody comes.

    A hazard can be one of a `situation` alone. `settings.points` are mm.
    """

    id: str
    scanner: Annotated[str, Ref(("scanners",), owner=True)]
    kind: Literal["hazard", "wall", "guard", "open"]
    rank: str
    situation: Annotated[str | None, Ref(("situations",), on_removal="clear")] = None
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ZoneUse:
    """Which zone an output of a scanner answers to in a situation; None for none."""

    id: str
    situation: Annotated[str, Ref(("situations",), owner=True)]
    output: int
    rank: str
    zone: Annotated[str | None, Ref(("zones",), on_removal="clear")] = None


@dataclass(frozen=True, slots=True)
class SafetyPart:
    """A sensor or an actuator of a safety function.

    `place` is what it is wired to, by the `key` of the channel (the first of a pair), or what its data comes over;
    `device` is what it is, where that stands in the plant. `block` is its kind. What lies between sensors and actuators
    follows from where they are wired.
    """

    id: str
    function: Annotated[str, Ref(("functions",), owner=True)]
    role: Literal["sensor", "actuator"]
    name: str
    rank: str
    block: str = ""
    place: Annotated[str | None, Ref(("modules", "exchanges"), on_removal="clear")] = None
    key: str = ""
    device: Annotated[str | None, Ref(("stations", "axes", "scanners"), on_removal="clear")] = None
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Use:
    """What a signal is to something: of an axis, which word of its drive it is; of a safety function its reset or
    start, of a part of one its feedback, of a scanner which of its inputs it drives or which output it reads."""

    id: str
    of: Annotated[str, Ref(("axes", "functions", "safety_parts", "scanners"), owner=True)]
    signal: Annotated[str, Ref(("signals",))]
    role: str
    rank: str


@dataclass(frozen=True, slots=True)
class Proof:
    """What was measured, tested, replaced or tried of a part of a safety function or of an axis that one stops, or
    walked in a situation of a scanner.

    Only added, and `voided` with a reason where it does not hold; never changed. `at` is the day (ISO 8601), `by` who
    did it. What was done on the bench is a rehearsal and counts for nothing on site. `data.rests_on` is the hash of
    what it was done with, without which it does not hold any more.
    """

    id: str
    of: Annotated[str, Ref(("axes", "safety_parts", "situations"), owner=True, record=True)]
    kind: Literal["stop-time", "test", "replaced", "walk", "fault"]
    where: Literal["bench", "site"]
    at: str
    rank: str
    by: str = ""
    result: Literal["", "passed", "failed"] = ""
    voided: str = ""
    data: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Seal:
    """That somebody looked at all of a controller that bears on safety, as it was at a `revision`, and found it good.

    Only added. `at` is when (ISO 8601, UTC), `by` who; `fingerprint` is the hash of it all (SHA-256), `data.items` what
    it was made of: device, place, field, value and row of each. `data.open` says what was not proved on site then.
    """

    id: str
    controller: Annotated[str, Ref(("controllers",), owner=True, record=True)]
    at: str
    rank: str
    by: str
    revision: int
    fingerprint: str
    data: Json = field(default_factory=dict)
