"""Calls between controller and device: connectionless remote procedure calls over UDP, with blocks in them.

Numbers stand high octet first, as the header says. Source: IEC 61158-6-10, 4.10; C706 (DCE 1.1: RPC), chapter 12.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from uuid import UUID

PORT = 34964
CONNECT, RELEASE, READ, WRITE, CONTROL, READ_IMPLICIT = range(6)
REQUEST, RESPONSE, REJECT = 0, 2, 6
DEVICE_INTERFACE = UUID("dea00001-6c97-11d1-8271-00a02442df7d")
CONTROLLER_INTERFACE = UUID("dea00002-6c97-11d1-8271-00a02442df7d")
# Nobody has what was called.
UNKNOWN_OBJECT = 0x1C010003
ARGUMENTS_AT_MOST = 16_384
_HEAD = struct.Struct(">BBBB3sB16s16s16sIIIHHHHHBB")
_IDEMPOTENT, _LAST_WITHOUT_ACK = 0x20, 0x0A


def object_of(vendor_id: int, device_id: int) -> UUID:
    """The object that a device is (IEC 61158-6-10, 4.10.3.2): its first instance."""
    tail = struct.pack(">HHH", 1, device_id, vendor_id)
    return UUID(bytes=bytes.fromhex("dea000006c9711d18271") + tail)


@dataclass(frozen=True, slots=True)
class Call:
    """A call or what came back. `status` is of an answer: 0 for a good one."""

    kind: int
    operation: int
    activity: UUID
    number: int
    object: UUID
    interface: UUID
    blocks: bytes = b""
    status: int = 0

    def encode(self) -> bytes:
        """The datagram."""
        body = self._body()
        flags = _IDEMPOTENT if self.kind == REQUEST else _LAST_WITHOUT_ACK
        head = _HEAD.pack(
            4, self.kind, flags, 0, bytes(3), 0, self.object.bytes, self.interface.bytes, self.activity.bytes, 0, 1,
            self.number, self.operation, 0xFFFF, 0xFFFF, len(body), 0, 0, 0,
        )  # fmt: skip
        return head + body

    def _body(self) -> bytes:
        if self.kind == REJECT:
            return self.status.to_bytes(4, "big")
        size = len(self.blocks)
        first = self.status if self.kind == RESPONSE else ARGUMENTS_AT_MOST
        return struct.pack(">IIIII", first, size, ARGUMENTS_AT_MOST, 0, size) + self.blocks

    def answer(self, blocks: bytes = b"", status: int = 0) -> Call:
        """What comes back."""
        return Call(RESPONSE, self.operation, self.activity, self.number, self.object, self.interface, blocks, status)

    def rejected(self, status: int = UNKNOWN_OBJECT) -> Call:
        """Nobody here does that."""
        return Call(REJECT, self.operation, self.activity, self.number, self.object, self.interface, b"", status)


def decode(octets: bytes) -> Call | None:
    """A datagram; None for what is no call, is in parts, or is longer or shorter than it says."""
    if len(octets) < _HEAD.size:
        return None
    (version, kind, _, _, form, _, obj, interface, activity, _, _, number, operation, _, _, size, part, _, _) = (
        _HEAD.unpack_from(octets)
    )
    body = octets[_HEAD.size :]
    if version != 4 or form[0] & 0xF0 or part or len(body) < size:
        return None
    told = UUID(bytes=activity), number, UUID(bytes=obj), UUID(bytes=interface)
    if kind == REJECT and size >= 4:
        return Call(kind, operation, *told, b"", int.from_bytes(body[:4], "big"))
    if kind not in (REQUEST, RESPONSE) or size < 20:
        return None
    first, length = struct.unpack_from(">II", body)
    if length > size - 20:
        return None
    return Call(kind, operation, *told, body[20 : 20 + length], first if kind == RESPONSE else 0)
