"""How many more of a thing there is room for, and what stops the next; how limits run out over several copies."""

from __future__ import annotations

import math
from dataclasses import dataclass

from highmoor.core.analysis.engine import Analysis, Delta, Headline
from highmoor.core.errors import Refusal
from highmoor.core.project import edits
from highmoor.core.project.apply import Applied, apply
from highmoor.core.project.replicate import ReplicaPlan, plan_replicas

_STEPS_AT_MOST = 12
# A serial port takes one line. Other errors of a copy (a name, an address) can be set right once it is there.
_NO_FIGURE = ("NET-109",)


@dataclass(frozen=True, slots=True)
class LimitLine:
    """One figure with a limit: what is there now, what one more takes, and how many more go into the rest."""

    place: str
    label: str
    unit: str
    now: float
    need: float
    limit: float
    more: int


@dataclass(frozen=True, slots=True)
class Room:
    """How many more fit, None where nothing that is computed stops it; the limits that count, nearest first.

    `refused` says why not even one more can be made.
    """

    more: int | None
    limits: tuple[LimitLine, ...]
    refused: str = ""


def room_for(analysis: Analysis, row_id: str) -> Room:
    """n = min over limits of ⌊(limit − used) / need⌋, the need told by trying one more with all that hangs on it."""
    edit = edits.Replicate(id=row_id)
    try:
        applied = apply(analysis.plant, analysis.catalogue, _without_collisions(analysis, edit))
    except Refusal as refusal:
        return Room(0, (), refusal.reason)
    delta = analysis.preview(applied.plant, applied.change)
    before, after = delta.before, delta.after
    lines = [line for key, now in before.items() if (line := _line(now, after.get(key))) is not None]
    lines.sort(key=lambda line: (line.more, line.label))
    wrong = _wrong(analysis, delta)
    if wrong and not (lines and lines[0].more == 0):
        # No figure runs out, but one more is wrong by itself: two lines on one port.
        return Room(0, tuple(lines), wrong)
    return Room(lines[0].more if lines else None, tuple(lines))


def _wrong(analysis: Analysis, delta: Delta) -> str:
    """What no figure counts and one more cannot have, in words; "" where nothing stands against it."""
    found = next((f for f in delta.added if f.code in _NO_FIGURE), None)
    return analysis.checks.by_code[found.code].render(found) if found else ""


def _without_collisions(analysis: Analysis, edit: edits.Replicate) -> edits.Replicate:
    """The same copy under names nobody has: whether a name is free says nothing about room."""
    plan = plan_replicas(analysis.plant, analysis.catalogue, edit)
    names = {
        f"{row.source}.{n + 1}": f"Copy_{n}_{k}" for k, (row, n) in enumerate(plan.collisions) if row.field == "name"
    }
    return edit.model_copy(update={"names": names})


def _figures(
    analysis: Analysis, applied: Applied
) -> tuple[dict[tuple[str, str], Headline], dict[tuple[str, str], Headline]]:
    delta = analysis.preview(applied.plant, applied.change)
    return delta.before, delta.after


def _line(now: Headline, then: Headline | None) -> LimitLine | None:
    """What one more takes of a limit; None where it takes nothing, or nothing limits it."""
    if then is None or now.limit is None or now.value is None or then.value is None or not now.better:
        return None
    falls = now.better == "more"
    need = now.value - then.value if falls else then.value - now.value
    if need <= 0:
        return None
    rest = now.value - now.limit if falls else now.limit - now.value
    return LimitLine(now.place, now.label, now.unit, now.value, need, now.limit, max(math.floor(rest / need + 1e-9), 0))


@dataclass(frozen=True, slots=True)
class Course:
    """One figure over the copies: now, then after each copy that was tried (None where it was not)."""

    label: str
    unit: str
    limit: float
    better: str
    values: tuple[float | None, ...]
    runs_out: int | None


def courses(analysis: Analysis, edit: edits.Replicate) -> tuple[ReplicaPlan, tuple[Course, ...]]:
    """The plan of a replication, and every limited figure over its copies. Raises Refusal like the edit itself."""
    plan = plan_replicas(analysis.plant, analysis.catalogue, edit)
    free = edit if not plan.collisions else _spread(edit, plan)
    steps = _steps(edit.count)
    found: dict[tuple[str, str], dict[int, Headline]] = {}
    for copies in steps:
        try:
            applied = apply(analysis.plant, analysis.catalogue, free.model_copy(update={"count": copies}))
        except Refusal:
            break
        before, after = _figures(analysis, applied)
        for key, now in before.items():
            then = after.get(key)
            if then is not None and now.limit is not None and now.value is not None and then.value is not None:
                found.setdefault(key, {0: now})[copies] = then
    return plan, tuple(_course(line, edit.count) for line in found.values() if _moves(line))


def _spread(edit: edits.Replicate, plan: ReplicaPlan) -> edits.Replicate:
    """Other names where they collide, so that the figures can be told all the same."""
    names = dict(edit.names)
    for k, (row, n) in enumerate(plan.collisions):
        if row.field == "name":
            names[f"{row.source}.{n + 1}"] = f"Copy_{n}_{k}"
    return edit.model_copy(update={"names": names})


def _steps(count: int) -> list[int]:
    if count <= _STEPS_AT_MOST:
        return list(range(1, count + 1))
    return sorted({1, count, *(round(count * n / _STEPS_AT_MOST) for n in range(1, _STEPS_AT_MOST))})


def _moves(line: dict[int, Headline]) -> bool:
    return len({headline.value for headline in line.values()}) > 1


def _course(line: dict[int, Headline], count: int) -> Course:
    now = line[0]
    assert now.limit is not None
    over = next((n for n in sorted(line) if n and line[n].over), None)
    values = tuple(line[n].value if n in line else None for n in range(count + 1))
    return Course(now.label, now.unit, now.limit, now.better, values, None if now.over else over)
