"""A module's octets beside its channels: the same data by the octet, and from there as words or double words.

`i0` is the first octet of what a module gives, `q0` of what it takes; a single bit of either is a channel, and is
called so alone (`spoken.py`).
"""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.carried import AREAS, Area
from highmoor.core.networks.counting import IN_OCTETS, OUT_OCTETS, Counting, UnitKey

COUNTED: dict[Area, Counting] = {"in": IN_OCTETS, "out": OUT_OCTETS}


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
    named = UnitKey.of(key) if device is not None and device.channels else None
    if device is None or named is None or named.bit is not None or named.text != key:
        return None
    for area in AREAS:
        octets = octets_of(device, area)
        if named.letter == COUNTED[area].letter and named.unit < octets:
            return ModuleOctet(area, named.unit, octets, not (device.in_octets and device.out_octets))
    return None
