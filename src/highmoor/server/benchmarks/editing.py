"""What an edit costs, saved and answered, on plants of many kinds; and what opening one does."""

from __future__ import annotations

import gc
import random
import resource
import threading
import time
from collections.abc import Iterator
from typing import Any

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.generated import generated_cell, generated_exchange, generated_line, generated_plant
from highmoor.core.demo.plant import demo_plant
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Exchange, Module, Rail, Signal, Task
from highmoor.server.benchmarks.plants import Edited, client, post, stored
from highmoor.server.benchmarks.table import Benchmark, p95, timed

Edit = dict[str, Any]


def benchmarks() -> Iterator[Benchmark]:
    """All of them; a plant is made when its first is asked for."""
    yield from _one_controller()
    yield from _opening()
    yield from _exchange()
    yield from _lines()
    yield from _usual()


def _set(row: str, **values: Any) -> Edit:
    return {"kind": "set", "ids": [row], "values": {name.replace("__", "."): value for name, value in values.items()}}


def _one_controller() -> Iterator[Benchmark]:
    """10 000 signals on the modules of one controller."""
    plant = generated_plant(1, 2000, 10_000)
    what = "10 000 signals on one controller"
    yield Benchmark(f"{what}: analysis from scratch", lambda: _scratch(plant), "ms", "1042", "< 300")
    held = Edited(plant)
    rail, task = plant.all(Rail)[0].id, plant.all(Task)[0].id
    modules, signals = plant.children(Module, rail), plant.all(Signal)
    first, named = modules[0].id, modules[7].id

    def insert(n: int) -> Edit:
        return {"kind": "insert-modules", "rail": rail, "type": "tarnfell.di-16", "before": first}

    for words, before, aim, make in (
        ("insert a module before all others", "1187", "< 60", insert),
        ("rename a module", "1146", "< 60", lambda n: _set(named, designation=f"-K{n}")),
        ("change a task's interval", "933", "< 60", lambda n: _set(task, period_ms=10 + n % 7)),
        ("rename a signal", "", "< 60", lambda n: _set(signals[n % 999].id, name=f"Renamed{n}")),
    ):
        yield Benchmark(f"  {words}, p95", lambda m=make: held.edits(m, 20), "ms", before, aim)  # type: ignore[misc]


def _scratch(plant: Plant) -> float:
    gc.collect()
    return timed(lambda: analyse(plant, BUILTIN))


def _opening() -> Iterator[Benchmark]:
    """The large plant: 50 controllers, 2 000 modules, 10 000 signals."""
    from highmoor.server.plants import forget

    plant = generated_plant()
    key = stored(plant)

    def opened() -> float:
        forget()
        return timed(lambda: client().get(f"/api/plants/{key}"))

    yield Benchmark("large plant: opened, rows answered", opened, "ms", "1816", "< 500")
    yield Benchmark("  memory of the process with it", _memory, "MB", "", "", 1)
    held = Edited(plant)
    yield Benchmark("  any edit, p95", lambda: held.edits(_any_edit(plant), 40), "ms", "", "< 60")


def _memory() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def _exchange() -> Iterator[Benchmark]:
    plant = generated_exchange(1400)
    held = Edited(plant)
    signals, exchange = plant.all(Signal), plant.all(Exchange)[0].id
    what = "one exchange of 1 400 linked octets"
    for words, before, make in (
        ("rename a signal", "", lambda n: _set(signals[n % 1400].id, name=f"Renamed{n}")),
        ("rename the exchange", "255", lambda n: _set(exchange, name=f"Renamed{n}")),
        ("change its interval", "380", lambda n: _set(exchange, settings__rpi_ms=20 + n % 7)),
    ):
        yield Benchmark(f"{what}: {words}, p95", lambda m=make: held.edits(m), "ms", before, "< 40")  # type: ignore[misc]


def _lines() -> Iterator[Benchmark]:
    """247 stations on a serial line, and 256 connections of a scanner behind switches in a chain."""
    for what, before, plant, make in (
        ("serial line of 247 stations: a period", "86", generated_line(247),
         lambda n: {"settings__period_ms": 10_000 + 1000 * (n % 3 + 1)}),
        ("scanner of 256 connections: an interval", "46", generated_cell(256),
         lambda n: {"settings__rpi_ms": 25 + n % 3}),
    ):  # fmt: skip
        held, exchanges = Edited(plant), plant.all(Exchange)

        def edit(n: int, exchanges: list[Exchange] = exchanges, make: Any = make) -> Edit:
            return _set(exchanges[n % len(exchanges)].id, **make(n))

        yield Benchmark(f"{what}, p95", lambda h=held, e=edit: h.edits(e), "ms", before, "< 30")  # type: ignore[misc]
    line = generated_line(247)
    open_line = Edited(line)
    words = "an edit while another looks for a feasible window"
    yield Benchmark(words, lambda: _window(line, open_line), "ms", "15 700", "< 60")


def _window(plant: Plant, held: Edited) -> float:
    """What an edit of another takes while a feasible window is looked for, ms."""
    exchanges = plant.all(Exchange)
    path = f"/api/plants/{held.key}/windows/{exchanges[0].id}?path=settings.period_ms"
    asking = threading.Thread(target=lambda: client().get(path))
    asking.start()
    time.sleep(0.3)
    took = held.edit(_set(exchanges[-1].id, name=f"Renamed{held.revision}"))
    asking.join()
    return took


def _usual() -> Iterator[Benchmark]:
    rail = generated_plant(1, 64, 500, rails=1)
    held_rail = Edited(rail)
    yield Benchmark("rail of 64 modules: any edit, p95", lambda: held_rail.edits(_any_edit(rail)), "ms", "62", "< 40")
    demo = demo_plant()
    held = Edited(demo)
    yield Benchmark("demo plant: any edit, p95", lambda: held.edits(_any_edit(demo)), "ms", "34", "< 20")
    edit = _set(demo.all(Signal)[0].id, note="x")

    def previews() -> float:
        return p95([timed(lambda: post(f"/api/plants/{held.key}/preview", {"edit": edit})) for _ in range(60)])

    yield Benchmark("  a keystroke's preview, p95", previews, "ms", "", "< 100")


def _any_edit(plant: Plant) -> Any:
    """Different edits in turn: a name, a new module, a time asked for, a rail's name."""
    chance = random.Random(1)
    signals = plant.all(Signal)
    # Rails with computed slots take any number of modules; too many are a finding, not a refusal.
    heads = {c.id for c in plant.all(Controller) if c.type == "tarnfell.tf-42"}
    rails = [rail.id for rail in plant.all(Rail) if rail.head in heads]

    def make(n: int) -> Edit:
        signal, rail = chance.choice(signals).id, chance.choice(rails)
        return (
            _set(signal, name=f"Renamed{n}"),
            {"kind": "insert-modules", "rail": rail, "type": "tarnfell.di-16"},
            _set(signal, asked_ms=n + 1),
            _set(rail, name=f"Rail{n}"),
        )[n % 4]

    return make
