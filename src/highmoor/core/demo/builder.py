"""Writes a demo plant as the edits an engineer would make."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.plant.rows import Connection, Controller, Exchange, Module, Network, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.new import new_plant


class Builder:
    """Applies edits one after the other and finds things again by name."""

    def __init__(self, catalogue: Catalogue, types: Mapping[str, str]) -> None:
        self.plant = new_plant("Skelder Maltings")
        self.catalogue = catalogue
        self.types = types

    def do(self, edit: edits.Edit) -> dict[str, str]:
        applied = apply(self.plant, self.catalogue, edit)
        self.plant = applied.plant
        return applied.tags

    def controller(self, name: str, kind: str, address: str, places: int, modules: list[tuple[str, str]]) -> None:
        """A controller and its rail, modules as (type, reference designation)."""
        batch: list[Any] = [
            edits.AddController(type=kind, name=name, address=address, places=places, tag="$c", rail_tag="$r")
        ]
        for n, (module, designation) in enumerate(modules):
            batch.append(edits.InsertModules(rail="$r", type=f"tarnfell.{module}", tag=f"$m{n}"))
            batch.append(edits.SetFields(ids=[f"$m{n}"], values={"designation": designation}))
        self.do(edits.Batch(edits=batch))

    def find(self, kind: type[Any], **values: Any) -> Any:
        """The first row of a kind with these values."""
        return next(r for r in self.plant.all(kind) if all(getattr(r, k) == v for k, v in values.items()))

    def run(self, controller: str, pattern: str, count: int, place: str | None, key: str | None, **more: Any) -> None:
        """A run of signals from a place on."""
        owner = self.find(Controller, name=controller).id
        self.do(edits.AddSignals(controller=owner, pattern=pattern, count=count, place=place, key=key, **more))

    def at(self, designation: str) -> str:
        """A module by its reference designation."""
        module: Module = self.find(Module, designation=designation)
        return module.id

    def way(self, network: str, station: str, direction: str) -> str:
        """What a station of a network gives (in) or takes (out): its first exchange."""
        owner = self.find(Station, name=station, network=self.find(Network, name=network).id)
        connection = self.find(Connection, station=owner.id)
        exchange: Exchange = self.find(Exchange, connection=connection.id, direction=direction)
        return exchange.id
