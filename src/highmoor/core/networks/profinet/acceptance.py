"""Whether a device grants a relation, and what of it is not as expected. Source: IEC 61158-6-10, 4.10.3, 5.2.

A refusal is told as the standard codes it: what was asked for, which block is at fault, which field of that block.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from highmoor.core.catalogue.profinet import US_AN_INTERVAL
from highmoor.core.figures.profinet import DATA_UNIT_LEAST, DATA_UNIT_MOST
from highmoor.core.networks.profinet import blocks as b
from highmoor.core.networks.profinet.explain import CALLS, EXPECTED, IN_USE, IOCR, MISSING, refused
from highmoor.core.networks.profinet.settings import WATCHDOG_AT_MOST_MS
from highmoor.core.networks.profinet.submodules import PnSubmodule

# Fields of blocks, counted as the standard does.
_LENGTH, _CLOCK, _RATIO, _PHASE, _WATCHDOG, _OFFSET, _DATA_LENGTH = 8, 10, 11, 12, 15, 24, 14
_BAD_BLOCK = 1
Where = tuple[int, int]


@dataclass(frozen=True, slots=True)
class Known:
    """What a device is: its identity, its submodules by slot and subslot, what it bears. Clocks in 31.25 µs."""

    vendor_id: int
    device_id: int
    maker: str
    called: str
    submodules: Mapping[Where, PnSubmodule]
    modules: Mapping[int, int]
    ports: tuple[int, ...]
    clocks: tuple[int, ...]
    ratios: tuple[int, ...]
    least: int
    revision: str = "V1.0.0"


@dataclass(frozen=True, slots=True)
class Granted:
    """A relation with what goes both ways, what is expected, which of it is really there, and what differs."""

    relation: b.Relation
    cyclic: Mapping[str, b.Cyclic]
    alarms: int
    expected: Mapping[Where, b.ExpectedSubmodule]
    differs: tuple[b.RealModule, ...]
    right: frozenset[Where]


def acceptance(known: Known, octets: bytes, *, taken: bool) -> Granted | int:
    """What is granted of what is asked for, or the status by which it is refused. `taken`: another one has it."""
    read = b.blocks_in(octets)
    relation = next((b.read_relation(one.octets) for one in read if one.type == b.AR), None)
    if relation is None:
        return refused(CALLS, _BAD_BLOCK)
    if taken:
        return refused(CALLS, IN_USE)
    alarms = next((b.read_alarms(one.octets) for one in read if one.type == b.ALARM_CR), None)
    cyclic: dict[str, b.Cyclic] = {}
    for one in read:
        if one.type == b.IOCR:
            told = b.read_cyclic(one.octets)
            if told is None:
                return refused(IOCR, _BAD_BLOCK)
            cyclic[told.direction] = told
    if len(cyclic) != 2 or alarms is None:
        return refused(CALLS, MISSING)
    wanted: dict[Where, b.ExpectedSubmodule] = {}
    for one in read:
        if one.type == b.EXPECTED:
            subs = b.read_expected(one.octets)
            if subs is None:
                return refused(EXPECTED, _BAD_BLOCK)
            wanted |= {(sub.slot, sub.subslot): sub for sub in subs}
    problem = next(_problems(known, cyclic, wanted), None)
    if problem:
        return problem
    differs = tuple(real_modules(known, wanted))
    return Granted(relation, cyclic, alarms, wanted, differs, frozenset(right_of(known, wanted)))


def _problems(
    known: Known, cyclic: Mapping[str, b.Cyclic], wanted: Mapping[Where, b.ExpectedSubmodule]
) -> Iterator[int]:  # fmt: skip
    for one in cyclic.values():
        update = one.clock * one.ratio
        if one.clock not in known.clocks:
            yield refused(IOCR, _CLOCK)
        if one.ratio not in known.ratios or update < known.least:
            yield refused(IOCR, _RATIO)
        if not 1 <= one.phase <= one.ratio:
            yield refused(IOCR, _PHASE)
        if not one.watchdog or one.watchdog * update * US_AN_INTERVAL > 1000 * WATCHDOG_AT_MOST_MS:
            yield refused(IOCR, _WATCHDOG)
        if not DATA_UNIT_LEAST <= one.octets <= DATA_UNIT_MOST:
            yield refused(IOCR, _LENGTH)
        yield from _outside(one, wanted)
    for where, sub in wanted.items():
        real = known.submodules.get(where)
        same = real is not None and (real.module_ident, real.ident) == (sub.module, sub.ident)
        if real is not None and same and (real.in_octets, real.out_octets) != (sub.into, sub.out):
            yield refused(EXPECTED, _DATA_LENGTH)


def _outside(cyclic: b.Cyclic, wanted: Mapping[Where, b.ExpectedSubmodule]) -> Iterator[int]:
    """Data and status that do not lie in the data unit, or lie in one another."""
    used: set[int] = set()
    for place in cyclic.data:
        sub = wanted.get((place.slot, place.subslot))
        octets = (sub.into if cyclic.direction == "in" else sub.out) + sub.iops if sub else 0
        yield from _used(used, cyclic, place.at, octets, known=sub is not None)
    for place in cyclic.consumers:
        sub = wanted.get((place.slot, place.subslot))
        yield from _used(used, cyclic, place.at, sub.iocs if sub else 0, known=sub is not None)


def _used(used: set[int], cyclic: b.Cyclic, at: int, octets: int, *, known: bool) -> Iterator[int]:
    span = range(at, at + octets)
    if not known or at + octets > cyclic.octets or not used.isdisjoint(span):
        yield refused(IOCR, _OFFSET)
    used.update(span)


def right_of(known: Known, wanted: Mapping[Where, b.ExpectedSubmodule]) -> Iterator[Where]:
    """The submodules that are there as they are expected."""
    for where, sub in wanted.items():
        real = known.submodules.get(where)
        if real is not None and (real.module_ident, real.ident) == (sub.module, sub.ident):
            yield where


def real_modules(known: Known, wanted: Mapping[Where, b.ExpectedSubmodule]) -> Iterator[b.RealModule]:
    """Slots that are not as expected, as the difference block tells them."""
    by_slot: dict[int, list[b.ExpectedSubmodule]] = {}
    for sub in wanted.values():
        by_slot.setdefault(sub.slot, []).append(sub)
    for slot, subs in sorted(by_slot.items()):
        module = known.modules.get(slot)
        if module is None:
            yield b.RealModule(slot, 0, b.NO_MODULE, ())
            continue
        if module != subs[0].module:
            yield b.RealModule(slot, module, b.WRONG_MODULE, ())
            continue
        wrong = tuple(_wrong(known, subs))
        if wrong:
            yield b.RealModule(slot, module, b.PROPER_MODULE, wrong)


def _wrong(known: Known, subs: Iterable[b.ExpectedSubmodule]) -> Iterator[tuple[int, int, int]]:
    for sub in subs:
        real = known.submodules.get((sub.slot, sub.subslot))
        if real is None:
            yield sub.subslot, sub.ident, b.SUB_MISSING
        elif real.ident != sub.ident:
            yield sub.subslot, real.ident, b.SUB_WRONG
