"""PROFIBUS with all the stations a line can have: what an edit's analysis takes, and how fast the bench runs it."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from highmoor.core.demo.steep_house import in_segments
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Module, Network, Port, Rail, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.new import new_plant
from highmoor.server.benchmarks.bench import cpu_ms
from highmoor.server.benchmarks.on_the_fly import edited
from highmoor.server.benchmarks.table import Benchmark
from highmoor.server.demo import demo_files, pins_of
from highmoor.server.library import LIBRARY

_Make = Callable[[int], edits.Edit]


def _line() -> Plant:
    pins, keys = pins_of(demo_files())
    made = edits.Batch(
        edits=[
            edits.AddTypes(types=pins),
            edits.AddController(type="tarnfell.tf-42", name="PLC", rail_tag="$r"),
            edits.InsertModules(rail="$r", type="tarnfell.pb-1"),
        ]
    )
    plant = apply(new_plant("Line"), LIBRARY, made).plant
    port = next(port for port in plant.all(Port) if port.key == "P")
    return apply(plant, LIBRARY, in_segments(keys, port.id)).plant


def benchmarks() -> Iterator[Benchmark]:
    """A full line, edited and on the bench."""
    full = _line()
    yield from edited(full, "125 PROFIBUS stations", _kinds(full))
    yield Benchmark("  on the bench, not paced", lambda: 1000 / cpu_ms(full, LIBRARY, 5), "×", "", "> 35")


def _kinds(plant: Plant) -> Iterator[tuple[str, _Make]]:
    """A name, a rate, a length of cable, a bus parameter, one module more or less."""
    first, network = plant.all(Station)[0].id, plant.all(Network)[0].id
    rail = next(rail for rail in plant.all(Rail) if rail.head == first)
    module = plant.children(Module, rail.id)[-1].type
    yield "rename a station", lambda n: edits.SetFields(ids=[first], values={"name": f"X{n}"})
    yield (
        "another rate",
        lambda n: edits.SetFields(ids=[network], values={"settings.baud": (500_000, 1_500_000)[n % 2]}),
    )
    yield "a length of cable", lambda n: edits.SetFields(ids=[first], values={"settings.length_m": 3 + n})
    yield "the slot time", lambda n: edits.SetFields(ids=[network], values={"settings.bus.slot": 300 + n})
    yield "a module more", lambda _: edits.InsertModules(rail=rail.id, type=module)
