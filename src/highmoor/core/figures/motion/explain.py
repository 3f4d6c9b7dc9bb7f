"""What a distance measured by tape can mean: wrong links of the chain, in classes that measure alike."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from highmoor.core.errors import Refusal
from highmoor.core.numbers import plain, shown

LinkKind = Literal["gear", "lead", "wheel", "pinion", "belt", "encoder"]
Without = Literal["unit", "direction"]

# What is bought: reductions to one, leads in mm.
REDUCTIONS = (3, 4, 5, 7, 8, 10, 12, 15, 16, 20, 25, 40, 50, 100)
LEADS = tuple(
    Fraction(lead) for lead in ("1", "2", "2.5", "3", "4", "5", "6", "8", "10", "12", "16", "20", "25", "32", "40")
)
_INCH = Fraction(254, 10)


@dataclass(frozen=True, slots=True)
class MeasuredLink:
    """A link as it is configured: a gear as motor turns a load turn, all else as its size in mm or counts."""

    kind: LinkKind
    value: Fraction

    def __post_init__(self) -> None:
        if self.value <= 0:
            raise Refusal(f"A {self.kind} must be above 0, not {shown(self.value)}.", value=plain(self.value))


@dataclass(frozen=True, slots=True)
class WouldBe:
    """A link, by its place in the chain, and what it would really be."""

    index: int
    becomes: Fraction


@dataclass(frozen=True, slots=True)
class Explanation:
    """All that would measure alike: the measured as a share of what was asked, and how far that is off in units."""

    ratio: Fraction
    without: Without | None
    links: tuple[WouldBe, ...]
    residual: Fraction
    within: bool


@dataclass(frozen=True, slots=True)
class Explained:
    """The classes, best first; `decides_at` is the distance from which the tape tells the first two apart."""

    classes: tuple[Explanation, ...]
    decides_at: Fraction | None


def explained(asked: Fraction, measured: Fraction, uncertainty: Fraction, links: Sequence[MeasuredLink]) -> Explained:
    """What could be wrong with a chain that moved `measured` where `asked` was wanted, in units with that uncertainty.

    Raises Refusal where nothing was asked for, or nothing is uncertain.
    """
    if asked == 0:
        raise Refusal("A distance of 0 tells nothing: ask for a move.", field="asked", value=0)
    if uncertainty <= 0:
        raise Refusal(
            f"The uncertainty must be above 0, not {shown(uncertainty)}.", field="uncertainty", value=plain(uncertainty)
        )
    by_ratio: dict[Fraction, tuple[Without | None, list[WouldBe]]] = {
        _INCH: ("unit", []), 1 / _INCH: ("unit", []), Fraction(-1): ("direction", []),
    }  # fmt: skip
    for index, link in enumerate(links):
        for ratio, becomes in sorted(set(_candidates(link))):
            by_ratio.setdefault(ratio, (None, []))[1].append(WouldBe(index, becomes))
    classes = []
    for ratio, (without, found) in by_ratio.items():
        residual = abs(asked * ratio - measured)
        classes.append(Explanation(ratio, without, tuple(found), residual, residual <= uncertainty))
    classes.sort(key=_best_first)
    return Explained(tuple(classes), told_apart_at(uncertainty, classes[0].ratio, classes[1].ratio))


def told_apart_at(uncertainty: Fraction, one: Fraction, other: Fraction) -> Fraction:
    """The distance from which two different ratios measure apart by more than both uncertainties."""
    return 2 * uncertainty / abs(one - other)


def _best_first(found: Explanation) -> tuple[Fraction, Fraction, Fraction]:
    return found.residual, abs(found.ratio - 1), found.ratio


def _candidates(link: MeasuredLink) -> Iterator[tuple[Fraction, Fraction]]:
    """Each as the ratio that it would measure, and what the link would be; not what it is."""
    value = link.value
    if link.kind == "gear":
        others = (1 / value, *(Fraction(n) for n in REDUCTIONS), *(Fraction(1, n) for n in REDUCTIONS))
        yield from ((value / other, other) for other in others if other != value)
    elif link.kind == "lead":
        yield from ((lead / value, lead) for lead in LEADS if lead != value)
    elif link.kind == "encoder":
        yield from ((value / other, other) for other in (4 * value, value / 4))
