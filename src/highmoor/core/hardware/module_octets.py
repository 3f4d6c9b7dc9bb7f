"""A module's octets beside its channels: the same data by the octet, and from there as words or double words.

`i0` is the first octet of what a module gives, `q0` of what it takes; a single bit of either is a channel, and is
called so alone (`signals/spoken.py`).
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from highmoor.core.catalogue.types import ChannelPlace, DeviceType

Area = Literal["in", "out"]
_KEY = re.compile(r"([iq])(0|[1-9]\d{0,4})")


@dataclass(frozen=True, slots=True)
class ModuleOctet:
    """An octet of a module's area, and how many octets that has; `single` where the module has no other area."""

    area: Area
    octet: int
    octets: int
    single: bool

    @property
    def label(self) -> str:
        """What it is called within its module."""
        return f"octet {self.octet}" if self.single else f"octet {self.octet} {self.area}"


def octets_of(device: DeviceType, area: Area) -> int:
    """How many octets of an area a module's channels fill."""
    return device.in_octets if area == "in" else device.out_octets


def module_octet(device: DeviceType | None, key: str) -> ModuleOctet | None:
    """The octet with this key; None where the module has no such, or is no module with channels."""
    found = _KEY.fullmatch(key)
    if found is None or device is None or not device.channels:
        return None
    area: Area = "in" if found[1] == "i" else "out"
    octet, octets = int(found[2]), octets_of(device, area)
    return ModuleOctet(area, octet, octets, not (device.in_octets and device.out_octets)) if octet < octets else None


def channels_from(device: DeviceType, octet: ModuleOctet, bits: int) -> Iterator[ChannelPlace]:
    """The channels of which a value of so many bits has some, that begins with an octet."""
    first = 8 * octet.octet
    for channel in device.each_channel():
        inside = channel.bit < first + bits and first < channel.bit + channel.group.bits
        if inside and channel.group.inward == (octet.area == "in"):
            yield channel
