"""Switches on a device by which its address is set: how they have to stand."""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.catalogue.types import Dial


@dataclass(frozen=True, slots=True)
class Dialled:
    """A device's switches in the order they stand; rotary ones by the digit they show, DIP ones 1 for on.

    `labels` are what is printed beside them; `problem` is why they cannot be set so.
    """

    kind: str
    positions: tuple[int, ...]
    labels: tuple[str, ...]
    problem: str = ""


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
