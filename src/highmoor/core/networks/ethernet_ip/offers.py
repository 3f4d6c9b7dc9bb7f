"""What a station can be given: connections as its device's file offers them or by hand, and the parts of a request."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.catalogue.choices import ConnectionChoice
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.networks.ethernet_ip.fields import REQUEST_OCTETS
from highmoor.core.networks.ethernet_ip.settings import APPLICATIONS, Direction
from highmoor.core.networks.fieldbus import ConnectionKind, ExchangeOffer, NewConnection, NewExchange
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import REQUEST, is_request


def connection_kinds(device: DeviceType | None) -> tuple[ConnectionKind, ...]:
    """What the file offers, or every application by hand; requests on demand always."""
    if device and device.connections:
        offered = tuple(ConnectionKind(c.key, c.label, c.help or _words(c)) for c in device.connections)
    else:
        offered = tuple(ConnectionKind(key, key.capitalize(), text) for key, text in APPLICATIONS.items())
    asked = "a service of one of its objects, when the program wants it"
    return (*offered, ConnectionKind(REQUEST, "Request on demand", asked))


def _words(choice: ConnectionChoice) -> str:
    return ", ".join(choice.applications)


def new_connection(device: DeviceType | None, kind: str) -> NewConnection:
    """A connection with its exchanges. Raises Refusal for a kind this device has not; "" is the first one."""
    kinds = connection_kinds(device)
    wanted = kind or kinds[0].key
    if wanted not in {k.key for k in kinds}:
        known = ", ".join(k.label for k in kinds)
        raise Refusal(f"{kind!r} is not a connection of this device; it has {known}.", field="connection", value=kind)
    if wanted == REQUEST:
        answer = NewExchange("Answer", "in")
        return NewConnection({"kind": REQUEST, "service": 0x0E, "class": 1, "instance": 1}, (answer,))
    from_file = bool(device and device.connections)
    settings = {"choice": wanted} if from_file else {"application": wanted}
    return NewConnection(settings, (NewExchange("From it", "in"), NewExchange("To it", "out")))


_PARTS: dict[str, ExchangeOffer] = {
    "in": ExchangeOffer("Take its answer", "Answer", {"direction": "in"}),
    "out": ExchangeOffer("Send data with it", "Sent", {"direction": "out"}),
}


def offers(line: Line) -> tuple[ExchangeOffer, ...]:
    """A request has an answer, something it sends, or both; every other connection has both its directions."""
    there = {exchange.direction for exchange in line.exchanges}
    return tuple(part for way, part in _PARTS.items() if is_request(line.connection) and way not in there)


def apart(line: Line) -> bool:
    """Whether its exchanges go one by one: a connection is opened for both its directions, and a request needs one."""
    return is_request(line.connection) and len(line.exchanges) > 1


def new_exchange(wanted: Mapping[str, Any], line: Line) -> tuple[Direction, dict[str, Any]]:
    """The part that a request lacks. Raises Refusal for anything else."""
    way = wanted.get("direction")
    if way not in {offer.settings["direction"] for offer in offers(line)}:
        has = "This request has that part" if is_request(line.connection) else "It comes with its two exchanges"
        raise Refusal(f"{has}; add a connection.", field="settings.direction", value=way)
    octets = REQUEST_OCTETS.parse(wanted.get("octets", 0))
    return "out" if way == "out" else "in", {"octets": octets}
