"""A drive of CiA 402: its states, and its modes of cyclic and profile position, velocity and homing."""

from __future__ import annotations

from dataclasses import dataclass, field

from highmoor.core.bench.axes.powered import LINK_LOST, Powered
from highmoor.core.motion.home_search import SWITCHES, HomeSearch
from highmoor.core.motion.path import Follower, Ramp

_READY, _ON, _ENABLED, _QUICK, _FAULT, _DISABLED = 0x0231, 0x0233, 0x0237, 0x0217, 0x0218, 0x0250
_REACHED, _LIMIT, _ACK, _ERROR = 1 << 10, 1 << 11, 1 << 12, 1 << 13
# Modes of operation (6060h).
_POSITION, _VELOCITY, _HOMING, CYCLIC_POSITION = 1, 3, 6, 8
# Counts before an edge at which it safely is not there yet.
_CLEAR = 20


@dataclass(slots=True)
class Cia402Drive(Powered):
    """IEC 61800-7-201: states by the control word; cyclic and profile position, velocity, homing."""

    state: int = _DISABLED
    follower: Follower = field(init=False)
    _control: int = 0
    _target: float = 0.0
    _ack: bool = False
    _limit: bool = False
    _slowing: bool = False
    # On its way home; whether it has found that, or has failed to.
    _search: HomeSearch | None = None
    _attained: bool = False
    _homing_failed: bool = False
    _was: float = 0.0

    def __post_init__(self) -> None:
        Powered.__post_init__(self)
        self.follower = Follower(self.wanted.at, self.wanted.at)
        self._target = self.wanted.at

    @property
    def powered(self) -> bool:
        return self.state in (_ENABLED, _QUICK)

    @property
    def follows(self) -> bool:
        """Whether it is on its way after set-points, and nothing else is asked of it or in its way."""
        return (
            self.state == _ENABLED and self.wanted.speed != 0 and not self.fault and not self._limit
            and self._search is None and self._control & 0x10F == 0x0F and self.words.get("mode") == CYCLIC_POSITION
        )  # fmt: skip

    def step(self, dt: float, now_s: float, *, alive: bool) -> None:
        taken, before, was = self.words.look(), self.machine.position, self.state
        control, mode, target, target_speed = map(self.words.get, ("control", "mode", "target", "target_speed"))
        if not alive and self.state == _ENABLED:
            self.fault = LINK_LOST
        if self.fault and self.state != _FAULT:
            self.state, self._slowing = _FAULT, True
        self._states(control)
        if self.state in (_ENABLED, _QUICK):
            self._move(mode, target / self.facts.counts, target_speed / self.facts.counts, control, dt, now_s)
            self.hold(dt)
            if self.state == _QUICK and self.wanted.speed == 0 and self.machine.speed == 0:
                self.state = _DISABLED
        else:
            if not self._braked_down(dt):
                self.release(dt)
            self.follower = Follower(self.shown, self.shown)
            self._target, self._limit, self._search = self.shown, False, None
        self._tell(mode)
        self._control = control
        seeks = self._search is not None and not self._search.over
        self._settle(taken, before, more=seeks or self.state != was)

    def _braked_down(self, dt: float) -> bool:
        """In fault it is braked as long as it moves, once; then the brake holds. Whether it still is braked."""
        slower = self.facts.quick * dt
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
        if mode == _HOMING and not halted:
            self._go_home(control, dt)
            return
        # Taken out of its search it brakes before it does anything else.
        broken_off = self._search is not None and self.wanted.speed != 0
        self._search = self._search if broken_off else None
        if halted or broken_off:
            self.wanted.at_speed(0.0, self.facts.quick if self.state == _QUICK else self.facts.rate, dt)
            self.follower = Follower(self.wanted.at, target)
        elif mode == CYCLIC_POSITION:
            self._follow(target, dt, now_s)
        elif mode == _VELOCITY:
            wanted = 0.0 if self.stopped_by_limit(speed) else speed
            self._limit = wanted != speed
            self.wanted.at_speed(wanted, self.facts.rate, dt)
        elif mode == _POSITION:
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

    def _go_home(self, control: int, dt: float) -> None:
        """Bit 4 rising begins the search, taken away it breaks it off."""
        if control & ~self._control & 0x10:
            self._begin_search()
        elif not control & 0x10 and self._search is not None and not self._search.over:
            self._search = None
        if self._search is None:
            self.wanted.at_speed(0.0, self.facts.rate, dt)
        elif not self._search.over or self.wanted.speed:
            passed = [self.as_counted(event) for event in self.machine.passed_since(self._was)]
            self._search.step(passed, self.shown, dt)
            self._homing_failed = self._search.phase == "failed"
            if self._search.phase == "done":
                self._found(self._search)
        self._was = self.machine.position
        self.follower = Follower(self.wanted.at, self.wanted.at)

    def _begin_search(self) -> None:
        homing = self.facts.homing
        self._attained, self._homing_failed, self._search = False, homing is None, None
        self._was = self.machine.position
        if homing is None:
            return
        held = {switch: self.machine.switch(switch) for switch in SWITCHES}
        least = _CLEAR / abs(self.facts.counts)
        self._search = HomeSearch(
            homing.method, homing.fast, homing.slow, self.facts.rate, self.wanted, least, held
        )  # fmt: skip
        if self._search.phase == "done":
            self._found(self._search)

    def _found(self, search: HomeSearch) -> None:
        """What it counts from now on begins at home."""
        if search.found is None or self.facts.homing is None or self._attained:
            return
        moved = self.facts.homing.position - search.found
        self.zero += moved
        self.wanted.at += moved
        self._target, self._attained = self.wanted.at, True

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
            goal = self._target if mode == _POSITION else self.follower.target
            stands = abs(self.shown - goal) <= self.facts.window and self.wanted.speed == 0
            seeks = mode == _HOMING and self._search is not None and not self._search.over
            status |= _REACHED if stands and not seeks else 0
            status |= _ACK if self._bit_12(mode) else 0
            status |= _ERROR if mode == _HOMING and self._homing_failed else 0
        self.words.put("status", status)
        self.words.put("mode_shown", mode)
        if self.words.has("inputs"):
            self.words.put("inputs", self.inputs())
        self.tell_place()

    def tell_place(self) -> None:
        """Where it is and how quick, on its way with all else that is to be told."""
        self.words.put("position", self.shown * self.facts.counts)
        if self.words.has("speed"):
            self.words.put("speed", self.shown_speed * self.facts.counts)
        self.words.tell()

    def _bit_12(self, mode: int) -> bool:
        """Set-points followed, a set-point taken, or home attained, by the mode."""
        if mode == CYCLIC_POSITION:
            return not self._limit
        return self._ack if mode == _POSITION else mode == _HOMING and self._attained
