"""Blocks of records: how one is asked for and answered, and those that every device has.

Source: IEC 61158-6-10, 5.2 (records, RealIdentificationData, PDPortDataReal); IEC 61158-5-10 (I&M).
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple
from uuid import UUID

from highmoor.core.networks.profinet.blocks import WRITTEN, block, blocks_in

# Records of every device: who each submodule really is; of a port, who is at its other end; identification.
REAL_IDENTIFICATION, REAL_PORT = 0xF000, 0x802A
IM0, IM1, IM2, IM3 = 0xAFF0, 0xAFF1, 0xAFF2, 0xAFF3
IDENTIFICATION = (IM0, IM1, IM2, IM3)


class RecordAsked(NamedTuple):
    """A record that is read or written: of whose relation (nobody's: zeroes), where, how many octets at most."""

    relation: UUID
    number: int
    slot: int
    subslot: int
    record: int
    octets: int
    api: int = 0


_RECORD = struct.Struct(">H16sIHHHHI24s")
_NOBODY = UUID(int=0)


def record(kind: int, asked: RecordAsked, status: int = 0) -> bytes:
    """The head of a record, asked or answered; of one that is written `status` stands behind (IEC 61158-6-10, 5.2)."""
    tail = bytes(4) + status.to_bytes(4, "big") + bytes(16) if kind == WRITTEN else bytes(24)
    octets = _RECORD.pack(
        asked.number, asked.relation.bytes, asked.api, asked.slot, asked.subslot, 0, asked.record, asked.octets, tail
    )  # fmt: skip
    return block(kind, octets)


def read_record(octets: bytes) -> tuple[RecordAsked, bytes] | None:
    """The head and what follows it; None for what is none."""
    if len(octets) < 6 + _RECORD.size:
        return None
    number, uuid, api, slot, subslot, _, index, size, _ = _RECORD.unpack_from(octets, 6)
    asked = RecordAsked(UUID(bytes=uuid), number, slot, subslot, index, size, api)
    return asked, octets[6 + _RECORD.size : 6 + _RECORD.size + size]


def real_identification(modules: Sequence[tuple[int, int, Sequence[tuple[int, int]]]]) -> bytes:
    """Who really is in each slot (ident) and subslot."""
    octets = struct.pack(">HIH", 1, 0, len(modules))
    for slot, ident, subs in modules:
        octets += struct.pack(">HIH", slot, ident, len(subs)) + b"".join(struct.pack(">HI", *sub) for sub in subs)
    return block(0x0013, octets, 1)


def read_real_identification(octets: bytes) -> dict[tuple[int, int], tuple[int, int]]:
    """By slot and subslot, the module's ident and the submodule's."""
    found: dict[tuple[int, int], tuple[int, int]] = {}
    told = next((one.octets for one in blocks_in(octets) if one.type == 0x0013), b"")
    try:
        _, _, many = struct.unpack_from(">HIH", told)
        at = 8
        for _ in range(many):
            slot, module, subs = struct.unpack_from(">HIH", told, at)
            at += 8
            for _ in range(subs):
                subslot, ident = struct.unpack_from(">HI", told, at)
                found[slot, subslot] = module, ident
                at += 6
    except struct.error:
        return found
    return found


def real_port(slot: int, subslot: int, own: str, peers: Sequence[tuple[str, str, bytes]]) -> bytes:
    """A port and who is at its other end: his port, who he is, his hardware address."""
    octets = struct.pack(">HHHB", 0, slot, subslot, len(own)) + own.encode() + bytes((len(peers),))
    octets += _padding(octets)
    for port, chassis, mac in peers:
        octets += bytes((len(port),)) + port.encode() + bytes((len(chassis),)) + chassis.encode()
        octets += _padding(octets)
        octets += bytes(4) + mac
        octets += _padding(octets)
    octets += struct.pack(">HHIIBB", 0x0010, 0, 0, 0, 0, 1 if peers else 2)
    octets += _padding(octets) + (1).to_bytes(4, "big")
    return block(0x020F, octets)


def _padding(octets: bytes) -> bytes:
    """Up to a multiple of four, the head of six counted."""
    return bytes(-(len(octets) + 6) % 4)


def read_real_port(octets: bytes) -> tuple[str, str] | None:
    """Port and name of who is at the other end; None for nobody."""
    told = next((one.octets for one in blocks_in(octets) if one.type == 0x020F), b"")
    if len(told) < 8:
        return None
    at = 7 + told[6]
    if len(told) <= at or not told[at]:
        return None
    at += 1 + (-(at + 1 + 6) % 4)
    port = told[at + 1 : at + 1 + told[at]]
    at += 1 + len(port)
    chassis = told[at + 1 : at + 1 + told[at]]
    return port.decode("ascii", "replace"), chassis.decode("ascii", "replace")


@dataclass(frozen=True, slots=True)
class Identification:
    """I&M 0 of a device: what its label says."""

    vendor_id: int
    order: str
    serial: str
    hardware: int
    software: tuple[str, int, int, int]

    def encode(self) -> bytes:
        """Its block; I&M 1 to 3 are had beside."""
        letter, *rest = self.software
        octets = struct.pack(
            ">H20s16sH1sBBBHHHBBH", self.vendor_id, self.order.encode()[:20].ljust(20),
            self.serial.encode()[:16].ljust(16), self.hardware, letter.encode()[:1] or b"V", *rest, 0, 0, 0, 1, 1,
            0x000E,
        )  # fmt: skip
        return block(0x0020, octets)


# Of I&M 1, 2, 3: block and octets of text.
IDENTIFICATION_TEXTS = {IM1: (0x0021, 54), IM2: (0x0022, 16), IM3: (0x0023, 54)}


def identification_text(index: int, text: str) -> bytes:
    """I&M 1, 2 or 3."""
    kind, size = IDENTIFICATION_TEXTS[index]
    return block(kind, text.encode("ascii", "replace")[:size].ljust(size))
