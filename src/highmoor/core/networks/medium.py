"""What a network needs of the port it is on."""

from __future__ import annotations

from highmoor.core.catalogue.types import Catalogue, Medium
from highmoor.core.hardware.ports import port_spec
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Network, Port

MEDIA: dict[Medium, str] = {"ethernet": "Ethernet", "rs-485": "an RS-485 port"}


def port_problem(plant: Plant, catalogue: Catalogue, port: Port, bus: Fieldbus, network: str) -> str:
    """Why a network of this fieldbus cannot be on a port, or ""."""
    spec = port_spec(plant.find, catalogue.find, port)
    if spec is not None and spec.medium != bus.medium:
        return f"{bus.name} needs {MEDIA[bus.medium]}; this port is {spec.label}"
    if bus.medium == "ethernet":
        return ""
    others = [plant.get(i, Network) for i in plant.referring("networks", "port", port.id) if i != network]
    return f"{others[0].name} is on this port" if others else ""
