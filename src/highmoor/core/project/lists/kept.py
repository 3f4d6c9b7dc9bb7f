"""What a list and its lines are kept as: held to this whoever wrote them, for plant files come from outside as well."""

from __future__ import annotations

from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.plant.fields import FieldSpec

_LONGEST = 1000


def _read_values(given: Any) -> dict[str, str]:
    """Texts by the keys of their columns."""
    if not isinstance(given, dict) or not all(_is_text(key) and _is_text(text) for key, text in given.items()):
        raise Refusal("A line of a list has a text in each column.", value=given)
    return given


def _read_left(given: Any) -> dict[str, bool]:
    """What was left, by its column."""
    if not isinstance(given, dict) or not all(value is True for value in given.values()):
        raise Refusal("What was left of a line is named by its column.", value=given)
    return given


def _read_columns(given: Any) -> dict[str, Any]:
    """`headings`: pairs of a heading and a key."""
    headings = given.get("headings", []) if isinstance(given, dict) and not set(given) - {"headings"} else None
    sound = isinstance(headings, list) and all(
        isinstance(pair, list) and len(pair) == 2 and all(map(_is_text, pair)) for pair in headings
    )
    if not sound:
        raise Refusal("The columns of a list are pairs of a heading and a key.", value=given)
    return dict(given)


def _is_text(value: Any) -> bool:
    return isinstance(value, str) and len(value) <= _LONGEST


COLUMNS_FIELD = FieldSpec("columns", "Columns", "special", read=_read_columns, made=True)
LINE_FIELDS = (
    FieldSpec("values", "Values", "special", read=_read_values, made=True),
    FieldSpec("left", "Left", "special", read=_read_left, made=True),
)
