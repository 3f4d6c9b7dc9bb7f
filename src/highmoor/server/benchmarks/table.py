"""A benchmark and how it is printed: what is measured, what it was, what is aimed at; never a reason to fail."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

ROUNDS = 5


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
    """Measure as often as asked for and print the median, with the least and the most."""
    values = sorted(benchmark.measure() for _ in range(benchmark.rounds))
    told = f"{statistics.median(values):.1f}"
    spread = f"{values[0]:.1f}–{values[-1]:.1f}" if len(values) > 1 else ""
    line(benchmark.what, f"{told} {benchmark.unit}", spread, benchmark.before, benchmark.aim)


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


def own_loop() -> float:
    """The machine's own speed: a plain loop of a million steps, ms. All else is to be read beside it."""

    def work() -> None:
        total = 0
        for n in range(1_000_000):
            total += n & 7

    return timed(work)
