"""The forms of EtherCAT: the network's cycle, and what can be set on whoever answers at a position."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from highmoor.core.catalogue.ethercat import TRANSITIONS, EthercatFacts
from highmoor.core.errors import Refusal
from highmoor.core.networks.ethercat.layout import TERMS
from highmoor.core.networks.ethercat.requests import OCTETS_AT_MOST, Request, request_of
from highmoor.core.networks.ethercat.settings import (
    CYCLE_MS,
    GENERIC_OCTETS_AT_MOST,
    WATCHDOG_MS,
    NodeSettings,
    answers,
    chosen,
    excluded,
)
from highmoor.core.networks.fieldbus import Around, FieldsOf
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import is_request, trigger_fields
from highmoor.core.numbers import parse_number, shown
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.rows import Connection, Exchange, Json, Module, Network, Station

_KEY = re.compile(r"[0-9A-F]{4}:[0-9A-F]{2}")

GENERIC_OCTETS = FieldSpec(
    "settings.octets", "Size", "integer", default=0, unit="octets", minimum=0, maximum=GENERIC_OCTETS_AT_MOST,
    hint="All process data of this direction, as the device is set.",
)  # fmt: skip


def _network_fields(row: Network, _: Around) -> tuple[FieldSpec, ...]:
    return (
        FieldSpec(
            "settings.cycle_ms", "Cycle", "number", default=CYCLE_MS, unit="ms", minimum=0.0625, maximum=100,
            window=True, hint="How often the frames go round; tasks run at whole multiples of it.",
        ),
        FieldSpec(
            "settings.apart", "Read and write apart", "boolean", default=False, term="LRD, LWR instead of LRW",
            hint="For devices that cannot read and write in one datagram.",
        ),
        FieldSpec(
            "settings.clocks", "Distributed clocks", "boolean", default=True,
            hint="On as soon as a device runs by one. Off: its time is not handed out.",
        ),
    )  # fmt: skip


def _station_fields(row: Station, around: Around) -> tuple[FieldSpec, ...]:
    facts = around.device.ethercat if around.device else None
    return (
        *_own_fields(row.settings, facts or EthercatFacts(), known=facts is not None),
        FieldSpec(
            "settings.alias", "Alias", "integer", minimum=1, maximum=0xFFFF, optional=True,
            term="configured station alias", hint="A number kept in the device; unlike its position it moves along.",
        ),
        *_write_fields(row.settings),
    )  # fmt: skip


def _module_fields(row: Module, around: Around) -> tuple[FieldSpec, ...]:
    device = around.device
    if device is None or device.ethercat is None:
        return ()
    if not answers(device):
        return tuple(_pdo_fields(row.settings, device.ethercat))
    return (
        *_own_fields(row.settings, device.ethercat, known=True),
        *_write_fields(row.settings),
    )


def _own_fields(settings: Json, facts: EthercatFacts, *, known: bool) -> Iterator[FieldSpec]:
    """Of whoever answers for itself."""
    if facts.clocks:
        yield from _clock_fields(settings, facts)
    if any(pdo.direction == "out" for pdo in facts.pdos) or not known:
        yield FieldSpec(
            "settings.watchdog_ms", "Watchdog", "number", default=WATCHDOG_MS, unit="ms", minimum=0, maximum=6553,
            term="process data watchdog", hint="Without outputs for so long it goes to Safe-Op. 0: never.",
        )  # fmt: skip
    yield FieldSpec(
        "settings.group",
        "Group",
        "integer",
        default=0,
        minimum=0,
        maximum=15,
        optional=True,
        hint="Each group has a datagram of its own: one that is absent leaves the others good.",
    )
    if known:
        rule = _RULES.get(facts.revision_rule, facts.revision_rule)
        yield FieldSpec(
            "settings.identity", "Another revision", "choice", default="file", optional=True,
            choices=(
                Choice("file", f"as the file says: {rule}"),
                Choice("exact", "refused"),
                Choice("any", "always taken"),
            ),
        )  # fmt: skip
    yield from _pdo_fields(settings, facts)


_RULES = {
    "NONE": "any", "EQ": "the same", "EQ_OR_G": "the same or a later one", "EQ_OR_L": "the same or an earlier one",
    "LW_EQ": "the same low word", "HW_EQ": "the same high word", "LW_EQ_HW_EQ": "the same", "HW_EQ_LW_EQ": "the same",
    "LW_EQ_HW_EQ_OR_G": "the same low word, a later high word",
    "HW_EQ_LW_EQ_OR_G": "the same high word, a later low word",
}  # fmt: skip


def _clock_fields(settings: Json, facts: EthercatFacts) -> Iterator[FieldSpec]:
    own = NodeSettings.of(settings)
    mode = next((m for m in facts.clocks if m.key == own.clock), facts.clocks[0])
    yield FieldSpec(
        "settings.clock", "Runs", "choice", default=facts.clocks[0].key, optional=True, source="type",
        choices=tuple(Choice(m.key, m.label) for m in facts.clocks), term="distributed clocks",
    )  # fmt: skip
    if facts.reference_clock:
        yield FieldSpec(
            "settings.reference",
            "All follow its clock",
            "boolean",
            default=False,
            term="reference clock",
            hint="Unless somebody is chosen, the first that can be followed is.",
        )
    if mode.sync0:
        yield FieldSpec(
            "settings.shift0_ns", "Sync0 behind the cycle", "integer", default=mode.shift0_ns, unit="ns",
            minimum=-100_000_000, maximum=100_000_000, optional=True, show=_in_us,
            hint="So long after the cycle begins its own work does.",
        )  # fmt: skip
        yield FieldSpec(
            "settings.sync0_ns", "Sync0 every", "integer", default=None, unit="ns", minimum=1000,
            maximum=1_000_000_000, optional=True, show=_in_us, hint=_cycle_hint(mode.sync0_ns, mode.factor0),
        )  # fmt: skip


def _in_us(value: Any) -> str:
    return f"{shown(value / 1000)} µs" if isinstance(value, int) else ""


def _cycle_hint(sync0_ns: int, factor: int) -> str:
    if sync0_ns:
        return f"The file says {shown(sync0_ns / 1000)} µs."
    times = "the cycle" if factor in (0, 1) else f"{factor} cycles" if factor > 0 else f"the cycle divided by {-factor}"
    return f"The file says {times}."


def _pdo_fields(settings: Json, facts: EthercatFacts) -> Iterator[FieldSpec]:
    """A switch for each PDO that can be left out or taken in."""
    own = NodeSettings.of(settings)
    taken = {pdo.idx for pdo in chosen(facts.pdos, own)}
    for pdo in facts.pdos:
        if pdo.mandatory or (pdo.fixed and len(facts.pdos) == 1):
            continue
        against = [other.idx for other in facts.pdos if other.idx in taken and excluded(pdo, other)]
        beside = f"; not beside {', '.join(f'16#{idx:04X}' for idx in against)}" if against else ""
        bits = sum(entry.bits for entry in pdo.entries)
        yield FieldSpec(
            f"settings.pdos.{pdo.idx:04X}", pdo.label, "boolean", default=pdo.manager is not None,
            term=f"{TERMS[pdo.direction]} 16#{pdo.idx:04X}", source="type", section="data",
            hint=f"{_size(bits)}{beside}",
        )  # fmt: skip


def _size(bits: int) -> str:
    if bits % 8:
        return f"{bits} bit{'' if bits == 1 else 's'}"
    return f"{bits // 8} octet{'' if bits == 8 else 's'}"


# ── start-up writes by hand


def read_octets(given: Any) -> bytes:
    """Octets in hex, with blanks or without. Raises Refusal for what are none, and for none at all."""
    plain = "".join(str(given).split())
    if not plain or len(plain) % 2 or re.fullmatch(r"[0-9A-Fa-f]+", plain) is None:
        raise Refusal(f"“{str(given)[:40]}” are not octets in hex, two digits each.", value=given)
    if len(plain) > 2 * OCTETS_AT_MOST:
        raise Refusal(f"{len(plain) // 2} octets are too many: {OCTETS_AT_MOST} are the most.", value=len(plain) // 2)
    return bytes.fromhex(plain)


def read_index(given: Any, most: int, what: str) -> int:
    """An index or subindex in any base. Raises Refusal outside of 0 … `most`."""
    number = parse_number(str(given))
    if number.denominator != 1 or not 0 <= number <= most:
        raise Refusal(f"{what} {given} is none: they go from 0 to 16#{most:X}.", value=given)
    return number.numerator


def read_write(given: Any) -> str:
    """One write as it is kept: the step, then the octets, as in `PS 08 00`. Raises Refusal."""
    at, _, octets = str(given).strip().partition(" ")
    if at not in TRANSITIONS:
        raise Refusal(f"“{at[:10]}” is no step: give one of {', '.join(TRANSITIONS)}, then octets.", value=given)
    return f"{at} {read_octets(octets).hex(' ').upper()}"


def _write_fields(settings: Json) -> Iterator[FieldSpec]:
    """What is written by hand at the start, an object each; made by the edit `write`, taken back by clearing it."""
    kept = settings.get("writes")
    for key in sorted(kept) if isinstance(kept, dict) else ():
        if _KEY.fullmatch(key):
            yield FieldSpec(
                f"settings.writes.{key}", f"Written at the start: 16#{key}", "text", optional=True, read=read_write,
                term="start-up write", hint="The step (IP, PS, SO), then the octets, the lowest first.",
            )  # fmt: skip


def _exchange_fields(row: Exchange, around: Around) -> tuple[FieldSpec, ...]:
    if around.line is not None and is_request(around.line.connection):
        return (_request_octets(request_of(around.line)),)
    known = around.device is not None and around.device.ethercat is not None
    return () if known else (GENERIC_OCTETS,)


def _connection_fields(row: Connection, around: Around) -> tuple[FieldSpec, ...]:
    line = around.line
    if line is None or not is_request(row):
        return ()
    request = request_of(line)
    value = request.value
    return (
        *_who_fields(line),
        FieldSpec(
            "settings.index", "Index", "text", optional=True, read=_index_text,
            hint=value.label if value else "In any base: 16#1018, 4120.",
        ),
        FieldSpec(
            "settings.subindex", "Subindex", "integer", default=0, minimum=0, maximum=0xFF,
            read=lambda given: read_index(given, 0xFF, "Subindex"), show=lambda sub: f"16#{sub:02X}",
        ),
        *trigger_fields(line),
    )  # fmt: skip


def _index_text(given: Any) -> str:
    """As the trade writes it, however it was typed."""
    return f"16#{read_index(given, 0xFFFF, 'Index'):04X}" if str(given).strip() else ""


def _who_fields(line: Line) -> tuple[FieldSpec, ...]:
    """The station itself or one of the modules behind it, where any of them answers for itself."""
    inner = [module for module in line.modules if answers(module.type)]
    if not inner:
        return ()
    itself = line.device.name if line.device else line.station.name
    modules = (Choice(m.slot, f"slot {m.slot}, {m.type.called}") for m in inner)
    return (
        FieldSpec("settings.slot", "Asks", "choice", default=0, choices=(Choice(0, f"{itself} itself"), *modules)),
    )  # fmt: skip


def _request_octets(request: Request) -> FieldSpec:
    usual = (request.value.bits + 7) // 8 if request.value else None
    hint = "" if request.writes else "The most that can come; a shorter answer leaves the rest as it was."
    return FieldSpec(
        "settings.octets", "Size", "integer", default=usual or 0, unit="octets", minimum=0, maximum=OCTETS_AT_MOST,
        optional=True, source="type" if usual else "own", hint=hint,
    )  # fmt: skip


FIELDS: dict[str, FieldsOf] = {
    "networks": _network_fields,
    "stations": _station_fields,
    "modules": _module_fields,
    "connections": _connection_fields,
    "exchanges": _exchange_fields,
}
