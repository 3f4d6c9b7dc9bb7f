"""Checks of how Ethernet cables run (NET-110 … 114)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.hardware.ports import port_label
from highmoor.core.networks.cables import cable_kind
from highmoor.core.networks.rings import NODES_AT_MOST, Ring
from highmoor.core.networks.topology import Topology
from highmoor.core.networks.tree import NetworkTree
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import ClosingCable, Network, Port, Station


def _one_socket(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result is None or not result.said:
        return
    direct = [node.station for node in result.nodes if not node.upstream]
    port: Port | None = reader.find(reader.row(root, Network).port)
    if len(direct) > 1 and port:
        names = ", ".join(reader.row(station, Station).name for station in direct[:4])
        yield finding(
            "NET-110", root, (direct[1], "upstream"), port=port_label(reader.find, port), count=len(direct),
            names=names + (" …" if len(direct) > 4 else ""),
        )  # fmt: skip


def _few_sockets(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result is None:
        return
    laid: Topology = reader.part("network.topology", root)
    at = laid.cables_at()
    for node in result.nodes:
        cables = at[node.station]
        if node.sockets is not None and cables > node.sockets:
            last = next((n.station for n in reversed(result.nodes) if n.upstream == node.station), "")
            yield finding(
                "NET-111", node.station, *([(last, "upstream")] if last else []),
                name=reader.row(node.station, Station).name, cables=cables, sockets=node.sockets,
            )  # fmt: skip


def _full(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    for node in result.nodes if result and result.said else ():
        if node.load > 0.5:
            yield finding(
                "NET-112", node.station, name=reader.row(node.station, Station).name, percent=shown(100 * node.load, 3)
            )


def _too_long(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    cables: list[tuple[Station | ClosingCable, str, float | None]] = []
    for node in result.nodes if result else ():
        cables.append((reader.row(node.station, Station), node.station, node.length_m))
    for closing in result.closings if result else ():
        cables.append((reader.row(closing.cable, ClosingCable), closing.one, closing.length_m))
    for row, station, length in cables:
        kind = cable_kind(row)
        if length is not None and length > kind.length_at_most_m:
            yield finding(
                "NET-113", (row.id, "settings.length_m"), name=reader.row(station, Station).name,
                length=shown(length), most=shown(kind.length_at_most_m), cable=kind.label,
            )  # fmt: skip


def _closes(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    rings: dict[str, Ring] = {ring.cable: ring for ring in reader.part("network.rings", root) or ()}
    for closing in result.closings if result else ():
        ring = rings.get(closing.cable)
        if ring and ring.opened:
            continue
        one, other = reader.row(closing.one, Station).name, ""
        if closing.other:
            other = reader.row(closing.other, Station).name
        problem = (
            "leads to another network" if not closing.ring
            else "has both its ends at one device" if closing.one == closing.other
            else f"closes a ring through {closing.ring} stations, and "
            + (ring.problem if ring else "nothing there opens it")
        )  # fmt: skip
        yield finding("NET-123", closing.cable, one=one, other=other or "the controller", problem=problem)


def _many(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    told: tuple[Ring, ...] = reader.part("network.rings", root) or ()
    for ring in told:
        if len(ring.stations) > NODES_AT_MOST:
            yield finding("NET-124", ring.cable, count=len(ring.stations), most=NODES_AT_MOST)


def _elsewhere(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    for node in result.nodes if result else ():
        station = reader.row(node.station, Station)
        if station.upstream and station.upstream != node.upstream:
            yield finding("NET-114", (station.id, "upstream"), name=station.name)


@dataclass(frozen=True, slots=True)
class _Plug:
    """A socket that is said: of which row and field, at which station, what is plugged in there."""

    row: str
    field: str
    at: str
    socket: int
    name: str


def _plugs(result: NetworkTree | None, reader: Reader) -> Iterator[_Plug]:
    for node in result.nodes if result else ():
        station = reader.row(node.station, Station)
        if station.socket is not None and node.upstream:
            yield _Plug(station.id, "socket", node.upstream, station.socket, station.name)
    for closing in result.closings if result else ():
        cable = reader.row(closing.cable, ClosingCable)
        for field, at, socket in (
            ("one_socket", closing.one, cable.one_socket), ("other_socket", closing.other, cable.other_socket),
        ):  # fmt: skip
            if socket is not None and at:
                yield _Plug(cable.id, field, at, socket, "the cable that closes a ring")


def _taken_socket(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    """Said twice, or the one that leads to the controller: whoever is said first keeps it."""
    nodes = result.nodes if result else ()
    holders = {(node.station, node.entry): "the cable towards the controller" for node in nodes}
    for plug in _plugs(result, reader):
        other = holders.setdefault((plug.at, plug.socket), plug.name)
        if other != plug.name:
            upper = reader.row(plug.at, Station).name
            yield finding(
                "NET-118", (plug.row, plug.field), plug.at, name=plug.name, upper=upper, other=other,
                socket=plug.socket,
            )  # fmt: skip


def _no_socket(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    nodes = {node.station: node for node in result.nodes} if result else {}
    stations = (reader.row(station, Station) for station in nodes)
    entries = (_Plug(s.id, "entry", s.id, s.entry, s.name) for s in stations if s.entry is not None)
    for plug in (*_plugs(result, reader), *entries):
        has = nodes[plug.at].sockets if plug.at in nodes else None
        if has is not None and plug.socket > has:
            name = reader.row(plug.at, Station).name
            yield finding("NET-119", (plug.row, plug.field), plug.at, name=name, socket=plug.socket, sockets=has)


CHECKS: tuple[Check, ...] = (
    Check(
        "NET-110", "network.tree", "networks", "error", "Several cables in one socket",
        "{count} cables come from {port}: {names}.",
        "A port takes one cable. A switch, or a device with two sockets, goes between.",
        _one_socket, "IEEE 802.3",
    ),
    Check(
        "NET-111", "network.tree", "networks", "error", "More cables than sockets",
        "{name} would take {cables} cables; it has {sockets} sockets.",
        "A cable without a socket is not connected.",
        _few_sockets,
    ),
    Check(
        "NET-112", "network.tree", "networks", "warning", "Cable more than half full",
        "The cable to {name} carries {percent} % of 100 Mbit/s in one direction.",
        "Above half, packets wait for one another noticeably, and a burst is lost.",
        _full,
    ),
    Check(
        "NET-113", "network.tree", "networks", "error", "Cable too long",
        "The cable to {name} is {length} m long; {cable} may be at most {most} m.",
        "Beyond that the link comes and goes; a switch halfway, or fibre, reaches further.",
        _too_long, "ISO/IEC 11801-1, 8; IEEE 802.3, 26 and 58",
    ),
    Check(
        "NET-114", "network.tree", "networks", "warning", "Cable from nowhere",
        "{name}: where its cable comes from is in a ring, or on another network; it is taken to come from the port.",
        "Every station has one cable towards the controller's port.",
        _elsewhere,
    ),
    Check(
        "NET-118", "network.tree", "networks", "error", "Two cables in one socket",
        "{name} is plugged into socket {socket} of {upper}, and so is {other}.",
        "A socket takes one cable.", _taken_socket, "IEEE 802.3",
    ),
    Check(
        "NET-119", "network.tree", "networks", "error", "Socket that is not there",
        "A cable is plugged into socket {socket} of {name}, which has {sockets}.",
        "The type was changed, or the cable was taken to another device.", _no_socket,
    ),
    Check(
        "NET-123", "network.tree", "networks", "error", "Cable that closes a ring",
        "The cable between {one} and {other} {problem}.",
        "In a ring that nothing opens frames go round without end, until nothing else gets through. On the bench the "
        "cable is not plugged in.",
        _closes, "IEEE 802.1D; IEC 62439-2",
    ),
    Check(
        "NET-124", "network.tree", "networks", "error", "Too many in a ring",
        "{count} devices are in one ring; {most} are the most.",
        "Only then does it carry again in time after a break.", _many, "IEC 62439-2",
    ),
)  # fmt: skip
