"""A device's register map taken over: the exchanges that carry it, and where each entry then lies."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from highmoor.core.catalogue.choices import RegisterField
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.figures.modbus_functions import EXCHANGED, Function
from highmoor.core.networks.carried import Area
from highmoor.core.networks.counting import COILS, REGISTERS
from highmoor.core.networks.fieldbus import DeviceMap, ExchangeOffer, MapEntry
from highmoor.core.networks.line import Line
from highmoor.core.networks.modbus.settings import ExchangeSettings
from highmoor.core.plant.rows import Exchange

_READS = {0: EXCHANGED[1], 1: EXCHANGED[2], 3: EXCHANGED[4], 4: EXCHANGED[3]}
_WRITES = {0: EXCHANGED[15], 4: EXCHANGED[16]}
_NAMES = {"in": "Read", "out": "Written"}
# Registers between two entries are read along rather than asked for in two requests; none is ever written along.
_GAP_AT_MOST = 8


@dataclass(frozen=True, slots=True)
class _Run:
    """A stretch of one area that one exchange carries."""

    function: Function
    way: Area
    first: int
    end: int


def _entries(device: DeviceType) -> Sequence[MapEntry]:
    """What can be written is written; only what can only be read is read."""
    return [
        MapEntry("in" if register.access == "read" or register.area not in _WRITES else "out", register)
        for register in device.registers
    ]


def _covers(exchange: Exchange, way: Area, register: RegisterField) -> bool:
    settings = ExchangeSettings.of(exchange)
    last = register.address + max(register.registers, 1)
    inside = settings.address <= register.address and last <= settings.address + settings.count
    return exchange.direction == way and settings.function.area == register.area and inside


def _exchanges(line: Line, period_ms: float) -> Sequence[ExchangeOffer]:
    wanted = _entries(line.device) if line.device else ()
    return [
        ExchangeOffer(
            "", _NAMES[run.way],
            {
                "function": run.function.code, "address": run.first, "count": run.end - run.first,
                "period_ms": period_ms,
            },
        )
        for run in _runs(wanted, line.exchanges)
    ]  # fmt: skip


def _runs(wanted: Iterable[MapEntry], there: Sequence[Exchange]) -> Iterator[_Run]:
    """The fewest exchanges for what none carries yet, within the functions' limits."""
    missing = [m for m in wanted if not any(_covers(x, m.way, m.entry) for x in there)]
    last: _Run | None = None
    for one in sorted(missing, key=lambda m: (m.way, m.entry.area, m.entry.address)):
        function = (_READS if one.way == "in" else _WRITES)[one.entry.area]
        first, end = one.entry.address, one.entry.address + max(one.entry.registers, 1)
        gap = _GAP_AT_MOST if one.way == "in" else 0
        joins = last is not None and (last.function, last.way) == (function, one.way) and first <= last.end + gap
        if last is not None and joins and max(end, last.end) - last.first <= function.at_most:
            last = dataclasses.replace(last, end=max(end, last.end))
            continue
        if last is not None:
            yield last
        last = _Run(function, one.way, first, end)
    if last is not None:
        yield last


def _place(exchange: Exchange, entry: MapEntry) -> str | None:
    """The key of an entry's place within an exchange, None where it is not carried by it."""
    register = entry.entry
    if not _covers(exchange, entry.way, register):
        return None
    settings = ExchangeSettings.of(exchange)
    counting = REGISTERS if settings.function.bits == 16 else COILS
    key = counting.key(register.address - settings.address)
    return key if register.bit is None else f"{key}.{register.bit}"


MAP = DeviceMap(_entries, _exchanges, _place)
