"""A pulse output with a stepping motor behind its driver: it counts its pulses, and nobody counts the steps."""

from __future__ import annotations

from dataclasses import dataclass
from math import inf

from highmoor.core.bench.axes.word_drive import WordDrive


@dataclass(frozen=True, slots=True)
class Steps:
    """What bounds a stepping axis: pulses the output gives and the driver sees, Hz; up to where it starts with its load
    at once, Hz; its torque standing, and at a speed in 1/min, Nm. What is not known bounds nothing."""

    most_hz: float = inf
    seen_hz: float = inf
    starts_hz: float = inf
    hold_nm: float = inf
    at_rpm: float = inf
    torque_nm: float = inf

    def torque(self, rpm: float) -> float:
        """How much it can give at a speed, falling evenly from standing on."""
        if self.hold_nm == inf or self.torque_nm == inf or self.at_rpm == inf:
            return self.hold_nm
        return max(self.hold_nm - (self.hold_nm - self.torque_nm) * rpm / self.at_rpm, 0.0)


@dataclass(slots=True)
class StepperDrive(WordDrive):
    """It goes by pulses, and the load with it as long as the rotor holds on to them.

    A jump of frequency beyond its start-stop frequency, or more torque than it has, throws it out: it stands and hums
    until pulses come slowly enough for it to start again. What it lost nothing tells.
    """

    steps: Steps = Steps()
    lost: float = 0.0
    _thrown: bool = False
    _hz: float = 0.0
    _was: float = 0.0

    def __post_init__(self) -> None:
        WordDrive.__post_init__(self)
        self._was = self.wanted.at

    @property
    def shown(self) -> float:
        """The pulses that it gave."""
        return self.wanted.at

    @property
    def shown_speed(self) -> float:
        return self.wanted.speed

    def hold(self, dt: float) -> None:
        """On by the pulses of a step."""
        facts, machine = self.facts, self.machine
        moved, self._was = self.wanted.at - self._was, self.wanted.at
        hz = abs(self.wanted.speed * facts.counts)
        rate = (self.wanted.speed - machine.speed * facts.a_turn / machine.build.way) / dt if not self._thrown else 0.0
        self._thrown = self._out_of_step(hz, rate)
        self._hz = hz
        if self._thrown:
            self.lost += abs(moved * facts.counts)
            machine.halt()
            return
        stuck = machine.carry(moved * machine.build.way / facts.a_turn, dt)
        self.lost += abs(stuck * facts.counts)

    def _begin_anew(self, moved: float) -> None:
        self.wanted.at += moved
        self._was += moved

    def _out_of_step(self, hz: float, rate: float) -> bool:
        steps, mechanics = self.steps, self.machine.build.mechanics
        if hz > steps.seen_hz:
            return True
        if self._thrown:
            return hz > steps.starts_hz
        way = -1 if self.wanted.speed < 0 else 1
        rpm = abs(self.wanted.speed / self.facts.a_turn) * 60
        torque = mechanics.torque(way, rate * self.machine.build.si) if hz else mechanics.hold
        return hz - self._hz > steps.starts_hz or abs(torque) > steps.torque(rpm)

    def release(self, dt: float) -> None:
        """Without current nothing holds the rotor; the count stands."""
        self.machine.coast(dt)
        self.wanted.speed, self._hz, self._thrown, self._was = 0.0, 0.0, False, self.wanted.at
