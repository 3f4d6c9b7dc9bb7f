"""Readings under way, so that whoever began one can stop it; few at a time, the next one is told to wait."""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock
from typing import TypeVar

from highmoor.core.errors import Refusal
from highmoor.core.project.signal_tables.declared_text import DeclaredText
from highmoor.intake.reading import ReadFile, Reading
from highmoor.intake.sheets import Sheet

_AT_MOST = 4
_T = TypeVar("_T")


class Readings:
    """Readings by user and the name their browser gave them."""

    def __init__(self) -> None:
        self._running: dict[int, tuple[int, str, Reading]] = {}
        self._count = 0
        self._guard = Lock()

    def read(self, user: int, name: str, octets: bytes, file: str) -> list[ReadFile]:
        """Read description files to the end. Raises Refusal when too many are under way already."""
        return self._through(user, name, Reading(octets, file), Reading.run)

    def table(self, user: int, name: str, octets: bytes, file: str) -> Sheet:
        """Read a table to the end. Raises Refusal for what is none, and when too many are under way already."""
        return self._through(user, name, Reading(octets, file), Reading.table)

    def signals(self, user: int, name: str, octets: bytes, file: str) -> Sheet | DeclaredText:
        """Read a table of signals, or declarations, to the end. Raises Refusal as `table` does."""
        return self._through(user, name, Reading(octets, file), Reading.signals)

    def _through(self, user: int, name: str, reading: Reading, read: Callable[[Reading], _T]) -> _T:
        with self._guard:
            if len(self._running) >= _AT_MOST:
                raise Refusal("Several files are being read already; try again in a moment.")
            self._count += 1
            # By a number of our own: two readings that a browser calls the same are two children.
            number = self._count
            self._running[number] = (user, name, reading)
        try:
            return read(reading)
        finally:
            with self._guard:
                self._running.pop(number, None)

    def stop(self, user: int, name: str) -> bool:
        """Stop the readings of this name; False when there is none (any more)."""
        with self._guard:
            found = [reading for whose, called, reading in self._running.values() if (whose, called) == (user, name)]
        for reading in found:
            reading.stop()
        return bool(found)


READINGS = Readings()
