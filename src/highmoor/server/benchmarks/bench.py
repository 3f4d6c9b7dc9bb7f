"""How much faster than real time the bench runs the demo plant, and what each of its networks costs."""

from __future__ import annotations

import time
from collections.abc import Iterator

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Network
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.server.benchmarks.table import Benchmark
from highmoor.server.demo import demo_files, demo_with_types
from highmoor.server.library import LIBRARY

_SIMULATED_S = 30


def benchmarks() -> Iterator[Benchmark]:
    """The whole plant, and CPU a simulated second: without networks, and what each one adds."""
    plant = demo_with_types(demo_files())
    networks = plant.all(Network)
    yield Benchmark(
        "bench of the demo plant, not paced", lambda: 1000 / cpu_ms(plant, LIBRARY), "×", "", "> 25"
    )  # fmt: skip
    bare = _without(plant, [network.id for network in networks])
    yield Benchmark("  CPU a simulated second, without networks", lambda: cpu_ms(bare, LIBRARY))
    for network in networks:
        alone = _without(plant, [other.id for other in networks if other.id != network.id])
        yield Benchmark(f"    {network.name} adds", lambda one=alone: cpu_ms(one, LIBRARY) - cpu_ms(bare, LIBRARY))  # type: ignore[misc]


def _without(plant: Plant, networks: list[str]) -> Plant:
    return apply(plant, LIBRARY, edits.Remove(ids=networks)).plant if networks else plant


def cpu_ms(plant: Plant, catalogue: Catalogue, seconds: float = _SIMULATED_S) -> float:
    """CPU time a simulated second takes, ms, over so many of them."""
    bench = Bench(plant, catalogue)
    bench.run_until(1)
    began = time.process_time()
    bench.run_until(1 + seconds)
    return (time.process_time() - began) * 1000 / seconds
