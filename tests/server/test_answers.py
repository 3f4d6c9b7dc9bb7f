"""Whatever is answered is JSON that a strict reader reads, and means what was meant."""

from __future__ import annotations

import json
import math
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.server.answers import answered_as_json, as_json

# What can come out of a plant's settings: they are JSON that somebody sent.
ANYTHING = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(st.characters(codec="utf-16-be")) | st.text(),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=5), inner, max_size=4),
    max_leaves=12,
)


def refuse(name: str) -> Any:
    raise AssertionError(f"{name} is not JSON")


def meant(value: Any) -> Any:
    """What a browser makes of a value: it knows no infinity."""
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, list):
        return [meant(one) for one in value]
    if isinstance(value, dict):
        return {key: meant(one) for key, one in value.items()}
    return value


@given(ANYTHING)
def test_anything_is_read_back_by_a_strict_reader(value: Any) -> None:
    assert json.loads(as_json(value), parse_constant=refuse) == meant(value)


@pytest.mark.parametrize(
    ("value", "read"),
    [
        ({"big": 2**70, "never": math.inf}, {"big": 2**70, "never": None}),
        ([math.nan, -(2**64)], [None, -(2**64)]),
        ({"half": "\ud800"}, {"half": "\ud800"}),
        ("é→ß", "é→ß"),
    ],
)
def test_what_the_quick_way_cannot_write_is_written_all_the_same(value: Any, read: Any) -> None:
    assert json.loads(as_json(value), parse_constant=refuse) == read


@dataclass(frozen=True, slots=True)
class Row:
    id: str
    settings: dict[str, Any]


@pytest.mark.parametrize("beside", [1, 2**80], ids=["quick", "slow"])
def test_rows_and_times_may_be_in_it_as_they_are(beside: int) -> None:
    at = datetime(2026, 3, 1, 12, 30, tzinfo=UTC)
    told = json.loads(as_json({"rows": [Row("m1", {"a": 1})], "at": at, "beside": beside}))
    assert told["rows"] == [{"id": "m1", "settings": {"a": 1}}]
    assert datetime.fromisoformat(told["at"]) == at
    assert told["beside"] == beside


def test_an_answer_says_that_it_is_json() -> None:
    answer = answered_as_json({"a": [1]})
    assert (answer.status_code, answer["Content-Type"], answer.content) == (200, "application/json", b'{"a":[1]}')
