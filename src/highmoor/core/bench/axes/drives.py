"""Drives as their profiles have them: what they do with the words they take, and what they give."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Protocol

from highmoor.core.bench.axes.machine import Machine
from highmoor.core.bench.axes.path import Follower, Ramp
from highmoor.core.bench.axes.words import DeviceWords


@dataclass(frozen=True, slots=True)
class Facts:
    """What is set in a drive, in the axis's unit and s: counts a unit and the way of a motor turn (both turned round
    where its motor is), gain 1/s, the following error it allows (None: any), in position within, its own highest speed
    and its ramp."""

    counts: float
    a_turn: float
    gain: float
    following: float | None
    window: float
    speed: float
    rate: float


class Drive(Protocol):
    """A drive in its steps."""

    fault: int

    def step(self, dt: float, now_s: float, *, alive: bool) -> None:
        """On by a step; `alive` is whether its controller still exchanges with it."""

    @property
    def settled(self) -> bool:
        """Whether nothing changes until something else is taken."""

    @property
    def idle(self) -> bool:
        """Whether a further step would change nothing as long as nothing else comes."""

    @property
    def powered(self) -> bool:
        """Whether the motor holds the load."""


# What is told of a fault (CiA 402-2 error codes).
FOLLOWING_ERROR, OVERLOAD, LINK_LOST = 0x8611, 0x2310, 0x8100
_OVERLOAD_S = 0.3
_COUNT = 0.5
_READY, _ON, _ENABLED, _QUICK, _FAULT, _DISABLED = 0x0231, 0x0233, 0x0237, 0x0217, 0x0218, 0x0250
_REACHED, _LIMIT, _ACK = 1 << 10, 1 << 11, 1 << 12


@dataclass(slots=True)
class _Powered:
    """What all drives share: a position loop that brings the machine to where they want it, and what makes a fault."""

    facts: Facts
    machine: Machine
    words: DeviceWords
    # The position at which the drive began to count.
    zero: float
    fault: int = 0
    # What it had taken when its last step changed nothing, None while steps do.
    _settled: tuple[bytes, ...] | None = None
    wanted: Ramp = field(init=False)

    def __post_init__(self) -> None:
        self.wanted = Ramp(self.machine.position)

    @property
    def shown(self) -> float:
        """The position as the drive has it: what its encoder counts is right only with the chain that is set."""
        return self.zero + self.machine.motor * self.facts.a_turn

    @property
    def shown_speed(self) -> float:
        """The speed as the drive has it."""
        return self.machine.speed * self.facts.a_turn / self.machine.build.way

    @property
    def _crawl(self) -> float:
        """A speed at which a count takes longer than the loop."""
        return abs(self.facts.gain / self.facts.counts)

    def hold(self, dt: float) -> None:
        """The loop: speed as much as the gain makes of the error."""
        error = self.wanted.at - self.shown
        if not self.wanted.speed and abs(error * self.facts.counts) < _COUNT and abs(self.machine.speed) <= self._crawl:
            # Within a count an encoder sees nothing more.
            self.machine.rest()
            return
        self.machine.drive(error * self.facts.gain * self.machine.build.way / self.facts.a_turn, dt)
        if self.facts.following is not None and abs(error) > self.facts.following:
            self.fault = FOLLOWING_ERROR
        elif self.machine.limited_s > _OVERLOAD_S:
            self.fault = OVERLOAD

    def _settle(self, taken: tuple[bytes, ...], before: float) -> None:
        """After a step: whether the next one would change nothing, as long as the same is taken."""
        still = self.machine.position == before and self.machine.speed == 0 and self.wanted.speed == 0
        self._settled = taken if still and (self.powered or self.machine.at_rest()) else None

    @property
    def settled(self) -> bool:
        """Whether nothing changes until something else is taken."""
        return self._settled is not None

    @property
    def idle(self) -> bool:
        """Whether a further step would change nothing: the same is taken as when the last one did not."""
        return self._settled is not None and self._settled == self.words.look()

    @property
    def powered(self) -> bool:
        """Whether the motor holds the load."""
        raise NotImplementedError

    def release(self, dt: float) -> None:
        """Without power the wanted position is where it is."""
        self.machine.coast(dt)
        self.wanted = Ramp(self.shown)

    def stopped_by_limit(self, wanted_speed: float) -> bool:
        """Whether a switch forbids going on this way; out again is allowed."""
        return (wanted_speed < 0 and self.machine.switch(0)) or (wanted_speed > 0 and self.machine.switch(1))

    def inputs(self) -> int:
        """CiA 402 60FDh: bit 0 the lower limit, bit 1 the upper."""
        return self.machine.switch(0) | self.machine.switch(1) << 1


@dataclass(slots=True)
class Cia402Drive(_Powered):
    """IEC 61800-7-201: states by the control word; cyclic positions (8), profile position (1), velocity (3)."""

    state: int = _DISABLED
    follower: Follower = field(init=False)
    _control: int = 0
    _target: float = 0.0
    _ack: bool = False
    _limit: bool = False
    _slowing: bool = False

    def __post_init__(self) -> None:
        _Powered.__post_init__(self)
        self.follower = Follower(self.wanted.at, self.wanted.at)
        self._target = self.wanted.at

    @property
    def powered(self) -> bool:
        return self.state in (_ENABLED, _QUICK)

    def step(self, dt: float, now_s: float, *, alive: bool) -> None:
        taken, before = self.words.look(), self.machine.position
        control, mode, target, target_speed = map(self.words.get, ("control", "mode", "target", "target_speed"))
        if not alive and self.state == _ENABLED:
            self.fault = LINK_LOST
        if self.fault and self.state != _FAULT:
            self.state, self._slowing = _FAULT, True
        self._states(control)
        if self.state in (_ENABLED, _QUICK):
            self._move(mode, target / self.facts.counts, target_speed / self.facts.counts, control, dt, now_s)
            self.hold(dt)
            if self.state == _QUICK and self.wanted.speed == 0:
                self.state = _DISABLED
        else:
            if not self._braked_down(dt):
                self.release(dt)
            self.follower = Follower(self.shown, self.shown)
            self._target, self._limit = self.shown, False
        self._tell(mode)
        self._control = control
        self._settle(taken, before)

    def _braked_down(self, dt: float) -> bool:
        """In fault it is braked as long as it moves, once; then the brake holds. Whether it still is braked."""
        slower = self.facts.rate * dt
        self._slowing = self.state == _FAULT and self._slowing and abs(self.machine.speed) > slower
        if self._slowing:
            self.wanted = Ramp(self.shown)
            self.machine.drive(self.machine.speed - slower * (1 if self.machine.speed > 0 else -1), dt)
        return self._slowing

    def _states(self, control: int) -> None:
        rising = control & ~self._control
        if self.state == _FAULT:
            if rising & 0x80:
                self.fault, self.state = 0, _DISABLED
            return
        if not control & 0x02:
            self.state = _DISABLED
        elif not control & 0x04:
            self.state = _QUICK if self.state == _ENABLED else self.state if self.state == _QUICK else _DISABLED
        elif self.state == _QUICK:
            return
        elif control & 0x0F == 0x0F:
            self.state = {_READY: _ON, _ON: _ENABLED, _ENABLED: _ENABLED}.get(self.state, self.state)
        elif control & 0x0F == 0x07:
            self.state = _ON if self.state in (_READY, _ON, _ENABLED) else self.state
        elif control & 0x07 == 0x06:
            self.state = _READY

    def _move(self, mode: int, target: float, speed: float, control: int, dt: float, now_s: float) -> None:
        halted = bool(control & 0x100) or self.state == _QUICK
        if halted:
            self.wanted.at_speed(0.0, self.facts.rate, dt)
            self.follower = Follower(self.wanted.at, target)
        elif mode == 8:
            self._follow(target, dt, now_s)
        elif mode == 3:
            wanted = 0.0 if self.stopped_by_limit(speed) else speed
            self._limit = wanted != speed
            self.wanted.at_speed(wanted, self.facts.rate, dt)
        elif mode == 1:
            self._set_point(control, target)
            way = self._target - self.wanted.at
            self._limit = self.stopped_by_limit(way)
            if self._limit:
                self.wanted.at_speed(0.0, self.facts.rate, dt)
            else:
                self.wanted.towards(self._target, self.facts.speed, self.facts.rate, dt)
        else:
            self.wanted.at_speed(0.0, self.facts.rate, dt)

    def _follow(self, target: float, dt: float, now_s: float) -> None:
        before = self.wanted.at
        way = target - before
        if self.stopped_by_limit(way):
            self._limit = True
            self.wanted.at_speed(0.0, self.facts.rate, dt)
            self.follower = Follower(self.wanted.at, target, now_s)
            return
        self._limit = False
        self.follower.step(target, now_s, dt)
        self.wanted.at, self.wanted.speed = self.follower.at, self.follower.speed

    def _set_point(self, control: int, target: float) -> None:
        """Bit 4 rising hands a target over; bit 12 stands as long as it does."""
        if control & ~self._control & 0x10:
            self._target = self.wanted.at + target if control & 0x40 else target
            self._ack = True
        elif not control & 0x10:
            self._ack = False

    def _tell(self, mode: int) -> None:
        status = self.state | (_LIMIT if self._limit else 0)
        if self.state == _ENABLED:
            near = abs(self.shown - (self._target if mode == 1 else self.follower.target)) <= self.facts.window
            status |= _REACHED if near and self.wanted.speed == 0 else 0
            status |= _ACK if (mode == 8 and not self._limit) or (mode == 1 and self._ack) else 0
        self.words.put("status", status)
        self.words.put("mode_shown", mode)
        self.words.put("position", self.shown * self.facts.counts)
        self.words.put("speed", self.shown_speed * self.facts.counts)
        self.words.put("inputs", self.inputs())
        self.words.tell()


@dataclass(slots=True)
class WordDrive(_Powered):
    """A drive of plain words: it is told where to go, says that it has seen the start, and goes there by itself."""

    homed: bool = False
    _on: bool = False
    _start: int = 0
    _home: int = 0
    _target: float = 0.0
    _moving: bool = False
    _speed: float = 0.0
    _rate: float = 0.0
    _TAKES = ("enable", "start", "relative", "home", "stop", "reset", "jog_plus", "jog_minus", "target",
              "target_speed", "rate", "set_position", "stored", "jog_speed")  # fmt: skip

    def __post_init__(self) -> None:
        _Powered.__post_init__(self)
        self._target = self.wanted.at

    @property
    def powered(self) -> bool:
        return self._on

    def step(self, dt: float, now_s: float, *, alive: bool) -> None:
        taken, before = self.words.look(), self.machine.position
        want = {role: self.words.get(role) for role in self._TAKES}
        if not alive and self._on:
            self.fault = LINK_LOST
        if self.fault and want["reset"]:
            self.fault = 0
        self._on = bool(want["enable"]) and not self.fault
        if self._on:
            self._commanded(want, dt)
            self.hold(dt)
        else:
            self._moving = False
            self.release(dt)
            self._target = self.shown
        self._start, self._home = want["start"], want["home"]
        self._tell(want)
        self._settle(taken, before)

    def _commanded(self, want: dict[str, int], dt: float) -> None:
        counts = self.facts.counts
        if want["home"] and not self._home:
            # Home is here: what the drive counts from now on begins at the position that is set.
            moved = want["set_position"] / counts - self.shown
            self.zero += moved
            self.wanted.at, self._target, self.homed = self.shown, self.shown, True
        if want["start"] and not self._start:
            to = want["target"] / counts
            self._target = self.wanted.at + to if want["relative"] else to
            self._speed = min(abs(want["target_speed"] / counts) or self.facts.speed, self.facts.speed)
            self._rate = min(abs(want["rate"] / counts) or self.facts.rate, self.facts.rate)
            self._moving = True
        jog = want["jog_plus"] - want["jog_minus"]
        if jog and not want["stop"]:
            speed = jog * min(abs(want["target_speed"] / counts) or self.facts.speed, self.facts.speed)
            self.wanted.at_speed(0.0 if self.stopped_by_limit(speed) else speed, self.facts.rate, dt)
            self._moving, self._target = False, self.wanted.at
        elif self._moving and not want["stop"] and not self.stopped_by_limit(self._target - self.wanted.at):
            self.wanted.towards(self._target, self._speed, self._rate, dt)
            self._moving = self.wanted.at != self._target
        else:
            self.wanted.at_speed(0.0, self.facts.rate, dt)
            self._moving = False

    def _tell(self, want: dict[str, int]) -> None:
        put, still = self.words.put, abs(self.machine.speed) < 1e-3 * self.facts.speed
        put("ready", not self.fault)
        put("enabled", self._on)
        put("acknowledged", want["start"])
        put("moving", self._moving or self.wanted.speed != 0)
        near = abs(self.shown - self._target) <= self.facts.window
        put("in_position", self._on and not self._moving and near)
        put("homed", self.homed)
        put("fault", self.fault != 0)
        put("standstill", still)
        put("fault_code", self.fault)
        put("position", self.shown * self.facts.counts)
        put("speed", self.shown_speed * self.facts.counts)
        put("target_shown", self._target * self.facts.counts)
        put("inputs", self.inputs())
        put("torque", self.machine.torque * 100)
        self.words.tell()
