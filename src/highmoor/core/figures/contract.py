"""How a figure is declared: the shape of its input is checked here, once, before any rule is applied."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.numbers import exact, plain

Reader = Callable[[Any, str], Any]
Answer = dict[str, Any]


@dataclass(frozen=True, slots=True)
class Figure:
    """A named calculation: `shape` reads each input key, `work` answers with exact numbers."""

    name: str
    summary: str
    shape: dict[str, Reader]
    work: Callable[..., Answer]

    def compute(self, case: Any) -> Answer:
        """The answer to one case as plain JSON. Raises Refusal for input the rule forbids."""
        result: Answer = jsonable(self.work(**read_object(case, self.shape, "")))
        return result


def read_object(case: Any, shape: dict[str, Reader], path: str) -> dict[str, Any]:
    """`case` read key by key; others are left alone. Raises Refusal naming the key that is missing or of wrong kind."""
    where = f"{path}: " if path else ""
    if not isinstance(case, dict):
        raise Refusal(f"{where}an object with the keys {', '.join(shape)} is expected, not {_kind(case)}.")
    result = {}
    for key, reader in shape.items():
        if key not in case and reader not in OPTIONAL:
            raise Refusal(f"{where}the key {key!r} is missing.")
        result[key] = reader(case.get(key), f"{path}.{key}" if path else key)
    return result


def number(value: Any, path: str) -> Fraction:
    """A finite JSON number, taken by its decimal text."""
    if isinstance(value, bool) or not isinstance(value, int | float | Decimal):
        raise Refusal(f"{path}: a number is expected, not {_kind(value)}.", value=value)
    if isinstance(value, float) and not math.isfinite(value):
        raise Refusal(f"{path}: a finite number is expected, not {value}.")
    return exact(value)


def not_negative(value: Any, path: str) -> Fraction:
    """A number of at least 0."""
    result = number(value, path)
    if result < 0:
        raise Refusal(f"{path}: {plain(result)} is negative.", value=plain(result))
    return result


def text(value: Any, path: str) -> str:
    """A string."""
    if not isinstance(value, str):
        raise Refusal(f"{path}: a text is expected, not {_kind(value)}.", value=value)
    return value


def boolean(value: Any, path: str) -> bool:
    """true or false."""
    if not isinstance(value, bool):
        raise Refusal(f"{path}: true or false is expected, not {_kind(value)}.", value=value)
    return value


def some(value: Any, path: str) -> bool:
    """Whether there is any of it: true or false, or how much."""
    return value if isinstance(value, bool) else not_negative(value, path) > 0


def list_of(shape: dict[str, Reader]) -> Reader:
    """A list of objects of one shape."""

    def read(value: Any, path: str) -> list[dict[str, Any]]:
        if not isinstance(value, list):
            raise Refusal(f"{path}: a list is expected, not {_kind(value)}.")
        return [read_object(item, shape, f"{path}[{place}]") for place, item in enumerate(value)]

    return read


def whole(value: Any, path: str) -> int:
    """A whole number."""
    result = number(value, path)
    if result.denominator != 1:
        raise Refusal(f"{path}: a whole number is expected, not {plain(result)}.", value=plain(result))
    return result.numerator


def numbers(value: Any, path: str) -> list[Fraction]:
    """A list of numbers."""
    if not isinstance(value, list):
        raise Refusal(f"{path}: a list is expected, not {_kind(value)}.")
    return [number(item, f"{path}[{place}]") for place, item in enumerate(value)]


def points(value: Any, path: str) -> list[tuple[Fraction, Fraction]]:
    """A list of pairs of numbers."""
    if not isinstance(value, list):
        raise Refusal(f"{path}: a list is expected, not {_kind(value)}.")
    pairs = [numbers(item, f"{path}[{place}]") for place, item in enumerate(value)]
    for place, pair in enumerate(pairs):
        if len(pair) != 2:
            raise Refusal(f"{path}[{place}]: a point is two numbers, x and y, not {len(pair)}.")
    return [(pair[0], pair[1]) for pair in pairs]


def optional_number(value: Any, path: str) -> Fraction | None:
    """A number, or null."""
    return None if value is None else number(value, path)


def optional_whole(value: Any, path: str) -> int | None:
    """A whole number, or null."""
    return None if value is None else whole(value, path)


def optional_not_negative(value: Any, path: str) -> Fraction | None:
    """A number of at least 0, or null."""
    return None if value is None else not_negative(value, path)


OPTIONAL: tuple[Reader, ...] = (optional_not_negative, optional_number, optional_whole)


def jsonable(value: Any) -> Any:
    """Exact numbers as JSON numbers: whole ones whole, others as the nearest double."""
    if isinstance(value, Fraction):
        return plain(value)
    if isinstance(value, dict):
        return {key: jsonable(inner) for key, inner in value.items()}
    if isinstance(value, list | tuple):
        return [jsonable(inner) for inner in value]
    return value


def _kind(value: Any) -> str:
    names = {bool: "true or false", str: "a text", list: "a list", dict: "an object"}
    return "null" if value is None else names.get(type(value), "a number")
