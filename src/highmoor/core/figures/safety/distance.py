"""How far a protective field has to reach beyond the hazard. Source: ISO 13855:2010, clauses 5 and 6; mm and s."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from highmoor.core.errors import Refusal
from highmoor.core.numbers import plain, shown

Orientation = Literal["horizontal", "vertical"]
ORIENTATIONS: tuple[Orientation, ...] = ("horizontal", "vertical")
Rule = Literal["parallel", "normal_2000", "normal_1600", "normal_850"]

# How quick somebody walks, and how quick a hand reaches (5.2), mm/s.
WALKING, REACHING = 1600, 2000
# Parallel to the floor (6.3): what an arm reaches over the field, less the higher it lies, and never less than 850.
_ARM, _LESS_A_MM, _ARM_AT_LEAST = 1200, Fraction(4, 10), 850
_HIGHEST = 1000
# A leg is seen at this resolution on the floor, and higher up a coarser one does (6.3).
_ON_THE_FLOOR, _HIGHER_A_MM = 50, 15
# Normal to the approach (6.2): to which resolution a finger or hand is seen (6.2.3), or an arm (6.2.4).
_HAND, _ARM_SEEN = 40, 70
_FINGER, _THROUGH_A_MM = 14, 8
_NEAREST, _NEAREST_WALKING = 100, 500


@dataclass(frozen=True, slots=True)
class Distance:
    """The least distance, and by which rule."""

    mm: Fraction
    rule: Rule


def scanner_distance(
    orientation: Orientation, height_mm: Fraction, resolution_mm: Fraction, response_s: Fraction, tolerance_mm: Fraction
) -> Distance:
    """S = K·T + C, and what the scanner measures wrong on top. `response_s` is all from the intrusion to standstill;
    `height_mm`, how high the field lies, has no part in a vertical one.

    Raises Refusal for a negative time or tolerance, a height that a field may not have, a resolution too coarse.
    """
    for what, value in (("response", response_s), ("tolerance", tolerance_mm)):
        if value < 0:
            raise Refusal(f"The {what} is negative: {shown(value)}.", value=plain(value))
    if resolution_mm <= 0:
        raise Refusal(f"The resolution must be above 0 mm, not {shown(resolution_mm)}.", value=plain(resolution_mm))
    found = (
        _parallel(height_mm, resolution_mm, response_s)
        if orientation == "horizontal"
        else _normal(resolution_mm, response_s)
    )
    return Distance(found.mm + tolerance_mm, found.rule)


def guard_distance(stop_s: Fraction, opening_s: Fraction, reach_mm: Fraction) -> Fraction:
    """How far behind a guard without locking the hazard has to lie, mm (clause 9): whoever opens it walks on while all
    stops. `stop_s` is from its opening to standstill, `opening_s` how long it takes until a person fits through,
    `reach_mm` how far somebody reaches through its gap before that."""
    return WALKING * max(stop_s - opening_s, Fraction(0)) + reach_mm


def least_height(resolution_mm: Fraction) -> Fraction:
    """How high a field parallel to the floor has to lie so that a leg is seen, mm."""
    return max(_HIGHER_A_MM * (resolution_mm - _ON_THE_FLOOR), Fraction(0))


def _parallel(height: Fraction, resolution: Fraction, response: Fraction) -> Distance:
    if not 0 <= height <= _HIGHEST:
        raise Refusal(f"A field lies 0–{_HIGHEST} mm high, not {shown(height)}: above that, somebody gets below it.",
                      value=plain(height), field="height_mm")  # fmt: skip
    least = least_height(resolution)
    if height < least:
        raise Refusal(
            f"At a height of {shown(height)} mm a resolution of {shown(resolution)} mm does not see a leg: it needs "
            f"{shown(least)} mm.", value=plain(height), field="height_mm",
        )  # fmt: skip
    reach = max(_ARM - _LESS_A_MM * height, Fraction(_ARM_AT_LEAST))
    return Distance(WALKING * response + reach, "parallel")


def _normal(resolution: Fraction, response: Fraction) -> Distance:
    if resolution > _ARM_SEEN:
        raise Refusal(
            f"A resolution of {shown(resolution)} mm sees no arm: a vertical field needs at most {_ARM_SEEN} mm.",
            value=plain(resolution), field="resolution_mm",
        )  # fmt: skip
    if resolution > _HAND:
        return Distance(WALKING * response + _ARM_AT_LEAST, "normal_850")
    through = max(_THROUGH_A_MM * (resolution - _FINGER), Fraction(0))
    reaching = max(REACHING * response + through, Fraction(_NEAREST))
    if reaching <= _NEAREST_WALKING:
        return Distance(reaching, "normal_2000")
    return Distance(max(WALKING * response + through, Fraction(_NEAREST_WALKING)), "normal_1600")
