"""Standard function blocks against tables worked by hand, run by run. Source: IEC 61131-3:2013, tables 43 to 46."""

from __future__ import annotations

from typing import Any

import pytest

from highmoor.core.program.compiling import program_of
from highmoor.core.program.kinds import BOOL, INT, TIME
from highmoor.core.program.steps import Scope

MS = 1_000_000


def runs(block: str, inputs: dict[str, list[Any]], outputs: tuple[str, ...], at_ms: list[int]) -> list[tuple[Any, ...]]:
    kinds = {"PT": TIME, "PV": INT}
    scope = Scope.of([(f"i{name}", kinds.get(name, BOOL), False, 0) for name in inputs])
    given = ", ".join(f"{name} := i{name}" for name in inputs)
    program = program_of(f"VAR q : {block}; END_VAR q({given});", scope)
    told = []
    for n, now in enumerate(at_ms):
        for name, values in inputs.items():
            value = values[n] if n < len(values) else values[-1]
            program.memory[program.slots[f"i{name.lower()}"]] = value
        program.run(now * MS)
        told.append(tuple(program.memory[program.slots[f"q.{name.lower()}"]] for name in outputs))
    return told


T, F = True, False


@pytest.mark.parametrize(
    ("block", "on", "at_ms", "expected"),
    [
        # On at 10 ms, asked for until 70: on from 60 on, elapsed held at 50.
        ("TON", [F, T, T, T, T, F, T], [0, 10, 59, 60, 70, 80, 90],
         [(F, 0), (F, 0), (F, 49), (T, 50), (T, 50), (F, 0), (F, 0)]),
        # Taken back before its time: nothing.
        ("TON", [T, F, T, T], [0, 40, 50, 99], [(F, 0), (F, 0), (F, 0), (F, 49)]),
        ("TOF", [F, T, F, F, F, F], [0, 10, 20, 69, 70, 200], [(F, 0), (T, 0), (T, 0), (T, 49), (F, 50), (F, 50)]),
        ("TOF", [T, F, T, F, F], [0, 10, 40, 50, 99], [(T, 0), (T, 0), (T, 0), (T, 0), (T, 49)]),
        # A pulse lasts whatever comes; held longer than it lasts it stays off until the next edge.
        ("TP", [F, T, F, T, T, T, F, T], [0, 10, 20, 30, 60, 70, 80, 90],
         [(F, 0), (T, 0), (T, 10), (T, 20), (F, 50), (F, 50), (F, 0), (T, 0)]),
        ("TP", [T, F, F], [0, 10, 50], [(T, 0), (T, 10), (F, 0)]),
    ],
)  # fmt: skip
def test_timers(block: str, on: list[bool], at_ms: list[int], expected: list[tuple[bool, int]]) -> None:
    told = runs(block, {"IN": on, "PT": [50 * MS]}, ("Q", "ET"), at_ms)
    assert [(q, et // MS) for q, et in told] == expected


@pytest.mark.parametrize(
    ("block", "clock", "expected"),
    [
        ("R_TRIG", [F, T, T, F, T], [F, T, F, F, T]),
        ("R_TRIG", [T, T, F], [T, F, F]),
        ("F_TRIG", [T, F, F, T, F], [F, T, F, F, T]),
        # By the standard's own text a low signal at the very first run is taken for one that fell.
        ("F_TRIG", [F, F, T, F], [T, F, F, T]),
    ],
)
def test_edges(block: str, clock: list[bool], expected: list[bool]) -> None:
    assert [q for (q,) in runs(block, {"CLK": clock}, ("Q",), list(range(len(clock))))] == expected


def test_counters() -> None:
    up = runs("CTU", {"CU": [T, T, F, T, F, T, T], "R": [F, F, F, F, F, F, T], "PV": [2]}, ("Q", "CV"), list(range(7)))
    assert up == [(F, 1), (F, 1), (F, 1), (T, 2), (T, 2), (T, 3), (F, 0)]
    down = runs("CTD", {"CD": [F, T, F, T, T], "LD": [T, F, F, F, F], "PV": [2]}, ("Q", "CV"), list(range(5)))
    assert down == [(F, 2), (F, 1), (F, 1), (T, 0), (T, 0)]


@pytest.mark.parametrize(
    ("block", "sets", "resets", "expected"),
    [
        ("SR", ("S1", [F, T, F, F, T]), ("R", [F, F, F, T, T]), [F, T, T, F, T]),
        ("RS", ("S", [F, T, F, F, T]), ("R1", [F, F, F, T, T]), [F, T, T, F, F]),
    ],
)
def test_of_two_that_are_asked_at_once_one_wins(
    block: str, sets: tuple[str, list[bool]], resets: tuple[str, list[bool]], expected: list[bool]
) -> None:
    assert [q for (q,) in runs(block, dict([sets, resets]), ("Q1",), list(range(5)))] == expected


def test_a_five_second_run_with_start_and_stop_as_edges() -> None:
    """Started by an edge, ended by its time or by another edge."""
    scope = Scope.of([("Start", BOOL, False, False), ("Stop", BOOL, False, False), ("Motor", BOOL, True, False)])
    program = program_of(
        """
        VAR started, stopped : R_TRIG; run : RS; lasts : TON; END_VAR
        started(CLK := Start);
        stopped(CLK := Stop);
        lasts(IN := Motor, PT := T#5s);
        run(S := started.Q, R1 := stopped.Q OR lasts.Q, Q1 => Motor);
        """,
        scope,
    )
    motor = []
    for second in range(16):
        program.memory[0] = second in (1, 2, 3, 9)
        program.memory[1] = second in (11, 12)
        program.run(second * 1000 * MS)
        motor.append(program.memory[2])
    assert [n for n, on in enumerate(motor) if on] == [1, 2, 3, 4, 5, 6, 9, 10]
