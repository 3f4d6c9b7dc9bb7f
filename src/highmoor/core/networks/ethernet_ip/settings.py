"""What a connection of EtherNet/IP is: what is set on its rows, and where nothing is set what the device's file offers.

Nothing of a file is copied into the plant: an empty setting means that the file's choice holds, so that another choice,
or another revision of the file, reaches every place that was not set by hand.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal

from highmoor.core.catalogue.choices import ConnectionChoice, ExchangeChoice
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.figures.cip import MULTIPLIERS, TIMEOUT_AT_LEAST_MS, timeout_multiplier
from highmoor.core.networks.ethernet_ip.adapter_facts import IDLE_S
from highmoor.core.networks.ethernet_ip.configuration import from_parameters
from highmoor.core.networks.ethernet_ip.routes import Hop, read_route
from highmoor.core.networks.line import Line
from highmoor.core.numbers import exact
from highmoor.core.plant.rows import Connection, Exchange, Station

RPI_MS = 20.0
HEARTBEAT_MS = 200.0
Direction = Literal["in", "out"]
Transfer = Literal["multicast", "point-to-point"]
Application = Literal["exclusive owner", "redundant owner", "input only", "listen only"]
APPLICATIONS: dict[str, str] = {
    "exclusive owner": "commands the device, alone, and hears from it",
    "redundant owner": "commands it together with a second controller that takes over",
    "input only": "hears from the device; what it sends is a heartbeat without data",
    "listen only": "hears what the device sends to another controller, and dies with that connection",
}
# Applications whose O→T packets carry no data.
_HEARTBEATS = ("input only", "listen only")


@dataclass(frozen=True, slots=True)
class Way:
    """One direction of a connection as it is asked for; `exchange` is "" where the plant has no row for it.

    `point` None: nobody knows yet. Times in ms, sizes in octets of data alone.
    """

    exchange: str
    direction: Direction
    point: int | None
    octets: int
    rpi_ms: float
    header: bool
    transfer: Transfer
    heartbeat: bool
    offered: ExchangeChoice | None


@dataclass(frozen=True, slots=True)
class Identity:
    """The rule by which a device is taken (CIP volume 1, C-1.4.3.5): `off` asks for nobody in particular."""

    rule: Literal["exact", "compatible", "off"]
    vendor: int = 0
    device_type: int = 0
    product: int = 0
    major: int = 0
    minor: int = 0


@dataclass(frozen=True, slots=True)
class Agreement:
    """A cyclic connection with defaults filled in: both ways, who owns it, what is sent when it is opened."""

    application: Application
    into: Way
    out: Way
    multiplier: int
    config_point: int | None
    configuration: bytes
    identity: Identity
    choice: ConnectionChoice | None
    route: tuple[Hop, ...] = ()

    @property
    def ways(self) -> tuple[Way, Way]:
        """Out of the controller, then into it."""
        return self.out, self.into

    def timeout_ms(self, way: Way) -> float:
        """How long its consumer waits for the next packet."""
        return way.rpi_ms * self.multiplier


def choice_of(connection: Connection, device: DeviceType | None) -> ConnectionChoice | None:
    """The connection of the device's file that is chosen; the file's first unless another one is."""
    offered = device.connections if device else ()
    wanted = connection.settings.get("choice")
    return next((c for c in offered if c.key == wanted), offered[0] if offered else None)


def agreement(line: Line) -> Agreement:
    """What a cyclic connection asks for."""
    return line.once(_agreed)


def _agreed(line: Line) -> Agreement:
    choice = choice_of(line.connection, line.device)
    own = line.connection.settings
    application = _application(own, choice)
    rows = {exchange.direction: exchange for exchange in line.exchanges}
    offered = {x.direction: x for x in choice.exchanges} if choice else {}
    into = _way("in", rows.get("in"), offered.get("in"), application, 0.0)
    out = _way("out", rows.get("out"), offered.get("out"), application, into.rpi_ms)
    config = choice.configuration if choice else None
    point = _whole(own, "config_point")
    return Agreement(
        application,
        into,
        out,
        _multiplier(own, min(into.rpi_ms, out.rpi_ms)),
        point if point is not None else config.point if config else None,
        _configuration(own, choice, line.device),
        identity_of(line.station, line.device),
        choice,
        route_of(line.station),
    )


def _application(own: Mapping[str, Any], choice: ConnectionChoice | None) -> Application:
    allowed = [a for a in (choice.applications if choice else APPLICATIONS) if a in APPLICATIONS]
    wanted = own.get("application")
    return wanted if wanted in allowed else allowed[0] if allowed else "exclusive owner"  # type: ignore[return-value]


def _way(
    direction: Direction, row: Exchange | None, offered: ExchangeChoice | None, application: str, in_rpi_ms: float
) -> Way:
    own: Mapping[str, Any] = row.settings if row else {}
    heartbeat = direction == "out" and application in _HEARTBEATS
    point, octets, rpi = _whole(own, "point"), _whole(own, "octets"), own.get("rpi_ms")
    if point is None and offered:
        point = offered.point
    if octets is None:
        octets = (offered.octets.default or 0) if offered else 0
    if not isinstance(rpi, int | float) or isinstance(rpi, bool) or rpi <= 0:
        rpi = _usual_rpi_ms(offered, in_rpi_ms if heartbeat else None)
    header = own.get("header")
    if not isinstance(header, bool):
        header = offered.format == "header-32" if offered else direction == "out"
    return Way(
        row.id if row else "",
        direction,
        point,
        0 if heartbeat else octets,
        float(rpi),
        header and not heartbeat,
        "point-to-point" if direction == "out" else _transfer(own, offered, application),
        heartbeat,
        offered,
    )


def _usual_rpi_ms(offered: ExchangeChoice | None, heartbeat_for_ms: float | None) -> float:
    """The file's own interval; a heartbeat needs to be no quicker than 200 ms, within what the file allows."""
    span = offered.interval_us if offered else None
    if heartbeat_for_ms is None:
        return span.default / 1000 if span and span.default else RPI_MS
    most = span.maximum / 1000 if span and span.maximum else HEARTBEAT_MS
    return min(max(heartbeat_for_ms, HEARTBEAT_MS), max(most, 0.001))


def _transfer(own: Mapping[str, Any], offered: ExchangeChoice | None, application: str) -> Transfer:
    """As it is set; else to one consumer, where the device can: multicast reaches every port of a plain switch."""
    if own.get("transfer") in ("multicast", "point-to-point"):
        return "multicast" if own["transfer"] == "multicast" else "point-to-point"
    if application == "listen only":
        return "multicast"
    return "multicast" if offered and "point-to-point" not in offered.transfers else "point-to-point"


def _multiplier(own: Mapping[str, Any], rpi_ms: float) -> int:
    wanted = own.get("multiplier")
    return int(wanted) if wanted in MULTIPLIERS else _usual_multiplier(rpi_ms)


# Most connections of a plant share a few intervals.
@lru_cache(maxsize=1024)
def _usual_multiplier(rpi_ms: float) -> int:
    try:
        return timeout_multiplier(exact(rpi_ms), TIMEOUT_AT_LEAST_MS)
    except Refusal:
        return MULTIPLIERS[-1]


def _configuration(own: Mapping[str, Any], choice: ConnectionChoice | None, device: DeviceType | None) -> bytes:
    """The octets by hand, or the file's parameters packed."""
    text = own.get("config_data")
    if isinstance(text, str) and text:
        try:
            return bytes.fromhex(text)
        except ValueError:
            return b""
    if choice is None or choice.configuration is None or device is None:
        return b""
    values = own.get("parameters")
    return from_parameters(choice.configuration, device, values if isinstance(values, dict) else {})


def identity_of(station: Station, device: DeviceType | None) -> Identity:
    """The rule and the numbers it compares; off for a device of which nobody knows the numbers."""
    rule = station.settings.get("identity", "compatible")
    if device is None or device.product_code is None or rule not in ("exact", "compatible"):
        return Identity("off")
    revision = station.settings.get("revision") or (device.revisions[-1] if device.revisions else "")
    major, _, minor = str(revision).partition(".")
    numbers = [int(text) if text.isascii() and text.isdigit() else 0 for text in (major, minor)]
    return Identity(rule, device.vendor_id, device.device_type or 0, device.product_code, *numbers)


def route_of(station: Station) -> tuple[Hop, ...]:
    """The ports between the address and the device that is meant; none for what cannot be read."""
    try:
        return read_route(station.settings.get("route"))
    except Refusal:
        return ()


def idle_s(station: Station) -> float:
    """After how long a device ends an idle TCP connection, s; 0 for never (CIP volume 2, 5-4.3.2.13)."""
    own = station.settings.get("idle_s")
    return float(own) if isinstance(own, int | float) and not isinstance(own, bool) and own >= 0 else IDLE_S


def hops_to(station: Station) -> bytes:
    """The route as a message to the device carries it."""
    return b"".join(hop.encode() for hop in route_of(station))


def _whole(own: Mapping[str, Any], key: str) -> int | None:
    value = own.get(key)
    return value if isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= 65535 else None
