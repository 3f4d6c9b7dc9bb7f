"""What views and checks are told of an axis. Positions and ways are in the axis's unit unless named otherwise."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class LinkTold:
    """A link: what a motor turn has become behind it, and what the motor feels of it.

    `inertia` in kg m² at the motor, `play` in the axis's unit; `problem` says why the chain ends here.
    """

    link: str
    kind: str
    says: str
    becomes: str
    inertia: float | None
    efficiency: float | None
    play: float | None
    problem: str = ""


@dataclass(frozen=True, slots=True)
class DriveObject:
    """An object of a drive that the scale goes into."""

    index: str
    name: str
    value: int


@dataclass(frozen=True, slots=True)
class ScaleTold:
    """Counts a unit: exact, and as the two whole numbers of 32 bits that a drive takes.

    Errors of that fraction in the axis's unit: for a turn of the load, over all the travel, in an hour at the highest
    speed; None where there is no such thing. `range` is how far an absolute encoder knows the position, `modulo_counts`
    the counts of a modulo length as they are written.
    """

    exact: str
    value: float
    rational: bool
    numerator: int | None
    denominator: int | None
    error_a_turn: float | None
    error_over_travel: float | None
    error_an_hour: float | None
    objects: tuple[DriveObject, ...]
    resolution: float
    range: float | None
    range_is_whole: bool
    modulo_counts: str
    modulo_is_whole: bool
    modulo_drift_an_hour: float | None
    most_counts: float | None


@dataclass(frozen=True, slots=True)
class ChainTold:
    """An axis's chain, link by link, and what comes of it; `problem` says why no scale follows."""

    unit: str
    speed_unit: str
    links: tuple[LinkTold, ...]
    problem: str
    at: str
    travel_a_turn: float | None
    play: float
    motor_rpm: float | None
    rated_rpm: float | None
    scale: ScaleTold | None


@dataclass(frozen=True, slots=True)
class Phases:
    """Torque at the motor, Nm: accelerating, at speed, braking."""

    accelerating: float
    cruising: float
    braking: float


@dataclass(frozen=True, slots=True)
class BrakeTold:
    """A holding brake: what it holds and what it has to, Nm; how far the load sags until it does."""

    holds_nm: float
    asked_nm: float
    sag: float


@dataclass(frozen=True, slots=True)
class BrakingTold:
    """Energy that comes back from the highest speed, J, and what the drive's capacitors take of it; None where not set.

    `resistor` is whether there is one for the rest.
    """

    energy_j: float
    capacitors_j: float | None
    resistor: bool


@dataclass(frozen=True, slots=True)
class LoadTold:
    """What the motor has to do: inertias in kg m² at the motor, torques in Nm, `missing` what is not set for that.

    `rms` over the moves of the axis in their order, which take `cycle_s`; None where there are none.
    """

    missing: tuple[str, ...]
    load_inertia: float
    motor_inertia: float
    ratio: float | None
    forth: Phases
    back: Phases
    hold: float
    peak: float
    peak_allowed: float | None
    rms: float | None
    rms_allowed: float | None
    cycle_s: float | None
    brake: BrakeTold | None
    pulls_back: bool
    braking: BrakingTold | None


@dataclass(frozen=True, slots=True)
class EndTold:
    """One end of the travel, going outward: soft limit, switch, hard stop, and the cam that holds the switch.

    `soft_gap` and `switch_gap` are how far it is from one to the next, None where either is not set; `cam_reaches` is
    whether the switch stays held up to the stop.
    """

    way: int
    soft: float | None
    switch: float | None
    stop: float | None
    soft_gap: float | None
    switch_gap: float | None
    cam: float | None
    cam_reaches: bool | None
    in_order: bool


@dataclass(frozen=True, slots=True)
class TravelTold:
    """Where an axis may go, and what it needs to stop from its highest speed.

    `length` is from soft limit to soft limit, `modulo` where an endless axis counts from 0 again, `speed` the highest
    one; `following_error` is that over the position gain. None where something for it is not set.
    """

    ends: tuple[EndTold, ...]
    length: float | None
    modulo: float | None
    speed: float | None
    stopping: float | None
    following_error: float | None
