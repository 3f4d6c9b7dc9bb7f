"""EtherNet/IP on the bench: what of it the bench uses."""

from __future__ import annotations

from dataclasses import replace

from highmoor.core.networks.ethernet_ip.adapter import Adapter
from highmoor.core.networks.ethernet_ip.as_configured import FACTS, adapter_as_configured, as_configured
from highmoor.core.networks.ethernet_ip.bench import go_live
from highmoor.core.networks.ethernet_ip.models import MODELS
from highmoor.core.networks.ethernet_ip.parameters import access
from highmoor.core.networks.ethernet_ip.served import attach
from highmoor.core.networks.ethernet_ip.settings import agreement, is_request
from highmoor.core.networks.live import Live, Seat, Serving, problem_of

# How long a controller takes to answer another one, ms.
_REPLY_MS = 2.0


def _device(seat: Seat) -> Adapter:
    made = Adapter(FACTS.validate_python(dict(seat.facts)), seat.clock, seat.address)
    attach(made, seat.medium)
    return made


def _serve(serving: Serving) -> None:
    """Connection points whose data is the image itself."""
    facts = replace(adapter_as_configured(serving.lines, None), reply_ms=_REPLY_MS)
    adapter = Adapter(facts, serving.clock, serving.hosts[0].address)
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


LIVE = Live(
    master=go_live, as_configured=as_configured, device=_device, problem=problem_of(FACTS), models=MODELS, serve=_serve,
    parameters=access,
)  # fmt: skip
