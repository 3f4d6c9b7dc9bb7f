"""Plain frames of PROFINET: cyclic ones with their data unit and status, and alarms with what confirms them.

Source: IEC 61158-6-10, 4.7 (RTC), 4.8 (RTA), 5.2 (alarm blocks).
"""

from __future__ import annotations

import struct
from collections.abc import Collection
from dataclasses import dataclass
from typing import NamedTuple

from highmoor.core.figures.profinet import DATA_UNIT_LEAST
from highmoor.core.networks.profinet.blocks import Block, block, blocks_in

PRIORITY = 6
FIRST_ID, LAST_ID = 0x8000, 0xBBFF
# Of a whole frame: from the primary, valid, its program runs, no problem there.
RUNNING, STOPPED, TROUBLE = 0x35, 0x25, 0x15
VALID, RUNS = 0x04, 0x10
# Of a submodule's data: good, bad as the device says, as the controller says.
GOOD, BAD_DEVICE, BAD_CONTROLLER = 0x80, 0x40, 0x60
_TAIL = struct.Struct(">HBB")


class Cyclic:
    """A frame that goes out again and again with another counter; `unit` is its data unit with the padding.

    `head` is its id. Whoever fills its data unit does so in place: there are thousands a second.
    """

    __slots__ = ("_frame", "_tail", "unit")

    def __init__(self, head: bytes, unit: bytes | bytearray) -> None:
        self._frame = bytearray(head) + unit + bytes(_TAIL.size)
        self._tail = len(self._frame) - _TAIL.size
        self.unit = memoryview(self._frame)[len(head) : self._tail]

    def at(self, counter: int, status: int) -> bytes:
        """As it goes out now; `counter` in 31.25 µs."""
        _TAIL.pack_into(self._frame, self._tail, counter & 0xFFFF, status, 0)
        return bytes(self._frame)


def read_cyclic(octets: bytes) -> tuple[bytes, int] | None:
    """The data unit of a frame with its padding, and its status; None for what is too short or not valid."""
    if len(octets) < 2 + DATA_UNIT_LEAST + 4 or not octets[-2] & VALID:
        return None
    return octets[2:-4], octets[-2]


# ── alarms

HIGH_ALARM, LOW_ALARM = 0xFC01, 0xFE01
ALARM_PRIORITY = {HIGH_ALARM: 6, LOW_ALARM: 5}
DATA, NOT_TAKEN, TAKEN, ENDED = 1, 2, 3, 4
DIAGNOSIS, PULL, PLUG, PLUG_WRONG, RETURN, DISAPPEARS = 0x01, 0x03, 0x04, 0x0A, 0x0B, 0x0C
NOTIFIED, CONFIRMED = {HIGH_ALARM: 0x0001, LOW_ALARM: 0x0002}, {HIGH_ALARM: 0x8001, LOW_ALARM: 0x8002}
CHANNEL_DIAGNOSIS = 0x8000
APPEARS, GOES = 1, 2
_HEAD = struct.Struct(">HHHBBHHH")


class AlarmFrame(NamedTuple):
    """A frame between the two ends of an alarm relation: references, kind, numbers, what it carries."""

    frame_id: int
    to: int
    source: int
    kind: int
    sent: int
    taken: int
    octets: bytes = b""

    def encode(self) -> bytes:
        """What follows the frame's type."""
        flags = 0x11 if self.kind == DATA else 0x01
        return _HEAD.pack(
            self.frame_id, self.to, self.source, 0x10 | self.kind, flags, self.sent, self.taken, len(self.octets)
        ) + self.octets  # fmt: skip


def read_alarm(octets: bytes) -> AlarmFrame | None:
    """None for what is none."""
    if len(octets) < _HEAD.size:
        return None
    frame_id, to, source, kind, _, sent, taken, size = _HEAD.unpack_from(octets)
    if len(octets) < _HEAD.size + size:
        return None
    return AlarmFrame(frame_id, to, source, kind & 0xF, sent, taken, octets[_HEAD.size : _HEAD.size + size])


@dataclass(frozen=True, slots=True)
class ChannelError:
    """What is wrong with a channel: its number (0x8000 for the submodule), which error, a further one behind it."""

    channel: int
    error: int
    more: int = 0


@dataclass(frozen=True, slots=True)
class Alarm:
    """An alarm of a submodule: what kind, of whom, the number it is confirmed by, the channel's error it tells."""

    kind: int
    slot: int
    subslot: int
    module: int
    submodule: int
    number: int
    error: ChannelError | None = None
    remains: bool = False

    def encode(self, frame_id: int) -> bytes:
        """As it is notified."""
        specifier = self.number & 0x7FF
        tail = b""
        if self.error is not None:
            appears = self.kind == DIAGNOSIS
            specifier |= 0x0800 | (0x2000 if appears or self.remains else 0)
            properties = (APPEARS if appears else 3 if self.remains else GOES) << 11
            kind = 0x8002 if self.error.more else CHANNEL_DIAGNOSIS
            tail = struct.pack(">HHHH", kind, self.error.channel, properties, self.error.error)
            tail += struct.pack(">HI", self.error.more, 0) if self.error.more else b""
        octets = struct.pack(
            ">HIHHIIH", self.kind, 0, self.slot, self.subslot, self.module, self.submodule, specifier
        )  # fmt: skip
        return block(NOTIFIED[frame_id], octets + tail)


def read_notified(octets: bytes) -> Alarm | None:
    """None for what is none."""
    told = _first(octets, NOTIFIED.values())
    if told is None or len(told.octets) < 20:
        return None
    kind, _, slot, subslot, module, sub, specifier = struct.unpack_from(">HIHHIIH", told.octets)
    tail, error, remains = told.octets[20:], None, False
    if len(tail) >= 8:
        _, channel, properties, number = struct.unpack_from(">HHHH", tail)
        more = int.from_bytes(tail[8:10], "big") if len(tail) >= 14 else 0
        error, remains = ChannelError(channel, number, more), properties >> 11 & 3 == 3
    return Alarm(kind, slot, subslot, module, sub, specifier & 0x7FF, error, remains)


def confirmed(frame_id: int, alarm: Alarm) -> bytes:
    """That an alarm has been seen to."""
    octets = struct.pack(">HIHHHI", alarm.kind, 0, alarm.slot, alarm.subslot, alarm.number, 0)
    return block(CONFIRMED[frame_id], octets)


def read_confirmed(octets: bytes) -> tuple[int, int] | None:
    """Kind and number of the alarm; None for what is none."""
    told = _first(octets, CONFIRMED.values())
    if told is None or len(told.octets) < 12:
        return None
    kind, _, _, _, specifier = struct.unpack_from(">HIHHH", told.octets)
    return kind, specifier & 0x7FF


def _first(octets: bytes, kinds: Collection[int]) -> Block | None:
    return next((one for one in blocks_in(octets) if one.type in kinds), None)
