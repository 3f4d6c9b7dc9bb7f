"""What a chain of samplings can miss: worked by hand, and against samplers that look at random phases."""

from __future__ import annotations

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.figures.sampling import Sampler, beat_s, counts_to, shortest_event, skew


@pytest.mark.parametrize(
    ("periods", "filter_ms", "event"),
    [
        # 10 ms have to stand for the task: with looks every 3 ms that takes four of them.
        ((3, 10), 0, 12), ((10, 3), 0, 10), ((4, 10, 25), 0, 32), ((10,), 0, 10), ((10,), 15, 15), ((), 2, 2),
        # Four looks at 25 for 100, seven at 4 for those.
        ((4, 25, 100), 0, 100), ((3, 7, 20), 0, 21),
    ],
)  # fmt: skip
def test_by_hand(periods: tuple[int, ...], filter_ms: int, event: int) -> None:
    assert shortest_event([Sampler(Fraction(p)) for p in periods], Fraction(filter_ms)) == event


def test_what_is_early_or_late_needs_longer() -> None:
    # Looks between 8 and 12 ms apart: two of them, and each may be 12 long, to stand for 10.
    assert shortest_event([Sampler(Fraction(10), Fraction(2)), Sampler(Fraction(10))]) == 24
    assert shortest_event([Sampler(Fraction(10), waits_ms=Fraction(1)), Sampler(Fraction(10))]) == 20
    assert shortest_event([Sampler(Fraction(10), waits_ms=Fraction(1))]) == 10


def test_counting_beats_and_moments() -> None:
    assert counts_to(Fraction(10)) == 50
    assert counts_to(Fraction(0)) is None
    assert beat_s(Fraction(10), Fraction(100)) == 100
    assert skew((Fraction(1), Fraction(11)), (Fraction(5), Fraction(8))) == 7
    assert skew((Fraction(5), Fraction(8)), (Fraction(1), Fraction(11))) == 7


@given(
    st.lists(st.tuples(st.integers(1, 30), st.floats(0, 1)), min_size=1, max_size=3),
    st.floats(0, 100),
    st.integers(0, 3),
)
def test_an_event_so_long_is_seen_at_any_phase(chain: list[tuple[int, float]], at: float, longer: int) -> None:
    event = float(shortest_event([Sampler(Fraction(period)) for period, _ in chain])) + longer + 1e-6
    stands = [(at, at + event)]
    for period, phase in chain:
        # Each shows from look to look what it saw.
        first = phase * period
        looks = [first + n * period for n in range(int((at + 400) / period) + 2)]
        seen = [look for look in looks if any(begin <= look < end for begin, end in stands)]
        stands = [(look, look + period) for look in seen]
    assert stands
