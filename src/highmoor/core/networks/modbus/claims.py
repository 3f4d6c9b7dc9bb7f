"""Which registers and bits of a device the exchanges of a connection use."""

from __future__ import annotations

from highmoor.core.networks.fieldbus import Claim
from highmoor.core.networks.line import Line
from highmoor.core.networks.modbus.health import kind_of
from highmoor.core.networks.modbus.settings import ExchangeSettings

_AREAS = {0: "coils", 1: "discrete inputs", 3: "input registers", 4: "registers"}


def claims(line: Line) -> tuple[Claim, ...]:
    """A claim a stretch; an exchange that writes and reads has two."""
    found = []
    for exchange in line.exchanges:
        settings = ExchangeSettings.of(exchange)
        area, first = settings.function.area, settings.address
        writes = exchange.direction == "out"
        # Both exchanges of a watch may well use one register: what comes back is what was written.
        watch = kind_of(exchange) is not None
        end = first + settings.count
        found.append(Claim(_AREAS[area], first, end, exchange.id, "settings.address", writes, watch))
        if settings.write_count:
            first = settings.write_address
            end = first + settings.write_count
            found.append(Claim(_AREAS[area], first, end, exchange.id, "settings.write_address", writes=True))
    return tuple(found)
