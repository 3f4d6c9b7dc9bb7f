"""What is told of a safe module's pairs: what lies at them, and what can be seen of them."""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.hardware.mounting import terminals
from highmoor.core.hardware.parts import RailMounting
from highmoor.core.hardware.safe_pairs import Pair, pairs_of
from highmoor.core.plant.rows import Link, Module, SafetyPart, Signal
from highmoor.core.safety.lanes import held_ms, pair_ms


@dataclass(frozen=True, slots=True)
class AtPair:
    """A signal or a part of a safety function at a channel of a pair."""

    id: str
    name: str
    channel: str


@dataclass(frozen=True, slots=True)
class PairTold:
    """A pair as it is set and what is at it. `filter_ms` is its input delay, its own or the module's.

    While its channels differ an input gives the last value (`held`) or the safe one; after a fault both have to be off
    once (`both_off`), and somebody acknowledges (`by_hand`). `worst_ms` is from a demand at its terminals to its safe
    telegram, or from a telegram to its terminals, at most. `sees` is what of its wires is found by test pulses.
    """

    key: str
    other: str
    called: str
    terminals: tuple[str, str]
    inward: bool
    together: bool
    antivalent: bool
    filter_ms: float
    discrepancy_ms: float
    held: bool
    both_off: bool
    by_hand: bool
    worst_ms: float
    sees: str
    signals: tuple[AtPair, ...]
    parts: tuple[AtPair, ...]


def _pairs(reader: Reader, root: str) -> tuple[PairTold, ...]:
    device = reader.type(reader.value(root, Module, "type"))
    if device is None or device.safety is None:
        return ()
    mounting: RailMounting = reader.part("rail.mounting", reader.value(root, Module, "rail"))
    slot = mounting.slots.get(root, 0)
    links = reader.referring(Link, "place", root)
    parts = reader.referring(SafetyPart, "place", root)
    told = []
    for pair in pairs_of(device, reader.value(root, Module, "settings")):
        wires = (device.channel(key) for key in pair.channels)
        first, second = (terminals(wire.terminals, slot) if wire else "" for wire in wires)
        told.append(
            PairTold(
                pair.key, pair.channels[1], pair.called, (first, second), pair.inward, pair.together, pair.antivalent,
                float(pair.filter_ms), float(pair.discrepancy_ms), held_ms(device.safety, pair) > 0,
                device.safety.both_off, pair.by_hand, float(pair_ms(device.safety, pair)), sees(pair),
                tuple(
                    AtPair(link.signal, reader.value(link.signal, Signal, "name"), link.key)
                    for link in links if link.key in pair.channels
                ),
                tuple(AtPair(part.id, part.name, part.key) for part in parts if part.key in pair.channels),
            )
        )  # fmt: skip
    return tuple(told)


def sees(pair: Pair) -> str:
    """What of its wires is found by test pulses (ISO 13849-2, annex D.2)."""
    if not pair.inward:
        return "short circuit" if pair.pulses else "nothing"
    if not finds_crossed(pair):
        return "nothing"
    return "short and cross circuit"


def finds_crossed(pair: Pair) -> bool:
    """Whether a short to the supply, or between its channels, shows while both contacts are closed."""
    return pair.cross_circuit and pair.supply == "pulsed"


PARTS: tuple[Part, ...] = (Part("module.pairs", "modules", _pairs, shown=tuple[PairTold, ...], stage="safety"),)
