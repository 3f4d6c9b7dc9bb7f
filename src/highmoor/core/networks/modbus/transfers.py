"""Transfers between controllers over Modbus: holding registers of the one that is asked."""

from __future__ import annotations

from highmoor.core.errors import Refusal
from highmoor.core.figures.modbus_functions import EXCHANGED
from highmoor.core.networks.fieldbus import NewTransfer, TransferWanted

_FIRST = 100
_PERIOD_MS = 200.0
READ, WRITE = EXCHANGED[3], EXCHANGED[16]


def transfer(wanted: TransferWanted) -> NewTransfer:
    """Read with function 3 or written with 16, an exchange of the one connection. Raises Refusal beyond its limit."""
    function = READ if wanted.reads else WRITE
    count = (wanted.octets + 1) // 2
    if count > function.at_most:
        raise Refusal(
            f"{wanted.octets} octets are {count} registers; one request carries {function.at_most}.", field="octets"
        )
    ends = [claim.end for claim in wanted.taken if claim.space == "registers"]
    settings = {
        "function": function.code, "address": wanted.place or f"@{max(ends, default=_FIRST)}", "count": count,
        "period_ms": wanted.interval_ms or _PERIOD_MS,
    }  # fmt: skip
    return NewTransfer(None, {"in" if wanted.reads else "out": settings})
