"""Safety: a corner of a zone that is dragged, with all that follows from it."""

from __future__ import annotations

import time
from collections.abc import Iterator
from math import sin

from highmoor.core.analysis.engine import Reader
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, SafetyFunction, Situation, Zone
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.new import new_plant
from highmoor.core.project.sealing import seal
from highmoor.server.benchmarks.table import Benchmark, p95
from highmoor.server.demo import demo_files, demo_with_types
from highmoor.server.library import LIBRARY

_SITUATIONS, _ZONES, _CORNERS = 6, 4, 100
_DRAGS = 60


def _ring(turn: int) -> list[list[float]]:
    """The width of an aisle, its far edge uneven."""
    across = _CORNERS - 3
    far = [[-2000 + 4000 * n / across, 2300 + 300 * sin(0.7 * n + turn)] for n in range(across + 1)]
    return [[-2000, 0], *far, [2000, 0]]


def _many() -> Plant:
    """An aisle with a scanner; every situation answers to the first zone, and to another one."""
    made: list[edits.Edit] = [
        edits.AddController(type="tarnfell.tf-42", name="PLC", tag="$c"),
        edits.AddScanner(controller="$c", scanner="ws-3", tag="$s"),
    ]
    walls = ([[-2000, -1500], [-2000, 9000]], [[2000, -1500], [2000, 9000]], [[-2000, -1500], [2000, -1500]])
    hazard = [[-2000, -1500], [2000, -1500], [2000, -50], [-2000, -50]]
    made += [edits.AddPlanShape(scanner="$s", shape="wall", points=[*wall]) for wall in walls]
    made += [
        edits.AddPlanShape(scanner="$s", shape="open", points=[[-2000, 9000], [2000, 9000]]),
        edits.AddPlanShape(scanner="$s", shape="hazard", points=hazard),
    ]
    for n in range(_ZONES):
        shape = {"kind": "polygon", "points": _ring(n)}
        made.append(edits.AddZone(scanner="$s", shape=shape, tag=f"$z{n}"))
    for n in range(_SITUATIONS):
        made.append(edits.AddSituation(scanner="$s", tag=f"$n{n}"))
        for output, zone in ((1, 0), (2, 1 + n % (_ZONES - 1))):
            made.append(edits.UseZone(situation=f"$n{n}", output=output, zone=f"$z{zone}"))
    return apply(new_plant("Aisle"), BUILTIN, edits.Batch(edits=made)).plant


def _dragged(plant: Plant) -> float:
    """What a preview takes with clip, distance and shortfall of every situation, p95, ms."""
    analysis, zone = analyse(plant, BUILTIN), plant.all(Zone)[0]
    told = [("situation.told", one.id) for one in plant.all(Situation)]
    took = []
    for n in range(_DRAGS):
        points = [list(point) for point in zone.settings["shape"]["points"]]
        points[_CORNERS // 2][1] += 3 * n
        shape = {"kind": "polygon", "points": points}
        begin = time.perf_counter()
        made = apply(plant, BUILTIN, edits.SetFields(ids=[zone.id], values={"settings.shape": shape}))
        analysis.preview(made.plant, made.change, [("zone.told", zone.id), *told])
        took.append(1000 * (time.perf_counter() - begin))
    return p95(took)


def benchmarks() -> Iterator[Benchmark]:
    """What is asked of safety."""
    plant = _many()
    what = f"scanner: a corner dragged, {_SITUATIONS} situations, {_ZONES} zones of {_CORNERS} corners, p95"
    yield Benchmark(what, lambda: _dragged(plant), "ms", "", "< 50")
    yield Benchmark("seal of the demo: all it covers, its hashes", _sealed, "ms", "", "< 200")


def _sealed() -> float:
    """What going through all that a seal covers takes, and comparing it with the last one, p95, ms."""
    plant = demo_with_types(demo_files())
    hall = next(one.id for one in plant.all(Controller) if plant.children(SafetyFunction, one.id))
    made = seal(analyse(plant, LIBRARY), hall, at="2026-11-30T14:05Z", by="demo", revision=1, edited_last=False)
    analysis = analyse(made.plant, LIBRARY)
    took = []
    for _ in range(20):
        begin = time.perf_counter()
        analysis.parts["controller.covered"].compute(Reader(analysis), hall)
        analysis.parts["controller.seal"].compute(Reader(analysis), hall)
        took.append(1000 * (time.perf_counter() - begin))
    return p95(took)
