"""PROFINET with 256 stations, stars of lines: what an edit's analysis takes, and how fast the bench runs it."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from highmoor.core.demo.bagging import hung_up, stars_of_lines
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


def stars() -> Plant:
    """A controller with 256 stations on one port, which has room for their addresses."""
    pins, keys = pins_of(demo_files())
    made = edits.Batch(
        edits=[edits.AddTypes(types=pins), edits.AddController(type="tarnfell.tf-42", name="PLC", address="10.0.0.1")]
    )
    plant = apply(new_plant("Stars"), LIBRARY, made).plant
    port = next(port for port in plant.all(Port) if port.address)
    wide = edits.SetFields(ids=[port.id], values={"mask": "255.255.252.0"})
    plant = apply(plant, LIBRARY, wide).plant
    plant = apply(plant, LIBRARY, stars_of_lines(keys, port.id)).plant
    return apply(plant, LIBRARY, hung_up(plant)).plant


def benchmarks() -> Iterator[Benchmark]:
    """A full network, edited and on the bench."""
    full = stars()
    yield from edited(full, "256 PROFINET stations", _kinds(full))
    yield Benchmark("  on the bench, not paced", lambda: 1000 / cpu_ms(full, LIBRARY, 2), "×", "", "")


def _kinds(plant: Plant) -> Iterator[tuple[str, _Make]]:
    """A name, an update time, a length of cable, the send clock, where a cable comes from, a designation."""
    network = plant.all(Network)[0].id
    first = next(station for station in plant.all(Station) if station.name == "S0").id
    rail = next(rail for rail in plant.all(Rail) if rail.head == first)
    module = plant.children(Module, rail.id)[-1].id
    switches = [station.id for station in plant.all(Station) if station.name.startswith("W")]
    yield "rename a station", lambda n: edits.SetFields(ids=[first], values={"name": f"X{n}"})
    yield "its name of station", lambda n: edits.SetFields(ids=[first], values={"settings.device_name": f"x{n}"})
    yield "an update time", lambda n: edits.SetFields(ids=[first], values={"settings.update_ms": (16, 32)[n % 2]})
    yield "a length of cable", lambda n: edits.SetFields(ids=[first], values={"settings.length_m": 3 + n})
    yield "the send clock", lambda n: edits.SetFields(ids=[network], values={"settings.clock": (32, 64)[n % 2]})
    yield "another switch", lambda n: edits.SetFields(ids=[first], values={"upstream": switches[n % 2]})
    yield "a module's designation", lambda n: edits.SetFields(ids=[module], values={"designation": f"-K{n}"})
