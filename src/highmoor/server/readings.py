"""Readings under way, so that whoever began one can stop it; few at a time, the next one is told to wait."""

from __future__ import annotations

from threading import Lock

from highmoor.core.errors import Refusal
from highmoor.intake.reading import ReadFile, Reading

_AT_MOST = 4


class Readings:
    """Readings by user and the name their browser gave them."""

    def __init__(self) -> None:
        self._running: dict[tuple[int, str], Reading] = {}
        self._guard = Lock()

    def read(self, user: int, name: str, octets: bytes, file: str) -> list[ReadFile]:
        """Read to the end. Raises Refusal when too many are under way already."""
        reading = Reading(octets, file)
        with self._guard:
            if len(self._running) >= _AT_MOST:
                raise Refusal("Several files are being read already; try again in a moment.")
            self._running[user, name] = reading
        try:
            return reading.run()
        finally:
            with self._guard:
                self._running.pop((user, name), None)

    def stop(self, user: int, name: str) -> bool:
        """Stop a reading; False when it is not there (any more)."""
        with self._guard:
            reading = self._running.get((user, name))
        if reading is None:
            return False
        reading.stop()
        return True


READINGS = Readings()
