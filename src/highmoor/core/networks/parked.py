"""Stations and connections that are switched off: in the plant, with all that is set of them, but not expected.

The controller leaves them alone: they take no time, nobody asks them, and what is wrong with them is no error while
they are off. That they are is said, so that it is not forgotten.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Connection, Exchange, Network, Station

PARKED = FieldSpec(
    "settings.parked", "Switched off", "boolean", default=False, optional=True,
    hint="Stays in the plant with all its settings; the controller does not talk to it.",
)  # fmt: skip


def is_parked(row: Station | Connection | None) -> bool:
    """Whether a station or a connection is itself switched off."""
    return row is not None and row.settings.get("parked") is True


def parked_with(find: Callable[[str | None], Any], row: Any) -> bool:
    """Whether a row of a network is switched off, or belongs to what is."""
    if isinstance(row, Exchange):
        row = find(row.connection)
    if isinstance(row, Connection):
        if is_parked(row):
            return True
        row = find(row.station)
    return isinstance(row, Station) and is_parked(row)


def silent_while_parked(check: Check) -> Check:
    """The check, saying nothing about what is switched off."""

    def find(result: Any, reader: Reader, root: str) -> Iterator[Finding]:
        for found in check.find(result, reader, root):
            if not parked_with(reader.find, reader.find(found.places[0].id)):
                yield found

    return replace(check, find=find)


def _parked(reader: Reader, root: str) -> tuple[str, ...]:
    """The stations and connections of a network that are switched off, in route order."""
    found: list[str] = []
    for station in reader.children(Station, root):
        if is_parked(station):
            found.append(station.id)
            continue
        found += [c.id for c in reader.children(Connection, station.id) if is_parked(c)]
    return tuple(found)


def _told(result: tuple[str, ...], reader: Reader, root: str) -> Iterator[Finding]:
    for row_id in result:
        row = reader.find(row_id)
        of = reader.find(row.station) if isinstance(row, Connection) else row
        assert isinstance(of, Station)
        what = of.name if isinstance(row, Station) else f"A connection of {of.name}"
        yield finding("NET-130", (row_id, "settings.parked"), root, what=what, network=reader.row(root, Network).name)


PARTS: tuple[Part, ...] = (Part("network.parked", "networks", _parked),)
# Said whatever is off: it is not silenced by being so.
CHECKS: tuple[Check, ...] = (
    Check(
        "NET-130", "network.parked", "networks", "note", "Switched off",
        "{what} is switched off: nothing is exchanged with it over {network}.",
        "It keeps its settings and takes no part. Switch it on again, or remove it, before the handover.",
        _told,
    ),
)  # fmt: skip
