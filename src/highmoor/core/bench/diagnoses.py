"""What was wrong on the bench, and when: each diagnosis from when it came until it went."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from highmoor.core.networks.diagnosis import Diagnosis

_GONE_AT_MOST = 100


@dataclass(slots=True)
class Noted:
    """A diagnosis of a station, s since the start; `went_s` None while it lasts. Its words are those it had last."""

    station: str
    diagnosis: Diagnosis
    came_s: float
    went_s: float | None = None


@dataclass(slots=True)
class DiagnosisLog:
    """Those that last, and the last of those that went."""

    lasting: dict[tuple[str, str], Noted] = field(default_factory=dict)
    gone: list[Noted] = field(default_factory=list)

    def now(self, seconds: float, station: str, told: Sequence[Diagnosis]) -> list[Noted]:
        """What a station tells at a moment, each with when it came."""
        keys = {one.key for one in told}
        for key in [key for key in self.lasting if key[0] == station and key[1] not in keys]:
            noted = self.lasting.pop(key)
            noted.went_s = seconds
            self.gone = [*self.gone[-_GONE_AT_MOST + 1 :], noted]
        for one in told:
            noted = self.lasting.setdefault((station, one.key), Noted(station, one, seconds))
            noted.diagnosis = one
        return [self.lasting[station, one.key] for one in told]
