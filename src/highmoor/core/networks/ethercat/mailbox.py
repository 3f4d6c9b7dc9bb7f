"""Service data in a device's mailbox, both ends of it: expedited, normal and in segments.

Source: ETG.1000.6, 5.6 (CoE), tables 29 to 46; the mailbox's header ETG.1000.4, 7.2.
"""

from __future__ import annotations

import struct
from collections.abc import Generator
from dataclasses import dataclass

_HEADER = struct.Struct("<HHBB")
_COE = 3
_REQUEST, _RESPONSE = 2, 3
HEADER_OCTETS, COE_OCTETS, SDO_OCTETS = 6, 2, 8
# What an SDO has for its command, object and first four octets.
_DOWN, _UP, _ABORT = 1, 2, 4
# Command specifiers of answers.
_DOWN_ANSWER, _SEGMENT_ANSWER = 0x60, 0x20


class MailboxError(Exception):
    """What is in a mailbox is no service data."""


class Aborted(Exception):
    """The other end refused, with a code (ETG.1000.6, table 41)."""

    def __init__(self, code: int) -> None:
        super().__init__(f"16#{code:08X}")
        self.code = code


@dataclass(frozen=True, slots=True)
class Mail:
    """A message: its kind, its counter (1 to 7, so that a repeated one is known), its data."""

    kind: int
    counter: int
    data: bytes

    def encode(self, octets: int) -> bytes:
        """As long as the mailbox is. Raises MailboxError for what does not fit."""
        whole = _HEADER.pack(len(self.data), 0, 0, self.kind | self.counter << 4) + self.data
        if len(whole) > octets:
            raise MailboxError(f"{len(whole)} octets do not fit into a mailbox of {octets}")
        return whole.ljust(octets, b"\0")

    @classmethod
    def decode(cls, octets: bytes) -> Mail:
        """Raises MailboxError for what is none."""
        if len(octets) < HEADER_OCTETS:
            raise MailboxError("too short for a mailbox")
        length, _, _, kind = _HEADER.unpack_from(octets)
        if HEADER_OCTETS + length > len(octets):
            raise MailboxError("longer than the mailbox")
        return cls(kind & 0xF, kind >> 4 & 7, octets[HEADER_OCTETS : HEADER_OCTETS + length])


def _service(kind: int, body: bytes) -> bytes:
    return (kind << 12).to_bytes(2, "little") + body


def _object(command: int, idx: int, sub: int) -> bytes:
    return struct.pack("<BHB", command, idx, sub)


def sdo_of(data: bytes) -> tuple[int, bytes]:
    """What kind of service it is and its body. Raises MailboxError."""
    if len(data) < COE_OCTETS + 1:
        raise MailboxError("no service data")
    return int.from_bytes(data[:2], "little") >> 12, data[2:]


# ── the asking end: each yields what goes out and is given what comes in


def reading(idx: int, sub: int, *, complete: bool = False) -> Generator[bytes, bytes, bytes]:
    """Upload. A generator: yields requests, is sent answers, returns the octets. Raises Aborted, MailboxError."""
    answer = yield _service(_REQUEST, _object(0x40 | (0x10 if complete else 0), idx, sub) + bytes(4))
    command, body = _checked(answer, idx, sub)
    if command >> 5 != _UP:
        raise MailboxError(f"answer 16#{command:02X} to a question")
    if command & 0x02:
        return body[4 : 8 - (command >> 2 & 3 if command & 1 else 0)]
    size = int.from_bytes(body[4:8], "little")
    found = bytes(body[8:])[:size]
    toggle = 0
    while len(found) < size:
        answer = yield _service(_REQUEST, bytes([0x60 | toggle << 4]) + bytes(7))
        command, body = _segment(answer)
        if command >> 4 & 1 != toggle:
            raise Aborted(0x05030000)
        room = body[1:]
        found += room[: 7 - (command >> 1 & 7)] if len(body) <= SDO_OCTETS else room
        toggle ^= 1
        if command & 1:
            break
    return found[:size]


def writing(
    idx: int, sub: int, octets: bytes, mailbox: int, *, complete: bool = False
) -> Generator[bytes, bytes, bytes]:
    """Download. A generator like `reading`; `mailbox` is the size of the device's. Raises Aborted, MailboxError."""
    whole = 0x10 if complete else 0
    if 0 < len(octets) <= 4:
        command = 0x23 | whole | (4 - len(octets)) << 2
        answer = yield _service(_REQUEST, _object(command, idx, sub) + octets.ljust(4, b"\0"))
        _checked(answer, idx, sub)
        return b""
    room = mailbox - HEADER_OCTETS - COE_OCTETS - SDO_OCTETS
    head = _object(0x21 | whole, idx, sub) + len(octets).to_bytes(4, "little")
    answer = yield _service(_REQUEST, head + octets[:room])
    _checked(answer, idx, sub)
    at, toggle = room, 0
    # A segment's command stands alone before its octets.
    piece = mailbox - HEADER_OCTETS - COE_OCTETS - 1
    while at < len(octets):
        part = octets[at : at + piece]
        at += len(part)
        unused = max(7 - len(part), 0)
        command = toggle << 4 | unused << 1 | (at >= len(octets))
        answer = yield _service(_REQUEST, bytes([command]) + part.ljust(7, b"\0"))
        command, _ = _segment(answer)
        if command >> 4 & 1 != toggle:
            raise Aborted(0x05030000)
        toggle ^= 1
    return b""


def _checked(answer: bytes, idx: int, sub: int) -> tuple[int, bytes]:
    kind, body = sdo_of(answer)
    _not_aborted(body)
    if kind != _RESPONSE or len(body) < SDO_OCTETS or struct.unpack_from("<HB", body, 1) != (idx, sub):
        raise MailboxError("an answer to another question")
    return body[0], body


def _segment(answer: bytes) -> tuple[int, bytes]:
    kind, body = sdo_of(answer)
    _not_aborted(body)
    if kind != _RESPONSE:
        raise MailboxError("no answer")
    return body[0], body


def _not_aborted(body: bytes) -> None:
    if body and body[0] == 0x80:
        raise Aborted(int.from_bytes(body[4:8], "little"))


# ── the answering end


@dataclass(slots=True)
class Transfer:
    """A segmented transfer under way at a device: what was written so far, or what is still to be read."""

    idx: int
    sub: int
    complete: bool
    octets: bytes
    size: int
    toggle: int = 0


def answer_up(idx: int, sub: int, octets: bytes, mailbox: int) -> tuple[bytes, bytes]:
    """The first answer to an upload, and what is left for segments."""
    if 0 < len(octets) <= 4:
        command = 0x43 | (4 - len(octets)) << 2
        return _service(_RESPONSE, _object(command, idx, sub) + octets.ljust(4, b"\0")), b""
    room = mailbox - HEADER_OCTETS - COE_OCTETS - SDO_OCTETS
    head = _object(0x41, idx, sub) + len(octets).to_bytes(4, "little")
    return _service(_RESPONSE, head + octets[:room]), octets[room:]


def answer_up_segment(toggle: int, octets: bytes, mailbox: int) -> tuple[bytes, bytes]:
    """A further segment, and what is left behind it."""
    piece = mailbox - HEADER_OCTETS - COE_OCTETS - 1
    part, left = octets[:piece], octets[piece:]
    unused = max(7 - len(part), 0)
    command = toggle << 4 | unused << 1 | (not left)
    return _service(_RESPONSE, bytes([command]) + part.ljust(7, b"\0")), left


def answer_down(idx: int, sub: int) -> bytes:
    """It is written, or its first part is there."""
    return _service(_RESPONSE, _object(_DOWN_ANSWER, idx, sub) + bytes(4))


def answer_down_segment(toggle: int) -> bytes:
    """A further segment is there."""
    return _service(_RESPONSE, bytes([_SEGMENT_ANSWER | toggle << 4]) + bytes(7))


def abort(idx: int, sub: int, code: int) -> bytes:
    """Refused."""
    return _service(_REQUEST, _object(0x80, idx, sub) + code.to_bytes(4, "little"))


COE = _COE
