"""The schedule of a shared line, followed by kinds of moments, against one followed request by request."""

from __future__ import annotations

import math
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from highmoor.core.networks.modbus.schedule import Asked, common_period_ms, served, told_ms
from highmoor.core.numbers import exact

PERIODS = [10, 20, 25, 40, 50, 12.5]
TIMES = st.sampled_from([0.25, 0.5, 1.0, 1.75, 3.0])


@st.composite
def lines(draw: st.DrawFn, *, demand: bool = False) -> list[Asked]:
    """Some requests of some stations, with their times in quarters of a millisecond."""
    made = []
    for n in range(draw(st.integers(1, 7))):
        on_demand = demand and draw(st.integers(0, 3)) == 0
        request, wait, response, tail = draw(TIMES), draw(TIMES), draw(TIMES), draw(st.sampled_from([0, 0.5]))
        attempts = draw(st.integers(1, 3))
        in_vain = draw(st.sampled_from([5.0, 8.0, math.inf]))
        made.append(
            Asked(
                f"x{n}", draw(st.sampled_from(["s1", "s2", "s3"])), f"read {n}",
                0 if on_demand else draw(st.sampled_from(PERIODS)), request, wait, response, tail,
                attempts * (request + in_vain + tail), attempts, on_demand,
            )
        )  # fmt: skip
    return made


def followed(asked: list[Asked], until_ms: float, silent: str) -> dict[str, Fraction]:
    """One request after the other in whole fractions: first due, first served, ties in the order given."""
    dues = sorted(
        (exact(a.period_ms) * k, n)
        for n, a in enumerate(asked)
        for k in range(math.ceil(exact(until_ms) / exact(a.period_ms)))
    )
    free, late = Fraction(0), {a.id: Fraction(0) for a in asked}
    for due, n in dues:
        start = max(due, free)
        late[asked[n].id] = max(late[asked[n].id], start - due)
        free = start + exact(asked[n].silent_ms if asked[n].lane == silent else asked[n].total_ms)
    return late


@given(lines(), st.sampled_from(["", "s1", "s3"]))
def test_lateness_is_that_of_following_every_request(asked: list[Asked], silent: str) -> None:
    assume(all(math.isfinite(a.silent_ms) for a in asked if a.lane == silent))
    common = common_period_ms(asked)
    told = served(asked, 0, common, silent)
    load = sum((exact(a.silent_ms if a.lane == silent else a.total_ms) / exact(a.period_ms) for a in asked), Fraction())
    assert told.whole == (load <= 1)
    late = followed(asked, common, silent)
    assert {key: pytest.approx(float(ms), abs=1e-9) for key, ms in late.items()} == told.late_ms
    if load <= 1:
        # After it nothing comes that was not there before.
        assert followed(asked, 3 * common, silent) == late


@given(lines())
def test_the_common_period_is_the_least_that_all_divide(asked: list[Asked]) -> None:
    common = exact(common_period_ms(asked))
    assert all((common / exact(a.period_ms)).denominator == 1 for a in asked)
    for part in (2, 3, 5):
        assert any((common / part / exact(a.period_ms)).denominator != 1 for a in asked)


@given(lines(), st.sampled_from(["", "s2"]), st.sampled_from([5, 50, 120]))
def test_what_is_drawn_is_one_after_the_other_and_as_late_as_told(
    asked: list[Asked], silent: str, window: float
) -> None:
    told = served(asked, window, common_period_ms(asked), silent)
    blocks = sorted((b.start_ms, b.end_ms) for lane in told.blocks.values() for b in lane)
    assert all(start <= end < math.inf for start, end in blocks)
    assert all(end <= start + 1e-9 for (_, end), (start, _) in pairwise(blocks))
    dues = [due for lane in told.dues.values() for due in lane]
    assert all(due.start_ms < window for due in dues)
    for due in dues:
        late = told.late_ms[due.exchange]
        assert 0 <= due.start_ms - due.due_ms <= late + 1e-9
    assert served(asked, window, common_period_ms(asked), silent, drawn=False) == replace(told, blocks={}, dues={})


@given(lines(), st.sampled_from(["s1", "s2", "s3"]))
def test_a_silence_without_time_out_lets_nothing_go_any_more(asked: list[Asked], silent: str) -> None:
    assume(any(a.lane == silent and a.silent_ms == math.inf for a in asked))
    told = served(asked, 50, common_period_ms(asked), silent)
    assert set(told.late_ms.values()) == {math.inf}
    assert told_ms(math.inf) is None
    assert not told.whole


@given(lines(demand=True))
def test_what_the_program_starts_may_come_before_all_and_waits_for_all(asked: list[Asked]) -> None:
    periodic = [a for a in asked if not a.on_demand]
    demanded = [a for a in asked if a.on_demand]
    assume(periodic)
    told = served(asked, 0, common_period_ms(asked))
    alone = served(periodic, 0, common_period_ms(periodic))
    longest = max((a.total_ms for a in demanded), default=0.0)
    for a in periodic:
        assert told.late_ms[a.id] == pytest.approx(alone.late_ms[a.id] + longest)
    load = sum(a.total_ms / a.period_ms for a in periodic)
    for a in demanded:
        if load >= 1:
            assert told.late_ms[a.id] == math.inf
        else:
            # At least all others once; and no more than a busy period that this load can make.
            once = sum(b.total_ms for b in asked)
            bound = (sum(d.total_ms for d in demanded) + sum(p.total_ms for p in periodic)) / (1 - load)
            assert once - 1e-9 <= told.late_ms[a.id] <= bound + 1e-6


def test_what_is_never_given_up_is_drawn_to_the_end() -> None:
    one = Asked("a", "s1", "a", 20, 1, 2, 1, 0, math.inf)
    other = Asked("b", "s2", "b", 20, 1, 1, 1, 0, 9)
    told = served([other, one], 60, 20, "s1")
    assert [(b.kind, b.start_ms, b.end_ms) for b in told.blocks["s1"]] == [("request", 3, 4), ("time-out", 4, 60)]
    assert [due.exchange for lane in told.dues.values() for due in lane] == ["b", "a"]


def test_nothing_that_is_asked_takes_no_time() -> None:
    assert common_period_ms([]) == 0
    told = served([], 50, 0)
    assert (told.blocks, told.dues, told.late_ms, told.whole) == ({}, {}, {}, True)


def test_a_schedule_by_hand() -> None:
    """Two stations, 20 and 50 ms; 4 and 3 ms each: at 0 the second waits 4, at 40 and 50 nobody waits, at 100 again."""
    one = Asked("a", "s1", "a", 20, 1, 2, 1, 0, 9)
    other = Asked("b", "s2", "b", 50, 1, 1, 1, 0, 9)
    told = served([one, other], 60, 100)
    assert told.late_ms == {"a": 0, "b": 4}
    starts = [(due.exchange, due.due_ms, due.start_ms) for lane in ("s1", "s2") for due in told.dues[lane]]
    assert starts == [("a", 0, 0), ("a", 20, 20), ("a", 40, 40), ("b", 0, 4), ("b", 50, 50)]
    assert [(b.kind, b.start_ms, b.end_ms) for b in told.blocks["s2"][:3]] == [
        ("request", 4, 5),
        ("wait", 5, 6),
        ("response", 6, 7),
    ]
