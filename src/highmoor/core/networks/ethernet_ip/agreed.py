"""What a connection agrees on, worked out once for all who ask."""

from __future__ import annotations

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.networks.ethernet_ip.load import KIND
from highmoor.core.networks.ethernet_ip.settings import Agreement, agreement
from highmoor.core.networks.line import Line
from highmoor.core.networks.lines import connection_line, kind_at
from highmoor.core.networks.on_demand import is_request
from highmoor.core.plant.rows import Connection


def _agreed(reader: Reader, root: str) -> tuple[Line, Agreement] | None:
    """The connection with its exchanges and what follows; None for a request on demand, or another fieldbus's."""
    if kind_at(reader, root) != KIND:
        return None
    line = connection_line(reader, reader.row(root, Connection))
    return None if line is None or is_request(line.connection) else (line, agreement(line))


PARTS: tuple[Part, ...] = (Part("connection.agreed", "connections", _agreed),)
