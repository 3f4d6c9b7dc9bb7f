"""How the cables of an Ethernet network run: switches, stars, chains through devices, and what each cable carries.

Every station has one cable towards the controller's port. A switch that does not snoop sends multicast out of all its
other sockets (IEEE 802.1D, RFC 4541), so that it reaches links whose devices have no use for it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import count

from highmoor.core.analysis.engine import Reader
from highmoor.core.catalogue.media import ETHERNET
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.line_time import Traffic
from highmoor.core.plant.rows import ClosingCable, Station

LINK_MBIT_S = 100.0
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

    @property
    def load(self) -> float:
        """The fuller direction of the cable, 1 for all it can carry."""
        return max(self.in_mbit_s, self.out_mbit_s) / LINK_MBIT_S


@dataclass(frozen=True, slots=True)
class Closing:
    """A cable that closes a ring: its ends ("" for the controller's port), the sockets there, how many stations the
    ring passes; 0 where it closes none, because an end is on another network."""

    cable: str
    one: str
    other: str
    one_socket: int
    other_socket: int
    ring: int
    length_m: float | None


@dataclass(frozen=True, slots=True)
class NetworkTree:
    """All stations, each behind what its cable comes from. `said` is False while nobody has said how the cables run:
    then all are taken to hang on one plain switch that is not in the plant."""

    nodes: tuple[TreeNode, ...]
    said: bool
    closings: tuple[Closing, ...] = ()

    def cables_at(self) -> Counter[str]:
        """How many cables each station would take."""
        ends = [end for closing in self.closings for end in (closing.one, closing.other)]
        return Counter(ends) + Counter(s for node in self.nodes for s in (node.station, node.upstream) if s)


def cable_of(row: Station | ClosingCable) -> str:
    """The key of the kind of cable that leads to a station, or of one that closes a ring."""
    return str(row.settings.get("cable") or COPPER)


def entry_of(station: Station) -> int:
    """Which of a station's own sockets its cable comes in at: the first, unless it is said."""
    return station.entry or 1


def upstream_of(station: Station, stations: dict[str, Station]) -> str:
    """The station its cable comes from, "" for the port: what hangs in a ring or on another network hangs there."""
    seen = {station.id}
    at = stations.get(station.upstream or "")
    while at is not None:
        if at.id in seen:
            return ""
        seen.add(at.id)
        at = stations.get(at.upstream or "")
    return station.upstream if station.upstream in stations else ""


def network_tree(reader: Reader, network: str) -> NetworkTree:
    """How an Ethernet network's cables run, and what its stations put on each."""
    rows = {station.id: station for station in reader.children(Station, network)}
    types = {station.id: reader.type(station.type) for station in rows.values()}
    traffic: tuple[Traffic, ...] = reader.part("network.traffic", network)
    above = {station.id: upstream_of(station, rows) for station in rows.values()}
    said = any(above.values()) or any(device and device.switch for device in types.values())
    closing = reader.children(ClosingCable, network)
    walk = _Walk(rows, types, above, traffic, closing, said=said)
    return NetworkTree(tuple(walk.nodes()), said, tuple(walk.closed()))


class _Walk:
    """Sums over subtrees from below, floods from above."""

    def __init__(
        self, rows: dict[str, Station], types: dict[str, DeviceType | None], above: dict[str, str],
        traffic: tuple[Traffic, ...], closing: list[ClosingCable], *, said: bool,
    ) -> None:  # fmt: skip
        self.rows, self.types, self.above, self.said, self.closing = rows, types, above, said, closing
        own = {told.station: told for told in traffic}
        self.own = {station: own.get(station, Traffic(station, 0, 0)) for station in rows}
        self.below: dict[str, list[str]] = {"": []}
        for station, upper in above.items():
            self.below.setdefault(upper, []).append(station)
        self.sums: dict[str, Traffic] = {}
        for station in reversed(list(self._down())):
            self.sums[station] = self._sum(station)
        ends = {cable.one for cable in closing} | {cable.other or "" for cable in closing}
        self.sockets = {key: socket for at in {*self.below, *ends} for key, socket in self._sockets_at(at)}

    def _down(self) -> Iterator[str]:
        """Stations from the port outwards, each behind what it hangs on."""
        waiting = list(reversed(self.below[""]))
        while waiting:
            station = waiting.pop()
            yield station
            waiting += reversed(self.below.get(station, []))

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
        for station in self._down():
            upper = self.above[station]
            flood[station] = self._flood(station, upper, flood)
            row, device, total = self.rows[station], self.types[station], self.sums[station]
            switch = device.switch if device else None
            length = row.settings.get("length_m")
            yield TreeNode(
                station, upper, self.sockets[station, ""], entry_of(row), device.sockets if device else None,
                switch is not None, bool(switch and switch.snoops),
                total.in_mbit_s, total.out_mbit_s + flood[station][0], *flood[station],
                self.own[station].packets_s, length if isinstance(length, int | float) else None,
                cable_of(row) != COPPER,
            )  # fmt: skip

    def _sockets_at(self, upper: str) -> Iterator[tuple[tuple[str, str], int]]:
        """The socket of each that is plugged in there, by station or by end of a closing cable: as it is said, or the
        lowest that is left."""
        said = {(station, ""): self.rows[station].socket for station in self.below.get(upper, ())}
        said |= {(cable.id, "one"): cable.one_socket for cable in self.closing if cable.one == upper}
        said |= {(cable.id, "other"): cable.other_socket for cable in self.closing if (cable.other or "") == upper}
        taken = {socket for socket in said.values() if socket}
        if upper in self.rows:
            taken.add(entry_of(self.rows[upper]))
        left = (socket for socket in count(1) if socket not in taken)
        for plug, socket in said.items():
            yield plug, socket or next(left)

    def closed(self) -> Iterator[Closing]:
        """Every cable that closes a ring."""
        for cable in self.closing:
            length = cable.settings.get("length_m")
            yield Closing(
                cable.id, cable.one, cable.other or "", self.sockets[cable.id, "one"], self.sockets[cable.id, "other"],
                self._ring(cable), length if isinstance(length, int | float) else None,
            )  # fmt: skip

    def _ring(self, cable: ClosingCable) -> int:
        """How many stations the ring passes: what lies above both ends but not above either alone is not of it."""
        if cable.one not in self.rows or (cable.other and cable.other not in self.rows):
            return 0
        one, other = ([*self._upwards(end)] for end in (cable.one, cable.other or ""))
        shared = len({*one} & {*other})
        return len(one) + len(other) - 2 * shared + (1 if shared else 0)

    def _upwards(self, station: str) -> Iterator[str]:
        while station:
            yield station
            station = self.above[station]

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
