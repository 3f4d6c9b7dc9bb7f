"""Reset, release, feedback and start, run by run."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.safety.logic import Feedback, FunctionState, OutputState, ResetButton

# What is said of each run: the button (P pressed), a demand (D); both (B); nothing (.). Then whether it ever resets.
PRESSES = [
    ("..PP..", [4]),
    ("..P.", [3]),
    # Power-up untouched; held, then released; stuck.
    ("......", []),
    ("PPP...", []),
    ("..PPPP", []),
    # Held at power-up, and then pressed as it should be.
    ("PP..P.", [5]),
    # During a demand; begun in one; a demand while it is pressed, and at the very end.
    ("..BB.", []),
    ("..BP..", []),
    ("..PBP.", []),
    ("..PD..", []),
    ("DD.P.", [4]),
    # Twice in a row.
    ("..P.P.", [3, 5]),
]


@pytest.mark.parametrize(("runs", "resets"), PRESSES)
def test_a_reset_is_a_press_from_its_rise_to_its_fall_with_all_good(runs: str, resets: list[int]) -> None:
    button = ResetButton()
    found = [n for n, run in enumerate(runs) if button.pulse(run in "PB", run not in "DB")]
    assert found == resets


def test_a_function_falls_at_once_and_stays_off_until_it_is_reset() -> None:
    function = FunctionState()
    seen = []
    for good, reset in ((1, 0), (1, 1), (1, 0), (1, 0), (0, 0), (1, 0), (1, 0), (1, 1), (1, 0)):
        function.run(bool(good), bool(reset))
        seen.append(function.released)
    assert seen == [False, False, True, True, False, False, False, False, True]
    by_itself = FunctionState(by_hand=False)
    by_itself.run(True, False)
    assert by_itself.released
    by_itself.run(False, False)
    assert not by_itself.released


@given(st.lists(st.tuples(st.booleans(), st.booleans()), max_size=40))
def test_no_function_is_released_under_a_demand_or_without_a_reset_since(runs: list[tuple[bool, bool]]) -> None:
    function = FunctionState()
    pulsed = False
    for good, reset in runs:
        pulse = function.run(good, reset)
        pulsed = good and (pulsed or pulse)
        assert function.released == pulsed


def test_an_output_is_started_by_a_rise_after_all_is_good_and_by_nothing_else() -> None:
    output = OutputState(waits=True)
    seen = []
    # Held since power-up; let go; pressed too early; good, pressed; held over a demand; pressed anew; stopped.
    for may, start, stop in ((0, 1, 0), (1, 1, 0), (1, 0, 0), (0, 1, 0), (1, 1, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0),
                             (1, 1, 0), (1, 0, 0), (1, 1, 0), (1, 0, 0), (1, 0, 1), (1, 0, 0), (1, 1, 1)):  # fmt: skip
        output.run(bool(may), bool(start), bool(stop))
        seen.append(int(output.on))
    assert seen == [0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 1, 1, 0, 0, 0]
    follows = OutputState()
    follows.run(True, False, False)
    assert follows.on
    follows.run(False, True, False)
    assert not follows.on


def test_a_feedback_that_does_not_follow_in_time_is_a_fault_until_reset() -> None:
    feedback = Feedback(25)
    for now, on, closed, fault in ((0, False, True, False), (10, True, True, False), (35, True, True, False),
                                   (36, True, True, True)):  # fmt: skip
        feedback.run(now, on, closed, reset=False)
        assert feedback.fault == fault
    # Welded: closed again only once it opens, and then by a reset.
    feedback.run(40, on=False, closed=False, reset=True)
    assert feedback.fault
    feedback.run(50, on=False, closed=True, reset=False)
    assert feedback.fault
    feedback.run(60, on=False, closed=True, reset=True)
    assert not feedback.fault
    # Followed just in time.
    feedback.run(70, on=True, closed=True, reset=False)
    feedback.run(95, on=True, closed=False, reset=False)
    assert not feedback.fault
