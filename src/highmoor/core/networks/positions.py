"""Where stations stand that are told apart by that, and the modules that answer for themselves, in the order in which
the medium reaches them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from highmoor.core.hardware.mounting import Rows, TypeSource, modules_behind
from highmoor.core.networks.addressing import Positions
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.networks.topology import topology
from highmoor.core.plant.rows import Station


def positions(bus: Fieldbus, rows: Rows, type_of: TypeSource, stations: Sequence[Station]) -> dict[str, str]:
    """By station or module, the address that follows from its place; nothing where addresses are entered."""
    if not isinstance(bus.addresses, Positions):
        return {}
    return {node: bus.addresses.address(nth) for nth, node in enumerate(_nodes(bus, rows, type_of, stations))}


def _nodes(bus: Fieldbus, rows: Rows, type_of: TypeSource, stations: Sequence[Station]) -> Iterator[str]:
    """A station, then what stands behind it on its own rail, then what hangs on its sockets."""
    for cabled in topology(bus.medium, stations).nodes:
        yield cabled.station
        for module in modules_behind(rows, cabled.station) if bus.with_modules else ():
            device = type_of(module.type)
            if device is not None and bus.counts(device):
                yield module.id


def addressed(bus: Fieldbus | None, rows: Rows, type_of: TypeSource, stations: Sequence[Station]) -> list[Station]:
    """A network's stations in order, each with the address at which it answers, entered or derived."""
    if bus is None or not isinstance(bus.addresses, Positions):
        return list(stations)
    at = positions(bus, rows, type_of, stations)
    return [replace(station, address=at[station.id]) for station in stations]
