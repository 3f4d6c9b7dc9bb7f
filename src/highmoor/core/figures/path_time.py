"""Delay along a signal's path."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction


@dataclass(frozen=True, slots=True)
class Delay:
    """A hop that samples every `period_ms` (0: a plain delay) and takes `transit_ms`."""

    period_ms: Fraction
    transit_ms: Fraction
    synchronised: bool = False

    @property
    def typical_ms(self) -> Fraction:
        """Half a period of waiting on average, none when synchronised."""
        return self.transit_ms if self.synchronised else self.period_ms / 2 + self.transit_ms

    @property
    def worst_ms(self) -> Fraction:
        """A whole period of waiting: the event came just after the sample."""
        return self.transit_ms if self.synchronised else self.period_ms + self.transit_ms


def path_time(hops: Iterable[Delay]) -> tuple[Fraction, Fraction]:
    """Typical and worst delay in ms over all hops; 0 and 0 for none."""
    hops = list(hops)
    return sum((h.typical_ms for h in hops), Fraction(0)), sum((h.worst_ms for h in hops), Fraction(0))
