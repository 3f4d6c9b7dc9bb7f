"""The blocks that calls and alarms are made of: what is expected of a device, what it makes of it, records.

Source: IEC 61158-6-10, 4.10 and 5.2 (coding of blocks).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple
from uuid import UUID

Direction = Literal["in", "out"]
AR, IOCR, ALARM_CR, EXPECTED = 0x0101, 0x0102, 0x0103, 0x0104
AR_TOLD, IOCR_TOLD, ALARM_CR_TOLD, DIFFERENCE = 0x8101, 0x8102, 0x8103, 0x8104
WRITE_HEAD, READ_HEAD, WRITTEN, READ_TOLD = 0x0008, 0x0009, 0x8008, 0x8009
PARAMETERS_END, PLUG_END, READY, PLUG_READY, RELEASED = 0x0110, 0x0111, 0x0112, 0x0113, 0x0114
TOLD = 0x8000
# Commands of control blocks.
END_OF_PARAMETERS, APPLICATION_READY, RELEASE, DONE = 1, 2, 4, 8
RT_ETHERTYPE = 0x8892
# Frames of class 1 by their ids (8000 on), with a tag of priority 6.
CLASS_1, TAG = 2, 0xC000
# States of a module and of a submodule in the difference block.
NO_MODULE, WRONG_MODULE, PROPER_MODULE = 0, 1, 2
SUB_OK, SUB_WRONG, SUB_MISSING = 0x8000, 0x8000 | 2 << 11, 0x8000 | 3 << 11


class Block(NamedTuple):
    """A block: type and what follows its version."""

    type: int
    octets: bytes


def block(kind: int, octets: bytes, low: int = 0) -> bytes:
    """A block as it is written; `low` is the lower part of its version."""
    return struct.pack(">HHBB", kind, len(octets) + 2, 1, low) + octets


def blocks_in(octets: bytes) -> list[Block]:
    """Blocks one behind the other; one that is cut off is left out, with all behind it."""
    found, at = [], 0
    while at + 6 <= len(octets):
        kind, size = struct.unpack_from(">HH", octets, at)
        if size < 2 or at + 4 + size > len(octets):
            break
        found.append(Block(kind, octets[at + 6 : at + 4 + size]))
        at += 4 + size
    return found


# ── what is expected


class Place(NamedTuple):
    """Where an octet of data or status of a submodule stands in a data unit."""

    slot: int
    subslot: int
    at: int


@dataclass(frozen=True, slots=True)
class Relation:
    """An application relation: by what it is known, who asks, how he is called, how long he is patient, in 100 ms."""

    uuid: UUID
    key: int
    mac: bytes
    object: UUID
    name: str
    patience: int = 200

    def encode(self) -> bytes:
        """Its block. Properties: active, parameters from who connects."""
        name = self.name.encode()
        return block(
            AR,
            struct.pack(
                ">H16sH6s16sIHHH", 1, self.uuid.bytes, self.key, self.mac, self.object.bytes, 0x11, self.patience,
                RT_ETHERTYPE, len(name),
            ) + name,
        )  # fmt: skip


def read_relation(octets: bytes) -> Relation | None:
    """None for what is none."""
    if len(octets) < 52:
        return None
    kind, uuid, key, mac, obj, _, patience, _, size = struct.unpack_from(">H16sH6s16sIHHH", octets)
    if kind != 1 or len(octets) < 52 + size:
        return None
    name = octets[52 : 52 + size].decode("ascii", "replace")
    return Relation(UUID(bytes=uuid), key, mac, UUID(bytes=obj), name, patience)


@dataclass(frozen=True, slots=True)
class Cyclic:
    """What goes one way in cycles: octets of its data unit, how often, where each submodule's data and status stand."""

    direction: Direction
    octets: int
    frame_id: int
    clock: int
    ratio: int
    phase: int
    watchdog: int
    data: tuple[Place, ...]
    consumers: tuple[Place, ...]

    def encode(self) -> bytes:
        """Its block; the input's reference is 1, the output's 2."""
        number = 1 if self.direction == "in" else 2
        head = struct.pack(
            ">HHHIHHHHHHIHHH6sHI", number, number, RT_ETHERTYPE, CLASS_1, self.octets, self.frame_id, self.clock,
            self.ratio, self.phase, 0, 0xFFFFFFFF, self.watchdog, self.watchdog, TAG, bytes(6), 1, 0,
        )  # fmt: skip
        return block(IOCR, head + _places(self.data) + _places(self.consumers))


def _places(places: Sequence[Place]) -> bytes:
    return len(places).to_bytes(2, "big") + b"".join(struct.pack(">HHH", *place) for place in places)


def read_cyclic(octets: bytes) -> Cyclic | None:
    """None for what is none, or is of more interfaces than one."""
    head = struct.Struct(">HHHIHHHHHHIHHH6sHI")
    if len(octets) < head.size:
        return None
    kind, _, _, _, size, frame_id, clock, ratio, phase, _, _, watchdog, _, _, _, interfaces, _ = head.unpack_from(
        octets
    )
    if kind not in (1, 2) or interfaces != 1:
        return None
    lists: list[tuple[Place, ...]] = []
    at = head.size
    for _ in range(2):
        many = int.from_bytes(octets[at : at + 2], "big")
        if len(octets) < at + 2 + 6 * many:
            return None
        lists.append(tuple(Place(*struct.unpack_from(">HHH", octets, at + 2 + 6 * n)) for n in range(many)))
        at += 2 + 6 * many
    return Cyclic("in" if kind == 1 else "out", size, frame_id, clock, ratio, phase, watchdog, lists[0], lists[1])


class ExpectedSubmodule(NamedTuple):
    """A submodule as it is expected: octets of data each way, 0 for none, and of its status."""

    slot: int
    subslot: int
    module: int
    ident: int
    api: int
    into: int
    out: int
    iops: int = 1
    iocs: int = 1


def expected(slot: Sequence[ExpectedSubmodule]) -> bytes:
    """The block of one slot."""
    first = slot[0]
    octets = struct.pack(">HIHIHH", 1, first.api, first.slot, first.module, 0, len(slot))
    for sub in slot:
        kind = (1 if sub.into else 0) | (2 if sub.out else 0)
        octets += struct.pack(">HIH", sub.subslot, sub.ident, kind)
        if sub.into or not sub.out:
            octets += struct.pack(">HHBB", 1, sub.into, sub.iocs, sub.iops)
        if sub.out:
            octets += struct.pack(">HHBB", 2, sub.out, sub.iocs, sub.iops)
    return block(EXPECTED, octets)


def read_expected(octets: bytes) -> list[ExpectedSubmodule] | None:
    """Of a block; None for one that is cut off."""
    found = []
    try:
        (many,), at = struct.unpack_from(">H", octets), 2
        for _ in range(many):
            api, slot, module, _, subs = struct.unpack_from(">IHIHH", octets, at)
            at += 14
            for _ in range(subs):
                subslot, ident, kind = struct.unpack_from(">HIH", octets, at)
                at += 8
                sizes = {1: 0, 2: 0}
                iocs = iops = 1
                for _ in range(2 if kind & 3 == 3 else 1):
                    way, size, iocs, iops = struct.unpack_from(">HHBB", octets, at)
                    sizes[way] = size
                    at += 6
                found.append(ExpectedSubmodule(slot, subslot, module, ident, api, sizes[1], sizes[2], iops, iocs))
    except (struct.error, KeyError):
        return None
    return found


def alarms(reference: int) -> bytes:
    """How alarms go: in plain frames, answered within 100 ms, tried three times, up to 200 octets."""
    return block(ALARM_CR, struct.pack(">HHIHHHHHH", 1, RT_ETHERTYPE, 0, 1, 3, reference, 200, 0xC000, 0xA000))


def read_alarms(octets: bytes) -> int | None:
    """The reference that the other end gave; None for what is none."""
    return int.from_bytes(octets[12:14], "big") if len(octets) >= 20 else None


# ── what a device makes of it


def relation_told(relation: Relation, mac: bytes) -> bytes:
    """It is taken."""
    return block(AR_TOLD, struct.pack(">H16sH6sH", 1, relation.uuid.bytes, relation.key, mac, RT_ETHERTYPE))


def cyclic_told(cyclic: Cyclic, frame_id: int) -> bytes:
    """With the id of its frames."""
    number = 1 if cyclic.direction == "in" else 2
    return block(IOCR_TOLD, struct.pack(">HHH", number, number, frame_id))


def alarms_told(reference: int) -> bytes:
    """With the reference of this end."""
    return block(ALARM_CR_TOLD, struct.pack(">HHH", 1, reference, 200))


class RealModule(NamedTuple):
    """A slot as it is: the module's ident and state, and of its submodules subslot, ident, state."""

    slot: int
    module: int
    state: int
    submodules: tuple[tuple[int, int, int], ...]


def difference(modules: Sequence[RealModule]) -> bytes:
    """Slots that are not as expected."""
    octets = struct.pack(">HIH", 1, 0, len(modules))
    for one in modules:
        octets += struct.pack(">HIHH", one.slot, one.module, one.state, len(one.submodules))
        octets += b"".join(struct.pack(">HIH", *sub) for sub in one.submodules)
    return block(DIFFERENCE, octets)


def read_difference(octets: bytes) -> list[RealModule]:
    """Of a block; nothing where it is cut off."""
    found = []
    try:
        _, _, many = struct.unpack_from(">HIH", octets)
        at = 8
        for _ in range(many):
            slot, module, state, subs = struct.unpack_from(">HIHH", octets, at)
            at += 10
            told = tuple(struct.unpack_from(">HIH", octets, at + 8 * n) for n in range(subs))
            at += 8 * subs
            found.append(RealModule(slot, module, state, told))
    except struct.error:
        return []
    return found


class Frames(NamedTuple):
    """What a device told when it was connected to: the ids of the frames both ways, its reference for alarms, what it
    has that is not as expected, its hardware address."""

    ids: dict[str, int]
    reference: int
    differs: list[RealModule]
    mac: bytes


def read_connected(octets: bytes) -> Frames:
    """Of the answer's blocks."""
    ids: dict[str, int] = {}
    reference, differs, mac = 0, [], b""
    for one in blocks_in(octets):
        if one.type == IOCR_TOLD and len(one.octets) >= 6:
            number, _, frame_id = struct.unpack_from(">HHH", one.octets)
            ids["in" if number == 1 else "out"] = frame_id
        elif one.type == ALARM_CR_TOLD and len(one.octets) >= 4:
            reference = int.from_bytes(one.octets[2:4], "big")
        elif one.type == DIFFERENCE:
            differs = read_difference(one.octets)
        elif one.type == AR_TOLD and len(one.octets) >= 26:
            mac = one.octets[20:26]
    return Frames(ids, reference, differs, mac)


# ── control


def control(kind: int, relation: UUID, key: int, command: int, number: int = 0) -> bytes:
    """End of parameters, application ready, release, or that one of them is done; `number` is a plug alarm's."""
    return block(kind, struct.pack(">H16sHHHH", 0, relation.bytes, key, number, command, 0))


class Control(NamedTuple):
    """A control block read."""

    type: int
    relation: UUID
    key: int
    number: int
    command: int


def read_control(octets: bytes) -> Control | None:
    """The first of them; None where there is none."""
    for one in blocks_in(octets):
        if len(one.octets) >= 26:
            _, uuid, key, number, command, _ = struct.unpack_from(">H16sHHHH", one.octets)
            return Control(one.type, UUID(bytes=uuid), key, number, command)
    return None


def plugged(
    modules: Sequence[RealModule], slot: int, subslot: int, expected: Sequence[tuple[int, int]]
) -> list[RealModule]:
    """The same once the right submodule has been plugged: its slot's module is there, others `expected` in it (subslot,
    ident) are as missing as they were."""
    left = [one for one in modules if one.slot != slot]
    for one in modules:
        if one.slot == slot:
            subs = one.submodules if one.state == PROPER_MODULE else [(*sub, SUB_MISSING) for sub in expected]
            others = tuple(sub for sub in subs if sub[0] != subslot)
            left += [RealModule(slot, one.module, PROPER_MODULE, others)] if others else []
    return left


def submodules_of(modules: Sequence[RealModule]) -> Iterator[tuple[int, int, str]]:
    """Slots and subslots that are not as expected, with why."""
    for one in modules:
        if one.state == NO_MODULE:
            yield one.slot, 0, "nothing is there"
        elif one.state == WRONG_MODULE:
            yield one.slot, 0, f"another module is there, ident 16#{one.module:08X}"
        for subslot, ident, state in one.submodules if one.state == PROPER_MODULE else ():
            if state == SUB_MISSING:
                yield one.slot, subslot, "nothing is there"
            elif state == SUB_WRONG:
                yield one.slot, subslot, f"another submodule is there, ident 16#{ident:08X}"
