"""What a reader answers: who made it, the devices described, and every problem with its line."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import HighmoorError

Severity = Literal["error", "warning", "note"]
PROBLEMS_AT_MOST = 200


class Unreadable(HighmoorError):
    """A file that is refused as a whole; the message says why and, where one is known, the line."""

    def __init__(self, reason: str, line: int = 0) -> None:
        super().__init__(reason)
        self.reason = reason
        self.line = line


@dataclass(frozen=True, slots=True)
class Problem:
    """Something wrong in a file. Lines count from 1; 0 is the file as a whole."""

    line: int
    severity: Severity
    text: str


@dataclass(frozen=True, slots=True)
class UnknownEntry:
    """Something in the file that the reader has no use for; kept and listed with its fields, never refused."""

    line: int
    section: str
    key: str
    fields: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Vendor:
    """A maker by id (as the file's own standard counts; None where it has none) and name."""

    id: int | None
    name: str


@dataclass(frozen=True, slots=True)
class Description:
    """A description file as read. `family` is its kind; `revision` the file's own, not a device's."""

    family: str
    vendor: Vendor
    devices: tuple[DeviceType, ...]
    problems: tuple[Problem, ...]
    unknown: tuple[UnknownEntry, ...] = ()
    file_revision: str = ""
    encoding: str = ""


@dataclass(slots=True)
class Problems:
    """Collects problems, but not without bound: a damaged file must not answer with a million lines."""

    found: list[Problem] = field(default_factory=list)
    left_out: int = 0

    def add(self, line: int, severity: Severity, text: str) -> None:
        """Note a problem; beyond the bound it is only counted."""
        if len(self.found) < PROBLEMS_AT_MOST:
            self.found.append(Problem(line, severity, text))
        else:
            self.left_out += 1

    def error(self, line: int, text: str) -> None:
        """What is lost or unusable because of this line."""
        self.add(line, "error", text)

    def warning(self, line: int, text: str) -> None:
        """What was read another way than it is written."""
        self.add(line, "warning", text)

    def note(self, line: int, text: str) -> None:
        """What is worth knowing and harms nothing."""
        self.add(line, "note", text)

    @property
    def count(self) -> int:
        """How many there are, those beyond the bound as well."""
        return len(self.found) + self.left_out

    def all(self) -> tuple[Problem, ...]:
        """By line, with a last line for what was left out."""
        ordered = sorted(self.found, key=lambda problem: problem.line)
        if self.left_out:
            ordered.append(Problem(0, "note", f"{self.left_out} more problems are not listed."))
        return tuple(ordered)
