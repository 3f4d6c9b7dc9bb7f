"""Checks of Modbus, whatever carries it (NET-201 … 209)."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise
from typing import Any

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.networks.line import Line
from highmoor.core.networks.line_time import Timing
from highmoor.core.networks.lines import asked_lines
from highmoor.core.networks.modbus.settings import ExchangeSettings, settings_of, unit_of
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Connection, Exchange, Network, Station


def _context(reader: Reader, exchange_id: str) -> tuple[Exchange, Station] | None:
    """The exchange and its station; None where it hangs on nothing."""
    exchange = reader.row(exchange_id, Exchange)
    connection = reader.find(exchange.connection)
    station = reader.find(connection.station) if connection else None
    return (exchange, station) if station else None


def _endless(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    context = _context(reader, root)
    if context and ExchangeSettings.of(context[0]).timeout_ms == 0:
        yield finding("NET-201", (root, "settings.timeout_ms"), name=context[0].name, station=context[1].name)


def _short_timeout(result: Timing, reader: Reader, root: str) -> Iterator[Finding]:
    waits = {told.exchange: told.wait_ms for told in result.exchanges if told.period_ms}
    for line in asked_lines(reader, root):
        for exchange, settings in settings_of(line):
            if 0 < settings.timeout_ms <= waits.get(exchange.id, 0):
                yield finding(
                    "NET-202",
                    (exchange.id, "settings.timeout_ms"),
                    name=exchange.name,
                    timeout=shown(settings.timeout_ms),
                    wait=shown(waits[exchange.id], 4),
                    station=line.station.name,
                )


def _long_timeout(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    context = _context(reader, root)
    if not context:
        return
    settings = ExchangeSettings.of(context[0])
    if settings.trigger == "period" and settings.timeout_ms > 10 * settings.period_ms:
        yield finding(
            "NET-203",
            (root, "settings.timeout_ms"),
            name=context[0].name,
            timeout=shown(settings.timeout_ms),
            times=shown(settings.timeout_ms / settings.period_ms, 3),
        )


def _count(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    context = _context(reader, root)
    if not context:
        return
    settings = ExchangeSettings.of(context[0])
    what = "coils" if settings.function.bits == 1 else "registers"
    if not 1 <= settings.count <= settings.function.at_most:
        yield finding(
            "NET-204",
            (root, "settings.count"),
            name=context[0].name,
            count=settings.count,
            most=settings.function.at_most,
            what=what,
            function=settings.function.code,
        )
    if settings.function.writes_at_most and not 1 <= settings.write_count <= settings.function.writes_at_most:
        yield finding(
            "NET-204", (root, "settings.write_count"), name=context[0].name, count=settings.write_count,
            most=settings.function.writes_at_most, what="written registers", function=settings.function.code,
        )  # fmt: skip


def _beyond(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    context = _context(reader, root)
    if not context:
        return
    settings = ExchangeSettings.of(context[0])
    last = settings.address + settings.count - 1
    if settings.count <= settings.function.at_most and last > 65535:
        yield finding("NET-205", (root, "settings.count"), name=context[0].name, last=last)


def _overload(result: Timing, reader: Reader, root: str) -> Iterator[Finding]:
    # Where all share one line, it is the line that has too much to do.
    if result.shape == "polled-line":
        return
    for lane in result.lanes:
        if lane.utilisation > 1:
            yield finding("NET-206", lane.id, station=lane.label, percent=shown(100 * lane.utilisation, 3))


# Unit, area, first and the one behind the last that an exchange writes.
_Written = tuple[int, int, int, int, Exchange]


def _written(line: Line) -> list[_Written]:
    unit, found = unit_of(line.station, line.connection), []
    for exchange, settings in settings_of(line):
        area = settings.function.area
        if settings.write_count:
            found.append((unit, area, settings.write_address, settings.write_address + settings.write_count, exchange))
        if exchange.direction == "out":
            found.append((unit, area, settings.address, settings.address + settings.count, exchange))
    return found


def _double_write(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    by_station: dict[str, list[_Written]] = {}
    names: dict[str, str] = {}
    for line in asked_lines(reader, root):
        own = line.once(_written)
        if own:
            by_station.setdefault(line.station.id, []).extend(own)
            names[line.station.id] = line.station.name
    for station, written in by_station.items():
        written.sort(key=lambda entry: entry[:4])
        for one, other in pairwise(written):
            if one[:2] == other[:2] and other[2] < one[3]:
                yield finding(
                    "NET-207", other[4].id, one[4].id, name=other[4].name, other=one[4].name, station=names[station]
                )


def _broadcast_read(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    context = _context(reader, root)
    if not context:
        return
    connection = reader.row(context[0].connection, Connection)
    if unit_of(context[1], connection) == 0 and context[0].direction == "in":
        yield finding("NET-208", root, (connection.id, "settings.unit"), name=context[0].name)


def _reserved_unit(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    context = _context(reader, root)
    if not context:
        return
    connection = reader.row(context[0].connection, Connection)
    unit = unit_of(context[1], connection)
    if 248 <= unit <= 254:
        yield finding("NET-209", root, (connection.id, "settings.unit"), name=context[0].name, unit=unit)


def _nothing_before(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    """The first of a chain cannot wait for one before it: first on the line, or on its connection over TCP."""
    network = reader.row(root, Network)
    lines = asked_lines(reader, root)
    chains = [line.exchanges for line in lines]
    if network.kind == "modbus-rtu":
        chains = [tuple(x for exchanges in chains for x in exchanges)]
    for chain in chains:
        # A chain behind a start bit is as good as one behind a period.
        if chain and ExchangeSettings.of(chain[0]).trigger == "after":
            yield finding("NET-213", (chain[0].id, "settings.trigger"), name=chain[0].name)


CHECKS: tuple[Check, ...] = (
    Check(
        "NET-201", "exchange.wire", "networks", "error", "Time-out of 0",
        "{name} waits for ever when {station} does not answer.",
        "A time-out of 0 never ends: the exchange stands still and its status bit keeps its last state.",
        _endless, "Modbus Messaging on TCP/IP 1.0b, 4.4.1.1",
    ),
    Check(
        "NET-202", "network.timing", "networks", "error", "Time-out shorter than the answer takes",
        "{name} gives up after {timeout} ms, but {station} needs {wait} ms to answer.",
        "A good answer that comes after the time-out counts as none.",
        _short_timeout, "Modbus Messaging on TCP/IP 1.0b, 4.4.1.1",
    ),
    Check(
        "NET-203", "exchange.wire", "networks", "warning", "Silence is noticed late",
        "{name} notices silence only after {timeout} ms, {times} of its periods.",
        "Until the time-out has run the status bit says good and the data is old.",
        _long_timeout,
    ),
    Check(
        "NET-204", "exchange.wire", "networks", "error", "Count outside the function's limit",
        "{name} asks for {count} {what}; function {function} takes 1 to {most}.",
        "The device answers exception 03, illegal data value.",
        _count, "Modbus Application Protocol 1.1b3, 6",
    ),
    Check(
        "NET-205", "exchange.wire", "networks", "error", "Range beyond the last address",
        "{name} reaches protocol address {last}; the last one is 65535.",
        "The device answers exception 02, illegal data address.",
        _beyond, "Modbus Application Protocol 1.1b3, 4.4",
    ),
    Check(
        "NET-206", "network.timing", "networks", "error", "More asked than the station can answer",
        "{station} would have to be busy {percent} % of the time: its periods cannot be kept.",
        "The station answers one request after the other; together they take longer than their periods.",
        _overload,
    ),
    Check(
        "NET-207", "network.timing", "networks", "error", "Two exchanges write one place",
        "{name} and {other} both write the same places of {station}; the later one wins, silently.",
        "Two writers of one place are one too many: which value stands there is a matter of chance.",
        _double_write,
    ),
    Check(
        "NET-208", "exchange.wire", "networks", "error", "A broadcast cannot read",
        "{name} reads from station 0, which is everybody: nobody answers a broadcast.",
        "Station number 0 is a broadcast; only writes can be broadcast.",
        _broadcast_read, "Modbus over Serial Line 1.02, 2.1",
    ),
    Check(
        "NET-209", "exchange.wire", "networks", "warning", "Reserved unit id",
        "{name} uses unit id {unit}; 248–254 are reserved.",
        "Devices may refuse reserved numbers. 255 is for the device itself, 1–247 for stations behind a gateway.",
        _reserved_unit, "Modbus Messaging on TCP/IP 1.0b, 4.4.1.2",
    ),
    Check(
        "NET-213", "network.timing", "networks", "error", "Chain without a beginning",
        "{name} waits for the one before it, but it is the first.",
        "A chain starts with a period or a start bit; one that only waits is never sent.",
        _nothing_before,
    ),
)  # fmt: skip
