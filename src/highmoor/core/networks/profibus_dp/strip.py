"""What is drawn of a PROFIBUS network: its segments, who is at which address, a cycle of the token, what it runs by."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.figures.profibus_cycle import BITS_A_CHARACTER, request_octets, response_octets, token_bits
from highmoor.core.hardware.ports import port_spec
from highmoor.core.networks.lines import asked_lines
from highmoor.core.networks.profibus_dp.bus import Bus, BusParameter, bus_of, interval_ms
from highmoor.core.networks.profibus_dp.settings import KIND
from highmoor.core.networks.profibus_dp.wiring import Segment, delay_bits, segments
from highmoor.core.plant.rows import Network, Station

StretchKind = Literal["token", "idle", "request", "answers", "response", "gap", "slot", "rest"]


@dataclass(frozen=True, slots=True)
class Stretch:
    """A stretch of a cycle, bit times: what goes on, whose it is ("" for the master's own)."""

    kind: StretchKind
    start: int
    bits: int
    station: str


@dataclass(frozen=True, slots=True)
class OwnCycle:
    """What one station takes of a cycle: octets each way with what is around them, and its watchdog's real time."""

    station: str
    address: int
    in_octets: int
    out_octets: int
    bits: int
    typical_bits: int
    silent_ms: float
    watchdog_ms: float
    interval_ms: float


@dataclass(frozen=True, slots=True)
class DpLine:
    """All of it. Times in ms where they are called so, otherwise in bit times.

    `bits_ms` is the worst cycle as long as its telegrams take, `worst_ms` that as it is held back; `round_ms` after how
    long at the latest a station is asked again.
    """

    baud: int
    master: int
    segments: tuple[Segment, ...]
    stations: tuple[OwnCycle, ...]
    stretches: tuple[Stretch, ...]
    parameters: tuple[BusParameter, ...]
    idle: int
    typical_ms: float
    worst_ms: float
    bits_ms: float
    interval_ms: float
    rotation_ms: float
    round_ms: float
    slot_needed: int


def _line(reader: Reader, root: str) -> DpLine | None:
    network = reader.row(root, Network)
    if network.kind != KIND:
        return None
    bus = bus_of(network, asked_lines(reader, root))
    rows = [(station, reader.type(station.type)) for station in reader.children(Station, root)]
    delay = delay_bits(network, rows)
    worst, rotation = bus.cycle_ms(typical=False), bus.ms(bus.rotation)
    return DpLine(
        bus.line.baud, bus.line.master, segments(network, rows), tuple(_stations(bus)), tuple(_stretches(bus)),
        bus.parameters, bus.idle, bus.cycle_ms(typical=True), worst,
        bus.ms(bus.cycle_bits(typical=False)), bus.interval_ms, rotation, max(rotation, worst),
        slot_needed(bus, delay),
    )  # fmt: skip


def slot_needed(bus: Bus, delay: float) -> int:
    """The least slot time: there and back, the latest answer, its first character, a margin (T_SM)."""
    return -int(-(2 * delay + bus.max_tsdr + BITS_A_CHARACTER + 2 + 2 * bus.set + bus.qui) // 1)


def _stations(bus: Bus) -> Iterator[OwnCycle]:

    for station in bus.stations:
        yield OwnCycle(
            station.id, station.address or 0, station.in_octets, station.out_octets,
            bus.exchange_bits(station, bus.max_tsdr), bus.exchange_bits(station, bus.min_tsdr),
            bus.ms(bus.silent_bits(station)), station.watchdog_ms, interval_ms(station),
        )  # fmt: skip


def _stretches(bus: Bus) -> Sequence[Stretch]:
    """A cycle at its worst, in order."""
    found: list[Stretch] = []
    at = 0

    def add(kind: StretchKind, bits: int, station: str = "") -> None:
        nonlocal at
        if bits > 0:
            found.append(Stretch(kind, at, bits, station))
            at += bits

    add("idle", bus.idle)
    add("token", token_bits(bus.idle) - bus.idle)
    for station in bus.stations:
        add("idle", bus.idle, station.id)
        add("request", BITS_A_CHARACTER * request_octets(station.out_octets), station.id)
        add("answers", bus.max_tsdr, station.id)
        add("response", BITS_A_CHARACTER * response_octets(station.in_octets), station.id)
    add("idle", bus.idle)
    add("gap", BITS_A_CHARACTER * 6)
    add("slot", bus.slot)
    add("rest", round(bus.least_ms * bus.line.baud / 1000) - at)
    return found


def _headlines(result: DpLine | None, reader: Reader, root: str) -> Iterator[Headline]:
    if result is None:
        return
    spec = port_spec(reader.find, reader.type, reader.find(reader.row(root, Network).port))
    if spec is not None and spec.stations is not None:
        yield Headline(root, "stations", "Stations of the master", len(result.stations), "", spec.stations, "less")
    for segment in result.segments:
        # The fullest tells; of others nothing is short.
        if segment is max(result.segments, key=lambda one: len(one.nodes)):
            yield Headline(root, "segment", "On the fullest segment", len(segment.nodes), "", 32, "less")


PARTS: tuple[Part, ...] = (Part("profibus.line", "networks", _line, headlines=_headlines, shown=DpLine),)
