"""How much faster than real time the bench runs the demo plant, and what each of its networks costs."""

from __future__ import annotations

import time
from collections.abc import Iterator

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Network
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.server.benchmarks.table import Benchmark

_SIMULATED_S = 30


def benchmarks() -> Iterator[Benchmark]:
    """The whole plant, and CPU a simulated second: without networks, and what each one adds."""
    plant = demo_plant()
    networks = plant.all(Network)
    yield Benchmark(
        "bench of the demo plant, not paced", lambda: 1000 / _cpu_ms(plant), "×", "67–73", "> 100"
    )  # fmt: skip
    bare = _without(plant, [network.id for network in networks])
    yield Benchmark("  CPU a simulated second, without networks", lambda: _cpu_ms(bare))
    for network in networks:
        alone = _without(plant, [other.id for other in networks if other.id != network.id])
        yield Benchmark(f"    {network.name} adds", lambda one=alone: _cpu_ms(one) - _cpu_ms(bare))  # type: ignore[misc]


def _without(plant: Plant, networks: list[str]) -> Plant:
    return apply(plant, BUILTIN, edits.Remove(ids=networks)).plant if networks else plant


def _cpu_ms(plant: Plant) -> float:
    """CPU time a simulated second takes, ms."""
    bench = Bench(plant, BUILTIN)
    bench.run_until(1)
    began = time.process_time()
    bench.run_until(1 + _SIMULATED_S)
    return (time.process_time() - began) * 1000 / _SIMULATED_S
