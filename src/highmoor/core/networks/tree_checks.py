"""Checks of how Ethernet cables run (NET-110 … 114)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.hardware.ports import port_label
from highmoor.core.networks.cables import cable_kind
from highmoor.core.networks.tree import NetworkTree
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Network, Port, Station


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
    behind = Counter(node.upstream for node in result.nodes if node.upstream)
    for node in result.nodes:
        cables = behind[node.station] + 1
        if node.sockets is not None and cables > node.sockets:
            last = next(n.station for n in reversed(result.nodes) if n.upstream == node.station)
            yield finding(
                "NET-111", node.station, (last, "upstream"), name=reader.row(node.station, Station).name,
                cables=cables, sockets=node.sockets,
            )  # fmt: skip


def _full(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    for node in result.nodes if result and result.said else ():
        if node.load > 0.5:
            yield finding(
                "NET-112", node.station, name=reader.row(node.station, Station).name, percent=shown(100 * node.load, 3)
            )


def _too_long(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    for node in result.nodes if result else ():
        if node.length_m is None:
            continue
        station = reader.row(node.station, Station)
        kind = cable_kind(station)
        if node.length_m > kind.length_at_most_m:
            yield finding(
                "NET-113", (node.station, "settings.length_m"), name=station.name,
                length=shown(node.length_m), most=shown(kind.length_at_most_m), cable=kind.label,
            )  # fmt: skip


def _elsewhere(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    for node in result.nodes if result else ():
        station = reader.row(node.station, Station)
        if station.upstream and station.upstream != node.upstream:
            yield finding("NET-114", (station.id, "upstream"), name=station.name)


def _taken_socket(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    """Said twice, or the one that leads to the controller: whoever is said first keeps it."""
    nodes = result.nodes if result else ()
    holders = {(node.station, node.entry): "the cable towards the controller" for node in nodes}
    for node in nodes:
        station = reader.row(node.station, Station)
        if station.socket is None or not node.upstream:
            continue
        other = holders.setdefault((node.upstream, station.socket), station.name)
        if other != station.name:
            upper = reader.row(node.upstream, Station).name
            yield finding(
                "NET-118", (station.id, "socket"), node.upstream, name=station.name, upper=upper, other=other,
                socket=station.socket,
            )  # fmt: skip


def _no_socket(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    nodes = {node.station: node for node in result.nodes} if result else {}
    for node in nodes.values():
        station = reader.row(node.station, Station)
        for field, socket, at in (("socket", station.socket, node.upstream), ("entry", station.entry, node.station)):
            has = nodes[at].sockets if at else None
            if socket is not None and has is not None and socket > has:
                name = reader.row(at, Station).name
                yield finding("NET-119", (station.id, field), at, name=name, socket=socket, sockets=has)


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
)  # fmt: skip
