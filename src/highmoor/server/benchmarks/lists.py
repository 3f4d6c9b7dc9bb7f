"""Signals by the thousand: pasted, given out as a workbook, and a list of 5 000 lines read, compared and taken."""

from __future__ import annotations

import json
from collections.abc import Iterator
from itertools import count
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile

from highmoor.core.demo.generated import generated_plant
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Signal
from highmoor.core.project.edits import TakeList
from highmoor.intake.sheets import read_sheet
from highmoor.server.benchmarks.plants import Edited, client, post
from highmoor.server.benchmarks.table import Benchmark, timed
from highmoor.sheets import xlsx_octets

_LINES = 5000
_KEYS = ("tag", "text", "location", "strip", "terminal", "cable", "core", "kind", "range", "unit")


def benchmarks() -> Iterator[Benchmark]:
    """On 10 000 signals of one controller."""
    plant = generated_plant(1, 2000, 10_000)
    held = Edited(plant)
    number = count()

    def pasted() -> float:
        n = next(number)
        rows = [{"name": f"Pasted{n}_{i}", "type": "REAL", "unit": "m", "note": "from a sheet"} for i in range(1000)]
        return held.edit({"kind": "paste-signals", "controller": plant.all(Controller)[0].id, "rows": rows})

    path = f"/api/plants/{held.key}/signals.xlsx"
    yield Benchmark(
        "10 000 signals: all as a workbook", lambda: timed(lambda: client().get(path).content), "ms", "", "< 3000", 3
    )
    text = client().get(path).content

    def read_in() -> float:
        file = SimpleUploadedFile("signals.xlsx", text)
        return timed(lambda: client().post(f"/api/plants/{held.key}/signals/files", {"file": file}))

    yield Benchmark("  that workbook read in and laid beside the plant", read_in, "ms", "", "", 1)
    # Last, for each round makes more of them.
    yield Benchmark("  1 000 rows pasted, saved", pasted, "ms", "", "< 1000")
    yield from _list(generated_plant(1, 2000, 10_000))


def _list(plant: Plant) -> Iterator[Benchmark]:
    held = Edited(plant)
    first = _issue(plant, [_line(signal.name, n) for n, signal in enumerate(plant.all(Signal)[:_LINES])])
    rows = [list(_KEYS), *(row["cells"] for row in first["rows"])]
    octets = xlsx_octets(rows, "List")
    yield Benchmark(
        "a list of 5 000 lines: its workbook read", lambda: timed(lambda: read_sheet(octets)), "ms", "", "", 3
    )
    _take(held, first)
    lines = [_line(signal.name, n) for n, signal in enumerate(plant.all(Signal)[100 : _LINES + 100])]
    for n in range(0, _LINES, 10):
        lines[n] = {**lines[n], "text": f"changed {n}", "range": f"0 … {n}"}
    second = {**_issue(plant, lines), "of": client().get(f"/api/plants/{held.key}").json()["rows"]["lists"][0]["id"]}
    where = f"/api/plants/{held.key}/lists/issue"
    yield Benchmark("  compared, 1 200 differences", lambda: timed(lambda: post(where, second)), "ms", "", "< 2000")
    yield Benchmark("  taken, saved", lambda: _take(held, second), "ms", "", "", 1)


def _line(tag: str, n: int) -> dict[str, str]:
    return {
        "tag": tag, "text": f"Level of tank {n}", "location": f"Room {n % 40}", "strip": f"-X{n % 90}",
        "terminal": str(n % 64), "cable": f"-W{n // 8}", "core": str(n % 8), "kind": "AI 4-20 mA", "range": "0 … 10",
        "unit": "m",
    }  # fmt: skip


def _issue(plant: Plant, lines: list[dict[str, str]]) -> dict[str, Any]:
    return {
        "name": "list.xlsx",
        "controller": plant.all(Controller)[0].id,
        "headings": [{"text": key, "key": key} for key in _KEYS],
        "rows": [{"row": n + 2, "cells": [line[key] for key in _KEYS]} for n, line in enumerate(lines)],
    }


def _take(held: Edited, issue: dict[str, Any]) -> float:
    """Everything that differs; how long that takes, ms."""
    told = post(f"/api/plants/{held.key}/lists/issue", issue)
    edit = TakeList(**issue, taken=[one["id"] for one in told["differences"]])
    return held.edit(json.loads(edit.model_dump_json()))
