"""A cycle of EtherCAT in time: how long its frames take on the wire, in devices and cables, and what that leaves."""

from __future__ import annotations

from collections.abc import Sequence

from highmoor.core.networks.ethercat.plan import plan
from highmoor.core.networks.ethercat.settings import LineSettings
from highmoor.core.networks.line import Line
from highmoor.core.networks.line_time import EVERY, Block, ExchangeTiming, Lane, TimeColumn, Timing
from highmoor.core.networks.on_demand import asked_timing, is_request
from highmoor.core.plant.rows import Network

COLUMNS = (
    EVERY,
    TimeColumn("Back after", "transaction_ms", "µs", hint="From the first octet out to the last one back"),
)


def timing(network: Network, lines: Sequence[Line], silent: str = "", *, drawn: bool = True) -> Timing:
    """All process data in every cycle, requests beside it. A silent device costs no time: the frame passes by it."""
    told = plan(network, lines)
    cycle = LineSettings.of(network).cycle_ms
    back_ms = float(told.cycle_us) / 1000
    load = back_ms / cycle
    sent = sum(frame.wire_octets for frame in told.frames)
    exchanges = tuple(
        ExchangeTiming(exchange.id, cycle, back_ms, sent, 0, 0.0, 0.0, back_ms, 0.0)
        for line in lines
        if not is_request(line.connection)
        for exchange in line.exchanges
    )
    asked = tuple(told for line in lines if is_request(line.connection) for told in asked_timing(line))
    lane = Lane(network.id, "Frames", _blocks(network, lines) if drawn else (), (), load)
    return Timing(
        cycle, True, (lane,) if told.frames else (), (*exchanges, *asked), load, "of the cycle", "cyclic-frame",
        cycle_ms=back_ms, silent=silent,
    )  # fmt: skip


def _blocks(network: Network, lines: Sequence[Line]) -> tuple[Block, ...]:
    told = plan(network, lines)
    blocks = []
    start = 0.0
    beyond = float(told.forward_us + told.cable_us) / 1000
    for number, frame in enumerate(told.frames, start=1):
        carried = {r.exchange for n in frame.datagrams for r in told.datagrams[n].runs if r.exchange}
        end = start + frame.wire_octets * 80e-6
        blocks.append(Block(start, end, "request", f"frame {number}", tuple(sorted(carried))))
        start = end
    if blocks:
        blocks.append(Block(start, start + beyond, "wait", "in devices and cables", ()))
    return tuple(blocks)
