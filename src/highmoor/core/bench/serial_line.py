"""An RS-485 line on the bench: whoever is on it hears every frame, and may spoil it for others.

An end without its resistor reflects, which at rates above 19 200 bit/s damages octets now and then; so does noise. Two
that speak at once collide, whoever they are.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from random import Random

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.rail import NS_A_MS
from highmoor.core.networks.media import Coding, Heard

_REFLECTS_ABOVE = 19_200
# Chance that an octet is damaged by reflection from one open end, at 115 200 bit/s.
_REFLECTION = 0.004


@dataclass(slots=True, eq=False)
class _Sending:
    """What is on the line: octets that began together or into one another, from whom, until when (ns)."""

    octets: bytes
    on: Coding
    begun_ns: int
    end_ns: int
    senders: list[SerialEnd]


@dataclass(slots=True, eq=False)
class SerialLine:
    """A line with its ends in cable order; `noise` is the chance that an octet is damaged on its way.

    `taps` are called with when it began (ns) and the octets of whatever went over it.
    """

    clock: VirtualClock
    random: Random
    noise: float = 0.0
    ends: list[SerialEnd] = field(default_factory=list)
    taps: list[Callable[[int, bytes], None]] = field(default_factory=list)
    _sending: _Sending | None = None

    def attach(self, *, terminated: bool = False) -> SerialEnd:
        """One more participant, behind the others."""
        end = SerialEnd(self, terminated)
        self.ends.append(end)
        return end

    def detach(self, end: SerialEnd) -> None:
        """A participant is no more."""
        self.ends.remove(end)
        end.plugged = False

    @property
    def busy_until_ns(self) -> int:
        """When what is on the line now is over; 0 where nothing is."""
        return self._sending.end_ns if self._sending else 0

    def send(self, sender: SerialEnd, octets: bytes, on: Coding) -> int:
        """Octets onto the line now. Returns when the last one is out, ns."""
        now = self.clock.now_ns
        end_ns = now + _lasts_ns(on, len(octets))
        if not sender.plugged:
            return end_ns
        there = self._sending
        if there is None or there.end_ns <= now:
            there = self._sending = _Sending(octets, on, now, end_ns, [sender])
        else:
            # No two begin in the same moment: each further one is drawn an octet later.
            behind = max(round((now - there.begun_ns) / (on.octet_ms * NS_A_MS)), len(there.senders))
            there.octets = _together(there.octets, octets, behind)
            there.end_ns = max(there.end_ns, end_ns)
            there.senders.append(sender)
        self.clock.at(end_ns, lambda: self._over(there))
        return end_ns

    def _over(self, sent: _Sending) -> None:
        if self._sending is not sent or self.clock.now_ns < sent.end_ns:
            return
        self._sending = None
        # A cable pulled meanwhile takes the octets with it.
        if not any(sender.plugged for sender in sent.senders):
            return
        for tap in self.taps:
            tap(sent.begun_ns, sent.octets)
        told = "" if len(sent.senders) == 1 else f"{len(sent.senders)} devices speak at once"
        self.deliver(sent.octets, sent.on, told, sent.senders)

    def deliver(self, sent: bytes, on: Coding, told: str, senders: Sequence[SerialEnd]) -> None:
        """To everybody else, each with what is damaged on its way."""
        whole, chance = Heard(sent, on, told), self.noise + self._reflection(on)
        for end in [e for e in self.ends if e.plugged and e not in senders]:
            end.hears(Heard(self.damaged(sent, chance), on, told) if chance else whole)

    def damaged(self, octets: bytes, chance: float) -> bytes:
        """Octets of which each is damaged with a chance, in one bit."""
        return bytes(o ^ 1 << self.random.randrange(8) if self.random.random() < chance else o for o in octets)

    def _reflection(self, on: Coding) -> float:
        if on.baud <= _REFLECTS_ABOVE or len(self.ends) < 2:
            return 0.0
        open_ends = (not self.ends[0].terminated) + (not self.ends[-1].terminated)
        return open_ends * _REFLECTION * on.baud / 115_200


@dataclass(slots=True, eq=False)
class SerialEnd:
    """One participant of a line; see `networks.media.LineEnd`."""

    line: SerialLine
    terminated: bool = False
    plugged: bool = True
    hears: Callable[[Heard], None] = lambda _: None

    def on(self, heard: Callable[[Heard], None]) -> None:
        """What takes what is heard."""
        self.hears = heard

    def transmit(self, octets: bytes, on: Coding) -> int:
        """Send octets now. Returns when the last one is out, ns."""
        return self.line.send(self, octets, on)


@lru_cache(maxsize=1024)
def _lasts_ns(on: Coding, octets: int) -> int:
    return round(octets * on.octet_ms * NS_A_MS)


def _together(one: bytes, other: bytes, behind: int) -> bytes:
    """What a line carries while two drive it: where they differ, the low level wins."""
    other = b"\xff" * behind + other
    longest = max(len(one), len(other))
    return bytes(a & b for a, b in zip(one.ljust(longest, b"\xff"), other.ljust(longest, b"\xff"), strict=True))
