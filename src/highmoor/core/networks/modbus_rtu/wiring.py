"""The line as it is laid: its length, its ends, its loads.

Source: Modbus over Serial Line 1.02, 3.4 (TIA/EIA-485: 32 unit loads, termination at both ends, polarization at one
point, trunk up to 1000 m at 9600 bit/s, half of it where four wires serve as two, taps up to 20 m) and 3.5 (category 5:
600 m); baud × length ≤ 10⁸ bit/s·m as a guide of RS-485 practice.
"""

from __future__ import annotations

from collections.abc import Iterable

from highmoor.core.networks.line_time import RouteFacts, RouteNode
from highmoor.core.networks.modbus_rtu.settings import (
    LINE_CABLES,
    LineCable,
    StationWiring,
    line_cable,
    line_settings,
    port_biased,
    port_terminated,
)
from highmoor.core.plant.rows import Network, Station

LOADS_AT_MOST = 32
BIAS_LOADS = 4
TAP_AT_MOST_M = 20
_RATE_TIMES_LENGTH = 100_000_000


def route(network: Network, stations: Iterable[Station]) -> RouteFacts:
    """The line with its stations in the order of the cable; the port is its beginning. Everybody is nowhere on it."""
    nodes = [RouteNode("", 0, 0, port_terminated(network), port_biased(network))]
    loads = 1.0
    for station in stations:
        if station.address != "0":
            own = StationWiring.of(station)
            nodes.append(RouteNode(station.id, own.length_m, own.tap_m, own.terminated, own.biased))
            loads += own.unit_load
    loads += BIAS_LOADS * sum(node.biased for node in nodes)
    length = sum(node.length_m for node in nodes)
    most = length_at_most_m(line_settings(network).baud, line_cable(network))
    return RouteFacts(tuple(nodes), length, most, loads, LOADS_AT_MOST)


def length_at_most_m(baud: int, cable: LineCable = LINE_CABLES[0]) -> float:
    """How long a trunk may be: what its cable bears up to 9600 bit/s, beyond that what rate times length allows."""
    return min(cable.trunk_at_most_m, _RATE_TIMES_LENGTH / baud)
