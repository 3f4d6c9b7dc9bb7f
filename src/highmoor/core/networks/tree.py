"""How the cables of an Ethernet network run: switches, stars, chains through devices, and what each cable carries.

Every station has one cable towards the controller's port. A switch that does not snoop sends multicast out of all its
other sockets (IEEE 802.1D, RFC 4541), so that it reaches links whose devices have no use for it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.analysis.engine import Reader
from highmoor.core.catalogue.media import ETHERNET
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.line_time import Traffic
from highmoor.core.networks.topology import Closing, Topology
from highmoor.core.plant.rows import ClosingCable, Station

LINK_MBIT_S = 100.0
# A switched link that is more than half full queues.
QUEUES_ABOVE = 0.5
# What a cable is unless another kind is set: not of glass.
COPPER = ETHERNET.cables[0].key


@dataclass(frozen=True, slots=True)
class TreeNode:
    """A station and the cable towards it; `upstream` "" is the controller's port, `socket` counts there from 1, `entry`
    among its own.

    Mbit/s on that cable, towards the controller and away from it; `flood_*` is the multicast of others among the
    latter. `sockets` is None where nobody says how many there are.
    """

    station: str
    upstream: str
    socket: int
    entry: int
    sockets: int | None
    switch: bool
    snoops: bool
    in_mbit_s: float
    out_mbit_s: float
    flood_mbit_s: float
    flood_packets_s: float
    packets_s: float
    length_m: float | None
    fibre: bool = False
    load: float = 0.0
    """The fuller direction of the cable, 1 for all it can carry."""
    full: bool = False
    """Whether frames queue on it."""


@dataclass(frozen=True, slots=True)
class NetworkTree:
    """All stations, each behind what its cable comes from. `said` is False while nobody has said how the cables run:
    then all are taken to hang on one plain switch that is not in the plant."""

    nodes: tuple[TreeNode, ...]
    said: bool
    closings: tuple[Closing, ...] = ()


def cable_of(row: Station | ClosingCable) -> str:
    """The key of the kind of cable that leads to a station, or of one that closes a ring."""
    return str(row.settings.get("cable") or COPPER)


def network_tree(reader: Reader, network: str) -> NetworkTree:
    """How an Ethernet network's cables run, and what its stations put on each."""
    laid: Topology = reader.part("network.topology", network)
    types = {node.station: reader.type(reader.row(node.station, Station).type) for node in laid.nodes}
    said = any(node.upstream for node in laid.nodes) or any(device and device.switch for device in types.values())
    walk = _Walk(laid, types, reader.part("network.traffic", network), said=said)
    return NetworkTree(tuple(walk.nodes()), said, laid.closings)


class _Walk:
    """Sums over subtrees from below, floods from above."""

    def __init__(
        self, laid: Topology, types: dict[str, DeviceType | None], traffic: tuple[Traffic, ...], *, said: bool
    ) -> None:
        self.laid, self.types, self.said = laid, types, said
        own = {told.station: told for told in traffic}
        self.own = {station: own.get(station, Traffic(station, 0, 0)) for station in types}
        self.below: dict[str, list[str]] = {"": []}
        for node in laid.nodes:
            self.below.setdefault(node.upstream, []).append(node.station)
        self.sums: dict[str, Traffic] = {}
        for node in reversed(laid.nodes):
            self.sums[node.station] = self._sum(node.station)

    def _sum(self, station: str) -> Traffic:
        parts = [self.own[station], *(self.sums[child] for child in self.below.get(station, []))]
        return Traffic(
            station,
            sum(p.in_mbit_s for p in parts),
            sum(p.out_mbit_s for p in parts),
            sum(p.multicast_mbit_s for p in parts),
            sum(p.multicast_packets_s for p in parts),
        )

    def nodes(self) -> Iterator[TreeNode]:
        """Every station with what its cable carries."""
        flood: dict[str, tuple[float, float]] = {}
        for cabled in self.laid.nodes:
            station, upper = cabled.station, cabled.upstream
            flood[station] = self._flood(station, upper, flood)
            device, total = self.types[station], self.sums[station]
            switch = device.switch if device else None
            away_mbit_s = total.out_mbit_s + flood[station][0]
            load = max(total.in_mbit_s, away_mbit_s) / LINK_MBIT_S
            yield TreeNode(
                station, upper, cabled.socket, cabled.entry, device.sockets if device else None,
                switch is not None, bool(switch and switch.snoops),
                total.in_mbit_s, away_mbit_s, *flood[station],
                self.own[station].packets_s, cabled.length_m, cabled.cable not in ("", COPPER),
                load, load > QUEUES_ABOVE,
            )  # fmt: skip

    def _flood(self, station: str, upper: str, flood: dict[str, tuple[float, float]]) -> tuple[float, float]:
        """Multicast of others that comes out towards a station: of its siblings, and of all above them."""
        device = self.types.get(upper)
        if (upper and device and device.switch and device.switch.snoops) or (not upper and self.said):
            return 0.0, 0.0
        others = [self.sums[s] for s in self.below[upper] if s != station]
        others += [self.own[upper]] if upper else []
        from_above = flood.get(upper, (0.0, 0.0))
        return (
            from_above[0] + sum(o.multicast_mbit_s for o in others),
            from_above[1] + sum(o.multicast_packets_s for o in others),
        )
