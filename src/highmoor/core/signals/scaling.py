"""Scaling as a link carries it: linear, by a square root or by a table of points, as a program computes it.

A program computes in doubles (LREAL) or in single precision (REAL), and rounds after every operation; so does this, in
the same order of operations, so that program and screen agree to the last digit (`structured_text.py` writes it).
Rounding of counts: half away from zero.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping, Sequence
from ctypes import c_float
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from sys import float_info
from typing import Any, Literal

from highmoor.core.errors import Refusal
from highmoor.core.figures.scaling import table_problem
from highmoor.core.numbers import exact, parse_number, plain

Kind = Literal["linear", "root", "table"]
Precision = Literal["LREAL", "REAL"]
KINDS: dict[Kind, str] = {"linear": "Linear", "root": "Square root", "table": "Point table"}
POINTS_AT_MOST = 100
# The largest number of single precision (IEC 60559).
_LARGEST = {"LREAL": float_info.max, "REAL": 3.4028234663852886e38}


@dataclass(frozen=True, slots=True)
class Scaling:
    """Raw ends and the engineering values there. A root has a cut-off in % of the flow's span, a table its points over
    what the straight line gives. `precision` is what the program computes in."""

    raw_lo: float
    raw_hi: float
    lo: float
    hi: float
    clamp: bool = False
    kind: Kind = "linear"
    cutoff: float = 0.0
    points: tuple[tuple[float, float], ...] = ()
    precision: Precision = "LREAL"

    @classmethod
    def of(cls, stored: Mapping[str, Any] | None) -> Scaling | None:
        """The scaling stored with a link; None when there is none."""
        if not stored:
            return None
        raw_lo, raw_hi, lo, hi = (float(exact(stored.get(key, 0))) for key in ("raw_lo", "raw_hi", "lo", "hi"))
        return cls(
            raw_lo,
            raw_hi,
            lo,
            hi,
            bool(stored.get("clamp", False)),
            next((kind for kind in KINDS if kind == stored.get("kind")), "linear"),
            float(exact(stored.get("cutoff") or 0)),
            tuple((float(x), float(y)) for x, y in points_of(str(stored.get("points") or ""))),
            "REAL" if stored.get("precision") == "REAL" else "LREAL",
        )

    @property
    def problem(self) -> str:
        """Why it cannot be applied either way, "" where it can."""
        for what, low, high in (("raw", self.raw_lo, self.raw_hi), ("engineering", self.lo, self.hi)):
            if self._round(self._round(high) - self._round(low)) in (0, math.inf, -math.inf):
                return f"the {what} ends are the same" if low == high else f"the {what} span cannot be computed with"
        if self.kind == "root" and not 0 <= self.cutoff <= 100:
            return "the cut-off is not within 0 … 100 %"
        if self.kind == "table":
            rounded = [(self._round(x), self._round(y)) for x, y in self.points]
            beyond = next((x for point in rounded for x in point if math.isinf(x)), None)
            if beyond is not None:
                return f"a point is beyond what {self.precision} can hold"
            return table_problem([(exact(x), exact(y)) for x, y in rounded])
        return ""

    @property
    def usable(self) -> bool:
        """Whether it can be applied either way."""
        return not self.problem

    @property
    def held(self) -> tuple[float, float] | None:
        """Between what its values are held, None where nothing holds them."""
        if self.kind == "table":
            ends = [y for _, y in self.points]
            return min(ends), max(ends)
        return (min(self.lo, self.hi), max(self.lo, self.hi)) if self.clamp else None

    def value(self, raw: int | float) -> float:
        """Engineering value of a count, as the program computes it; never beyond the largest number."""
        r = self._round
        raw_lo, raw_hi, lo, hi = map(r, (self.raw_lo, self.raw_hi, self.lo, self.hi))
        if self.kind == "root":
            part = r(r(r(raw) - raw_lo) / r(raw_hi - raw_lo))
            root = r(math.sqrt(part)) if part > 0 else 0.0
            value = lo if root < r(r(self.cutoff) / 100) else r(lo + r(root * r(hi - lo)))
        else:
            value = r(lo + r(r(r(r(raw) - raw_lo) * r(hi - lo)) / r(raw_hi - raw_lo)))
        if self.clamp:
            value = min(max(value, min(lo, hi)), max(lo, hi))
        if self.kind == "table":
            value = self._along(value, [(r(x), r(y)) for x, y in self.points])
        return self._finite(value)

    def raw(self, value: float) -> int:
        """Count of an engineering value, rounded half away from zero; with `clamp` held within the raw span."""
        r = self._round
        raw_lo, raw_hi, lo, hi = map(r, (self.raw_lo, self.raw_hi, self.lo, self.hi))
        given = r(value)
        if self.kind == "table":
            given = self._along(given, self.backwards())
        if self.kind == "root":
            part = r(r(given - lo) / r(hi - lo))
            part = r(part * part) if part > 0 else 0.0
            counts = r(raw_lo + r(part * r(raw_hi - raw_lo)))
        else:
            counts = r(raw_lo + r(r(r(given - lo) * r(raw_hi - raw_lo)) / r(hi - lo)))
        counts = self._finite(counts)
        whole = math.trunc(counts)
        if abs(r(counts - whole)) >= 0.5:
            whole += 1 if counts > 0 else -1
        if self.clamp:
            low, high = sorted((math.trunc(raw_lo), math.trunc(raw_hi)))
            whole = min(max(whole, low), high)
        return whole

    def literal(self, number: float) -> str:
        """The shortest decimal text that is read as `number` in what the program computes in."""
        if self.precision == "LREAL":
            return repr(float(number))
        single = _single(number)
        return next(text for digits in range(1, 10) if _single(float(text := f"{single:.{digits}g}")) == single)

    def before_table(self, value: float) -> float:
        """What the straight line has to give for a table to give a value."""
        return self._along(value, self.backwards())

    def backwards(self) -> list[tuple[float, float]]:
        """A table's points from y to x, rising; of points with one y the first."""
        points = [(self._round(y), self._round(x)) for x, y in self.points]
        if points and points[-1][0] < points[0][0]:
            points.reverse()
        kept: list[tuple[float, float]] = []
        for y, x in points:
            if not kept or y > kept[-1][0]:
                kept.append((y, x))
        return kept

    def _along(self, x: float, points: list[tuple[float, float]]) -> float:
        r = self._round
        if x <= points[0][0]:
            return points[0][1]
        for (x0, y0), (x1, y1) in pairwise(points):
            if x < x1:
                return r(y0 + r(r(r(x - x0) * r(y1 - y0)) / r(x1 - x0)))
        return points[-1][1]

    @property
    def _round(self) -> Callable[[float], float]:
        return float if self.precision == "LREAL" else _single

    def _finite(self, value: float) -> float:
        most = _LARGEST[self.precision]
        return min(max(value, -most), most) if value == value else 0.0


def points_of(text: str) -> list[tuple[Fraction, Fraction]]:
    """A table's points as they are typed or pasted: x and y, one point a line or behind a semicolon. Raises Refusal."""
    found = []
    for line in re.split(r"[;\n]", text):
        numbers = line.split()
        if not numbers:
            continue
        if len(numbers) != 2:
            raise Refusal(f"“{line.strip()[:40]}” is no point: x and y are two numbers, as in 0 0; 0.8 2; 3.2 12.")
        found.append((parse_number(numbers[0]), parse_number(numbers[1])))
    if len(found) > POINTS_AT_MOST:
        raise Refusal(f"A table has {POINTS_AT_MOST} points at most, not {len(found)}.")
    return found


def points_text(points: Sequence[tuple[Fraction, Fraction]]) -> str:
    """Points in one line, as `points_of` reads them."""
    return "; ".join(f"{plain(x)!r} {plain(y)!r}" for x, y in points)


def _single(value: float) -> float:
    """The nearest number of single precision: after an operation on two such in doubles the same as the operation in
    single precision, for a double has more than twice the digits."""
    return c_float(value).value
