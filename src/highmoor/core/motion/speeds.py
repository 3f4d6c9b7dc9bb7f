"""What a count of a drive's speed word is: a count a second, a turn a minute, or a share of the rated speed."""

from __future__ import annotations

from highmoor.core.motion.profiles import BASES
from highmoor.core.numbers import number_at
from highmoor.core.plant.rows import CommandProfile

_MINUTE = 60


def speed_counts(profile: CommandProfile, counts: float, a_turn: float, rated_rpm: float) -> float:
    """Counts of the speed word for a unit a second, of an axis whose position has so many `counts` a unit and that goes
    by `a_turn` for a motor turn.

    A share is of the motor's rated speed, as in PROFIdrive (IEC 61800-7-203: 16#4000 is 100 %); of a motor of which
    that is not known the word counts as the position does.
    """
    base = BASES[profile.base]
    meaning = str(profile.settings.get("speed_is") or base.speed_is)
    rpm = _MINUTE / a_turn
    if meaning == "rpm":
        return rpm
    if meaning == "share" and rated_rpm:
        return rpm / rated_rpm * (number_at(profile.settings, "speed_full") or base.speed_full)
    return counts
