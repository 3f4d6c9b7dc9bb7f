"""Stepping axes against numbers worked by hand: pulses, starting, switches, currents, coils, a program's timer."""

from __future__ import annotations

from itertools import combinations
from math import sqrt

import pytest

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.motion.steppers import coil_pairs
from highmoor.core.parts import analyse
from highmoor.core.plant.rows import Axis, ChainLink
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.motion.axes import applied, found, told
from tests.core.motion.stepping import stepping, timed


def test_pulses_of_the_dispenser() -> None:
    plant = stepping(speed=40)
    axis = told(plant, "axis.stepper")
    assert (axis.pulses_a_turn, axis.pulses_a_unit, axis.hz) == (3200, "640", 25_600)
    assert (axis.most_hz, axis.output, axis.direction) == (20_000, "ch14", "ch15")
    assert "MOT-141" in found(plant)
    # A tenth of a quarter: 2 kg on 5 mm are 1.267e-6 kg m² beside a rotor of 5.4e-6.
    load = 2 * (0.005 / 2 / 3.141592653589793) ** 2
    assert axis.starts_hz == pytest.approx(1800 / sqrt(1 + load / 5.4e-6))
    assert (axis.current_switches, axis.microstep_switches) == ("000", "100")
    assert axis.rated_peak == pytest.approx(0.8485, abs=1e-4)
    assert (axis.polarity, axis.driver_input) == ("sourcing", "sourcing")
    assert axis.pulse_us == pytest.approx(500_000 / 25_600)
    assert axis.timed == ()
    assert told(plant, "axis.chain").links[0].becomes == "1 turn, 3200 pulses"


def test_a_timer_makes_the_speeds_it_can() -> None:
    speeds = told(timed(), "axis.stepper").timed
    # HALL's quick task of 10 ms: high in one run and low in the next are 50 Hz, 50/3200 turns of 5 mm.
    assert [(one.periods, one.hz) for one in speeds[:3]] == [(1, 50), (2, 25), (3, pytest.approx(50 / 3))]
    assert speeds[0].speed == pytest.approx(50 / 640)


def test_four_wires_are_two_coils() -> None:
    every = dict.fromkeys(combinations(range(4), 2))
    assert coil_pairs({**every, (0, 2): 4.1, (1, 3): 4.0}) == ((0, 2), (1, 3))
    assert coil_pairs({**every, (0, 1): 4.1}) is None
    assert coil_pairs({**every, (0, 1): 4.1, (1, 2): 4.1}) is None
    assert coil_pairs(every) is None
    assert coil_pairs({**every, (0, 1): 4.0, (2, 3): 4.0, (0, 2): 8.0}) is None


def test_an_axis_of_a_pulse_output_begins_with_a_stepping_motor_on_the_next_free_one() -> None:
    plant = stepping()
    axis = plant.all(Axis)[0]
    for name, key in (("SECOND", "ch0"), ("THIRD", "ch2"), ("FOURTH", "ch0")):
        made = apply(plant, BUILTIN, edits.AddAxis(controller=axis.controller, name=name, drive=axis.drive, tag="$a"))
        plant = made.plant
        assert plant.get(made.tags["$a"], Axis).key == key
        assert next(link.kind for link in plant.children(ChainLink, made.tags["$a"])) == "stepper"


def test_a_chain_has_one_motor_of_either_kind() -> None:
    axis = next(iter(stepping().tables["axes"]))
    for kind in ("motor", "stepper"):
        with pytest.raises(Refusal, match="motor already"):
            applied(stepping(), edits.AddChainLink(axis=axis, link=kind))  # type: ignore[arg-type]


def test_its_channels_say_whose_pulses_they_give() -> None:
    plant = stepping()
    drive = plant.all(Axis)[0].drive or ""
    channels = analyse(plant, BUILTIN).result("module.channels", drive).channels
    assert {channel.key: channel.gives for channel in channels if channel.gives} == {
        "ch14": "pulses of LIFT", "ch15": "direction of LIFT",
    }  # fmt: skip
