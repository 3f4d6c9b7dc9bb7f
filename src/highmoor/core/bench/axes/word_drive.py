"""A drive that is told by plain words where to go, and goes there by itself."""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.bench.axes.powered import LINK_LOST, Powered


@dataclass(slots=True)
class WordDrive(Powered):
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
        Powered.__post_init__(self)
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
            self._begin_anew(moved)
            self._target, self.homed = self.wanted.at, True
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

    def _begin_anew(self, moved: float) -> None:
        """It counts otherwise from now on, by so much."""
        self.zero += moved
        self.wanted.at += moved

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
