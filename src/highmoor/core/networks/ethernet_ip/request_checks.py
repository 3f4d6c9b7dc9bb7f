"""Checks of requests on demand (NET-331 … 334)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.networks.ethernet_ip.requests import Request, path_problem, request_of
from highmoor.core.networks.ethernet_ip.settings import is_request
from highmoor.core.networks.line import Line
from highmoor.core.networks.lines import asked_lines, connection_line
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Connection

_SETS, _GETS = (0x02, 0x10), (0x01, 0x0E)


def _asked(reader: Reader, root: str) -> tuple[Line, Request] | None:
    line = connection_line(reader, reader.row(root, Connection))
    return (line, request_of(line)) if line and is_request(line.connection) else None


def _endless(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    found = _asked(reader, root)
    if found and found[1].timeout_ms <= 0:
        yield finding("NET-331", (root, "settings.timeout_ms"), station=found[0].station.name)


def _no_path(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    found = _asked(reader, root)
    problem = path_problem(found[1]) if found else ""
    if found and problem:
        field = next((f for f in ("instance", "attribute") if problem.startswith(f)), "class")
        yield finding(
            "NET-332", (root, f"settings.{field}"), station=found[0].station.name, problem=problem.removesuffix(".")
        )


def _nothing_carried(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    found = _asked(reader, root)
    if found is None:
        return
    line, request = found
    if request.service in _SETS and not request.send_octets:
        place = (request.send, "settings.octets") if request.send else root
        yield finding("NET-333", place, station=line.station.name, what="sets a value but sends no data")
    if request.service in _GETS and not request.answer_octets:
        place = (request.answer, "settings.octets") if request.answer else root
        yield finding("NET-333", place, station=line.station.name, what="asks for a value but has no room for it")


def _asked_faster(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    found = _asked(reader, root)
    if found and found[1].trigger == "period" and 0 < found[1].period_ms < found[1].timeout_ms:
        yield finding(
            "NET-334", (root, "settings.timeout_ms"), station=found[0].station.name,
            period=shown(found[1].period_ms), timeout=shown(found[1].timeout_ms),
        )  # fmt: skip


def _nothing_before(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    """The first request of a network cannot wait for one before it."""
    first = next((line for line in asked_lines(reader, root) if is_request(line.connection)), None)
    if first and request_of(first).trigger == "after":
        yield finding("NET-335", (first.connection.id, "settings.trigger"), station=first.station.name)


CHECKS: tuple[Check, ...] = (
    Check(
        "NET-331", "connection.facts", "networks", "error", "Request without a time-out",
        "A request to {station} waits for ever when it does not answer.",
        "A time-out of 0 never ends: the request stands still and is never made again.",
        _endless,
    ),
    Check(
        "NET-332", "connection.facts", "networks", "error", "Path that cannot be written",
        "A request to {station} has no path: {problem}.",
        "Class and attribute are 16-bit numbers, an instance may have 32.",
        _no_path, "CIP volume 1, C-1.4.2",
    ),
    Check(
        "NET-333", "connection.facts", "networks", "warning", "Request that carries nothing",
        "A request to {station} {what}.",
        "The device refuses an empty value with 13, not enough data; an answer with no room for it is thrown away.",
        _nothing_carried, "CIP volume 1, appendix A",
    ),
    Check(
        "NET-334", "connection.facts", "networks", "warning", "Asked again before it gives up",
        "A request to {station} is due every {period} ms but gives up only after {timeout} ms.",
        "While it waits for a silent device it is not asked again; the period cannot be kept.",
        _asked_faster,
    ),
    Check(
        "NET-335", "network.timing", "networks", "error", "Chain without a beginning",
        "A request to {station} waits for the one before it, but it is the first of its network.",
        "A chain starts with a bit or a period; one that only waits is never sent.",
        _nothing_before,
    ),
)  # fmt: skip
