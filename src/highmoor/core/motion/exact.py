"""Numbers that are exact as long as they can be: a fraction, or one times a power of π."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from highmoor.core.numbers import shown

# To 34 digits: what is left out is below what any drive's integers can show.
PI = Fraction("3.141592653589793238462643383279503")
PI_DIGITS = 34


@dataclass(frozen=True, slots=True)
class Exact:
    """`ratio` · π^`pi`."""

    ratio: Fraction
    pi: int = 0

    def __mul__(self, other: Exact) -> Exact:
        return Exact(self.ratio * other.ratio, self.pi + other.pi)

    def __truediv__(self, other: Exact) -> Exact:
        return Exact(self.ratio / other.ratio, self.pi - other.pi)

    @property
    def value(self) -> Fraction:
        """As a fraction, π by its first digits."""
        return self.ratio * PI**self.pi

    @property
    def rational(self) -> bool:
        return self.pi == 0

    @property
    def text(self) -> str:
        """As it is written: "1600", "12058624/25", "4096/(5·π)"."""
        above, below = str(self.ratio.numerator), str(self.ratio.denominator)
        powers = "·".join(["π"] * abs(self.pi))
        if self.pi > 0:
            above = powers if above == "1" else f"{above}·{powers}"
        elif self.pi < 0:
            below = powers if below == "1" else f"({below}·{powers})"
        return above if below == "1" else f"{above}/{below}"

    @property
    def short(self) -> str:
        """For reading: six digits."""
        return shown(self.value)
