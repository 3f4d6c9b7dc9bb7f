"""What can be wrong with the pairs of a safe module, and with variables of the safe part."""

from __future__ import annotations

from collections.abc import Iterator

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.datatypes import SAFE_TYPE
from highmoor.core.hardware.safe_pairs import Pair, pair_at, pairs_of
from highmoor.core.numbers import exact, fraction_at, shown
from highmoor.core.plant.plant import table_of_id
from highmoor.core.plant.rows import Module, SafetyPart, Signal
from highmoor.core.safety.pairs import PairTold
from highmoor.core.safety.settings import is_safe
from highmoor.core.signals.linked import HolderLinks

_LINKS = ("module.links", "exchange.links")


def _safe_module(reader: Reader, root: str) -> DeviceType | None:
    """The type of a holder of links that is a safe module; None for any other."""
    device = reader.type(reader.value(root, Module, "type")) if table_of_id(root) == "modules" else None
    return device if is_safe(device) else None


def _plain_type(result: HolderLinks, reader: Reader, root: str) -> Iterator[Finding]:
    if not result.links or _safe_module(reader, root) is None:
        return
    for linked in result.links:
        signal = reader.row(linked.link.signal, Signal)
        if signal.type == "BOOL":
            yield finding("SAF-201", (signal.id, "type"), linked.link.id, name=signal.name)


def _safe_elsewhere(result: HolderLinks, reader: Reader, root: str) -> Iterator[Finding]:
    if _safe_module(reader, root) is not None:
        return
    for linked in result.links:
        if reader.value(linked.link.signal, Signal, "type") == SAFE_TYPE:
            name = reader.value(linked.link.signal, Signal, "name")
            yield finding("SAF-202", (linked.link.signal, "type"), linked.link.id, name=name)


def _second(result: HolderLinks, reader: Reader, root: str) -> Iterator[Finding]:
    device = _safe_module(reader, root) if result.links else None
    if device is None:
        return
    settings = reader.value(root, Module, "settings")
    for linked in result.links:
        pair = pair_at(device, settings, linked.link.key)
        if pair and pair.together and linked.link.key != pair.key:
            name = reader.value(linked.link.signal, Signal, "name")
            yield finding("SAF-203", linked.link.signal, linked.link.id, name=name, called=pair.called,
                          second=pair.second)  # fmt: skip


def _inputs(result: tuple[PairTold, ...], reader: Reader, root: str) -> Iterator[tuple[Pair, PairTold]]:
    """The pairs of inputs of a module, each with what is told of it."""
    if result:
        device, settings = reader.type(reader.value(root, Module, "type")), reader.value(root, Module, "settings")
        pairs = zip(pairs_of(device, settings), result, strict=True)
        yield from ((pair, told) for pair, told in pairs if pair.inward)


def _testing(told: PairTold, reader: Reader) -> Iterator[SafetyPart]:
    """What at a pair tests its outputs itself."""
    parts = (reader.row(at.id, SafetyPart) for at in told.parts)
    yield from (part for part in parts if part.settings.get("pulsed") is True)


def _called(reader: Reader, root: str, pair: PairTold) -> str:
    return f"{reader.value(root, Module, 'designation') or 'this module'}, {pair.called}"


def _never_found(result: tuple[PairTold, ...], reader: Reader, root: str) -> Iterator[Finding]:
    for pair, told in _inputs(result, reader, root):
        if pair.cross_circuit and pair.supply != "pulsed" and not any(_testing(told, reader)):
            how = "external" if pair.supply == "external" else "internal without test pulses"
            yield finding("SAF-204", (root, f"settings.pairs.{pair.key}.cross_circuit"),
                          called=_called(reader, root, told), how=how)  # fmt: skip


def _seen_as_demand(result: tuple[PairTold, ...], reader: Reader, root: str) -> Iterator[Finding]:
    for pair, told in _inputs(result, reader, root):
        for part in _testing(told, reader):
            pulse = fraction_at(part.settings, "pulse_ms")
            if pulse is not None and exact(pair.filter_ms) <= pulse:
                yield finding("SAF-205", (root, f"settings.pairs.{pair.key}.filter_ms"), part.id, name=part.name,
                              pulse=shown(pulse), filter=shown(pair.filter_ms))  # fmt: skip


def _tested_twice(result: tuple[PairTold, ...], reader: Reader, root: str) -> Iterator[Finding]:
    for pair, told in _inputs(result, reader, root):
        for part in _testing(told, reader) if pair.supply == "pulsed" else ():
            yield finding("SAF-206", (root, f"settings.pairs.{pair.key}.supply"), part.id, name=part.name,
                          called=_called(reader, root, told))  # fmt: skip


PAIR_CHECKS: tuple[Check, ...] = (
    Check(
        "SAF-201", "module.links", "safety", "warning", "Safe value in a plain variable",
        "{name} lies at a safe channel and is a BOOL.",
        "As a SAFEBOOL the program cannot take it for something plain, nor write it.", _plain_type,
        "PLCopen Safety, part 1, 4.2",
    ),
    Check(
        "SAF-202", _LINKS, "safety", "error", "Safe variable at a plain place",
        "{name} is a SAFEBOOL, and what it is linked to is not safe.",
        "It would look safe and be nothing of the kind.", _safe_elsewhere, "PLCopen Safety, part 1, 4.2",
    ),
    Check(
        "SAF-203", "module.links", "safety", "error", "Second channel of a pair",
        "{name} is linked to channel {second}, and {called} are taken together: their value lies at the first.",
        "The bit of the second channel stays off.", _second,
    ),
    Check(
        "SAF-204", "module.pairs", "safety", "error", "Short circuit that cannot be found",
        "Short and cross circuit are to be found at {called}, and the contacts' supply is {how}.",
        "They are found by test pulses of the module's own supply alone.", _never_found, "ISO 13849-2, D.2",
    ),
    Check(
        "SAF-205", "module.pairs", "safety", "error", "Test pulse taken for a demand",
        "{name} tests its outputs with pulses of {pulse} ms; an input delay of {filter} ms lets them through.",
        "The machine would stop at every test.", _seen_as_demand, "IEC 61131-6, 8",
    ),
    Check(
        "SAF-206", "module.pairs", "safety", "error", "Two that test one wire",
        "{name} tests its outputs itself, and {called} give test pulses as well.",
        "Such a sensor is supplied from outside; pulses of the module would switch it off or be seen as a fault.",
        _tested_twice, "IEC 61131-6, 8",
    ),
)  # fmt: skip
