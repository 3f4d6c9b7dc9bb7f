"""Cables of Ethernet networks: how long each kind may be, and what passing switches and devices costs in time."""

from __future__ import annotations

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.media import ETHERNET, CableKind, Medium
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.topology import CableWay, Topology
from highmoor.core.networks.tree import cable_of
from highmoor.core.plant.rows import ClosingCable, Network, Station

_MS_A_METRE = 5e-6
# What passes frames on without a type that says how long it takes.
_PASSING_US = 10.0


def cable_kind(row: Station | ClosingCable, medium: Medium = ETHERNET) -> CableKind:
    """The kind of the cable that leads to a station; the medium's usual one unless something else is set."""
    return next((kind for kind in medium.cables if kind.key == cable_of(row)), medium.cables[0])


def _ways(reader: Reader, root: str) -> dict[str, CableWay]:
    """By station, for those of which somebody has said how they are reached."""
    bus = fieldbus_of(reader.row(root, Network).kind)
    if bus is None or not bus.medium.switches:
        return {}
    laid: Topology = reader.part("network.topology", root)
    ways = {"": CableWay((), 0.0)}
    for node in laid.nodes:
        upper = node.upstream
        passes = _passing_ms(reader.type(reader.row(upper, Station).type)) if upper else 0.0
        passed = (*ways[upper].passed, upper) if upper else ()
        ways[node.station] = CableWay(passed, ways[upper].delay_ms + passes + _MS_A_METRE * (node.length_m or 0.0))
    return {station: told for station, told in ways.items() if told.passed or told.delay_ms}


def _passing_ms(device: DeviceType | None) -> float:
    return (device.switch.delay_us if device and device.switch else _PASSING_US) / 1000


PARTS: tuple[Part, ...] = (Part("network.ways", "networks", _ways),)
