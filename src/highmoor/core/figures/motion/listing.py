"""The figures of motion with their contracts."""

from __future__ import annotations

import re
from fractions import Fraction
from typing import Any, get_args

from highmoor.core.errors import Refusal
from highmoor.core.figures.contract import (
    Answer,
    Figure,
    boolean,
    list_of,
    number,
    optional_number,
    optional_whole,
    text,
    whole,
)
from highmoor.core.figures.motion.delta import Delta
from highmoor.core.figures.motion.explain import LinkKind, MeasuredLink, explained
from highmoor.core.figures.motion.handover import hold_ms
from highmoor.core.figures.motion.profile import MotionLimits, profile
from highmoor.core.figures.motion.scale import counts_a_unit, nearest_fraction
from highmoor.core.figures.motion.states import cia_402_state
from highmoor.core.figures.motion.stepper import pulse_hz, pulses_a_turn
from highmoor.core.figures.motion.torque import ScrewDrive
from highmoor.core.numbers import exact, plain

_DECIMAL = r"[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]{1,4})?"
_RATIO = re.compile(rf"({_DECIMAL})(?:\s*/\s*({_DECIMAL}))?")


def ratio(value: Any, path: str) -> Fraction:
    """A number, or a text of one or of two with a stroke between: "46/10"."""
    if not isinstance(value, str):
        return number(value, path)
    found = _RATIO.fullmatch(value.strip())
    if found is None:
        raise Refusal(f"{path}: “{value[:40]}” is no number, nor two with a stroke between.", value=value)
    above, below = exact(found[1]), exact(found[2] or "1")
    if below == 0:
        raise Refusal(f"{path}: “{value[:40]}” divides by 0.", value=value)
    return above / below


def decimal(value: Any, path: str) -> Fraction:
    """A number, or a text of one."""
    if isinstance(value, str) and "/" in value:
        raise Refusal(f"{path}: a decimal number is expected, not “{value[:40]}”.", value=value)
    return ratio(value, path)


def spelled(value: Fraction) -> str:
    """As p/q, "/1" written."""
    return f"{value.numerator}/{value.denominator}"


def _axis_scale(
    counts_per_rev: Fraction, motor_turns: Fraction, load_turns: Fraction, travel_per_rev: Fraction
) -> Answer:
    return {"counts_per_unit": spelled(counts_a_unit(counts_per_rev, motor_turns, load_turns, travel_per_rev))}


def _gear_fraction(value: Fraction, max_int: int) -> Answer:
    found = nearest_fraction(value, max_int)
    return {"numerator": found.numerator, "denominator": found.denominator}


def _profile(distance: Fraction, **limits: Fraction) -> Answer:
    found = profile(distance, MotionLimits(**limits))
    return {"time": found.time, "peak_speed": found.peak_speed, "reaches_speed": found.reaches_speed}


def _ds402_state(status_word: int) -> Answer:
    state = cia_402_state(status_word)
    if state is None:
        raise Refusal(f"16#{status_word:04X} names no state.", value=status_word)
    return {"state": state}


def _pulse_frequency(
    step_angle_deg: Fraction, microsteps: Fraction, units_per_rev: Fraction, speed_units_s: Fraction
) -> Answer:
    pulses = pulses_a_turn(step_angle_deg, microsteps)
    return {"pulses_per_rev": pulses, "hz": pulse_hz(speed_units_s, units_per_rev, pulses)}


def _delta_inverse(x: Fraction, y: Fraction, z: Fraction, **lengths: Fraction) -> Answer:
    robot = Delta(**{key: float(length) for key, length in lengths.items()})
    return {"angles_deg": list(robot.angles(float(x), float(y), float(z)))}


def _explain_distance(
    asked: Fraction, measured: Fraction, uncertainty: Fraction, links: list[dict[str, Any]]
) -> Answer:
    chain = []
    for place, link in enumerate(links):
        if link["kind"] not in _LINKS:
            raise Refusal(f"A link is one of {', '.join(_LINKS)}, not “{link['kind'][:40]}”.", value=link["kind"])
        chain.append(MeasuredLink(link["kind"], ratio(link["value"], f"links[{place}].value")))
    told = explained(asked, measured, uncertainty, chain)
    return {
        "classes": [
            {
                "ratio": spelled(one.ratio),
                "becomes": one.without,
                "links": [
                    {"index": would.index, "becomes": _as_given(links[would.index], would.becomes)}
                    for would in one.links
                ],
                "residual": one.residual,
                "within": one.within,
            }
            for one in told.classes
        ],
        "decides_at": told.decides_at,
    }


_LINKS = get_args(LinkKind)


def _as_given(link: dict[str, Any], becomes: Fraction) -> Any:
    """In the form of the link's own value."""
    if link["kind"] == "gear":
        return spelled(becomes)
    return str(plain(becomes)) if isinstance(link["value"], str) else becomes


def _anything(value: Any, path: str) -> Any:
    """Read where it is known what of."""
    return value


def _handover_hold(rpi_ms: Fraction, device_scan_ms: Fraction, task_ms: Fraction, lost_packets: int | None) -> Answer:
    return {"hold_ms": hold_ms(rpi_ms, device_scan_ms, task_ms, 1 if lost_packets is None else lost_packets)}


def _axis_torque(*, vertical: bool, **given: Fraction) -> Answer:
    drive = ScrewDrive(**{key: float(value) for key, value in given.items()}, vertical=vertical)
    return {"up": drive.phases(1), "hold": drive.hold, "down": drive.phases(-1)}


MOTION_FIGURES: tuple[Figure, ...] = (
    Figure(
        "axis-scale",
        "Encoder counts for a unit of travel, exactly",
        {"counts_per_rev": ratio, "motor_turns": ratio, "load_turns": ratio, "travel_per_rev": ratio},
        _axis_scale,
    ),
    Figure(
        "gear-fraction",
        "The fraction of whole numbers nearest to a value",
        {"value": decimal, "max_int": whole},
        _gear_fraction,
    ),
    Figure(
        "profile",
        "Time and highest speed of a move from rest to rest",
        {"distance": number, "speed": number, "acceleration": number, "deceleration": number, "jerk": optional_number},
        _profile,
    ),
    Figure("ds402-state", "The state that a CiA 402 status word names", {"status_word": whole}, _ds402_state),
    Figure(
        "pulse-frequency",
        "Pulses a turn and a second of a stepping motor",
        {"step_angle_deg": number, "microsteps": number, "units_per_rev": number, "speed_units_s": number},
        _pulse_frequency,
    ),
    Figure(
        "delta-inverse",
        "Angles of three arms that hold a platform at a place",
        {
            **dict.fromkeys(("base_radius", "platform_radius", "upper_arm", "lower_arm"), number),
            **dict.fromkeys("xyz", number),
        },
        _delta_inverse,
    ),
    Figure(
        "explain-distance",
        "What a measured distance says of the chain, in classes that measure alike",
        {
            "asked": number, "measured": number, "uncertainty": number,
            "links": list_of({"kind": text, "value": _anything}),
        },
        _explain_distance,
    ),
    Figure(
        "handover-hold",
        "How long a command stands so that a device behind a cyclic exchange sees it",
        {"rpi_ms": number, "device_scan_ms": number, "task_ms": number, "lost_packets": optional_whole},
        _handover_hold,
    ),
    Figure(
        "axis-torque",
        "Torque at the motor of an axis with gear and screw, phase by phase",
        {
            "mass_kg": number, "lead_mm": number, "gear": ratio, "eta_screw": number, "eta_gear": number,
            "j_motor": number, "j_screw": number, "acceleration": number, "vertical": boolean,
        },
        _axis_torque,
    ),
)  # fmt: skip
