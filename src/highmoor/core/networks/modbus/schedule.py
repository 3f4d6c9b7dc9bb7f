"""Requests that are due every period and share one line or connection: who waits for whom.

A request that is due while another runs waits for it; first due, first served, ties in the order given. All are due
together at the start, which is the worst that can happen to each. What the program starts goes when nothing else waits:
it may have begun just before, and then all wait for it. `asked.py` serves by the same rule.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cache, lru_cache
from itertools import accumulate

from highmoor.core.networks.line_time import Block, Due
from highmoor.core.numbers import exact

_BLOCKS_AT_MOST = 720
_MOMENTS_AT_MOST = 6000


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


def served(
    everything: Sequence[Asked], window_ms: float, common_ms: float, silent: str = "", *, drawn: bool = True
) -> Served:
    """The schedule over its common period, with every request of the lane `silent` unanswered; blocks if `drawn`."""
    asked = [item for item in everything if not item.on_demand]
    demanded = [_takes(item, silent) for item in everything if item.on_demand]
    takes = [_takes(item, silent) for item in asked]
    drawing = _Drawing(asked, window_ms, silent)
    moments, all_of_them = _moments(frozenset(item.period_ms for item in asked), max(common_ms, window_ms))
    batch_of = _batches(asked, takes)
    waited: dict[_Batch, float] = {}
    free_at = 0.0
    for due, periods in moments:
        batch = batch_of(periods)
        start = due if due > free_at else free_at
        if start - due > waited.get(batch, -1.0):
            waited[batch] = start - due
        if start < window_ms:
            if drawn:
                drawing.add(batch, due, start)
        elif free_at == math.inf:
            break
        free_at = start + batch.takes_ms
    late = [0.0] * len(asked)
    for batch, wait in waited.items():
        for n, before in batch.members:
            late[n] = max(late[n], wait + before)
    if math.inf in takes:
        # Once it was asked nothing goes any more; nothing of that repeats.
        late = [math.inf] * len(asked)
    # What is overloaded gets later for ever.
    whole = sum(taken / item.period_ms for taken, item in zip(takes, asked, strict=True)) <= 1
    before = max(demanded, default=0.0)
    told = {item.id: ms + before for item, ms in zip(asked, late, strict=True)}
    wait = _until_idle(asked, takes, demanded) if demanded else 0.0
    on_demand = {item.id: wait for item in everything if item.on_demand}
    return Served(drawing.blocks, drawing.dues, told | on_demand, whole and all_of_them)


@dataclass(frozen=True, slots=True, eq=False)
class _Batch:
    """Requests that fall due at one moment, by number, each with the time (ms) that those before it take."""

    members: tuple[tuple[int, float], ...]
    takes_ms: float


def _batches(asked: Sequence[Asked], takes: Sequence[float]) -> Callable[[tuple[float, ...]], _Batch]:
    """What gives the requests of these periods. Few periods make few kinds of moments, however many requests there are:
    each kind is put together once."""
    having: dict[float, list[int]] = {}
    for n, item in enumerate(asked):
        having.setdefault(item.period_ms, []).append(n)

    @cache
    def batch(periods: tuple[float, ...]) -> _Batch:
        members = sorted(n for period in periods for n in having[period])
        before = list(accumulate((takes[n] for n in members), initial=0.0))
        return _Batch(tuple(zip(members, before[:-1], strict=True)), before[-1])

    return batch


@lru_cache(maxsize=64)
def _moments(periods_ms: frozenset[float], until_ms: float) -> tuple[list[tuple[float, tuple[float, ...]]], bool]:
    """The moments (ms) at which something falls due, each with the periods that then end, and whether they are all.

    Counted in whole parts of a millisecond, for sums of floats would meet where the true ones do not.
    """
    exacts = {period: exact(period) for period in periods_ms}
    parts = math.lcm(*(period.denominator for period in exacts.values()))
    queue = sorted((0, int(each * parts), period) for period, each in exacts.items())
    found: list[tuple[float, tuple[float, ...]]] = []
    while queue and queue[0][0] / parts < until_ms:
        if len(found) == _MOMENTS_AT_MOST:
            return found, False
        due, ending = queue[0][0], []
        while queue[0][0] == due:
            _, each, period = queue[0]
            ending.append(period)
            heapq.heapreplace(queue, (due + each, each, period))
        found.append((due / parts, tuple(ending)))
    return found, True


class _Drawing:
    """What of the schedule is drawn: as many blocks as can be told apart within a window."""

    def __init__(self, asked: Sequence[Asked], window_ms: float, silent: str) -> None:
        self._asked, self._window_ms, self._silent = asked, window_ms, silent
        self._count = 0
        self.blocks: dict[str, list[Block]] = {}
        self.dues: dict[str, list[Due]] = {}

    def add(self, batch: _Batch, due: float, begin: float) -> None:
        """Requests that were due at one moment, one after the other from `begin` on, ms."""
        for n, before in batch.members:
            item, start = self._asked[n], begin + before
            if start >= self._window_ms or self._count >= _BLOCKS_AT_MOST:
                return
            made = _blocks(item, start, self._window_ms, silent=item.lane == self._silent)
            self._count += len(made)
            self.blocks.setdefault(item.lane, []).extend(made)
            self.dues.setdefault(item.lane, []).append(Due(due, start, item.id))


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


def _attempt(item: Asked, start: float, n: int) -> list[Block]:
    """One of several times it is asked in vain."""
    each = item.silent_ms / item.attempts
    begin, end = start + n * each, start + (n + 1) * each
    label = item.label if n == 0 else f"{item.label}, retry {n}"
    blocks = [
        Block(begin, begin + item.request_ms, "request", label, (item.id,)),
        Block(begin + item.request_ms, end - item.tail_ms, "time-out", label, (item.id,)),
    ]
    return [*blocks, Block(end - item.tail_ms, end, "gap", label, (item.id,))] if item.tail_ms else blocks


def _for_ever(item: Asked, start: float, until: float) -> list[Block]:
    """What is asked in vain and never given up, up to the end of what is drawn."""
    sent = start + item.request_ms
    return [
        Block(start, sent, "request", item.label, (item.id,)),
        Block(sent, max(sent, until), "time-out", item.label, (item.id,)),
    ]


def _blocks(item: Asked, start: float, until: float, *, silent: bool) -> list[Block]:
    if silent and item.silent_ms == math.inf:
        return _for_ever(item, start, until)
    if silent:
        return [block for n in range(item.attempts) for block in _attempt(item, start, n)]
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
