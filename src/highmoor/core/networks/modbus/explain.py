"""Codes of Modbus in words."""

from __future__ import annotations

from highmoor.core.networks.modbus.pdu import EXCEPTIONS


def explain(code: int) -> str:
    """An exception code as a sentence (Modbus Application Protocol 1.1b3, clause 7)."""
    return EXCEPTIONS.get(code, f"exception {code}, which the standard does not name")
