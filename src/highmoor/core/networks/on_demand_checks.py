"""Checks of requests on demand on any fieldbus (NET-331, NET-334, NET-335)."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.networks.line import Line
from highmoor.core.networks.lines import asked_lines, connection_line, kind_at
from highmoor.core.networks.on_demand import OnDemand, is_request, on_demand
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Connection

Find = Callable[[Any, Reader, str], Iterator[Finding]]


def request_line(reader: Reader, root: str) -> Line | None:
    """The line of a connection that is a request; None for every other."""
    line = connection_line(reader, reader.row(root, Connection))
    return line if line and is_request(line.connection) else None


@dataclass(frozen=True, slots=True)
class Judged:
    """A request as its fieldbus judges it: what it is for in words; the setting that says so and why nothing would come
    of it, both "" where nothing speaks against it."""

    wanted: OnDemand
    what: str
    setting: str
    why: str


def comes_to_nothing(code: str, kind: str, judge: Callable[[Line], Judged]) -> Find:
    """What finds requests of which nothing would come, on networks of a kind."""

    def found(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
        line = request_line(reader, root)
        told = judge(line) if line and kind_at(reader, root) == kind else None
        if line and told and told.why:
            row = told.wanted.leads if told.setting == "octets" else root
            yield finding(
                code, (row, f"settings.{told.setting}"), station=line.station.name, object=told.what,
                problem=told.why, does="reads" if told.wanted.answer else "writes",
            )  # fmt: skip

    return found


def _endless(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    line = request_line(reader, root)
    if line and on_demand(line).timeout_ms <= 0:
        yield finding("NET-331", (root, "settings.timeout_ms"), station=line.station.name)


def _asked_faster(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    line = request_line(reader, root)
    wanted = on_demand(line) if line else None
    if line and wanted and wanted.trigger == "period" and 0 < wanted.period_ms < wanted.timeout_ms:
        yield finding(
            "NET-334", (root, "settings.timeout_ms"), station=line.station.name,
            period=shown(wanted.period_ms), timeout=shown(wanted.timeout_ms),
        )  # fmt: skip


def _nothing_before(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    """The first request of a network cannot wait for one before it."""
    first = next((line for line in asked_lines(reader, root) if is_request(line.connection)), None)
    if first and on_demand(first).trigger == "after":
        yield finding("NET-335", (first.connection.id, "settings.trigger"), station=first.station.name)


CHECKS: tuple[Check, ...] = (
    Check(
        "NET-331", "connection.facts", "networks", "error", "Request without a time-out",
        "A request to {station} waits for ever when it does not answer.",
        "A time-out of 0 never ends: the request stands still and is never made again.",
        _endless,
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
