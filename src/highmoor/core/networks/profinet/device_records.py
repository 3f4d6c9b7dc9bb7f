"""The records of a device: its parameters, who each submodule is, its identification, who is at its ports.

Source: IEC 61158-6-10, 5.2 (records), I&M functions of IEC 61158-5-10.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, Protocol

from highmoor.core.catalogue.profinet import Record
from highmoor.core.networks import neighbours
from highmoor.core.networks.neighbours import Neighbour
from highmoor.core.networks.profinet import blocks as b
from highmoor.core.networks.profinet import record_blocks as r
from highmoor.core.networks.profinet.acceptance import Known, Where
from highmoor.core.networks.profinet.explain import (
    INVALID_INDEX,
    INVALID_SLOT,
    LENGTH,
    PARAMETER,
    READ,
    WRITE,
    refused_record,
)


class RecordsOf(Protocol):
    """A device as far as its records go: those that were `written`, its texts (I&M 1 to 3), who is at its sockets."""

    known: Known
    serial: int
    texts: dict[int, str]
    written: dict[tuple[Where, int], bytes]

    @property
    def keep(self) -> Callable[[Mapping[str, Any]], None]: ...

    def neighbour(self, socket: int) -> Neighbour | None: ...


def written(device: RecordsOf, asked: r.RecordAsked, octets: bytes) -> int:
    """What comes of writing a record: 0, or why it is not taken."""
    if asked.record in r.IDENTIFICATION_TEXTS:
        kind, size = r.IDENTIFICATION_TEXTS[asked.record]
        told = next(iter(b.blocks_in(octets)), None)
        if told is None or told.type != kind or len(told.octets) != size:
            return refused_record(LENGTH, WRITE)
        device.texts[asked.record] = told.octets.decode("ascii", "replace").rstrip()
        device.keep({"facts.texts": {str(index): text for index, text in device.texts.items()}})
        return 0
    where = asked.slot, asked.subslot
    sub = device.known.submodules.get(where)
    if sub is None:
        return refused_record(INVALID_SLOT, WRITE)
    record = next((record for record, _ in sub.records if record.number == asked.record), None)
    if record is None:
        return refused_record(INVALID_INDEX, WRITE)
    if len(octets) != len(bytes.fromhex(record.octets)):
        return refused_record(LENGTH, WRITE)
    if not _within(record, octets):
        return refused_record(PARAMETER, WRITE)
    device.written[where, asked.record] = octets
    return 0


def record(device: RecordsOf, asked: r.RecordAsked) -> bytes | int:
    """The octets of a record that is read, or the status of a refusal (IEC 61158-6-10, RecordDataRead)."""
    where = asked.slot, asked.subslot
    if asked.record == r.REAL_IDENTIFICATION:
        return r.real_identification(list(_really(device)))
    if asked.record == r.IM0:
        return r.Identification(
            device.known.vendor_id, device.known.called, f"{device.serial:08X}", 1, _software(device.known.revision)
        ).encode()
    if asked.record in r.IDENTIFICATION_TEXTS:
        return r.identification_text(asked.record, device.texts.get(asked.record, ""))
    if where not in device.known.submodules:
        return refused_record(INVALID_SLOT, READ)
    if asked.record == r.REAL_PORT and asked.subslot in device.known.ports:
        socket = device.known.ports.index(asked.subslot) + 1
        there = device.neighbour(socket)
        peers = [(there.port, there.name, there.mac or bytes(6))] if there else []
        return r.real_port(asked.slot, asked.subslot, neighbours.port_name(socket), peers)
    told = device.written.get((where, asked.record))
    return refused_record(INVALID_INDEX, READ) if told is None else told


def _really(device: RecordsOf) -> Iterable[tuple[int, int, Sequence[tuple[int, int]]]]:
    by_slot: dict[int, list[tuple[int, int]]] = {slot: [] for slot in device.known.modules}
    for (slot, subslot), sub in device.known.submodules.items():
        by_slot.setdefault(slot, []).append((subslot, sub.ident))
    for slot, subs in sorted(by_slot.items()):
        yield slot, device.known.modules.get(slot, 0), sorted(subs)


def _within(record: Record, octets: bytes) -> bool:
    """Whether numbers are among those that the record's description allows."""
    for value in record.values:
        if value.data_type in ("STRING", "REAL", "LREAL") or not (value.allowed or value.choices):
            continue
        size = (value.bit + value.bits + 7) // 8
        raw = int.from_bytes(octets[value.octet : value.octet + size], "big") >> value.bit & (1 << value.bits) - 1
        if value.data_type in ("SINT", "INT", "DINT", "LINT") and raw >= 1 << value.bits - 1:
            raw -= 1 << value.bits
        ranges = value.allowed or tuple((number, number) for number, _ in value.choices)
        if not any(low <= raw <= high for low, high in ranges):
            return False
    return True


def _software(revision: str) -> tuple[str, int, int, int]:
    digits = [int(part) for part in revision.lstrip("Vv").split(".")[:3] if part.isascii() and part.isdigit()]
    first, second, third = (*digits, 0, 0, 0)[:3]
    return "V", first & 0xFF, second & 0xFF, third & 0xFF
