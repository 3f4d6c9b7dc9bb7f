"""Codes of Modbus in words."""

from __future__ import annotations

from highmoor.core.networks.live import Direction
from highmoor.core.networks.modbus.pdu import EXCEPTIONS

# Error codes beside the exceptions of the protocol: nobody answered, and what came was no frame.
SILENT, DAMAGED = 0xFF, 0xFE
_BESIDE = {SILENT: "nobody answered in time", DAMAGED: "the answer was damaged, or another station's"}


_COUNTED = ("exchanges.settings.address", "exchanges.settings.count")
_LIKELY: dict[int, tuple[str, ...]] = {
    0x01: ("exchanges.settings.function",),
    0x02: _COUNTED,
    0x03: ("exchanges.settings.count",),
    0x0B: ("connections.settings.unit",),
    SILENT: ("stations.address", "exchanges.settings.timeout_ms"),
}


def likely(code: int, _: Direction) -> tuple[str, ...]:
    """The settings that an error code speaks of."""
    return _LIKELY.get(code, ())


def explain(code: int) -> str:
    """An error code as a sentence: an exception (Modbus Application Protocol 1.1b3, clause 7), or why there is none."""
    return _BESIDE.get(code) or EXCEPTIONS.get(code, f"exception {code}, which the standard does not name")
