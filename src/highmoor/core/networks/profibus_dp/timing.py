"""A cycle of PROFIBUS DP in time: the master asks one station after the other, then one question more, then again.

Source: IEC 61158-4-3, 6.2; the figure of `figures/profibus_cycle.py`.
"""

from __future__ import annotations

from collections.abc import Sequence

from highmoor.core.figures.profibus_cycle import BITS_A_CHARACTER, request_octets, response_octets
from highmoor.core.networks.frames import Frame, FramePiece
from highmoor.core.networks.line import Line
from highmoor.core.networks.line_time import Block, Due, ExchangeTiming, Lane, TimeColumn, Timing
from highmoor.core.networks.on_demand import asked_timing, is_request
from highmoor.core.networks.profibus_dp.bus import Bus, bus_of, rate_text
from highmoor.core.networks.profibus_dp.settings import DpStation, dp_station
from highmoor.core.plant.rows import Network

COLUMNS = (
    TimeColumn("Every", "period_ms", hint="At worst: all answer as late as they may"),
    TimeColumn("Takes", "transaction_ms", hint="From the silence before the request to the last octet of the answer"),
    TimeColumn("Late", "worst_late_ms", hint="At worst, while a diagnosis is asked for between two cycles"),
    TimeColumn("One silent", "late_one_silent_ms", hint="At worst, while the station that costs most is silent"),
)
# Where data stands in a telegram: behind SD, LE, LEr, SD, DA, SA, FC.
DATA_AT = 7


def timing(network: Network, lines: Sequence[Line], silent: str = "", *, drawn: bool = True) -> Timing:
    """One cycle, a lane a station. With a station `silent`, blocks are as they are while it does not answer."""
    bus = bus_of(network, lines)
    cycle = bus.cycle_ms(typical=False)
    late = max(bus.ms(bus.diagnosis_bits - _gap(bus)), 0.0)
    costs = {station.id: max(_lost(bus, station), 0) for station in bus.stations}
    worst = max(costs, key=lambda station: costs[station], default="")
    added = bus.ms(costs.get(worst, 0))
    slack = cycle - bus.ms(bus.cycle_bits(typical=False))
    of_station = {station.id: station for station in bus.stations}
    exchanges = []
    for line in lines:
        if is_request(line.connection):
            exchanges += asked_timing(line)
            continue
        station = of_station.get(line.station.id)
        for exchange in line.exchanges if station else ():
            takes = bus.ms(bus.exchange_bits(station, bus.max_tsdr)) if station else 0.0
            exchanges.append(
                ExchangeTiming(
                    exchange.id, cycle, takes, request_octets(station.out_octets) if station else 0,
                    response_octets(station.in_octets) if station else 0, max(late - slack, 0.0),
                    bus.ms(bus.silent_bits(station)) if station else 0.0, takes, max(late + added - slack, 0.0),
                )
            )  # fmt: skip
    used = sum(bus.exchange_bits(station, bus.max_tsdr) for station in bus.stations)
    blocks = _blocks(bus, lines, silent) if drawn else {}
    return Timing(
        cycle, True,
        tuple(
            Lane(
                station.id, station.name, tuple(blocks.get(station.id, ())),
                tuple(_dues(blocks.get(station.id, ()))),
                bus.ms(bus.exchange_bits(station, bus.max_tsdr)) / cycle,
            )
            for station in bus.stations
        ),
        tuple(exchanges), bus.ms(used) / cycle if cycle else 0.0,
        f"of the cycle is data at {rate_text(bus.line.baud)}", "token-cycle", cycle,
        max(cycle + added - slack, cycle) if worst else None, of_station[worst].name if worst else "",
    )  # fmt: skip


def _gap(bus: Bus) -> int:
    return bus.idle + BITS_A_CHARACTER * 6 + bus.slot


def _lost(bus: Bus, station: DpStation) -> int:
    """What its silence adds to a cycle."""
    return bus.silent_bits(station) - bus.exchange_bits(station, bus.max_tsdr)


def _dues(blocks: Sequence[Block]) -> list[Due]:
    return [Due(block.start_ms, block.start_ms, exchange) for block in blocks[:1] for exchange in block.exchanges]


def _blocks(bus: Bus, lines: Sequence[Line], silent: str) -> dict[str, list[Block]]:
    """Each station's request, wait and answer; the token goes before them."""
    cyclic = [line for line in lines if not is_request(line.connection)]
    exchanges = {line.station.id: {x.direction: x.id for x in line.exchanges} for line in cyclic}
    found: dict[str, list[Block]] = {}
    bits = bus.idle + BITS_A_CHARACTER * 3
    for station in bus.stations:
        own = found[station.id] = []
        ids = exchanges.get(station.id, {})
        takes, gives = (tuple(x for x in [ids.get(way, "")] if x) for way in ("out", "in"))
        request = BITS_A_CHARACTER * request_octets(station.out_octets)
        if station.id == silent:
            for n in range(bus.retries + 1):
                bits += bus.idle
                own.append(Block(bus.ms(bits), bus.ms(bits + request), "request", "asked" if not n else "again", takes))
                own.append(Block(bus.ms(bits + request), bus.ms(bits + request + bus.slot), "time-out", "", ()))
                bits += request + bus.slot
            continue
        bits += bus.idle
        own.append(Block(bus.ms(bits), bus.ms(bits + request), "request", "", takes or gives))
        bits += request
        own.append(Block(bus.ms(bits), bus.ms(bits + bus.max_tsdr), "wait", "", ()))
        bits += bus.max_tsdr
        answer = BITS_A_CHARACTER * response_octets(station.in_octets)
        own.append(Block(bus.ms(bits), bus.ms(bits + answer), "response", "", gives or takes))
        bits += answer
    return found


def frames(network: Network, lines: Sequence[Line]) -> list[Frame]:
    """A request to each station and its answer in every cycle."""
    bus = bus_of(network, lines)
    period = bus.cycle_ms(typical=False)
    known = {station.id for station in bus.stations}
    made = []
    for line in lines:
        station = dp_station(line)
        if station.id not in known or is_request(line.connection):
            continue
        ids = {exchange.direction: exchange.id for exchange in line.exchanges}
        request, answer = request_octets(station.out_octets), response_octets(station.in_octets)
        made.append(Frame("", (station.id,), request, request, period, _pieces(ids.get("out"), station.out_octets)))
        made.append(Frame(station.id, (), answer, answer, period, _pieces(ids.get("in"), station.in_octets)))
    return made


def _pieces(exchange: str | None, octets: int) -> tuple[FramePiece, ...]:
    return (FramePiece(exchange, DATA_AT, octets),) if exchange and octets else ()
