"""How robots are built and what that asks of their axes: types that are known, and what a data sheet says of any other.

Lengths in mm, angles in degrees, as `figures/motion/delta.py` counts them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from highmoor.core.figures.motion.delta import Delta
from highmoor.core.numbers import Settings, number_at
from highmoor.core.plant.rows import Robot

ARM_PLACES = ("arm1", "arm2", "arm3")
WRIST = "wrist"
PLACES: dict[str, str] = {"arm1": "arm 1", "arm2": "arm 2", "arm3": "arm 3", WRIST: "wrist"}
"""What of a robot an axis may be."""

OWN = "own"
"""The type of a robot that is entered by its data sheet."""


@dataclass(frozen=True, slots=True)
class Group:
    """The arms together, or the wrist: what their drives have to have, by the parameters of `motion/copies.py`, and how
    quick they may turn, degrees a s; 0 where nothing says so."""

    asks: Mapping[str, float] = field(default_factory=dict)
    most_deg_s: float = 0.0


@dataclass(frozen=True, slots=True)
class RobotType:
    """A type: its lengths, how far its arms may turn, what it asks of them and of its wrist, None without one."""

    key: str
    label: str
    delta: Delta
    low_deg: float
    high_deg: float
    arms: Group
    wrist: Group | None = None

    def group(self, place: str) -> Group | None:
        """What an arm or the wrist belongs to."""
        return self.wrist if place == WRIST else self.arms

    @property
    def places(self) -> tuple[str, ...]:
        """Those it has."""
        return (*ARM_PLACES, WRIST) if self.wrist else ARM_PLACES


# Degrees of a turn: its axes are counted in those.
_TURN = 360.0


def _group(gear: float, peak_a: float, quick_ramp: float, most: float, *, reversed_: bool = False) -> Group:
    asks = {
        "gear": gear, "feed": _TURN, "reversed": float(reversed_), "peak_a": peak_a, "quick_ramp": quick_ramp,
    }  # fmt: skip
    return Group(asks, most)


_SMALL_ARMS = _group(20, 4.2, 18_000, 400)
_SMALL = Delta(150, 40, 200, 460)

TYPES: dict[str, RobotType] = {
    each.key: each
    for each in (
        RobotType("arms-200-460", "Arms of 200 and 460 mm", _SMALL, -35, 85, _SMALL_ARMS),
        RobotType(
            "arms-200-460-wrist", "Arms of 200 and 460 mm, with a wrist", _SMALL, -35, 85, _SMALL_ARMS,
            _group(8, 2.1, 14_400, 900),
        ),
        RobotType(
            "arms-295-700-wrist", "Arms of 295 and 700 mm, with a wrist", Delta(200, 45, 295, 700), -35, 90,
            _group(33, 9, 12_000, 300), _group(10, 2.8, 14_400, 900, reversed_=True),
        ),
    )
}  # fmt: skip

OWN_LENGTHS: dict[str, str] = {
    "base_radius": "Base, middle to upper joint", "platform_radius": "Platform, middle to lower joint",
    "upper_arm": "Upper arm", "lower_arm": "Lower arm",
}  # fmt: skip
OWN_ANGLES: dict[str, str] = {"low_deg": "Arms turn from", "high_deg": "to"}
ASKED: tuple[str, ...] = ("gear", "feed", "reversed", "peak_a", "quick_ramp")
"""What a type may ask; and of each axis its own encoder offset."""


def type_of(robot: Robot) -> tuple[RobotType | None, tuple[str, ...]]:
    """How a robot is built; None with what is missing for that."""
    known = TYPES.get(robot.type)
    if known is not None:
        return known, ()
    settings = robot.settings
    missing = [label.lower() for key, label in OWN_LENGTHS.items() if not number_at(settings, key)]
    if any(not isinstance(settings.get(key), int | float) for key in OWN_ANGLES):
        missing.append("how far the arms turn")
    if missing:
        return None, tuple(missing)
    delta = Delta(*(number_at(settings, key) for key in OWN_LENGTHS))
    wrist = _own_group(settings, WRIST) if settings.get("has_wrist") else None
    low, high = (number_at(settings, key) for key in OWN_ANGLES)
    return RobotType(OWN, "By its data sheet", delta, low, high, _own_group(settings, "arms"), wrist), ()


def _own_group(settings: Settings, of: str) -> Group:
    asks = {"feed": _TURN}
    for key in ASKED:
        value = settings.get(f"{of}_{key}")
        if isinstance(value, int | float):
            asks[key] = float(value)
    return Group({key: asks[key] for key in ASKED if key in asks}, number_at(settings, f"{of}_most"))
