"""Plants with a PROFIBUS line, built of the devices of the demo's files."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.reading.families import read_octets
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Controller, Exchange, Module, Network, Port, Rail, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.new import new_plant
from tests.paths import DEMO

LIBRARY = Catalogue(BUILTIN.types)
TYPES: dict[str, str] = {"repeater": "tarnfell.pr-2", "generic": "generic.profibus-dp"}
"""The pinned key of each device, by the first word of its name."""
PINS: list[edits.TypePin] = []

for _n, _file in enumerate(("tr16.gsd", "da20.gse", "cv3.gsd", "inbox/em310.gsd"), start=1):
    for _device in read_octets((DEMO / _file).read_bytes(), _file).devices:
        _pin = edits.TypePin(device=_device.key, sha256=f"{_n:064x}", reader=1, file=_file)
        _key = pinned_key(_pin.device, _pin.sha256, 1)
        PINS.append(_pin)
        LIBRARY.learn(_key, replace(_device, key=_key))
        TYPES[_device.name.partition(" ")[0]] = _key

# Modules by what they are.
DI, DO, AI, AO, EMPTY = "m1", "m2", "m3", "m4", "m6"
TWO_WORDS = "2 words process data"


def do(plant: Plant, *wanted: Any) -> Plant:
    """The plant after edits."""
    return apply(plant, LIBRARY, edits.Batch(edits=list(wanted)) if len(wanted) > 1 else wanted[0]).plant


def line(*stations: str | tuple[str, Sequence[str]], baud: int = 1_500_000, ends: bool = True) -> Plant:
    """HALL with a master card and these stations, at 3, 4, …: a device, with the keys of its modules. 5 m between each.

    What a file puts behind a station is taken out where modules are given. With `ends` the last one is terminated.
    """
    plant = do(new_plant("Line"), edits.AddTypes(types=PINS), edits.AddController(type="tarnfell.tf-42", name="HALL"))
    rail = plant.all(Rail)[0]
    plant = do(plant, edits.InsertModules(rail=rail.id, type="tarnfell.pb-1"))
    port = next(p for p in plant.all(Port) if p.key == "P")
    plant = do(plant, edits.AddNetwork(fieldbus="profibus-dp", port=port.id, name="Steep house"))
    network = plant.all(Network)[0].id
    plant = do(plant, edits.SetFields(ids=[network], values={"settings.baud": baud}))
    for n, station in enumerate(stations, start=1):
        head, modules = station if isinstance(station, tuple) else (station, None)
        plant = do(plant, edits.AddStation(network=network, type=TYPES[head], name=f"S{n}"))
        row = plant.all(Station)[-1]
        plant = put(plant, row.id, settings__length_m=5)
        if modules is not None:
            behind = plant.children(Rail, row.id)[0]
            there = [m.id for m in plant.children(Module, behind.id)]
            plant = do(plant, edits.Remove(ids=there)) if there else plant
            for key in modules:
                plant = do(plant, edits.InsertModules(rail=behind.id, type=f"{TYPES[head]}/{key}"))
    if ends and stations:
        plant = put(plant, plant.all(Station)[-1].id, settings__terminated=True)
    return plant


def put(plant: Plant, row: str, **values: Any) -> Plant:
    """A row's fields as a hand sets them; `__` stands for the dot of a path."""
    given = {key.replace("__", "."): value for key, value in values.items()}
    return do(plant, edits.SetFields(ids=[row], values=given))


def named(plant: Plant, name: str) -> Station:
    """A station by its name."""
    return next(s for s in plant.all(Station) if s.name == name)


def exchange(plant: Plant, name: str, direction: str) -> Exchange:
    """A station's inputs or outputs."""
    connection = plant.children(Connection, named(plant, name).id)[0]
    return next(x for x in plant.children(Exchange, connection.id) if x.direction == direction)


def modules(plant: Plant, name: str) -> list[Module]:
    """Those behind a station."""
    return [m for rail in plant.children(Rail, named(plant, name).id) for m in plant.children(Module, rail.id)]


def network(plant: Plant) -> Network:
    """The only one."""
    return plant.all(Network)[0]


def controller(plant: Plant) -> Controller:
    """The only one."""
    return plant.all(Controller)[0]
