"""What mends the findings of EtherNet/IP (NET-303 … 334)."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.networks.ethernet_ip.load import ScannerLoad
from highmoor.core.networks.ethernet_ip.settings import Way, agreement
from highmoor.core.networks.ethernet_ip.timing import streams
from highmoor.core.networks.fieldbus import Mend
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import is_request
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Connection, Exchange, Station

_Maker = Callable[[Analysis, Finding], Mend | None]


def line_at(analysis: Analysis, connection_id: str) -> Line:
    """A connection of a current finding, with all that belongs to it."""
    connection = analysis.plant.get(connection_id, Connection)
    station = analysis.plant.get(connection.station, Station)
    exchanges = tuple(analysis.plant.children(Exchange, connection_id))
    return Line(station, connection, exchanges, analysis.catalogue.find(station.type))


def _way(analysis: Analysis, found: Finding) -> Way:
    exchange = analysis.plant.get(found.places[0].id, Exchange)
    told = agreement(line_at(analysis, exchange.connection))
    return next(way for way in told.ways if way.direction == exchange.direction)


def _as_the_file(key: str, words: str) -> _Maker:
    """Take back what was set by hand, so that the file's value holds."""
    return lambda _, found: Mend(words, found.places[0].id, {f"settings.{key}": None})


def _interval(analysis: Analysis, found: Finding) -> Mend | None:
    """The nearest interval that the file allows."""
    way = _way(analysis, found)
    line = line_at(analysis, analysis.plant.get(way.exchange, Exchange).connection)
    span = way.offered.interval_us if way.offered else None
    low = (
        span.minimum if span and span.minimum is not None else line.device.limits.min_interval_us if line.device else 0
    )
    high = span.maximum if span else None
    nearest = max(way.rpi_ms * 1000, low or 0)
    nearest = min(nearest, high) if high is not None else nearest
    value = _plain(nearest / 1000)
    return Mend(f"Ask for a packet every {shown(value)} ms", way.exchange, {"settings.rpi_ms": value}, tried=True)


def _plain(value: float) -> float | int:
    return int(value) if value == int(value) else value


def _longer_timeout(_: Analysis, found: Finding) -> Mend:
    return Mend("Take the fewest intervals that make 100 ms", found.places[0].id, {"settings.multiplier": None})


def _multicast(_: Analysis, found: Finding) -> Mend | None:
    if not found.places[0].id.startswith("x"):
        return None
    return Mend("Have it sent by multicast", found.places[0].id, {"settings.transfer": "multicast"})


def _have_the_owner_multicast(analysis: Analysis, found: Finding) -> Mend | None:
    """Another connection that hears the same point, sent to all."""
    own = line_at(analysis, found.places[0].id)
    point = agreement(own).into.point
    for connection in analysis.plant.children(Connection, own.station.id):
        if is_request(connection):
            continue
        other = agreement(line_at(analysis, connection.id))
        alone = other.into.exchange and other.into.transfer != "multicast"
        if alone and other.application != "listen only" and other.into.point == point:
            words = f"Have {analysis.plant.get(other.into.exchange, Exchange).name} sent by multicast"
            return Mend(words, other.into.exchange, {"settings.transfer": "multicast"}, tried=True)
    return None


def _slower_station(analysis: Analysis, found: Finding) -> Mend | None:
    """Longer intervals for the whole station, as far as needed and no further."""
    station = analysis.plant.get(found.places[0].id, Station)
    device = analysis.catalogue.find(station.type)
    bears = device.limits.packets_per_s if device else None
    sent = streams([line_at(analysis, c.id) for c in analysis.plant.children(Connection, station.id)])
    if not bears:
        return None
    return _slowed(f"Slow {station.name} down", [s.way for s in sent], sum(s.packets_per_s for s in sent) / bears)


def _slower_first(analysis: Analysis, found: Finding) -> Mend | None:
    """Longer intervals for the stations with the most packets, until four fifths of the limit are left."""
    load: ScannerLoad = analysis.result("controller.packets", found.places[0].id)
    too_many = load.packets_per_s - 0.8 * load.limit
    ways: list[Way] = []
    names: list[str] = []
    had = 0.0
    for share in load.stations:
        lines = [line_at(analysis, c.id) for c in analysis.plant.children(Connection, share.station)]
        ways += [s.way for s in streams(lines)]
        names.append(share.name)
        had += share.packets_per_s
        # Down to a tenth is as far as one is slowed before the next one helps.
        if had * 0.9 >= too_many:
            break
    factor = had / max(had - too_many, had / 100)
    return _slowed(f"Slow down {', '.join(names[:3])}" + (" …" if len(names) > 3 else ""), ways, factor)


def _slowed(words: str, ways: list[Way], factor: float) -> Mend | None:
    values: list[tuple[str, Mapping[str, Any]]] = [
        (way.exchange, {"settings.rpi_ms": _rounded_up(way.rpi_ms * factor)}) for way in ways if way.exchange
    ]
    if not values:
        return None
    first, *more = values
    slowest = max(v["settings.rpi_ms"] for _, v in values)
    return Mend(f"{words}: up to {shown(slowest)} ms", first[0], first[1], more=tuple(more), tried=True)


def _rounded_up(ms: float) -> int | float:
    step = 1 if ms < 20 else 5 if ms < 100 else 10
    return step * math.ceil(ms / step - 1e-9)


def _first_of_the_file(analysis: Analysis, found: Finding) -> Mend | None:
    choice = agreement(line_at(analysis, found.places[0].id)).choice
    return Mend(f"Take {choice.label}", found.places[0].id, {"settings.choice": choice.key}) if choice else None


def _to_one(analysis: Analysis, found: Finding) -> Mend | None:
    """What nobody else listens to, sent to this controller alone where the device can."""
    values: list[tuple[str, Mapping[str, Any]]] = []
    for station in analysis.plant.children(Station, found.places[0].id):
        lines = [line_at(analysis, c.id) for c in analysis.plant.children(Connection, station.id)]
        told = [agreement(line) for line in lines if not is_request(line.connection)]
        heard = {t.into.point for t in told if t.application == "listen only"}
        for way in (t.into for t in told if t.into.point not in heard):
            can = way.offered is None or "point-to-point" in way.offered.transfers
            if way.exchange and way.transfer == "multicast" and can:
                values.append((way.exchange, {"settings.transfer": "point-to-point"}))
    if not values:
        return None
    first, *more = values
    return Mend("Have it sent to this controller alone", first[0], first[1], more=tuple(more), tried=True)


def _request_timeout(_: Analysis, found: Finding) -> Mend:
    return Mend("Give up after 2000 ms", found.places[0].id, {"settings.timeout_ms": 2000})


def _within_period(analysis: Analysis, found: Finding) -> Mend:
    period = analysis.plant.get(found.places[0].id, Connection).settings.get("period_ms", 1000)
    return Mend(f"Give up after {shown(period)} ms", found.places[0].id, {"settings.timeout_ms": period})


MENDS: Mapping[str, _Maker] = {
    "NET-303": _as_the_file("octets", "Take the size of the file"),
    "NET-304": _as_the_file("header", "Take the header as the file has it"),
    "NET-305": _interval,
    "NET-310": _have_the_owner_multicast,
    "NET-311": _multicast,
    "NET-313": _slower_station,
    "NET-314": _slower_first,
    "NET-315": _slower_first,
    "NET-316": _longer_timeout,
    "NET-317": _as_the_file("config_data", "Send the file's own configuration"),
    "NET-318": _first_of_the_file,
    "NET-319": _to_one,
    "NET-331": _request_timeout,
    "NET-334": _within_period,
    "NET-335": lambda _, found: Mend("Start it by its bit", found.places[0].id, {"settings.trigger": "edge"}),
}
