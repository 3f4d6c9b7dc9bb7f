"""Packets of EtherNet/IP in time: every packet of every connection on the controller's link, each direction by itself.

Packets are sent at their intervals whoever else sends. How the senders' moments lie to one another is chance; drawn is
the worst, that all begin together, and a packet then waits at most for one of every other stream of its direction: in
a queue served in order, with less than 100 % asked, no moment is worse (busy period of synchronous release).
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Literal

from highmoor.core.errors import Refusal
from highmoor.core.figures import cip
from highmoor.core.networks.ethernet_ip.settings import Way, agreement
from highmoor.core.networks.line import Line
from highmoor.core.networks.line_time import (
    EVERY,
    MS_AN_OCTET,
    Block,
    Due,
    ExchangeTiming,
    Lane,
    TimeColumn,
    Timing,
)
from highmoor.core.networks.on_demand import asked_timing, is_request
from highmoor.core.plant.rows import Network

_LINK_BIT_S = 100e6
_PACKETS_AT_MOST = 720

_DRAWN: dict[str, tuple[Literal["request", "response"], str]] = {"in": ("response", "T→O"), "out": ("request", "O→T")}

COLUMNS = (
    EVERY,
    TimeColumn("Takes", "transaction_ms", "µs", hint="One packet on the wire"),
    TimeColumn("Queued", "worst_late_ms", "µs", 3, "At worst, behind the packets of all others"),
    TimeColumn("Gives up", "silent_cost_ms", hint="The connection is given up after so much silence"),
)


@dataclass(frozen=True, slots=True)
class Sent:
    """One direction's packets: octets on the wire and the interval, ms.

    What is sent to all who listen is one stream, whoever hears it: for all but the first that hear it is `shared`.
    """

    line: Line
    way: Way
    wire_octets: int
    timeout_ms: float
    shared: bool = False
    wire_ms: float = field(init=False)
    """How long one packet takes."""
    packets_per_s: float = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "wire_ms", self.wire_octets * MS_AN_OCTET)
        object.__setattr__(self, "packets_per_s", 1000 / self.way.rpi_ms)

    @property
    def bit_per_s(self) -> float:
        """What its packets take of the link."""
        return 8 * self.wire_octets * self.packets_per_s


@lru_cache(maxsize=4096)
def wire_octets(octets: int, header: bool) -> int:
    """Octets of a packet on the wire; beyond what one frame holds, as many as it would take."""
    try:
        return cip.packet(octets, run_idle_header=header).wire_octets
    except Refusal:
        return cip.PACKET_OVERHEAD_OCTETS + octets + (cip.HEADER_OCTETS if header else 0)


def sent_by(line: Line) -> tuple[Sent, ...]:
    """Both directions of a cyclic connection; a request sends nothing by itself."""
    return line.once(_sent)


def _sent(line: Line) -> tuple[Sent, ...]:
    if is_request(line.connection):
        return ()
    told = agreement(line)
    return tuple(Sent(line, way, _wire(way), told.timeout_ms(way)) for way in told.ways)


def _wire(way: Way) -> int:
    return wire_octets(way.octets, way.header)


def streams(lines: Sequence[Line]) -> list[Sent]:
    """Both directions of every cyclic connection, in route order."""
    sent = [sent for line in lines for sent in sent_by(line)]
    heard: set[tuple[str, int | None]] = set()
    for n, one in enumerate(sent):
        if one.way.direction == "in" and one.way.transfer == "multicast":
            stream = (one.line.station.address or one.line.station.id, one.way.point)
            sent[n] = replace(one, shared=stream in heard)
            heard.add(stream)
    return sent


def timing(network: Network, lines: Sequence[Line], silent: str = "", *, drawn: bool = True) -> Timing:
    """A lane a station over two of the longest intervals, as far as they can be drawn.

    From an adapter that is `silent` nothing comes; packets go to it until its time-outs here are over.
    """
    everything = streams(lines)
    sent = [s for s in everything if not s.shared]
    rate = sum(s.packets_per_s for s in sent)
    longest = max((s.way.rpi_ms for s in sent), default=500.0)
    shortest = min((s.way.rpi_ms for s in sent), default=500.0)
    window = max(min(2 * longest, 1000 * _PACKETS_AT_MOST / rate if rate else 1000), 2 * shortest)
    blocks, dues = _packets(sent, window, silent) if drawn else ({}, {})
    queue_ms = {way: sum(s.wire_ms for s in sent if s.way.direction == way) for way in ("in", "out")}
    use = {way: sum(s.bit_per_s for s in sent if s.way.direction == way) / _LINK_BIT_S for way in ("in", "out")}
    by_station: dict[str, list[Sent]] = {}
    for one in sent:
        by_station.setdefault(one.line.station.id, []).append(one)
    lanes: dict[str, Lane] = {}
    for line in lines:
        if line.station.id not in lanes:
            lanes[line.station.id] = _lane(line, by_station.get(line.station.id, []), blocks, dues)
    exchanges = [_timed(s, queue_ms[s.way.direction]) for s in everything if s.way.exchange]
    exchanges += [t for line in lines if is_request(line.connection) for t in asked_timing(line)]
    return Timing(
        window, True, tuple(lanes.values()), tuple(exchanges), max(use.values()),
        "of 100 Mbit/s " + ("into" if use["in"] >= use["out"] else "out of") + " the controller",
        "senders", whole=max(use.values()) <= 1, packets_per_s=rate,
    )  # fmt: skip


def _lane(line: Line, own: list[Sent], blocks: dict[str, list[Block]], dues: dict[str, list[Due]]) -> Lane:
    """A station's packets; how busy it is against the packets its file says it bears."""
    rate = sum(s.packets_per_s for s in own)
    bears = line.device.limits.packets_per_s if line.device else None
    used = rate / bears if bears else sum(s.bit_per_s for s in own) / _LINK_BIT_S
    key = line.station.id
    return Lane(key, line.station.name, tuple(blocks.get(key, ())), tuple(dues.get(key, ())), used, rate)


def _packets(sent: Sequence[Sent], window: float, silent: str) -> tuple[dict[str, list[Block]], dict[str, list[Due]]]:
    """Packets within the window, one behind the other where they meet on the controller's link."""
    blocks: dict[str, list[Block]] = {}
    dues: dict[str, list[Due]] = {}
    # A connection ends for both when the scanner has waited for its time-out.
    mute = {n for n, s in enumerate(sent) if s.line.station.id == silent and s.way.direction == "in"}
    ends = {sent[n].line.connection.id: sent[n].timeout_ms for n in mute}
    for item in (sent[n] for n in mute):
        waits = Block(0.0, min(item.timeout_ms, window), "time-out", "T→O", (item.way.exchange,))
        blocks.setdefault(silent, []).append(waits)
    # What is read at every packet is put beside one another first.
    ways = [
        (
            s.way.direction, s.line.station.id, (s.way.exchange,), s.wire_ms, s.way.rpi_ms,
            ends.get(s.line.connection.id, math.inf),
        )
        for s in sent
    ]  # fmt: skip
    queue = [(0.0, n) for n in range(len(sent)) if n not in mute]
    heapq.heapify(queue)
    free = {"in": 0.0, "out": 0.0}
    for _ in range(2 * _PACKETS_AT_MOST):
        if not queue or queue[0][0] >= window:
            break
        due, n = queue[0]
        way, lane, exchanges, wire_ms, rpi_ms, end = ways[n]
        if due >= end:
            heapq.heappop(queue)
            continue
        start = max(due, free[way])
        free[way] = start + wire_ms
        kind, label = _DRAWN[way]
        if lane not in blocks:
            blocks[lane] = []
        if lane not in dues:
            dues[lane] = []
        blocks[lane].append(Block(start, free[way], kind, label, exchanges))
        dues[lane].append(Due(due, start, exchanges[0]))
        heapq.heapreplace(queue, (due + rpi_ms, n))
    return blocks, dues


def _timed(sent: Sent, queue_ms: float) -> ExchangeTiming:
    """A packet's own time, the worst queue before it, and after how long its silence is noticed."""
    octets = (sent.wire_octets, 0) if sent.way.direction == "out" else (0, sent.wire_octets)
    late = queue_ms - sent.wire_ms
    return ExchangeTiming(
        sent.way.exchange, sent.way.rpi_ms, sent.wire_ms, *octets, late, sent.timeout_ms, 0.0, late
    )  # fmt: skip
