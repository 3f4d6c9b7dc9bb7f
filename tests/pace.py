"""How long one thing takes beside another, on a machine that others use as well."""

from __future__ import annotations

import time
from collections.abc import Callable
from statistics import median
from typing import Any

_MUCH = 1 << 17


def times_as_long(one: Callable[[], Any], other: Callable[[], Any], rounds: int = 9) -> float:
    """The median, over pairs one right after the other, of how many times as long in CPU time one takes as the other:
    what else the machine does slows both halves of a pair alike, and a single pair now and then."""
    ratios = []
    for _ in range(rounds):
        base = _took(other)
        ratios.append(_took(one) / base)
    return median(ratios)


def _took(work: Callable[[], Any]) -> float:
    began = time.process_time()
    made = work()
    # The allocator puts off what was freed until somebody wants more: that is still of this work.
    bytearray(_MUCH)
    took = time.process_time() - began
    # Freed outside what is timed.
    del made
    return took
