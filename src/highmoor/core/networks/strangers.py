"""Who stands at a station as built: what is said of it, or a stranger that was taken into the plant since."""

from __future__ import annotations

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.positions import addressed
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import BuiltDevice, Network, Station


def built_of(plant: Plant, built: Plant, catalogue: Catalogue) -> dict[str, BuiltDevice]:
    """What is said of stations as built, by station.

    Where the place or the name tells devices apart, a station of which nothing is said is the stranger of its kind that
    stands there: whoever takes one over does not put a second one behind it.
    """
    said = {row.station: row for row in reversed(built.all(BuiltDevice)) if row.station}
    strangers: dict[str, list[BuiltDevice]] = {}
    for row in built.all(BuiltDevice):
        if plant.find(row.station) is None:
            strangers.setdefault(row.network, []).append(row)
    for network_id, rows in strangers.items():
        network: Network | None = plant.find(network_id)
        bus = fieldbus_of(network.kind) if network else None
        if bus and bus.live.stands_for:
            called = bus.live.called
            at = {str(row.facts.get("name") or "") if called else row.address: row for row in rows}
            for station in addressed(bus, plant, catalogue.find, plant.children(Station, network_id)):
                there = at.get(called(station) if called else station.address)
                device = catalogue.find(station.type)
                if there and device and station.id not in said and bus.live.stands_for(there.facts, device):
                    said[station.id] = there
    return said
