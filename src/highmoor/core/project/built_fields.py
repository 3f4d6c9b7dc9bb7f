"""What can be set of the plant as built: where a device answers, whether it has power, what is set at it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

from highmoor.core.catalogue.media import Sharing
from highmoor.core.catalogue.types import IO_LINK_PORT, Catalogue, DeviceType
from highmoor.core.hardware.mounting import is_ports
from highmoor.core.motion.links import LINK_KINDS
from highmoor.core.motion.units import unit_of
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    Axis,
    BuiltDevice,
    BuiltLine,
    BuiltModule,
    BuiltProcess,
    BuiltScanner,
    BuiltWire,
    ChainLink,
    Module,
    Network,
    PinnedType,
    Row,
    Station,
)

_THERE = FieldSpec("there", "Mounted", "boolean", default=True)


def bus_of_built(plant: Plant, row: BuiltDevice | BuiltLine) -> Fieldbus | None:
    """The fieldbus of the network a device or a line as built belongs to."""
    network: Network | None = plant.find(row.network)
    return fieldbus_of(network.kind) if network else None


def built_problem(plant: Plant, row: Row) -> tuple[str, str] | None:
    """Why a row can be nothing that stands there: the field and the reason; None where it can."""
    bus = bus_of_built(plant, row) if isinstance(row, BuiltDevice) else None
    if isinstance(row, BuiltDevice) and bus and (problem := bus.live.problem(row.facts)):
        return "facts", problem
    return None


def _device(plant: Plant, catalogue: Catalogue, row: BuiltDevice) -> tuple[FieldSpec, ...]:
    bus = bus_of_built(plant, row)
    station: Station | None = plant.find(row.station)
    own = (FieldSpec("name", "Name", "text", default="", optional=True),) if station is None else ()
    if bus is None:
        return own
    drawn = bus.live.as_configured(plant.get(row.network, Network), station, [], None)
    return (
        *own,
        *(_address(bus, station) if bus.addresses.entered and not bus.live.by_name else ()),
        _THERE,
        FieldSpec("powered", "Has power", "boolean", default=True),
        FieldSpec("cable", "Cable plugged", "boolean", default=True),
        *(replace(spec, default=drawn.get(spec.path.partition(".")[2])) for spec in bus.live.fields),
        *(_machine(plant, station) if station else ()),
    )  # fmt: skip


def _machine(plant: Plant, station: Station) -> Iterator[FieldSpec]:
    """What a drive's machine is really made of, link by link, where that is another than configured."""
    for axis_id in plant.referring("axes", "drive", station.id):
        axis = plant.get(axis_id, Axis)
        for link in plant.children(ChainLink, axis.id):
            kind = LINK_KINDS[link.kind]
            for spec in kind.fields:
                key = spec.path.partition(".")[2]
                if key in _AS_MADE:
                    yield replace(
                        spec, path=f"settings.chain.{link.id}.{key}", label=f"{kind.label}: {spec.label}",
                        default=link.settings.get(key), optional=True, hint="",
                    )  # fmt: skip
        yield FieldSpec(
            "settings.reversed", "Motor turns the other way", "boolean",
            default=bool(axis.settings.get("reversed", False)), optional=True,
        )  # fmt: skip
        for end, sign in (("minus", "−"), ("plus", "+")):
            if axis.settings.get(f"switch_{end}") is not None:
                yield FieldSpec(
                    f"settings.limit_{end}_closes", f"Limit switch {sign} closes when held", "boolean",
                    default=bool(axis.settings.get("limits_close", False)), optional=True,
                )  # fmt: skip
        if axis.kind != "speed":
            yield FieldSpec(
                "settings.encoder_offset", "Encoder offset, as it is built in", "number",
                unit=unit_of(axis.kind, axis.unit).label, minimum=-1e9, maximum=1e9, optional=True,
                default=axis.settings.get("encoder_offset"),
            )  # fmt: skip
        yield FieldSpec(
            "settings.position", "Stands at", "number", unit=unit_of(axis.kind, axis.unit).label, minimum=-1e9,
            maximum=1e9, optional=True, hint="When the bench begins.",
        )  # fmt: skip


# What of a machine may be otherwise than drawn without anybody seeing it.
_AS_MADE = frozenset(
    ("motor_turns", "load_turns", "lead_mm", "teeth", "pitch_mm", "module_mm", "diameter_mm", "counts", "mass_kg",
     "friction_n", "friction_nm", "brake_nm", "play_mm", "play_deg")
)  # fmt: skip


def _address(bus: Fieldbus, station: Station | None) -> tuple[FieldSpec, ...]:
    return (
        FieldSpec(
            "address", bus.addresses.label, "text", default="", optional=station is not None,
            read=lambda given: bus.addresses.read(given) if given else "",
            hint="If empty: as configured." if station else "",
        ),
    )  # fmt: skip


def _line(plant: Plant, _: Catalogue, row: BuiltLine) -> tuple[FieldSpec, ...]:
    """What can be wrong with a medium as a whole, by how frames travel on it."""
    bus = bus_of_built(plant, row)
    return tuple(_OF_MEDIA[bus.medium.sharing]()) if bus else ()


def _shared() -> Iterator[FieldSpec]:
    yield FieldSpec(
        "settings.noise", "Octets damaged", "number", default=0, minimum=0, maximum=1, optional=True,
        hint="The chance of each octet; 0.001 is one in a thousand.",
    )  # fmt: skip
    yield FieldSpec("settings.terminated", "Terminating resistor at the port", "boolean", optional=True)


def _in_segments() -> Iterator[FieldSpec]:
    noise, terminated = _shared()
    yield noise
    yield replace(terminated, label="Terminator at the port")


def _on_the_fly() -> Iterator[FieldSpec]:
    yield FieldSpec(
        "settings.noise", "Frames damaged", "number", default=0, minimum=0, maximum=1, optional=True,
        hint="The chance of each frame; 0.001 is one in a thousand.",
    )  # fmt: skip
    yield FieldSpec(
        "settings.noise_at", "On the way to position", "integer", default=1, minimum=1, maximum=65535, optional=True,
        hint="Who stands there is the first to see that it is damaged.",
    )  # fmt: skip


_OF_MEDIA: dict[Sharing, Callable[[], Iterator[FieldSpec]]] = {
    "shared": _shared, "in segments": _in_segments, "on the fly": _on_the_fly, "switched": lambda: iter(()),
}  # fmt: skip


def _module(plant: Plant, catalogue: Catalogue, row: BuiltModule) -> tuple[FieldSpec, ...]:
    """Whether it is there, and which of those that its head's file lists it is; of a port, which device hangs there."""
    meant: Module | None = plant.find(row.module)
    if meant is not None and is_ports(plant.find(meant.rail)):
        return (
            _THERE,
            FieldSpec("type", "Device that is there", "choice", choices=_for_ports(plant, catalogue, row)),
            FieldSpec(
                "settings.replaced", "Times it was replaced", "integer", default=0, minimum=0, maximum=999,
                optional=True, hint="Another one of its type, as it comes from its maker.",
            ),
            *_event(catalogue.find(row.type)),
        )  # fmt: skip
    head, _, _ = row.type.rpartition("/")
    device = catalogue.find(head) if head else None
    choices = tuple(Choice(f"{head}/{module.key}", module.label) for module in device.modules) if device else ()
    if not choices:
        return (_THERE,)
    return (
        _THERE,
        FieldSpec("type", "Module that is there", "choice", choices=choices, hint="Another one than is configured."),
    )


def _event(device: DeviceType | None) -> tuple[FieldSpec, ...]:
    """What it tells by itself now."""
    events = device.io_link.events if device and device.io_link else ()
    choices = tuple(Choice(one.code, one.label or f"16#{one.code:04X}") for one in events)
    return (FieldSpec("settings.event", "It tells", "choice", optional=True, choices=choices),) if choices else ()


def _for_ports(plant: Plant, catalogue: Catalogue, row: BuiltModule) -> tuple[Choice, ...]:
    """Whatever of this plant can be plugged into a port of an IO-Link master."""
    pinned = (catalogue.find(pin.key) for pin in plant.all(PinnedType))
    known = [*catalogue.types.values(), *(device for device in pinned if device)]
    kinds = {device.key: device.name for device in known if device.joins == IO_LINK_PORT}
    return tuple(Choice(key, name) for key, name in {row.type: row.type, **kinds}.items())


def _none(*_: Any) -> tuple[FieldSpec, ...]:
    return ()


BUILT_FIELDS: dict[type[Any], Any] = {
    BuiltDevice: _device,
    BuiltLine: _line,
    BuiltModule: _module,
    BuiltScanner: _none,
    BuiltProcess: _none,
    BuiltWire: _none,
}
