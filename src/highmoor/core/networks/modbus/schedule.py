"""Requests that are due every period and share one line or connection: who waits for whom.

A request that is due while another runs waits for it; first due, first served, ties in the order given. All are due
together at the start, which is the worst that can happen to each. What the program starts goes when nothing else waits:
it may have begun just before, and then all wait for it. `asked.py` serves by the same rule.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

from highmoor.core.networks.line_time import Block, Due
from highmoor.core.numbers import exact

_BLOCKS_AT_MOST = 720
_SERVED_AT_MOST = 6000


@dataclass(frozen=True, slots=True)
class Asked:
    """A request as the schedule sees it, times in ms: on the line, waiting, answered, silence behind it.

    `silent_ms` is what it takes when nobody answers, all `attempts` together; without a time-out it is endless. What is
    `on_demand` has no period of its own.
    """

    id: str
    lane: str
    label: str
    period_ms: float
    request_ms: float
    wait_ms: float
    response_ms: float
    tail_ms: float
    silent_ms: float
    attempts: int = 1
    on_demand: bool = False

    @property
    def total_ms(self) -> float:
        """From the request's first bit until the next may begin."""
        return self.request_ms + self.wait_ms + self.response_ms + self.tail_ms


@dataclass(frozen=True, slots=True)
class Served:
    """What came of it: blocks and due marks within the window by lane, the worst lateness of each request.

    `whole` says that it was followed until everything repeats.
    """

    blocks: dict[str, list[Block]]
    dues: dict[str, list[Due]]
    late_ms: dict[str, float]
    whole: bool


def told_ms(value: float) -> float | None:
    """A time as it is told: None for ever."""
    return value if math.isfinite(value) else None


def common_period_ms(asked: Sequence[Asked]) -> float:
    """The least common multiple of the periods, 0 without any."""
    periods = [exact(a.period_ms) for a in asked if not a.on_demand]
    if not periods:
        return 0
    denominator = math.lcm(*(p.denominator for p in periods))
    return float(Fraction(math.lcm(*(int(p * denominator) for p in periods)), denominator))


def served(everything: Sequence[Asked], window_ms: float, common_ms: float, silent: str = "") -> Served:
    """The schedule over its common period, with every request of the lane `silent` unanswered."""
    asked = [item for item in everything if not item.on_demand]
    demanded = [_takes(item, silent) for item in everything if item.on_demand]
    until = max(common_ms, window_ms)
    queue = [(0.0, n) for n in range(len(asked))]
    takes = [_takes(item, silent) for item in asked]
    periods = [item.period_ms for item in asked]
    late = [0.0] * len(asked)
    drawn: dict[str, list[Block]] = {}
    dues: dict[str, list[Due]] = {}
    free_at, blocks = 0.0, 0
    # What is overloaded gets later for ever.
    whole = sum(taken / period for taken, period in zip(takes, periods, strict=True)) <= 1
    if math.inf in takes:
        # Once it was asked nothing goes any more; nothing of that repeats.
        late = [math.inf] * len(asked)
    for _ in range(_SERVED_AT_MOST):
        if not queue or queue[0][0] >= until:
            break
        due, n = queue[0]
        start = due if due > free_at else free_at
        if start >= window_ms and late[n] == math.inf:
            break
        if start - due > late[n]:
            late[n] = start - due
        free_at = start + takes[n]
        heapq.heapreplace(queue, (due + periods[n], n))
        if start < window_ms and blocks < _BLOCKS_AT_MOST:
            item = asked[n]
            made = _blocks(item, start, window_ms, silent=item.lane == silent)
            blocks += len(made)
            drawn.setdefault(item.lane, []).extend(made)
            dues.setdefault(item.lane, []).append(Due(due, start, item.id))
    else:
        whole = False
    before = max(demanded, default=0.0)
    told = {item.id: ms + before for item, ms in zip(asked, late, strict=True)}
    wait = _until_idle(asked, takes, demanded) if demanded else 0.0
    return Served(drawn, dues, told | {item.id: wait for item in everything if item.on_demand}, whole)


def _until_idle(asked: Sequence[Asked], takes: Sequence[float], demanded: Sequence[float]) -> float:
    """How long what the program starts may wait: until all who are asked by a period, and all that it started, are
    through, however many fall due meanwhile (the longest busy period)."""
    if sum(taken / item.period_ms for taken, item in zip(takes, asked, strict=True)) >= 1 or math.inf in demanded:
        return math.inf
    wait = sum(demanded) + sum(takes)
    for _ in range(1000):
        more = sum(demanded) + sum(
            taken * math.ceil(wait / item.period_ms - 1e-9) for taken, item in zip(takes, asked, strict=True)
        )
        if more <= wait:
            return wait
        wait = more
    return math.inf


def _takes(item: Asked, silent: str) -> float:
    return item.silent_ms if item.lane == silent else item.total_ms


def _attempt(item: Asked, start: float, n: int, until: float) -> list[Block]:
    """One of several times it is asked in vain, up to the end of what is drawn where it never ends."""
    each = item.silent_ms / item.attempts
    begin, end = start + n * each, min(start + (n + 1) * each, until)
    label = item.label if n == 0 else f"{item.label}, retry {n}"
    blocks = [
        Block(begin, begin + item.request_ms, "request", label, (item.id,)),
        Block(begin + item.request_ms, end - item.tail_ms, "time-out", label, (item.id,)),
    ]
    return [*blocks, Block(end - item.tail_ms, end, "gap", label, (item.id,))] if item.tail_ms else blocks


def _blocks(item: Asked, start: float, until: float, *, silent: bool) -> list[Block]:
    if silent and item.silent_ms == math.inf:
        return _attempt(replace(item, attempts=1, tail_ms=0), start, 0, until)
    if silent:
        return [block for n in range(item.attempts) for block in _attempt(item, start, n, math.inf)]
    sent = start + item.request_ms
    blocks = [
        Block(start, sent, "request", item.label, (item.id,)),
        Block(sent, sent + item.wait_ms, "wait", item.label, (item.id,)),
    ]
    end = sent + item.wait_ms + item.response_ms
    if item.response_ms:
        blocks.append(Block(sent + item.wait_ms, end, "response", item.label, (item.id,)))
    if item.tail_ms:
        blocks.append(Block(end, end + item.tail_ms, "gap", item.label, (item.id,)))
    return blocks
