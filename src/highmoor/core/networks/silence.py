"""A network as it goes while one of its stations is silent."""

from __future__ import annotations

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.errors import Refusal
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.line_time import Timing
from highmoor.core.networks.lines import asked_lines
from highmoor.core.plant.rows import Network, Station


def timing_with_silent(analysis: Analysis, station_id: str) -> Timing:
    """Lanes, blocks and lateness with this station not answering. Raises Refusal for what is no station."""
    station = analysis.plant.get(station_id, Station)
    network = analysis.plant.get(station.network, Network)
    bus = fieldbus_of(network.kind)
    if bus is None:
        raise Refusal(f"{network.name} is of a kind this version does not know: {network.kind}.", place=network.id)
    return bus.timing(network, asked_lines(Reader(analysis), network.id), station.id)
