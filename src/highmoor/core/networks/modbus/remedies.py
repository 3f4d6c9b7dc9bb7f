"""What mends the findings of Modbus (NET-201 … 212)."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.networks.fieldbus import Mend
from highmoor.core.networks.line_time import Timing
from highmoor.core.networks.modbus.health import longer_watch
from highmoor.core.networks.modbus.rail import carry, shorten
from highmoor.core.networks.modbus.settings import ExchangeSettings
from highmoor.core.networks.modbus.watchdog import longer_watchdog
from highmoor.core.plant.rows import Connection, Exchange, Station


def _timeout(analysis: Analysis, found: Finding) -> Mend:
    """Three times what the answer takes, in steps of 50 ms, at least 100 ms."""
    exchange = analysis.plant.get(found.places[0].id, Exchange)
    station = analysis.plant.get(analysis.plant.get(exchange.connection, Connection).station, Station)
    timing: Timing = analysis.result("network.timing", station.network)
    wait = next((told.wait_ms for told in timing.exchanges if told.exchange == exchange.id), 0)
    enough = max(100, 50 * math.ceil(3 * wait / 50))
    # Of a very short period it is ten times too long all the same.
    return Mend(f"Set the time-out to {enough} ms", exchange.id, {"settings.timeout_ms": enough}, tried=True)


def _count(analysis: Analysis, found: Finding) -> Mend:
    """The nearest count that function and address range allow."""
    exchange = analysis.plant.get(found.places[0].id, Exchange)
    settings = ExchangeSettings.of(exchange)
    if found.places[0].field == "settings.write_count":
        writes = min(max(settings.write_count, 1), settings.function.writes_at_most, 65536 - settings.write_address)
        return Mend(f"Write {writes} registers", exchange.id, {"settings.write_count": writes})
    count = min(max(settings.count, 1), settings.function.at_most, 65536 - settings.address)
    return Mend(f"Set the count to {count}", exchange.id, {"settings.count": count})


def _device_unit(analysis: Analysis, found: Finding) -> Mend:
    return Mend("Use 255, the device itself", found.places[1].id, {"settings.unit": 255})


MENDS: Mapping[str, Callable[[Analysis, Finding], Mend | None]] = {
    "NET-201": _timeout,
    "NET-202": _timeout,
    "NET-203": _timeout,
    "NET-204": _count,
    "NET-205": _count,
    "NET-208": _device_unit,
    "NET-209": _device_unit,
    "NET-210": carry,
    "NET-211": carry,
    "NET-212": shorten,
    "NET-214": longer_watch,
    "NET-215": longer_watchdog,
    "NET-213": lambda _, found: Mend("Ask it every period", found.places[0].id, {"settings.trigger": None}),
}
