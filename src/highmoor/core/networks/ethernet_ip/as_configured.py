"""An adapter that is as its file says and as it is configured: what stands on the bench where nobody knows better."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable, Sequence
from typing import Any, Literal

from pydantic import TypeAdapter

from highmoor.core.catalogue.choices import ConnectionChoice
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.datatypes import DATA_TYPES, encode
from highmoor.core.figures.cip import spelled
from highmoor.core.networks.ethernet_ip.adapter_facts import IDLE_S, AdapterFacts, AdapterPoint
from highmoor.core.networks.ethernet_ip.requests import path_problem, request_of
from highmoor.core.networks.ethernet_ip.settings import agreement, idle_s
from highmoor.core.networks.line import Line
from highmoor.core.networks.live import Facts
from highmoor.core.networks.on_demand import is_request
from highmoor.core.plant.rows import Network, Station

_Role = Literal["data", "input only", "listen only"]
_ROLES: dict[str, _Role] = {"input only": "input only", "listen only": "listen only"}


FACTS: TypeAdapter[AdapterFacts] = TypeAdapter(AdapterFacts)


def as_configured(_: Network, __: Station | None, lines: Sequence[Line], device: DeviceType | None) -> Facts:
    """The facts as JSON."""
    return dataclasses.asdict(adapter_as_configured(lines, device))


def adapter_as_configured(lines: Sequence[Line], device: DeviceType | None) -> AdapterFacts:
    """Points, identity and limits from the device's file; from the configured connections where there is none."""
    told = [agreement(line) for line in lines if not is_request(line.connection)]
    choices = device.connections if device else ()
    points = {p.point: p for choice in choices for p in _of_file(choice)}
    if not choices:
        for one in told:
            for way in one.ways:
                if way.point is not None:
                    role: _Role = _ROLES.get(one.application, "data") if way.heartbeat else "data"
                    points[way.point] = AdapterPoint(way.point, way.direction, way.octets, way.header, role)
    config = next((c.configuration for c in choices if c.configuration), None)
    limits = device.limits if device else None
    least_us = limits.min_interval_us if limits else None
    hop = next((t.route[-1] for t in told if t.route and t.route[-1].address.isdigit()), None)
    return AdapterFacts(
        vendor=device.vendor_id if device else 0,
        device_type=(device.device_type if device else None) or 0,
        product=(device.product_code if device else None) or 0,
        revision=device.revisions[-1] if device and device.revisions else "1.0",
        name=device.name if device else "",
        points=tuple(points.values()),
        config_point=config.point if config else next((t.config_point for t in told), None),
        config_octets=(config.octets.default or 0) if config else max((len(t.configuration) for t in told), default=0),
        connections=(limits.cyclic_connections if limits else None) or 8,
        idle_s=next((idle_s(line.station) for line in lines), IDLE_S),
        rpi_least_ms=least_us / 1000 if least_us else 1,
        redundant_owners=not choices or any("redundant owner" in choice.applications for choice in choices),
        backplane=hop.port if hop else None,
        slot=int(hop.address) if hop else 0,
        attributes={**_asked_for(lines), **(_attributes(device) if device else {})},
    )


def _of_file(choice: ConnectionChoice) -> Iterable[AdapterPoint]:
    applications = choice.applications
    for exchange in choice.exchanges:
        if exchange.point is None:
            continue
        heartbeat = exchange.direction == "out" and bool(set(applications) & set(_ROLES))
        role: _Role = _ROLES[next(a for a in applications if a in _ROLES)] if heartbeat else "data"
        octets = 0 if heartbeat else exchange.octets.default or 0
        yield AdapterPoint(exchange.point, exchange.direction, octets, exchange.format == "header-32", role)


def _asked_for(lines: Sequence[Line]) -> dict[str, str]:
    """What requests ask for is there, and 0."""
    requests = [request_of(line) for line in lines if is_request(line.connection)]
    return {
        spelled(request.path): bytes(request.answer_octets or request.send_octets).hex()
        for request in requests
        if not path_problem(request)
    }


def _attributes(device: DeviceType) -> dict[str, str]:
    """Every parameter that has a path of its own, at the value the file gives it."""
    found = {}
    for parameter in device.parameters:
        known = DATA_TYPES.get(parameter.data_type)
        if parameter.path and known is not None and _is_octets(parameter.path):
            found[parameter.path] = encode(_number(parameter.default), known, "DCBA").hex()
    return found


def _number(value: Any) -> float:
    return value if isinstance(value, int | float) else 0


def _is_octets(path: str) -> bool:
    try:
        return bool(bytes.fromhex(path))
    except ValueError:
        return False
