"""A pair of channels in time: by hand at its limits, and against a plain walk through every millisecond."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.errors import Refusal
from highmoor.core.figures.listing import answer
from highmoor.core.figures.safety.pair import PairRule, PairState, Wave, strip

Edges = tuple[int, ...]


def seen(
    first: Edges, second: Edges, *, anti: bool = False, held: bool = False, both_off: bool = False,
    by_hand: bool = True, acks: Edges = (), delay: int = 0, window: int = 1000,
) -> tuple[Edges, Edges]:  # fmt: skip
    """When the value and the fault change over, from off; channels at rest at 0, discrepancy time 50."""
    rule = PairRule(50, anti, held, both_off, by_hand)
    found = strip(rule, Wave(False, first), Wave(anti, second), acks, delay, window)
    assert not found.value.on and not found.fault.on
    return tuple(map(int, found.value.edges)), tuple(map(int, found.fault.edges))


# Edges of both channels, what else; then when the value and the fault change over.
TABLE: list[tuple[Edges, Edges, dict[str, Any], Edges, Edges]] = [
    # Within the time, just at its end, just beyond it; the one first, then the other.
    ((100,), (149,), {}, (149,), ()),
    ((149,), (100,), {}, (149,), ()),
    ((100,), (150,), {}, (150,), ()),
    ((100,), (151,), {}, (), (150,)),
    ((151,), (100,), {}, (), (150,)),
    ((100,), (149,), {"anti": True}, (149,), ()),
    ((100,), (151,), {"anti": True}, (), (150,)),
    ((151,), (100,), {"anti": True}, (), (150,)),
    # Falling: off with the first of them, whichever; a fault if the other does not follow.
    ((100, 400), (100, 449), {}, (100, 400), ()),
    ((100, 449), (100, 400), {}, (100, 400), ()),
    ((100, 400), (100, 451), {}, (100, 400), (450,)),
    ((100, 400), (100,), {}, (100, 400), (450,)),
    ((100, 400), (100, 449), {"anti": True}, (100, 400), ()),
    ((100, 400), (100, 451), {"anti": True}, (100, 400), (450,)),
    # The last value held: on for as long as the other takes, or until the time is over.
    ((100, 400), (100, 449), {"held": True}, (100, 449), ()),
    ((100, 400), (100,), {"held": True}, (100, 450), (450,)),
    ((100,), (149,), {"held": True}, (149,), ()),
    # A dip of one channel within the time.
    ((100, 400, 430), (100,), {}, (100, 400, 430), ()),
    ((100, 400, 430), (100,), {"held": True}, (100,), ()),
    # Mended by agreeing again: by itself at once, by hand once it is acknowledged, and not before.
    ((100,), (180,), {"by_hand": False}, (180,), (150, 180)),
    ((100,), (180,), {"acks": (300,)}, (300,), (150, 300)),
    ((100,), (180,), {"acks": (170,)}, (), (150,)),
    # Both off once, then acknowledged; acknowledged before that counts for nothing.
    ((100, 500, 700), (180, 500, 700), {"both_off": True, "acks": (300,)}, (), (150,)),
    ((100, 500, 700), (180, 500, 700), {"both_off": True, "acks": (300, 600)}, (700,), (150, 600)),
    ((100, 500, 700), (180, 500, 700), {"both_off": True, "acks": (800,)}, (800,), (150, 800)),
    ((100, 500, 700), (180, 500, 700), {"both_off": True, "by_hand": False}, (700,), (150, 500)),
    # An antivalent pair is off where the one is off and the other on.
    ((100, 500, 700), (180, 500, 700), {"anti": True, "both_off": True, "acks": (600,)}, (700,), (150, 600)),
    # Both in one instant the other way round: they never agreed.
    ((100, 130), (130,), {}, (), (150,)),
    # The input delay passes over what stands for less, and lets all else come later by it.
    ((100, 102, 200), (200,), {"delay": 3}, (203,), ()),
    ((100, 103), (), {"delay": 3}, (), ()),
    ((100, 152), (), {"delay": 3}, (), (153,)),
    ((100, 150), (), {"delay": 3}, (), ()),
]  # fmt: skip


@pytest.mark.parametrize(("first", "second", "more", "value", "fault"), TABLE)
def test_what_passes_and_what_is_a_fault(
    first: Edges, second: Edges, more: dict[str, Any], value: Edges, fault: Edges
) -> None:
    assert seen(first, second, **more) == (value, fault)


def _walked(rule: PairRule, first: Wave, second: Wave, acks: list[int], window: int) -> list[tuple[bool, bool]]:
    """Value and fault from each millisecond on, by looking at every one of them."""
    value = fault = been_off = False
    differing = 0
    told = []
    for now in range(window):
        one, two = first.at(now), second.at(now) != rule.antivalent
        agree = one == two
        # So long they have differed by now, since before this moment.
        if not agree and differing >= rule.discrepancy and not fault:
            fault, been_off = True, False
        if fault:
            been_off = been_off or (agree and not one)
            mended = agree and (been_off or not rule.both_off)
            if mended and (not rule.by_hand or now in acks):
                fault = False
        value = False if fault else one if agree else value and rule.held
        told.append((value, fault))
        differing = 0 if agree else differing + 1
    return told


@given(
    st.booleans(), st.booleans(), st.booleans(), st.booleans(), st.integers(1, 12),
    st.lists(st.integers(1, 79), unique=True, max_size=7), st.lists(st.integers(1, 79), unique=True, max_size=7),
    st.lists(st.integers(0, 79), unique=True, max_size=4), st.booleans(), st.booleans(),
)  # fmt: skip
def test_a_strip_is_what_a_walk_through_every_millisecond_gives(
    anti: bool, held: bool, both_off: bool, by_hand: bool, limit: int,
    first: list[int], second: list[int], acks: list[int], one: bool, two: bool,
) -> None:  # fmt: skip
    rule = PairRule(limit, anti, held, both_off, by_hand)
    waves = Wave(one, tuple(sorted(first))), Wave(two, tuple(sorted(second)))
    found = strip(rule, *waves, acks, 0, 80)
    told = [(found.value.at(now), found.fault.at(now)) for now in range(80)]
    assert told == _walked(rule, *waves, acks, 80)
    differs = [waves[0].at(now) == (waves[1].at(now) == anti) for now in range(80)]
    assert sum(end - begin for begin, end in found.differs) == differs.count(True)
    # Nothing longer than the time goes without a fault.
    assert not found.longest > limit or found.fault.edges or found.fault.on


def test_as_a_figure() -> None:
    case = {
        "antivalent": False, "discrepancy_ms": 50, "held": False, "both_off": True, "by_hand": True, "delay_ms": 3,
        "window_ms": 500, "first": {"on": True, "edges_ms": [100]}, "second": {"on": True, "edges_ms": [137]},
        "acknowledged_ms": [],
    }  # fmt: skip
    told = answer("pair-strip", case)
    assert (told["value"], told["fault"]) == ({"on": True, "edges_ms": [103]}, {"on": False, "edges_ms": []})
    assert (told["differs_ms"], told["longest_ms"]) == ([[103, 140]], 37)
    for wrong, why in (
        ({"discrepancy_ms": -1}, "negative"), ({"delay_ms": -1}, "negative"), ({"window_ms": -1}, "negative"),
        ({"first": {"on": True, "edges_ms": [5, 5]}}, "not in order"),
        ({"second": {"on": True, "edges_ms": [-1]}}, "not in order"), ({"first": {"on": 1, "edges_ms": []}}, "true or"),
    ):  # fmt: skip
        assert why in answer("pair-strip", {**case, **wrong})["refused"]


def test_a_state_told_step_by_step_runs_out_only_when_it_is_told() -> None:
    state = PairState(PairRule(50))
    state.move(0, True, False)
    assert (state.runs_out, state.fault) == (50, False)
    state.run_out()
    assert (state.runs_out, state.fault, state.value) == (None, True, False)
    state.acknowledge()
    assert state.fault
    state.move(90, True, True)
    state.acknowledge()
    assert (state.fault, state.value) == (False, True)
    state.run_out()
    assert state.value
    with pytest.raises(Refusal):
        strip(PairRule(1), Wave(False, (2, 1)), Wave(False), (), 0, 10)
