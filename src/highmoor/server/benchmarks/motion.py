"""Axes: a handle that is dragged, thirty-two of them on the bench, the demo's at rest and all moving."""

from __future__ import annotations

import gc
import time
from collections.abc import Iterator

from highmoor.core.bench.bench import Bench
from highmoor.core.demo.plant import demo_plant
from highmoor.core.demo.turner import on_the_fly
from highmoor.core.errors import Refusal
from highmoor.core.motion.robots.reach import reach
from highmoor.core.motion.robots.types import TYPES
from highmoor.core.motion.trial import curve, proposed
from highmoor.core.numbers import exact
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, ChainLink, Port, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.new import new_plant
from highmoor.server.benchmarks.table import Benchmark, p95, timed
from highmoor.server.demo import demo_files, pins_of
from highmoor.server.library import LIBRARY

_DRAGS = 200
_DRAWN = 30
_SECONDS = 5.0
_AXES = 32


def _demo() -> Plant:
    pins, keys = pins_of(demo_files())
    return demo_plant(LIBRARY, keys, pins)


def _many() -> Plant:
    """So many servo axes on one line, every 2 ms."""
    pins, keys = pins_of(demo_files())
    made = edits.Batch(edits=[edits.AddTypes(types=pins), edits.AddController(type="tarnfell.tf-42", name="PLC")])
    plant = apply(new_plant("Axes"), LIBRARY, made).plant
    port = next(port for port in plant.all(Port) if port.key == "E")
    plant = apply(plant, LIBRARY, on_the_fly(keys, port.id, 1, _AXES, 2)).plant
    for n, drive in enumerate(s for s in plant.all(Station) if s.name.startswith("D")):
        owner = plant.all(Port)[0].device
        add = edits.AddAxis(controller=owner, axis="endless", name=f"A{n + 1}", drive=drive.id, tag="$a")
        applied = apply(plant, LIBRARY, add)
        plant, axis = applied.plant, applied.tags["$a"]
        motor, load = (
            next(link.id for link in plant.children(ChainLink, axis) if link.kind == kind) for kind in ("motor", "load")
        )
        sizes = {"settings.counts": 2**20, "settings.inertia": 0.001, "settings.peak_nm": 20}
        steps: list[edits.Edit] = [
            edits.SetFields(ids=[motor], values=sizes),
            edits.SetFields(ids=[load], values={"settings.inertia": 0.01}),
            edits.SetFields(ids=[axis], values={"settings.speed": 360, "settings.acceleration": 720}),
            edits.NameWords(axis=axis),
        ]
        plant = apply(plant, LIBRARY, edits.Batch(edits=steps)).plant
    return plant


def _times(plant: Plant, *, moving: bool) -> float:
    """How much faster than real time it goes, with all axes that answer moving all the time, or none."""
    bench = Bench(plant, LIBRARY)
    for controller in bench.safety.of:
        bench.safety.restart(controller)
    bench.run_until(3)
    if moving:
        for axis in bench.axes.commanders:
            _try(bench, axis, "enable", {})
        bench.run_until(4)
        for axis, commander in bench.axes.commanders.items():
            bounds = commander.of.bounds
            speed = float(bounds.speed or 1) / 10
            rate = float(bounds.acceleration or 1)
            _try(bench, axis, "move", {"distance": speed * _SECONDS * 0.9, "speed": speed, "acceleration": rate})
    begin = bench.seconds
    # As in the process that a bench has to itself.
    gc.collect()
    gc.freeze()
    try:
        took = timed(lambda: bench.run_until(begin + _SECONDS))
    finally:
        gc.unfreeze()
    return 1000 * _SECONDS / took


def _try(bench: Bench, axis: str, key: str, value: dict[str, float]) -> None:
    try:
        bench.axes.command(axis, key, value)
    except Refusal:
        # One whose drive is as built otherwise than drawn does not answer.
        return


def _dragged(plant: Plant) -> float:
    analysis = analyse(plant, LIBRARY)
    axis = next(axis for axis in plant.all(Axis) if axis.name == "LIFT")
    took = []
    for n in range(_DRAGS):
        begin = time.perf_counter()
        chain = analysis.result("axis.links", axis.id)
        proposed(axis, chain)
        curve(axis, exact(100), exact(20 + n), exact(125), None)
        took.append(1000 * (time.perf_counter() - begin))
    return p95(took)


def _reached() -> float:
    took = []
    for n in range(_DRAWN):
        of = list(TYPES.values())[n % len(TYPES)]
        far = of.delta.upper_arm + of.delta.lower_arm
        took.append(timed(lambda of=of, z=-far * (0.4 + 0.5 * n / _DRAWN): reach(of, z)))  # type: ignore[misc]
    return p95(took)


def benchmarks() -> Iterator[Benchmark]:
    """What is asked of motion."""
    demo = _demo()
    yield Benchmark("a robot's reach drawn, p95", _reached, "ms", "", "< 200")
    yield Benchmark("axes: a handle dragged, the curve back, p95", lambda: _dragged(demo), "ms", "", "< 50")
    yield Benchmark("  the demo's bench, axes at rest, not paced", lambda: _times(demo, moving=False), "×", "", "> 20")
    yield Benchmark("  all its axes moving", lambda: _times(demo, moving=True), "×", "", "> 8")
    many = _many()
    yield Benchmark(f"  {_AXES} axes every 2 ms, at rest", lambda: _times(many, moving=False), "×", "", "> 10")
    yield Benchmark(f"  {_AXES} axes every 2 ms, all moving", lambda: _times(many, moving=True), "×", "", "> 10")
