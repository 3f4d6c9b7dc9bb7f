"""A station's data units and records taken apart: whose each octet is, and which setting made it."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.meaning import meaning
from highmoor.core.catalogue.profinet import Record, RecordValue, value_key
from highmoor.core.catalogue.types import Parameter
from highmoor.core.networks.lines import kind_of, station_lines
from highmoor.core.networks.octet_groups import OctetGroup, PlacedParameter
from highmoor.core.networks.profinet.settings import KIND, Direction, IoDevice, io_device
from highmoor.core.networks.profinet.submodules import PnSubmodule
from highmoor.core.plant.rows import Station


@dataclass(frozen=True, slots=True)
class UnitOctets:
    """A stretch of a data unit: octets from `first` on, of a submodule of a row ("" for the access point)."""

    row: str
    where: str
    label: str
    what: Literal["data", "provider", "consumer", "padding"]
    first: int
    octets: int


@dataclass(frozen=True, slots=True)
class StationUnits:
    """Both data units of a station and the records it gets."""

    into: tuple[UnitOctets, ...]
    out: tuple[UnitOctets, ...]
    records: tuple[OctetGroup, ...]


def _station(reader: Reader, root: str) -> StationUnits | None:
    station = reader.row(root, Station)
    if kind_of(reader, station) != KIND:
        return None
    line = next(iter(station_lines(reader, station)), None)
    if line is None:
        return None
    device = io_device(line)
    return StationUnits(tuple(_unit(device, "in")), tuple(_unit(device, "out")), tuple(_records(device)))


def _unit(device: IoDevice, direction: Direction) -> Iterator[UnitOctets]:
    at = 0
    for piece in device.unit(direction):
        sub = piece.submodule
        where = f"{sub.slot}.{sub.subslot}"
        yield UnitOctets(sub.row, where, sub.label, piece.what, piece.at, piece.octets)
        at = piece.at + piece.octets
    if device.padded(direction) > at:
        yield UnitOctets("", "", "padding", "padding", at, device.padded(direction) - at)


def _records(device: IoDevice) -> Iterator[OctetGroup]:
    for sub in device.submodules:
        for record, octets in sub.records:
            placed = tuple(_value(device, sub, record, value, octets) for value in record.values if value.visible)
            label = f"{sub.slot}.{sub.subslot} {sub.label}, record {record.number}, {record.label}"
            yield OctetGroup(sub.row or device.id, label, tuple(f"{octet:02X}" for octet in octets), placed)


def _value(
    device: IoDevice, sub: PnSubmodule, record: Record, value: RecordValue, octets: bytes
) -> PlacedParameter:  # fmt: skip
    size = (value.bit + value.bits + 7) // 8
    there = octets[value.octet : value.octet + size]
    path = ("settings.prm." if not sub.row else "settings.") + value_key(sub.keyed, record, value)
    return PlacedParameter(
        sub.row or device.id, path, value.label, value.octet, size, value.bit, value.bits, _shown(value, there)
    )


def _shown(value: RecordValue, octets: bytes) -> str:
    if value.data_type == "STRING":
        return octets.rstrip(b"\0").decode("utf-8", "replace")
    if value.data_type in ("REAL", "LREAL"):
        return f"{struct.unpack('>f' if len(octets) == 4 else '>d', octets)[0]:g}"
    raw = int.from_bytes(octets, "big") >> value.bit & (1 << value.bits) - 1
    if value.data_type in ("SINT", "INT", "DINT", "LINT") and raw >= 1 << value.bits - 1:
        raw -= 1 << value.bits
    return meaning(Parameter("", value.label, value.default, value.choices), raw) or str(raw)


PARTS: tuple[Part, ...] = (Part("profinet.units", "stations", _station, asked=True, shown=StationUnits),)
