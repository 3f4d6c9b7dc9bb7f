"""Codes of Modbus in words."""

from __future__ import annotations

from highmoor.core.networks.modbus.pdu import EXCEPTIONS

# Error codes beside the exceptions of the protocol: nobody answered, and what came was no frame.
SILENT, DAMAGED = 0xFF, 0xFE
_BESIDE = {SILENT: "nobody answered in time", DAMAGED: "the answer was damaged, or another station's"}


def explain(code: int) -> str:
    """An error code as a sentence: an exception (Modbus Application Protocol 1.1b3, clause 7), or why there is none."""
    return _BESIDE.get(code) or EXCEPTIONS.get(code, f"exception {code}, which the standard does not name")
