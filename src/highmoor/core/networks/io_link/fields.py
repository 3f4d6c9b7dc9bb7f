"""What is set on a master's ports and on what is plugged into them."""

from __future__ import annotations

from highmoor.core.catalogue.io_link import IoVariant
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.hardware.mounting import PORT_SLOTS
from highmoor.core.networks.io_link.data import OCTETS_AT_MOST, mode_of
from highmoor.core.networks.io_link.layout import read_bit
from highmoor.core.networks.io_link.timing import least_cycle_ms
from highmoor.core.numbers import shown
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.rows import Module, Rail

_MOST = 1500
_TELLS = "Unless set: where its file names the ports, or slot by slot."
_PINS = "As octet.bit of port 1; the next port's bit follows."


def port_rail_fields(rail: Rail) -> tuple[FieldSpec, ...]:
    """How many ports there are, and where their data lies in what the master exchanges."""
    return (
        FieldSpec(
            "places", "Ports", "choice", choices=tuple(Choice(n, f"{n} port{'s' if n > 1 else ''}")
                                                       for n in PORT_SLOTS.places),
        ),
        FieldSpec(
            "settings.class", "Class of its ports", "choice", default="A",
            choices=(Choice("A", "A: pin 2 is free"), Choice("B", "B: pins 2 and 5 are a second supply")),
        ),
        FieldSpec(
            "settings.port_ma", "Current a port", "integer", unit="mA", minimum=10, maximum=8000, optional=True,
            hint="What a port gives what hangs on it, by the master's data sheet.", show=lambda _: "",
        ),
        FieldSpec("settings.carries", "Carries", "text", made=True),
        *_layout_fields(),
    )  # fmt: skip


def _layout_fields() -> tuple[FieldSpec, ...]:
    return (
        _octet("settings.in_first", "Port 1 in, at octet", hint=_TELLS),
        _octet("settings.in_octets", "Octets in a port", minimum=1, maximum=256),
        _octet("settings.out_first", "Port 1 out, at octet", hint=_TELLS),
        _octet("settings.out_octets", "Octets out a port", minimum=1, maximum=256),
        _bit("settings.pin4_in", "Pin 4 in, port 1", hint=_PINS),
        _bit("settings.pin2_in", "Pin 2 in, port 1", hint=_PINS),
        _bit("settings.pin4_out", "Pin 4 out, port 1", hint=_PINS),
        _bit("settings.valid", "Data valid, port 1", hint=_PINS),
    )


def _octet(path: str, label: str, minimum: int = 0, maximum: int = _MOST, hint: str = "") -> FieldSpec:
    return FieldSpec(
        path, label, "integer", unit="octets" if minimum else "", minimum=minimum, maximum=maximum, optional=True,
        hint=hint, show=lambda _: "",
    )  # fmt: skip


def _bit(path: str, label: str, hint: str) -> FieldSpec:
    return FieldSpec(path, label, "text", optional=True, read=read_bit, hint=hint)


_VALIDATION = FieldSpec(
    "settings.validation", "Checks what is plugged in", "choice", default="type",
    choices=(
        Choice("none", "takes any device"),
        Choice("type", "vendor and device ID must agree"),
        Choice("identical", "and the serial number too"),
    ),
    hint="What does not agree is not operated: its data stays invalid (inspection level, IEC 61131-9, 11.2.5).",
)  # fmt: skip
_STORAGE = FieldSpec(
    "settings.storage", "Parameters kept in the master", "choice", default="both",
    choices=(
        Choice("both", "kept, and given to a device that replaces it"),
        Choice("restore", "given back, never taken from the device"),
        Choice("off", "not kept"),
    ),
    hint="Data storage (IEC 61131-9, 11.4): a replaced device works as the old one did.",
)  # fmt: skip
_PIN_2 = FieldSpec(
    "settings.pin2", "Pin 2", "choice", default="off",
    choices=(Choice("off", "not used"), Choice("in", "digital input")),
)  # fmt: skip

_DRAWS = FieldSpec(
    "settings.draws_ma", "Draws", "integer", unit="mA", minimum=0, maximum=8000, optional=True,
    hint="By its data sheet, its load included.", show=lambda _: "",
)  # fmt: skip


def port_fields(module: Module, device: DeviceType | None) -> tuple[FieldSpec, ...]:
    """What is set on a thing on a port and of that port; where its data lies, if not where it does by rule."""
    if device is None:
        return ()
    return (*_data_fields(module, device), _PIN_2, _DRAWS, *_own_places(device))


def _data_fields(module: Module, device: DeviceType) -> tuple[FieldSpec, ...]:
    if mode_of(device) != "data":
        return ()
    least = float(least_cycle_ms(device, module.settings))
    facts = device.io_link
    sizes: tuple[FieldSpec, ...] = ()
    storage: tuple[FieldSpec, ...] = (_STORAGE,)
    if facts is None:
        sizes = (
            *(FieldSpec(f"settings.{area}_octets", f"Octets {area}", "integer", default=0, unit="octets", minimum=0,
                        maximum=OCTETS_AT_MOST, optional=True) for area in ("in", "out")),
            FieldSpec("settings.vendor_id", "Vendor ID", "integer", minimum=1, maximum=0xFFFF, optional=True),
            FieldSpec("settings.device_id", "Device ID", "integer", minimum=1, maximum=0xFFFFFF, optional=True),
        )  # fmt: skip
    elif len(facts.variants) > 1:
        choices = tuple(Choice(one.key, variant_label(one)) for one in facts.variants)
        sizes = (
            FieldSpec(
                "settings.variant", "Process data", "choice", optional=True, choices=choices,
                hint="By a parameter of the device. Unless set: as it comes from its maker.",
            ),
        )  # fmt: skip
    if facts is not None and not facts.data_storage:
        storage = ()
    identical = module.settings.get("validation") == "identical"
    serial = FieldSpec("settings.serial", "Serial number", "text", default="", optional=True)
    return (
        *sizes,
        FieldSpec(
            "settings.cycle_ms", "Cycle", "number", unit="ms", minimum=0.4, maximum=132.8, optional=True,
            hint=f"Unless set: as often as it can, every {shown(least, 3)} ms or the next time that can be told.",
        ),
        _VALIDATION,
        *((serial,) if identical else ()),
        *storage,
    )  # fmt: skip


def variant_label(variant: IoVariant) -> str:
    """What a variant of process data is called."""
    if variant.condition and variant.condition.label:
        return variant.condition.label
    data = variant.inward or variant.outward
    return data.label if data and data.label else variant.key


def _own_places(device: DeviceType) -> tuple[FieldSpec, ...]:
    if mode_of(device) != "data":
        return ()
    hint = "Only if it does not lie where the port's data does by rule."
    return (
        _octet("settings.in_at", "Data in at octet", hint=hint),
        _octet("settings.out_at", "Data out at octet", hint=hint),
    )
