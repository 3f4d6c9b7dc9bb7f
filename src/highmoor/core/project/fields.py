"""What can be set on each object of a plant: the one source of forms and of SetFields."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

from highmoor.core.catalogue.media import Medium
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.hardware.dials import USUAL
from highmoor.core.hardware.ethernet import parse_address, parse_mask
from highmoor.core.hardware.mounting import Root, head_type, is_ports, rail_slots, root_of, slots_of
from highmoor.core.hardware.parameters import RAIL_FIELDS, module_fields
from highmoor.core.hardware.ports import all_ports, port_label, port_spec
from highmoor.core.motion.fields import axis_fields, move_fields, profile_fields, use_fields
from highmoor.core.motion.fields import link_fields as chain_link_fields
from highmoor.core.motion.robots.fields import robot_fields
from highmoor.core.networks import FIELDBUSES, fieldbus_of
from highmoor.core.networks.addressing import Numbers
from highmoor.core.networks.cables import cable_kind
from highmoor.core.networks.fieldbus import Around, Fieldbus
from highmoor.core.networks.io_link.fields import port_fields, port_rail_fields
from highmoor.core.networks.medium import port_problem
from highmoor.core.networks.numbering import read_rule
from highmoor.core.networks.parked import PARKED, is_parked
from highmoor.core.networks.partners import partner_problem
from highmoor.core.networks.rings import ring_field
from highmoor.core.numbers import shown
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    Axis,
    ChainLink,
    ClosingCable,
    CommandProfile,
    Connection,
    Controller,
    DataStructure,
    Exchange,
    Facts,
    IoList,
    Link,
    ListLine,
    Module,
    Move,
    Network,
    PinnedType,
    PlanShape,
    Port,
    Program,
    Proof,
    Rail,
    Robot,
    SafetyFunction,
    SafetyPart,
    Scanner,
    Seal,
    Signal,
    Situation,
    Spare,
    Station,
    Task,
    Use,
    Zone,
    ZoneUse,
)
from highmoor.core.project.built_fields import BUILT_FIELDS
from highmoor.core.project.lists.kept import COLUMNS_FIELD, LINE_FIELDS
from highmoor.core.project.lists.naming import read_pattern
from highmoor.core.project.signal_fields import PROGRAM_NAME, link_fields, program_fields, signal_fields
from highmoor.core.project.wires import around, bus_of_station
from highmoor.core.safety.fields import function_fields, part_fields, safe_module_fields, safe_part_fields
from highmoor.core.safety.record_fields import proof_fields, seal_fields
from highmoor.core.safety.scanner.fields import (
    plan_shape_fields,
    scanner_fields,
    situation_fields,
    zone_fields,
    zone_use_fields,
)
from highmoor.core.signals.declared import shape_object

_CABINET = (
    FieldSpec("designation", "Reference designation", "text", default="", term="IEC 81346", optional=True),
    FieldSpec("location", "Location", "text", default="", optional=True),
    FieldSpec("note", "Note", "note", default="", optional=True),
)
_TITLE = FieldSpec("name", "Name", "text")


def fields_of(plant: Plant, catalogue: Catalogue, row: Any) -> tuple[FieldSpec, ...]:
    """All fields of a row, in the order of its form."""
    return _FIELDS[type(row)](plant, catalogue, row)


def _facts(plant: Plant, catalogue: Catalogue, row: Facts) -> tuple[FieldSpec, ...]:
    return (_TITLE, FieldSpec("note", "Note", "note", default="", optional=True))


def _controller(plant: Plant, catalogue: Catalogue, row: Controller) -> tuple[FieldSpec, ...]:
    device = catalogue.find(row.type)
    types = tuple(Choice(t.key, t.name) for t in catalogue.of_kind("controller"))
    return (
        PROGRAM_NAME,
        FieldSpec("type", "Type", "choice", choices=types, disabled="replace the controller to change its type"),
        FieldSpec(
            "firmware", "Firmware revision", "choice",
            choices=tuple(Choice(r, r) for r in (device.revisions if device else (row.firmware,))),
            hint="The revision that is in the controller; another one may refuse the download.",
        ),
        *safe_part_fields(device),
        *_CABINET,
    )  # fmt: skip


def _port(plant: Plant, catalogue: Catalogue, row: Port) -> tuple[FieldSpec, ...]:
    spec = port_spec(plant.find, catalogue.find, row)
    if spec is not None and not spec.on.has_ip:
        # A line's settings belong to the line: both ends have to agree on them.
        return ()
    return (
        FieldSpec(
            "method", "Address by", "choice", default="static",
            choices=(Choice("static", "fixed setting"), Choice("dhcp", "DHCP"), Choice("bootp", "BOOTP")),
            restart=True,
        ),
        FieldSpec(
            "address", "IP address", "text", default="", read=_optional(parse_address), optional=True, restart=True
        ),
        FieldSpec("mask", "Subnet mask", "text", default="255.255.255.0", read=parse_mask, restart=True, show=_prefix),
        FieldSpec("gateway", "Gateway", "text", default="", read=_optional(parse_address), optional=True, restart=True),
    )  # fmt: skip


def _optional(read: Callable[[Any], str]) -> Callable[[Any], str]:
    return lambda given: read(str(given)) if given else ""


def _prefix(mask: str) -> str:
    return "/" + str(sum(bin(int(part)).count("1") for part in mask.split(".") if part.isdigit()))


def _task(plant: Plant, catalogue: Catalogue, row: Task) -> tuple[FieldSpec, ...]:
    return (
        PROGRAM_NAME,
        FieldSpec("period_ms", "Period", "number", unit="ms", minimum=0.25, maximum=60000, window=True),
        FieldSpec("execution_ms", "Execution time", "number", unit="ms", minimum=0, maximum=60000),
    )


def _rail(plant: Plant, catalogue: Catalogue, row: Rail) -> tuple[FieldSpec, ...]:
    if is_ports(row):
        station = root_of(plant.find, row).row
        bus = bus_of_station(plant, station) if isinstance(station, Station) else None
        own = bus.fields.get("ports") if bus else None
        return (_TITLE, *port_rail_fields(row), *(own(row, Around()) if own else ()))
    places = tuple(Choice(n, f"{n} places") for n in slots_of(head_type(plant, row, catalogue.find)).places)
    return (
        _TITLE,
        FieldSpec("places", "Length", "choice", choices=places),
        *RAIL_FIELDS,
    )


def _module(plant: Plant, catalogue: Catalogue, row: Module) -> tuple[FieldSpec, ...]:
    device = catalogue.find(row.type)
    rail: Rail | None = plant.find(row.rail)
    addressed = rail_slots(rail, head_type(plant, rail, catalogue.find) if rail else None).addressed
    root = root_of(plant.find, rail)
    remote = bool(root.station or root.within)
    pin = {
        "optional": True, "minimum": 0, "maximum": 65535, "unit": "octets",
        "disabled": "its octets lie where the exchange that brings them does" if remote else "",
    }  # fmt: skip
    on_network = () if is_ports(rail) else _on_network(plant, root, row, device)
    return (
        FieldSpec(
            "slot", "Port" if is_ports(rail) else "Slot", "integer", minimum=1, maximum=rail.places if rail else 64,
            optional=not addressed, disabled="" if addressed else "slots follow from the order on this rail",
        ),
        *(_cabinet_of(spec) for spec in _CABINET),
        # One who answers for himself on a network is known by the rule of that.
        *(() if any(spec.path == "settings.identity" for spec in on_network) else _identity(device)),
        *(module_fields(row, device) if device else ()),
        *safe_module_fields(device),
        *on_network,
        *(port_fields(row, device) if is_ports(rail) else ()),
        *((FieldSpec("pin_in", "Pinned at, in", "integer", **pin),) if device and device.in_octets else ()),  # type: ignore[arg-type]
        *((FieldSpec("pin_out", "Pinned at, out", "integer", **pin),) if device and device.out_octets else ()),  # type: ignore[arg-type]
    )  # fmt: skip


def _cabinet_of(spec: FieldSpec) -> FieldSpec:
    return replace(spec, section="cabinet")


def _identity(device: DeviceType | None) -> tuple[FieldSpec, ...]:
    """Which revision is meant to be plugged, and by what rule another one is taken."""
    if device is None or not device.revisions:
        return ()
    return (
        FieldSpec(
            "revision", "Firmware revision", "choice", optional=True,
            choices=tuple(Choice(r, r) for r in device.revisions), hint=f"Unless set: {device.revisions[-1]}.",
            read=lambda given: _revision(device, given),
        ),
        FieldSpec(
            "identity", "Another revision", "choice", default="compatible",
            choices=(
                Choice("exact", "is refused"),
                Choice("compatible", "is taken when compatible"),
                Choice("any", "is always taken"),
            ),
            hint="Exact: type and revision must agree. Compatible: same type, same major revision, minor not older.",
        ),
    )  # fmt: skip


def _revision(device: DeviceType, given: Any) -> str:
    if given not in device.revisions:
        raise Refusal(f"{device.name} is known with revision {', '.join(device.revisions)}, not {given}.", value=given)
    return str(given)


def _pinned_type(plant: Plant, catalogue: Catalogue, row: PinnedType) -> tuple[FieldSpec, ...]:
    return (FieldSpec("note", "Note", "note", default="", optional=True),)


def _spare(plant: Plant, catalogue: Catalogue, row: Spare) -> tuple[FieldSpec, ...]:
    return (
        FieldSpec("count", "In stock", "integer", minimum=0, maximum=10_000),
        FieldSpec("note", "Note", "note", default="", optional=True),
    )


def _on_network(plant: Plant, root: Root, row: Module, device: DeviceType | None) -> tuple[FieldSpec, ...]:
    """What the fieldbus of the station in front of a module has to set on it."""
    station: Station | None = plant.find(root.station) if root.station else None
    bus = bus_of_station(plant, station)
    own = bus.fields.get("modules") if bus else None
    return own(row, Around(plant.find(station.network), device)) if own and station else ()


def _network(plant: Plant, catalogue: Catalogue, row: Network) -> tuple[FieldSpec, ...]:
    bus = fieldbus_of(row.kind)
    ports = tuple(
        Choice(port.id, port_label(plant.find, port), port_problem(plant, catalogue, port, bus, row.id) if bus else "")
        for _, port in all_ports(plant)
    )
    return (
        _TITLE,
        FieldSpec(
            "kind", "Fieldbus", "choice", choices=tuple(Choice(b.key, b.name) for b in FIELDBUSES),
            disabled="stations and exchanges belong to the fieldbus; make a new network",
        ),
        FieldSpec("port", "On port", "choice", choices=ports, optional=True),
        FieldSpec(
            "settings.numbering", "Numbering rule", "text", default="", optional=True, read=read_rule,
            hint="As in 20 + 10*a + n: n is the last number in a station's name, a the one before it.",
        ),
        *(bus.fields["networks"](row, Around(row)) if bus else ()),
        FieldSpec("note", "Note", "note", default="", optional=True),
    )  # fmt: skip


def _station(plant: Plant, catalogue: Catalogue, row: Station) -> tuple[FieldSpec, ...]:
    bus = bus_of_station(plant, row)
    device = catalogue.find(row.type)
    passes = device is not None and device.passes_on
    switch = device is not None and device.switch is not None
    alike = [n for n in plant.all(Network) if bus and n.kind == bus.key]
    return (
        _TITLE,
        FieldSpec("network", "On network", "choice", choices=tuple(Choice(n.id, n.name) for n in alike)),
        *(_address_field(bus) if bus is None or bus.addresses.entered else ()),
        *(_partner_fields(plant, row, bus) if bus and bus.partners and not passes else ()),
        *(_cable_fields(plant, catalogue, row, bus.medium) if bus and bus.medium.branches else ()),
        *(bus.fields["stations"](row, around(plant, catalogue, row, None)) if bus and not switch else ()),
        *((_SWITCHES,) if bus and not passes and _has_switches(bus, device) else ()),
        *((PARKED,) if bus and not passes else ()),
        *_CABINET,
    )


_SWITCHES = FieldSpec(
    "settings.switches", "Switches on it", "choice", default="unknown", optional=True,
    choices=(Choice("unknown", "not known"), *(Choice(key, label) for key, (label, _) in USUAL.items())),
    hint="They are drawn as they have to stand for its address.",
)  # fmt: skip


def _has_switches(bus: Fieldbus, device: DeviceType | None) -> bool:
    """Whether its number may be set by switches of which its type says nothing."""
    return isinstance(bus.addresses, Numbers) and (device is None or device.dial is None)


def _address_field(bus: Fieldbus | None) -> tuple[FieldSpec, ...]:
    return (
        FieldSpec(
            "address", bus.addresses.label if bus else "Address", "text", default="", optional=True,
            read=_optional(bus.addresses.read) if bus else None,
        ),
    )  # fmt: skip


def _partner_fields(plant: Plant, row: Station, bus: Fieldbus) -> tuple[FieldSpec, ...]:
    """Which controller a station stands for."""
    network: Network | None = plant.find(row.network)
    controllers = tuple(
        Choice(c.id, c.name, partner_problem(plant, network, bus, c) if network else "") for c in plant.all(Controller)
    )
    return (
        FieldSpec(
            "partner", "Stands for", "choice", optional=True, choices=controllers,
            hint="Another controller of this plant: both its ends are then shown together.",
        ),
    )  # fmt: skip


def _cable_fields(plant: Plant, catalogue: Catalogue, row: Station, medium: Medium) -> tuple[FieldSpec, ...]:
    """Where a station's cable comes from: the port, a switch, or a device that passes on; nothing behind itself."""
    rows = {s.id: s for s in plant.children(Station, row.network)}
    behind = {row.id}
    for _ in rows:
        more = {s.id for s in rows.values() if s.upstream in behind} - behind
        if not more:
            break
        behind |= more
    choices = []
    for station in rows.values():
        device = catalogue.find(station.type)
        sockets = device.sockets if device else None
        if sockets is None or sockets > 1:
            problem = "it hangs behind this one itself" if station.id in behind else ""
            choices.append(Choice(station.id, station.name, problem))
    return (
        FieldSpec(
            "upstream",
            "Cable from",
            "choice",
            optional=True,
            choices=tuple(choices),
            hint="If empty: from the controller's port.",
        ),
        *_socket_fields(catalogue, row, rows),
        *(ring_field(catalogue.find(row.type)) if medium.switches else ()),
        *_laid(
            medium, "Cable to it", f"At most {shown(cable_kind(row, medium).length_at_most_m)} m between two sockets."
        ),
    )


def _socket_fields(catalogue: Catalogue, row: Station, rows: dict[str, Station]) -> Iterator[FieldSpec]:
    """Which sockets the cable to a station goes between, where there is more than one to choose from."""
    upper = rows.get(row.upstream or "")
    for path, label, at, hint in (
        ("socket", "Plugged into socket", upper, "Of what its cable comes from. If empty: the first that is free."),
        ("entry", "Comes in at socket", row, "Of its own. If empty: the first."),
    ):
        device = catalogue.find(at.type) if at else None
        if device and device.sockets and device.sockets > 1:
            yield FieldSpec(path, label, "integer", optional=True, minimum=1, maximum=device.sockets, hint=hint)


def _closing_cable(plant: Plant, catalogue: Catalogue, row: ClosingCable) -> tuple[FieldSpec, ...]:
    """The sockets of both its ends, and what kind of cable it is."""
    network: Network | None = plant.find(row.network)
    bus = fieldbus_of(network.kind) if network else None
    if bus is None or not bus.medium.cables:
        return ()
    fields = []
    for path, end in (("one_socket", row.one), ("other_socket", row.other)):
        station: Station | None = plant.find(end)
        device = catalogue.find(station.type) if station else None
        if station and device and device.sockets and device.sockets > 1:
            hint = "If empty: the first that is free."
            label = f"Socket of {station.name}"
            most = device.sockets
            fields.append(FieldSpec(path, label, "integer", optional=True, minimum=1, maximum=most, hint=hint))
    return (*fields, *_laid(bus.medium, "Length"))


def _laid(medium: Medium, length: str, hint: str = "") -> tuple[FieldSpec, ...]:
    """How a cable is laid."""
    return (
        FieldSpec("settings.length_m", length, "number", unit="m", minimum=0, maximum=20_000, optional=True),
        FieldSpec(
            "settings.cable", "Kind of cable", "choice", default=medium.cables[0].key, optional=True,
            choices=tuple(Choice(kind.key, kind.label) for kind in medium.cables), hint=hint,
        ),
        FieldSpec("settings.cable_tag", "Cable designation", "text", default="", term="IEC 81346", optional=True),
    )  # fmt: skip


def _connection(plant: Plant, catalogue: Catalogue, row: Connection) -> tuple[FieldSpec, ...]:
    station: Station | None = plant.find(row.station)
    bus = bus_of_station(plant, station)
    if bus is None or station is None:
        return ()
    # Where there is but one, it goes with its station.
    several = (PARKED,) if len(plant.children(Connection, station.id)) > 1 or is_parked(row) else ()
    return (*bus.fields["connections"](row, around(plant, catalogue, station, row)), *several)


def _exchange(plant: Plant, catalogue: Catalogue, row: Exchange) -> tuple[FieldSpec, ...]:
    connection: Connection | None = plant.find(row.connection)
    station: Station | None = plant.find(connection.station) if connection else None
    bus = bus_of_station(plant, station)
    return (
        _TITLE,
        *(bus.fields["exchanges"](row, around(plant, catalogue, station, connection)) if bus else ()),
        FieldSpec(
            f"pin_{row.direction}", "Pinned at", "integer", optional=True, minimum=0, maximum=65535, unit="octets",
            hint="Keeps its octets at this place in the image, whatever is added before it.",
        ),
    )  # fmt: skip


def _list(plant: Plant, catalogue: Catalogue, row: IoList) -> tuple[FieldSpec, ...]:
    controllers = tuple(Choice(c.id, c.name) for c in plant.all(Controller))
    return (
        _TITLE,
        FieldSpec("controller", "Signals of new lines in", "choice", optional=True, choices=controllers),
        FieldSpec("names", "Names by", "text", default="{tag}", read=read_pattern),
        COLUMNS_FIELD,
    )


def _list_line(plant: Plant, catalogue: Catalogue, row: ListLine) -> tuple[FieldSpec, ...]:
    return LINE_FIELDS


def _structure(plant: Plant, catalogue: Catalogue, row: DataStructure) -> tuple[FieldSpec, ...]:
    return (
        replace(PROGRAM_NAME, made=True),
        FieldSpec("note", "Note", "note", default="", optional=True),
        FieldSpec("shape", "Members", "special", read=shape_object, made=True),
    )


_FIELDS: dict[type[Any], Callable[[Plant, Catalogue, Any], tuple[FieldSpec, ...]]] = {
    Facts: _facts,
    PinnedType: _pinned_type,
    Spare: _spare,
    Controller: _controller,
    Port: _port,
    Task: _task,
    Rail: _rail,
    Module: _module,
    Network: _network,
    Station: _station,
    ClosingCable: _closing_cable,
    Connection: _connection,
    Exchange: _exchange,
    DataStructure: _structure,
    Signal: signal_fields,
    Program: program_fields,
    Link: link_fields,
    IoList: _list,
    ListLine: _list_line,
    CommandProfile: profile_fields,
    Use: use_fields,
    Robot: robot_fields,
    Axis: axis_fields,
    SafetyFunction: function_fields,
    SafetyPart: part_fields,
    Scanner: scanner_fields,
    Situation: situation_fields,
    Zone: zone_fields,
    PlanShape: plan_shape_fields,
    ZoneUse: zone_use_fields,
    Proof: proof_fields,
    Seal: seal_fields,
    ChainLink: chain_link_fields,
    Move: move_fields,
    **BUILT_FIELDS,
}
