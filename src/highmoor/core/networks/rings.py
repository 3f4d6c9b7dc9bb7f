"""Rings of an Ethernet network: the cable that closes one, who is in it, who opens it.

One of a ring is its manager: it keeps one of its two sockets shut, so that nothing goes round, and opens it when the
ring breaks elsewhere. All others are clients. Source: IEC 62439-2.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.topology import Closing, Topology
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.rows import Station

NODES_AT_MOST = 50
# How long it takes at most until a broken ring carries again, ms: one of the standard's sets of parameters, the usual.
RECOVERY_MS = 200
MANAGER, CLIENT = "manager", "client"


@dataclass(frozen=True, slots=True)
class Ring:
    """A closing cable with the stations in its ring, in order round from one of its ends; `manager` "" for none.

    `problem` says why nothing opens it, "" where it is opened as it should be.
    """

    cable: str
    stations: tuple[str, ...]
    manager: str
    problem: str

    @property
    def opened(self) -> bool:
        """Whether frames do not go round in it."""
        return not self.problem


def ring_field(device: DeviceType | None) -> tuple[FieldSpec, ...]:
    """What part a station takes in a ring, where its type can."""
    roles = device.ring_roles if device else ()
    if not roles:
        return ()
    words = {CLIENT: "passes it on", MANAGER: "opens and closes it"}
    return (
        FieldSpec(
            "settings.ring", "In a ring it", "choice", default=roles[0] if CLIENT not in roles else CLIENT,
            optional=True, choices=tuple(Choice(role, words[role]) for role in (CLIENT, MANAGER) if role in roles),
            term="MRP client, manager", hint="One of each ring opens it: frames must not go round.",
        ),
    )  # fmt: skip


def role_of(device: DeviceType | None, settings: Mapping[str, Any]) -> str:
    """The part a station takes in a ring it is in: "" for none, because it cannot."""
    roles = device.ring_roles if device else ()
    given = settings.get("ring")
    if given in roles:
        return str(given)
    return CLIENT if CLIENT in roles else roles[0] if roles else ""


def rings_of(laid: Topology, stations: Mapping[str, Station], types: Mapping[str, DeviceType | None]) -> Iterator[Ring]:
    """Every closing cable that closes a ring."""
    above = {node.station: node.upstream for node in laid.nodes}
    for closing in laid.closings:
        if closing.ring and closing.one != closing.other:
            members = _members(closing, above)
            yield _judged(closing, members, stations, types)


def _members(closing: Closing, above: Mapping[str, str]) -> tuple[str, ...]:
    """From one end up to where both ways meet, and down to the other; "" stands for the controller's port."""

    def upwards(end: str) -> list[str]:
        way = []
        while end:
            way.append(end)
            end = above[end]
        return [*way, ""]

    one, other = upwards(closing.one), upwards(closing.other)
    meet = next(node for node in one if node in other)
    return (*one[: one.index(meet)], meet, *reversed(other[: other.index(meet)]))


def _judged(
    closing: Closing, members: tuple[str, ...], stations: Mapping[str, Station], types: Mapping[str, DeviceType | None]
) -> Ring:
    if "" in members:
        return Ring(closing.cable, members, "", "the controller's port is in it, which takes one cable")
    roles = {member: role_of(types[member], stations[member].settings) for member in members}
    unable = next((stations[m].name for m, role in roles.items() if not role), "")
    managers = [member for member, role in roles.items() if role == MANAGER]
    if unable:
        problem = f"{unable} cannot be in one"
    elif not managers:
        problem = "nothing there opens it"
    elif len(managers) > 1:
        problem = f"both {stations[managers[0]].name} and {stations[managers[1]].name} would open it"
    else:
        problem = ""
    return Ring(closing.cable, members, managers[0] if len(managers) == 1 else "", problem)


def _network_rings(reader: Reader, root: str) -> tuple[Ring, ...]:
    laid: Topology = reader.part("network.topology", root)
    if not laid.closings:
        return ()
    stations = {station.id: station for station in reader.children(Station, root)}
    types = {station.id: reader.type(station.type) for station in stations.values()}
    return tuple(rings_of(laid, stations, types))


def ring_names(reader: Reader, ring: Ring) -> str:
    """Who is in it, in words."""
    names = [reader.row(station, Station).name for station in ring.stations if station]
    return ", ".join(names[:4]) + (" …" if len(names) > 4 else "")


PARTS: tuple[Part, ...] = (Part("network.rings", "networks", _network_rings, shown=tuple[Ring, ...]),)
