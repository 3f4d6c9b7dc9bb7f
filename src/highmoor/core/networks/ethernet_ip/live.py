"""EtherNet/IP on the bench: what of it the bench uses."""

from __future__ import annotations

from dataclasses import replace

from highmoor.core.networks.ethernet_ip.adapter import Adapter
from highmoor.core.networks.ethernet_ip.as_configured import FACTS, adapter_as_configured, as_configured
from highmoor.core.networks.ethernet_ip.bench import go_live
from highmoor.core.networks.ethernet_ip.explain import likely
from highmoor.core.networks.ethernet_ip.models import MODELS
from highmoor.core.networks.ethernet_ip.parameters import access, reset, set_address
from highmoor.core.networks.ethernet_ip.port_parameters import ask_port
from highmoor.core.networks.ethernet_ip.scan import SCANS
from highmoor.core.networks.ethernet_ip.served import attach
from highmoor.core.networks.ethernet_ip.settings import agreement
from highmoor.core.networks.io_link.parameters import Served
from highmoor.core.networks.line import Line
from highmoor.core.networks.live import GIVE_ADDRESS, Live, NetworkAct, Seat, Serving, problem_of
from highmoor.core.networks.on_demand import is_request
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Exchange, Json

# How long a controller takes to answer another one, ms.
_REPLY_MS = 2.0
# Programmable logic controller (CIP volume 1, 6-1).
_CONTROLLER = 0x0E


def _device(seat: Seat) -> Adapter:
    made = Adapter(FACTS.validate_python(dict(seat.facts)), seat.clock, seat.address, seat.serial, seat.keep)
    attach(made, seat.medium)
    return made


def _serve(serving: Serving) -> None:
    """Connection points whose data is the image itself."""
    facts = replace(
        adapter_as_configured(serving.lines, None), reply_ms=_REPLY_MS, revision=serving.revision,
        device_type=_CONTROLLER, vendor=serving.device.vendor_id if serving.device else 0,
        name=serving.device.name if serving.device else "",
    )  # fmt: skip
    adapter = Adapter(facts, serving.clock, serving.hosts[0].address, serving.serial)
    for line in serving.lines:
        if is_request(line.connection):
            continue
        for way in agreement(line).ways:
            exchange = next((x for x in line.exchanges if x.id == way.exchange), None)
            far = serving.far(exchange, False) if exchange else None
            if far is not None and way.point is not None:
                (adapter.inputs if way.direction == "in" else adapter.outputs)[way.point] = far
    for host in serving.hosts:
        attach(adapter, host)


def _octets(device: Adapter, line: Line, exchange: Exchange) -> bytearray | memoryview | None:
    """What a connection point of it gives or takes."""
    way = next((one for one in agreement(line).ways if one.exchange == exchange.id), None)
    points = device.inputs if exchange.direction == "in" else device.outputs
    return points.get(way.point) if way and way.point is not None else None


def _serve_ports(device: Adapter, settings: Json, served: Served) -> None:
    """Its own class where that is known, else the one it is asked by."""
    device.ports = served
    device.port_class = device.facts.port_class or _whole(settings.get("parameter_class"))


def _whole(given: object) -> int:
    return given if isinstance(given, int) else 0


LIVE = Live(
    serve_ports=_serve_ports,
    ask_port=ask_port,
    octets=_octets, exchanging=lambda device: device.running,
    master=go_live, as_configured=as_configured, device=_device, problem=problem_of(FACTS), models=MODELS, serve=_serve,
    scans=SCANS, parameters=access, likely=likely,
    acts=(
        NetworkAct(
            GIVE_ADDRESS, "Give it another address", set_address, asks="address", keeps=True,
            back="give it the old one again",
        ),
        NetworkAct("restart", "Restart it", reset(0, "it restarts"), back="it comes back by itself"),
        NetworkAct(
            "factory", "Give it its factory settings", reset(2, "it forgets what was set in it, and restarts"),
            keeps=True, back="write its parameters again; its address stays",
        ),
    ),
    fields=(
        FieldSpec("facts.revision", "Firmware", "text", optional=True, hint="Major and minor, as in 3.1."),
        FieldSpec("facts.reply_ms", "Answers after", "number", unit="ms", minimum=0, maximum=60_000, optional=True),
    ),
)  # fmt: skip
