"""Time and load of Modbus TCP.

A server answers one transaction after the other on its connection; each due request waits for those before it.
Octets on the wire at 100 Mbit/s: MBAP and PDU, 20 TCP, 20 IP, 38 for preamble, Ethernet, FCS and gap, a frame
not below 84 (IEEE 802.3, Modbus Messaging on TCP/IP 1.0b 3.1.3). Switch delays and TCP's own acknowledgements
are left out; they are below the device's reply delay by orders of magnitude.
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass

from highmoor.core.analysis.engine import Part
from highmoor.core.figures.modbus_functions import request_pdu_octets, response_pdu_octets
from highmoor.core.networks.fieldbus import Block, Due, ExchangeTiming, Lane, Line, Timing
from highmoor.core.networks.modbus_tcp.settings import ExchangeSettings, reply_ms
from highmoor.core.plant.rows import Network

MBAP_OCTETS = 7
_MS_AN_OCTET = 80e-6
_LEAST_FRAME = 84
_BLOCKS_AT_MOST = 240
_SIMULATED_AT_MOST = 4000

PARTS: tuple[Part, ...] = ()


@dataclass(frozen=True, slots=True)
class Transaction:
    """Octets on the wire and times in ms of one request and its response."""

    request_octets: int
    response_octets: int
    reply_ms: float

    @property
    def request_ms(self) -> float:
        return self.request_octets * _MS_AN_OCTET

    @property
    def response_ms(self) -> float:
        return self.response_octets * _MS_AN_OCTET

    @property
    def total_ms(self) -> float:
        """Request, the device's reply delay, response."""
        return self.request_ms + self.reply_ms + self.response_ms


def wire_octets(pdu_octets: int) -> int:
    """Octets one unit takes on the wire, preamble and gap included."""
    return max(_LEAST_FRAME, MBAP_OCTETS + pdu_octets + 20 + 20 + 38)


def transaction(settings: ExchangeSettings, delay_ms: float) -> Transaction:
    """Sizes and times of one exchange's transaction."""
    return Transaction(
        wire_octets(request_pdu_octets(settings.function, settings.count)),
        wire_octets(response_pdu_octets(settings.function, settings.count)),
        delay_ms,
    )


@dataclass(frozen=True, slots=True)
class _Asked:
    id: str
    label: str
    period_ms: float
    timeout_ms: float
    transaction: Transaction


def timing(network: Network, lines: list[Line]) -> Timing:
    """Lanes over two of the longest periods, and each exchange's worst lateness over the simulated schedule."""
    asked = {line.connection.id: _asked(line) for line in lines}
    periods = [a.period_ms for group in asked.values() for a in group]
    window = 2 * max(periods, default=500)
    lanes, exchanges, per_second = [], [], 0.0
    for line in lines:
        group = asked[line.connection.id]
        blocks, dues, late = _served(group, window)
        used = sum(a.transaction.total_ms / a.period_ms for a in group)
        lanes.append(Lane(line.connection.id, line.station.name, tuple(blocks), tuple(dues), used))
        for a in group:
            octets = a.transaction.request_octets + a.transaction.response_octets
            per_second += octets * 8 * 1000 / a.period_ms
            exchanges.append(
                ExchangeTiming(
                    a.id,
                    a.period_ms,
                    a.transaction.total_ms,
                    a.transaction.request_octets,
                    a.transaction.response_octets,
                    late.get(a.id, 0.0),
                    a.transaction.request_ms + a.timeout_ms,
                )
            )
    return Timing(window, True, tuple(lanes), tuple(exchanges), per_second / 100e6, "of 100 Mbit/s")


def _asked(line: Line) -> list[_Asked]:
    result = []
    for exchange in line.exchanges:
        settings = ExchangeSettings.of(exchange)
        result.append(
            _Asked(
                exchange.id,
                exchange.name,
                max(settings.period_ms, 0.001),
                settings.timeout_ms,
                transaction(settings, reply_ms(line.station)),
            )
        )
    return result


def _served(asked: list[_Asked], window: float) -> tuple[list[Block], list[Due], dict[str, float]]:
    """First due, first served, over at least the window; ties in the order of the exchanges."""
    queue = [(0.0, n) for n in range(len(asked))]
    heapq.heapify(queue)
    blocks: list[Block] = []
    dues: list[Due] = []
    late: dict[str, float] = {}
    free_at = 0.0
    # Lateness repeats with the least common period; a span of four windows meets it for usual periods.
    for _ in range(_SIMULATED_AT_MOST):
        if not queue or queue[0][0] >= 4 * window:
            break
        due, n = heapq.heappop(queue)
        item, start = asked[n], max(due, free_at)
        late[item.id] = max(late.get(item.id, 0.0), start - due)
        free_at = start + item.transaction.total_ms
        heapq.heappush(queue, (due + item.period_ms, n))
        if start < window and len(blocks) < 3 * _BLOCKS_AT_MOST:
            blocks += _blocks(item, start)
            dues.append(Due(due, start, item.id))
    return blocks, dues, late


def _blocks(item: _Asked, start: float) -> list[Block]:
    asked_until = start + item.transaction.request_ms
    answered_from = asked_until + item.transaction.reply_ms
    end = answered_from + item.transaction.response_ms
    return [
        Block(start, asked_until, "request", item.label, item.id),
        Block(asked_until, answered_from, "wait", item.label, item.id),
        Block(answered_from, end, "response", item.label, item.id),
    ]
