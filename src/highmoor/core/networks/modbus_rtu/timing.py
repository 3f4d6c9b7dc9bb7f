"""Time on a serial Modbus line: all stations share it, one request after the other.

Source: Modbus over Serial Line 1.02, 2.4 and 2.5; octets and silences in `figures/modbus_rtu.py`.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

from highmoor.core.errors import Refusal
from highmoor.core.figures import modbus_rtu
from highmoor.core.figures.modbus_functions import (
    Function,
    Quantity,
    request_pdu_octets,
    response_pdu_octets,
)
from highmoor.core.networks.frames import Frame
from highmoor.core.networks.line import Line
from highmoor.core.networks.line_time import EVERY, LATE, TAKES, ExchangeTiming, Lane, TimeColumn, Timing
from highmoor.core.networks.modbus.frames import UnitAt, in_answer, in_request
from highmoor.core.networks.modbus.schedule import Asked, common_period_ms, served, told_ms
from highmoor.core.networks.modbus.settings import ExchangeSettings, in_time, reply_ms, unit_of
from highmoor.core.networks.modbus_rtu.settings import LineSettings, line_settings, turnaround_ms
from highmoor.core.numbers import exact
from highmoor.core.plant.rows import Network

_WINDOW_AT_MOST_MS = 4000

COLUMNS = (
    EVERY,
    TAKES,
    LATE,
    TimeColumn("One silent", "late_one_silent_ms", hint="At worst, while the station that costs most is silent"),
)


@dataclass(frozen=True, slots=True)
class SerialTransaction:
    """Octets and times (ms) of one request on the line."""

    request_octets: int
    response_octets: int
    request_ms: float
    wait_ms: float
    response_ms: float
    tail_ms: float


def transaction(
    on: LineSettings, settings: ExchangeSettings, delay_ms: float, rest_ms: float, *, broadcast: bool
) -> SerialTransaction:
    """One exchange's transaction in either mode; a count outside the limits is timed as it is asked."""
    quantity = Quantity(max(settings.count, 0), max(settings.write_count, 0))
    return _transaction(on, settings.function, quantity, max(delay_ms, 0), rest_ms, broadcast)


# Most stations of a line are asked for the same: 247 of them are worked out once.
@lru_cache(maxsize=4096)
def _transaction(
    on: LineSettings, function: Function, quantity: Quantity, delay_ms: float, rest_ms: float, broadcast: bool
) -> SerialTransaction:
    if on.mode == "ascii":
        return _ascii(on, function, quantity, delay_ms, rest_ms, broadcast=broadcast)
    try:
        told = modbus_rtu.transaction(
            on.character, function, quantity, exact(delay_ms), broadcast=broadcast, turnaround_ms=exact(rest_ms)
        )
    except Refusal:
        # A broadcast that reads gets no answer; what it takes is the time-out, which is a finding of its own.
        return _transaction(on, function, quantity, delay_ms, rest_ms, False)
    return SerialTransaction(
        told.request_octets, told.response_octets, float(told.request_ms), float(told.wait_ms),
        float(told.response_ms), float(told.silent_ms),
    )  # fmt: skip


def _ascii(
    on: LineSettings, function: Function, quantity: Quantity, delay_ms: float, rest_ms: float, *, broadcast: bool
) -> SerialTransaction:
    """Colon, two digits an octet of station, unit and LRC, CR LF; no silence ends a frame."""
    request = 1 + 2 * (1 + request_pdu_octets(function, quantity.count, quantity.writes)) + 2 + 2
    response = 1 + 2 * (1 + response_pdu_octets(function, quantity.count)) + 2 + 2
    one = float(on.character.ms)
    if broadcast:
        return SerialTransaction(request, 0, request * one, rest_ms, 0.0, 0.0)
    return SerialTransaction(request, response, request * one, delay_ms, response * one, 0.0)


def timing(network: Network, lines: Sequence[Line], silent: str = "", *, drawn: bool = True) -> Timing:
    """The line over its common period: a lane a station, each request's lateness, alive and with the worst silence.

    With a station `silent`, lanes and lateness are as they are while it does not answer.
    """
    on = line_settings(network)
    asked: list[Asked] = []
    octets: dict[str, tuple[int, int]] = {}
    for line, exchange, settings in in_time(lines):
        broadcast = unit_of(line.station, line.connection) == 0
        one = transaction(on, settings, reply_ms(line.station), turnaround_ms(network), broadcast=broadcast)
        attempts = 1 if broadcast else max(settings.retries, 0) + 1
        in_vain = one.wait_ms if broadcast else settings.timeout_ms or math.inf
        cost = attempts * (one.request_ms + in_vain + one.tail_ms)
        octets[exchange.id] = (one.request_octets, one.response_octets)
        asked.append(
            Asked(
                exchange.id, line.station.id, exchange.name, settings.period_ms, one.request_ms,
                one.wait_ms, one.response_ms, one.tail_ms, cost, attempts, not settings.period_ms,
            )
        )  # fmt: skip
    common = common_period_ms(asked)
    window = min(common, _WINDOW_AT_MOST_MS) or 1000
    alive = served(asked, window, common, silent, drawn=drawn)
    costs: dict[str, float] = {}
    for a in asked:
        # What the program starts may come at any time: once in the longest period is little, and not nothing.
        costs[a.lane] = costs.get(a.lane, 0.0) + (a.silent_ms - a.total_ms) / (a.period_ms or common or 1000)
    worst = max(costs, key=lambda lane: costs[lane], default="")
    dead = served(asked, 0, common, worst, drawn=False) if worst else alive
    names = {line.station.id: line.station.name for line in lines}
    used = dict.fromkeys(names, 0.0)
    cyclic = [a for a in asked if not a.on_demand]
    for a in cyclic:
        used[a.lane] += a.total_ms / a.period_ms
    cycle = sum(a.total_ms for a in cyclic)
    cycle_dead = sum(a.silent_ms if a.lane == worst else a.total_ms for a in cyclic)
    return Timing(
        window,
        True,
        tuple(
            Lane(lane, name, tuple(alive.blocks.get(lane, ())), tuple(alive.dues.get(lane, ())), used[lane])
            for lane, name in names.items()
        ),
        tuple(
            ExchangeTiming(
                a.id, a.period_ms, a.total_ms, *octets[a.id], told_ms(alive.late_ms.get(a.id, 0.0)),
                told_ms(a.silent_ms), a.wait_ms + a.response_ms, told_ms(dead.late_ms.get(a.id, 0.0)),
            )
            for a in asked
        ),
        sum(used.values()),
        f"of the line's time at {on.written}",
        "polled-line",
        cycle,
        told_ms(cycle_dead) if worst else None,
        names.get(worst, ""),
        silent_for_ever=cycle_dead == math.inf,
        whole=alive.whole,
        whole_one_silent=dead.whole,
    )  # fmt: skip


def frames(network: Network, lines: Sequence[Line]) -> list[Frame]:
    """A request, and for all but what goes to everybody an answer, for every exchange; all on the line hear each."""
    on = line_settings(network)
    # In ASCII mode behind the colon and the station's two digits, in RTU mode behind the station's octet.
    unit = UnitAt(3, 2) if on.mode == "ascii" else UnitAt(1)
    made = []
    for line, exchange, settings in in_time(lines):
        everybody = unit_of(line.station, line.connection) == 0
        one = transaction(on, settings, reply_ms(line.station), turnaround_ms(network), broadcast=everybody)
        period, station = settings.period_ms or None, line.station.id
        request, answer = one.request_octets, one.response_octets
        asked, told = in_request(exchange, settings, unit), in_answer(exchange, settings, unit)
        made.append(Frame("", (station,), request, request, period, asked, 0.0, everybody, unit.characters))
        if answer:
            made.append(Frame(station, (), answer, answer, period, told, characters=unit.characters))
    return made


@lru_cache(maxsize=256)
def silence_ms(on: LineSettings) -> Fraction:
    """The silence between two frames; none is needed in ASCII mode."""
    return on.character.silent_ms if on.mode == "rtu" else Fraction(0)
