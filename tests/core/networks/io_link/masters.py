"""IO-Link masters for tests: one under EtherNet/IP that nobody describes, the demo's two with their files."""

from __future__ import annotations

from typing import Any

from highmoor.core.bench.bench import Bench
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Exchange, Module, Network, Port, Rail, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.demo import _KEYS as FILES
from tests.core.demo import _PINS as PINS
from tests.core.demo import LIBRARY
from tests.core.plants import hall

DISTANCE, CLIMATE, LEVEL = FILES["iolink.fa11.00148d.PD-20-M12"], FILES["ct3_iodd.xml"], FILES["ul4_iodd.xml"]
MASTER, ETHERCAT_MASTER = FILES["pm8.eds"], FILES["ethercat-esi.fad2.00007004.00010000"]
GENERIC, DI, DO = "generic.io-link", "generic.port-di", "generic.port-do"
# As the manual of the master that nobody describes tells: 78 words in, 45 out, pins in the second word.
BY_MANUAL = {
    "in_first": 28, "in_octets": 16, "out_first": 10, "out_octets": 10, "pin4_in": "2.0", "pin2_in": "3.0",
    "pin4_out": "2.0", "valid": "4.0",
}  # fmt: skip


def do(plant: Plant, *steps: edits.Edit) -> Plant:
    """The plant after edits of this catalogue."""
    return apply(plant, LIBRARY, edits.Batch(edits=list(steps)) if len(steps) > 1 else steps[0]).plant


def put(plant: Plant, row: str, **values: Any) -> Plant:
    """A row's fields; `__` for the dot of a path."""
    paths = {key.replace("__", "."): value for key, value in values.items()}
    return do(plant, edits.SetFields(ids=[row], values=paths))


def words(plugged: dict[int, str] | None = None, *, rpi_ms: float = 20, ports: int = 8, **layout: Any) -> Plant:
    """HALL with a master that nobody describes, of 78 words in and 45 out, and what is plugged in by port."""
    plant = hall()
    plant = do(
        plant,
        edits.AddTypes(types=PINS),
        edits.AddNetwork(fieldbus="ethernet-ip", port=plant.all(Port)[0].id, name="Cell", tag="$n"),
        edits.AddStation(network="$n", name="Master", tag="$s"),
        edits.AddPorts(head="$s", ports=ports, tag="$p"),
        *(edits.InsertModules(rail="$p", type=kind, slot=port) for port, kind in (plugged or {}).items()),
    )
    for exchange in plant.all(Exchange):
        octets, point = (156, 101) if exchange.direction == "in" else (90, 102)
        plant = put(plant, exchange.id, settings__octets=octets, settings__point=point, settings__rpi_ms=rpi_ms)
    given = {f"settings__{key}": value for key, value in {**BY_MANUAL, **layout}.items()}
    return put(plant, rail(plant).id, **given)


def described(kind: str, plugged: dict[int, str]) -> Plant:
    """HALL with a master by its file, under the fieldbus of that."""
    plant = hall()
    bus, port = ("ethernet-ip", 0) if kind == MASTER else ("ethercat", 2)
    return do(
        plant,
        edits.AddNetwork(fieldbus=bus, port=plant.all(Port)[port].id, name="Cell", tag="$n"),
        edits.AddStation(network="$n", type=kind, name="Master", tag="$s", rail_tag="$r"),
        edits.AddPorts(head="$s", tag="$p"),
        *(edits.InsertModules(rail="$p", type=one, slot=slot) for slot, one in plugged.items()),
    )


def rail(plant: Plant) -> Rail:
    """The master's ports."""
    return next(one for one in plant.all(Rail) if one.name == "Ports")


def on_port(plant: Plant, port: int) -> Module:
    """What is plugged into a port."""
    return next(module for module in plant.children(Module, rail(plant).id) if module.slot == port)


def exchange(plant: Plant, direction: str) -> Exchange:
    """The master's exchange one way."""
    return next(one for one in plant.all(Exchange) if one.direction == direction)


def named(plant: Plant, name: str) -> Signal:
    """A signal by its name."""
    return next(signal for signal in plant.all(Signal) if signal.name == name)


def signal(plant: Plant, name: str, place: str, key: str, kind: str = "INT", **scaling: Any) -> Plant:
    """One more signal, scaled where ends are given."""
    owner = plant.all(Controller)[0].id
    return do(plant, edits.AddSignals(controller=owner, pattern=name, place=place, key=key, type=kind,
                                      scaling=scaling or None))  # fmt: skip


def master_on(bench: Bench) -> Any:
    """The ports of the only master of a bench."""
    return next(there.ports for there in bench.devices.there.values() if there.ports)


def give(bench: Bench, module: Module, key: str, value: float) -> None:
    """What a device on a port measures from now on."""
    bench_rail, terminal = bench.devices.terminals[module.id, key]
    bench_rail.give(terminal, value)


def station(plant: Plant) -> Station:
    """The master's station."""
    return plant.all(Station)[0]


def network(plant: Plant) -> Network:
    """Its network."""
    return plant.all(Network)[0]
