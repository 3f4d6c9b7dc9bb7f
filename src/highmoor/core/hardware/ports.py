"""Ports: whose they are, what they carry, and what people call them."""

from __future__ import annotations

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.types import NetworkPort
from highmoor.core.hardware.mounting import Find, TypeSource, modules_behind, root_of
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Module, Port, Rail


def controller_of_port(find: Find, port: Port | None) -> Controller | None:
    """The controller a port belongs to: its own, or that of the rail its module is on; None on remote rails."""
    device = find(port.device) if port else None
    if isinstance(device, Module):
        device = root_of(find, find(device.rail)).row
    return device if isinstance(device, Controller) else None


def ports_of(reader: Reader, controller: str) -> list[Port]:
    """The controller's own ports, then those of the modules on its rails, in order."""
    return [reader.row(port, Port) for port in reader.part("controller.port-list", controller)]


def _port_list(reader: Reader, root: str) -> tuple[str, ...]:
    """A part of its own: what reads the ports is not to be renewed with every module."""
    ports = [port.id for port in reader.children(Port, root)]
    for rail in reader.children(Rail, root):
        ports += reader.part("rail.port-list", rail.id)
    return tuple(ports)


def _rail_ports(reader: Reader, root: str) -> tuple[str, ...]:
    """Those of a rail's modules and of what hangs on them, in order."""
    ports: list[str] = []
    heads = reader.index(Rail, "head")
    for module in reader.children(Module, root):
        device = reader.type(module.type)
        if device and device.ports:
            ports += (port.id for port in reader.children(Port, module.id))
        for rail in heads.get(module.id, ()):
            ports += reader.part("rail.port-list", rail)
    return tuple(ports)


PARTS: tuple[Part, ...] = (
    Part("rail.port-list", "rails", _rail_ports, asked=True),
    Part("controller.port-list", "controllers", _port_list),
)


def all_ports(plant: Plant) -> list[tuple[Controller, Port]]:
    """Every port of every controller with its owner, in order."""
    found = []
    for controller in plant.all(Controller):
        modules = [module.id for module in modules_behind(plant, controller.id)]
        found += [(controller, port) for device in (controller.id, *modules) for port in plant.children(Port, device)]
    return found


def port_spec(find: Find, type_of: TypeSource, port: Port | None) -> NetworkPort | None:
    """What the type says of a port; None where it has none by this key."""
    device = find(port.device) if port else None
    known = type_of(device.type) if isinstance(device, Controller | Module) else None
    return next((p for p in known.ports if port and p.key == port.key), None) if known else None


def port_label(find: Find, port: Port) -> str:
    """As people say it: "HALL B", or with the module between."""
    controller = controller_of_port(find, port)
    device = find(port.device)
    module = device.designation or "module" if isinstance(device, Module) else ""
    return " ".join(part for part in (controller.name if controller else "", module, port.key) if part)
