"""Axes: exact scales, what a drive is given, torques and travel, against numbers worked by hand and integration."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.figures.motion.torque import ScrewDrive
from highmoor.core.motion.exact import PI
from highmoor.core.motion.mechanics import Mechanics, Turning
from highmoor.core.motion.profiles import BASES
from highmoor.core.motion.scale import INT32
from highmoor.core.networks import FIELDBUSES
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, ChainLink, Controller, Move
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.motion.axes import LIFT, an_axis, applied, found, lift, put, told, turning, with_link, with_moves
from tests.core.plants import hall


def test_the_lift_is_what_was_worked_by_hand() -> None:
    plant = with_moves(lift(), {"to": 400, "wait_s": 1}, {"to": -400, "wait_s": 2, "wait_on": "brake"})
    chain, load, travel = (told(plant, part) for part in ("axis.chain", "axis.load", "axis.travel"))
    # 2²⁰ · 4 / 10 mm.
    assert (chain.scale.exact, chain.scale.numerator, chain.scale.denominator) == ("2097152/5", 2097152, 5)
    assert [link.becomes for link in chain.links] == ["1 turn, 1048576 counts", "0.25 turn", "2.5 mm", "2.5 mm"]
    assert chain.motor_rpm == 4800
    each = (load.forth.accelerating, load.forth.cruising, load.forth.braking)
    assert each == pytest.approx((1.873, 1.450, 1.028), abs=5e-4)
    each = (load.back.accelerating, load.back.cruising, load.back.braking)
    assert each == pytest.approx((0.583, 0.946, 1.309), abs=5e-4)
    assert (load.hold, load.rms, load.cycle_s) == pytest.approx((1.171, 1.063, 7.8), abs=5e-4)
    # ½·(m·g·r)·r/J·t², all that turns at 2e-4 + 6.25e-5 + 4.749e-5 kg m².
    assert load.brake.sag == pytest.approx(0.5 * 1.17098 / 3.09994e-4 * 0.025**2 * 2.5 / math.tau, rel=1e-4)
    # Braked downwards from 502.65 rad/s within 0.4 s by 1.309 Nm, after 1/50 s at 0.946 Nm.
    assert load.braking.energy_j == pytest.approx(502.655 * (1.309 * 0.4 / 2 + 0.946 / 50), rel=1e-3)
    assert travel.stopping == pytest.approx(46)
    assert found(plant) == set()
    encoder = {"16#608F:01": 2**20, "16#608F:02": 1}
    # As its encoder counts, or with the gear and 10 mm a turn in thousandths.
    assert {one.index: one.value for one in chain.scale.objects} == {
        **encoder, "16#6091:01": 1, "16#6091:02": 1, "16#6092:01": 2**20, "16#6092:02": 1,
    }  # fmt: skip
    assert {one.index: one.value for one in told(put(plant, plant.all(Axis)[0].id, settings__drive_digits=3),
                                                 "axis.chain").scale.objects} == {
        **encoder, "16#6091:01": 4, "16#6091:02": 1, "16#6092:01": 10000, "16#6092:02": 1,
    }  # fmt: skip


def test_with_a_jerk_it_takes_longer_to_stop() -> None:
    # ramp = 500/2000 + 200/500 = 0.65 s: 200·(0.01 + 1/50) + 200·0.65/2.
    assert told(lift(jerk=2000), "axis.travel").stopping == pytest.approx(71)
    assert "MOT-121" in found(lift(jerk=2000))


PINION: dict[str, dict[str, Any]] = {
    "motor": {"counts": 1000}, "gear": {"motor_turns": 7, "load_turns": 2}, "pinion": {"teeth": 20, "module_mm": 5},
    "load": {},
}  # fmt: skip


def test_a_pinion_has_no_exact_number_and_says_by_how_much() -> None:
    scale = told(an_axis(PINION, soft_minus=0, soft_plus=46_000), "axis.chain").scale
    # 1000 · 3.5 / (100·π)
    assert scale.exact == "35/π"
    assert not scale.rational
    true = Fraction(35) / PI
    pair = Fraction(scale.numerator, scale.denominator)
    assert max(scale.numerator, scale.denominator) <= INT32
    assert scale.error_a_turn == pytest.approx(float((pair / true - 1) * 100 * PI), rel=1e-9)
    assert scale.error_over_travel == pytest.approx(float((pair / true - 1) * 46_000), rel=1e-9)
    assert abs(scale.error_over_travel) < 1e-12
    assert scale.error_an_hour is None


def test_an_endless_axis_drifts_by_what_is_rounded() -> None:
    plant = with_link(turning(modulo=100), "gear", load_turns=3)
    scale = told(plant, "axis.chain").scale
    # 4096·4/3 counts a turn, of which 100° are 4096·4/3·100/360.
    assert Fraction(scale.modulo_counts) == Fraction(4096 * 4 * 100, 3 * 360)
    exact = float(Fraction(scale.modulo_counts))
    assert scale.modulo_drift_an_hour == pytest.approx(abs(round(exact) / exact - 1) * 360 * 3600)
    # A drive that counts in thousandths of a degree has them whole.
    scale = told(put(plant, plant.all(Axis)[0].id, settings__drive_digits=3), "axis.chain").scale
    assert (scale.modulo_counts, scale.modulo_is_whole, scale.modulo_drift_an_hour) == ("100000", True, 0)


def test_what_a_link_cannot_be_is_said_at_the_link() -> None:
    plant = lift()
    screw = next(link for link in plant.all(ChainLink) if link.kind == "screw")
    assert "lacks its lead" in told(put(plant, screw.id, settings__lead_mm=None), "axis.chain").problem
    gear = applied(plant, edits.PutBefore(id=screw.id, before=plant.all(ChainLink)[1].id))
    assert [link.kind for link in gear.all(ChainLink)] == ["motor", "screw", "gear", "load"]
    wrong = told(gear, "axis.chain")
    assert wrong.problem == "the gear or pulleys stands behind what makes a way of turns"
    assert wrong.at == gear.all(ChainLink)[2].id
    assert [link.problem != "" for link in wrong.links] == [False, False, True, False]
    assert told(gear, "axis.load") is None
    turns = put(plant, plant.all(Axis)[0].id, kind="rotary")
    assert "this axis turns" in told(turns, "axis.chain").problem
    none = applied(plant, edits.Remove(ids=[plant.all(ChainLink)[0].id]))
    assert told(none, "axis.chain").problem == "it has no motor"


@pytest.mark.parametrize(
    ("kind", "values", "why"),
    [
        ("screw", {"settings.lead_mm": 0}, "below"),
        ("screw", {"settings.lead_mm": -5}, "below"),
        ("gear", {"settings.motor_turns": -4}, "below"),
        ("motor", {"settings.counts": 1.5}, "whole"),
        ("screw", {"settings.efficiency": 101}, "above 100"),
        ("load", {"settings.incline_deg": 91}, "above 90"),
        ("load", {"settings.mass_kg": "3 m"}, "kg"),
    ],
)
def test_no_link_takes_what_cannot_be(kind: str, values: dict[str, Any], why: str) -> None:
    link = next(link for link in lift().all(ChainLink) if link.kind == kind)
    with pytest.raises(Refusal, match=why):
        apply(lift(), BUILTIN, edits.SetFields(ids=[link.id], values=values))


def test_sizes_may_be_typed_in_other_units() -> None:
    plant = with_link(lift(speed="12 m/min"), "load", mass_kg="0.3 t")
    assert plant.all(Axis)[0].settings["speed"] == 200
    assert next(link for link in plant.all(ChainLink) if link.kind == "load").settings["mass_kg"] == 300


def test_links_stand_where_they_can() -> None:
    plant = hall()
    plant = applied(plant, edits.AddAxis(controller=plant.all(Controller)[0].id, axis="speed", tag="$a"))
    axis = plant.all(Axis)[0].id
    for kind in ("screw", "gear"):
        plant = applied(plant, edits.AddChainLink(axis=axis, link=kind))
    assert [link.kind for link in plant.all(ChainLink)] == ["motor", "gear", "screw", "load"]
    with pytest.raises(Refusal, match="motor already"):
        applied(plant, edits.AddChainLink(axis=axis, link="motor"))


def _powers(mechanics: Mechanics, way: int, rate: float) -> tuple[float, float]:
    """Power at the motor and at the load's end, at a speed of 1 there."""
    return mechanics.torque(way, rate) * way / mechanics.reach, way * (mechanics.mass * (rate + mechanics.gravity))


_STAGES = st.builds(
    Turning, st.floats(0.01, 2), st.floats(0, 0.01), st.floats(0.3, 1), st.booleans()
)  # fmt: skip
_MECHANICS = st.builds(
    Mechanics, st.floats(1e-5, 0.01), st.lists(_STAGES, max_size=4).map(tuple), st.floats(0.1, 1000),
    st.floats(0, 9.81), st.floats(0, 500),
)  # fmt: skip


@given(_MECHANICS, st.sampled_from([1, -1]), st.floats(-3, 3))
def test_links_only_ever_take_power(mechanics: Mechanics, way: int, rate: float) -> None:
    without = Mechanics(
        mechanics.motor_inertia,
        tuple(Turning(s.ratio, s.inertia, 1.0, s.before) for s in mechanics.stages),
        mechanics.mass, mechanics.gravity, 0.0,
    )  # fmt: skip
    # Without losses the motor gives what all inertia and gravity take, and torque is inertia times acceleration.
    assert without.torque(way, rate) == pytest.approx(
        without.inertia * rate / without.reach + without.hold, rel=1e-9, abs=1e-9
    )
    assert mechanics.torque(way, rate) * way >= without.torque(way, rate) * way - 1e-9
    # More acceleration the way it goes never takes less.
    assert mechanics.torque(way, rate + 0.1 * way) * way > mechanics.torque(way, rate) * way


@given(
    st.floats(1, 1000), st.floats(1, 50), st.floats(0.2, 50), st.floats(0.3, 1), st.floats(0.3, 1),
    st.floats(1e-5, 0.01), st.floats(1e-5, 0.01), st.floats(0, 5), st.booleans(),
)  # fmt: skip
def test_a_chain_of_gear_and_screw_is_the_figure(
    mass: float, lead: float, gear: float, eta_screw: float, eta_gear: float, j_motor: float, j_screw: float,
    rate: float, vertical: bool,
) -> None:  # fmt: skip
    figure = ScrewDrive(mass, lead, gear, eta_screw, eta_gear, j_motor, j_screw, rate, vertical)
    stages = (
        Turning(1 / gear, 0.0, eta_gear, before=True), Turning(lead / 1000 / math.tau, j_screw, eta_screw, before=False)
    )  # fmt: skip
    chain = Mechanics(j_motor, stages, mass, 9.81 if vertical else 0.0, 0.0)
    for way in (1, -1):
        assert [chain.torque(way, way * a) for a in (rate, 0.0, -rate)] == pytest.approx(figure.phases(way))
    assert chain.hold == pytest.approx(figure.hold)


def test_wheel_belt_and_pinion_feel_the_mass_at_half_their_diameter() -> None:
    for kind, sizes, diameter in (
        ("wheel", {"diameter_mm": 80}, 80.0),
        ("belt", {"teeth": 32, "pitch_mm": 5}, 160 / math.pi),
        ("pinion", {"teeth": 20, "module_mm": 4}, 80.0),
    ):
        links = {"motor": {"counts": 4096, "inertia": 0.001}, kind: sizes, "load": {"mass_kg": 50}}
        load = told(an_axis(links, speed=100, acceleration=1000), "axis.load")
        assert load.load_inertia == pytest.approx(50 * (diameter / 2000) ** 2)
        assert load.forth.accelerating == pytest.approx(
            50 * 1 * diameter / 2000 + 0.001 * 1 / (diameter / 2000)
        )  # fmt: skip


def test_the_cycle_is_all_moves_in_their_order() -> None:
    plant = with_moves(
        lift(), {"to": 400, "wait_s": 1, "goes": "absolute"}, {"to": 0, "wait_s": 2, "goes": "absolute",
                                                              "wait_on": "brake"},
    )  # fmt: skip
    assert told(plant, "axis.load").rms == pytest.approx(1.063, abs=5e-4)
    slow = with_moves(lift(), {"to": 400, "speed": 100, "wait_s": 1})
    # 0.2 + 3.8 + 0.2 s of moving.
    assert told(slow, "axis.load").cycle_s == pytest.approx(5.2)
    first, second = plant.all(Move)
    turned = applied(plant, edits.PutBefore(id=second.id, before=first.id))
    assert [move.id for move in turned.all(Move)] == [second.id, first.id]


def _drive(plant: Plant) -> str | None:
    return plant.all(Axis)[0].drive


def test_an_axis_outlives_its_drive_and_goes_with_its_controller() -> None:
    from tests.core.motion.wrong import WRONG

    plant = WRONG["MOT-102"]()[0]
    drive = _drive(plant)
    assert drive is not None
    left = applied(plant, edits.Remove(ids=[drive]))
    assert _drive(left) is None
    gone = applied(plant, edits.Remove(ids=[plant.all(Controller)[0].id]))
    assert not gone.all(Axis) and not gone.all(ChainLink)
    assert LIFT["gear"]["motor_turns"] == 4


def test_every_fieldbus_names_profiles_that_there_are() -> None:
    assert {key for bus in FIELDBUSES for key in bus.drive_profiles} <= BASES.keys()
