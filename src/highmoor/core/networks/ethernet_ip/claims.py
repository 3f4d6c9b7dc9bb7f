"""Which connection points of a device the exchanges of a connection use."""

from __future__ import annotations

from highmoor.core.networks.ethernet_ip.settings import agreement
from highmoor.core.networks.fieldbus import Claim
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import is_request


def claims(line: Line) -> tuple[Claim, ...]:
    """A claim a direction with data; those who hear a point do each other no harm, nor do redundant owners."""
    if is_request(line.connection):
        return ()
    told = agreement(line)
    shared = told.application == "redundant owner"
    return tuple(
        Claim(
            "point O→T" if way.direction == "out" else "point T→O", way.point, way.point + 1, way.exchange,
            "settings.point", way.direction == "out", shared,
        )
        for way in told.ways
        if way.exchange and way.point is not None and not way.heartbeat
    )  # fmt: skip
