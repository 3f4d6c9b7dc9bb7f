"""The lanes of a safety function: what lies between a sensor and the logic, between the logic and an actuator."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from highmoor.core.analysis.engine import Reader
from highmoor.core.catalogue.safety import SafetyFacts
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.hardware.parts import head_of
from highmoor.core.hardware.safe_pairs import Pair, pair_at
from highmoor.core.numbers import exact, fraction_at, number_at, shown
from highmoor.core.plant.rows import Axis, Controller, Exchange, Module, Rail, SafetyPart, Scanner, Station
from highmoor.core.safety.failing import failing_of, lowest
from highmoor.core.safety.scanner.types import scanner_set
from highmoor.core.safety.settings import BLOCKS, BRAKING, is_safe, safe_part_of, watchdog_of
from highmoor.core.safety.told import LaneTold, SegmentTold
from highmoor.core.signals.at import At
from highmoor.core.signals.hops import Hop
from highmoor.core.signals.places import Place, place_of

# What is no way for a word of safety.
OVER_PLAIN, BY_PLAIN = "comes over a plain connection", "is switched over a plain connection"


def logic_of(reader: Reader, controller: str) -> SegmentTold:
    """The safe part of a controller."""
    row = reader.row(controller, Controller)
    device, safe = reader.type(row.type), safe_part_of(row.settings)
    facts = device.safety if device else None
    says = f"every {shown(safe.cycle)} ms, at most {shown(safe.longest)} ms long"
    return SegmentTold(
        "logic", controller, row.name, float(safe.worst), float(safe.watchdog), says, "settings.safe_cycle_ms",
        facts.pfh if facts else None, facts.level if facts else "", "by its type" if facts else "",
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Wired:
    """The safe module that a part is wired to, and the pair there that its channel is of."""

    module: Module
    device: DeviceType
    facts: SafetyFacts
    pair: Pair

    @property
    def called(self) -> str:
        """What the module is called."""
        return self.module.designation or self.device.name


def wired_to(reader: Reader, part: SafetyPart) -> Wired | None:
    """Where a part is wired; None where that is no pair of a safe module."""
    module: Module | Exchange | None = reader.find(part.place)
    device = reader.type(module.type) if isinstance(module, Module) else None
    if not isinstance(module, Module) or device is None or device.safety is None:
        return None
    pair = pair_at(device, module.settings, part.key)
    return Wired(module, device, device.safety, pair) if pair else None


def lane_of(reader: Reader, part: SafetyPart, demand: Fraction | None) -> LaneTold:
    """A sensor with what brings it to the logic, or an actuator with what brings the logic's word to it.

    `demand` is how often an hour it is called on.
    """
    wired = wired_to(reader, part)
    own = _own(reader, part, demand, single=wired is not None and not wired.pair.together)
    stop = fraction_at(part.settings, "stop_ms")
    delay = number_at(part.settings, "delay_ms") if part.block in BRAKING else 0.0
    stops = (delay, None if stop is None else float(stop))
    problem = _problem(reader, part, wired)
    if problem or wired is None:
        return LaneTold(part.id, (own,), problem, *stops)
    link, between = _link(reader, wired, part), _module_segment(wired)
    order = (own, between, link) if part.role == "sensor" else (link, between, own)
    return LaneTold(part.id, order, "", *stops)


def _own(reader: Reader, part: SafetyPart, demand: Fraction | None, *, single: bool) -> SegmentTold:
    device: Station | Axis | Scanner | None = reader.find(part.device)
    block = BLOCKS[part.role].get(part.block)
    words = [*([device.name] if device else []), *([block.label] if block else [])]
    worst, field = fraction_at(part.settings, "worst_ms"), "settings.worst_ms"
    if isinstance(device, Scanner):
        worst, field = exact(scanner_set(device.type, device.settings).response_ms), ""
    fails = failing_of(part.settings, demand, single=single)
    return SegmentTold(
        part.role, part.id, part.name, None if worst is None else float(worst), None, ", ".join(words),
        field, fails.pfh, fails.level, fails.says, fails.replace_years,
    )  # fmt: skip


def _problem(reader: Reader, part: SafetyPart, wired: Wired | None) -> str:
    sensor = part.role == "sensor"
    wants = f"safe {'input' if sensor else 'output'}"
    place: Module | Exchange | None = reader.find(part.place)
    if place is None:
        return f"is wired to no {wants}"
    if not isinstance(place, Module) or not is_safe(reader.type(place.type)):
        return OVER_PLAIN if sensor else BY_PLAIN
    if wired is None or wired.pair.inward != sensor:
        return f"is wired to what is no {wants}"
    if wired.pair.together and part.key != wired.pair.key:
        return f"is wired to the second of {wired.pair.called}, which are taken together"
    return ""


def _module_segment(wired: Wired) -> SegmentTold:
    facts, pair = wired.facts, wired.pair
    called = pair.called if pair.together else f"channel {pair.first}"
    says = f"module {shown(facts.worst_ms)} ms"
    if pair.inward:
        says = f"input delay {shown(pair.filter_ms)} ms, {says}"
    if held_ms(facts, pair):
        says += f", last value held for {shown(pair.discrepancy_ms)} ms"
    # A single channel is compared with no other one.
    level = facts.level if pair.together else lowest(facts.level, "d")
    return SegmentTold(
        "input" if pair.inward else "output", wired.module.id, f"{wired.called}, {called}", float(pair_ms(facts, pair)),
        None, says, f"settings.pairs.{pair.key}.filter_ms" if pair.inward else "", facts.pfh, level, "by its type",
    )  # fmt: skip


def held_ms(facts: SafetyFacts, pair: Pair) -> Fraction:
    """How long a pair whose channels differ still gives its last value, ms."""
    held = pair.inward and pair.together and facts.while_differing == "held"
    return exact(pair.discrepancy_ms) if held else Fraction(0)


def pair_ms(facts: SafetyFacts, pair: Pair) -> Fraction:
    """From a demand at a pair's terminals to its safe telegram, or from a telegram to its terminals, at most, ms."""
    delay = exact(pair.filter_ms) if pair.inward else Fraction(0)
    return exact(facts.worst_ms) + delay + held_ms(facts, pair)


def _link(reader: Reader, wired: Wired, part: SafetyPart) -> SegmentTold:
    """Its safe telegrams, one way."""
    worst, watchdog = link_ms(reader, wired.module, part.key), watchdog_of(wired.module.settings)
    label = f"{wired.called} to the safe part" if part.role == "sensor" else f"the safe part to {wired.called}"
    return SegmentTold(
        "link", wired.module.id, label, None if worst is None else float(worst), float(watchdog), "safe telegrams",
        "settings.safe_watchdog_ms",
    )  # fmt: skip


def link_ms(reader: Reader, module: Module, key: str) -> Fraction | None:
    """What a safe telegram takes one way at most, over the internal bus of its controller or whatever brings a remote
    module's octets, ms; None where nothing does."""
    place: Place | None = place_of(reader, module.id, At(key))
    if place is not None and place.remote:
        hops: tuple[Hop, ...] = (reader.part("exchange.hops", place.carrier) or ()) if place.carrier else ()
        return sum((exact(hop.period_ms) + exact(hop.transit_ms) for hop in hops), Fraction(0)) if hops else None
    rail: Rail | None = reader.find(module.rail)
    head = head_of(reader, rail)[1] if rail else None
    if head is None or head.safety is None:
        return None
    return exact(head.safety.telegram_ms) + exact(head.safety.transit_ms)
