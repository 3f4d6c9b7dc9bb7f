"""Checks of what requests on demand of EtherNet/IP ask for (NET-332, NET-333)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.networks.ethernet_ip.requests import Request, path_problem, request_of
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand_checks import request_line

_SETS, _GETS = (0x02, 0x10), (0x01, 0x0E)


def _asked(reader: Reader, root: str) -> tuple[Line, Request] | None:
    line = request_line(reader, root)
    return (line, request_of(line)) if line else None


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


CHECKS: tuple[Check, ...] = (
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
)  # fmt: skip
