"""Transfers between controllers over EtherNet/IP: connection points of the one that is asked."""

from __future__ import annotations

from highmoor.core.errors import Refusal
from highmoor.core.figures.cip import packet
from highmoor.core.networks.ethernet_ip.settings import RPI_MS
from highmoor.core.networks.fieldbus import NewTransfer, TransferWanted

# Points of a maker's own begin at 100 (CIP volume 1, 5-5: 64hex to C7hex).
_FIRST = {"in": 100, "out": 150}
_HEARTBEAT = 199


def transfer(wanted: TransferWanted) -> NewTransfer:
    """A connection of its own: read as input only, written as exclusive owner. Raises Refusal for what none holds."""
    try:
        packet(wanted.octets, run_idle_header=not wanted.reads)
    except Refusal as refusal:
        raise Refusal(refusal.reason, field="octets", value=wanted.octets) from None
    way = "in" if wanted.reads else "out"
    rpi = {"rpi_ms": wanted.interval_ms or RPI_MS}
    carries = {"point": _point(wanted, way), "octets": wanted.octets, **rpi}
    if wanted.reads:
        return NewTransfer("input only", {"in": carries, "out": {"point": _HEARTBEAT}})
    back = {"point": _free(wanted, "in"), "octets": 0, **rpi}
    return NewTransfer("exclusive owner", {"out": carries, "in": back})


def _point(wanted: TransferWanted, way: str) -> int:
    if not wanted.place:
        return _free(wanted, way)
    if not (wanted.place.isascii() and wanted.place.isdigit() and 1 <= int(wanted.place) <= 65535):
        raise Refusal(f"“{wanted.place}” is not a connection point: a whole number 1–65535 is needed.", field="place")
    return int(wanted.place)


def _free(wanted: TransferWanted, way: str) -> int:
    space = "point O→T" if way == "out" else "point T→O"
    taken = {claim.first for claim in wanted.taken if claim.space == space}
    return next(point for point in range(_FIRST[way], 65536) if point not in taken)
