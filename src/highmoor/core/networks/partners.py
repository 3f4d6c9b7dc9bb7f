"""Controllers that exchange data with one another: one asks, the other stands on its network as a station.

The one that is asked serves its own image: what the other reads lies in its out area, what the other writes in its in
area, at the registers or connection points that the exchange names.
"""

from __future__ import annotations

from highmoor.core.hardware.ethernet import interface
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Network, Port


def partner_problem(plant: Plant, network: Network, bus: Fieldbus, partner: Controller) -> str:
    """Why a station of a network cannot stand for a controller, or ""."""
    if not bus.partners:
        return f"{bus.name} carries nothing between controllers here"
    own = controller_of_port(plant.find, plant.find(network.port))
    return f"{partner.name} is the controller of this network itself" if own and own.id == partner.id else ""


def ports_of_controller(plant: Plant, controller: str) -> list[Port]:
    """A controller's own ports that have an address."""
    return [port for port in plant.children(Port, controller) if port.address]


def partner_address(plant: Plant, network: Network, partner: str) -> str:
    """The partner's address as this network reaches it: in its own subnet first; "" where it has none."""
    ports = ports_of_controller(plant, partner)
    own: Port | None = plant.find(network.port)
    net = interface(own.address, own.mask) if own else None
    near = [p for p in ports if net and (at := interface(p.address, p.mask)) and at.ip in net.network]
    return next((port.address for port in (*near, *ports)), "")
