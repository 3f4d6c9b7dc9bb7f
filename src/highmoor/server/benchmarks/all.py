"""All benchmarks, one after the other, as one table."""

from __future__ import annotations

import gzip
import statistics
import tempfile
from pathlib import Path

from django.conf import settings

from highmoor.server.benchmarks import (
    bench,
    catalogue,
    editing,
    in_segments,
    in_stars,
    lists,
    motion,
    on_the_fly,
    programs,
    safety,
)
from highmoor.server.benchmarks.table import Benchmark, heading, line, own_loop, printed
from highmoor.server.page import files_of_page


def run() -> int:
    """All benchmarks against a database of their own."""
    with tempfile.TemporaryDirectory(prefix="highmoor-bench-") as folder:
        settings.DATABASES["default"]["NAME"] = Path(folder) / "bench.sqlite3"
        from django.core.management import call_command
        from django.db import connections

        connections["default"].settings_dict["NAME"] = str(Path(folder) / "bench.sqlite3")
        call_command("migrate", verbosity=0)
        settings.ALLOWED_HOSTS = ["testserver"]
        heading()
        groups = (editing, lists, programs, motion, safety, catalogue, on_the_fly, in_segments, in_stars, bench)
        for group in (module.benchmarks() for module in groups):
            _yardstick()
            for benchmark in group:
                printed(benchmark)
        _yardstick()
        _bundle()
    return 0


def _yardstick() -> None:
    line("the machine's own loop", f"{statistics.median(own_loop() for _ in range(5)):.1f} ms", "", "", "")


def _bundle() -> None:
    """What the first page fetches, and what comes when a program is first opened."""
    first = files_of_page()
    if first is None:
        print("front end not built: no bundle to measure")
        return
    every = {f for f in settings.WEB_DIST.glob("assets/*") if f.suffix in (".js", ".css")}
    at_once = {settings.WEB_DIST / name for name in (first["script"], *first["styles"], *first["preloads"])}
    for what, files, aim in (("front end, gzipped", at_once, "< 250"), ("  fetched later", every - at_once, "")):
        size = sum(len(gzip.compress(f.read_bytes())) for f in files)
        printed(Benchmark(what, lambda size=size: size / 1000, "kB", "", aim, 1))  # type: ignore[misc]
