"""A benchmark and how it is printed: what is measured, what it was, what is aimed at; never a reason to fail."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

ROUNDS = 5
# Steps of the short loop that tells whether the machine is slowed, and by how much it may be.
_SHORT, _QUIET = 100_000, 1.15


@dataclass(frozen=True, slots=True)
class Benchmark:
    """One line of the table. `measure` answers with a figure in `unit`; `before` is what it was when it was first asked
    for, in words, "" where nobody had measured it."""

    what: str
    measure: Callable[[], float]
    unit: str = "ms"
    before: str = ""
    aim: str = ""
    rounds: int = ROUNDS


def printed(benchmark: Benchmark) -> None:
    """Measure as often as asked for and print the median, with the least and the most.

    Rounds during which others slowed the machine are repeated, three times as many at most; "~" stands before a median
    for which there were not enough quiet ones.
    """
    quiet, values = _measured(benchmark)
    told = f"{'' if quiet else '~'}{statistics.median(values):.1f}"
    spread = f"{values[0]:.1f}–{values[-1]:.1f}" if len(values) > 1 else ""
    line(benchmark.what, f"{told} {benchmark.unit}", spread, benchmark.before, benchmark.aim)


def _measured(benchmark: Benchmark) -> tuple[bool, list[float]]:
    """Whether all rounds were quiet; their values, the least first."""
    seen: list[tuple[float, float]] = []
    while sum(slowed <= _QUIET for slowed, _ in seen) < benchmark.rounds and len(seen) < 3 * benchmark.rounds:
        before = _pace()
        value = benchmark.measure()
        seen.append((max(before, _pace()) / _pace.best, value))
    best = sorted(seen)[: benchmark.rounds]
    return best[-1][0] <= _QUIET, sorted(value for _, value in best)


class _Pace:
    """The machine's pace: how long a short loop takes, and the shortest it has taken so far, ms."""

    best = float("inf")

    def __call__(self) -> float:
        now = min(own_loop(_SHORT) for _ in range(3))
        self.best = min(self.best, now)
        return now


_pace = _Pace()


def heading() -> None:
    """The head of a table of Markdown."""
    line("work", "median", "of five", "was", "aimed at")
    line("---", "---:", "---:", "---:", "---:")


def line(*cells: str) -> None:
    """One line of a table of Markdown, aligned for reading as it is."""
    widths = (58, 12, 16, 12, 10)
    print("| " + " | ".join(f"{cell:<{width}}" for cell, width in zip(cells, widths, strict=True)) + " |", flush=True)


def timed(work: Callable[[], Any]) -> float:
    """How long it takes, ms."""
    began = time.perf_counter()
    work()
    return (time.perf_counter() - began) * 1000


def p95(values: list[float]) -> float:
    """The value that one in twenty lies above."""
    return sorted(values)[int(len(values) * 0.95)]


def own_loop(steps: int = 1_000_000) -> float:
    """The machine's own speed: a plain loop, ms. All else is to be read beside it."""

    def work() -> None:
        total = 0
        for n in range(steps):
            total += n & 7

    return timed(work)
