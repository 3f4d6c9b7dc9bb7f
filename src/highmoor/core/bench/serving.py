"""Controllers on the bench that answer other controllers out of their own images."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from highmoor.core.analysis.engine import Analysis
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.controller import SimulatedController
from highmoor.core.bench.ethernet import EthernetHost
from highmoor.core.bench.labels import serial_number
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.line import Line
from highmoor.core.networks.live import Serving
from highmoor.core.networks.partners import ports_of_controller
from highmoor.core.plant.rows import Connection, Controller, Exchange, Network, Station
from highmoor.core.signals.image import Area


def serve_partners(
    analysis: Analysis, controllers: Mapping[str, SimulatedController], clock: VirtualClock,
    hosts: Mapping[str, EthernetHost],
) -> None:  # fmt: skip
    """Every controller that another one asks serves at each of its own addresses; `hosts` by port."""
    lines: dict[tuple[str, str], list[Line]] = {}
    plant = analysis.plant
    for station in plant.all(Station):
        network: Network | None = plant.find(station.network)
        if network and station.partner and station.partner in controllers:
            for connection in plant.children(Connection, station.id):
                exchanges = tuple(plant.children(Exchange, connection.id))
                lines.setdefault((network.kind, station.partner), []).append(Line(station, connection, exchanges))
    for (kind, partner), asked in lines.items():
        bus = fieldbus_of(kind)
        own = [hosts[port.id] for port in ports_of_controller(plant, partner) if port.id in hosts]
        if bus and bus.live.serve and own:
            told = _identity(analysis, partner)
            far = partial(_far, analysis, controllers[partner])
            bus.live.serve(Serving(clock, own, asked, *told, far, serial_number(partner)))


def _identity(analysis: Analysis, controller: str) -> tuple[DeviceType | None, str]:
    """What a controller is, and its firmware."""
    row = analysis.plant.get(controller, Controller)
    return analysis.catalogue.find(row.type), row.firmware


def _far(analysis: Analysis, partner: SimulatedController, exchange: Exchange, back: bool) -> memoryview | None:
    """Where an exchange's other end lies, or that of what goes back."""
    area: Area = "out" if (exchange.direction == "in") != back else "in"
    item = analysis.result("controller.image", partner.id).item(exchange.id, area)
    image = partner.image_out if area == "out" else partner.image_in
    return memoryview(image)[item.offset : item.offset + item.octets] if item else None
