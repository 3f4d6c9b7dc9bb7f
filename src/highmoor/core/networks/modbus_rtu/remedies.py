"""What mends the findings of serial Modbus lines (NET-22x)."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.hardware.ports import port_spec
from highmoor.core.networks.fieldbus import Mend
from highmoor.core.networks.line_time import Timing
from highmoor.core.networks.modbus.settings import ExchangeSettings
from highmoor.core.networks.modbus_rtu.settings import BAUDS, LINE_CABLES, line_cable, line_settings
from highmoor.core.networks.modbus_rtu.wiring import length_at_most_m, route
from highmoor.core.plant.rows import Connection, Exchange, Network, Port, Station


def _as_the_line(analysis: Analysis, found: Finding) -> Mend:
    station = analysis.plant.get(found.places[0].id, Station)
    line = line_settings(analysis.plant.get(found.places[1].id, Network))
    return Mend(f"Take what the line has, {line.written}", station.id, {found.places[0].field: None})


def _resistor_in(analysis: Analysis, found: Finding) -> Mend:
    return Mend("Put its resistor in", found.places[0].id, {"settings.terminated": True})


def _resistor_out(analysis: Analysis, found: Finding) -> Mend:
    return Mend("Take its resistor out", found.places[0].id, {"settings.terminated": False})


def _bias(analysis: Analysis, found: Finding) -> Mend | None:
    """At the port, where nothing holds the line; where several do, the port's own is taken out if that is enough."""
    network = analysis.plant.get(found.places[0].id, Network)
    nodes = route(network, analysis.plant.children(Station, network.id)).nodes
    biased = [node.station for node in nodes if node.biased]
    if not biased:
        return Mend("Hold it at the port", network.id, {"settings.biased": True})
    if biased[0] == "" and len(biased) == 2:
        return Mend("Leave it to the station", network.id, {"settings.biased": False})
    if len(biased) == 2:
        return Mend("Leave it to the first of them", biased[1], {"settings.biased": False})
    return None


def _slower(analysis: Analysis, found: Finding) -> Mend | None:
    network = analysis.plant.get(found.places[0].id, Network)
    length = route(network, analysis.plant.children(Station, network.id)).length_m
    fits = [baud for baud in BAUDS if length_at_most_m(baud, line_cable(network)) >= length]
    if fits:
        return Mend(f"Set {fits[-1]} bit/s", network.id, {"settings.baud": fits[-1]})
    further = next((c for c in LINE_CABLES if length_at_most_m(line_settings(network).baud, c) >= length), None)
    return Mend(f"Lay it as {further.label}", network.id, {"settings.cable": further.key}) if further else None


def _rate_of_the_port(analysis: Analysis, found: Finding) -> Mend | None:
    """The highest rate of the port below the one that is set, else the lowest it has."""
    network = analysis.plant.get(found.places[0].id, Network)
    spec = port_spec(analysis.plant.find, analysis.catalogue.find, analysis.plant.get(network.port or "", Port))
    bauds = sorted(spec.bauds) if spec else []
    if not bauds:
        return None
    rate = max((baud for baud in bauds if baud < line_settings(network).baud), default=bauds[0])
    return Mend(f"Set {rate} bit/s", network.id, {"settings.baud": rate})


def _second_stop_bit(analysis: Analysis, found: Finding) -> Mend:
    return Mend("Use two stop bits", found.places[0].id, {"settings.stop_bits": 2})


def _shorter_wait(analysis: Analysis, found: Finding) -> Mend | None:
    """The silent station's time-outs brought down to what its answers take three times over, where they are longer."""
    network = analysis.plant.get(found.places[0].id, Network)
    timing: Timing = analysis.result("network.timing", network.id)
    waits = {e.exchange: e.wait_ms for e in timing.exchanges}
    rows = [
        exchange
        for station in analysis.plant.children(Station, network.id)
        if station.name == timing.silent
        for connection in analysis.plant.children(Connection, station.id)
        for exchange in analysis.plant.children(Exchange, connection.id)
    ]
    enough = {row.id: max(20, 10 * math.ceil(3 * waits.get(row.id, 0) / 10)) for row in rows}
    longer = [row for row in rows if ExchangeSettings.of(row).timeout_ms > enough[row.id]]
    if not longer:
        return None
    values = [(row.id, {"settings.timeout_ms": enough[row.id]}) for row in longer]
    told = ", ".join(f"{enough[row.id]} ms for {row.name}" for row in longer[:3])
    label = f"Shorten the time-outs of {timing.silent}: {told}" + (" …" if len(longer) > 3 else "")
    return Mend(label, *values[0], more=tuple(values[1:]), tried=True)


MENDS: Mapping[str, Callable[[Analysis, Finding], Mend | None]] = {
    "NET-222": _as_the_line,
    "NET-223": _resistor_in,
    "NET-224": _resistor_out,
    "NET-225": _bias,
    "NET-227": _slower,
    "NET-229": _second_stop_bit,
    "NET-230": _rate_of_the_port,
    "NET-231": _shorter_wait,
}
