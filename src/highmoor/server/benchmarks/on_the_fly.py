"""EtherCAT with many devices: what an edit's analysis takes, and how much faster than real time the bench runs it."""

from __future__ import annotations

import gc
from collections.abc import Callable, Iterable, Iterator

from highmoor.core.analysis.engine import Analysis
from highmoor.core.demo.turner import on_the_fly
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Module, Network, Port, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.new import new_plant
from highmoor.server.benchmarks.bench import cpu_ms
from highmoor.server.benchmarks.table import Benchmark, p95, timed
from highmoor.server.demo import demo_files, pins_of
from highmoor.server.library import LIBRARY

_EDITS = 40
_Make = Callable[[int], edits.Edit]


def _line(couplers: int, drives: int, cycle_ms: float) -> Plant:
    pins, keys = pins_of(demo_files())
    made = edits.Batch(edits=[edits.AddTypes(types=pins), edits.AddController(type="tarnfell.tf-42", name="PLC")])
    plant = apply(new_plant("Line"), LIBRARY, made).plant
    port = next(port for port in plant.all(Port) if port.key == "E")
    return apply(plant, LIBRARY, on_the_fly(keys, port.id, couplers, drives, cycle_ms)).plant


def benchmarks() -> Iterator[Benchmark]:
    """A line of a thousand, edited; and a hundred on the bench at a millisecond."""
    long = _line(18, 100, 2)
    what = f"{len(long.all(Station)) + len(long.all(Module))} EtherCAT devices on a line"
    yield from edited(long, what, _kinds(long))
    devices = _line(1, 51, 1)
    words = f"{len(devices.all(Station)) + len(devices.all(Module))} of them every 1 ms on the bench, not paced"
    yield Benchmark(words, lambda: 1000 / cpu_ms(devices, LIBRARY, 5), "×", "", "> 10")


def _kinds(plant: Plant) -> Iterator[tuple[str, _Make]]:
    """A name, a cycle, process data, and a designation."""
    first, network = plant.all(Station)[0].id, plant.all(Network)[0].id
    module = plant.all(Module)[9].id
    drive = plant.all(Station)[-1].id
    yield "rename a coupler of 48 modules", lambda n: edits.SetFields(ids=[first], values={"name": f"X{n}"})
    yield "another cycle", lambda n: edits.SetFields(ids=[network], values={"settings.cycle_ms": 2 + n % 3})
    yield "one PDO more or less", lambda n: edits.SetFields(ids=[drive], values={"settings.pdos.1A01": n % 2 == 0})
    yield "a module's designation", lambda n: edits.SetFields(ids=[module], values={"designation": f"-K{n}"})


def advanced(held: Analysis, make: _Make) -> float:
    """What the analysis after each of many edits takes, p95, ms."""
    took = []
    for n in range(_EDITS):
        made = apply(held.plant, LIBRARY, make(n))
        took.append(timed(lambda made=made: held.advance(made.plant, made.change)))  # type: ignore[misc]
    return p95(took)


def edited(full: Plant, title: str, kinds: Iterable[tuple[str, _Make]]) -> Iterator[Benchmark]:
    """A full network from scratch, and the analysis after each of several kinds of edit."""
    yield Benchmark(f"{title}: analysis from scratch", lambda: timed(lambda: analyse(full, LIBRARY)))
    held = analyse(full, LIBRARY)
    # As the server does with a plant it has opened.
    gc.collect()
    gc.freeze()
    for words, make in kinds:
        yield Benchmark(f"  {words}, p95", lambda m=make: advanced(held, m), "ms", "", "< 40")  # type: ignore[misc]
