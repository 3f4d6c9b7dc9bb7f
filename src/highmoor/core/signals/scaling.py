"""Scaling as a link carries it: linear between raw counts and engineering units."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from highmoor.core.figures.scaling import scaled, unscaled
from highmoor.core.numbers import exact


@dataclass(frozen=True, slots=True)
class Linear:
    """Raw ends and the engineering values there, exact."""

    raw_lo: Fraction
    raw_hi: Fraction
    lo: Fraction
    hi: Fraction
    clamp: bool

    @classmethod
    def of(cls, stored: dict[str, Any] | None) -> Linear | None:
        """The scaling stored with a link; None when there is none."""
        if not stored:
            return None
        return cls(
            exact(stored.get("raw_lo", 0)),
            exact(stored.get("raw_hi", 0)),
            exact(stored.get("lo", 0)),
            exact(stored.get("hi", 0)),
            bool(stored.get("clamp", False)),
        )

    @property
    def usable(self) -> bool:
        """Whether both spans exist, so that it can be applied either way."""
        return self.raw_lo != self.raw_hi and self.lo != self.hi

    def value(self, raw: int | float) -> float:
        """Engineering value of a count."""
        return float(scaled(exact(raw), self.raw_lo, self.raw_hi, self.lo, self.hi, clamp=self.clamp))

    def raw(self, value: float) -> int:
        """Count of an engineering value, rounded half away from zero."""
        return int(unscaled(exact(value), self.raw_lo, self.raw_hi, self.lo, self.hi, clamp=self.clamp))
