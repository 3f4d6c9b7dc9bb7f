"""Is the far end alive? A counter written each cycle and watched as it comes back, or a bit mirrored and timed.

The controller drives the register of the writing exchange by itself. The status bit of the reading one says whether the
far end is alive: whether what it gives has changed within the watch time.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Literal

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.networks.fieldbus import Mend
from highmoor.core.networks.line_time import Timing
from highmoor.core.networks.modbus.settings import WATCH_LABELS
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Connection, Exchange, Station

Kind = Literal["beat", "mirror"]
_NS_A_MS = 1_000_000
# A watch of this many periods survives a lost answer.
WATCH_PERIODS = 4


def kind_of(exchange: Exchange) -> Kind | None:
    """What an exchange watches, None for one that carries data."""
    kind = exchange.settings.get("health")
    return kind if kind in WATCH_LABELS else None


def watch_ms(exchange: Exchange) -> float:
    """How long the far end may stand still."""
    value = exchange.settings.get("watch_ms")
    period = exchange.settings.get("period_ms", 500)
    return float(value) if isinstance(value, int | float) and value > 0 else WATCH_PERIODS * float(period)


@dataclass(slots=True)
class Health:
    """Both exchanges of one watch on the bench; times in ns. A mirrored bit is turned when it has come back."""

    kind: Kind
    out: int = 0
    heard: int | None = None
    sent_ns: int = 0
    changed_ns: int = 0
    trip_ns: int | None = None
    back: bool = field(default=True)

    def give(self, now_ns: int) -> bytes:
        """The register that is written next."""
        if self.kind == "beat":
            self.out = (self.out + 1) & 0xFFFF
        elif self.back:
            self.out ^= 1
            self.back, self.sent_ns = False, now_ns
        return self.out.to_bytes(2, "big")

    def take(self, data: bytes, now_ns: int, watch: float) -> tuple[bool, str]:
        """Whether the far end is alive by what came back, in words."""
        value = int.from_bytes(data[:2], "big")
        if value != self.heard:
            self.changed_ns, self.heard = now_ns, value
        if self.kind == "mirror" and not self.back and value & 1 == self.out:
            self.trip_ns, self.back = now_ns - self.sent_ns, True
        still = (now_ns - self.changed_ns) / _NS_A_MS
        if still > watch:
            return False, f"stands still for {shown(still, 4)} ms"
        if self.kind == "beat":
            return True, f"alive, at {value}"
        if self.trip_ns is None:
            return True, "waits for its bit to come back"
        return True, f"round trip {shown(self.trip_ns / _NS_A_MS, 4)} ms"


def _short_watch(result: Timing, reader: Reader, root: str) -> Iterator[Finding]:
    """A watch that a beat can miss although everybody is alive."""
    times = {told.exchange: told for told in result.exchanges}
    for station in reader.children(Station, root):
        for connection in reader.children(Connection, station.id):
            exchanges = reader.children(Exchange, connection.id)
            for into in (x for x in exchanges if x.direction == "in" and kind_of(x)):
                pair = [into, *(x for x in exchanges if x.direction == "out" and kind_of(x) == kind_of(into))]
                told = [times[x.id] for x in pair if x.id in times]
                worst = sum(t.period_ms + (t.worst_late_ms or 0) + t.transaction_ms for t in told)
                if watch_ms(into) < worst:
                    yield finding(
                        "NET-214", (into.id, "settings.watch_ms"), name=into.name, station=station.name,
                        watch=shown(watch_ms(into)), worst=shown(worst, 4),
                    )  # fmt: skip


def longer_watch(_: Analysis, found: Finding) -> Mend:
    """Half as long again as what a beat may take, in steps of 50 ms."""
    worst = float(dict(found.values)["worst"])
    enough = 50 * math.ceil(1.5 * worst / 50)
    return Mend(f"Watch for {enough} ms", found.places[0].id, {"settings.watch_ms": enough})


CHECKS: tuple[Check, ...] = (
    Check(
        "NET-214", "network.timing", "networks", "warning", "Watch shorter than the beat",
        "{name} takes {station} for dead after {watch} ms, but a beat may take {worst} ms there and back.",
        "A live far end would be reported dead now and then.",
        _short_watch,
    ),
)  # fmt: skip
