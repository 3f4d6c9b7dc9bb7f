"""Registers of an EtherCAT device and what stands in some of them. Source: ETG.1000.4, 6 and 8; ETG.1000.6, 6.1."""

from __future__ import annotations

import struct
from dataclasses import dataclass

TYPE, PORTS, FEATURES = 0x0000, 0x0007, 0x0008
# What a port is, two bits each (table 31): none, an internal bus, a cable.
PORT_INTERNAL, PORT_CABLE = 0b10, 0b11
STATION_ADDRESS, STATION_ALIAS = 0x0010, 0x0012
DL_STATUS = 0x0110
AL_CONTROL, AL_STATUS, AL_STATUS_CODE = 0x0120, 0x0130, 0x0134
RX_ERRORS, FORWARDED_ERRORS, LOST_LINKS = 0x0300, 0x0308, 0x0310
WATCHDOG_DIVIDER, WATCHDOG_TIME, WATCHDOG_STATUS = 0x0400, 0x0420, 0x0440
EEPROM_CONTROL, EEPROM_ADDRESS, EEPROM_DATA = 0x0502, 0x0504, 0x0508
EEPROM_READ, EEPROM_BUSY = 0x0100, 0x8000
FMMU, FMMU_OCTETS, FMMUS = 0x0600, 16, 8
SYNC_MANAGER, MANAGER_OCTETS, MANAGERS = 0x0800, 8, 8
RECEIVE_TIMES, SYSTEM_TIME, SYSTEM_OFFSET, SYSTEM_DELAY = 0x0900, 0x0910, 0x0920, 0x0928
ACTIVATION, START_TIME, SYNC0_CYCLE, SYNC1_CYCLE = 0x0980, 0x0990, 0x09A0, 0x09A4
REGISTER_OCTETS = 0x1000
# Distributed clocks are there (bit 2), with 64 bits (bit 3).
HAS_CLOCK = 0x000C
# In a watchdog's divider and time: 40 ns · (2498 + 2) = 100 µs.
DIVIDER = 2498
# Where a mailbox says that something lies in it.
MAILBOX_FULL = 0x08

# Words of the EEPROM (ETG.1000.6, table 16).
ALIAS_WORD, VENDOR_WORD, PRODUCT_WORD, REVISION_WORD, SERIAL_WORD = 0x04, 0x08, 0x0A, 0x0C, 0x0E
PROTOCOLS_WORD, CATEGORIES_WORD = 0x1C, 0x40
STRINGS, GENERAL, MANAGERS_CATEGORY, END = 10, 30, 41, 0xFFFF

_FMMU = struct.Struct("<IHBBHBBB3x")
_MANAGER = struct.Struct("<HHBBBB")


@dataclass(frozen=True, slots=True)
class Fmmu:
    """A mapping of logical addresses to a device's own: whole octets."""

    logical: int
    octets: int
    physical: int
    read: bool
    write: bool

    def encode(self) -> bytes:
        """The register block, switched on."""
        kind = (1 if self.read else 0) | (2 if self.write else 0)
        return _FMMU.pack(self.logical, self.octets, 0, 7, self.physical, 0, kind, 1)

    @classmethod
    def decode(cls, octets: bytes) -> Fmmu | None:
        """None for one that is off."""
        logical, length, _, _, physical, _, kind, active = _FMMU.unpack(octets)
        return cls(logical, length, physical, bool(kind & 1), bool(kind & 2)) if active & 1 and length else None


@dataclass(frozen=True, slots=True)
class Manager:
    """A sync manager as it is set."""

    start: int
    octets: int
    control: int
    active: bool

    def encode(self) -> bytes:
        """The register block."""
        return _MANAGER.pack(self.start, self.octets, self.control, 0, int(self.active), 0)

    @classmethod
    def decode(cls, octets: bytes) -> Manager:
        """As it stands in the registers."""
        start, length, control, _, active, _ = _MANAGER.unpack(octets)
        return cls(start, length, control, bool(active & 1))
