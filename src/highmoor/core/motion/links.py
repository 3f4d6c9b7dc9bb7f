"""The links of a chain from motor to load: what each may be, and what is set of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from highmoor.core.motion.exact import Exact
from highmoor.core.motion.stepper_drivers import DRIVERS
from highmoor.core.numbers import Settings, fraction_at, shown
from highmoor.core.plant.fields import Choice, FieldSpec


def _quotient(settings: Settings, above: str, below: str) -> Exact | None:
    over, under = fraction_at(settings, above), fraction_at(settings, below)
    return Exact(over / under) if over and under else None


def _product(*keys: str, pi: int = 0) -> Callable[[Settings], Exact | None]:
    def travel(settings: Settings) -> Exact | None:
        result = Exact(Fraction(1), pi)
        for key in keys:
            value = fraction_at(settings, key)
            if not value:
                return None
            result = result * Exact(value)
        return result

    return travel


def _field(key: str, label: str, unit: str = "", minimum: float = 0, **more: Any) -> FieldSpec:
    most = more.pop("maximum", 1e9)
    return FieldSpec(
        f"settings.{key}", label, "number", unit=unit, minimum=minimum, maximum=most, optional=True, **more
    )


_LEAST = 1e-6
_INERTIA = _field("inertia", "Inertia", "kg m²", hint="Of what turns with its input.")
_EFFICIENCY = _field("efficiency", "Efficiency", "%", 1, maximum=100, default=100)
_PLAY = _field("play_mm", "Play", "mm", default=0, hint="What it can be moved without the motor turning.")


@dataclass(frozen=True, slots=True)
class LinkKind:
    """A kind of link. `gives` is what a turn of its input becomes: turns, or with `linear` millimetres; None where
    what that takes is not set. `says` names it with its size.
    """

    key: str
    label: str
    fields: tuple[FieldSpec, ...]
    gives: Callable[[Settings], Exact | None]
    says: Callable[[Settings], str]
    linear: bool = False
    needs: str = ""


def _says(label: str, *parts: tuple[str, str]) -> Callable[[Settings], str]:
    def words(settings: Settings) -> str:
        sizes = [f"{shown(value)}{unit}" for key, unit in parts if (value := fraction_at(settings, key)) is not None]
        return " ".join([label, " × ".join(sizes)]).strip()

    return words


def _gear(settings: Settings) -> str:
    turns = [fraction_at(settings, key) for key in ("motor_turns", "load_turns")]
    return "gear " + " : ".join(shown(each) if each else "?" for each in turns)


def _one(_: Settings) -> Exact:
    return Exact(Fraction(1))


_TURNING = (_INERTIA, _EFFICIENCY, _PLAY)

LINK_KINDS: dict[str, LinkKind] = {
    kind.key: kind
    for kind in (
        LinkKind(
            "motor", "Motor and encoder",
            (
                FieldSpec("settings.counts", "Counts a turn", "integer", minimum=1, maximum=2**32, optional=True,
                          hint="After all interpolation: 4 for each line of an incremental encoder."),
                FieldSpec("settings.absolute_turns", "Absolute over", "integer", unit="turns", default=0, minimum=0,
                          maximum=2**32, optional=True, hint="0: it knows no position when it is switched on."),
                FieldSpec("settings.inertia", "Rotor inertia", "number", unit="kg m²", minimum=0, optional=True,
                          hint="With its brake and coupling."),
                _field("rated_rpm", "Rated speed", "1/min"),
                _field("rated_nm", "Rated torque", "Nm"),
                _field("peak_nm", "Peak torque", "Nm"),
                _field("torque_constant", "Torque constant", "Nm/A"),
                _field("brake_nm", "Brake holds", "Nm", hint="Of its holding brake; empty if there is none."),
                _field("brake_ms", "Brake takes hold in", "ms", default=0),
            ),
            _one, _says("motor"), needs="its counts a turn",
        ),
        LinkKind(
            "stepper", "Stepping motor and driver",
            (
                FieldSpec("settings.step_angle_deg", "Step angle", "number", unit="°", minimum=0.01, maximum=90,
                          optional=True),
                FieldSpec("settings.microsteps", "Microsteps", "integer", default=1, minimum=1, maximum=1024,
                          optional=True),
                _field("inertia", "Rotor inertia", "kg m²"),
                _field("rated_a", "Rated current (RMS)", "A"),
                _field("current_a", "Driver set to (peak)", "A"),
                FieldSpec("settings.driver", "Driver", "choice", optional=True,
                          choices=tuple(Choice(one.key, one.name) for one in DRIVERS.values())),
                _field("start_hz", "Starts without ramp up to", "Hz", hint="Of its data sheet, nothing on its shaft."),
                _field("hold_nm", "Holding torque", "Nm"),
                _field("rated_rpm", "Highest speed", "1/min"),
                _field("peak_nm", "Torque at that speed", "Nm"),
            ),
            _one, _says("stepper", ("step_angle_deg", "°"), ("microsteps", "")), needs="its step angle",
        ),
        LinkKind(
            "gear", "Gear or pulleys",
            (
                _field("motor_turns", "Turns on the motor's side", minimum=_LEAST, maximum=1e6),
                _field("load_turns", "make turns behind it", minimum=_LEAST, maximum=1e6),
                _INERTIA, _EFFICIENCY,
                _field("play_deg", "Play", "°", default=0, hint="Behind it, with the motor held."),
            ),
            lambda settings: _quotient(settings, "load_turns", "motor_turns"), _gear, needs="both its turns",
        ),
        LinkKind(
            "screw", "Screw", (_field("lead_mm", "Lead", "mm", _LEAST), *_TURNING),
            _product("lead_mm"), _says("screw", ("lead_mm", " mm")), linear=True, needs="its lead",
        ),
        LinkKind(
            "belt", "Belt",
            (_field("teeth", "Teeth of the pulley", "", 1), _field("pitch_mm", "Pitch", "mm", _LEAST), *_TURNING),
            _product("teeth", "pitch_mm"), _says("belt", ("teeth", ""), ("pitch_mm", " mm")), linear=True,
            needs="teeth and pitch",
        ),
        LinkKind(
            "pinion", "Rack and pinion",
            (_field("teeth", "Teeth", "", 1), _field("module_mm", "Module", "mm", _LEAST), *_TURNING),
            _product("teeth", "module_mm", pi=1), _says("pinion", ("teeth", ""), ("module_mm", " mm")), linear=True,
            needs="teeth and module",
        ),
        LinkKind(
            "wheel", "Wheel", (_field("diameter_mm", "Diameter", "mm", _LEAST), *_TURNING),
            _product("diameter_mm", pi=1), _says("wheel ⌀", ("diameter_mm", " mm")), linear=True,
            needs="its diameter",
        ),
        LinkKind(
            "load", "Load",
            (
                _field("mass_kg", "Mass", "kg"),
                _field("inertia", "Inertia", "kg m²", hint="Of what turns."),
                _field("friction_n", "Friction", "N", default=0, hint="Against any movement along the way."),
                _field("friction_nm", "Friction of what turns", "Nm", default=0),
                FieldSpec("settings.incline_deg", "Climbs at", "number", unit="°", default=0, minimum=0, maximum=90,
                          optional=True, hint="0 is level, 90 straight up."),
            ),
            _one, _says("load", ("mass_kg", " kg")),
        ),
    )
}  # fmt: skip
# What stands between motor and load.
MOTORS = ("motor", "stepper")
BETWEEN = tuple(kind for kind in LINK_KINDS if kind not in (*MOTORS, "load"))
