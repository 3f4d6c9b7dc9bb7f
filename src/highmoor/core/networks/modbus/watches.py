"""The two ready-made watches whether the far end is alive: one register written, one read back."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.networks.fieldbus import Watch
from highmoor.core.networks.line import Line
from highmoor.core.networks.modbus.claims import claims
from highmoor.core.networks.modbus.settings import WATCH_LABELS


def _exchanges(
    line: Line, write: str | int | None, read: str | int | None, period_ms: float
) -> tuple[Mapping[str, Any], Mapping[str, Any]]:
    """A holding register each way: as given, or behind all that the line uses; read back where it is written."""
    free = max((claim.end for claim in claims(line) if claim.space == "registers"), default=0)
    written = f"@{free}" if write in (None, "") else write
    answered = written if read in (None, "") else read
    asked = {"count": 1, "period_ms": period_ms}
    return {"function": 16, "address": written, **asked}, {"function": 3, "address": answered, **asked}


WATCHES = {
    key: Watch(WATCH_LABELS[key], name, _exchanges, {"health": key})
    for key, name in (("beat", "Alive"), ("mirror", "Mirrored"))
}
