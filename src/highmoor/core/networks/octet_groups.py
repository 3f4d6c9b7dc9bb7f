"""Octets that a device gets at its start, taken apart: what each is of, and which setting made it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class PlacedParameter:
    """A parameter among octets: the field that sets it, what it is called, the octets it lies in (from 0, of its
    group), its bits within them, its value in words."""

    row: str
    field: str
    label: str
    first: int
    octets: int
    bit: int
    bits: int
    shown: str


@dataclass(frozen=True, slots=True)
class OctetGroup:
    """Octets that belong together: of every station's parameters, of the station's own, of a module."""

    row: str
    label: str
    octets: tuple[str, ...]
    parameters: tuple[PlacedParameter, ...] = ()
