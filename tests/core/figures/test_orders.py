"""Four orders, one right: the right one is found where it stands out, and no other is ever said to be."""

from __future__ import annotations

import math
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.datatypes import DATA_TYPES, ORDERS, encode
from highmoor.core.errors import Refusal
from highmoor.core.figures.listing import FIGURES
from highmoor.core.figures.registers import ranked


def sent(values: list[float], kind: str, order: str) -> list[tuple[int, int]]:
    octets = [encode(value, DATA_TYPES[kind], order) for value in values]
    return [(int.from_bytes(o[:2], "big"), int.from_bytes(o[2:], "big")) for o in octets]


def measured(dice: random.Random, low: float, high: float) -> list[float]:
    """A value that wanders within its range."""
    middle, swing = dice.uniform(low, high), 0.02 * (high - low)
    return [
        min(max(middle + swing * math.sin(n / 3) + swing * dice.gauss(0, 0.05), low), high) for n in range(30)
    ]  # fmt: skip


@given(st.integers(0, 2**32), st.sampled_from(ORDERS), st.sampled_from([(0, 100), (-50, 150), (0, 1), (900, 1100)]))
def test_a_measured_real_is_found_in_its_order(seed: int, order: str, ends: tuple[float, float]) -> None:
    samples = sent(measured(random.Random(seed), *ends), "REAL", order)
    told, best = ranked(samples, "REAL", *ends)
    assert best in ("", order)
    assert told[0].order == order
    assert ranked(samples, "REAL")[1] in ("", order)


@pytest.mark.parametrize("order", ORDERS)
def test_it_mostly_stands_out(order: str) -> None:
    found = [ranked(sent(measured(random.Random(n), 0, 100), "REAL", order), "REAL", 0, 100)[1] for n in range(50)]
    assert found.count(order) >= 48
    counted = [ranked(sent([1000 + 7 * n for n in range(20)], "UDINT", order), "UDINT")[1]]
    assert counted == [order]


def test_of_what_does_not_change_nothing_is_said() -> None:
    assert ranked(sent([20.5] * 30, "REAL", "ABCD"), "REAL", 0, 100)[1] == ""
    assert ranked(sent([0.0, 1.0], "REAL", "ABCD"), "REAL", 0, 100)[1] == ""


def test_its_figure_refuses_what_are_no_samples() -> None:
    figure = FIGURES["rank-orders"]
    case = {"samples": [[0x41A4, 0], [0x41A5, 0x1111]], "type": "REAL", "low": 0, "high": 100}
    assert figure.compute(case)["orders"][0]["order"] == "ABCD"
    for wrong in ({"samples": []}, {"samples": [[1]]}, {"samples": [[1, 70000]]}, {"type": "INT"}):
        with pytest.raises(Refusal):
            figure.compute({**case, **wrong})
