"""What the safe part decides each time it runs: which functions are good, which outputs may be on.

Sources: PLCopen Safety, part 1, SF_EmergencyStop, SF_GuardMonitoring, SF_ESPE, SF_EDM, SF_OutControl; ISO 13849-1:2015,
5.2.2 (manual reset).
"""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(slots=True)
class ResetButton:
    """A button that resets as it is let go, if all of its press was seen, and all was good meanwhile.

    Held at power-up, stuck, or pressed during a demand it resets nothing.
    """

    _was: bool = True
    _counts: bool = False

    def pulse(self, pressed: bool, good: bool) -> bool:
        """Whether it resets in this run; `good` is that no demand lasts."""
        rose, fell = pressed and not self._was, self._was and not pressed
        self._was = pressed
        resets = fell and self._counts and good
        self._counts = good and (rose or (self._counts and pressed))
        return resets


@dataclass(slots=True)
class FunctionState:
    """A function of any number of sensors: released while all are good, and after a demand once it is reset.

    `by_hand`: it stays off until reset, also after power-up; else it is on with its sensors.
    """

    by_hand: bool = True
    good: bool = False
    released: bool = False
    _button: ResetButton = field(default_factory=ResetButton)

    def run(self, good: bool, reset: bool) -> bool:
        """One run with what the sensors and the button say. True where it was just reset."""
        self.good = good
        pulse = self._button.pulse(reset, good)
        self.released = good and (self.released or not self.by_hand or pulse)
        return pulse


@dataclass(slots=True)
class Feedback:
    """The contact that shows that an actuator has dropped out: closed while it is off. Times in ms.

    On or off, it has to follow within `within_ms`; what does not is a fault, and stays one until it is reset.
    """

    within_ms: float
    fault: bool = False
    _differs_since: float | None = None

    @property
    def waits(self) -> bool:
        """Whether it has yet to follow, in its time or beyond it."""
        return self._differs_since is not None

    def run(self, now_ms: float, on: bool, closed: bool, reset: bool) -> None:
        """One run: what was switched, and what the contact says."""
        follows = closed != on
        if follows:
            self._differs_since = None
            self.fault = self.fault and not reset
        elif self._differs_since is None:
            self._differs_since = now_ms
        elif now_ms - self._differs_since > self.within_ms:
            self.fault = True


@dataclass(slots=True)
class OutputState:
    """An output that several functions hold: on while all of them release it and it was started.

    `waits` is that it needs a start: a rise of it after everything is good. Without one it follows the functions.
    A stop takes it off, a reset never puts it on.
    """

    waits: bool = False
    on: bool = False
    _start_was: bool = True

    def run(self, may: bool, start: bool, stop: bool) -> None:
        """One run: `may` is that all functions release it and no feedback is missing."""
        rose = start and not self._start_was
        self._start_was = start
        if not may or stop:
            self.on = False
        elif not self.waits or rose:
            self.on = True
