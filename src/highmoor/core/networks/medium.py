"""What a network needs of the port it is on."""

from __future__ import annotations

from highmoor.core.catalogue.types import Catalogue, NetworkPort
from highmoor.core.hardware.ports import port_spec
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Network, Port


def medium_problem(spec: NetworkPort | None, bus: Fieldbus) -> str:
    """Why a port is of the wrong kind for a fieldbus, or ""."""
    if spec is None or spec.on == bus.medium:
        return ""
    return f"{bus.name} needs {bus.medium.port}; this port is {spec.label}"


def port_problem(plant: Plant, catalogue: Catalogue, port: Port, bus: Fieldbus, network: str) -> str:
    """Why a network of this fieldbus cannot be on a port, or ""."""
    spec = port_spec(plant.find, catalogue.find, port)
    problem = medium_problem(spec, bus)
    if problem or bus.medium.several:
        return problem
    others = [plant.get(i, Network) for i in plant.referring("networks", "port", port.id) if i != network]
    return f"{others[0].name} is on this port" if others else ""
