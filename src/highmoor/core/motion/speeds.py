"""What a count of a drive's speed word is: a count a second, a turn a minute, or a share of the rated speed."""

from __future__ import annotations

from highmoor.core.motion.chain import Chain
from highmoor.core.motion.links import number_at
from highmoor.core.motion.profiles import BASES
from highmoor.core.motion.scale import counts_a_unit
from highmoor.core.motion.units import Unit
from highmoor.core.plant.rows import CommandProfile

_MINUTE = 60


def speed_counts(profile: CommandProfile, chain: Chain, unit: Unit) -> float | None:
    """Counts of the speed word for a unit a second; None where the chain does not say.

    A share is of the motor's rated speed, as in PROFIdrive (IEC 61800-7-203: 16#4000 is 100 %).
    """
    base = BASES[profile.base]
    exact = counts_a_unit(chain, unit)
    if exact is None:
        return None
    meaning = str(profile.settings.get("speed_is") or base.speed_is)
    if meaning == "counts":
        return float(exact.value)
    rpm = _MINUTE * float(unit.size / chain.travel.value)
    if meaning == "rpm":
        return rpm
    rated = number_at(chain.motor, "rated_rpm")
    full = number_at(profile.settings, "speed_full") or base.speed_full
    return rpm / rated * full if rated else None
