"""How a network is cabled, whatever its medium: who hangs on whom, in which sockets, how many metres apart.

On a switched medium the cables run as a tree from the controller's port; on a line each station hangs on the one before
it. Cables that close a ring stand beside.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from itertools import count
from typing import Any, NamedTuple

from highmoor.core.catalogue.media import Medium
from highmoor.core.networks.line_time import MS_AN_OCTET
from highmoor.core.plant.rows import ClosingCable, Station


@dataclass(frozen=True, slots=True)
class Cabled:
    """A station and the cable towards it; `upstream` "" is the controller's port, `socket` counts there from 1, `entry`
    among its own. `cable` is the key of its kind, "" for the usual one.

    `length_m` is None where nobody has said it; `distance_m` to the port is of what is said.
    """

    station: str
    upstream: str
    socket: int
    entry: int
    length_m: float | None
    distance_m: float
    cable: str


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
class Topology:
    """All stations from the port outwards, each behind what it hangs on, and the cables that close rings."""

    nodes: tuple[Cabled, ...]
    closings: tuple[Closing, ...] = ()

    def cables_at(self) -> Counter[str]:
        """How many cables each station takes."""
        ends = [end for closing in self.closings for end in (closing.one, closing.other)]
        return Counter(ends) + Counter(s for node in self.nodes for s in (node.station, node.upstream) if s)

    def apart_m(self, one: str, other: str) -> float:
        """Metres of cable between two stations, "" for the port: up to where both hang, and down."""
        at = {node.station: node for node in self.nodes}
        first, second = ([*_upwards(end, at), ""] for end in (one, other))
        meet = next(station for station in first if station in second)
        far = [at[end].distance_m if end else 0.0 for end in (one, other)]
        return sum(far) - 2 * (at[meet].distance_m if meet else 0.0)


def _upwards(station: str, at: Mapping[str, Cabled]) -> Iterator[str]:
    while station:
        yield station
        station = at[station].upstream


def entry_of(station: Station) -> int:
    """Which of a station's own sockets its cable comes in at: the first, unless it is said."""
    return station.entry or 1


def uppers(stations: Iterable[Station], *, chained: bool = False) -> dict[str, str]:
    """By station what its cable comes from, "" for the port: what hangs in a ring or on another network hangs there.

    Of which nothing is said, it hangs on the port, or where they are `chained` on the one before it.
    """
    rows = {station.id: station for station in stations}
    told = {station.id: station.upstream if station.upstream in rows else None for station in rows.values()}
    if chained:
        told = {row: upper or last or None for (row, upper), last in zip(told.items(), ("", *rows), strict=False)}
    # Whether the way up from a station ends, found once for all who are on it.
    ends: dict[str, bool] = {}
    for station in told:
        way: dict[str, bool] = {}
        at: str | None = station
        while at is not None and at not in ends and at not in way:
            way[at] = True
            at = told[at]
        ends |= dict.fromkeys(way, at is None or ends.get(at, False))
    return {station: upper if upper and ends[station] else "" for station, upper in told.items()}


# With preamble and gap.
FULL_FRAME_MS = 1538 * MS_AN_OCTET


@dataclass(frozen=True, slots=True)
class CableWay:
    """What lies between a station and the controller's port: who passes frames on, and how long that takes, ms.

    `delay_ms` is without the frame's own time; each of those it passes may have a full frame to finish first.
    """

    passed: tuple[str, ...]
    delay_ms: float

    @property
    def waits_ms(self) -> float:
        """The longest that frames of others are in the way."""
        return len(self.passed) * FULL_FRAME_MS


class Beyond(NamedTuple):
    """What is drawn at the other end of the cable in a station's socket: whom, None for the controller, and in which of
    his."""

    socket: int
    station: Station | None
    other: int


def beyond_of(
    medium: Medium, stations: Iterable[Station], closing: Iterable[ClosingCable] = ()
) -> dict[str, list[Beyond]]:
    """By station, the cables in its sockets as they are drawn, by their numbers."""
    rows = {station.id: station for station in stations}
    laid = topology(medium, rows.values(), closing)
    found: dict[str, list[Beyond]] = {}
    cables = [(node.station, node.entry, node.upstream, node.socket) for node in laid.nodes]
    cables += [(one.one, one.one_socket, one.other, one.other_socket) for one in laid.closings]
    for one, socket, other, other_socket in cables:
        for end, own, there, its in ((one, socket, other, other_socket), (other, other_socket, one, socket)):
            if end:
                found.setdefault(end, []).append(Beyond(own, rows.get(there), its))
    return {station: sorted(there, key=lambda cable: cable.socket) for station, there in found.items()}


def topology(medium: Medium, stations: Iterable[Station], closing: Iterable[ClosingCable] = ()) -> Topology:
    """How these stations, in order, are cabled on a medium."""
    rows = {station.id: station for station in stations}
    if medium.branches:
        above = uppers(rows.values(), chained=medium.chained)
    else:
        above = dict(zip(rows, ("", *rows), strict=False))
    return _Walk(rows, above, list(closing)).topology()


class _Walk:
    def __init__(self, rows: dict[str, Station], above: dict[str, str], closing: list[ClosingCable]) -> None:
        self.rows, self.above, self.closing = rows, above, closing
        self.below: dict[str, list[str]] = {"": []}
        for station, upper in above.items():
            self.below.setdefault(upper, []).append(station)
        # What is plugged in where, and in which socket if that is said.
        plugs: dict[str, dict[tuple[str, str], int | None]] = {}
        for upper, stations in self.below.items():
            plugs[upper] = {(station, ""): rows[station].socket for station in stations}
        for cable in closing:
            plugs.setdefault(cable.one, {})[cable.id, "one"] = cable.one_socket
            plugs.setdefault(cable.other or "", {})[cable.id, "other"] = cable.other_socket
        self.sockets = {plug: socket for at, said in plugs.items() for plug, socket in self._sockets_at(at, said)}

    def topology(self) -> Topology:
        return Topology(tuple(self._outwards()), tuple(self._closings()))

    def _outwards(self) -> Iterator[Cabled]:
        """Stations from the port outwards, each behind what it hangs on."""
        waiting = list(reversed(self.below[""]))
        metres = {"": 0.0}
        while waiting:
            station = waiting.pop()
            row, upper, length = self.rows[station], self.above[station], _length_m(self.rows[station])
            metres[station] = metres[upper] + (length or 0.0)
            yield Cabled(
                station, upper, self.sockets[station, ""], entry_of(row), length, metres[station],
                str(row.settings.get("cable") or ""),
            )  # fmt: skip
            waiting += reversed(self.below.get(station, []))

    def _sockets_at(
        self, upper: str, said: Mapping[tuple[str, str], int | None]
    ) -> Iterator[tuple[tuple[str, str], int]]:
        """The socket of each that is plugged in there, by station or by end of a closing cable: as it is said, or the
        lowest that is left."""
        taken = {socket for socket in said.values() if socket}
        if upper in self.rows:
            taken.add(entry_of(self.rows[upper]))
        left = (socket for socket in count(1) if socket not in taken)
        for plug, socket in said.items():
            yield plug, socket or next(left)

    def _closings(self) -> Iterator[Closing]:
        for cable in self.closing:
            yield Closing(
                cable.id, cable.one, cable.other or "", self.sockets[cable.id, "one"], self.sockets[cable.id, "other"],
                self._ring(cable), _length_m(cable),
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


def _length_m(row: Station | ClosingCable) -> float | None:
    length: Any = row.settings.get("length_m")
    return length if isinstance(length, int | float) and not isinstance(length, bool) else None
