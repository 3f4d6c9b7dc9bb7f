"""Virtual time: everything happens at its moment, in one order, however it was asked for."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.bench.clock import VirtualClock

ASKED = st.lists(st.tuples(st.integers(0, 50), st.integers(-2, 2)), max_size=30)


@given(ASKED, st.lists(st.integers(0, 60), max_size=6))
def test_what_is_due_comes_by_time_then_priority_then_as_it_was_asked(
    asked: list[tuple[int, int]], stops: list[int]
) -> None:
    clock, came = VirtualClock(), []
    for n, (time, priority) in enumerate(asked):
        clock.at(time, lambda n=n: came.append((clock.now_ns, n)), priority)  # type: ignore[misc]
    for stop in sorted(stops):
        clock.run_until(stop)
        assert clock.now_ns == stop
        assert {n for _, n in came} == {n for n, (time, _) in enumerate(asked) if time <= stop}
    clock.run_until(100)
    order = sorted(range(len(asked)), key=lambda n: (*asked[n], n))
    assert came == [(asked[n][0], n) for n in order]


@given(st.integers(1, 7), st.integers(0, 60))
def test_what_happens_every_period_happens_at_its_multiples(period: int, until: int) -> None:
    clock, came = VirtualClock(), []
    clock.every(period, lambda: came.append(clock.now_ns))
    clock.run_until(until)
    assert came == list(range(0, until + 1, period))


REPEATED = st.lists(
    st.tuples(st.integers(0, 9), st.integers(1, 4), st.integers(-1, 1), st.integers(1, 20)), max_size=12
)


@given(REPEATED)
def test_what_repeats_comes_by_priority_then_as_it_began_until_it_is_over(
    repeated: list[tuple[int, int, int, int]],
) -> None:
    clock, came = VirtualClock(), []

    def begin(n: int, period: int, priority: int, lasts: int) -> None:
        one = clock.every(period, lambda: came.append((clock.now_ns, n)), priority)
        clock.at(clock.now_ns + lasts, lambda: setattr(one, "over", True), -2)

    for n, (begins, *rest) in enumerate(repeated):
        clock.at(begins, lambda n=n, rest=rest: begin(n, *rest), -3)  # type: ignore[misc]
    clock.run_until(30)
    expected = [
        (time, n) for n, (begins, period, _, lasts) in enumerate(repeated)
        for time in range(begins, min(begins + lasts, 31), period)
    ]  # fmt: skip
    assert sorted(came) == sorted(expected)
    order = [(time, repeated[n][2]) for time, n in came]
    assert order == sorted(order)
    for period in range(1, 5):
        of_one = [(time, repeated[n][2], repeated[n][0], n) for time, n in came if repeated[n][1] == period]
        assert of_one == sorted(of_one)


def test_what_was_to_be_before_now_is_due_now_and_what_it_asks_for_follows() -> None:
    clock, came = VirtualClock(), []
    clock.run_until(10)
    clock.at(3, lambda: (came.append(clock.now_ns), clock.at(12, lambda: came.append(clock.now_ns)))[0])
    clock.run_until(11)
    assert came == [10]
    clock.run_until(12)
    assert came == [10, 12]


def test_of_two_at_one_moment_the_one_that_begins_first_ends_first_for_ever() -> None:
    """Two that go on with one period keep their order: a process steps before the rail that reads it."""
    clock, came = VirtualClock(), []
    clock.every(5, lambda: came.append("rail"))
    clock.every(5, lambda: came.append("process"), -1)
    clock.run_until(20)
    assert came == ["process", "rail"] * 5


def test_time_does_not_go_back() -> None:
    clock = VirtualClock()
    clock.run_until(8)
    clock.run_until(5)
    assert clock.now_ns == 8
