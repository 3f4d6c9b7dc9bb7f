"""Feasible windows: every value within brings no finding, the next beyond does, and an empty one says why."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.analysis.engine import Analysis
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.rows import Exchange, Signal, Task
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.feasible import GivenUp, feasible_window
from tests.core.networks.ethernet_ip.test_ethernet_ip import LIBRARY, cell

PLANT = demo_plant()
ANALYSIS = analyse(PLANT, BUILTIN)


def ids(name: str) -> str:
    return next(x.id for x in PLANT.all(Exchange) if x.name == name)


FIELDS = [
    (ids("Measured"), "settings.period_ms"),
    (ids("Measured"), "settings.timeout_ms"),
    (ids("State"), "settings.period_ms"),
    (ids("State"), "settings.timeout_ms"),
    (next(x.id for x in PLANT.all(Exchange) if x.name == "From it"), "settings.rpi_ms"),
    (next(t.id for t in PLANT.all(Task) if t.name == "Slow"), "period_ms"),
]


def trouble(analysis: Analysis, row: str, path: str, value: float) -> set[str]:
    """Errors and warnings with a value, by analysis from scratch."""
    after = apply(analysis.plant, BUILTIN, edits.SetFields(ids=[row], values={path: value})).plant
    found = analyse(after, BUILTIN)
    return {f.key for f in found.findings.values() if found.checks.by_code[f.code].severity != "note"}


@settings(max_examples=12)
@given(st.sampled_from(FIELDS), st.floats(0, 1))
def test_all_within_is_quiet_and_the_next_beyond_is_not(field: tuple[str, str], part: float) -> None:
    window = feasible_window(ANALYSIS, *field)
    assert window.low is not None
    assert window.high is not None
    low, high = window.low.value, window.high.value
    quiet = trouble(ANALYSIS, *field, low)
    assert trouble(ANALYSIS, *field, high) == quiet
    assert trouble(ANALYSIS, *field, float(f"{low * (high / low) ** part:.3g}")) == quiet
    if window.low.title:
        assert trouble(ANALYSIS, *field, low * 0.985) - quiet
    if window.high.title:
        assert trouble(ANALYSIS, *field, high * 1.015) - quiet


def test_the_edges_say_what_comes_beyond_them() -> None:
    """HumidifierHumidity is asked within 200 ms and comes late: only a shorter period than its own is right."""
    window = feasible_window(ANALYSIS, ids("Measured"), "settings.period_ms")
    assert window.now == 200
    assert window.high is not None
    assert window.high.value < 200
    assert window.high.title == "Slower than asked"
    assert "HumidifierHumidity" in str(window.high.text)
    # Trying leaves no trace.
    assert {f.key for f in ANALYSIS.findings.values()} == {f.key for f in analyse(PLANT, BUILTIN).findings.values()}


def test_an_empty_window_names_both_that_are_against_it() -> None:
    """The scanner sends every 20 ms and not otherwise; a signal of it is wanted sooner than that allows."""
    plant = cell({"type": "ws3"})
    into = next(x.id for x in plant.all(Exchange) if x.direction == "in")
    controller = next(iter(plant.tables["controllers"]))
    run = edits.AddSignals(controller=controller, pattern="Near", place=into, key="o4", type="UINT", tag="$s")
    made = apply(plant, LIBRARY, run)
    plant = apply(made.plant, LIBRARY, edits.SetFields(ids=[made.tags["$s"]], values={"asked_ms": 112})).plant
    window = feasible_window(analyse(plant, LIBRARY), into, "settings.rpi_ms")
    assert (window.low, window.high) == (None, None)
    assert window.against == ("Interval the device cannot keep", "Slower than asked")


def test_what_no_value_mends_is_told_apart() -> None:
    """The task that refreshes the signal is too slow by itself: the exchange has a part in it and cannot mend it."""
    signal = next(s.id for s in PLANT.all(Signal) if s.name == "CompressorPressure")
    plant = apply(PLANT, BUILTIN, edits.SetFields(ids=[signal], values={"asked_ms": 50})).plant
    window = feasible_window(analyse(plant, BUILTIN), ids("Air"), "settings.period_ms")
    assert window.low is not None
    assert window.remains == ("Slower than asked",)


@pytest.mark.parametrize("path", ["settings.count", "nonsense", ""])
def test_a_field_that_is_no_time_has_none(path: Any) -> None:
    with pytest.raises(Refusal):
        feasible_window(ANALYSIS, ids("Measured"), path)


def test_others_have_their_turn_between_two_values_and_may_end_it() -> None:
    turns: list[bool] = []

    @contextmanager
    def turn(most: int = 1000) -> Iterator[None]:
        assert not turns or not turns[-1], "one turn at a time"
        if len(turns) == most:
            raise GivenUp
        turns.append(True)
        yield
        turns[-1] = False

    analysis = analyse(PLANT, BUILTIN)
    told = feasible_window(analysis, ids("Measured"), "settings.period_ms", turn)
    assert told == feasible_window(ANALYSIS, ids("Measured"), "settings.period_ms")
    whole = len(turns)
    assert whole > 17
    for most in (0, 1, 9, whole - 1):
        turns.clear()
        with pytest.raises(GivenUp):
            feasible_window(analysis, ids("Measured"), "settings.period_ms", lambda most=most: turn(most))  # type: ignore[misc]
    assert analysis.findings == analyse(PLANT, BUILTIN).findings
