"""What is told of inputs and of two signals together, held against the bench."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.rows import Controller, Signal, Task
from highmoor.core.program.checking import check
from highmoor.core.program.flow import reaction as flow
from highmoor.core.program.kinds import KINDS
from highmoor.core.program.steps import Scope
from highmoor.core.program.syntax import read
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.quicker import quicker
from highmoor.core.signals.path import SignalPath
from highmoor.core.signals.together import together
from tests.core.project.signal_tables.test_tables import DEMO
from tests.core.signals.test_path_time import _EXACT_S, _Field, _place, made, wholes

TOLD: dict[str, Any] = {
    "from": "rail", "to": "rail", "task_ms": 10, "every_ms": 20, "filter_ms": 3, "reply_ms": 0, "others": 0, "at": []
}  # fmt: skip


@settings(max_examples=40, deadline=None)
@given(told=wholes(), phases=st.lists(st.floats(0.1, 0.9), min_size=4, max_size=4))
def test_an_event_as_short_as_told_is_seen_by_the_program(told: dict[str, Any], phases: list[float]) -> None:
    plant = made(told)
    analysis = analyse(plant, BUILTIN)
    if not all(analysis.result("network.timing", network).whole for network in plant.tables["networks"]):
        return
    signal = next(s for s in plant.all(Signal) if s.name == "In")
    path: SignalPath = analysis.result("signal.path", signal.id)
    assert path.seen is not None
    bench = Bench(plant, BUILTIN)
    bench.run_until(1)
    outside, controller = _Field(bench, plant), next(iter(bench.controllers.values()))
    code = controller.signals[signal.id]
    for phase in phases:
        # Long enough that the one before is over.
        bench.run_until(bench.seconds + 3 * path.worst_ms / 1000 + phase * told["every_ms"] / 1000)
        assert not controller.value(code)
        began = bench.seconds
        ends = began + path.seen.event_ms / 1000 + _EXACT_S
        outside.give(told["from"], 1)
        seen, looked = _sees(bench, code, began, ends, told["task_ms"])
        bench.run_until(max(ends, looked))
        outside.give(told["from"], 0)
        assert seen or _sees(bench, code, bench.seconds, ends + path.worst_ms / 1000, told["task_ms"])[0]


def _sees(bench: Bench, code: Any, began: float, ends: float, task_ms: float) -> tuple[bool, float]:
    """Whether a signal is true in any run of its task from one moment to another, and when that was looked at last."""
    controller = next(iter(bench.controllers.values()))
    while began < ends:
        began = min(began + task_ms / 2000, ends)
        bench.run_until(began)
        if controller.value(code):
            return True, began
    return False, began


@settings(max_examples=40, deadline=None)
@given(told=wholes(), phases=st.lists(st.floats(0, 1), min_size=10, max_size=10))
def test_two_inputs_of_one_moment_are_seen_no_farther_apart_than_told(
    told: dict[str, Any], phases: list[float]
) -> None:
    # A quick task, so that it is the ways before it that are measured.
    told = {**told, "task_ms": 1}
    plant = made(told)
    place, key = _place(plant, told["to"], "in")
    controller = plant.all(Controller)[0].id
    run = edits.AddSignals(controller=controller, pattern="Other", type="BOOL", place=place, key=key)
    plant = apply(plant, BUILTIN, run).plant
    analysis = analyse(plant, BUILTIN)
    if not all(analysis.result("network.timing", network).whole for network in plant.tables["networks"]):
        return
    one, other = (next(s for s in plant.all(Signal) if s.name == name) for name in ("In", "Other"))
    apart = together(analysis, one.id, other.id)
    assert apart.skew_ms is not None
    worst_ms = max(analysis.result("signal.path", s.id).worst_ms for s in (one, other))
    bench = Bench(plant, BUILTIN)
    bench.run_until(1)
    outside, program = _Field(bench, plant), next(iter(bench.controllers.values()))
    value = 0
    for phase in phases:
        bench.run_until(bench.seconds + 3 * worst_ms / 1000 + phase * told["every_ms"] / 1000)
        value = 1 - value
        for kind in dict.fromkeys((told["from"], told["to"])):
            outside.give(kind, value)
        seen: dict[str, float] = {}
        ends = bench.seconds + worst_ms / 1000 + _EXACT_S
        while len(seen) < 2 and bench.seconds < ends:
            bench.run_until(bench.seconds + told["task_ms"] / 2000)
            for signal in (one, other):
                if signal.id not in seen and program.value(program.signals[signal.id]) == value:
                    seen[signal.id] = bench.seconds
        assert len(seen) == 2
        # They are seen in runs of the program, and looked at twice in each.
        between_ms = 1000 * abs(seen[one.id] - seen[other.id])
        assert between_ms <= apart.skew_ms + told["task_ms"] + 1000 * _EXACT_S
        if not apart.skew_ms:
            assert between_ms < told["task_ms"]


@given(told=wholes())
def test_a_reaction_is_told_as_what_is_handed_on_there_is_held_against_the_bench(told: dict[str, Any]) -> None:
    """`Both` goes the same way, from where In is read to beside where Out is written (`test_path_time.py`)."""
    plant = made(told)
    analysis = analyse(plant, BUILTIN)
    ids = {signal.name: signal.id for signal in plant.all(Signal)}
    handed_on = analysis.result("signal.path", ids["Both"]).ways[-1]
    reaction = together(analysis, ids["In"], ids["Out"])
    assert [hop.label for hop in reaction.hops] == [hop.label for hop in handed_on.hops]
    assert (reaction.typical_ms, reaction.worst_ms) == (handed_on.typical_ms, handed_on.worst_ms)


def test_a_reaction_goes_through_the_program_once() -> None:
    plant = made(TOLD)
    analysis = analyse(plant, BUILTIN)
    read, written = (next(s for s in plant.all(Signal) if s.name == name) for name in ("In", "Out"))
    paths = [analysis.result("signal.path", s.id) for s in (read, written)]
    told = together(analysis, read.id, written.id)
    task = next(hop for hop in paths[0].hops if hop.kind == "task")
    assert (told.kind, told.other) == ("reaction", written.id)
    assert told.worst_ms == pytest.approx(sum(path.worst_ms for path in paths) - task.worst_ms)
    back = together(analysis, written.id, read.id)
    assert (back.kind, back.worst_ms) == ("reaction", told.worst_ms)
    # With another task for what is written, both have to run.
    tasks = sorted(plant.all(Task), key=lambda t: t.id)
    slow = apply(plant, BUILTIN, edits.SetFields(ids=[read.id], values={"task": tasks[0].id})).plant
    slow = apply(slow, BUILTIN, edits.SetFields(ids=[written.id], values={"task": tasks[1].id})).plant
    both = together(analyse(slow, BUILTIN), read.id, written.id)
    assert [hop.kind for hop in both.hops].count("task") == 2


def test_two_inputs_are_of_different_moments_and_an_error_follows_from_the_rate() -> None:
    analysis = analyse(DEMO, BUILTIN)
    by_name = {s.name: s.id for s in DEMO.all(Signal)}
    fast, slow = by_name["Tank1Level"], by_name["HumidifierHumidity"]
    told = together(analysis, fast, slow, Fraction(2))
    one, other = (analysis.result("signal.path", i) for i in (fast, slow))
    assert told.kind == "moments"
    assert told.skew_ms is not None
    assert 0 < told.skew_ms <= max(one.worst_ms, other.worst_ms)
    assert told.error == pytest.approx(2 * told.skew_ms / 1000)
    # Of one module they are apart by no more than its own conversion takes.
    near = together(analysis, fast, by_name["Tank2Level"])
    assert near.skew_ms == 0


@pytest.mark.parametrize(
    ("one", "other", "why"),
    [
        ("Tank1Level", "Tank1Level", "another signal"), ("Tank1FillValve", "Tank2FillValve", "Both are written"),
        ("Tank1Level", "GasFlow", "another controller"), ("Tank1Level", "Recipes[1].AirOn", "linked to nothing"),
    ],
)  # fmt: skip
def test_what_has_nothing_to_do_with_each_other_is_refused(one: str, other: str, why: str) -> None:
    by_name = {s.name: s.id for s in DEMO.all(Signal)}
    with pytest.raises(Refusal, match=why):
        together(analyse(DEMO, BUILTIN), by_name[one], by_name[other])


def test_the_part_that_can_be_changed_most_is_changed_and_brings_what_it_says() -> None:
    analysis = analyse(DEMO, BUILTIN)
    signal = next(s for s in DEMO.all(Signal) if s.name == "HumidifierHumidity")
    told = quicker(analysis, signal.id)
    assert told is not None
    assert told.worst_ms < told.before_ms == analysis.result("signal.path", signal.id).worst_ms
    after = analyse(apply(DEMO, BUILTIN, told.edit).plant, BUILTIN)
    assert after.result("signal.path", signal.id).worst_ms == told.worst_ms
    new = {f.key for f in after.findings.values()} - {f.key for f in analysis.findings.values()}
    assert not {f for f in new if after.checks.by_code[after.findings[f].code].severity != "note"}


CHAIN = ("a", "b", "c")


@settings(max_examples=60, deadline=None)
@given(
    told=wholes(),
    order=st.permutations(range(4)),
    tasks=st.lists(st.sampled_from(("Fast", "Slow", "")), min_size=3, max_size=3),
    slow_ms=st.sampled_from((10, 30, 70)),
    holds=st.booleans(),
)
def test_through_a_program_no_reaction_is_later_than_told(
    told: dict[str, Any], order: list[int], tasks: list[str], slow_ms: int, holds: bool
) -> None:
    """In goes to Out by way of three variables; where one is used before it is written, a run later for each."""
    names = ("In", *CHAIN, "Out")
    lines = [f"{after} := {before};" for before, after in pairwise(names)]
    if holds:
        lines[1] = "IF a THEN b := TRUE; ELSE b := FALSE; END_IF;"
    text = "VAR a, b, c : BOOL; END_VAR\n" + "\n".join(lines[n] for n in order)
    plant = made(told)
    rows = {task.name: task.id for task in plant.all(Task)}
    ids = {signal.name: signal.id for signal in plant.all(Signal)}
    own = [rows.get(name) for name in tasks]
    for edit in (
        edits.SetFields(ids=[rows["Slow"]], values={"period_ms": slow_ms}),
        edits.SetFields(ids=[ids["In"]], values={"task": own[0]}),
        edits.SetFields(ids=[ids["Out"]], values={"task": own[1]}),
        edits.AddProgram(controller=plant.all(Controller)[0].id, task=own[2], text=text),
    ):
        plant = apply(plant, BUILTIN, edit).plant
    analysis = analyse(plant, BUILTIN)
    reaction = together(analysis, ids["In"], ids["Out"])
    assert (reaction.program, reaction.waits) == ("Program1", False)
    assert reaction.runs == sum(order.index(n) > order.index(n + 1) for n in range(3))
    if not all(analysis.result("network.timing", network).whole for network in plant.tables["networks"]):
        return
    bench = Bench(plant, BUILTIN)
    bench.run_until(1)
    outside, value = _Field(bench, plant), 0
    for wait in told["at"]:
        bench.run_until(bench.seconds + wait)
        value = 1 - value
        began = bench.seconds
        outside.give(told["from"], value)
        while outside.arrived(told["to"], 0) != value:
            bench.run_until(bench.seconds + 0.0005)
            assert bench.seconds <= began + reaction.worst_ms / 1000 + 0.0005 + _EXACT_S
        bench.run_until(bench.seconds + 2 * reaction.worst_ms / 1000)


@pytest.mark.parametrize(
    ("text", "runs"),
    [
        ("Out := In;", 0),
        ("IF In THEN Out := TRUE; ELSE Out := FALSE; END_IF;", 0),
        ("VAR x : BOOL; END_VAR Out := x; x := In;", 1),
        ("VAR x, y : BOOL; END_VAR Out := y; y := x; x := In;", 2),
        ("VAR x : ARRAY[0..2] OF BOOL; n : INT; END_VAR n := (n + 1) MOD 3; Out := x[n]; x[n] := In;", 1),
        ("VAR i : INT; x : ARRAY[1..3] OF BOOL; END_VAR x[1] := In; "
         "FOR i := 2 TO 3 DO x[i] := x[i - 1]; END_FOR; Out := x[3];", 0),
        ("VAR t : R_TRIG; END_VAR t(CLK := In); Out := t.Q;", 0),
        ("VAR x : BOOL; END_VAR x := In; IF x THEN RETURN; END_IF; Out := NOT Out;", 0),
        ("VAR x : BOOL; END_VAR x := In; Out := TRUE;", None),
        ("CASE SEL(In, 1, 2) OF 2: Out := TRUE; END_CASE;", 0),
        # What is written over before it is used goes nowhere.
        ("VAR x : BOOL; END_VAR x := In; x := FALSE; Out := x;", None),
    ],
)  # fmt: skip
def test_in_which_run_a_program_acts_on_what_it_sees(text: str, runs: int | None) -> None:
    scope = Scope.of([("In", KINDS["BOOL"], False, False), ("Out", KINDS["BOOL"], True, False)])
    found = flow(check(read(text), scope), 0, 1)
    assert (found.runs if found else None) == runs
    assert found is None or found.waits == ("TRIG" in text)
