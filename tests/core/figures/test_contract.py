"""What a figure takes: each reader with what it reads, what it refuses and how it says so."""

from __future__ import annotations

import math
from decimal import Decimal
from fractions import Fraction
from typing import Any

import pytest

from highmoor.core.errors import Refusal
from highmoor.core.figures import contract
from highmoor.core.figures.contract import Figure

READ: list[tuple[contract.Reader, Any, Any]] = [
    (contract.number, 3, 3),
    (contract.number, 0.1, Fraction(1, 10)),
    (contract.number, -2.5, Fraction(-5, 2)),
    (contract.number, Decimal("0.30"), Fraction(3, 10)),
    (contract.not_negative, 0, 0),
    (contract.not_negative, 0.25, Fraction(1, 4)),
    (contract.whole, 4.0, 4),
    (contract.whole, Decimal("7"), 7),
    (contract.text, "", ""),
    (contract.boolean, False, False),
    (contract.numbers, [1, 0.5], [1, Fraction(1, 2)]),
    (contract.numbers, [], []),
    (contract.optional_number, None, None),
    (contract.optional_number, -1, -1),
    (contract.optional_whole, None, None),
    (contract.optional_whole, 3, 3),
    (contract.optional_not_negative, None, None),
    (contract.optional_not_negative, 2, 2),
    (contract.list_of({"n": contract.whole}), [{"n": 1}, {"n": 2}], [{"n": 1}, {"n": 2}]),
]


@pytest.mark.parametrize(("reader", "value", "read"), READ)
def test_what_is_read(reader: contract.Reader, value: Any, read: Any) -> None:
    assert reader(value, "key") == read


REFUSED: list[tuple[contract.Reader, Any, str]] = [
    (contract.number, True, "key: a number is expected, not true or false."),
    (contract.number, "3", "key: a number is expected, not a text."),
    (contract.number, None, "key: a number is expected, not null."),
    (contract.number, [], "key: a number is expected, not a list."),
    (contract.number, {}, "key: a number is expected, not an object."),
    (contract.number, math.nan, "key: a finite number is expected, not nan."),
    (contract.number, -math.inf, "key: a finite number is expected, not -inf."),
    (contract.not_negative, -0.5, "key: -0.5 is negative."),
    (contract.optional_not_negative, -1, "key: -1 is negative."),
    (contract.whole, 2.5, "key: a whole number is expected, not 2.5."),
    (contract.optional_whole, 0.5, "key: a whole number is expected, not 0.5."),
    (contract.text, 3, "key: a text is expected, not a number."),
    (contract.boolean, 1, "key: true or false is expected, not a number."),
    (contract.numbers, 3, "key: a list is expected, not a number."),
    (contract.numbers, [1, "x"], "key[1]: a number is expected, not a text."),
    (contract.list_of({"n": contract.whole}), [{"n": 1}, {"n": 0.5}], "key[1].n: a whole number is expected, not 0.5."),
    (contract.list_of({"n": contract.whole}), [{}], "key[0]: the key 'n' is missing."),
    (contract.list_of({"n": contract.whole}), {"n": 1}, "key: a list is expected, not an object."),
]


@pytest.mark.parametrize(("reader", "value", "says"), REFUSED)
def test_what_is_refused(reader: contract.Reader, value: Any, says: str) -> None:
    with pytest.raises(Refusal) as refused:
        reader(value, "key")
    assert str(refused.value) == says


def total(a: Fraction, b: Fraction | None) -> dict[str, Any]:
    return {"sum": a + (b or 0), "parts": (a, b), "half": a / 2, "text": "as it is", "inner": {"a": a}}


FIGURE = Figure("total", "A sum", {"a": contract.number, "b": contract.optional_number}, total)


def test_an_answer_is_plain_json_with_whole_numbers_whole() -> None:
    told = FIGURE.compute({"a": 3, "b": 0.5})
    assert told == {"sum": 3.5, "parts": [3, 0.5], "half": 1.5, "text": "as it is", "inner": {"a": 3}}
    assert [type(value) for value in (told["sum"], told["inner"]["a"])] == [float, int]
    # What a later version may know besides is left alone.
    assert FIGURE.compute({"a": 0.1, "c": "more"})["sum"] == 0.1


@pytest.mark.parametrize(
    ("case", "says"),
    [
        ({}, "the key 'a' is missing."),
        ({"c": 2, "b": 1}, "the key 'a' is missing."),
        ([1], "an object with the keys a, b is expected, not a list."),
        (None, "an object with the keys a, b is expected, not null."),
    ],
)
def test_a_case_of_another_shape_is_refused(case: Any, says: str) -> None:
    with pytest.raises(Refusal) as refused:
        FIGURE.compute(case)
    assert str(refused.value) == says
