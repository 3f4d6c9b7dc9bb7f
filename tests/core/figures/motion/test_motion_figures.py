"""Figures of motion against numbers worked by hand, numerical integration, brute force and what they must refuse."""

from __future__ import annotations

import math
import random
from fractions import Fraction
from itertools import pairwise
from typing import Any

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from highmoor.core.errors import Refusal
from highmoor.core.figures.listing import answer
from highmoor.core.figures.motion.delta import Delta
from highmoor.core.figures.motion.explain import MeasuredLink, explained
from highmoor.core.figures.motion.handover import hold_ms
from highmoor.core.figures.motion.profile import MotionLimits, pieces, profile, stopping_distance
from highmoor.core.figures.motion.scale import nearest_fraction
from highmoor.core.figures.motion.states import cia_402_state, decoded_word

LIFT = {
    "mass_kg": 300, "lead_mm": 10, "gear": "4/1", "eta_screw": 0.85, "eta_gear": 0.95, "j_motor": 0.0002,
    "j_screw": 0.001, "acceleration": 0.5, "vertical": True,
}  # fmt: skip
MOVE = {"distance": 0.4, "speed": 0.2, "acceleration": 0.5, "deceleration": 0.5, "jerk": None}
ROBOT = {"base_radius": 200, "platform_radius": 50, "upper_arm": 200, "lower_arm": 500}
CHAIN = [{"kind": "gear", "value": "4/1"}, {"kind": "lead", "value": 10}, {"kind": "encoder", "value": 4096}]


@pytest.mark.parametrize(
    ("name", "case", "expected"),
    [
        (
            "axis-scale",
            {"counts_per_rev": 1048576, "motor_turns": "46/10", "load_turns": 1, "travel_per_rev": "10"},
            {"counts_per_unit": "12058624/25"},
        ),
        (
            "axis-scale",
            {"counts_per_rev": 4000, "motor_turns": 4, "load_turns": 1, "travel_per_rev": 10},
            {"counts_per_unit": "1600/1"},
        ),
        ("gear-fraction", {"value": "3.14159265358979", "max_int": 1000}, {"numerator": 355, "denominator": 113}),
        ("gear-fraction", {"value": "0.5", "max_int": 2}, {"numerator": 1, "denominator": 2}),
        ("gear-fraction", {"value": "2147483647", "max_int": 2147483647}, {"numerator": 2147483647, "denominator": 1}),
        # 0.4 m: 0.04 up, 0.32 at speed, 0.04 down.
        ("profile", MOVE, {"time": 2.4, "peak_speed": 0.2, "reaches_speed": True}),
        # Just reached: the cruise has no length.
        ("profile", {**MOVE, "distance": 0.08}, {"time": 0.8, "peak_speed": 0.2, "reaches_speed": True}),
        ("profile", {**MOVE, "distance": 0}, {"time": 0, "peak_speed": 0, "reaches_speed": False}),
        (
            "profile",
            {**MOVE, "distance": 0.3, "speed": 9, "acceleration": 1, "deceleration": 0.5},
            {"time": pytest.approx(3 * math.sqrt(0.2)), "peak_speed": pytest.approx(math.sqrt(0.2)),
             "reaches_speed": False},
        ),
        # A ramp of 0.5/2.5 + 0.2/0.5 = 0.6 s.
        ("profile", {**MOVE, "jerk": 2.5}, {"time": 2.6, "peak_speed": 0.2, "reaches_speed": True}),
        # s = 4·(v/j)^1.5·j at a triangle of acceleration: v = (0.5²·1/4)^⅓, t = 4·(0.5/2)^⅓.
        (
            "profile",
            {"distance": 0.5, "speed": 9, "acceleration": 9, "deceleration": 9, "jerk": 1},
            {"time": pytest.approx(4 * 0.25 ** (1 / 3)), "peak_speed": pytest.approx(0.0625 ** (1 / 3)),
             "reaches_speed": False},
        ),
        ("ds402-state", {"status_word": 0x0237}, {"state": "operation_enabled"}),
        ("ds402-state", {"status_word": 0xFF9F}, {"state": "fault_reaction_active"}),
        (
            "pulse-frequency",
            {"step_angle_deg": 1.8, "microsteps": 16, "units_per_rev": 5, "speed_units_s": 40},
            {"pulses_per_rev": 3200, "hz": 25600},
        ),
        # All arms alike: R + L·cos θ − r = 200·cos θ + 150 away, √(500² − that²) below the elbow.
        (
            "delta-inverse",
            {**ROBOT, "x": 0, "y": 0, "z": -math.sqrt(500**2 - 350**2)},
            {"angles_deg": pytest.approx([0, 0, 0], abs=1e-9)},
        ),
        (
            "delta-inverse",
            {**ROBOT, "x": 0, "y": 0, "z": -200 - math.sqrt(500**2 - 150**2)},
            {"angles_deg": pytest.approx([90, 90, 90])},
        ),
        ("handover-hold", {"rpi_ms": 20, "device_scan_ms": 30, "task_ms": 10}, {"hold_ms": 60}),
        ("handover-hold", {"rpi_ms": 20, "device_scan_ms": 20, "task_ms": 30, "lost_packets": 0}, {"hold_ms": 30}),
        ("handover-hold", {"rpi_ms": 4, "device_scan_ms": 10, "task_ms": 10, "lost_packets": 2}, {"hold_ms": 20}),
        (
            "axis-torque",
            LIFT,
            {"up": pytest.approx([1.873, 1.450, 1.028], abs=5e-4), "hold": pytest.approx(1.171, abs=5e-4),
             "down": pytest.approx([0.583, 0.946, 1.309], abs=5e-4)},
        ),
    ],
)  # fmt: skip
def test_worked_by_hand(name: str, case: dict[str, Any], expected: dict[str, Any]) -> None:
    told = answer(name, case)
    assert "refused" not in told, told
    assert told == expected


def test_a_level_axis_pushes_both_ways_and_holds_nothing() -> None:
    told = answer("axis-torque", {**LIFT, "vertical": False})
    assert told["hold"] == 0 and told["up"] == [-each for each in told["down"]]
    # 300 kg·0.5 m/s² on 10 mm behind 4 : 1, the screw's 0.001·314.2 rad/s², both through 0.8075; the motor's own.
    load = (300 * 0.5 * 0.01 / math.tau + 0.001 * 0.5 * math.tau / 0.01) / 4
    motor = 0.0002 * 4 * 0.5 * math.tau / 0.01
    assert told["up"] == pytest.approx([load / 0.8075 + motor, 0, -load * 0.8075 - motor])


SAME = {"asked": 1, "measured": 1, "uncertainty": 1}
REFUSED = [
    ("axis-scale", {"counts_per_rev": 4096, "motor_turns": 1, "load_turns": 0, "travel_per_rev": 10}, "load"),
    ("axis-scale", {"counts_per_rev": 4096, "motor_turns": "1/0", "load_turns": 1, "travel_per_rev": 10}, "divides"),
    ("axis-scale", {"counts_per_rev": "ten", "motor_turns": 1, "load_turns": 1, "travel_per_rev": 10}, "ten"),
    ("gear-fraction", {"value": "11", "max_int": 10}, "outside"),
    ("gear-fraction", {"value": "0.09", "max_int": 10}, "outside"),
    ("gear-fraction", {"value": "4/1", "max_int": 10}, "decimal"),
    ("gear-fraction", {"value": "nan", "max_int": 10}, "nan"),
    ("gear-fraction", {"value": "1", "max_int": 0}, "at least 1"),
    ("profile", {**MOVE, "distance": -1}, "negative"),
    ("profile", {**MOVE, "speed": 0}, "speed"),
    ("profile", {**MOVE, "jerk": 0}, "jerk"),
    ("profile", {**MOVE, "jerk": 1, "deceleration": 1}, "equal"),
    ("profile", {**MOVE, "distance": 1e300, "speed": 1e-300}, "beyond"),
    ("ds402-state", {"status_word": 0x0001}, "16#0001"),
    ("ds402-state", {"status_word": 65536}, "16 bits"),
    ("ds402-state", {"status_word": -1}, "16 bits"),
    ("pulse-frequency", {"step_angle_deg": 0, "microsteps": 1, "units_per_rev": 5, "speed_units_s": 1}, "step angle"),
    ("pulse-frequency", {"step_angle_deg": 1.8, "microsteps": 0, "units_per_rev": 5, "speed_units_s": 1}, "microst"),
    ("pulse-frequency", {"step_angle_deg": 1.8, "microsteps": 1, "units_per_rev": 0, "speed_units_s": 1}, "travel"),
    ("delta-inverse", {**ROBOT, "x": 0, "y": 0, "z": -900}, "cannot reach"),
    ("delta-inverse", {**ROBOT, "upper_arm": 0, "x": 0, "y": 0, "z": -400}, "upper arm"),
    ("handover-hold", {"rpi_ms": 0, "device_scan_ms": 30, "task_ms": 10}, "interval"),
    ("handover-hold", {"rpi_ms": 1, "device_scan_ms": 30, "task_ms": 10, "lost_packets": -1}, "lost"),
    ("handover-hold", {"rpi_ms": 1, "device_scan_ms": 30, "task_ms": 10, "lost_packets": 0.5}, "whole"),
    ("axis-torque", {**LIFT, "eta_gear": 1.1}, "at most 1"),
    ("axis-torque", {**LIFT, "eta_screw": 0}, "above 0"),
    ("axis-torque", {**LIFT, "acceleration": -1}, "negative"),
    ("axis-torque", {**LIFT, "gear": "0/1"}, "gear"),
    ("explain-distance", {"asked": 0, "measured": 1, "uncertainty": 1, "links": []}, "0"),
    ("explain-distance", {"asked": 1, "measured": 1, "uncertainty": 0, "links": []}, "uncertainty"),
    (
        "explain-distance",
        {"asked": 1, "measured": 1, "uncertainty": 1, "links": [{"kind": "lead", "value": 0}]},
        "lead",
    ),
    (
        "explain-distance",
        {"asked": 1, "measured": 1, "uncertainty": 1, "links": [{"kind": "rope", "value": 1}]},
        "rope",
    ),
]


@pytest.mark.parametrize(("name", "case", "why"), REFUSED)
def test_refused(name: str, case: dict[str, Any], why: str) -> None:
    assert why in answer(name, case)["refused"]


# ── what a tape tells


def test_a_gear_and_a_lead_that_measure_alike_are_one_class() -> None:
    told = answer("explain-distance", {"asked": 100, "measured": 80.4, "uncertainty": 1, "links": CHAIN})
    best, second = told["classes"][:2]
    assert best == {
        "ratio": "4/5", "becomes": None, "residual": pytest.approx(0.4), "within": True,
        "links": [{"index": 0, "becomes": "5/1"}, {"index": 1, "becomes": 8}],
    }  # fmt: skip
    assert second["ratio"] == "3/5" and not second["within"]
    assert told["decides_at"] == pytest.approx(10)  # 2 mm over a fifth of the way
    by_ratio = {one["ratio"]: one for one in told["classes"]}
    assert by_ratio["127/5"]["becomes"] == "unit" and by_ratio["5/127"]["becomes"] == "unit"
    assert by_ratio["-1/1"] == {
        "ratio": "-1/1", "becomes": "direction", "links": [], "residual": pytest.approx(180.4), "within": False,
    }  # fmt: skip
    # A quarter is measured by a gear of 16 for 4, the lead of 2.5, an encoder of four times the counts.
    assert by_ratio["1/4"]["links"] == [
        {"index": 0, "becomes": "16/1"}, {"index": 1, "becomes": 2.5}, {"index": 2, "becomes": 16384},
    ]  # fmt: skip
    # Inverted and 1 : 4 are one; 4 : 1 is what it is.
    assert by_ratio["16/1"]["links"] == [{"index": 0, "becomes": "1/4"}]
    assert "1/1" not in by_ratio
    assert len(by_ratio) == len(told["classes"])


def test_of_two_as_far_off_the_one_nearer_to_what_is_set_comes_first() -> None:
    told = answer(
        "explain-distance",
        {"asked": 100, "measured": 100, "uncertainty": 1, "links": [{"kind": "lead", "value": 10}]},
    )
    assert [one["ratio"] for one in told["classes"][:3]] == ["4/5", "6/5", "3/5"]
    alike = answer(
        "explain-distance",
        {"asked": 100, "measured": 70, "uncertainty": 1, "links": [{"kind": "lead", "value": "10"}]},
    )
    assert [one["ratio"] for one in alike["classes"][:2]] == ["4/5", "3/5"]
    assert alike["classes"][0]["links"] == [{"index": 0, "becomes": "8"}]


@given(st.data())
def test_what_is_planted_is_in_the_first_class_from_the_deciding_distance_on(data: st.DataObject) -> None:
    chain = [
        MeasuredLink("gear", Fraction(4)),
        MeasuredLink("lead", Fraction(10)),
        MeasuredLink("encoder", Fraction(4096)),
    ]
    known = explained(Fraction(1), Fraction(1), Fraction(1), chain).classes
    ratios = sorted(one.ratio for one in known)
    planted = data.draw(st.sampled_from(ratios))
    nearest = min(abs(planted - other) for other in ratios if other != planted)
    distance = 2 / nearest * Fraction(1001, 1000)
    off = data.draw(st.fractions(-1, 1))
    assert explained(distance, distance * planted + off, Fraction(1), chain).classes[0].ratio == planted


# ── profiles against numerical integration

_SIZES = st.fractions(Fraction(1, 100), 100)


@given(_SIZES, _SIZES, _SIZES, _SIZES, st.none() | _SIZES)
def test_a_profile_ends_where_it_should_within_its_bounds(
    s: Fraction, v: Fraction, a: Fraction, d: Fraction, j: Fraction | None
) -> None:
    limits = MotionLimits(v, a, d if j is None else a, j)
    move = profile(s, limits)
    parts = pieces(move)
    at, speed, highest, steepest = 0.0, 0.0, 0.0, 0.0
    for part in parts:
        # Simpson's rule over the speed: exact for what is at most a square.
        begins, middle, ends = (part.after(share * part.lasts) for share in (0, 0.5, 1))
        at += part.lasts / 6 * (begins[1] + 4 * middle[1] + ends[1])
        speed += part.lasts / 2 * (begins[2] + ends[2])
        highest = max(highest, *(part.after(part.lasts * n / 20)[1] for n in range(21)))
        steepest = max(steepest, *(abs(part.after(part.lasts * n / 20)[2]) for n in range(21)))
    assert at == pytest.approx(float(s), rel=1e-9)
    assert speed == pytest.approx(0, abs=1e-9 * float(v + 1))
    assert highest == pytest.approx(float(move.peak_speed), rel=1e-9)
    assert highest <= float(v) * (1 + 1e-9) and steepest <= float(max(a, limits.deceleration)) * (1 + 1e-9)
    assert sum(part.lasts for part in parts) == pytest.approx(float(move.time), rel=1e-9)
    assert not move.reaches_speed or highest == pytest.approx(float(v), rel=1e-12)
    for one, other in pairwise(parts):
        assert one.after(one.lasts)[1] == pytest.approx(other.v, abs=1e-12)
        if j is not None:
            assert one.after(one.lasts)[2] == pytest.approx(other.a, abs=1e-6 * float(a))


@given(_SIZES, _SIZES, _SIZES, _SIZES)
def test_no_move_with_a_jerk_is_quicker_and_none_with_much_of_it_slower(
    s: Fraction, v: Fraction, a: Fraction, j: Fraction
) -> None:
    without = float(profile(s, MotionLimits(v, a, a)).time)
    assert float(profile(s, MotionLimits(v, a, a, j)).time) >= without * (1 - 1e-12)
    assert float(profile(s, MotionLimits(v, a, a, j * 10**9)).time) == pytest.approx(without, rel=1e-3)


@given(_SIZES, _SIZES, st.none() | _SIZES)
def test_the_stopping_distance_is_half_of_a_move_that_just_comes_to_the_speed(
    v: Fraction, d: Fraction, j: Fraction | None
) -> None:
    stop = stopping_distance(float(v), float(d), None if j is None else float(j), 0)
    move = profile(Fraction(2 * stop) * Fraction(1_000_001, 1_000_000), MotionLimits(v, d, d, j))
    assert move.reaches_speed
    short = profile(Fraction(2 * stop) * Fraction(999_999, 1_000_000), MotionLimits(v, d, d, j))
    assert not short.reaches_speed
    assert stopping_distance(float(v), float(d), None, 0.25) - stopping_distance(
        float(v), float(d), None, 0
    ) == pytest.approx(float(v) / 4)


# ── fractions against all there are


@given(st.fractions(Fraction(1, 40), 40, max_denominator=3000), st.integers(1, 40))
def test_no_fraction_of_small_numbers_is_nearer(value: Fraction, most: int) -> None:
    assume(Fraction(1, most) <= value <= most)
    found = nearest_fraction(value, most)
    best = min(
        (abs(Fraction(n, d) - value), d) for d in range(1, most + 1) for n in range(1, most + 1)
    )  # fmt: skip
    assert (abs(found - value), found.denominator) == best and found.numerator <= most


# ── states exhaustively, by the bits as the standard writes them

_CODING = {
    "x0xx0000": "not_ready_to_switch_on", "x1xx0000": "switch_on_disabled", "x01x0001": "ready_to_switch_on",
    "x01x0011": "switched_on", "x01x0111": "operation_enabled", "x00x0111": "quick_stop_active",
    "x0xx1111": "fault_reaction_active", "x0xx1000": "fault",
}  # fmt: skip


def test_every_status_word_names_the_state_of_its_bits_or_none() -> None:
    for low in range(256):
        bits = f"{low:08b}"
        named = [
            state for coding, state in _CODING.items() if all(c in ("x", b) for c, b in zip(coding, bits, strict=True))
        ]
        assert len(named) <= 1
        for high in (0, 0x02, 0xFF):
            assert cia_402_state(high << 8 | low) == (named[0] if named else None)


# ── arms


@given(st.floats(-80, 80), st.floats(-80, 80), st.floats(-560, -350))
def test_where_the_arms_lead_is_where_they_were_asked_for(x: float, y: float, z: float) -> None:
    robot = Delta(200, 50, 200, 500)
    angles = robot.angles(x, y, z)
    assert robot.position(angles) == pytest.approx((x, y, z), abs=1e-6)
    # Turned by a third, arm 1 stands as arm 3 did.
    third = 2 * math.pi / 3
    turned = (x * math.cos(third) - y * math.sin(third), x * math.sin(third) + y * math.cos(third), z)
    assert robot.angles(*turned) == pytest.approx((angles[2], angles[0], angles[1]), abs=1e-6)


def test_arms_that_cannot_meet_are_refused() -> None:
    with pytest.raises(Refusal, match="meet"):
        Delta(500, 50, 200, 300).position((0, 0, 0))


# ── hand-over


def _seen(hold: int, rpi: int, scan: int, phases: tuple[float, float], lost: int) -> bool:
    """Whether a device that looks every `scan` ms sees a command of `hold` ms that packets every `rpi` ms bring."""
    packet, look = phases
    packets = range(2 * (hold // rpi + 2))
    kept = [packet + n * rpi for n in packets if packet + n * rpi < hold][lost:]
    after = next(packet + n * rpi for n in packets if packet + n * rpi >= hold)
    return bool(kept) and any(kept[0] <= look + n * scan < after for n in range(int(after // scan) + 1))


def test_at_the_told_hold_no_edge_is_missed_though_a_packet_is_lost() -> None:
    rng = random.Random(7)
    missed_short = 0
    for _ in range(10_000):
        rpi, scan = rng.randint(2, 40), rng.randint(1, 60)
        hold = hold_ms(Fraction(rpi), Fraction(scan), Fraction(1), 1)
        phases = (rng.random() * rpi, rng.random() * scan)
        assert _seen(int(hold), rpi, scan, phases, 1), (rpi, scan, phases)
        missed_short += not _seen(int(hold) - 2, rpi, scan, phases, 1)
    assert missed_short


@pytest.mark.parametrize(
    ("kind", "word", "state", "bits"),
    [
        ("cia402-status", 0x0637, "operation enabled", ("remote", "target reached")),
        ("cia402-status", 0x0001, "names no state", ("ready to switch on",)),
        ("cia402-control", 0x0F, "enable operation", ("switch on", "enable voltage")),
        ("cia402-control", 0x02, "quick stop", ("enable voltage",)),
        ("cia402-control", 0x80, "fault reset, on its rising edge", ("fault reset",)),
        ("zsw1", 0x0040, "S1 switching on inhibited", ("switching on inhibited",)),
        ("zsw1", 0x0207, "S4 operation", ("ready for switching on", "control requested")),
        ("stw1", 0x047F, "", ("on", "control by PLC")),
        ("cip-state", 3, "ready", ()),
        ("cip-state", 8, "names no state", ()),
    ],
)
def test_words_are_taken_apart(kind: str, word: int, state: str, bits: tuple[str, ...]) -> None:
    told = decoded_word(kind, word)
    assert told.state == state
    assert set(bits) <= set(told.bits)
    assert len(told.bits) == (word.bit_count() if kind != "cip-state" else 0)


def test_a_word_has_sixteen_bits() -> None:
    with pytest.raises(Refusal, match="16 bits"):
        decoded_word("stw1", 65536)
