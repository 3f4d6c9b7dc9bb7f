"""A safe part that passes over runs in which nothing is new decides as one that runs every time."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.safety.part import FeedbackRun, FunctionRun, Heard, SafePartRun
from highmoor.core.safety.logic import Feedback, FunctionState, OutputState
from highmoor.core.safety.settings import SafePart

_OUT = ("m2", "ch0")
_BITS = ("reset", "start", "stop", "closed")


class Made:
    """A safe part of two functions on one output with a feedback, whose plain signals are set by name."""

    def __init__(self) -> None:
        self.clock = VirtualClock()
        self.bits = dict.fromkeys(_BITS, False) | {"closed": True}
        read: dict[str, Any] = {name: lambda name=name: self.bits[name] for name in _BITS}
        self.heard = Heard(by_hand=True)
        functions = [
            FunctionRun(
                key, FunctionState(by_hand), (("m1", pair),), (_OUT,), read["reset"], read["start"], read["stop"]
            )
            for key, by_hand, pair in (("wf1", True, "ch0"), ("wf2", False, "ch2"))
        ]
        feedback = FeedbackRun("wp1", _OUT, Feedback(20), read["closed"])
        facts = SafePart(Fraction(8), Fraction(2), Fraction(1), Fraction(20))
        self.part = SafePartRun(
            self.clock, facts, {"m1": self.heard}, functions, {_OUT: OutputState(waits=True)}, [feedback],
            lambda module: None, self.heard.acknowledge, lambda: None,
        )  # fmt: skip
        self.part.begin()

    @property
    def seen(self) -> tuple[Any, ...]:
        part = self.part
        return (
            *(one.state.released for one in part.functions),
            part.told,
            part.feedbacks[0].state.fault,
            self.heard.held,
        )

    def do(self, what: str, value: bool) -> None:
        if what in self.bits:
            self.bits[what] = value
        elif what == "late":
            self.heard.late()
        else:
            self.heard.hear({**self.heard.values, what: value})


@settings(max_examples=150, deadline=None)
@given(st.lists(st.tuples(st.sampled_from([*_BITS, "ch0", "ch2", "ch0", "ch2", "late"]), st.booleans(),
                          st.sampled_from([3, 8, 8, 16, 40])), max_size=40))  # fmt: skip
def test_runs_that_are_passed_over_would_have_changed_nothing(deeds: list[tuple[str, bool, int]]) -> None:
    quick, plain = Made(), Made()
    with pytest.MonkeyPatch.context() as patch:
        for what, value, after_ms in deeds:
            for one in (quick, plain):
                one.do(what, value)
                until = one.clock.now_ns + after_ms * 1_000_000
                with patch.context() as never:
                    if one is plain:
                        never.setattr(SafePartRun, "_nothing_new", lambda _: False)
                    one.clock.run_until(until)
            assert quick.seen == plain.seen
