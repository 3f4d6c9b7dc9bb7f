"""What a drive has to be told of its axis, and where that stands: in the project, in the controller, in the drive.

A drive keeps what was saved in it; what was only written is gone with its power. Some of it counts from its next
restart on. As long as nothing was ever said of a drive, it has what was downloaded.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from highmoor.core.motion.chain import Chain
from highmoor.core.motion.scale import gear_and_feed
from highmoor.core.motion.settings import bounds_of
from highmoor.core.motion.units import Unit
from highmoor.core.numbers import fraction_at, number_at
from highmoor.core.plant.rows import Axis

Value = float | None
Values = Mapping[str, Value]


@dataclass(frozen=True, slots=True)
class Parameter:
    """Something a drive keeps. `field` is what of the axis it is, "" where it comes of several links; with `restart` it
    counts only from the drive's next restart on. `unit` is "" or a unit, with {} for the axis's own."""

    key: str
    label: str
    unit: str = ""
    restart: bool = False
    field: str = ""


def _of_axis(key: str, label: str, unit: str = "", *, restart: bool = False) -> Parameter:
    return Parameter(key, label, unit, restart, f"settings.{key}")


PARAMETERS: tuple[Parameter, ...] = (
    Parameter("counts", "Encoder counts a turn", restart=True),
    Parameter("gear", "Motor turns a turn of the load", restart=True),
    Parameter("feed", "Way of a turn of the load", "{}", restart=True),
    _of_axis("drive_digits", "Digits of its position unit", restart=True),
    _of_axis("reversed", "Turns the other way", restart=True),
    _of_axis("speed", "Highest speed", "{}/s"),
    _of_axis("acceleration", "Acceleration", "{}/s²"),
    _of_axis("deceleration", "Deceleration", "{}/s²"),
    _of_axis("quick_ramp", "Emergency-stop ramp", "{}/s²"),
    _of_axis("peak_a", "Peak current", "A"),
    _of_axis("gain", "Position gain", "1/s"),
    _of_axis("following", "Following error allowed", "{}"),
    _of_axis("window", "In position within", "{}"),
    _of_axis("home_method", "Homing method"),
    _of_axis("home_fast", "Seeks the switch at", "{}/s"),
    _of_axis("home_slow", "its edge at", "{}/s"),
    _of_axis("home_position", "Counts at home", "{}"),
    _of_axis("encoder_offset", "Encoder offset", "{}", restart=True),
)
BY_KEY: dict[str, Parameter] = {parameter.key: parameter for parameter in PARAMETERS}


def values_of(axis: Axis, chain: Chain, unit: Unit) -> dict[str, Value]:
    """What the axis says a drive has to have, by parameter; None for what is not set."""
    gear, feed = gear_and_feed(chain, unit)
    bounds = bounds_of(axis)
    found: dict[str, Value] = {
        "counts": None if chain.counts is None else float(chain.counts),
        "gear": float(gear), "feed": float(feed.value),
        "reversed": float(bool(axis.settings.get("reversed"))),
        "speed": _float(bounds.speed), "acceleration": _float(bounds.acceleration),
        "deceleration": _float(bounds.deceleration),
        "quick_ramp": _float(_a_second(axis, "quick_ramp", unit)),
        "home_method": number_at(axis.settings, "home_method"),
    }  # fmt: skip
    for parameter in PARAMETERS:
        if parameter.key not in found:
            found[parameter.key] = _float(fraction_at(axis.settings, parameter.key))
    return {parameter.key: found[parameter.key] for parameter in PARAMETERS}


def _a_second(axis: Axis, key: str, unit: Unit) -> Fraction | None:
    value = fraction_at(axis.settings, key)
    return None if value is None else value / unit.a_speed


def _float(value: Fraction | None) -> Value:
    return None if value is None else float(value)


_OF_MACHINE = (
    "chain", "reversed", "position", "encoder_offset", "limit_minus_closes", "limit_plus_closes", "copies",
)  # fmt: skip


def own_settings(settings: Mapping[str, Any]) -> dict[str, Any]:
    """What a drive as built has on its network: without what its machine is, and what of its axis stands in it."""
    return {key: value for key, value in settings.items() if key not in _OF_MACHINE}


@dataclass(frozen=True, slots=True)
class InDrive:
    """What a drive keeps, what it was told last, what counts in it now; `restarts` is how often it was restarted."""

    saved: dict[str, Value]
    told: dict[str, Value]
    acting: dict[str, Value]
    restarts: int = 0


def in_drive(axis: str, configured: Values, settings: Mapping[str, Any]) -> InDrive:
    """What the drive of an axis has, by what its device as built says and by what was configured."""
    copies = settings.get("copies")
    said = copies.get(axis) if isinstance(copies, Mapping) else None
    said = said if isinstance(said, Mapping) else {}
    saved = _known(said.get("saved"), configured)
    told = _known(said.get("told"), saved)
    restarts = said.get("restarts", 0)
    return InDrive(saved, told, _known(said.get("acting"), told), restarts if isinstance(restarts, int) else 0)


# Beyond that no drive has anything; a power of ten is not larger than its field allows.
_MOST_OF_ALL = 1e10
_MOST = {"drive_digits": 6.0}


def _known(given: Any, usual: Values) -> dict[str, Value]:
    """All of it as far as it can be read, it may come from a file; what is not there is not set. The usual for none."""
    if not isinstance(given, Mapping):
        return dict(usual)
    numbers = {
        key: float(value)
        for key, value in given.items()
        if isinstance(value, int | float) and not isinstance(value, bool) and abs(value) <= _MOST.get(key, _MOST_OF_ALL)
    }
    return {key: numbers.get(key) for key in usual}


def as_said(has: InDrive) -> dict[str, Any]:
    """As `in_drive` reads it: all that is kept, and what else is not as that."""
    said: dict[str, Any] = {"saved": _set(has.saved), "restarts": has.restarts}
    if has.told != has.saved:
        said["told"] = _set(has.told)
    if has.acting != has.told:
        said["acting"] = _set(has.acting)
    return said


def _set(values: Values) -> dict[str, float]:
    return {key: value for key, value in values.items() if value is not None}


@dataclass(frozen=True, slots=True)
class CopyTold:
    """A parameter whose copies differ: what stands in the project, in the controller (None while none runs) and in the
    drive; `kept` is what the drive has after its power was off, `acting` what counts in it now. `waits` for a restart;
    `takes`: the project can take it from the drive."""

    key: str
    label: str
    unit: str
    project: Value
    controller: Value
    drive: Value
    kept: Value
    acting: Value
    waits: bool
    unsaved: bool
    takes: bool


@dataclass(frozen=True, slots=True)
class CopiesTold:
    """The parameters of a drive that are not alike everywhere, and how many there are."""

    differing: tuple[CopyTold, ...]
    alike: int
    downloaded: bool


def copies_told(project: Values, controller: Values | None, drive: InDrive, unit: str) -> CopiesTold:
    """Project, controller and drive held against each other."""
    rows = []
    for one in PARAMETERS:
        here, there, kept, acting = (each[one.key] for each in (project, drive.told, drive.saved, drive.acting))
        sent = controller[one.key] if controller is not None else None
        strands = {here, there, kept, acting, *([sent] if controller is not None else [])}
        if len(strands) > 1:
            row = CopyTold(
                one.key, one.label, one.unit.format(unit), here, sent, there, kept, acting, acting != there,
                kept != there, bool(one.field),
            )  # fmt: skip
            rows.append(row)
    return CopiesTold(tuple(rows), len(PARAMETERS) - len(rows), controller is not None)
