"""The cyclic packets of EtherNet/IP: a UDP datagram each (CIP volume 2, 2-6 and 3-2.1). Requests take no part here."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from highmoor.core.figures.cip import HEADER_OCTETS, PACKET_OVERHEAD_OCTETS
from highmoor.core.networks.ethernet_ip.timing import Sent, streams
from highmoor.core.networks.frames import Frame, FramePiece
from highmoor.core.networks.line import Line
from highmoor.core.plant.rows import Network

# Preamble, check sequence and gap, which no analyser shows.
_UNSEEN_OCTETS = 24
_BEFORE_DATA = PACKET_OVERHEAD_OCTETS - _UNSEEN_OCTETS


def frames(_: Network, lines: Sequence[Line]) -> list[Frame]:
    """A frame a direction; what one station sends to all who listen is one, whoever hears it."""
    made: list[Frame] = []
    heard: dict[tuple[str, int | None], int] = {}
    for sent in streams(lines):
        way, station = sent.way, sent.line.station
        stream = (station.address or station.id, way.point)
        if sent.shared:
            n = heard[stream]
            made[n] = replace(made[n], pieces=(*made[n].pieces, *_pieces(sent)))
            continue
        into, to_all = way.direction == "in", way.transfer == "multicast"
        if into and to_all:
            heard[stream] = len(made)
        made.append(
            Frame(
                station.id if into else "", () if into else (station.id,), sent.wire_octets - _UNSEEN_OCTETS,
                sent.wire_octets, way.rpi_ms, _pieces(sent), to_all=to_all,
            )
        )  # fmt: skip
    return made


def _pieces(sent: Sent) -> tuple[FramePiece, ...]:
    """Behind the sequence count, and the run/idle header where there is one."""
    way = sent.way
    at = _BEFORE_DATA + (HEADER_OCTETS if way.header else 0)
    return (FramePiece(way.exchange, at, way.octets),) if way.exchange and way.octets else ()
