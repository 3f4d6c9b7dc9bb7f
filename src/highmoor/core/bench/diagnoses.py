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
    """Those that last, by station and key, and the last of those that went."""

    lasting: dict[str, dict[str, Noted]] = field(default_factory=dict)
    gone: list[Noted] = field(default_factory=list)

    def now(self, seconds: float, station: str, told: Sequence[Diagnosis]) -> list[Noted]:
        """What a station tells at a moment, each with when it came."""
        before = self.lasting.get(station, {})
        now: dict[str, Noted] = {}
        for one in told:
            now[one.key] = before.get(one.key) or Noted(station, one, seconds)
            now[one.key].diagnosis = one
        for noted in (noted for key, noted in before.items() if key not in now):
            noted.went_s = seconds
            self.gone = [*self.gone[-_GONE_AT_MOST + 1 :], noted]
        self.lasting[station] = now
        return list(now.values())
