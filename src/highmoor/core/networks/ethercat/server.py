"""The mailbox of a device on the bench: what is written into it, and what it answers."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from typing import TYPE_CHECKING

from highmoor.core.networks.ethercat import registers as r
from highmoor.core.networks.ethercat.explain import INIT
from highmoor.core.networks.ethercat.mailbox import (
    COE,
    Aborted,
    Mail,
    MailboxError,
    Transfer,
    abort,
    answer_down,
    answer_down_segment,
    answer_up,
    answer_up_segment,
    sdo_of,
)

if TYPE_CHECKING:
    from highmoor.core.networks.ethercat.slave import Slave

# How long it thinks.
_THINKS_NS = 400_000
_UNKNOWN_COMMAND, _NO_MEMORY = 0x05040001, 0x05040005
_WRITE_AT_MOST = 4096


@dataclass(slots=True)
class MailboxServer:
    """Both boxes of a device. What it answers lies in its own box until it is fetched."""

    slave: Slave
    _answer: bytes = b""
    _transfer: Transfer | None = None
    _counter: int = 0

    def reset(self) -> None:
        """Nothing lies in it any more."""
        self._answer, self._transfer = b"", None
        self._full(False)

    def _box(self, kind: str) -> r.Manager | None:
        numbers = self.slave.numbers(kind)
        return self.slave.manager(numbers[0]) if numbers else None

    def _full(self, full: bool) -> None:
        for number in self.slave.numbers("mailbox-in"):
            at = r.SYNC_MANAGER + r.MANAGER_OCTETS * number + 5
            self.slave.ram[at] = self.slave.ram[at] & ~r.MAILBOX_FULL | (r.MAILBOX_FULL if full else 0)

    def write(self, register: int, octets: bytes) -> bool:
        """A message in its box, whole: one that does not reach the box's last octet is not taken."""
        box = self._box("mailbox-out")
        if box is None or not box.active or register != box.start or len(octets) != box.octets:
            return False
        if self.slave.state == INIT:
            return False
        clock = self.slave.clock
        clock.at(clock.now_ns + _THINKS_NS, lambda: self._take(octets))
        return True

    def read(self, register: int, octets: int) -> bytes | None:
        """What lies in the other box, None while it is empty."""
        box = self._box("mailbox-in")
        if box is None or not box.active or register != box.start or octets != box.octets or not self._answer:
            return None
        answer, self._answer = self._answer, b""
        self._full(False)
        return answer

    def _take(self, octets: bytes) -> None:
        try:
            mail = Mail.decode(octets)
        except MailboxError:
            return
        if mail.kind != COE:
            return
        try:
            kind, body = sdo_of(mail.data)
        except MailboxError:
            return
        told = self._served(kind, body)
        box = self._box("mailbox-in")
        if box is None or not told:
            return
        self._counter = self._counter % 7 + 1
        self._answer = Mail(COE, self._counter, told).encode(box.octets)
        self._full(True)

    def _served(self, kind: int, body: bytes) -> bytes:
        if kind != 2 or len(body) < 8:
            return b""
        command = body[0]
        idx, sub = struct.unpack_from("<HB", body, 1)
        try:
            match command >> 5:
                case 1:
                    return self._down(command, idx, sub, body)
                case 2:
                    return self._up(command, idx, sub)
                case 0:
                    return self._down_segment(command, body)
                case 3:
                    return self._up_segment(command)
                case 4:
                    self._transfer = None
                    return b""
            raise Aborted(_UNKNOWN_COMMAND)
        except Aborted as aborted:
            transfer, self._transfer = self._transfer, None
            at = (transfer.idx, transfer.sub) if transfer and command >> 5 in (0, 3) else (idx, sub)
            return abort(at[0], at[1], aborted.code)

    def _size(self) -> int:
        box = self._box("mailbox-in")
        return box.octets if box else 0

    def _up(self, command: int, idx: int, sub: int) -> bytes:
        own = self.slave.dictionary
        octets = own.read_all(idx) if command & 0x10 else own.read(idx, sub)
        told, left = answer_up(idx, sub, octets, self._size())
        self._transfer = Transfer(idx, sub, False, left, len(left)) if left else None
        return told

    def _up_segment(self, command: int) -> bytes:
        transfer = self._transfer
        if transfer is None:
            raise Aborted(_UNKNOWN_COMMAND)
        if command >> 4 & 1 != transfer.toggle:
            raise Aborted(0x05030000)
        told, transfer.octets = answer_up_segment(transfer.toggle, transfer.octets, self._size())
        transfer.toggle ^= 1
        if not transfer.octets:
            self._transfer = None
        return told

    def _down(self, command: int, idx: int, sub: int, body: bytes) -> bytes:
        if command & 0x10:
            raise Aborted(0x06010000)
        if command & 0x02:
            unused = command >> 2 & 3 if command & 1 else 0
            self.slave.dictionary.write(idx, sub, body[4 : 8 - unused])
            return answer_down(idx, sub)
        size = int.from_bytes(body[4:8], "little")
        if size > _WRITE_AT_MOST:
            raise Aborted(_NO_MEMORY)
        octets = body[8:][:size]
        if len(octets) >= size:
            self.slave.dictionary.write(idx, sub, octets)
        else:
            self._transfer = Transfer(idx, sub, False, octets, size)
        return answer_down(idx, sub)

    def _down_segment(self, command: int, body: bytes) -> bytes:
        transfer = self._transfer
        if transfer is None:
            raise Aborted(_UNKNOWN_COMMAND)
        if command >> 4 & 1 != transfer.toggle:
            raise Aborted(0x05030000)
        piece = body[1:]
        if len(piece) <= 7:
            piece = piece[: 7 - (command >> 1 & 7)]
        transfer.octets += piece
        told = answer_down_segment(transfer.toggle)
        transfer.toggle ^= 1
        if len(transfer.octets) > transfer.size:
            raise Aborted(0x06070012)
        if command & 1:
            self.slave.dictionary.write(transfer.idx, transfer.sub, transfer.octets)
            self._transfer = None
        return told
