"""What is told of a motor's load, measured on the bench while the machine moves."""

from __future__ import annotations

from fractions import Fraction
from math import sqrt, tau

import pytest

from highmoor.core.parts import analyse
from highmoor.core.project.tape import Measured, read_tape
from tests.core.bench.test_axes import RIGHT, Moved, _as_built, _link, _set
from tests.core.demo import LIBRARY

_STEP = 0.002


def _measured(moved: Moved, seconds: float) -> list[tuple[float, float]]:
    """Torque, Nm, and motor speed, rad/s, step by step."""
    found = []
    for _ in range(round(seconds / _STEP)):
        moved.after(_STEP)
        machine = moved.machine
        found.append((machine.torque, machine.speed / machine.build.way * tau))
    return found


def _at_the_bottom() -> Moved:
    """The lift at its lower end, powered."""
    moved = Moved(_as_built(RIGHT, LIBRARY, position=0), LIBRARY)
    moved.do("enable")
    moved.after(1)
    return moved


def test_torque_phase_by_phase_and_over_the_cycle_is_what_is_told() -> None:
    moved = _at_the_bottom()
    told = analyse(RIGHT, LIBRARY).result("axis.load", moved.id)
    every: list[tuple[float, float]] = []
    for way, phases in ((400, told.forth), (-400, told.back)):
        moved.move(way, 200, 500)
        course = _measured(moved, 2.4)
        sign = 1 if way > 0 else -1
        # By 500 mm/s² to 200 mm/s: 0.4 s of ramp, 1.6 s of cruise, 0.4 s of ramp.
        for at, expected in ((0.25, phases.accelerating), (1.2, phases.cruising), (2.2, phases.braking)):
            middle = course[round(at / _STEP) - 20 : round(at / _STEP) + 20]
            mean = sum(torque for torque, _ in middle) / len(middle)
            assert mean == pytest.approx(expected, rel=0.02), (way, at, sign)
        every += course
        if way > 0:
            every += _measured(moved, 1.0)
        else:
            # Then two seconds on the brake, without torque.
            moved.do("disable")
            every += [(0.0, 0.0)] * 1000
    rms = sqrt(sum(torque**2 for torque, _ in every) / len(every))
    assert rms == pytest.approx(told.rms, rel=0.02)
    assert len(every) * _STEP == pytest.approx(told.cycle_s)
    # Set-points come every 10 ms: between two of them the torque rises and falls by a little.
    assert max(abs(torque) for torque, _ in every) <= told.peak * 1.06


def test_what_a_stop_brings_back_is_no_more_than_is_told() -> None:
    moved = _at_the_bottom()
    told = analyse(RIGHT, LIBRARY).result("axis.load", moved.id).braking
    moved.move(390, 200, 500)
    moved.after(2.5)
    # Downwards and stopped from its highest speed: power at the motor that comes back while it is braked.
    moved.move(-390, 200, 500)
    moved.after(1.0)
    back = 0.0
    for torque, turning in _measured(moved, 2.0):
        braked = abs(turning) < 0.995 * 200 / 2.5 * tau
        back += max(-torque * turning, 0.0) * _STEP if braked else 0.0
    assert 0.95 * told.energy_j < back <= told.energy_j


def test_an_encoder_of_other_counts_measures_as_such() -> None:
    # Lines are taken for what is counted: a quarter of it.
    lines = _as_built(RIGHT, LIBRARY, **{f"chain__{_link(RIGHT, 'motor').id}__counts": 2**18})
    moved = Moved(lines, LIBRARY)
    moved.do("enable")
    moved.after(1)
    begin = moved.machine.position
    moved.move(40, 40, 125)
    assert moved.after(3).state == "standstill"
    # It believes that it went 40 mm, and went four times as far.
    assert moved.machine.position - begin == pytest.approx(160, abs=0.001)
    told = read_tape(analyse(RIGHT, LIBRARY), moved.id, [Measured(Fraction(40), Fraction(160))], None)
    assert "262144 counts a turn" in [one.says for one in told.classes[0].suspects]


def test_play_is_lost_once_a_reversal() -> None:
    level = _set(RIGHT, LIBRARY, _link(RIGHT, "load").id, incline_deg=0)
    moved = Moved(_as_built(level, LIBRARY, **{f"chain__{_link(RIGHT, 'screw').id}__play_mm": 2}), LIBRARY)
    moved.do("enable")
    moved.after(1)
    # It begins in the middle of its play.
    for way, goes in ((50, 49), (50, 50), (-50, -48), (-30, -30), (20, 18)):
        begin = moved.machine.position
        moved.move(way, 100, 500)
        moved.after(2)
        assert moved.state == "standstill"
        assert moved.machine.position - begin == pytest.approx(goes, abs=0.001), way


def test_a_climbing_load_rests_on_one_side_of_its_play() -> None:
    moved = Moved(_as_built(RIGHT, LIBRARY, **{f"chain__{_link(RIGHT, 'screw').id}__play_mm": 2}), LIBRARY)
    moved.do("enable")
    moved.after(1)
    for way in (50, -50):
        begin = moved.machine.position
        moved.move(way, 100, 500)
        moved.after(2)
        assert moved.machine.position - begin == pytest.approx(way, abs=0.001)
