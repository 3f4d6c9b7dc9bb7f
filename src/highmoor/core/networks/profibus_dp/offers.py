"""What a station of PROFIBUS DP begins with: one connection with what it gives and takes; and requests beside it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.networks.fieldbus import ConnectionKind, NewConnection, NewExchange
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import REQUEST
from highmoor.core.networks.profibus_dp.settings import DIRECTIONS, Direction

_NAMES: dict[Direction, str] = {"in": "Inputs", "out": "Outputs"}
_KINDS = (
    ConnectionKind("read", "Read a record", "by slot and index, when the program wants it"),
    ConnectionKind("write", "Write a record", "by slot and index, when the program wants it"),
)


def connection_kinds(_: DeviceType | None) -> tuple[ConnectionKind, ...]:
    """Acyclic requests of class 1; the connection of its data comes with the station."""
    return _KINDS


def new_connection(device: DeviceType | None, kind: str) -> NewConnection:
    """That of its data (kind ""), or a request. Raises Refusal for a kind that is none."""
    if kind and kind not in {one.key for one in _KINDS}:
        raise Refusal(f"{kind!r} is not a connection of PROFIBUS DP.", field="connection", value=kind)
    if kind:
        exchange = NewExchange("Record", "in") if kind == "read" else NewExchange("Record", "out")
        return NewConnection({"kind": REQUEST, "slot": 0}, (exchange,))
    return NewConnection({}, tuple(NewExchange(_NAMES[way], way) for way in DIRECTIONS))


def new_exchange(_: Mapping[str, Any], __: Line) -> tuple[Direction, dict[str, Any]]:
    """None can be added: what a station exchanges follows from its modules. Raises Refusal."""
    raise Refusal("What a PROFIBUS station exchanges follows from its modules, or its identifiers; change those.")


def apart(_: Line) -> bool:
    """Neither direction goes alone."""
    return False
