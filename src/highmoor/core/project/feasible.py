"""The feasible window of a timing field: from the smallest to the largest value that keeps all findings away.

Nothing is assumed of how findings depend on the value: values are tried, each on the whole analysis, with everything
else as it is. The edges are found by halving, to three digits. Between two trials others have their turn at the plant;
when it has changed meanwhile, the window is given up.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass, field, replace
from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.errors import HighmoorError, Refusal
from highmoor.core.plant.change import value_at
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.fields import fields_of

_SAMPLES = 17
_HALVINGS = 9
_LEAST_MS = 0.1


@dataclass(frozen=True, slots=True)
class Edge:
    """One end of a window: the last good value, and the finding that comes just beyond it (None: the field's end).

    `label` is the value as it is chosen, "" where any can be entered.
    """

    value: float
    title: str | None
    text: str | None
    label: str = ""


@dataclass(frozen=True, slots=True)
class Window:
    """Values from `low` to `high` bring no finding; both None where every value brings one, `against` says which.

    `unit` of the field; `now` is the value it has. `remains` are findings that the value has a part in and that no
    value mends.
    """

    unit: str
    now: float | None
    low: Edge | None
    high: Edge | None
    against: tuple[str, ...] = ()
    remains: tuple[str, ...] = ()


class GivenUp(HighmoorError):
    """The plant has changed since the first value was tried: the window is of a plant that is no more."""


# What is held while one value is tried. Raises GivenUp.
Turn = Callable[[], AbstractContextManager[None]]


@dataclass(slots=True)
class _Trial:
    """Tries values of one field; what it found is kept."""

    analysis: Analysis
    row: str
    path: str
    turn: Turn
    seen: dict[float, dict[str, Finding]] = field(default_factory=dict)

    def findings(self, value: float) -> dict[str, Finding]:
        """Errors and warnings of the whole plant with this value; one more than all where it is refused."""
        if value not in self.seen:
            with self.turn():
                self.seen[value] = self._tried(value)
        return self.seen[value]

    def _tried(self, value: float) -> dict[str, Finding]:
        edit = edits.SetFields(ids=[self.row], values={self.path: value})
        try:
            applied = apply(self.analysis.plant, self.analysis.catalogue, edit)
        except Refusal as refusal:
            return {"refused": Finding("refused", (), (("problem", refusal.reason),))}
        delta = self.analysis.preview(applied.plant, applied.change)
        now = dict(self.analysis.findings)
        for gone in delta.gone:
            now.pop(gone.key, None)
        now.update({added.key: added for added in delta.added})
        return {key: f for key, f in now.items() if self._matters(f)}

    def _matters(self, found: Finding) -> bool:
        check = self.analysis.checks.by_code.get(found.code)
        return check is not None and check.severity != "note"


def feasible_window(analysis: Analysis, row_id: str, path: str, turn: Turn = nullcontext) -> Window:
    """The window of a field of a row. Raises Refusal for a field that has none, GivenUp as `turn` does."""
    with turn():
        row: Any = analysis.plant.get(row_id, object)
        spec = next((s for s in fields_of(analysis.plant, analysis.catalogue, row) if s.path == path), None)
    if spec is None or not spec.window or spec.disabled:
        raise Refusal(f"The field {path!r} has no window.", place=row_id, field=path)
    own = value_at(row, path)
    now = spec.default if own is None else own
    trial = _Trial(analysis, row_id, path, turn)
    values = _samples(spec, now)
    samples = [trial.findings(v) for v in values]
    always = set.intersection(*(set(found) for found in samples))
    remains = _moved(analysis, samples, always)
    good = [not set(trial.findings(v)) - always for v in values]
    if not any(good):
        return replace(_none(analysis, spec, now, trial, values, always), remains=remains)
    start, end = _stretch(values, good, now)
    low = _edge(analysis, spec, trial, always, values[start], values[start - 1] if start else None)
    high = _edge(analysis, spec, trial, always, values[end], values[end + 1] if end + 1 < len(values) else None)
    return Window(spec.unit, now if isinstance(now, int | float) else None, low, high, (), remains)


def _moved(analysis: Analysis, samples: list[dict[str, Finding]], always: set[str]) -> tuple[str, ...]:
    """What stands there whatever the value, but with other figures: it has a part in it and cannot mend it."""
    first, *others = samples
    moved = {key for key in always if any(other[key] != first[key] for other in others)}
    return tuple(sorted({analysis.checks.by_code[first[key].code].title for key in moved}))


def _samples(spec: FieldSpec, now: Any) -> list[float]:
    """What can be chosen, or values spread evenly by ratio over what may be entered; and the one it has."""
    if spec.choices:
        return sorted(choice.value for choice in spec.choices if isinstance(choice.value, int | float))
    low = max(spec.minimum or 0, _LEAST_MS)
    high = max(spec.maximum or 60_000, low * 10)
    spread = {_rounded(spec, low * (high / low) ** (n / (_SAMPLES - 1))) for n in range(_SAMPLES)}
    own = {now} if isinstance(now, int | float) and not isinstance(now, bool) and low <= now <= high else set()
    return sorted(v for v in spread | own if low <= v <= high)


def _stretch(values: list[float], good: list[bool], now: Any) -> tuple[int, int]:
    """The run of good values around the one it has, or the one nearest to it."""
    own = min(max(now, values[0]), values[-1]) if isinstance(now, int | float) else values[0]
    at = min((n for n, fine in enumerate(good) if fine), key=lambda n: abs(math.log(values[n] / own)))
    start = end = at
    while start > 0 and good[start - 1]:
        start -= 1
    while end + 1 < len(good) and good[end + 1]:
        end += 1
    return start, end


def _edge(
    analysis: Analysis, spec: FieldSpec, trial: _Trial, always: set[str], inside: float, outside: float | None
) -> Edge:  # fmt: skip
    """The good value next to the first bad one beyond; the field's own end where nothing is bad."""
    label = next((choice.label for choice in spec.choices if choice.value == inside), "")
    if outside is None:
        return Edge(inside, None, None, label)
    for _ in range(0 if spec.choices else _HALVINGS):
        middle = _rounded(spec, math.sqrt(inside * outside))
        if middle in (inside, outside):
            break
        if set(trial.findings(middle)) - always:
            outside = middle
        else:
            inside = middle
    culprit = _culprit(trial, always, outside)
    check = analysis.checks.by_code.get(culprit.code)
    text = check.render(culprit) if check else dict(culprit.values).get("problem", "")
    return Edge(inside, check.title if check else "Not possible", text, label)


def _culprit(trial: _Trial, always: set[str], value: float) -> Finding:
    """The first finding that comes with a value, in order of its key."""
    found = trial.findings(value)
    return found[min(set(found) - always)]


def _none(
    analysis: Analysis, spec: FieldSpec, now: Any, trial: _Trial, values: list[float], always: set[str]
) -> Window:
    """Every value brings a finding: those of the value that brings fewest, and of the next that brings others."""
    brought = sorted(({k: f for k, f in trial.findings(v).items() if k not in always} for v in values), key=len)
    best = brought[0]
    other = next((found for found in brought if not set(best) <= set(found)), {})
    checks = [analysis.checks.by_code.get(f.code) for _, f in sorted({**best, **other}.items())]
    titles = dict.fromkeys(check.title if check else "Not possible" for check in checks)
    return Window(spec.unit, now if isinstance(now, int | float) else None, None, None, tuple(titles))


def _rounded(spec: FieldSpec, value: float) -> float:
    """Three digits: nobody sets a period finer; whole where nothing else can be."""
    if spec.kind == "integer":
        return round(value)
    digits = 2 - math.floor(math.log10(value))
    result = round(value, digits)
    return int(result) if result == int(result) else result
