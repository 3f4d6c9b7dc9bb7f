"""How a controller brings an IO device to exchange data: what is asked, step by step.

Source: IEC 61158-6-10, 4.3 (who has the name), 4.10 (connect, records, end of parameters, ready). Each generator yields
what is asked and is sent what came back: an empty list or None for silence.
"""

from __future__ import annotations

from collections.abc import Generator, Iterable, Iterator
from dataclasses import dataclass
from typing import Any, NamedTuple, TypeAlias
from uuid import UUID, uuid5

from highmoor.core.networks.profinet import blocks as b
from highmoor.core.networks.profinet import calls as c
from highmoor.core.networks.profinet import dcp
from highmoor.core.networks.profinet import record_blocks as r
from highmoor.core.networks.profinet.acceptance import Where
from highmoor.core.networks.profinet.explain import (
    ADDRESS_TAKEN,
    NO_ANSWER,
    NOT_FOUND,
    NOT_READY,
    OTHER_DEVICE,
    TWO_OF_IT,
    explain,
    short,
)
from highmoor.core.networks.profinet.settings import Direction, IoDevice

_NS_A_MS = 1_000_000
# For how long answers to a question to all are waited for, and to one device.
SEEK_NS, TOLD_NS = 50 * _NS_A_MS, 100 * _NS_A_MS
CALL_NS, READY_NS, ARP_NS = 500 * _NS_A_MS, 10_000 * _NS_A_MS, 20 * _NS_A_MS
_TRIES = 3
# What a controller's interface is called by those it connects to; instance and identity of its own do not matter.
_SPACE = UUID("dea00000-6c97-11d1-8271-000100000000")


class Seek(NamedTuple):
    """A question to all who are there; comes back as a list of `dcp.Told`, after so long, ns."""

    frame: dcp.Dcp
    wait_ns: int = SEEK_NS


class Tell(NamedTuple):
    """Something to one device; comes back as its answer, or None."""

    mac: bytes
    frame: dcp.Dcp


class WhoHas(NamedTuple):
    """Whose an IP address is; comes back as hardware addresses."""

    address: str


class Ask(NamedTuple):
    """A call; comes back as what was answered, or None."""

    address: str
    operation: int
    object: UUID
    blocks: bytes


class Ready(NamedTuple):
    """Wait until a relation's device says that it is ready (for a plug alarm's number, 0 for all of it): True, or
    None."""

    relation: UUID
    number: int = 0


Step: TypeAlias = Seek | Tell | WhoHas | Ask | Ready
Talk: TypeAlias = Generator[Step, Any, None]


class Failed(Exception):
    """Why it does not go on: the code, in words."""

    def __init__(self, code: int, text: str = "") -> None:
        super().__init__(text or explain(code))
        self.code, self.text = short(code), text or explain(code)


@dataclass(frozen=True, slots=True)
class Wanted:
    """What a station is to be connected with: itself, numbers of this relation, send clock, phase, who its neighbours
    are as they are drawn (aliases), the address, mask and gateway it gets."""

    device: IoDevice
    frame_id: int
    clock: int
    phase: int
    aliases: tuple[str, ...]
    mask: str
    gateway: str
    controller: str

    @property
    def object(self) -> UUID:
        """Who is called."""
        return c.object_of(self.device.vendor_id, self.device.device_id)


def xid_of(number: int) -> int:
    """A number for a question, no two of which are alike for long."""
    return 0x48000000 | number & 0xFFFFFF


def found(wanted: Wanted, number: int) -> Generator[Step, Any, dcp.Told]:
    """The one device that has the name; a blank one gets it where its neighbours say who it is. Raises Failed."""
    device = wanted.device
    named = dcp.Block(dcp.NAME, device.name.encode())
    for _ in range(_TRIES - 1):
        there: list[dcp.Told] = yield Seek(dcp.identify(xid_of(number), named))
        if there:
            break
    else:
        told = yield from _by_neighbours(wanted, number)
        there = [told]
    if len(there) > 1:
        macs = ", ".join(one.mac.hex("-").upper() for one in there)
        raise Failed(TWO_OF_IT, f"{len(there)} devices are called {device.name}: {macs}")
    only = there[0]
    if (only.vendor_id, only.device_id) != (device.vendor_id, device.device_id):
        raise Failed(
            OTHER_DEVICE,
            f"{device.name} is another device: vendor 16#{only.vendor_id:04X}, device 16#{only.device_id:04X}",
        )
    return only


def _by_neighbours(wanted: Wanted, number: int) -> Generator[Step, Any, dcp.Told]:
    """A device of the right kind without a name, at the drawn end of a cable: it is called as it should be, for good.
    One that has a name is left alone."""
    device = wanted.device
    nobody = Failed(NOT_FOUND, f"nobody on the network is called {device.name}")
    if not device.own.by_neighbours:
        raise nobody
    identity = device.vendor_id.to_bytes(2, "big") + device.device_id.to_bytes(2, "big")
    for alias in wanted.aliases:
        there: list[dcp.Told] = yield Seek(dcp.identify(xid_of(number), dcp.Block(dcp.ALIAS, alias.encode())))
        for one in there:
            same = one.vendor_id.to_bytes(2, "big") + one.device_id.to_bytes(2, "big") == identity
            if one.name or not same:
                continue
            told = yield Tell(one.mac, dcp.set_name(xid_of(number), device.name, for_good=True))
            if error_of(told) == dcp.OK:
                return one._replace(name=device.name)
    raise nobody


def error_of(told: dcp.Dcp | None) -> int | None:
    """What came of setting something; None for no answer."""
    octets = told.octets(dcp.RESPONSE) if told else b""
    return octets[2] if len(octets) >= 3 else None


def addressed(wanted: Wanted, told: dcp.Told, number: int) -> Generator[Step, Any, None]:
    """The device has its IP address, for now, and nobody else has it. Raises Failed."""
    address = wanted.device.address
    if not address:
        raise Failed(NO_ANSWER, "it has no IP address in the plant")
    others = [mac for mac in (yield WhoHas(address)) if mac != told.mac]
    if others:
        raise Failed(ADDRESS_TAKEN, f"{others[0].hex('-').upper()} has {address} as well")
    if told.address != address:
        frame = dcp.set_address(xid_of(number), address, wanted.mask, wanted.gateway, for_good=False)
        answer = yield Tell(told.mac, frame)
        if error_of(answer) != dcp.OK:
            raise Failed(NO_ANSWER, f"it does not take {address}")


def asked(address: str, operation: int, obj: UUID, octets: bytes) -> Generator[Step, Any, c.Call]:
    """A call that must be answered well. Raises Failed."""
    for _ in range(_TRIES):
        answer: c.Call | None = yield Ask(address, operation, obj, octets)
        if answer is not None:
            break
    else:
        raise Failed(NO_ANSWER)
    if answer.kind == c.REJECT:
        raise Failed(OTHER_DEVICE, "it is not the device that is called: vendor or device id differ")
    if answer.status:
        raise Failed(answer.status)
    return answer


def relation_of(wanted: Wanted, mac: bytes, number: int) -> b.Relation:
    """A new relation of a station."""
    uuid = uuid5(_SPACE, f"{wanted.device.id} {number}")
    return b.Relation(uuid, number & 0xFFFF, mac, uuid5(_SPACE, wanted.controller), wanted.controller)


def connecting(wanted: Wanted, relation: b.Relation) -> bytes:
    """The blocks that connect."""
    octets = relation.encode() + cyclic_of(wanted, "in").encode() + cyclic_of(wanted, "out").encode() + b.alarms(1)
    by_slot: dict[int, list[b.ExpectedSubmodule]] = {}
    for sub in wanted.device.submodules:
        by_slot.setdefault(sub.slot, []).append(
            b.ExpectedSubmodule(
                sub.slot, sub.subslot, sub.module_ident, sub.ident, sub.api, sub.in_octets, sub.out_octets, sub.iops,
                sub.iocs,
            )
        )  # fmt: skip
    return octets + b"".join(b.expected(subs) for subs in by_slot.values())


def cyclic_of(wanted: Wanted, direction: Direction) -> b.Cyclic:
    """What goes one way; the device gives the ids of frames that go to it."""
    device = wanted.device
    data: list[b.Place] = []
    consumers: list[b.Place] = []
    begun: set[Where] = set()
    for piece in device.unit(direction):
        where = piece.submodule.slot, piece.submodule.subslot
        if piece.what == "consumer":
            consumers.append(b.Place(*where, piece.at))
        elif where not in begun:
            # Its data, or its status where it has none.
            begun.add(where)
            data.append(b.Place(*where, piece.at))
    return b.Cyclic(
        direction, device.padded(direction), wanted.frame_id if direction == "in" else 0xFFFF, wanted.clock,
        device.ratio(wanted.clock), wanted.phase + 1, device.own.watchdog, tuple(data), tuple(consumers),
    )  # fmt: skip


def records(wanted: Wanted, relation: b.Relation, of: Iterable[Where] | None = None) -> Generator[Step, Any, None]:
    """Each record of its submodules, or of some of them. Raises Failed."""
    only = None if of is None else set(of)
    for number, (where, api, index, octets) in enumerate(_records(wanted.device), start=1):
        if only is not None and where not in only:
            continue
        head = r.record(b.WRITE_HEAD, r.RecordAsked(relation.uuid, number, *where, index, len(octets), api))
        try:
            yield from asked(wanted.device.address, c.WRITE, wanted.object, head + octets)
        except Failed as failed:
            place = f"slot {where[0]}.{where[1]}, record {index}: {failed.text}"
            raise Failed(failed.code, place) from None


def _records(device: IoDevice) -> Iterator[tuple[Where, int, int, bytes]]:
    for sub in device.submodules:
        for record, octets in sub.records:
            yield (sub.slot, sub.subslot), sub.api, record.number, octets


def parameters_end(
    wanted: Wanted, relation: b.Relation, number: int = 0, kind: int = b.PARAMETERS_END
) -> Generator[Step, Any, None]:
    """That there are no more, and the device's word that it is ready. Raises Failed."""
    octets = b.control(kind, relation.uuid, relation.key, b.END_OF_PARAMETERS, number)
    yield from asked(wanted.device.address, c.CONTROL, wanted.object, octets)
    if not (yield Ready(relation.uuid, number)):
        raise Failed(NOT_READY)


def read(address: str, obj: UUID, slot: int, subslot: int, index: int) -> Generator[Step, Any, bytes]:
    """A record of a device, with no relation of one's own. Raises Failed."""
    asked_for = r.RecordAsked(UUID(int=0), 1, slot, subslot, index, 4096)
    answer = yield from asked(address, c.READ_IMPLICIT, obj, r.record(b.READ_HEAD, asked_for))
    told = r.read_record(answer.blocks)
    return told[1] if told else b""
