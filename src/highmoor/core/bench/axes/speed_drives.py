"""Drives that are told a speed: of CIP's AC/DC drive profile, and of PROFIdrive; and positioning by PROFIdrive."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from highmoor.core.bench.axes.powered import LINK_LOST, Powered

_AT_SPEED = 0.02


@dataclass(slots=True)
class _SpeedDrive(Powered):
    """What turns at a speed that it ramps to, and lets go once it stands."""

    _on: bool = False
    _goal: float = 0.0
    _drives: bool = False

    @property
    def powered(self) -> bool:
        return self._drives

    def release(self, dt: float) -> None:
        self._on, self._drives = False, False
        Powered.release(self, dt)

    def _turn(self, goal: float, dt: float, *, on: bool) -> None:
        """Towards a speed; to a stand where it is not on."""
        self._on, self._goal = on, goal if on else 0.0
        if not on and not self.wanted.speed and not self.machine.speed:
            self.release(dt)
            return
        self._drives = True
        most = self.facts.speed
        self.wanted.at_speed(min(max(self._goal, -most), most), self._rate, dt)
        self.hold(dt)

    @property
    def _rate(self) -> float:
        return self.facts.rate

    @property
    def _reached(self) -> bool:
        return self._on and abs(self.shown_speed - self._goal) <= _AT_SPEED * self.facts.speed


# CIP volume 1, 5-29, control supervisor, attribute 6.
_READY, _ENABLED, _STOPPING, _FAULTED = 3, 4, 5, 7


@dataclass(slots=True)
class CipSpeedDrive(_SpeedDrive):
    """CIP volume 1, AC/DC drive: runs as long as it is told to, forward or back; without its connection it faults."""

    _reset: int = 0

    def step(self, dt: float, now_s: float, *, alive: bool) -> None:
        taken, before = self.words.look(), self.machine.position
        run, back, reset = (self.words.get(role) for role in ("run", "run_back", "reset"))
        if not alive and self.powered:
            self.fault = LINK_LOST
        if reset and not self._reset:
            self.fault = 0
        self._reset = reset
        on = run != back and not self.fault
        speed = self.words.get("target_speed") / self.facts.speed_counts
        self._turn(-speed if back else speed, dt, on=on)
        self._tell()
        self._settle(taken, before, more=self._drives and not self._on)

    def _tell(self) -> None:
        put, turned = self.words.put, self.shown_speed * self.facts.speed_counts
        state = _FAULTED if self.fault else _ENABLED if self._on else _STOPPING if self.powered else _READY
        put("fault", self.fault != 0)
        put("running", self.powered and turned >= 0)
        put("running_back", self.powered and turned < 0)
        put("ready", not self.fault)
        put("at_speed", self._reached)
        put("state", state)
        put("speed", turned)
        self.words.tell()


State = Literal["S1", "S2", "S3", "S4", "S5"]
# IEC 61800-7-203, STW1: on, no coast stop, no quick stop, enabled, acknowledge a fault, control by PLC.
_ON, _NO_COAST, _NO_QUICK, _ENABLE, _ACKNOWLEDGE, _PLC = 1, 1 << 1, 1 << 2, 1 << 3, 1 << 7, 1 << 10
# ZSW1: bits 0 to 2 and 6 by the state; fault, set-point reached, and that control is asked for.
_STATES: dict[State, int] = {"S1": 0x40, "S2": 0x01, "S3": 0x03, "S4": 0x07, "S5": 0x03}
_FAULT, _WITHIN, _ASKS, _REACHED = 1 << 3, 1 << 8, 1 << 9, 1 << 10


@dataclass(slots=True)
class ProfidriveDrive(_SpeedDrive):
    """IEC 61800-7-203: general state machine, speed set-points (telegram 1)."""

    state: State = "S1"
    _control: int = 0
    _quick: bool = False

    def step(self, dt: float, now_s: float, *, alive: bool) -> None:
        taken, before, was = self.words.look(), self.machine.position, self.state
        control = self.words.get("control")
        if not control & _PLC:
            # Nobody says that it commands: what stood before goes on.
            control = self._control
        if not alive and self.powered:
            self.fault = LINK_LOST
        if control & ~self._control & _ACKNOWLEDGE:
            self.fault = 0
        self._states(control)
        self._move(control, dt)
        self._tell(control)
        self._control = control
        self._settle(taken, before, more=self.state != was or self.state == "S5")

    def _states(self, control: int) -> None:
        on, enabled = control & _ON, control & _ENABLE
        if self.fault or not control & _NO_COAST:
            self.state, self._quick = "S1", False
        elif not control & _NO_QUICK:
            self.state, self._quick = ("S5", True) if self.state in ("S4", "S5") and self.powered else ("S1", False)
        elif self.state == "S1":
            self.state = "S1" if on else "S2"
        elif self.state == "S2":
            self.state = "S3" if on else "S2"
        elif self.state == "S3":
            self.state = "S2" if not on else "S4" if enabled else "S3"
        elif self.state == "S4":
            self.state = "S5" if not on else "S4" if enabled else "S3"
        elif on and not self._quick:
            self.state = "S4"
        elif not self.powered:
            self.state, self._quick = ("S1" if self._quick else "S2"), False

    @property
    def _rate(self) -> float:
        return self.facts.quick if self._quick else self.facts.rate

    def _move(self, control: int, dt: float) -> None:
        goal = self.words.get("target_speed") / self.facts.speed_counts
        if self.state == "S4":
            self._turn(goal, dt, on=True)
        elif self.state == "S5":
            self._turn(0.0, dt, on=False)
        else:
            self.release(dt)

    def _status(self, control: int) -> int:
        passed = (control & (_NO_COAST | _NO_QUICK)) << 3
        return _STATES[self.state] | passed | _ASKS | (_FAULT if self.fault else 0)

    def _tell(self, control: int) -> None:
        near = _WITHIN | _REACHED if self._reached else 0
        self.words.put("status", self._status(control) | near)
        self.words.put("speed", self.shown_speed * self.facts.speed_counts)
        self.words.tell()


# STW1 of positioning: do not reject the task, do not stop in between, begin it. MDI_MOD: to a position.
_NO_REJECT, _NO_HALT, _BEGIN, _TO = 1 << 4, 1 << 5, 1 << 6, 1
_THERE, _SEEN, _STANDS = 1 << 10, 1 << 12, 1 << 13
_ALL = 0x4000


@dataclass(slots=True)
class MdiDrive(ProfidriveDrive):
    """IEC 61800-7-203, positioning: a target that comes with the telegram (telegram 9) is gone to by itself."""

    _to: float = 0.0
    _going: bool = False

    @property
    def powered(self) -> bool:
        return self.state in ("S4", "S5")

    def _move(self, control: int, dt: float) -> None:
        if not self.powered:
            self._going = False
            self.release(dt)
            return
        counts = self.facts.counts
        if control & ~self._control & _BEGIN and self.state == "S4":
            to = self.words.get("target") / counts
            self._to = to if self.words.get("mdi_mode") & _TO else self.wanted.at + to
            self._going = True
        self._going = self._going and bool(control & _NO_REJECT) and self.state == "S4"
        held_back = not control & _NO_HALT or self.stopped_by_limit(self._to - self.wanted.at)
        if self._going and not held_back:
            speed = min(abs(self.words.get("target_speed") / counts) or self.facts.speed, self.facts.speed)
            share = self.words.get("rate") / _ALL or 1
            self.wanted.towards(self._to, speed, self.facts.rate * min(share, 1), dt)
            self._going = self.wanted.at != self._to
        else:
            self.wanted.at_speed(0.0, self._rate, dt)
        self.hold(dt)

    def _states(self, control: int) -> None:
        ProfidriveDrive._states(self, control)
        if self.state == "S5" and self.wanted.speed == 0 and not control & _ON:
            self.state = "S1" if self._quick else "S2"

    def _tell(self, control: int) -> None:
        stands = self.wanted.speed == 0
        there = not self._going and abs(self.shown - self._to) <= self.facts.window
        status = self._status(control) | (_THERE if there else 0) | (_STANDS if stands else 0)
        self.words.put("status", status | (_SEEN if control & _BEGIN else 0))
        self.words.put("position", self.shown * self.facts.counts)
        self.words.tell()
