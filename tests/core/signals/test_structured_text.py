"""Scaling against worked examples, and the generated text against it: to the last digit, at halves and beside them."""

from __future__ import annotations

import math
import re
import struct
from typing import Any

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.figures.listing import FIGURES
from highmoor.core.signals.scaling import Scaling
from highmoor.core.signals.structured_text import bounds, reading, writing

# ── an interpreter of the few words that are generated, with numbers of its own


class Num:
    """A number of single or double precision; every operation rounds to it (IEC 60559)."""

    single = False

    def __init__(self, value: float) -> None:
        self.value = value
        if self.single and math.isfinite(value):
            try:
                (self.value,) = struct.unpack(">f", struct.pack(">f", value))
            except OverflowError:
                self.value = math.copysign(math.inf, value)

    def __add__(self, other: Num) -> Num:
        return type(self)(self.value + other.value)

    def __sub__(self, other: Num) -> Num:
        return type(self)(self.value - other.value)

    def __mul__(self, other: Num) -> Num:
        return type(self)(self.value * other.value)

    def __truediv__(self, other: Num) -> Num:
        return type(self)(self.value / other.value)

    def __neg__(self) -> Num:
        return type(self)(-self.value)

    def __lt__(self, other: Num) -> bool:
        return self.value < other.value

    def __le__(self, other: Num) -> bool:
        return self.value <= other.value

    def __gt__(self, other: Num) -> bool:
        return self.value > other.value

    def __ge__(self, other: Num) -> bool:
        return self.value >= other.value


class Single(Num):
    single = True


def run(text: str, number: type[Num], **names: Any) -> dict[str, Any]:
    """The variables after the statements."""
    body = text[text.index("END_VAR") + len("END_VAR") :]
    lines, depth = [], 0
    for line in body.strip().splitlines():
        words = re.sub(r"(?<![\w.])\d+\.\d+(E-?\d+)?", lambda found: f"N({found[0]})", line.strip().rstrip(";"))
        words = words.replace(":=", "=")
        if words == "END_IF":
            depth -= 1
            continue
        inner = re.sub(r"^(IF|ELSIF) (.*) THEN$", lambda m: {"IF": "if", "ELSIF": "elif"}[m[1]] + f" {m[2]}:", words)
        inner = "else:" if inner == "ELSE" else inner
        at = depth - (inner.startswith("el"))
        lines.append("    " * at + inner)
        depth += inner.startswith("if ")
    known: dict[str, Any] = {
        "N": number, "SQRT": lambda x: number(math.sqrt(x.value)), "ABS": lambda x: number(abs(x.value)),
        "TRUNC": lambda x: math.trunc(x.value), "LIMIT": lambda low, x, high: max(low, min(x, high)),
        **{f"{one}_TO_{real}": number for one in DATA_TYPES for real in ("REAL", "LREAL")},
        **{f"LINT_TO_{one}": int for one in DATA_TYPES if DATA_TYPES[one].family in ("signed", "unsigned")},
        **names,
    }  # fmt: skip
    exec("\n".join(lines), known)
    return known


def value_of(scaling: Scaling, raw: int) -> float:
    number = Single if scaling.precision == "REAL" else Num
    return float(run(reading(scaling, "v", "raw", DATA_TYPES["INT"]), number, raw=raw)["v"].value)


def count_of(scaling: Scaling, value: float, kind: str = "INT") -> int:
    number = Single if scaling.precision == "REAL" else Num
    return int(run(writing(scaling, "v", "raw", DATA_TYPES[kind]), number, v=number(value))["raw"])


# ── against numbers worked by hand

LEVEL = {"raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 3.2}
STRAPPING = {**LEVEL, "kind": "table", "points": "0 0; 0.8 2; 3.2 12"}
FLOW = {"raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 100, "kind": "root", "cutoff": 5}


@pytest.mark.parametrize(
    ("stored", "raw", "value"),
    [
        (LEVEL, 15000, 1.6),
        ({**LEVEL, "clamp": True}, 31000, 3.2),
        ({**LEVEL, "clamp": True, "lo": 10, "hi": -10}, -5, 10),
        # 0.4 m is half of the first piece, 2 m half of the second; held at both ends.
        (STRAPPING, 3750, 1.0),
        (STRAPPING, 18750, 7.0),
        (STRAPPING, -100, 0.0),
        (STRAPPING, 32000, 12.0),
        (FLOW, 7500, 50.0),
        (FLOW, 75, 5.0),
        (FLOW, 74, 0.0),
        (FLOW, -7500, 0.0),
        ({**FLOW, "clamp": True}, 32000, 100.0),
    ],
)
def test_worked_by_hand(stored: dict[str, Any], raw: int, value: float) -> None:
    scaling = Scaling.of(stored)
    assert scaling is not None
    assert scaling.value(raw) == pytest.approx(value, abs=1e-12)
    assert value_of(scaling, raw) == scaling.value(raw)


@pytest.mark.parametrize(
    ("stored", "value", "raw"),
    [
        (LEVEL, 1.6, 15000),
        # Half a count away from zero, either way.
        ({**LEVEL, "hi": 30000}, 0.5, 1),
        ({**LEVEL, "hi": 30000}, 0.49999999999999994, 0),
        ({**LEVEL, "hi": 30000}, -0.5, -1),
        ({**LEVEL, "hi": 30000}, -1.5, -2),
        ({**LEVEL, "clamp": True}, 4.0, 30000),
        ({**LEVEL, "clamp": True}, -1.0, 0),
        # Without holding it ends where its type does.
        (LEVEL, 4.0, 32767),
        (LEVEL, -1e300, -32768),
        (STRAPPING, 1.0, 3750),
        (STRAPPING, 7.0, 18750),
        (STRAPPING, 99.0, 30000),
        # A table that falls, and one that rests: of one y the first x.
        ({**LEVEL, "hi": 10, "kind": "table", "points": "0 5; 10 1"}, 3.0, 15000),
        ({**LEVEL, "hi": 10, "kind": "table", "points": "0 0; 5 1; 8 1; 10 2"}, 1.0, 15000),
        (FLOW, 50.0, 7500),
        (FLOW, -3.0, 0),
    ],
)
def test_backwards_worked_by_hand(stored: dict[str, Any], value: float, raw: int) -> None:
    scaling = Scaling.of(stored)
    assert scaling is not None
    low, high = bounds(scaling, DATA_TYPES["INT"])
    assert (min(max(scaling.raw(value), low), high), count_of(scaling, value)) == (raw, raw)


@pytest.mark.parametrize(
    ("stored", "says"),
    [
        (LEVEL, ""),
        ({**LEVEL, "raw_hi": 0}, "the raw ends are the same"),
        ({**LEVEL, "hi": 0}, "the engineering ends are the same"),
        ({**LEVEL, "hi": 1e39}, ""),
        ({**LEVEL, "hi": 1e39, "precision": "REAL"}, "the engineering span cannot be computed with"),
        ({**LEVEL, "lo": 1, "hi": 1.00000001, "precision": "REAL"}, "the engineering span cannot be computed with"),
        ({**FLOW, "cutoff": 101}, "the cut-off is not within 0 … 100 %"),
        ({**LEVEL, "cutoff": 101}, ""),
        ({**STRAPPING, "points": "0 0; 1e39 1", "precision": "REAL"}, "a point is beyond what REAL can hold"),
        ({**STRAPPING, "points": "0 0; 1 1e-300; 2 1", "precision": "REAL"}, ""),
        ({**STRAPPING, "points": "0 0"}, "a table has two points or more"),
        ({**STRAPPING, "points": "0 0; 0 1"}, "x does not rise at 0"),
        ({**STRAPPING, "points": "0 0; 1 2; 2 2; 4 1"}, "y turns back at x = 4"),
    ],
)
def test_what_cannot_be_applied_is_said(stored: dict[str, Any], says: str) -> None:
    scaling = Scaling.of(stored)
    assert scaling is not None
    assert (scaling.problem, scaling.usable) == (says, not says)


# ── properties

ENDS = st.floats(-1e6, 1e6).map(lambda x: round(x, 3)) | st.integers(-32768, 32767).map(float)
POINTS = st.lists(st.tuples(st.integers(1, 50), st.integers(0, 50)), min_size=2, max_size=6)


@st.composite
def scalings(draw: Any, kinds: Any = ("linear", "root", "table"), precisions: Any = ("REAL", "LREAL")) -> Scaling:
    points, x, y, turn = [], 0.0, 0.0, draw(st.sampled_from((1, -1)))
    for dx, dy in draw(POINTS):
        points.append((round(x, 2), round(turn * y, 2)))
        x, y = x + dx / 7, y + dy / 7
    scaling = Scaling(
        draw(ENDS), draw(ENDS), draw(ENDS), draw(ENDS), draw(st.booleans()),
        draw(st.sampled_from(kinds)), draw(st.integers(0, 100).map(float)), tuple(points),
        draw(st.sampled_from(precisions)),
    )  # fmt: skip
    assume(scaling.usable)
    return scaling


@given(scalings(), st.integers(-32768, 32767))
def test_the_text_gives_the_same_value_to_the_last_digit(scaling: Scaling, raw: int) -> None:
    assert value_of(scaling, raw) == scaling.value(raw)


@given(scalings(), st.integers(-33000, 33000), st.integers(-2, 2), st.sampled_from(("INT", "UINT", "DINT", "SINT")))
def test_the_text_gives_the_same_count_at_every_half_and_beside_it(
    scaling: Scaling, k: int, beside: int, kind: str
) -> None:
    # The value whose count lies at k and a half, as near as doubles come, and its neighbours.
    value = scaling.value(k + 0.5)
    for _ in range(abs(beside)):
        value = math.nextafter(value, math.copysign(math.inf, beside))
    low, high = bounds(scaling, DATA_TYPES[kind])
    assume(low <= high)
    assert count_of(scaling, value, kind) == min(max(scaling.raw(value), low), high)


@given(st.integers(-32768, 32767).filter(bool), st.integers(-2, 2), st.sampled_from(("REAL", "LREAL")))
def test_counts_one_to_one_round_half_away_from_zero(k: int, beside: int, precision: Any) -> None:
    """Against the rounding itself, not against the core: the value is the count."""
    scaling = Scaling(0, 1, 0, 1, precision=precision)
    value = k + 0.5
    for _ in range(abs(beside)):
        value = math.nextafter(value, math.copysign(math.inf, beside))
    given_ = struct.unpack(">f", struct.pack(">f", value))[0] if precision == "REAL" else value
    expected = math.floor(abs(given_)) + (abs(given_) % 1 >= 0.5)
    assert scaling.raw(value) == int(math.copysign(expected, given_))


@given(scalings(("linear", "root"), ("LREAL",)), st.integers(-32768, 32767))
def test_it_is_as_near_the_exact_figure_as_its_precision_allows(scaling: Scaling, raw: int) -> None:
    ends = {"raw_lo": scaling.raw_lo, "raw_hi": scaling.raw_hi, "lo": scaling.lo, "hi": scaling.hi}
    if scaling.kind == "root":
        told = FIGURES["square-root"].compute({"raw": raw, **ends, "cutoff_percent": scaling.cutoff})["value"]
        part = (raw - scaling.raw_lo) / (scaling.raw_hi - scaling.raw_lo)
        # At the very cut-off a rounded root may lie on its other side.
        assume(abs(math.sqrt(max(part, 0)) - scaling.cutoff / 100) > 1e-12)
    else:
        told = FIGURES["scale"].compute({"raw": raw, **ends, "clamp": False})["value"]
    if scaling.clamp:
        told = min(max(told, min(scaling.lo, scaling.hi)), max(scaling.lo, scaling.hi))
    size = max(abs(scaling.lo), abs(scaling.hi), abs(told))
    assert abs(scaling.value(raw) - told) <= 1e-12 * size
