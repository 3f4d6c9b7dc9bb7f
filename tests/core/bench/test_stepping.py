"""A stepping axis on a pulse output: it goes as told, and loses what its output, its driver or its motor cannot."""

from __future__ import annotations

from typing import Any

import pytest

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis
from tests.core.bench.test_axes import Moved
from tests.core.motion.axes import with_link
from tests.core.motion.stepping import stepping


def moved_by(plant: Plant, distance: float, speed: float, rate: float, seconds: float = 4.0) -> Moved:
    moved = Moved(plant, BUILTIN)
    moved.do("enable")
    moved.after(0.5)
    moved.move(distance, speed, rate)
    return moved.after(seconds)


def _went(moved: Moved) -> float:
    return float(moved.machine.position)


def test_it_goes_by_its_pulses_and_back() -> None:
    moved = moved_by(stepping(speed=30, acceleration=100), 50, 30, 100)
    assert moved.state == "standstill"
    assert _went(moved) == pytest.approx(50, abs=1 / 640) and moved.at == pytest.approx(50, abs=1 / 640)
    moved.move(-20, 30, 100)
    assert _went(moved.after(3)) == pytest.approx(30, abs=2 / 640) and moved.drive.lost == 0
    moved.do("home", distance=100)
    moved.after(0.5)
    assert moved.at == pytest.approx(100) and _went(moved) == pytest.approx(30, abs=2 / 640)
    moved.move(5, 30, 100)
    assert _went(moved.after(2)) == pytest.approx(35, abs=3 / 640)
    moved.do("jog", speed=10)
    assert moved.after(0.2).state == "jogging" and _went(moved) > 36
    assert moved.after(1).state == "standstill"


def test_more_pulses_than_the_output_gives_make_it_slower_than_its_program_believes() -> None:
    # 40 mm/s are 25 600 Hz; the output gives 20 000, which are 31.25 mm/s.
    told = analyse(stepping(speed=40), BUILTIN).result("axis.stepper", stepping().all(Axis)[0].id)
    assert told.hz > told.most_hz
    moved = moved_by(stepping(speed=40), 50, 40, 100, 1.2)
    assert abs(moved.drive.shown_speed) * 640 == pytest.approx(20_000)
    assert moved.after(3).state == "standstill" and moved.drive.lost == 0


def test_what_starts_quicker_than_it_can_loses_steps_and_says_nothing() -> None:
    plant = stepping(speed=30, acceleration=20_000)
    starts = analyse(plant, BUILTIN).result("axis.stepper", plant.all(Axis)[0].id).starts_hz
    # In a step of 2 ms it comes to its speed; below the start-stop frequency that is nothing.
    slow = 0.95 * starts / 640
    for speed, loses in ((slow, False), (1.05 * starts / 640, True)):
        moved = moved_by(plant, 20, speed, 20_000, 12)
        assert (moved.drive.lost > 0) == loses, speed
        assert (moved.state, moved.at) == ("standstill", pytest.approx(20, abs=0.01))
        assert (_went(moved) < 19) == loses
    # More mass than drawn starts less quickly; with a ramp it goes all the same.
    heavy = with_link(plant, "load", mass_kg=40)
    assert moved_by(heavy, 20, slow, 20_000, 12).drive.lost > 0
    assert moved_by(heavy, 20, slow, 50, 14).drive.lost == 0


def test_too_little_torque_and_pulses_too_short_lose_all() -> None:
    def of(**motor: Any) -> Moved:
        return moved_by(with_link(stepping(speed=30, acceleration=100), "stepper", **motor), 20, 30, 100, 3)

    # 2 kg by 0.1 m/s² on 5 mm a turn, and 6.67e-6 kg m² by 126 rad/s²: about 1 mNm.
    assert of(hold_nm=0.0012, peak_nm=0.0011, rated_rpm=600).drive.lost == 0
    assert of(hold_nm=0.0005, peak_nm=0.0004, rated_rpm=600).drive.lost > 0
    # Enough standing, and too little at 360 1/min.
    fading = of(hold_nm=0.02, peak_nm=0.0001, rated_rpm=330)
    assert fading.drive.lost > 0 and _went(fading) > 0.05
