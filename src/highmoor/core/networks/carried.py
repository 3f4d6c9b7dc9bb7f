"""A stretch of a station's data, in octets of what its modules give or take."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Area = Literal["in", "out"]
AREAS: tuple[Area, Area] = ("in", "out")


@dataclass(frozen=True, slots=True)
class Carried:
    """The stretch of a modular station's data that an exchange carries, in octets of what its modules give or take."""

    area: Area
    first: int
    octets: int

    @property
    def end(self) -> int:
        """The first octet behind it."""
        return self.first + self.octets
