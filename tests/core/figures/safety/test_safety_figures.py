"""Figures of safety against numbers worked by hand, what must hold of any, and what they must refuse."""

from __future__ import annotations

from fractions import Fraction
from math import sqrt
from statistics import stdev
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.figures.listing import answer
from highmoor.core.figures.safety.distance import least_height, scanner_distance
from highmoor.core.figures.safety.failures import LEVELS, FailingPart, level_of, reached, two_channels
from highmoor.core.figures.safety.response import ResponsePart, response_ms

# Scanner, input, link, logic, link, output, safe torque off.
AISLE = [
    {"wcdt_ms": worst, "watchdog_ms": watchdog}
    for worst, watchdog in ((140, None), (8, None), (4, 20), (10, 20), (4, 20), (2, None), (5, None))
]
FLAT = {"orientation": "horizontal", "height_mm": 200, "resolution_mm": 50, "response_ms": 609, "tolerance_mm": 100}
UPRIGHT = {"orientation": "vertical", "height_mm": 0, "resolution_mm": 14, "response_ms": 100, "tolerance_mm": 0}
CONTACTS = {"b10d": 2_000_000, "n_per_h": 10, "dc": 0.99, "beta": 0.02, "t1_h": 175_200, "t2_h": 24}


@pytest.mark.parametrize(
    ("name", "case", "expected"),
    [
        # 173 ms, and 16 more while the watchdog of a link runs out.
        ("safety-response", {"parts": AISLE}, {"sfrt_ms": 189}),
        ("safety-response", {"parts": AISLE[:2]}, {"sfrt_ms": 148}),
        ("safety-response", {"parts": [{"wcdt_ms": 20, "watchdog_ms": 20}]}, {"sfrt_ms": 20}),
        ("stop-time", {"readings_ms": [400] * 10}, {"value_ms": 400, "mean_ms": 400, "s_ms": 0}),
        # 402 + 3 · √40.
        ("stop-time", {"readings_ms": [400] * 9 + [420]},
         {"value_ms": pytest.approx(402 + 3 * sqrt(40)), "mean_ms": 402, "s_ms": pytest.approx(sqrt(40))}),
        # One alone, far off, is more than three deviations.
        ("stop-time", {"readings_ms": [500] + [400] * 11},
         {"value_ms": 500, "mean_ms": pytest.approx(1225 / 3), "s_ms": pytest.approx(100 / sqrt(12))}),
        ("pfh-level", {"parts": [{"pfh": 1e-8, "level": "e"}, {"pfh": 2e-8, "level": "d"}]},
         {"sum": 3e-8, "at_least": False, "level": "d"}),
        ("pfh-level", {"parts": [{"pfh": 4e-7, "level": "e"}, {"pfh": 5e-7, "level": "e"}]},
         {"sum": 9e-7, "at_least": False, "level": "d"}),
        ("pfh-level", {"parts": [{"pfh": 1e-4, "level": "e"}]}, {"sum": 1e-4, "at_least": False, "level": None}),
        ("pfh-level", {"parts": [{"pfh": None, "level": "e"}, {"pfh": 5e-9, "level": "e"}]},
         {"sum": 5e-9, "at_least": True, "level": None}),
        # λ = 5·10⁻⁷: 0.98² · λ² · (23.76 + 1752) + 0.02 · λ.
        ("two-channel-pfh", CONTACTS,
         {"pfh": pytest.approx(1.0426e-8, rel=1e-4), "t10d_years": pytest.approx(22.831, rel=1e-4)}),
        ("two-channel-pfh", {**CONTACTS, "beta": 1}, {"pfh": 5e-7, "t10d_years": pytest.approx(22.831, rel=1e-4)}),
    ],
)  # fmt: skip
def test_by_hand(name: str, case: dict[str, Any], expected: dict[str, Any]) -> None:
    assert answer(name, case) == expected


@pytest.mark.parametrize(
    ("field", "changed", "mm", "rule"),
    [
        # 1600 · 0.609 + (1200 − 80) + 100: the chain and a stop of 420 ms; with one of 560; one confirmation more.
        (FLAT, {}, 2194.4, "parallel"),
        (FLAT, {"response_ms": 749}, 2418.4, "parallel"),
        (FLAT, {"response_ms": 649}, 2258.4, "parallel"),
        # The arm reaches less the higher the field is, and never less than 850.
        (FLAT, {"response_ms": 0, "height_mm": 874}, 950.4, "parallel"),
        (FLAT, {"response_ms": 0, "height_mm": 1000}, 950, "parallel"),
        (FLAT, {"resolution_mm": 70, "height_mm": 300}, 2154.4, "parallel"),
        (UPRIGHT, {}, 200, "normal_2000"),
        # Never nearer than 100, and what is measured wrong comes on top of that.
        (UPRIGHT, {"response_ms": 40, "tolerance_mm": 30}, 130, "normal_2000"),
        # 2000 · 0.25 is 500 and not above.
        (UPRIGHT, {"response_ms": 250}, 500, "normal_2000"),
        # 400 + 128 is above: then 320 + 128, and not below 500.
        (UPRIGHT, {"resolution_mm": 30, "response_ms": 200}, 500, "normal_1600"),
        (UPRIGHT, {"resolution_mm": 30, "response_ms": 240}, 512, "normal_1600"),
        (UPRIGHT, {"resolution_mm": 40}, 408, "normal_2000"),
        (UPRIGHT, {"resolution_mm": 40.1}, 1010, "normal_850"),
        (UPRIGHT, {"resolution_mm": 70}, 1010, "normal_850"),
    ],
)
def test_distances_by_hand(field: dict[str, Any], changed: dict[str, Any], mm: float, rule: str) -> None:
    assert answer("scanner-distance", {**field, **changed}) == {"minimum_distance_mm": mm, "rule": rule}


@pytest.mark.parametrize(
    ("name", "case", "why"),
    [
        ("safety-response", {"parts": []}, "No part"),
        ("safety-response", {"parts": [{"wcdt_ms": -1, "watchdog_ms": None}]}, "negative"),
        ("safety-response", {"parts": [{"wcdt_ms": 20, "watchdog_ms": 19}]}, "below the worst delay"),
        ("scanner-distance", {**FLAT, "orientation": "upside down"}, "horizontal, vertical"),
        ("scanner-distance", {**FLAT, "height_mm": -0.1}, "0–1000 mm"),
        ("scanner-distance", {**FLAT, "height_mm": 1000.1}, "0–1000 mm"),
        ("scanner-distance", {**FLAT, "resolution_mm": 70, "height_mm": 299.9}, "does not see a leg: it needs 300 mm"),
        ("scanner-distance", {**FLAT, "response_ms": -1}, "negative"),
        ("scanner-distance", {**FLAT, "tolerance_mm": -1}, "negative"),
        ("scanner-distance", {**FLAT, "resolution_mm": 0}, "above 0"),
        ("scanner-distance", {**UPRIGHT, "resolution_mm": 70.1}, "needs at most 70"),
        ("stop-time", {"readings_ms": [400] * 9}, "At least 10"),
        ("stop-time", {"readings_ms": [400] * 9 + [0]}, "not above 0"),
        ("pfh-level", {"parts": []}, "No part"),
        ("pfh-level", {"parts": [{"pfh": -1e-9, "level": "e"}]}, "negative"),
        ("pfh-level", {"parts": [{"pfh": 1e-9, "level": "f"}]}, "a, b, c, d, e"),
        ("two-channel-pfh", {**CONTACTS, "dc": 1.1}, "coverage"),
        ("two-channel-pfh", {**CONTACTS, "beta": -0.1}, "common cause"),
        *((("two-channel-pfh", {**CONTACTS, key: 0}, "above 0")) for key in ("b10d", "n_per_h", "t1_h", "t2_h")),
    ],
)  # fmt: skip
def test_refused(name: str, case: dict[str, Any], why: str) -> None:
    assert why in answer(name, case)["refused"]


times = st.fractions(0, 5)


@given(st.sampled_from(("horizontal", "vertical")), st.integers(1, 70), times, times, st.integers(0, 200))
def test_more_time_is_never_less_distance(
    orientation: Any, resolution: int, one: Fraction, other: Fraction, tolerance: int
) -> None:
    d = Fraction(resolution)
    near, far = (
        scanner_distance(orientation, least_height(d), d, t, Fraction(tolerance)).mm for t in sorted((one, other))
    )
    # Where the quicker hand gives way to the slower walk, the distance does not fall below the 500 it came from.
    assert near <= far
    assert far >= 1600 * max(one, other) + tolerance


@given(st.lists(st.tuples(st.fractions(0, 100), st.none() | st.fractions(0, 50)), min_size=1, max_size=8))
def test_one_failure_and_no_more_is_waited_for(given_parts: list[tuple[Fraction, Fraction | None]]) -> None:
    parts = [ResponsePart(worst, None if more is None else worst + more) for worst, more in given_parts]
    # Whichever of them fails alone: its watchdog instead of its worst delay.
    alone = [
        sum((p.worst_ms for m, p in enumerate(parts) if m != n), part.watchdog_ms or part.worst_ms)
        for n, part in enumerate(parts)
    ]
    assert response_ms(parts) == max(alone)


@given(st.lists(st.integers(1, 2000), min_size=10, max_size=30))
def test_a_stop_time_covers_every_reading(readings: list[int]) -> None:
    found = answer("stop-time", {"readings_ms": readings})
    assert found["value_ms"] >= max(readings)
    assert found["value_ms"] == pytest.approx(max(max(readings), sum(readings) / len(readings) + 3 * stdev(readings)))


@given(st.lists(st.tuples(st.fractions(0, Fraction(1, 10**4)), st.sampled_from(LEVELS)), min_size=1, max_size=6))
def test_no_level_is_above_its_lowest_part_nor_above_its_sum(given_parts: list[Any]) -> None:
    found = reached([FailingPart(pfh, level) for pfh, level in given_parts])
    by_sum = level_of(found.sum)
    if by_sum is None:
        assert found.level is None
        return
    assert found.level is not None
    assert LEVELS.index(found.level) == min(LEVELS.index(level) for level in (by_sum, *(p[1] for p in given_parts)))


@pytest.mark.parametrize(("pfh", "level"), [
    ("1/100000000", "e"), ("1/10000000", "d"), ("1/1000000", "c"), ("3/1000000", "b"), ("1/100000", "a"),
])  # fmt: skip
def test_a_limit_itself_is_the_level_below(pfh: str, level: str) -> None:
    assert level_of(Fraction(pfh)) == level


def test_testing_more_often_and_less_in_common_is_better() -> None:
    usual = [Fraction(x) for x in ("2000000", "10", "0.9", "0.05", "175200", "24")]
    pfh = two_channels(*usual)
    for place, better in ((0, 3_000_000), (1, 5), (2, Fraction("0.99")), (3, Fraction("0.02")), (4, 8760), (5, 1)):
        given_instead = [*usual[:place], Fraction(better), *usual[place + 1 :]]
        assert two_channels(*given_instead) < pfh
