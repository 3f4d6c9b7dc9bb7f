"""What views and checks are told of a safety function. Times in ms, failures an hour."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

SegmentKind = Literal["sensor", "input", "link", "logic", "output", "actuator"]


@dataclass(frozen=True, slots=True)
class SegmentTold:
    """A piece of the way from a demand to the end of the movement's supply.

    `of` is what it is: a part of the function, a module, a controller. `worst_ms` is what it takes at most, `says` how
    that comes about, `field` the setting of `of` that decides it. `pfh` are its dangerous failures an hour, `level` the
    level it reaches by itself; `replace_years` when its contacts have to be replaced. None and "" for not given.
    """

    kind: SegmentKind
    of: str
    label: str
    worst_ms: float | None = None
    watchdog_ms: float | None = None
    says: str = ""
    field: str = ""
    pfh: float | None = None
    level: str = ""
    fails: str = ""
    replace_years: float | None = None


@dataclass(frozen=True, slots=True)
class LaneTold:
    """What belongs to a sensor or an actuator up to the logic; `problem` says why it does not get there.

    Of an actuator `delay_ms` is how long it lets the drive brake before it takes the supply away, `stop_ms` how long
    the machine takes then.
    """

    part: str
    segments: tuple[SegmentTold, ...]
    problem: str = ""
    delay_ms: float = 0
    stop_ms: float | None = None


@dataclass(frozen=True, slots=True)
class TimeTold:
    """How soon a function acts at worst.

    `sensor` and `actuator` are the lanes that take longest together: `response_ms` is theirs, in which `fault_ms` is
    what the one failure costs that costs most, of the segment `fault_of`. `total_ms` is up to standstill. `missing`
    says what is not given for that.
    """

    sensor: str
    actuator: str
    segments: tuple[SegmentTold, ...]
    response_ms: float | None
    fault_ms: float
    fault_of: str
    delay_ms: float
    stop_ms: float | None
    total_ms: float | None
    missing: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class LevelTold:
    """How surely a function acts: of the demand that fails most, all segments that can fail, and their sum.

    `at_least` where not all give theirs, and then no `level`. `sil` 0 is none; `enough` None where nothing is asked, or
    it cannot be said.
    """

    counted: tuple[SegmentTold, ...]
    pfh: float | None
    at_least: bool
    level: str
    sil: int
    asked: str
    enough: bool | None


@dataclass(frozen=True, slots=True)
class FunctionTold:
    """A safety function: its lanes, how soon and how surely it acts.

    `change` says what would help where less is reached than is asked.
    """

    sensors: tuple[LaneTold, ...]
    logic: SegmentTold
    actuators: tuple[LaneTold, ...]
    time: TimeTold
    level: LevelTold
    change: tuple[str, ...] = ()
