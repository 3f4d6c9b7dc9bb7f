"""A catalogue of 2 000 types that came from files."""

from __future__ import annotations

import dataclasses
import hashlib
from collections.abc import Iterator

from django.conf import settings

from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.reading.families import read_octets
from highmoor.core.demo.plant import demo_plant
from highmoor.core.plant.rows import Rail
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.server.benchmarks.plants import client, stored
from highmoor.server.benchmarks.table import Benchmark, p95, timed
from highmoor.server.library import LIBRARY, learn


def benchmarks() -> Iterator[Benchmark]:
    """The list with footprints, and all types against one place."""
    file = (settings.ROOT / "demo" / "cv7.eds").read_bytes()
    device = read_octets(file, "cv7.eds").devices[0]
    plant = demo_plant()
    pins = []
    for n in range(2000):
        digest = hashlib.sha256(str(n).encode()).hexdigest()
        name = f"{device.key}.{n}"
        learn(pinned_key(name, digest, 1), dataclasses.replace(device, name=f"Drive {n}", product_code=n))
        pins.append(edits.TypePin(device=name, sha256=digest, reader=1, file=f"drive{n}.eds"))
    for begin in range(0, len(pins), 500):
        plant = apply(plant, LIBRARY, edits.AddTypes(types=pins[begin : begin + 500])).plant
    key = stored(plant)
    client().get(f"/api/plants/{key}")

    def asked(path: str) -> float:
        return p95([timed(lambda: client().get(f"/api/plants/{key}/{path}")) for _ in range(10)])

    for what, path in (
        ("the list with footprints", "catalogue"),
        ("all against a place", f"demand?place={plant.all(Rail)[0].id}"),
    ):
        yield Benchmark(f"catalogue of 2 000 types: {what}, p95", lambda p=path: asked(p), "ms", "", "< 100")  # type: ignore[misc]
