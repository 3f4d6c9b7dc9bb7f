"""Switches on a device by which its address is set: how they have to stand."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from highmoor.core.catalogue.types import DeviceType, Dial


@dataclass(frozen=True, slots=True)
class Dialled:
    """A device's switches in the order they stand; rotary ones by the digit they show, DIP ones 1 for on.

    `labels` are what is printed beside them; `problem` is why they cannot be set so.
    """

    kind: str
    positions: tuple[int, ...]
    labels: tuple[str, ...]
    problem: str = ""


# What devices have of which no file tells their switches: their number is set so.
USUAL: dict[str, tuple[str, Dial]] = {
    "rotary-10x2": ("two rotary, decimal", Dial("rotary-10", 2)),
    "rotary-10x3": ("three rotary, decimal", Dial("rotary-10", 3)),
    "rotary-16x2": ("two rotary, hexadecimal", Dial("rotary-16", 2)),
    "dip-7": ("7 DIP switches", Dial("dip", 7)),
    "dip-8": ("8 DIP switches", Dial("dip", 8)),
}


def dial_of(device: DeviceType | None, settings: Mapping[str, Any]) -> Dial | None:
    """The switches of a device by its type, or as somebody has seen them on it."""
    if device is not None and device.dial is not None:
        return device.dial
    seen = USUAL.get(str(settings.get("switches")))
    return seen[1] if seen else None


def dialled(dial: Dial, address: str) -> Dialled | None:
    """How a device's switches stand for an address: its number, or its last octet. None for no address."""
    text = address.rpartition(".")[2]
    if not (text.isascii() and text.isdigit() and len(text) < 10):
        return None
    number = int(text)
    base = {"rotary-10": 10, "rotary-16": 16, "dip": 2}[dial.kind]
    positions = [number // base**n % base for n in range(dial.count)]
    problem = f"{dial.count} switches reach {base**dial.count - 1} and no further" if number >= base**dial.count else ""
    if dial.kind == "dip":
        return Dialled(dial.kind, tuple(positions), tuple(str(n + 1) for n in range(dial.count)), problem)
    labels = tuple(f"×{base**n}" if base == 10 else f"×16{'⁰¹²³'[n]}" for n in range(dial.count))
    # The switch of the highest place stands first.
    return Dialled(dial.kind, tuple(reversed(positions)), tuple(reversed(labels)), problem)
