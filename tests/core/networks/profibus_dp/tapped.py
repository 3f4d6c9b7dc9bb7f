"""A bench whose PROFIBUS line is listened to."""

from __future__ import annotations

from highmoor.core.bench.bench import Bench
from highmoor.core.plant.plant import Plant

from . import steep


def tapped(plant: Plant, seconds: float, built: Plant | None = None) -> tuple[Bench, list[tuple[int, bytes]]]:
    """The bench after so long, and what went over its line: when each began (ns), its octets."""
    bench = Bench(plant, steep.LIBRARY, built)
    log: list[tuple[int, bytes]] = []
    line = bench.lines[steep.network(plant).id]
    line.taps.append(lambda at, octets: log.append((at, octets)))
    bench.run_until(seconds)
    return bench, log
