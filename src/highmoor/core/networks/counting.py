"""How the places of an exchange are counted and named: by registers, octets or bits, and from which end their bits.

A place's key is a letter, a unit's number, and for a single bit a point and its number: `r4`, `r4.7`, `o12.3`, `b9`.
The letters f and w stand before keys and begin none (`signals/at.py`).
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

_KEY = re.compile(r"([a-eg-vx-z])(\d{1,5})(?:\.(\d{1,2}))?")


@dataclass(frozen=True, slots=True)
class UnitKey:
    """A key taken apart: its letter, the unit's number, a bit of it (None for all of it)."""

    letter: str
    unit: int
    bit: int | None

    @classmethod
    def of(cls, key: str) -> UnitKey | None:
        """None for what is no such key."""
        found = _KEY.fullmatch(key)
        return cls(found[1], int(found[2]), None if found[3] is None else int(found[3])) if found else None

    @property
    def text(self) -> str:
        """The key."""
        return f"{self.letter}{self.unit}" + ("" if self.bit is None else f".{self.bit}")


@dataclass(frozen=True, slots=True)
class Counting:
    """Units of so many bits by a letter. Bits are counted from the lowest of the first octet (CIP volume 1, C-6), or
    with `from_last` of the last (a register's high octet travels first). With `every` any unit can be named."""

    letter: str
    bits: int
    from_last: bool = False
    every: bool = False

    def key(self, unit: int) -> str:
        """A unit's key."""
        return f"{self.letter}{unit}"

    def offset(self, bit: int, bits: int) -> int:
        """Where bit number `bit` of a value of so many bits lies, from the value's first bit as it travels."""
        if not self.from_last or bits % 8:
            return bit
        return 8 * (bits // 8 - 1 - bit // 8) + bit % 8

    def bit_key(self, at: int) -> str:
        """The key of the single bit that travels at an offset from the exchange's beginning."""
        unit, within = divmod(at, self.bits)
        # From either end it is counted the same way back.
        return self.key(unit) if self.bits == 1 else UnitKey(self.letter, unit, self.offset(within, self.bits)).text

    def taken(self, bits: int) -> int:
        """How many units a value takes."""
        return max(1, -(-bits // self.bits))


COILS = Counting("b", 1)
REGISTERS = Counting("r", 16, from_last=True)
OCTETS = Counting("o", 8, every=True)
OCTETS_FROM_LAST = Counting("o", 8, from_last=True, every=True)
# Of a module that has both: what it gives, what it takes.
MODULE_OCTETS: dict[Literal["in", "out"], Counting] = {
    "in": Counting("i", 8, from_last=True, every=True), "out": Counting("q", 8, from_last=True, every=True),
}  # fmt: skip
