"""Requests on demand: a service of an object in the device, when the program wants it (explicit messages).

Source: CIP volume 1, 2-4 (message router) and appendix A (services).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from highmoor.core.errors import Refusal
from highmoor.core.figures.cip import path
from highmoor.core.networks.line import Line

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
Trigger = Literal["edge", "period", "after"]
PERIOD_MS = 1000.0
TIMEOUT_MS = 2000.0


@dataclass(frozen=True, slots=True)
class Request:
    """A request as it is asked: path numbers, what starts it, areas for what is sent and heard. Times in ms."""

    service: int
    class_id: int
    instance: int
    attribute: int | None
    trigger: Trigger
    period_ms: float
    timeout_ms: float
    send: str
    send_octets: int
    answer: str
    answer_octets: int

    @property
    def leads(self) -> str:
        """The exchange whose start bit asks: that of the answer, or of what is sent where nothing is taken."""
        return self.answer or self.send

    @property
    def path(self) -> bytes:
        """The path's octets. Raises Refusal for numbers no segment holds."""
        return path(self.class_id, self.instance, self.attribute)


def request_of(line: Line) -> Request:
    """The request a connection stands for, with defaults filled in."""
    own = line.connection.settings
    out = next((x for x in line.exchanges if x.direction == "out"), None)
    into = next((x for x in line.exchanges if x.direction == "in"), None)
    service = _whole(own.get("service"), 0x0E)
    trigger = own.get("trigger")
    return Request(
        service,
        _whole(own.get("class"), 1),
        _whole(own.get("instance"), 1),
        _attribute(service, own.get("attribute")),
        trigger if trigger in ("edge", "period", "after") else "edge",
        _positive(own.get("period_ms"), PERIOD_MS),
        float(own["timeout_ms"]) if _is_number(own.get("timeout_ms")) else TIMEOUT_MS,
        out.id if out else "",
        _whole(out.settings.get("octets"), 0) if out else 0,
        into.id if into else "",
        _whole(into.settings.get("octets"), 0) if into else 0,
    )


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


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _positive(value: Any, fallback: float) -> float:
    return float(value) if _is_number(value) and value > 0 else fallback
