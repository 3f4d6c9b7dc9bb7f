"""What a device of EtherCAT begins with: one connection with all it gives and all it takes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.networks.ethercat.settings import Direction
from highmoor.core.networks.fieldbus import NewConnection, NewExchange
from highmoor.core.networks.line import Line

_NAMES: dict[Direction, str] = {"in": "Inputs", "out": "Outputs"}


def new_connection(device: DeviceType | None, kind: str) -> NewConnection:
    """Both ways, unless the device can only have one of them, or neither. Raises Refusal for a kind that is none."""
    if kind:
        raise Refusal("A device of EtherCAT has one connection.", field="connection", value=kind)
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
