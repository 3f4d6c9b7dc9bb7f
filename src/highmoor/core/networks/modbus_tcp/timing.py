"""Time and load of Modbus TCP.

A server answers one transaction after the other on its connection; each due request waits for those before it.
Octets on the wire at 100 Mbit/s: MBAP and PDU, 20 TCP, 20 IP, 38 for preamble, Ethernet, FCS and gap, a frame
not below 84 (IEEE 802.3, Modbus Messaging on TCP/IP 1.0b 3.1.3). Switch delays and TCP's own acknowledgements
are left out; they are below the device's reply delay by orders of magnitude.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from highmoor.core.figures.modbus_functions import request_pdu_octets, response_pdu_octets
from highmoor.core.networks.frames import Frame
from highmoor.core.networks.line import Line
from highmoor.core.networks.line_time import (
    EVERY,
    LATE,
    MS_AN_OCTET,
    TAKES,
    ExchangeTiming,
    Lane,
    TimeColumn,
    Timing,
)
from highmoor.core.networks.media import tcp_octets
from highmoor.core.networks.modbus.frames import UnitAt, in_answer, in_request
from highmoor.core.networks.modbus.schedule import Asked, common_period_ms, served, told_ms
from highmoor.core.networks.modbus.settings import ExchangeSettings, in_time, reply_ms, settings_of
from highmoor.core.plant.rows import Network

MBAP_OCTETS = 7
LINK_MBIT_S = 100
# Behind the headers of Ethernet, IP and TCP and the MBAP header.
_UNIT = UnitAt(14 + 20 + 20 + MBAP_OCTETS)

COLUMNS = (
    EVERY,
    TAKES,
    LATE,
    TimeColumn("If silent", "silent_cost_ms", hint="One request in vain, until the controller goes on"),
)


@dataclass(frozen=True, slots=True)
class Transaction:
    """Octets on the wire and times in ms of one request and its response."""

    request_octets: int
    response_octets: int
    reply_ms: float

    @property
    def request_ms(self) -> float:
        return self.request_octets * MS_AN_OCTET

    @property
    def response_ms(self) -> float:
        return self.response_octets * MS_AN_OCTET

    @property
    def total_ms(self) -> float:
        """Request, the device's reply delay, response."""
        return self.request_ms + self.reply_ms + self.response_ms


def wire_octets(pdu_octets: int) -> int:
    """Octets one unit takes on the wire, preamble and gap included."""
    return tcp_octets(MBAP_OCTETS + pdu_octets)


def transaction(settings: ExchangeSettings, delay_ms: float) -> Transaction:
    """Sizes and times of one exchange's transaction."""
    return Transaction(
        wire_octets(request_pdu_octets(settings.function, settings.count, settings.write_count)),
        wire_octets(response_pdu_octets(settings.function, settings.count)),
        delay_ms,
    )


def timing(network: Network, lines: Sequence[Line], silent: str = "", *, drawn: bool = True) -> Timing:
    """Lanes over two of the longest periods, and each exchange's worst lateness over the simulated schedule.

    A server that is `silent` delays nobody but its own requests.
    """
    asked = {line.connection.id: _asked(line) for line in lines}
    window = 2 * max((a.period_ms for group in asked.values() for a in group), default=500)
    lanes, exchanges, whole = [], [], True
    for line in lines:
        group, key = asked[line.connection.id], line.connection.id
        told = served(group, window, common_period_ms(group), key if line.station.id == silent else "", drawn=drawn)
        whole = whole and told.whole
        used = sum(a.total_ms / a.period_ms for a in group if not a.on_demand)
        blocks, dues = told.blocks.get(key, ()), told.dues.get(key, ())
        lanes.append(Lane(key, line.station.name, tuple(blocks), tuple(dues), used))
        for a, (_, settings) in zip(group, settings_of(line), strict=True):
            one = transaction(settings, reply_ms(line.station))
            late, cost = told_ms(told.late_ms.get(a.id, 0.0)), told_ms(a.silent_ms)
            exchanges.append(
                ExchangeTiming(
                    a.id, a.period_ms, a.total_ms, one.request_octets, one.response_octets, late, cost,
                    a.wait_ms + a.response_ms, late,
                )
            )  # fmt: skip
    load = sum(frame.mbit_s for frame in frames(network, lines)) / LINK_MBIT_S
    return Timing(window, True, tuple(lanes), tuple(exchanges), load, "of 100 Mbit/s", whole=whole)


def frames(_: Network, lines: Sequence[Line]) -> list[Frame]:
    """A request and an answer for every exchange, each in a TCP segment of its own; acknowledgements aside."""
    made = []
    for line in lines:
        station = line.station.id
        for _line, exchange, settings in in_time((line,)):
            one, period = transaction(settings, reply_ms(line.station)), settings.period_ms or None
            request = request_pdu_octets(settings.function, settings.count, settings.write_count)
            answer = response_pdu_octets(settings.function, settings.count)
            asked, told = in_request(exchange, settings, _UNIT), in_answer(exchange, settings, _UNIT)
            made += [
                Frame("", (station,), _UNIT.at + request, one.request_octets, period, asked),
                Frame(station, (), _UNIT.at + answer, one.response_octets, period, told),
            ]
    return made


def _asked(line: Line) -> list[Asked]:
    result = []
    for _, exchange, settings in in_time((line,)):
        one = transaction(settings, reply_ms(line.station))
        result.append(
            Asked(
                exchange.id, line.connection.id, exchange.name, settings.period_ms,
                one.request_ms, one.reply_ms, one.response_ms, 0.0,
                one.request_ms + (settings.timeout_ms or math.inf), on_demand=not settings.period_ms,
            )
        )  # fmt: skip
    return result
