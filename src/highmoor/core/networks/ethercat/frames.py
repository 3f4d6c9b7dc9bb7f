"""The cyclic frames of EtherCAT, octet by octet. Source: ETG.1000.4, 5.2 (frame and datagram headers)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from highmoor.core.figures.ethercat import AROUND_OCTETS, HEADER_OCTETS
from highmoor.core.networks.ethercat.plan import Plan, plan
from highmoor.core.networks.ethercat.settings import LineSettings
from highmoor.core.networks.frames import Frame, FramePiece
from highmoor.core.networks.line import Line
from highmoor.core.plant.rows import Network

# Ethernet's header and that of EtherCAT.
HEAD_OCTETS = 14 + 2


def frames(network: Network, lines: Sequence[Line]) -> list[Frame]:
    """One behind the other at the beginning of every cycle; each comes back with what was read."""
    told = plan(network, lines)
    cycle = LineSettings.of(network).cycle_ms
    stations = tuple(dict.fromkeys(node.station for node in told.nodes))
    made = []
    sent = 0
    for packed in told.frames:
        octets = HEAD_OCTETS + packed.data_octets
        pieces = tuple(_pieces(told, packed.datagrams))
        made.append(Frame("", stations, octets, packed.wire_octets, cycle, pieces, sent * 80e-6))
        sent += packed.wire_octets
    return made


def _pieces(told: Plan, numbers: Sequence[int]) -> Iterator[FramePiece]:
    at = HEAD_OCTETS
    for number in numbers:
        datagram = told.datagrams[number]
        for run in datagram.runs:
            if run.exchange:
                yield FramePiece(run.exchange, at + HEADER_OCTETS + run.at, run.octets, first=run.first)
        at += AROUND_OCTETS + datagram.octets
