"""Findings: what a check says. Text is rendered on the way out, the remedy computed on request."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

Severity = Literal["error", "warning", "note"]
Stage = Literal["hardware", "networks", "signals", "safety", "motion", "live", "handover"]


@dataclass(frozen=True, slots=True)
class Place:
    """Where: an object and, if it is about one, its dotted field."""

    id: str
    field: str = ""


@dataclass(frozen=True, slots=True)
class Finding:
    """What a check says: its key is code and places, never values, so it neither flickers nor goes stale."""

    code: str
    places: tuple[Place, ...]
    values: tuple[tuple[str, Any], ...] = ()
    key: str = field(init=False, compare=False, repr=False)
    """Stable identity."""

    def __post_init__(self) -> None:
        places = (f"{place.id}.{place.field}" if place.field else place.id for place in self.places)
        object.__setattr__(self, "key", ":".join((self.code, *places)))


def finding(code: str, *places: str | tuple[str, str], **values: Any) -> Finding:
    """A finding at objects or (object, field) pairs, with the values its text names."""
    where = tuple(Place(p) if isinstance(p, str) else Place(*p) for p in places)
    return Finding(code, where, tuple(sorted(values.items())))


@dataclass(frozen=True, slots=True)
class Check:
    """A rule: what it says when broken, why it matters, and by which standard.

    `text` is a format string over the finding's values. `find(result, reader, root)` yields findings for one
    part's result. With `kinds` it is asked only of what belongs to a network of one of them.
    """

    code: str
    part: str | tuple[str, ...]
    stage: Stage
    severity: Severity
    title: str
    text: str
    reason: str
    find: Callable[[Any, Any, str], Iterable[Finding]]
    standard: str = ""
    kinds: tuple[str, ...] = ()

    def render(self, found: Finding) -> str:
        """The finding's own sentence."""
        return self.text.format(**dict(found.values))


class Checks:
    """The checks known, by code, and by the part and the kind of network they look at.

    `kind_of(reader, root)` tells the kind of network a part's root belongs to, so that however many kinds there are,
    only those of one are asked.
    """

    def __init__(self, checks: Iterable[Check], kind_of: Callable[[Any, str], str] = lambda *_: "") -> None:
        self._kind_of = kind_of
        self.by_code: Mapping[str, Check] = {}
        by_code: dict[str, Check] = {}
        self._of_all: dict[str, list[Check]] = {}
        self._of_kind: dict[str, dict[str, list[Check]]] = {}
        for check in checks:
            if check.code in by_code:
                raise ValueError(f"two checks are called {check.code}")
            by_code[check.code] = check
            for part in (check.part,) if isinstance(check.part, str) else check.part:
                for kind in check.kinds:
                    self._of_kind.setdefault(part, {}).setdefault(kind, []).append(check)
                if not check.kinds:
                    self._of_all.setdefault(part, []).append(check)
        self.by_code = by_code

    def look_at(self, part: str) -> bool:
        """Whether any check looks at a part."""
        return part in self._of_all or part in self._of_kind

    def found(self, part: str, result: Any, reader: Any, root: str) -> tuple[Finding, ...]:
        """What the checks of a part say of its result for one root; where there is none, its kind is not asked for."""
        checks: Iterable[Check] = self._of_all.get(part, ())
        if part in self._of_kind and result is not None:
            checks = [*checks, *self._of_kind[part].get(self._kind_of(reader, root), ())]
        if not checks:
            return ()
        return tuple(found for check in checks for found in check.find(result, reader, root))
