"""The natural path of a row: what people tell it apart by, whatever id it has and in whatever order it was made."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Protocol

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.hardware.mounting import is_ports, rail_slots
from highmoor.core.plant.rows import (
    Axis,
    Connection,
    Controller,
    Exchange,
    Module,
    PlanShape,
    Rail,
    SafetyFunction,
    SafetyPart,
    Scanner,
    Signal,
    Situation,
    Station,
    Zone,
)


class Sees(Protocol):
    """Whatever gives rows and types: a reader of the analysis, or a plant with its catalogue."""

    def find(self, row_id: str | None) -> Any | None: ...

    def children(self, kind: type[Any], owner_id: str) -> list[Any]: ...

    def referring(self, kind: type[Any], name: str, target: str) -> list[Any]: ...

    def type(self, key: str) -> DeviceType | None: ...

    def slots(self, rail: str) -> Mapping[str, int]: ...


# Nothing hangs deeper on other modules.
_DEEPEST = 8


class Paths:
    """Natural paths, each worked out once."""

    def __init__(self, sees: Sees) -> None:
        self._sees = sees
        self._known: dict[str, str] = {}

    def of(self, row_id: str | None) -> str:
        """The path of a row, "" where there is none."""
        if row_id is None:
            return ""
        if row_id not in self._known:
            row = self._sees.find(row_id)
            told = _TOLD.get(type(row))
            self._known[row_id] = told(self, row) if told else ""
        return self._known[row_id]

    def _station(self, row: Station) -> str:
        return f"station {row.name}"

    def _axis(self, row: Axis) -> str:
        return f"axis {row.name}"

    def _module(self, row: Module, depth: int = 0) -> str:
        rail: Rail | None = self._sees.find(row.rail)
        head: Controller | Station | Module | None = self._sees.find(rail.head) if rail else None
        if rail is None or head is None or depth > _DEEPEST:
            return "module nowhere"
        device = self._sees.type(head.type)
        slot = self._sees.slots(rail.id).get(row.id)
        within = self._module(head, depth + 1) if isinstance(head, Module) else self.of(head.id)
        word = "port" if is_ports(rail) else "slot"
        if not rail_slots(rail, device).addressed:
            # Of several rails on one head, each counts from its own beginning.
            rails = [one.id for one in self._sees.children(Rail, head.id)]
            word = f"rail {rails.index(rail.id) + 1}, {word}" if len(rails) > 1 else word
        return f"{within}, {word} {slot}"

    def _exchange(self, row: Exchange) -> str:
        connection: Connection | None = self._sees.find(row.connection)
        if connection is None:
            return "exchange nowhere"
        others = [one.id for one in self._sees.children(Connection, connection.station)]
        return f"{self.of(connection.station)}, connection {others.index(connection.id) + 1} {row.direction}"


_TOLD: dict[type[Any], Callable[[Paths, Any], str]] = {
    Controller: lambda _, row: f"controller {row.name}",
    Station: Paths._station,
    Module: Paths._module,
    Exchange: Paths._exchange,
    Axis: Paths._axis,
    Signal: lambda _, row: f"signal {row.name}",
    SafetyFunction: lambda _, row: f"function {row.name}",
    SafetyPart: lambda paths, row: f"{paths.of(row.function)}, {row.role} {row.name}",
    Scanner: lambda _, row: f"scanner {row.name}",
    Situation: lambda paths, row: f"{paths.of(row.scanner)}, situation {row.name}",
    Zone: lambda paths, row: f"{paths.of(row.scanner)}, zone {row.letter}",
    PlanShape: lambda paths, row: f"{paths.of(row.scanner)}, {row.kind}",
}
