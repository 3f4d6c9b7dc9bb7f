"""Homing methods: where each ends and which way it sets out, from every zone, by a table written from the standard's
pictures (IEC 61800-7-201, homing mode)."""

from __future__ import annotations

from dataclasses import replace
from math import inf
from random import Random

import pytest

from highmoor.core.motion.home_search import METHODS, Ground
from highmoor.core.motion.homing import HomingSpeeds, edge_of, home_of, walk_home, zones
from tests.core.motion.axes import lift, told

# Limit switches held below −50 and above 450, a home switch from 100 to 140, an index each 2.5 from 1.3 on.
GROUND = Ground((-60, -50), (450, 470), (100, 140), 1.3, 2.5)
TO_THE_TOP, FROM_THE_BOTTOM = (100, inf), (-inf, 140)
ENDS = {
    1: -48.7, 2: 448.8, 3: 98.8, 4: 101.3, 5: 141.3, 6: 138.8, 7: 98.8, 8: 101.3, 9: 138.8, 10: 141.3, 11: 141.3,
    12: 138.8, 13: 101.3, 14: 98.8, 17: -50, 18: 450, 19: 100, 20: 100, 21: 140, 22: 140, 23: 100, 24: 100, 25: 140,
    26: 140, 27: 140, 28: 140, 29: 100, 30: 100, 33: 198.8, 34: 201.3, 37: 200,
}  # fmt: skip
# Which way it sets out below the home switch, on it, above it; where it comes to a limit on the way it turns round.
BELOW, ON, ABOVE = 20.0, 120.0, 200.0
SETS_OUT = {7: "+-+", 8: "+-+", 9: "+++", 10: "+++", 11: "-+-", 12: "-+-", 13: "---", 14: "---"}
TURNS_AT_A_LIMIT = {7: ABOVE, 8: ABOVE, 9: ABOVE, 10: ABOVE, 11: BELOW, 12: BELOW, 13: BELOW, 14: BELOW}
SPEEDS = HomingSpeeds(20, 2, 500)


def _ground(number: int) -> Ground:
    where = {3: TO_THE_TOP, 4: TO_THE_TOP, 5: FROM_THE_BOTTOM, 6: FROM_THE_BOTTOM}
    return replace(GROUND, home=where.get(number if number < 16 else number - 16, GROUND.home))


def test_there_are_those_methods_that_the_standard_has() -> None:
    assert sorted(METHODS) == [*range(1, 15), *range(17, 31), 33, 34, 37]


@pytest.mark.parametrize("number", METHODS)
def test_every_method_ends_at_its_edge_or_index_from_every_zone(number: int) -> None:
    method, ground = METHODS[number], _ground(number)
    starts = [(low + high) / 2 for _, (low, high) in zones(ground, method, (-100, 500))]
    assert len(starts) == (3 if 7 <= number % 16 <= 14 else 2 if method.switch else 1)
    # Also from where the edge, the index or a limit are right under it.
    starts += [-50, 100, 140, 450, 101.3] if method.switch else []
    for start in starts:
        search, points = walk_home(ground, method, SPEEDS, start, 600)
        assert search.phase == "done", start
        assert search.found == pytest.approx(ENDS[number], abs=1e-9), start
        # It goes over the edge a last time slowly, so it stops within a ramp of what it found.
        assert abs(points[-1][1] - ENDS[number]) <= 0.2, start
    if method.switch:
        assert home_of(ground, method) == pytest.approx(ENDS[number]) or method.index


@pytest.mark.parametrize("number", [*SETS_OUT, *(n + 16 for n in SETS_OUT)])
def test_which_way_it_sets_out_and_where_it_turns(number: int) -> None:
    first = number if number < 16 else number - 16
    for start, sign in zip((BELOW, ON, ABOVE), SETS_OUT[first], strict=True):
        _, points = walk_home(GROUND, METHODS[number], SPEEDS, start, 600)
        places = [at for _, at in points]
        assert (places[1] > start) == (sign == "+"), start
        at_a_limit = min(places) < -50 or max(places) > 450
        assert at_a_limit == (start == TURNS_AT_A_LIMIT[first]), start


def test_what_is_not_there_is_not_found() -> None:
    nowhere = replace(GROUND, home=None)
    search, _ = walk_home(nowhere, METHODS[7], SPEEDS, BELOW, 600)
    assert (search.phase, search.found) == ("failed", None)
    assert edge_of(replace(GROUND, home=FROM_THE_BOTTOM), METHODS[7]) is None


def test_whatever_the_speeds_and_the_switch_home_is_the_same() -> None:
    dice = Random(5)
    for _ in range(300):
        low = dice.uniform(-20, 400)
        width = dice.choice((0.05, 1.0, 30.0))
        ground = replace(GROUND, home=(low, low + width), index=dice.uniform(0, 2.5))
        method = METHODS[dice.choice([*range(7, 15), *range(23, 31), 1, 2, 17, 18])]
        speeds = HomingSpeeds(dice.uniform(2, 80), dice.uniform(0.2, 2), dice.uniform(100, 2000))
        search, _ = walk_home(ground, method, speeds, dice.uniform(-49, 449), 600)
        edge = edge_of(ground, method)
        assert edge is not None and search.found is not None
        after = (search.found - edge) * method.side
        assert search.found == edge if not method.index else 0 <= after <= 2.5 + 1e-9
        index = (search.found - ground.index) / 2.5
        assert not method.index or index == pytest.approx(round(index), abs=1e-6)


def test_what_is_told_of_homing() -> None:
    # The lift turns 2.5 mm a motor turn and counts 2²⁰ in that; the index is 0.42 of a turn behind the switch at −50.
    home = told(lift(home_method=1, index_turn=0.42), "axis.home")
    assert (home.home, home.position, home.missing) == (pytest.approx(-48.95), pytest.approx(-48.95), "")
    assert (home.fast, home.slow, home.room) == (20, 2, 50)
    # 20 mm/s by 500 mm/s², after 10 ms and a loop of 1/50 s.
    assert home.runs_on == pytest.approx(20**2 / 1000 + 20 * 0.03)
    objects = {one.index: one.value for one in home.objects}
    counts = 2**20 / 2.5
    assert objects == {
        "6098": 1, "607C": round(-48.95 * counts), "6099:01": round(20 * counts), "6099:02": round(2 * counts),
        "609A": round(500 * counts),
    }  # fmt: skip
    assert told(lift(), "axis.home") is None
    assert told(lift(home_method=5, home_from=3), "axis.home").missing == "upper edge of a home switch"
    # 0.4 m at 20 mm/s and then slowly back: the drawing tells how long.
    ways = told(lift(home_method=1), "axis.homing").paths
    assert [way.zone for way in ways] == ["between the limits", "on the limit switch"]
    assert ways[0].takes == pytest.approx(500 / 20 + 1.05 / 2, rel=0.03)
