"""What a device on a port gives and takes: its process data by what is set on it, field by field.

Bits count from the lowest of the last octet (IEC 61131-9, E.3.3).
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.catalogue.io_link import IoData, IoDevice, IoField, IoVariant
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.networks.carried import Area
from highmoor.core.networks.wire import WireField
from highmoor.core.plant.rows import Json

OCTETS_AT_MOST = 32
# How the pin is called that a master switches.
PIN_OUT = "pin4out"
_KEY = re.compile(r"([gt])(\d{1,3})\.(\d{1,3})")
# How a field is called: what it gives or takes, from which bit, how many.
LETTERS: dict[Area, str] = {"in": "g", "out": "t"}


@dataclass(frozen=True, slots=True)
class PortData:
    """What a device on a port gives and takes, in octets, and the values of both by what its file says of them."""

    in_octets: int = 0
    out_octets: int = 0
    gives: tuple[WireField, ...] = ()
    takes: tuple[WireField, ...] = ()

    def octets(self, area: Area) -> int:
        """How many one way."""
        return self.in_octets if area == "in" else self.out_octets

    def fields(self, area: Area) -> tuple[WireField, ...]:
        """The values one way."""
        return self.gives if area == "in" else self.takes


def mode_of(device: DeviceType) -> str:
    """What a port does with such a thing: "data", "DI", "DO"."""
    return device.port_mode or "data"


def variant_of(device: IoDevice, settings: Json) -> IoVariant | None:
    """The process data that is set on a device; else what its parameters begin with."""
    chosen = settings.get("variant")
    named = next((one for one in device.variants if one.key == chosen), None)
    return named or device.variant({})


def data_of(device: DeviceType, settings: Json) -> PortData:
    """The process data of a device as it is set."""
    if device.io_link is None:
        sizes = (_size(settings, "in_octets"), _size(settings, "out_octets"))
        return PortData(*(sizes if mode_of(device) == "data" else (0, 0)))
    variant = variant_of(device.io_link, settings)
    inward, outward = (variant.inward, variant.outward) if variant else (None, None)
    return PortData(
        inward.octets if inward else 0, outward.octets if outward else 0, tuple(_fields(inward, "in")),
        tuple(_fields(outward, "out")),
    )  # fmt: skip


def _size(settings: Json, key: str) -> int:
    given = settings.get(key)
    return given if type(given) is int and 0 <= given <= OCTETS_AT_MOST else 0


def _fields(data: IoData | None, area: Area) -> Iterator[WireField]:
    """Highest first, as the octets travel."""
    if data is None:
        return
    for field in sorted(data.fields, key=lambda one: -one.bit):
        made = field_at(area, data.octets, field.bit, field.value.bits, field.label or data.label)
        if made:
            yield _told(made, field)


def _told(made: WireField, field: IoField) -> WireField:
    value = field.value
    return WireField(
        made.key, made.label, made.bit, made.bits, _type(value.kind, value.bits), made.high, value.gradient,
        value.offset, value.unit, field.text,
    )  # fmt: skip


def _type(kind: str, bits: int) -> str:
    """The smallest type that holds a value of a kind; "" for texts and plain octets."""
    family = {"BOOL": "bool", "UINT": "unsigned", "INT": "signed", "REAL": "real"}.get(kind, "")
    fitting = (t for t in DATA_TYPES.values() if t.family == family and t.bits >= bits)
    found = min(fitting, key=lambda t: t.bits, default=None)
    return found.name if found else ""


def field_at(area: Area, octets: int, bit: int, bits: int, label: str = "") -> WireField | None:
    """A field of so many bits from a bit on, in data of so many octets; None where it is not within them."""
    if bits < 1 or bit < 0 or bit + bits > 8 * octets:
        return None
    below = bit % 8
    last = octets - 1 - bit // 8
    first = last - (below + bits - 1) // 8
    return WireField(
        f"{LETTERS[area]}{bit}.{bits}", label or spelled(area, bit, bits), 8 * first + below, bits, high=bits > 1
    )


@dataclass(frozen=True, slots=True)
class FieldsOf:
    """The fields of data of so many octets, by keys: any bits can be named."""

    area: Area
    octets: int

    def __call__(self, key: str) -> WireField | None:
        """A field of the bits its key names; None where those are not within the data."""
        found = _KEY.fullmatch(key)
        if found is None or found[1] != LETTERS[self.area]:
            return None
        return field_at(self.area, self.octets, int(found[2]), int(found[3]))


def holds(device: DeviceType, settings: Json, key: str) -> bool:
    """Whether a device as it is set has such a field in its data; what stands beside it every port has."""
    data = data_of(device, settings)
    fields = (FieldsOf("in", data.in_octets), FieldsOf("out", data.out_octets))
    return _KEY.fullmatch(key) is None or any(field(key) for field in fields)


def spelled(area: Area, bit: int, bits: int) -> str:
    """A field as people say it: "bit 3", "bits 8–31", "out bit 0"."""
    said = f"bit {bit}" if bits == 1 else f"bits {bit}–{bit + bits - 1}"
    return said if area == "in" else f"out {said}"
