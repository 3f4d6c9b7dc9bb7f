"""The forms of EtherNet/IP: what can be set on stations, connections and exchanges, and what the file says of it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from highmoor.core.catalogue.choices import Span
from highmoor.core.catalogue.meaning import meaning
from highmoor.core.catalogue.sizes import in_other_units
from highmoor.core.catalogue.types import Parameter
from highmoor.core.errors import Refusal
from highmoor.core.figures.cip import MULTIPLIERS, spelled
from highmoor.core.hardware.parameters import parameter_field
from highmoor.core.networks.ethernet_ip.adapter_facts import IDLE_S
from highmoor.core.networks.ethernet_ip.port_parameters import port_fields
from highmoor.core.networks.ethernet_ip.requests import (
    SERVICES,
    path_problem,
    request_of,
    service_name,
    takes_attribute,
)
from highmoor.core.networks.ethernet_ip.routes import read_route
from highmoor.core.networks.ethernet_ip.settings import (
    APPLICATIONS,
    Agreement,
    Way,
    agreement,
    identity_of,
)
from highmoor.core.networks.fieldbus import Around, FieldsOf
from highmoor.core.networks.on_demand import is_request, trigger_fields
from highmoor.core.numbers import shown
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.rows import Connection, Exchange, Network, Station

_POINT_HINT = "The manual calls it assembly instance or connection point, and gives one for each direction."
_SIZE_HINT = "Data alone, in octets: leave out the sequence count and the 4 octets of a run/idle header."


def _in_other_units(octets: Any) -> str:
    return in_other_units(octets, "octets") if isinstance(octets, int) else ""


REQUEST_OCTETS = FieldSpec(
    "settings.octets", "Size", "integer", default=0, unit="octets", minimum=0, maximum=1400, show=_in_other_units
)


def _network_fields(_: Network, __: Around) -> tuple[FieldSpec, ...]:
    return ()


def _station_fields(row: Station, around: Around) -> tuple[FieldSpec, ...]:
    device = around.device
    own = identity_of(row, device)
    unknown = "" if device and device.product_code is not None else "nobody knows this device's numbers"
    revisions = device.revisions if device else ()
    return (
        FieldSpec(
            "settings.identity", "Another device", "choice", default="off" if unknown else "compatible", optional=True,
            choices=(
                Choice("exact", "refused"),
                Choice("compatible", "taken if compatible"),
                Choice("off", "always taken"),
            ),
            disabled=unknown, term="electronic key",
            hint="" if unknown
            else f"Vendor {own.vendor}, device type {own.device_type} and product {own.product} are checked."
            if own.rule != "off" else "Vendor, type, product and revision are not checked.",
        ),
        FieldSpec(
            "settings.revision", "Revision asked for", "text",
            default=revisions[-1] if revisions and not unknown else "", optional=True, disabled=unknown,
            hint="Major and minor, as the device shows them: 3.1", read=_revision,
        ),
        FieldSpec(
            "settings.large", "Takes large connections", "choice", default="unknown", optional=True,
            choices=(Choice("unknown", "not known"), Choice("yes", "yes"), Choice("no", "no")),
            term="Large_Forward_Open", hint="Needed when data, header and sequence count exceed 511 octets.",
        ),
        FieldSpec(
            "settings.idle_s", "Ends an idle session after", "number", default=IDLE_S, unit="s", minimum=0,
            maximum=3600, optional=True, term="encapsulation inactivity",
            hint="0: never. Cyclic connections keep running without the session; a request opens a new one.",
        ),
        FieldSpec(
            "settings.route", "By way of", "text", optional=True, term="port segments", read=_route,
            hint="Port and link address where the device is behind a backplane or a bridge: 1/0 is port 1, slot 0. "
            "Requests on demand go to the address itself.",
        ),
    )  # fmt: skip


def _route(given: Any) -> str:
    return ", ".join(str(hop) for hop in read_route(given))


def _revision(given: Any) -> str:
    text = str(given).strip()
    if not text:
        return ""
    major, dot, minor = text.partition(".")
    parts = (major, minor) if dot else (major, "0")
    if not all(p.isascii() and p.isdigit() for p in parts) or not 0 < int(parts[0]) < 128 or int(parts[1]) > 255:
        raise Refusal(f"“{text}” is not a revision: give major 1–127, a dot and minor 0–255, as in 3.1.", value=given)
    return f"{int(parts[0])}.{int(parts[1])}"


def _connection_fields(row: Connection, around: Around) -> tuple[FieldSpec, ...]:
    line = around.line
    if line is None:
        return ()
    if is_request(row):
        return _request_fields(around)
    told = agreement(line)
    choice, device = told.choice, around.device
    kinds: tuple[FieldSpec, ...]
    if device and device.connections:
        kinds = (
            FieldSpec(
                "settings.choice", "Connection", "choice", default=choice.key if choice else None, source="type",
                choices=tuple(Choice(c.key, c.label) for c in device.connections),
                hint=choice.help if choice else "", term=told.application,
            ),
        )  # fmt: skip
    else:
        kinds = (
            FieldSpec(
                "settings.application", "This controller", "choice", default=told.application,
                choices=tuple(Choice(key, key) for key in APPLICATIONS), hint=APPLICATIONS[told.application],
                term="application type",
            ),
        )  # fmt: skip
    return (*kinds, _multiplier_field(told), _ORDER, *_configuration_fields(told, around))


_ORDER = FieldSpec(
    "settings.high_octet_first", "High octet first", "boolean", default=False, optional=True,
    hint="The standard's order is low octet first; some devices pass on another network's data as it comes.",
)  # fmt: skip


def _multiplier_field(told: Agreement) -> FieldSpec:
    both = f"{shown(told.timeout_ms(told.out))} ms at the device, {shown(told.timeout_ms(told.into))} ms here"
    return FieldSpec(
        "settings.multiplier", "Time-out", "choice", default=told.multiplier, optional=True, unit="intervals",
        choices=tuple(Choice(m, str(m)) for m in MULTIPLIERS), term="timeout multiplier",
        hint="If not set: the smallest that gives at least 100 ms.", show=lambda _: both,
    )  # fmt: skip


def _configuration_fields(told: Agreement, around: Around) -> tuple[FieldSpec, ...]:
    config = told.choice.configuration if told.choice else None
    point = FieldSpec(
        "settings.config_point", "Configuration point", "integer", default=told.config_point, minimum=0,
        maximum=65535, optional=True, source="type" if config and config.point is not None else "own",
        hint="Its instance is part of the path even if no data is sent.",
    )  # fmt: skip
    by_key = {p.key: p for p in around.device.parameters} if around.device else {}
    fields = [by_key[f.parameter] for f in (config.fields if config else ()) if f.parameter in by_key]
    by_hand = FieldSpec(
        "settings.config_data", "Configuration data", "text", default=spelled(told.configuration), optional=True,
        hint="Octets in hex, as the manual lists them; empty if the device needs none.", read=_octets,
    )  # fmt: skip
    assert around.line is not None
    if fields and not around.line.connection.settings.get("config_data"):
        return (point, *(_parameter(parameter) for parameter in fields))
    return point, by_hand


def _parameter(parameter: Parameter) -> FieldSpec:
    """A parameter in its raw counts, what they mean beside it; it takes effect when the connection is opened."""
    spec = parameter_field(replace(parameter, access="read-write"), f"settings.parameters.{parameter.key}")
    if parameter.choices or parameter.scaling is None:
        return spec
    return replace(spec, unit="", show=lambda raw: meaning(parameter, raw))


def _octets(given: Any) -> str:
    text = str(given).replace(",", " ").strip()
    if not text:
        return ""
    try:
        octets = bytes.fromhex(text)
    except ValueError:
        raise Refusal(f"“{text[:40]}” is not octets in hex, as in 01 0A FF.", value=given) from None
    if len(octets) > 510:
        raise Refusal(f"{len(octets)} octets of configuration data; 510 fit into a path.", value=given)
    return spelled(octets)


def _request_fields(around: Around) -> tuple[FieldSpec, ...]:
    assert around.line is not None
    request = request_of(around.line)
    octets = path_problem(request) or spelled(request.path)
    named = tuple(Choice(code, _service_label(code)) for code in SERVICES)
    number = {"minimum": 0, "maximum": 65535}
    return (
        FieldSpec(
            "settings.service", "Service", "integer", default=0x0E, minimum=1, maximum=127, choices=named,
            read=_service, show=lambda code: f"{service_name(code)}, 16#{code:02X}",
            hint="By name, or by the number in the device's manual: 1–127. From 128 on they are replies.",
        ),
        FieldSpec("settings.class", "Class", "integer", default=1, **number),  # type: ignore[arg-type]
        FieldSpec(
            "settings.instance", "Instance", "integer", default=1, minimum=0, maximum=0xFFFF_FFFF,
        ),
        FieldSpec(
            "settings.attribute", "Attribute", "integer", default=request.attribute, optional=True,
            hint="If empty, the path ends at the instance." if takes_attribute(request.service)
            else f"{service_name(request.service).capitalize()} takes none; what is set is kept.",
            show=lambda _: f"path {octets}",
            **number,  # type: ignore[arg-type]
        ),
        *trigger_fields(around.line),
    )  # fmt: skip


# CIP volume 1, 2-4.1: the highest bit of a service code says that it is a reply.
_REQUESTS_UP_TO = 0x7F


def _service_label(code: int) -> str:
    return f"{SERVICES[code]} (16#{code:02X})"


def _service(given: Any) -> int:
    for code, name in SERVICES.items():
        if given == code or given in (str(code), name, _service_label(code)):
            return code
    number = FieldSpec("settings.service", "Service", "integer", minimum=1, maximum=255)
    code = int(number.parse(given))
    if code > _REQUESTS_UP_TO:
        of = f", here to service {code & _REQUESTS_UP_TO}" if code & _REQUESTS_UP_TO else ""
        raise Refusal(f"Service {code} cannot be asked for: from 128 on the number marks a reply{of}.", value=given)
    return code


def _exchange_fields(row: Exchange, around: Around) -> tuple[FieldSpec, ...]:
    line = around.line
    if line is None:
        return ()
    if is_request(line.connection):
        hint = "The most that can come; a shorter answer leaves the rest as it was." if row.direction == "in" else ""
        return (replace(REQUEST_OCTETS, hint=hint),)
    way = next(w for w in agreement(line).ways if w.direction == row.direction)
    return _way_fields(way)


def _way_fields(way: Way) -> tuple[FieldSpec, ...]:
    offered, term = way.offered, "T→O" if way.direction == "in" else "O→T"
    source: Any = "type" if offered else "own"
    heartbeat = "a heartbeat carries no data" if way.heartbeat else ""
    point = FieldSpec(
        "settings.point", "Connection point", "integer", default=way.point, minimum=0, maximum=65535, optional=True,
        source=source, term=f"{term}, assembly instance", hint="" if offered else _POINT_HINT,
    )  # fmt: skip
    size = FieldSpec(
        "settings.octets", "Size", "integer", default=way.octets, unit="octets", minimum=0, maximum=65535,
        optional=True, source=source, disabled=heartbeat, show=_in_other_units,
        hint=_allowed("octets", offered.octets) if offered else _SIZE_HINT,
    )  # fmt: skip
    header = FieldSpec(
        "settings.header", "Run/idle header", "boolean", default=way.header, optional=True, source=source,
        disabled=heartbeat, term="32-bit header", hint="Four octets ahead of the data that say run or idle. Both "
        "ends must agree on whether they are there.",
    )  # fmt: skip
    span = offered.interval_us if offered else Span()
    interval = FieldSpec(
        "settings.rpi_ms", "Packet interval", "number", default=way.rpi_ms, unit="ms", minimum=0.1, maximum=100_000,
        optional=True, source=source, term="RPI", hint=_allowed_ms(span),
        show=lambda value: f"{shown(1000 / value, 4)} packets/s" if value else "", window=True,
    )  # fmt: skip
    if way.direction == "out":
        return point, size, interval, header
    missing = "" if offered is None or not offered.transfers else "the file does not offer it"
    transfer = FieldSpec(
        "settings.transfer", "Sent", "choice", default=way.transfer, optional=True, source=source,
        choices=tuple(
            Choice(key, label, missing if offered and key not in offered.transfers else "")
            for key, label in (("point-to-point", "to this controller"), ("multicast", "to all who listen (multicast)"))
        ),
        hint="A switch without IGMP snooping sends multicast packets out of every port.",
    )  # fmt: skip
    return point, size, interval, header, transfer


def _allowed(unit: str, span: Span) -> str:
    if span.minimum is None and span.maximum is None:
        return ""
    if span.minimum == span.maximum:
        return f"The file says {span.minimum} {unit}."
    return f"The file allows {span.minimum or 0}–{span.maximum or '…'} {unit}."


def _allowed_ms(span: Span) -> str:
    if span.minimum is None and span.maximum is None:
        return "Both ways have their own."
    low, high = (shown(us / 1000) if us is not None else "…" for us in (span.minimum, span.maximum))
    return f"The file says {low} ms." if low == high else f"The file allows {low}–{high} ms."


FIELDS: dict[str, FieldsOf] = {
    "networks": _network_fields,
    "stations": _station_fields,
    "connections": _connection_fields,
    "exchanges": _exchange_fields,
    "ports": port_fields,
}
