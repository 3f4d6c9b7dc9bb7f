"""Discovery and configuration (DCP): frames by which devices are found, named, given addresses, blinked, reset.

Source: IEC 61158-6-10, 4.3 (DCP).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address
from typing import NamedTuple

# To everybody who takes part.
TO_ALL = bytes.fromhex("010ECF000000")
GET_SET, IDENTIFY, IDENTIFIED = 0xFEFD, 0xFEFE, 0xFEFF
GET, SET, IDENTIFY_SERVICE = 3, 4, 5
REQUEST, SUCCESS = 0, 1
# Options with their suboptions.
IP, VENDOR, NAME, DEVICE, ROLE, ALIAS = (1, 2), (2, 1), (2, 2), (2, 3), (2, 4), (2, 6)
SIGNAL, RESPONSE, RESET, ALL = (5, 3), (5, 4), (5, 6), (0xFF, 0xFF)
# Of a SET: whether it is kept.
FOR_NOW, FOR_GOOD = 0, 1
# All that was set over the network, data kept (mode 2: communication parameters).
RESET_COMMUNICATION = 0x0004
FLASH_ONCE = 0x0100
IO_DEVICE = 1
OK, NOT_SUPPORTED, BAD_NAME_OR_ADDRESS = 0, 1, 3
_HEAD = struct.Struct(">HBBIHH")


class Block(NamedTuple):
    """An option with its octets; `info` is what stands before them in answers and in what is set, None for nothing."""

    option: tuple[int, int]
    octets: bytes = b""
    info: int | None = None


@dataclass(frozen=True, slots=True)
class Dcp:
    """A frame: which, what is asked or answered, the number by which both belong together."""

    frame_id: int
    service: int
    kind: int
    xid: int
    blocks: tuple[Block, ...] = ()
    # In 10 ms: over how long answers to a question to all are spread.
    delay: int = 0

    def encode(self) -> bytes:
        """What follows the frame's type."""
        data = b"".join(_encoded(block) for block in self.blocks)
        return _HEAD.pack(self.frame_id, self.service, self.kind, self.xid, self.delay, len(data)) + data

    def block(self, option: tuple[int, int]) -> Block | None:
        """The first block of an option."""
        return next((block for block in self.blocks if block.option == option), None)

    def octets(self, option: tuple[int, int]) -> bytes:
        """Of that block; nothing where there is none."""
        block = self.block(option)
        return block.octets if block else b""


def _encoded(block: Block) -> bytes:
    octets = (b"" if block.info is None else block.info.to_bytes(2, "big")) + block.octets
    return bytes(block.option) + len(octets).to_bytes(2, "big") + octets + bytes(len(octets) % 2)


def decode(octets: bytes) -> Dcp | None:
    """A frame; None for what is none."""
    if len(octets) < _HEAD.size:
        return None
    frame_id, service, kind, xid, delay, size = _HEAD.unpack_from(octets)
    if frame_id not in (GET_SET, IDENTIFY, IDENTIFIED) or len(octets) < _HEAD.size + size:
        return None
    answers = kind == SUCCESS
    blocks = tuple(_blocks(octets[_HEAD.size : _HEAD.size + size], service, answers=answers))
    return Dcp(frame_id, service, kind, xid, blocks, delay)


def _blocks(octets: bytes, service: int, *, answers: bool) -> Iterator[Block]:
    at = 0
    if service == GET and not answers:
        # What is asked for stands as plain options.
        yield from (Block((octets[n], octets[n + 1])) for n in range(0, len(octets) - 1, 2))
        return
    while at + 4 <= len(octets):
        option, size = (octets[at], octets[at + 1]), int.from_bytes(octets[at + 2 : at + 4], "big")
        own = octets[at + 4 : at + 4 + size]
        informed = (answers and option != RESPONSE) or (service == SET and not answers)
        if informed and len(own) >= 2:
            yield Block(option, own[2:], int.from_bytes(own[:2], "big"))
        else:
            yield Block(option, own)
        at += 4 + size + size % 2


def identify(xid: int, *blocks: Block, delay: int = 1) -> Dcp:
    """Who is there; whom the blocks describe, else everybody."""
    return Dcp(IDENTIFY, IDENTIFY_SERVICE, REQUEST, xid, blocks or (Block(ALL),), delay)


def set_name(xid: int, name: str, *, for_good: bool) -> Dcp:
    """Be called so."""
    return Dcp(GET_SET, SET, REQUEST, xid, (Block(NAME, name.encode(), FOR_GOOD if for_good else FOR_NOW),))


def set_address(xid: int, address: str, mask: str, gateway: str, *, for_good: bool) -> Dcp:
    """Have this IP address."""
    octets = address_octets(address, mask, gateway)
    return Dcp(GET_SET, SET, REQUEST, xid, (Block(IP, octets, FOR_GOOD if for_good else FOR_NOW),))


def address_octets(address: str, mask: str, gateway: str = "") -> bytes:
    """Address, mask and gateway, each 0.0.0.0 for none."""
    return b"".join(IPv4Address(text or "0.0.0.0").packed for text in (address, mask, gateway))


def addresses(octets: bytes) -> tuple[str, str, str]:
    """Address, mask and gateway, "" for none, of at least twelve octets."""
    address, mask, gateway = (str(IPv4Address(octets[n : n + 4])) for n in (0, 4, 8))
    return _or_none(address), mask, _or_none(gateway)


def _or_none(address: str) -> str:
    return "" if address == "0.0.0.0" else address


def blink(xid: int) -> Dcp:
    """Let the lamp flash, so that somebody finds it."""
    return Dcp(GET_SET, SET, REQUEST, xid, (Block(SIGNAL, FLASH_ONCE.to_bytes(2, "big"), FOR_NOW),))


def reset(xid: int) -> Dcp:
    """As it was delivered: without a name, without an address."""
    return Dcp(GET_SET, SET, REQUEST, xid, (Block(RESET, b"", RESET_COMMUNICATION),))


def answer(asked: Dcp, blocks: Sequence[Block]) -> Dcp:
    """To a question, or of what came of setting something."""
    frame_id = IDENTIFIED if asked.service == IDENTIFY_SERVICE else GET_SET
    return Dcp(frame_id, asked.service, SUCCESS, asked.xid, tuple(blocks))


def came_of(option: tuple[int, int], error: int) -> Block:
    """What came of setting an option."""
    return Block(RESPONSE, bytes((*option, error)))


class Told(NamedTuple):
    """What a device tells of itself: name and address "" for none; `taken` says that somebody else has its address."""

    mac: bytes
    name: str
    address: str
    vendor: str
    vendor_id: int
    device_id: int
    taken: bool = False


def told_of(mac: bytes, frame: Dcp) -> Told:
    """Of an answer to the question who is there."""
    device = frame.octets(DEVICE).ljust(4, b"\0")
    ip = frame.block(IP)
    address = str(IPv4Address(ip.octets[:4])) if ip and len(ip.octets) >= 4 else ""
    return Told(
        mac, frame.octets(NAME).decode("ascii", "replace"), "" if address == "0.0.0.0" else address,
        frame.octets(VENDOR).decode("latin-1").rstrip("\0 "), int.from_bytes(device[:2], "big"),
        int.from_bytes(device[2:4], "big"), bool(ip and (ip.info or 0) & 0x80),
    )  # fmt: skip
