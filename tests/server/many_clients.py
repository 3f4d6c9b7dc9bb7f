"""The benchmark of many at once: so many plants, edited by as many clients of the real server."""

from __future__ import annotations

import statistics
import tempfile
import threading
import time
from pathlib import Path

from highmoor.server.benchmarks.table import line, p95
from tests.server.running import RunningServer, Visitor

_CLIENTS, _SECONDS, _ROUNDS = 34, 6.0, 5


def main() -> None:
    """Printed like the other benchmarks."""
    with tempfile.TemporaryDirectory() as data:
        server = RunningServer(Path(data))
        try:
            visitors = [Visitor(server.url) for _ in range(_CLIENTS)]
            plants = [
                v.call("POST", "plants", {"name": f"Plant {n}", "demo": True})["key"] for n, v in enumerate(visitors)
            ]
            rounds = [_round(visitors, plants) for _ in range(_ROUNDS)]
        finally:
            server.stop()
    rates = sorted(rate for rate, _ in rounds)
    what = f"{_CLIENTS} plants edited by {_CLIENTS} clients at once"
    line(what, f"{statistics.median(rates):.1f} /s", f"{rates[0]:.1f}–{rates[-1]:.1f}", "8", "> 50")
    line("  an edit of these, p95", f"{statistics.median(late for _, late in rounds):.0f} ms", "", "", "")


def _round(visitors: list[Visitor], plants: list[str]) -> tuple[float, float]:
    """Edits a second over some seconds, and the time that one in twenty takes longer than, ms."""
    took: list[float] = []
    until = time.monotonic() + _SECONDS

    def work(visitor: Visitor, plant: str) -> None:
        known = visitor.call("GET", f"plants/{plant}")
        revision, signals = known["revision"], [row["id"] for row in known["rows"]["signals"]]
        while time.monotonic() < until:
            began = time.monotonic()
            edit = {"kind": "set", "ids": [signals[revision % len(signals)]], "values": {"name": f"Renamed{revision}"}}
            body = {"base": revision, "client": "c", "client_key": f"{plant}-{revision}", "label": "n", "edit": edit}
            revision = visitor.call("POST", f"plants/{plant}/edits", body)["revision"]
            took.append(1000 * (time.monotonic() - began))

    threads = [threading.Thread(target=work, args=pair) for pair in zip(visitors, plants, strict=True)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return len(took) / _SECONDS, p95(took)


if __name__ == "__main__":
    main()
