"""A large plant for benchmarks and load tests: as many controllers, modules and signals as asked for."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from highmoor.core.plant.plant import Plant, base36
from highmoor.core.plant.ranks import ranks_between
from highmoor.core.plant.rows import (
    Connection,
    Controller,
    Exchange,
    Facts,
    Link,
    Module,
    Network,
    Port,
    Rail,
    Signal,
    Station,
    Task,
)

_CYCLE = ("di-16", "do-16", "ai-8", "di-16", "ao-4", "ai-4t", "fi-12")
_CHANNELS = {"di-16": 16, "do-16": 16, "ai-8": 8, "ao-4": 4, "ai-4t": 4}
_SPAN = {"raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 10, "clamp": False}


class _Rows:
    def __init__(self) -> None:
        self.counter = 0
        self.rows: list[Any] = [Facts("p0", "Generated plant")]

    def id(self, prefix: str) -> str:
        self.counter += 1
        return prefix + base36(self.counter)


def generated_plant(controllers: int = 50, modules: int = 2000, signals: int = 10_000, rails: int = 3) -> Plant:
    """`modules` and `signals` are spread evenly over controllers and their rails."""
    made = _Rows()
    for n, rank in enumerate(ranks_between("", "", controllers)):
        controller = Controller(made.id("c"), f"PLC{n + 1}", "tarnfell.tf-42", "3.4", rank)
        made.rows += [
            controller,
            Port(made.id("o"), controller.id, "A", "V", address=f"10.{n // 200}.{n % 200}.1"),
            Task(made.id("t"), controller.id, "Fast", "V", 10),
        ]
        _fill(made, controller, modules // controllers, signals // controllers, rails)
    return Plant.of(made.rows, made.counter)


def _fill(made: _Rows, controller: Controller, modules: int, signals: int, rails: int) -> None:
    places: list[tuple[str, str, str]] = []
    for rail_rank, share in zip(ranks_between("", "", rails), _shares(modules, rails), strict=True):
        rail = Rail(made.id("r"), controller.id, "Local", rail_rank, 16)
        made.rows.append(rail)
        for n, rank in enumerate(ranks_between("", "", share)):
            kind = _CYCLE[n % len(_CYCLE)]
            module = Module(made.id("m"), rail.id, f"tarnfell.{kind}", rank)
            made.rows.append(module)
            places += [(module.id, f"ch{c}", kind) for c in range(_CHANNELS.get(kind, 0))]
    for n, (rank, (module_id, key, kind)) in enumerate(zip(ranks_between("", "", signals), places, strict=False)):
        analogue = kind.startswith("a")
        signal = Signal(made.id("g"), controller.id, f"Signal{n + 1}", "REAL" if analogue else "BOOL", rank)
        access: Any = "reads" if kind in ("di-16", "ai-8", "ai-4t") else "writes"
        scaling = dict(_SPAN) if analogue else None
        made.rows += [signal, Link(made.id("l"), signal.id, module_id, key, access, scaling=scaling)]


def generated_line(stations: int) -> Plant:
    """A serial Modbus line on a controller's own port, with this many stations of one exchange each."""
    plant = generated_plant(1, 0, 0, rails=1)
    made = _Rows()
    made.counter = plant.counter
    controller = plant.all(Controller)[0].id
    port = Port(made.id("o"), controller, "S", "x")
    network = Network(made.id("n"), "modbus-rtu", "Line", "V", port.id, settings={"baud": 115_200})
    made.rows = [*plant.rows(), port, network]
    for n, rank in enumerate(ranks_between("", "", stations)):
        own = {"unit_load": 0.125, "length_m": 2, "terminated": n == stations - 1}
        station = Station(made.id("s"), network.id, f"S{n + 1}", "generic.modbus-rtu", rank, str(n + 1), settings=own)
        connection = Connection(made.id("k"), station.id, "V")
        asked = {"function": 3, "address": 0, "count": 2, "period_ms": 10_000, "timeout_ms": 50, "retries": 1}
        made.rows += [station, connection, Exchange(made.id("x"), connection.id, "Read", "in", "V", settings=asked)]
    return Plant.of(made.rows, made.counter)


def generated_cell(connections: int) -> Plant:
    """An EtherNet/IP network with this many stations of one connection each, behind switches of sixteen sockets."""
    plant = generated_plant(1, 0, 0, rails=1)
    made = _Rows()
    made.counter = plant.counter
    port = replace(plant.all(Port)[0], mask="255.255.0.0")
    network = Network(made.id("n"), "ethernet-ip", "Cell", "V", port.id)
    made.rows = [*(row for row in plant.rows() if row.id != port.id), port, network]
    ranks = iter(ranks_between("", "", connections + connections // 14 + 1))
    switch: str | None = None
    for n in range(connections):
        if n % 14 == 0:
            row = Station(made.id("s"), network.id, f"W{n}", "tarnfell.es-16s", next(ranks), upstream=switch)
            made.rows.append(row)
            switch = row.id
        address = f"10.0.{n // 200}.{n % 200 + 2}"
        station = Station(
            made.id("s"), network.id, f"S{n}", "generic.ethernet-ip", next(ranks), address, upstream=switch
        )
        connection = Connection(made.id("k"), station.id, "V", {"application": "exclusive owner"})
        made.rows += [station, connection]
        for name, way, rank in (("In", "in", "V"), ("Out", "out", "W")):
            asked = {"point": 100 + (way == "in"), "octets": 8 + n % 5, "rpi_ms": (20, 50, 100)[n % 3]}
            made.rows.append(Exchange(made.id("x"), connection.id, name, way, rank, settings=asked))  # type: ignore[arg-type]
    return Plant.of(made.rows, made.counter)


def _shares(total: int, parts: int) -> list[int]:
    return [total // parts + (1 if n < total % parts else 0) for n in range(parts)]


def generated_exchange(octets: int) -> Plant:
    """One EtherNet/IP connection that brings this many octets, each linked to a signal of its own."""
    plant = generated_cell(1)
    made = _Rows()
    made.counter = plant.counter
    exchange = next(x for x in plant.all(Exchange) if x.direction == "in")
    controller = plant.all(Controller)[0].id
    wide = replace(exchange, settings={**exchange.settings, "octets": octets})
    made.rows = [*(row for row in plant.rows() if row.id != exchange.id), wide]
    for n, rank in enumerate(ranks_between("", "", octets)):
        signal = Signal(made.id("g"), controller, f"Octet{n}", "USINT", rank)
        made.rows += [signal, Link(made.id("l"), signal.id, exchange.id, f"o{n}", "reads")]
    return Plant.of(made.rows, made.counter)
