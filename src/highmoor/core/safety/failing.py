"""How often a part of a safety function fails dangerously, from what its maker gives.

Sources: ISO 13849-1:2015, 4.5 and annexes C, F, K; IEC 62061:2005, 6.7.8.2.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from highmoor.core.figures.safety.failures import HOURS_A_YEAR, LEVELS, Level, level_of, t10d_years, two_channels
from highmoor.core.numbers import Settings, fraction_at, plain, shown

MISSION_YEARS = 20
# Measures against common cause (ISO 13849-1:2015, table F.1): so many points of a hundred are needed.
CCF_NEEDED = 65
USUAL_DC = Fraction(99)
USUAL_BETA = Fraction(2)
# The highest level that a category allows (ISO 13849-1:2015, 6.2).
ALLOWS: dict[str, Level] = {"B": "b", "1": "c", "2": "d", "3": "e", "4": "e"}
TWO_CHANNELS = ("3", "4")
WITH_TESTS = ("2", "3", "4")


@dataclass(frozen=True, slots=True)
class Failing:
    """Dangerous failures an hour, the level that allows, how they come about; None and "" for not given."""

    pfh: float | None = None
    level: Level | str = ""
    says: str = ""
    replace_years: float | None = None


def lowest(*levels: str) -> str:
    """The lowest of levels; "" if one is not known."""
    return min(levels, key=LEVELS.index) if levels and all(levels) else ""


def failing_of(settings: Settings, demand_per_h: Fraction | None, *, single: bool) -> Failing:
    """Of a sensor or an actuator, by the failures it is given, or by its contacts and how often they are used.

    `single` is that only one channel of it is evaluated, whatever it has.
    """
    category = str(settings.get("category") or ("1" if single else "3"))
    allowed = _allowed(settings, category, single=single)
    given = fraction_at(settings, "pfh")
    if given is not None:
        own = level_of(given) or ""
        return Failing(float(given), lowest(str(settings.get("level") or own), own, allowed), "as given")
    b10d = fraction_at(settings, "b10d")
    if not b10d or not demand_per_h:
        return Failing()
    replaced = t10d_years(b10d, demand_per_h)
    used_h = min(Fraction(MISSION_YEARS), replaced) * HOURS_A_YEAR
    dc = (USUAL_DC if (set_dc := fraction_at(settings, "dc")) is None else set_dc) / 100
    if single or category not in TWO_CHANNELS:
        rate = demand_per_h / (10 * b10d)
        pfh = rate * (1 - dc) if category in WITH_TESTS and not single else rate
        says = "one channel"
    else:
        beta = (USUAL_BETA if (set_beta := fraction_at(settings, "beta")) is None else set_beta) / 100
        pfh = two_channels(b10d, demand_per_h, dc, beta, used_h, 1 / demand_per_h)
        says = "two channels"
    level = lowest(level_of(pfh) or "", allowed)
    words = f"{says}, {shown(plain(b10d))} operations, {shown(plain(demand_per_h), 3)} an hour"
    return Failing(float(pfh), level, words, float(replaced))


def _allowed(settings: Settings, category: str, *, single: bool) -> str:
    """What its structure allows: no more than category 1 does where it is not tested, or shares its causes."""
    ccf = fraction_at(settings, "ccf")
    shared = category in WITH_TESTS and ccf is not None and ccf < CCF_NEEDED
    return ALLOWS["1"] if (single and category in TWO_CHANNELS) or shared else ALLOWS.get(category, "b")
