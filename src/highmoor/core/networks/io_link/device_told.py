"""What is told of a device on a port: who it is, its wires, and its process data field by field."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.io_link import IoDevice, IoValue, IoVariable
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.hardware.mounting import is_ports
from highmoor.core.networks.carried import AREAS, Area
from highmoor.core.networks.io_link.data import LETTERS, data_of, mode_of, variant_of
from highmoor.core.networks.io_link.parameters import Parameters
from highmoor.core.networks.io_link.values import said
from highmoor.core.networks.wire import LinearScale, scale_of
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Module, Rail

_SPEEDS = {4800: "COM1", 38400: "COM2", 230400: "COM3"}


@dataclass(frozen=True, slots=True)
class PortField:
    """A field of process data: its lowest bit counted from that of the last octet, how many bits; `scale` is how its
    count becomes a value, `choices` what single values mean. `type` "" is no value that can be linked."""

    key: str
    label: str
    area: Area
    bit: int
    bits: int
    type: str
    unit: str
    scale: str
    scaling: LinearScale | None
    text: str
    choices: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class PortWire:
    """A wire of its connector as its file tells it."""

    number: int
    colour: str
    function: str


@dataclass(frozen=True, slots=True)
class PortDevice:
    """A device on a port: octets both ways, fields in the order they travel, wires, and who it is as its file says."""

    mode: str
    in_octets: int
    out_octets: int
    fields: tuple[PortField, ...]
    wires: tuple[PortWire, ...]
    identity: tuple[tuple[str, str], ...]
    by_file: bool


def _device(reader: Reader, root: str) -> PortDevice | None:
    """None for what is on no port."""
    module = reader.row(root, Module)
    device = reader.type(module.type)
    rail: Rail | None = reader.find(module.rail)
    if device is None or not is_ports(rail):
        return None
    facts = device.io_link
    data = data_of(device, module.settings)
    wires = tuple(PortWire(w.number, w.colour, w.function) for w in facts.wires) if facts else ()
    fields = tuple(field for area in AREAS for field in _fields(device, module, area))
    return PortDevice(
        mode_of(device), data.in_octets, data.out_octets, fields, wires,
        tuple(_identity(device, facts)) if facts else (), facts is not None,
    )  # fmt: skip


def _fields(device: DeviceType, module: Module, area: Area) -> Iterator[PortField]:
    variant = variant_of(device.io_link, module.settings) if device.io_link else None
    given = (variant.inward if area == "in" else variant.outward) if variant else None
    told = {(one.bit, one.value.bits): one for one in given.fields} if given else {}
    for piece in data_of(device, module.settings).fields(area):
        bit, bits = (int(part) for part in piece.key.removeprefix(LETTERS[area]).split("."))
        field = told.get((bit, bits))
        choices = tuple((str(value), text) for value, text in field.value.choices) if field else ()
        yield PortField(
            piece.key, piece.label, area, bit, bits, piece.data_type, piece.unit, _scale(field.value) if field else "",
            scale_of(piece), piece.text, choices,
        )  # fmt: skip


def _scale(value: IoValue) -> str:
    """How a count becomes a value: "× 0.1", "× 0.01 − 5"."""
    factor = f"× {shown(value.gradient, 6)}" if value.gradient != 1 else ""
    shift = f"{'−' if value.offset < 0 else '+'} {shown(abs(value.offset), 6)}" if value.offset else ""
    return " ".join(part for part in (factor, shift) if part)


def _identity(device: DeviceType, facts: IoDevice) -> Iterator[tuple[str, str]]:
    yield "Vendor ID", f"{device.vendor_id} (16#{device.vendor_id:X})"
    yield "Device ID", f"{facts.device_id} (16#{facts.device_id:X})"
    yield "Revision", facts.revision
    speed = _SPEEDS.get(facts.bitrate, "")
    yield "Speed", f"{speed + ', ' if speed else ''}{shown(facts.bitrate / 1000)} kbit/s"
    yield "Least cycle", f"{shown(facts.least_cycle_us / 1000)} ms"
    yield "Data storage", "yes" if facts.data_storage else "no"
    yield "Without IO-Link", "switches on pin 4" if facts.sio else "does nothing"


@dataclass(frozen=True, slots=True)
class PortParameter:
    """A parameter by its key (index and subindex in hex), where in the file's menus it stands ("" for in none), and
    what it is as its maker delivers it."""

    key: str
    label: str
    menu: str
    access: str
    usual: str
    unit: str
    text: str
    choices: tuple[str, ...]
    stored: bool


def _parameters(reader: Reader, root: str) -> tuple[PortParameter, ...] | None:
    """None for what is on no port, or of which no file tells any."""
    module = reader.row(root, Module)
    device = reader.type(module.type)
    if device is None or device.io_link is None or not is_ports(reader.find(module.rail)):
        return None
    menus = _menus(device.io_link)
    delivered = Parameters(device.io_link)
    told = [one for variable in device.io_link.variables for one in _told(variable, delivered, menus)]
    order = {menu: n for n, menu in enumerate(dict.fromkeys(menus.values()))}
    return tuple(sorted(told, key=lambda one: (order.get(one.menu, len(order)), one.key)))


def _menus(device: IoDevice) -> dict[tuple[int, int], str]:
    """By index and subindex, the menu where it is found first."""
    found: dict[tuple[int, int], str] = {}
    for menu in device.menus:
        for entry in menu.entries:
            if entry.variable is not None:
                found.setdefault((entry.variable, entry.subindex), menu.label)
    return found


def _told(variable: IoVariable, delivered: Parameters, menus: dict[tuple[int, int], str]) -> Iterator[PortParameter]:
    parts: list[tuple[int, str, IoValue | None, str]] = [
        (one.subindex, one.label, one.value, one.text) for one in variable.fields if one.subindex
    ]
    for subindex, label, value, text in parts or [(0, "", variable.value, variable.text)]:
        there = delivered.read(variable.index, subindex)
        name = ", ".join(part for part in (variable.label, label or (f"{subindex}" if subindex else "")) if part)
        menu = menus.get((variable.index, subindex)) or menus.get((variable.index, 0), "")
        usual = said(value, there.octets) if value and not there.error and not variable.dynamic else ""
        yield PortParameter(
            f"{variable.index:04X}:{subindex:02X}", name, menu, variable.access, usual, value.unit if value else "",
            text or variable.text, tuple(text for _, text in value.choices) if value else (), variable.stored,
        )  # fmt: skip


PARTS: tuple[Part, ...] = (
    Part("module.port", "modules", _device, asked=True, shown=PortDevice),
    Part("module.port-parameters", "modules", _parameters, asked=True, shown=tuple[PortParameter, ...]),
)
