"""Plants with a PROFINET network, built of the devices of the demo's files."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.reading.families import read_octets
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.networks.live import NodeTold
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    Connection,
    Exchange,
    Module,
    Network,
    Port,
    Rail,
    Station,
)
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.built_edits import set_built
from highmoor.core.project.draft import Draft
from highmoor.core.project.new import new_plant
from tests.paths import DEMO

LIBRARY = Catalogue(BUILTIN.types)
TYPES: dict[str, str] = {"switch": "tarnfell.es-8s", "plain switch": "tarnfell.es-8", "generic": "generic.profinet"}
"""The pinned key of each device, by its name."""
PINS: list[edits.TypePin] = []

for _n, _file in enumerate(("tr40.xml", "pw6.xml", "al3.xml"), start=1):
    for _device in read_octets((DEMO / _file).read_bytes(), _file).devices:
        _pin = edits.TypePin(device=_device.key, sha256=f"{_n:064x}", reader=1, file=_file)
        _key = pinned_key(_pin.device, _pin.sha256, 1)
        PINS.append(_pin)
        LIBRARY.learn(_key, replace(_device, key=_key))
        TYPES[_device.name.partition(" –")[0].strip()] = _key

DI, DO, AI, AO, CNT = "DI8", "DO8", "AI4", "AO2", "CNT1"


def do(plant: Plant, *wanted: Any) -> Plant:
    """The plant after edits."""
    return apply(plant, LIBRARY, edits.Batch(edits=list(wanted)) if len(wanted) > 1 else wanted[0]).plant


def put(plant: Plant, row: str, **values: Any) -> Plant:
    """A row's fields as a hand sets them; `__` stands for the dot of a path."""
    given = {key.replace("__", "."): value for key, value in values.items()}
    return do(plant, edits.SetFields(ids=[row], values=given))


def bagging(*stations: str | tuple[str, Sequence[str]], tree: Sequence[int] | None = None) -> Plant:
    """KILN with these stations, S1, S2, …: a device, with the modules in its slots from 1 on ("" for none).

    Each hangs on the one before, or where `tree` says (the number of another, 0 for the controller's port).
    """
    plant = do(new_plant("Line"), edits.AddTypes(types=PINS), edits.AddController(type="tarnfell.tf-42", name="KILN"))
    port = plant.all(Port)[0]
    plant = put(plant, port.id, address="10.2.0.1")
    plant = do(plant, edits.AddNetwork(fieldbus="profinet", port=port.id, name="Bagging"))
    network = plant.all(Network)[0].id
    for n, station in enumerate(stations, start=1):
        head, modules = station if isinstance(station, tuple) else (station, None)
        plant = do(plant, edits.AddStation(network=network, type=TYPES[head], name=f"S{n}"))
        row = named(plant, f"S{n}")
        upper = n - 1 if tree is None else tree[n - 1]
        plant = put(plant, row.id, upstream=named(plant, f"S{upper}").id if upper else None)
        for slot, key in enumerate(modules or (), start=1):
            rail = plant.children(Rail, row.id)[0]
            if key:
                plant = do(plant, edits.InsertModules(rail=rail.id, type=f"{TYPES[head]}/{key}", slot=slot))
    return plant


def named(plant: Plant, name: str) -> Station:
    """A station by its name."""
    return next(s for s in plant.all(Station) if s.name == name)


def network(plant: Plant) -> Network:
    """The network."""
    return plant.all(Network)[0]


def exchange(plant: Plant, name: str, direction: str) -> Exchange:
    """A station's inputs or outputs."""
    connection = plant.children(Connection, named(plant, name).id)[0]
    return next(x for x in plant.children(Exchange, connection.id) if x.direction == direction)


def modules(plant: Plant, name: str) -> list[Module]:
    """Those behind a station, on its own rail."""
    return [m for rail in plant.children(Rail, named(plant, name).id) for m in plant.children(Module, rail.id)]


def as_built(plant: Plant, name: str, **values: Any) -> Plant:
    """The plant with something said of how a station stands; `__` for dots."""
    given = {key.replace("__", "."): value for key, value in values.items()}
    draft = Draft(plant, LIBRARY)
    set_built(draft, edits.SetBuilt(ids=[named(plant, name).id], values=given))
    return draft.plant


def built(plant: Plant, row: str, **values: Any) -> Plant:
    """The same of a module."""
    draft = Draft(plant, LIBRARY)
    set_built(draft, edits.SetBuilt(ids=[row], values=values))
    return draft.plant


def node(bench: Bench, plant: Plant, name: str) -> NodeTold:
    """A station as its controller sees it."""
    told = bench._told_of(network(plant))
    assert told is not None
    return next(one for one in told.nodes if one.row == named(plant, name).id)
