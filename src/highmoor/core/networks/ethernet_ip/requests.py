"""Requests on demand: a service of an object in the device, when the program wants it (explicit messages).

Source: CIP volume 1, 2-4 (message router) and appendix A (services).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.figures.cip import path
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import OnDemand, on_demand

SERVICES: dict[int, str] = {
    0x01: "get all attributes",
    0x02: "set all attributes",
    0x05: "reset",
    0x0E: "get one attribute",
    0x10: "set one attribute",
}
# Services that name an attribute in their path, and those that never do; of others a device's manual tells.
_OF_ONE_ATTRIBUTE = (0x0E, 0x10)
_OF_NO_ATTRIBUTE = (0x01, 0x02, 0x05)


@dataclass(frozen=True, slots=True)
class Request(OnDemand):
    """A request as it is asked: the numbers of its path, octets for what is sent and heard."""

    service: int
    class_id: int
    instance: int
    attribute: int | None
    send_octets: int
    answer_octets: int

    @property
    def path(self) -> bytes:
        """The path's octets. Raises Refusal for numbers no segment holds."""
        return path(self.class_id, self.instance, self.attribute)


def request_of(line: Line) -> Request:
    """The request a connection stands for, with defaults filled in."""
    own, wanted = line.connection.settings, on_demand(line)
    octets = {exchange.id: _whole(exchange.settings.get("octets"), 0) for exchange in line.exchanges}
    service = _whole(own.get("service"), 0x0E)
    return Request(
        wanted.trigger, wanted.period_ms, wanted.timeout_ms, wanted.send, wanted.answer, service,
        _whole(own.get("class"), 1), _whole(own.get("instance"), 1), _attribute(service, own.get("attribute")),
        octets.get(wanted.send, 0), octets.get(wanted.answer, 0),
    )  # fmt: skip


def takes_attribute(service: int) -> bool:
    """Whether a service may name an attribute in its path."""
    return service not in _OF_NO_ATTRIBUTE


def _attribute(service: int, own: Any) -> int | None:
    """What is set is kept while the service takes none, and asked for again with the next one that does."""
    if not takes_attribute(service):
        return None
    return own if isinstance(own, int) and not isinstance(own, bool) else 1 if service in _OF_ONE_ATTRIBUTE else None


def service_name(service: int) -> str:
    """A service as people say it; without a name by its number, in decimal as it is set."""
    return SERVICES.get(service, f"service {service}")


def path_problem(request: Request) -> str:
    """Why a request has no path, or ""."""
    try:
        _ = request.path
    except Refusal as refusal:
        return refusal.reason
    return ""


def _whole(value: Any, fallback: int) -> int:
    return value if isinstance(value, int) and not isinstance(value, bool) else fallback
