"""The line as it is laid: segments that repeaters join, with their ends, lengths, stubs and how many hang on each.

Source: IEC 61158-2, 22 (RS-485, cable of type A); IEC 61784-5-3 (installation): 32 on a segment, repeaters counted in
each they touch, at most 9 in a row, a powered terminator at both ends and nowhere else.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from highmoor.core.catalogue.media import PROFIBUS
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.profibus_dp.settings import LineSettings, Wiring
from highmoor.core.plant.rows import Network, Station

ON_A_SEGMENT, REPEATERS_IN_A_ROW = 32, 9
# From this rate on a metre lies between two stations, and stubs together are no longer; above it there are none.
STUB_RATE, STUBS_AT_MOST_M, APART_AT_LEAST_M = 1_500_000, 6.6, 1.0
# What a signal takes of copper, ns/m.
NS_A_METRE = 5


@dataclass(frozen=True, slots=True)
class OnSegment:
    """Who hangs on a segment: the port (`row` ""), a station, a repeater; where, m from the segment's beginning.

    `at_end` says that the segment ends there, so that it has to be terminated.
    """

    row: str
    name: str
    address: str
    at_m: float
    stub_m: float
    terminated: bool
    at_end: bool
    repeats: bool
    setting: str


@dataclass(frozen=True, slots=True)
class Segment:
    """A stretch of cable from one end to the other."""

    nodes: tuple[OnSegment, ...]
    length_m: float
    at_most_m: float

    @property
    def stubs_m(self) -> float:
        """All of them together."""
        return sum(node.stub_m for node in self.nodes)


def segments(network: Network, stations: Iterable[tuple[Station, DeviceType | None]]) -> tuple[Segment, ...]:
    """In order from the port; each repeater ends one and begins the next."""
    line = LineSettings.of(network)
    most = PROFIBUS.segment_at_most_m(line.baud)
    found: list[Segment] = []
    nodes = [OnSegment("", "", "", 0, 0, line.terminated, True, False, "settings.terminated")]
    at = 0.0
    for station, device in stations:
        repeats = device is not None and device.repeater is not None
        own = Wiring.of(station.settings, repeats=repeats)
        at += own.length_m
        nodes.append(
            OnSegment(
                station.id, station.name, station.address, at, own.stub_m, own.terminated, repeats, repeats,
                "settings.terminated",
            )
        )  # fmt: skip
        if repeats:
            found.append(Segment(tuple(nodes), at, most))
            at = 0.0
            nodes = [
                OnSegment(
                    station.id, station.name, "", 0, 0, own.terminated_behind, True, True, "settings.terminated_behind"
                )
            ]  # fmt: skip
    found.append(Segment(tuple(_ended(nodes)), at, most))
    return tuple(found)


def _ended(nodes: list[OnSegment]) -> list[OnSegment]:
    """The last one is an end; a repeater with nothing behind it has no segment there to end."""

    if len(nodes) > 1:
        nodes[-1] = replace(nodes[-1], at_end=True)
    return nodes


def delay_bits(network: Network, stations: Iterable[tuple[Station, DeviceType | None]]) -> float:
    """How long a signal is under way from the port to the far end, in bit times: cable and repeaters (T_TD)."""
    baud = LineSettings.of(network).baud
    bits = 0.0
    for station, device in stations:
        repeater = device.repeater if device else None
        bits += Wiring.of(station.settings, repeats=repeater is not None).length_m * NS_A_METRE * baud / 1e9
        bits += repeater.delay_bits if repeater else 0
    return bits
