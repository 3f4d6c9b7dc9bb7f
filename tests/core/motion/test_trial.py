"""The trial move and the tape: what is proposed, how it is drawn, and that the tape names what is really wrong."""

from __future__ import annotations

import random
from fractions import Fraction
from typing import Any

import pytest

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.figures.motion.explain import REDUCTIONS, LinkKind, MeasuredLink, explained
from highmoor.core.motion.trial import curve, lead_of, proposed
from highmoor.core.motion.units import UNITS
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, ChainLink
from highmoor.core.project.apply import apply
from highmoor.core.project.tape import Measured, TapeTold, asks_for, read_tape
from tests.core.bench.test_axes import RIGHT, Moved, _link, _set
from tests.core.demo import LIBRARY
from tests.core.motion.axes import an_axis, lift, turning, with_link


def _proposed(plant: Plant) -> Any:
    axis = plant.all(Axis)[0]
    return proposed(axis, analyse(plant, BUILTIN).result("axis.links", axis.id))


def test_what_is_proposed_for_the_lift() -> None:
    told = _proposed(lift())
    # A lead of 8 or 12 for 10 is the nearest: 2 · 1 mm / 0.2; a quarter of 400 mm is more and no risk.
    assert told.distance == 100
    assert told.why[0] == "read to 1 mm, a tape tells a wrong link from 10 mm on"
    assert told.acceleration == 125
    # 5 s for 100 mm by 125 mm/s²: v²/125 − 5·v + 100 = 0.
    assert told.speed == 20
    drawn = curve(lift().all(Axis)[0], Fraction(100), Fraction(20), Fraction(125), None)
    assert drawn.time == pytest.approx(100 / 20 + 20 / 125)
    assert told.uncertainty == 1 and told.jerk is None
    # What bounds the axis's jerk bounds its trial as well.
    assert _proposed(lift(jerk=1000)).jerk == 1000


def test_a_move_stops_within_a_tenth_of_the_travel_and_needs_one() -> None:
    short = _proposed(lift(soft_plus=30))
    # Down from the proposed speed within 3 mm.
    assert short.speed**2 / (2 * short.acceleration) <= 3
    assert short.distance <= 30
    assert _proposed(lift(speed=None)) is None
    assert _proposed(with_link(lift(), "screw", lead_mm=None)) is None
    # 0.1°: nearest is 3 : 1 or 5 : 1 for 4 : 1, of which the last measures 0.8.
    assert _proposed(turning()).why[0] == "read to 0.1 °, a tape tells a wrong link from 1 ° on"


def test_a_speed_that_is_not_reached_is_said_with_what_would() -> None:
    axis = lift().all(Axis)[0]
    told = curve(axis, Fraction(-20), Fraction(100), Fraction(125), None)
    assert (told.reaches_speed, told.distance) == (False, -20)
    assert told.peak_speed == pytest.approx(50)
    assert told.says == (
        "100 mm/s is not reached: the move is at 50 mm/s when it has to brake. 80 mm would reach it, or 500 mm/s²."
    )
    assert curve(axis, Fraction(80), Fraction(100), Fraction(125), None).says == ""
    assert curve(axis, Fraction(20), Fraction(100), Fraction(500), None).says == ""
    jerky = curve(axis, Fraction(20), Fraction(100), Fraction(125), Fraction(1000))
    # A ramp of 125/1000 + 100/125 s at 100 mm/s.
    assert "92.5 mm would reach it." in jerky.says
    assert min(piece.v for piece in told.pieces) < 0
    with pytest.raises(Refusal, match="speed"):
        curve(axis, Fraction(20), Fraction(0), Fraction(125), None)


def _tape(plant: Plant, *moves: tuple[Any, Any], off: Any = None) -> TapeTold:
    measured = [Measured(Fraction(str(asked)), Fraction(str(went))) for asked, went in moves]
    uncertainty = None if off is None else Fraction(str(off))
    return read_tape(analyse(plant, BUILTIN), plant.all(Axis)[0].id, measured, uncertainty)


def test_a_gear_and_a_lead_that_measure_alike_are_told_by_a_look_and_each_mends() -> None:
    told = _tape(lift(), (100, 80))
    assert not told.right
    (best, *others) = told.classes
    assert [one.says for one in best.suspects] == ["gear 5 : 1", "lead 8 mm"]
    assert all("turn" in one.look for one in best.suspects)
    assert not any(one.within for one in others)
    for suspect in best.suspects:
        assert suspect.edit is not None
        mended = apply(lift(), BUILTIN, suspect.edit).plant
        # 100 mm asked by the old chain were 80 mm: the new one says so.
        scale = analyse(mended, BUILTIN).result("axis.chain", mended.all(Axis)[0].id).scale
        assert scale.value * 80 == pytest.approx(419430.4 * 100)


def test_inches_and_the_other_way_round_are_named_and_mended() -> None:
    inch = _tape(lift(), (100, 2540))
    assert inch.classes[0].suspects[0].says == "a size in inches taken for millimetres"
    edit = inch.classes[0].suspects[0].edit
    assert edit is not None
    screw = next(link for link in apply(lift(), BUILTIN, edit).plant.all(ChainLink) if link.kind == "screw")
    assert screw.settings["lead_mm"] == 254
    back = _tape(lift(), (100, -100))
    assert back.classes[0].suspects[0].says == "the motor turns the other way"
    turn = back.classes[0].suspects[0].edit
    assert turn is not None
    assert apply(lift(), BUILTIN, turn).plant.all(Axis)[0].settings["reversed"] is True


def test_right_is_right_and_nothing_is_nothing() -> None:
    assert _tape(lift(), (100, 100.9)).right
    assert not _tape(lift(), (100, 101.1)).right
    slip = _tape(lift(), (100, 93))
    assert not slip.right and "slip" in slip.says
    # The same reading on a tape that is worse explains more.
    assert _tape(lift(), (10, 7), off=2).further is not None
    with pytest.raises(Refusal, match="one length"):
        _tape(lift(), (100, 80), (100, 81))
    with pytest.raises(Refusal, match="0"):
        _tape(lift(), (0, 80))
    with pytest.raises(Refusal, match="no scale"):
        _tape(with_link(lift(), "screw", lead_mm=None), (100, 80))


def test_two_moves_part_the_scale_from_what_is_lost_at_the_reversal() -> None:
    told = _tape(lift(), (100, 96), (300, 296))
    assert told.lost is not None
    assert (told.lost.scale, told.lost.lost) == (1, -4)
    # ± 2·1/200, and 1·(1 + 2·100/200).
    assert (told.lost.scale_off, told.lost.lost_off) == (0.01, 2)
    assert told.lost.significant and told.right
    little = _tape(lift(), (100, 98.5), (300, 298.5))
    assert little.lost is not None and not little.lost.significant
    both = _tape(lift(), (100, 76), (300, 236))
    assert [one.says for one in both.classes[0].suspects] == ["gear 5 : 1", "lead 8 mm"]


def _random_chain(rng: random.Random) -> list[MeasuredLink]:
    """A gear or two, something that makes a way, an encoder."""
    links = [MeasuredLink("encoder", Fraction(rng.choice([1024, 4096, 2**20])))]
    for _ in range(rng.randint(0, 2)):
        links.append(MeasuredLink("gear", Fraction(rng.choice(REDUCTIONS), rng.choice([1, 1, 2, 3]))))
    kinds: list[LinkKind] = ["lead", "lead", "pinion", "belt", "wheel"]
    links.append(MeasuredLink(rng.choice(kinds), Fraction(rng.choice([4, 5, 8, 10, 16, 20, 60, 160]))))
    return links


def test_what_is_planted_is_named_at_the_distance_that_is_asked_for(capsys: pytest.CaptureFixture[str]) -> None:
    rng, off = random.Random(11), Fraction(1)
    named = 0
    trials = 1500
    for _ in range(trials):
        chain = _random_chain(rng)
        planted = rng.choice(explained(Fraction(1), Fraction(1), off, chain).classes).ratio

        def tape(distance: Fraction, ratio: Fraction = planted) -> Fraction:
            return distance * ratio + Fraction(rng.randint(-1000, 1000), 1000)

        distance = Fraction(rng.choice([20, 50, 100]))
        found = explained(distance, tape(distance), off, chain)
        further = asks_for(found, off)
        if further is not None:
            found = explained(further, tape(further), off, chain)
        named += found.classes[0].ratio == planted
    with capsys.disabled():
        print(f"\nplanted ratio in the first class: {named} of {trials}")
    assert named >= 0.99 * trials


def test_of_a_pinion_everything_but_itself_can_be_explained() -> None:
    links: dict[str, dict[str, Any]] = {
        "motor": {"counts": 1000}, "gear": {"motor_turns": 10}, "pinion": {"teeth": 20, "module_mm": 5}, "load": {},
    }  # fmt: skip
    told = _tape(an_axis(links), (1000, 833.4))
    assert [one.says for one in told.classes[0].suspects] == ["gear 12 : 1"]


@pytest.mark.parametrize(("play", "lead"), [(0, 0), (0.099, 0), (0.1, 0.2), (0.3, 1), (2.5, 5)])
def test_a_play_that_a_tape_would_tell_is_taken_up_first(play: float, lead: float) -> None:
    assert lead_of(play, UNITS["mm"]) == lead


def test_once_its_play_is_taken_up_it_goes_all_the_way() -> None:
    level = _set(RIGHT, LIBRARY, _link(RIGHT, "load").id, incline_deg=0)
    moved = Moved(_set(level, LIBRARY, _link(RIGHT, "screw").id, play_mm=3), LIBRARY)
    moved.do("enable")
    moved.after(1)

    def goes(*ways: float) -> float:
        """How far the last of these moves goes."""
        begin = 0.0
        for way in ways:
            begin = moved.machine.position
            moved.move(way, 100, 500)
            moved.after(2)
        return float(moved.machine.position) - begin

    # After a reversal it lacks the play; led back and forth first, it lacks nothing.
    assert goes(-50, 50) == pytest.approx(47, abs=0.01)
    lead = lead_of(3, UNITS["mm"])
    assert goes(-50, -lead, lead, 50) == pytest.approx(50, abs=0.01)
    assert goes(50, lead, -lead, -50) == pytest.approx(-50, abs=0.01)
