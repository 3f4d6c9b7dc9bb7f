"""What a device of EtherCAT begins with: one connection with all it gives and all it takes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.networks.ethercat.settings import Direction
from highmoor.core.networks.fieldbus import ConnectionKind, NewConnection, NewExchange
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import REQUEST

_NAMES: dict[Direction, str] = {"in": "Inputs", "out": "Outputs"}


_KINDS = (
    ConnectionKind("read", "Read an object", "when the program wants its value"),
    ConnectionKind("write", "Write an object", "when the program wants it written"),
)


def connection_kinds(_: DeviceType | None) -> tuple[ConnectionKind, ...]:
    """Requests on demand; the connection of its process data comes with the device."""
    return _KINDS


def new_connection(device: DeviceType | None, kind: str) -> NewConnection:
    """That of the process data (kind ""), both ways unless the device can only have one of them, or neither; or a
    request.

    Raises Refusal for a kind that is none.
    """
    if kind and kind not in {one.key for one in _KINDS}:
        raise Refusal(f"{kind!r} is not a connection of EtherCAT.", field="connection", value=kind)
    if kind:
        exchange = NewExchange("Value", "in") if kind == "read" else NewExchange("Value", "out")
        return NewConnection({"kind": REQUEST, "subindex": 0}, (exchange,))
    facts = device.ethercat if device else None
    both = facts is None or facts.couples or facts.slots is not None
    ways: list[Direction] = [
        way for way in _NAMES if both or (facts and any(pdo.direction == way for pdo in facts.pdos))
    ]
    return NewConnection({}, tuple(NewExchange(_NAMES[way], way) for way in ways))


def new_exchange(_: Mapping[str, Any], __: Line) -> tuple[Direction, dict[str, Any]]:
    """None can be added: what a device exchanges follows from its PDOs and its modules. Raises Refusal."""
    raise Refusal("What an EtherCAT device exchanges follows from its PDOs and its modules; choose those.")


def apart(_: Line) -> bool:
    """Neither direction goes alone."""
    return False
