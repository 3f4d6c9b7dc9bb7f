"""Modbus reference numbers: area digit and 1-based number, against the 0-based address of the protocol.

Source: Modbus Application Protocol 1.1b3, 4.3 and 4.4.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from highmoor.core.errors import Refusal

AREAS = {0: "coils", 1: "discrete inputs", 3: "input registers", 4: "holding registers"}


@dataclass(frozen=True, slots=True)
class Reference:
    """A place in one of the four areas: `number` 1–65536 as manuals count, `address` as the protocol counts."""

    area: int
    number: int

    @property
    def address(self) -> int:
        """0-based protocol address."""
        return self.number - 1

    @property
    def text(self) -> str:
        """Five digits while they reach, six beyond."""
        return f"{self.area}{self.number:04}" if self.number <= 9999 else f"{self.area}{self.number:05}"


def parse_reference(text: str) -> Reference:
    """A reference of exactly five or six decimal digits. Raises Refusal for anything else."""
    if not re.fullmatch(r"[0-9]{5,6}", text):
        raise Refusal(
            f"“{text[:40]}” is not a reference: exactly five or six decimal digits are needed.", value=text[:40]
        )
    area, count = int(text[0]), int(text[1:])
    if area not in AREAS:
        raise Refusal(f"“{text}” begins with {area}: the areas are 0, 1, 3 and 4.", value=text)
    if not 1 <= count <= 65536:
        raise Refusal(f"“{text}” counts {count}: references run from 1 to 65536 within an area.", value=text)
    return Reference(area, count)
