"""One measured value in its three forms: counts in the image, current or voltage at terminals, the unit of the plant.

Between terminals and counts stands the channel's number format, between counts and the value the link's scaling.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from highmoor.core.analysis.engine import Analysis
from highmoor.core.catalogue.types import AnalogueRange, Catalogue
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.errors import Refusal
from highmoor.core.numbers import parse_number, round_half_away
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Link, Module, Signal
from highmoor.core.signals.electrical import count_at, electrical_at
from highmoor.core.signals.ne43 import loop_state
from highmoor.core.signals.scaling import Scaling


@dataclass(frozen=True, slots=True)
class Forms:
    """A value's forms: counts, what stands at the terminals in `unit` (None where there is no channel), the value in
    the signal's own unit; `says` what is out of the ordinary with it, "" for nothing."""

    raw: float
    electrical: float | None
    unit: str
    value: float
    says: str = ""


@dataclass(frozen=True, slots=True)
class Conversion:
    """What lies between the forms: the channel's number format and the link's scaling, where there are any."""

    channel: AnalogueRange | None
    scaling: Scaling | None
    whole: bool

    def of_raw(self, raw: Fraction) -> Forms:
        """The forms of a count."""
        value = self.scaling.value(float(raw)) if self.scaling else float(raw)
        return Forms(
            float(raw), self._electrical(raw), self.channel.unit if self.channel else "", value, self._says(raw)
        )

    def of_electrical(self, electrical: Fraction) -> Forms:
        """The forms of a current, a voltage or a temperature. Raises Refusal where there is no channel."""
        if self.channel is None:
            raise Refusal("This signal has no analogue channel.", field="electrical")
        return self.of_raw(Fraction(count_at(self.channel, electrical)))

    def of_value(self, value: Fraction) -> Forms:
        """The forms of an engineering value, by way of the count that comes nearest."""
        if self.scaling is None:
            return self.of_raw(Fraction(round_half_away(value)) if self.whole else value)
        return self.of_raw(Fraction(self.scaling.raw(float(value))))

    def _electrical(self, raw: Fraction) -> float | None:
        return None if self.channel is None else float(electrical_at(self.channel, raw))

    def _says(self, raw: Fraction) -> str:
        if self.channel is None:
            return ""
        low, high = sorted((self.channel.raw_low, self.channel.raw_high))
        if not self.channel.raw_min <= raw <= self.channel.raw_max:
            return "beyond what the channel can hold"
        state = loop_state(self.channel, raw)
        if state != "good":
            return _LOOP_SAYS[state]
        return "" if low <= raw <= high else "outside the nominal range"


_LOOP_SAYS = {"fault": "fault, by NE 43", "out of range": "out of range, by NE 43"}


def channel_range(plant: Plant, catalogue: Catalogue, link: Link) -> AnalogueRange | None:
    """The number format of a link's channel, None where it is on none or on one that only switches."""
    module = plant.find(link.place)
    device = catalogue.find(module.type) if isinstance(module, Module) else None
    return device.range_at(link.key, module.settings) if device and isinstance(module, Module) else None


def conversion(analysis: Analysis, signal_id: str) -> Conversion:
    """What lies between the forms of a signal. Raises Refusal for one that switches, or has nothing to convert."""
    plant = analysis.plant
    signal = plant.get(signal_id, Signal)
    links = [plant.get(i, Link) for i in plant.referring("links", "signal", signal.id)]
    # What it is read from comes before what it is written to.
    link = min(links, key=lambda one: one.access != "reads", default=None)
    channel = channel_range(plant, analysis.catalogue, link) if link else None
    scaling = Scaling.of(link.scaling) if link else None
    usable = scaling if scaling and scaling.usable else None
    if signal.type == "BOOL" or (channel is None and usable is None):
        raise Refusal(
            f"{signal.name} has nothing to convert: neither an analogue channel nor a scaling.", place=signal.id
        )
    known = DATA_TYPES.get(signal.type)
    return Conversion(channel, usable, known is None or known.family != "real")


def forms(analysis: Analysis, signal_id: str, form: str, typed: str) -> Forms:
    """All forms of one that was typed: `form` is raw, electrical or value. Raises Refusal."""
    between = conversion(analysis, signal_id)
    if form == "raw":
        return between.of_raw(parse_number(typed))
    if form == "electrical":
        return between.of_electrical(parse_number(typed, unit=between.channel.unit if between.channel else ""))
    if form == "value":
        return between.of_value(parse_number(typed))
    raise Refusal(f"{form[:20]} is not one of raw, electrical, value.", field="form", value=form[:20])
