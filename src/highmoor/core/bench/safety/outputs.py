"""Safe outputs and what they switch."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from highmoor.core.bench.clock import VirtualClock

# What a contact takes to be closed again where its part does not say, ns.
_DROP_OUT_NS = 20_000_000
_LOOKS_NS = 2_000_000


@dataclass(slots=True)
class OutputChannels:
    """The pairs of a safe output module by key: on as long as the safe part says so and is heard.

    Once it was not heard in time all stay off until somebody acknowledges (`held`).
    """

    clock: VirtualClock
    worst: int
    switched: Callable[[str, bool], None]
    by_hand: bool = True
    on: dict[str, bool] = field(default_factory=dict)
    held: bool = False
    heard_again: bool = False
    _wanted: dict[str, bool] = field(default_factory=dict)

    def hear(self, wanted: dict[str, bool]) -> None:
        """A safe telegram."""
        self._wanted, self.heard_again = dict(wanted), True
        self.held = self.held and self.by_hand
        self._switch()

    def late(self) -> None:
        """None came in time."""
        self.held, self.heard_again = True, False
        self._switch()

    def acknowledge(self) -> None:
        """By hand: counts once it is heard again."""
        if self.held and self.heard_again:
            self.held = False
            self._switch()

    def _switch(self) -> None:
        given = {key: on and not self.held for key, on in self._wanted.items()}
        self.clock.at(self.clock.now_ns + self.worst, lambda: self._give(given), 3)

    def _give(self, given: dict[str, bool]) -> None:
        for key, on in given.items():
            if self.on.get(key, False) != on:
                self.on[key] = on
                self.switched(key, on)


@dataclass(slots=True)
class Actuator:
    """What an output switches: without it the movement has no supply, `worst` ns later, and after `delay` where the
    drive brakes before that. Its feedback contact is closed `drop_out` after, unless it is welded.
    """

    clock: VirtualClock
    worst: int
    delay: int = 0
    drop_out: int = _DROP_OUT_NS
    welded: bool = False
    # Called with whether the movement has its supply, and with whether the feedback contact is closed.
    supply: Callable[[bool], None] = lambda on: None
    brakes: Callable[[], None] = lambda: None
    feedback: Callable[[bool], None] = lambda closed: None
    # Whether the movement stands, where the supply goes as soon as it does (SS1-r) and not only after the delay.
    stands: Callable[[], bool] = lambda: False
    supplied: bool = False
    # When that last changed, ns.
    since: int = 0
    _wanted: bool = False

    def switch(self, on: bool) -> None:
        """What comes from the output."""
        self._wanted = on
        now = self.clock.now_ns
        if not on and self.delay:
            self.clock.at(now + self.worst, self._brake, 3)
        self.clock.at(now + self.worst + (0 if on else self.delay), lambda: self._act(on), 3)

    def _brake(self) -> None:
        if not self._wanted:
            self.brakes()
            self._ramp_down()

    def _ramp_down(self) -> None:
        """On its ramp: looked at again and again until it stands, or its delay has run out."""
        if self._wanted or not self.supplied:
            return
        if self.stands():
            self._act(on=False)
        else:
            self.clock.at(self.clock.now_ns + _LOOKS_NS, self._ramp_down, 3)

    def _act(self, on: bool) -> None:
        if on != self._wanted or on == self.supplied or (self.welded and not on):
            return
        self.supplied, self.since = on, self.clock.now_ns
        self.supply(on)
        if on:
            self.feedback(False)
        else:
            self.clock.at(self.clock.now_ns + self.drop_out, lambda: self._dropped(self.since), 3)

    def _dropped(self, since: int) -> None:
        if self.since == since and not self.supplied:
            self.feedback(True)
