"""Plants with an EtherCAT line, built of the devices of the demo's files."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.ethercat import EthercatFacts, Pdo, PdoEntry
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.reading.families import read_octets
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    Connection,
    Controller,
    Exchange,
    Module,
    Network,
    Port,
    Rail,
    Station,
    Task,
    table_of,
)
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.fields import fields_of
from highmoor.core.project.new import new_plant
from tests.paths import DEMO

LIBRARY = Catalogue(BUILTIN.types)
TYPES: dict[str, str] = {}
"""The pinned key of each device, by its order number; of two revisions the later."""
PINS: list[edits.TypePin] = []

for _n, _file in enumerate(
    ("tarnfell_io.xml", "corvane_servo.xml", "pellmar_gateway.xml", "inbox/ashgill_tape.xml", "pe4.xml"), start=1
):
    for _device in read_octets((DEMO / _file).read_bytes(), _file).devices:
        _pin = edits.TypePin(device=_device.key, sha256=f"{_n:064x}", reader=1, file=_file)
        _key = pinned_key(_pin.device, _pin.sha256, 1)
        PINS.append(_pin)
        LIBRARY.learn(_key, replace(_device, key=_key))
        TYPES[_device.order_number] = _key


def do(plant: Plant, *wanted: Any) -> Plant:
    """The plant after edits."""
    return apply(plant, LIBRARY, edits.Batch(edits=list(wanted)) if len(wanted) > 1 else wanted[0]).plant


def line(*stations: Any, cycle_ms: float = 2) -> Plant:
    """HALL with a network and these stations: an order number, or a coupler or gateway with its modules' in a tuple."""
    plant = do(new_plant("Line"), edits.AddTypes(types=PINS), edits.AddController(type="tarnfell.tf-42", name="HALL"))
    port = next(p for p in plant.all(Port) if p.key == "E")
    plant = do(plant, edits.AddNetwork(fieldbus="ethercat", port=port.id, name="Turner"))
    network = plant.all(Network)[0].id
    plant = do(plant, edits.SetFields(ids=[network], values={"settings.cycle_ms": cycle_ms}))
    for n, station in enumerate(stations, start=1):
        head, modules = station if isinstance(station, tuple) else (station, ())
        plant = do(plant, edits.AddStation(network=network, type=TYPES.get(head, head), name=f"S{n}"))
        rails = plant.children(Rail, plant.all(Station)[-1].id)
        for module in modules:
            plant = do(plant, edits.InsertModules(rail=rails[0].id, type=TYPES.get(module, module)))
    return plant


def named(plant: Plant, name: str) -> Station:
    """A station by its name."""
    return next(s for s in plant.all(Station) if s.name == name)


def controller(plant: Plant) -> Controller:
    """The only one."""
    return plant.all(Controller)[0]


def modules(plant: Plant) -> list[Module]:
    """All modules in order."""
    return plant.all(Module)


def forms() -> set[str]:
    """Every setting that some row of a line has, by table and path, and the beginnings of those that are several."""
    plant = line(("TE-1", ("TO-16", "TA-4")), "CS-5")
    found: set[str] = set()
    for kind in (Network, Station, Module):
        for row in plant.all(kind):
            found |= {f"{table_of(row).name}.{spec.path}" for spec in fields_of(plant, LIBRARY, row)}
    return found | {path.rpartition(".")[0] for path in found}


def put(plant: Plant, row: str, **values: Any) -> Plant:
    """A row's fields as a hand sets them; `__` stands for the dot of a path."""
    return do(
        plant, edits.SetFields(ids=[row], values={key.replace("__", "."): value for key, value in values.items()})
    )


def write(plant: Plant, node: str, index: str, subindex: str, octets: str, at: str = "PS") -> Plant:
    """Service data at the start, by hand."""
    values = {"node": node, "index": index, "subindex": subindex, "octets": octets, "at": at}
    return do(plant, edits.OnNetwork(network=plant.all(Network)[0].id, edit="write", values=values))


def _pair(plant: Plant, row: str, **values: Any) -> tuple[Plant, Plant, Catalogue]:
    return plant, put(plant, row, **values), LIBRARY


def _drives(count: int = 2) -> tuple[Plant, str, str]:
    plant = line(*["CS-5"] * count)
    return plant, plant.all(Network)[0].id, plant.all(Station)[0].id


def _cycle(cycle_ms: float) -> tuple[Plant, Plant, Catalogue]:
    plant = line(*["CS-5"] * 40)
    return _pair(plant, plant.all(Network)[0].id, settings__cycle_ms=cycle_ms)


def _too_much() -> tuple[Plant, Plant, Catalogue]:
    plant = line("generic.ethercat")
    key = pinned_key("too-much", f"{99:064x}", 1)
    entries = tuple(PdoEntry(0x6000, n + 1, 64, "", "ULINT") for n in range(190))
    facts = EthercatFacts(pdos=(Pdo(0x1A00, "All", "in", 3, entries),))
    catalogue = Catalogue(LIBRARY.types, LIBRARY.find)
    catalogue.learn(key, replace(BUILTIN.types["generic.ethercat"], key=key, order_number="X", ethercat=facts))
    right = put(plant, plant.all(Exchange)[0].id, settings__octets=8)
    row = right.all(Station)[0]
    return right, Plant.of([replace(r, type=key) if r is row else r for r in right.rows()], right.counter), catalogue


def _refused() -> tuple[Plant, Plant, Catalogue]:
    """A write to what can be written, and to what can only be read."""
    plant, _, drive = _drives(1)
    return write(plant, drive, "16#6065", "0", "10 27 00 00"), write(plant, drive, "16#6041", "0", "01 00"), LIBRARY


def _twice() -> tuple[Plant, Plant, Catalogue]:
    plant, _, drive = _drives(1)
    return write(plant, drive, "16#6060", "0", "08", "SO"), write(plant, drive, "16#6060", "0", "08"), LIBRARY


def _aliases() -> tuple[Plant, Plant, Catalogue]:
    plant, _, drive = _drives()
    right = put(plant, drive, settings__alias=5)
    return _pair(right, right.all(Station)[1].id, settings__alias=5)


def _nobodys_clock() -> tuple[Plant, Plant, Catalogue]:
    plant, _, _ = _drives(1)
    row = plant.all(Station)[0]
    own = LIBRARY.find(row.type)
    assert own is not None and own.ethercat is not None
    catalogue = Catalogue(LIBRARY.types, LIBRARY.find)
    key = pinned_key("no-reference", f"{98:064x}", 1)
    catalogue.learn(key, replace(own, key=key, ethercat=replace(own.ethercat, reference_clock=False)))
    return plant, Plant.of([replace(r, type=key) if r is row else r for r in plant.rows()], plant.counter), catalogue


def _task() -> tuple[Plant, Plant, Catalogue]:
    plant = line("CS-5")
    return _pair(plant, plant.all(Task)[0].id, period_ms=5)


def _sockets() -> tuple[Plant, Plant, Catalogue]:
    plant = line("CS-5", "CS-5", "CS-5")
    first, _, third = (station.id for station in plant.all(Station))
    return _pair(plant, third, upstream=first)


def _no_data() -> tuple[Plant, Plant, Catalogue]:
    plant = line("generic.ethercat")
    return put(plant, plant.all(Exchange)[0].id, settings__octets=4), plant, LIBRARY


def _excluded() -> tuple[Plant, Plant, Catalogue]:
    plant, _, drive = _drives(1)
    return _pair(plant, drive, settings__pdos__1601=True)


def request(plant: Plant, station: str, kind: str = "read", octets: int | None = None, **values: Any) -> Plant:
    """A request of the program to a station, with fields as a hand sets them."""
    plant = do(plant, edits.AddConnection(station=named(plant, station).id, connection=kind))
    made = plant.all(Connection)[-1].id
    plant = put(plant, made, **{f"settings__{key}": value for key, value in values.items()})
    exchange = plant.children(Exchange, made)[0].id
    return put(plant, exchange, settings__octets=octets) if octets is not None else plant


def _wrong_size() -> tuple[Plant, Plant, Catalogue]:
    plant = line("CS-5")
    right, wrong = (request(plant, "S1", "write", octets, index="16#6065") for octets in (4, 2))
    return right, wrong, LIBRARY


def _does_not_divide() -> tuple[Plant, Plant, Catalogue]:
    plant, _, drive = _drives(1)
    return _pair(plant, drive, settings__sync0_ns=1_500_000)


WRONG: dict[str, Callable[[], tuple[Plant, Plant, Catalogue]]] = {
    "NET-401": lambda: _cycle(0.0625),
    "NET-402": lambda: _cycle(0.14),
    "NET-403": _too_much,
    "NET-404": _excluded,
    "NET-405": _refused,
    "NET-406": _twice,
    "NET-407": _aliases,
    "NET-408": lambda: _pair(_drives(1)[0], _drives(1)[1], settings__clocks=False),
    "NET-409": _nobodys_clock,
    "NET-410": _does_not_divide,
    "NET-411": _task,
    "NET-412": _no_data,
    "NET-413": _sockets,
    "NET-414": lambda: _pair(_drives(1)[0], _drives(1)[2], settings__length_m=101),
    "NET-415": _wrong_size,
}
"""By check: a line without the finding and one with it."""
