"""Benchmarks: figures and what is aimed at, printed; never a reason to fail."""

from __future__ import annotations

import dataclasses
import gc
import gzip
import hashlib
import json
import random
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from django.conf import settings

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.reading.families import read_octets
from highmoor.core.demo.generated import generated_cell, generated_line, generated_plant
from highmoor.core.demo.plant import demo_plant
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Exchange, Module, Rail, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.server.library import LIBRARY, learn

_ROUNDS = 120


def run() -> int:
    """All benchmarks against a database of their own."""
    with tempfile.TemporaryDirectory(prefix="highmoor-bench-") as folder:
        settings.DATABASES["default"]["NAME"] = Path(folder) / "bench.sqlite3"
        from django.core.management import call_command
        from django.db import connections

        connections["default"].settings_dict["NAME"] = str(Path(folder) / "bench.sqlite3")
        call_command("migrate", verbosity=0)
        settings.ALLOWED_HOSTS = ["testserver"]
        _large()
        _demo()
        _rails()
        _serial_line()
        _scanner()
        _catalogue()
        _bench()
        _bundle()
    return 0


def _say(what: str, value: float, unit: str, aim: str) -> None:
    print(f"{what:<58}{value:>10.1f} {unit:<4} aimed at {aim}")


def _timed(work: Callable[[], Any]) -> float:
    began = time.perf_counter()
    work()
    return (time.perf_counter() - began) * 1000


def _large() -> None:
    plant = generated_plant()
    counts = {kind.__name__: len(plant.all(kind)) for kind in (Module, Signal)}
    print(f"Generated plant: {counts['Module']} modules, {counts['Signal']} signals")
    _say("analysis from scratch", _timed(lambda: analyse(plant, BUILTIN)), "ms", "< 1000")
    key = _stored(plant)
    client = _client()
    opened = _timed(lambda: client.get(f"/api/plants/{key}"))
    _say("opening the plant (database, analysis, answer)", opened, "ms", "< 1500")
    _edits("one edit, saved and answered, p95", client, key, plant, "< 100")


def _demo() -> None:
    plant = demo_plant()
    print("Demo plant")
    key = _stored(plant)
    client = _client()
    client.get(f"/api/plants/{key}")
    _edits("edit round trip, p95", client, key, plant, "< 60")
    signal = plant.all(Signal)[0].id
    edit = {"kind": "set", "ids": [signal], "values": {"note": "x"}}
    took = [_timed(lambda: _post(client, f"/api/plants/{key}/preview", {"edit": edit})) for _ in range(_ROUNDS)]
    _say("a keystroke's preview, p95", _p95(took), "ms", "< 100")


def _rails() -> None:
    """A rail of 64 modules, and 100 rails of 10: any edit."""
    for what, plant in (
        ("One rail of 64 modules", generated_plant(1, 64, 500, rails=1)),
        ("100 rails of 10 modules", generated_plant(34, 1000, 3400)),
    ):
        print(what)
        key = _stored(plant)
        client = _client()
        client.get(f"/api/plants/{key}")
        _edits("edit round trip, p95", client, key, plant, "< 60")


def _serial_line() -> None:
    """247 stations on one line: what an edit of one period costs the analysis."""
    print("Serial line of 247 stations")
    _one_edit(generated_line(247), lambda n: {"settings.period_ms": 10_000 + 1000 * (n % 3 + 1)})


def _scanner() -> None:
    """256 connections on one scanner, behind switches in a chain: what an edit of one interval costs the analysis."""
    print("Scanner with 256 connections")
    _one_edit(generated_cell(256), lambda n: {"settings.rpi_ms": 25 + n % 3})


def _one_edit(plant: Plant, values: Callable[[int], dict[str, Any]]) -> None:
    """What the analysis takes when one exchange after the other is set."""
    analysis = analyse(plant, BUILTIN)
    # As the server does when it has opened a plant: what is kept for good is not looked through for garbage.
    gc.collect()
    gc.freeze()
    took = []
    for n, exchange in enumerate(plant.all(Exchange)[:_ROUNDS]):
        applied = apply(analysis.plant, BUILTIN, edits.SetFields(ids=[exchange.id], values=values(n)))
        took.append(_timed(lambda a=applied: analysis.advance(a.plant, a.change)))  # type: ignore[misc]
    _say("analysis after one edit, p95", _p95(took), "ms", "< 50")


def _catalogue() -> None:
    """2 000 types of files: the list with footprints, and all of them against one place."""
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
    print("Catalogue of 2 000 types")
    key = _stored(plant)
    client = _client()
    client.get(f"/api/plants/{key}")
    rail = plant.all(Rail)[0].id
    for what, path in (
        ("the list with footprints, p95", "catalogue"),
        ("all against a place, p95", f"demand?place={rail}"),
    ):
        took = [_timed(lambda p=path: client.get(f"/api/plants/{key}/{p}")) for _ in range(20)]  # type: ignore[misc]
        _say(what, _p95(took), "ms", "< 100")


def _stored(plant: Plant) -> str:
    from django.contrib.auth.models import User

    from highmoor.server.store import create_project

    user, _ = User.objects.get_or_create(username="bench")
    return create_project(plant, user, "benchmark").key


def _client() -> Any:
    from django.contrib.auth.models import User
    from django.test import Client

    client = Client()
    client.force_login(User.objects.get(username="bench"))
    return client


def _post(client: Any, path: str, body: Any) -> Any:
    response = client.post(path, json.dumps(body), content_type="application/json")
    if response.status_code != 200:
        raise RuntimeError(response.content.decode())
    return response.json()


def _edits(what: str, client: Any, key: str, plant: Plant, aim: str) -> None:
    """Different edits in turn: a name, a module's place, a setting, a new module."""
    chance = random.Random(1)
    signals = plant.all(Signal)
    # Rails with computed slots take any number of modules; too many are a finding, not a refusal.
    heads = {c.id for c in plant.all(Controller) if c.type == "tarnfell.tf-42"}
    rails = [rail for rail in plant.all(Rail) if rail.head in heads]
    revision = client.get(f"/api/plants/{key}").json()["revision"]
    took = []
    for n in range(_ROUNDS):
        signal, rail = chance.choice(signals), chance.choice(rails)
        kinds: list[dict[str, Any]] = [
            {"kind": "set", "ids": [signal.id], "values": {"name": f"Renamed{n}"}},
            {"kind": "insert-modules", "rail": rail.id, "type": "tarnfell.di-16"},
            {"kind": "set", "ids": [signal.id], "values": {"asked_ms": n + 1}},
            {"kind": "set", "ids": [rail.id], "values": {"name": f"Rail{n}"}},
        ]
        body = {"base": revision, "client": "b", "client_key": f"{key}-{n}", "label": "b", "edit": kinds[n % 4]}
        took.append(_timed(lambda b=body: _post(client, f"/api/plants/{key}/edits", b)))  # type: ignore[misc]
        revision += 1
    _say(what, _p95(took), "ms", aim)
    _say("  of these the median", statistics.median(took), "ms", "")


def _p95(values: list[float]) -> float:
    return sorted(values)[int(len(values) * 0.95)]


def _bench() -> None:
    bench = Bench(demo_plant(), BUILTIN)
    bench.run_until(1)
    began = time.perf_counter()
    bench.run_until(121)
    _say("bench against real time, not paced", 120 / (time.perf_counter() - began), "×", "> 50")


def _bundle() -> None:
    files = [f for f in settings.WEB_DIST.glob("assets/*") if f.suffix in (".js", ".css")]
    if not files:
        print("front end not built: no bundle to measure")
        return
    size = sum(len(gzip.compress(f.read_bytes())) for f in files)
    _say("front-end bundle, gzipped", size / 1000, "kB", "< 250")
