"""What a station of PROFINET begins with: one application relation with what it gives and takes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.networks.fieldbus import NewConnection, NewExchange
from highmoor.core.networks.line import Line
from highmoor.core.networks.profinet.settings import DIRECTIONS, Direction

_NAMES: dict[Direction, str] = {"in": "Inputs", "out": "Outputs"}


def new_connection(_: DeviceType | None, kind: str) -> NewConnection:
    """That of its data. Raises Refusal for a kind: there is none."""
    if kind:
        raise Refusal(f"{kind!r} is not a connection of PROFINET.", field="connection", value=kind)
    return NewConnection({}, tuple(NewExchange(_NAMES[way], way) for way in DIRECTIONS))


def new_exchange(_: Mapping[str, Any], __: Line) -> tuple[Direction, dict[str, Any]]:
    """None can be added: what a station exchanges follows from its submodules. Raises Refusal."""
    raise Refusal("What a PROFINET station exchanges follows from its modules and submodules; change those.")


def apart(_: Line) -> bool:
    """Neither direction goes alone."""
    return False
