"""A coupler's own watchdog: what its outputs do when nobody writes them any more.

Each output module says what it does on loss of its controller; the coupler decides when that is.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.hardware.mounting import carries_modules
from highmoor.core.networks.fieldbus import Mend
from highmoor.core.networks.line_time import Timing
from highmoor.core.networks.modbus.settings import watchdog_ms
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Connection, Exchange, Station

# A watchdog of three writes survives a lost one.
_WRITES = 3


def _lets_go(result: Timing, reader: Reader, root: str) -> Iterator[Finding]:
    times = {told.exchange: told for told in result.exchanges}
    for station in reader.children(Station, root):
        device = reader.type(station.type)
        waits = watchdog_ms(station.settings)
        if device is None or not carries_modules(device) or not waits:
            continue
        told = [
            times[exchange.id]
            for connection in reader.children(Connection, station.id)
            for exchange in reader.children(Exchange, connection.id)
            if exchange.direction == "out" and exchange.id in times
        ]
        # Any write feeds it: the quickest one counts.
        worst = min((t.period_ms + (t.worst_late_ms or 0) + t.transaction_ms for t in told if t.period_ms), default=0.0)
        if worst > waits:
            yield finding(
                "NET-215", (station.id, "settings.watchdog_ms"), station=station.name, waits=shown(waits),
                worst=shown(worst, 4),
            )  # fmt: skip


def longer_watchdog(_: Analysis, found: Finding) -> Mend:
    """Three writes long, in steps of 50 ms."""
    enough = 50 * math.ceil(_WRITES * float(dict(found.values)["worst"]) / 50)
    return Mend(f"Wait for {enough} ms", found.places[0].id, {"settings.watchdog_ms": enough})


CHECKS: tuple[Check, ...] = (
    Check(
        "NET-215", "network.timing", "networks", "error", "Outputs let go between two writes",
        "{station} lets go of its outputs {waits} ms after a write, but the next may come after {worst} ms.",
        "Outputs that should stay on would drop out every period.",
        _lets_go,
    ),
)  # fmt: skip
