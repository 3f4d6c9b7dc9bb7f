"""Programs: how long 500 lines take to translate, 10 000 statements to run, and an endless loop until it is ended."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator

from highmoor.core.program.compiling import CompiledProgram, Stopped, program_of
from highmoor.core.program.kinds import KINDS
from highmoor.core.program.steps import Scope
from highmoor.server.benchmarks.table import Benchmark, timed

_BLOCK = """\
IF Level{n} > 2.5 AND NOT Valve{n} THEN
  Valve{n} := TRUE;
  Count{n} := Count{n} + 1;
END_IF;
x := LIMIT(0.0, Level{n} * 3.0 + x / 2.0, 100.0);
"""
_SIGNALS = 100


def _scope() -> Scope:
    kinds = (("Level", "REAL", 0.0), ("Valve", "BOOL", False), ("Count", "INT", 0))
    return Scope.of(
        (f"{name}{n}", KINDS[kind], name != "Level", begins) for n in range(_SIGNALS) for name, kind, begins in kinds
    )


def _text(lines: int) -> str:
    blocks = (_BLOCK.format(n=n % _SIGNALS) for n in range(lines // _BLOCK.count("\n")))
    return "VAR x : REAL; END_VAR\n" + "".join(blocks)


def benchmarks() -> Iterator[Benchmark]:
    """A text read, checked and made to run; one run of many statements; a loop that never ends."""
    text = _text(500)
    yield Benchmark(
        "a program of 500 lines made to run", lambda: timed(lambda: program_of(text, _scope())), aim="< 100"
    )
    many = program_of("VAR a, b : DINT; END_VAR\n" + "a := a + 1;\nb := a - b;\n" * 5000, Scope())
    yield Benchmark("10 000 statements run once", lambda: timed(lambda: many.run(0)), aim="≤ 2")
    endless = program_of("VAR i : INT; END_VAR\nFOR i := 0 TO 9 DO\n  i := 0;\nEND_FOR;", Scope())
    yield Benchmark("an endless loop ended by its bound after", lambda: timed(lambda: _until_it_stops(endless)))


def _until_it_stops(program: CompiledProgram) -> None:
    with contextlib.suppress(Stopped):
        program.run(0)
