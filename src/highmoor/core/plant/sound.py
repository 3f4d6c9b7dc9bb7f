"""What any row must be, whatever it means: numbers that can be counted with, texts that can be kept, bounded depth."""

from __future__ import annotations

from typing import Any

from highmoor.core.plant.fields import text_problem
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import PROGRAM_LETTERS_AT_MOST, Table, row_values

_DEPTH_AT_MOST = 12
_VALUES_AT_MOST = 20_000
_TEXT_AT_MOST = 20_000
# Beyond this a whole number is not the same in every program that reads the file (RFC 8259, 6).
_WHOLE_AT_MOST = 2**53
_LARGEST = 1e300
# Whatever counts places of a rail is walked from one to the last.
_COUNTS_AT_MOST = {"places": 1024, "slot": 1024}
# How many rows deep anything is owned: a port of a module on a rail of a module on a rail of a module.
_OWNED_AT_MOST = 12


def owned_too_deep(plant: Plant, row: Any) -> bool:
    """Whether a row hangs deeper than anything may, as does what owns itself in the end."""
    for _ in range(_OWNED_AT_MOST):
        row = plant.owner_of(row)
        if row is None:
            return False
    return True


def row_problem(table: Table, row: Any) -> tuple[str, str] | None:
    """The first field that is not sound, with the reason in words; None when all are."""
    for name, value in row_values(row).items():
        if name == "id" or value is None:
            continue
        most = _COUNTS_AT_MOST.get(name)
        if most is not None and isinstance(value, int) and not 0 < value <= most:
            return name, f"{value} is outside 1–{most}"
        longest = PROGRAM_LETTERS_AT_MOST if (table.name, name) == ("programs", "text") else _TEXT_AT_MOST
        found = _value_problem(name, value) if name in table.json_fields else _plain_problem(value, longest)
        if found:
            return found if isinstance(found, tuple) else (name, found)
    return None


def _plain_problem(value: Any, longest: int = _TEXT_AT_MOST) -> str:
    if isinstance(value, str):
        return f"{len(value)} characters are too many" if len(value) > longest else text_problem(value)
    if isinstance(value, bool) or not isinstance(value, int | float):
        return ""
    if not abs(value) <= (_WHOLE_AT_MOST if isinstance(value, int) else _LARGEST):
        return "the number is too large"
    return ""


def _value_problem(path: str, tree: Any) -> tuple[str, str] | None:
    """The same for everything within a JSON field; places by dotted path."""
    level, depth, seen = [(path, tree)], 0, 0
    while level:
        depth += 1
        seen += len(level)
        if depth > _DEPTH_AT_MOST:
            return path, "nested too deeply"
        if seen > _VALUES_AT_MOST:
            return path, "holds too much"
        inner: list[tuple[str, Any]] = []
        for where, value in level:
            if isinstance(value, dict):
                bad = next((key for key in value if not isinstance(key, str) or _plain_problem(key)), None)
                if bad is not None:
                    return where, "has a name that cannot be kept"
                inner += [(f"{where}.{key}", item) for key, item in value.items()]
            elif isinstance(value, list | tuple):
                inner += [(f"{where}[{n}]", item) for n, item in enumerate(value)]
            else:
                problem = _plain_problem(value)
                if problem:
                    return where, problem
        level = inner
    return None
