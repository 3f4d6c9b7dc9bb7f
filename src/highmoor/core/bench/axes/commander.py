"""The controller's hand on an axis: enables it, moves it, jogs it as long as somebody holds on, stops it, all by the
words of its drive through the real exchange."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, Literal

from highmoor.core.bench.axes.path import Ramp
from highmoor.core.bench.controller import SignalCode, SimulatedController
from highmoor.core.errors import Refusal
from highmoor.core.figures.motion.profile import MotionLimits, Piece, pieces, profile
from highmoor.core.figures.motion.states import cia_402_state
from highmoor.core.motion.links import fraction_at
from highmoor.core.motion.settings import Bounds
from highmoor.core.motion.units import Unit
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Axis

State = Literal["off", "enabling", "standstill", "homing", "moving", "jogging", "stopping", "fault"]
# A jog nobody confirms for so long stops (a stream that is late, a page that is gone).
HELD_S = 0.3
_TRACE_AT_MOST = 1200
_ENABLE_WITHIN_S = 2.0
_ARRIVE_WITHIN_S = 3.0
# CiA 402 status word, bit 11.
_INTERNAL_LIMIT = 0x800
# After so long what was told a drive has come to it.
_HEARD_S = 0.4


@dataclass(frozen=True, slots=True)
class Commanded:
    """What a commander needs to know: the axis, its unit and bounds, counts a unit (turned round as its motor is)."""

    axis: Axis
    unit: Unit
    bounds: Bounds
    counts: float
    base: str


@dataclass(slots=True)
class Commander:
    """One axis, commanded from its controller's task."""

    of: Commanded
    controller: SimulatedController
    signals: Mapping[str, SignalCode]
    # Who else writes its words, by name; "" for nobody.
    held_by: str
    period_s: float
    good: Callable[[], bool]
    state: State = "off"
    text: str = ""
    # Command and feedback over the time of the latest move: s, position asked, position shown.
    trace: list[tuple[float, float, float]] = field(default_factory=list)
    _goal: float = 0.0
    _move: list[Piece] = field(default_factory=list)
    _from: float = 0.0
    _way: int = 1
    _began_s: float = 0.0
    _enabling_s: float = 0.0
    _jog: float = 0.0
    _confirmed_s: float = 0.0
    _ramp: Ramp = field(default_factory=lambda: Ramp(0.0))
    wanted: float = 0.0
    _wanted: bool = False
    _start: bool = False
    _reset_s: float = -1.0
    _left_s: float = -1.0
    _speed: float = 0.0
    _rate: float = 0.0

    # ── what somebody asks

    def enable(self) -> None:
        """Bring the drive to where it moves. Raises Refusal where a program holds the axis or it is not reached."""
        self._refuse_if_held()
        if not self.good():
            raise Refusal(f"The drive of {self.of.axis.name} does not answer.", place=self.of.axis.id)
        if self.state == "fault":
            raise Refusal("The drive is in fault: reset it first.", place=self.of.axis.id)
        self._wanted, self._enabling_s = True, self.now_s
        if self.state == "off":
            self.state, self.text = "enabling", ""

    def disable(self) -> None:
        """Take the power away: a climbing axis is held by its brake from then on."""
        self._wanted, self.state, self._jog, self._left_s = False, "off", 0.0, self.now_s

    def reset(self) -> None:
        """Acknowledge a fault."""
        self._refuse_if_held()
        self._reset_s, self._wanted = self.now_s, False
        self.state, self.text = "off", ""

    def move(self, distance: float, speed: float, acceleration: float, *, absolute: bool = False) -> None:
        """By so far, or to a position. Raises Refusal for what may not be now or would leave the limits."""
        self._refuse_unless_still()
        begin = self.wanted
        target = distance if absolute else begin + distance
        self._refuse_beyond(begin, target)
        bounds = self.of.bounds
        jerk = bounds.jerk
        rate = Fraction(acceleration)
        for what, asked, most in (("speed", speed, bounds.speed), ("acceleration", acceleration, bounds.acceleration)):
            if most is not None and asked > float(most) * (1 + 1e-9):
                raise Refusal(f"The {what} {shown(asked)} is above the axis's highest, {shown(most)}.", field=what)
        move = profile(Fraction(abs(target - begin)), MotionLimits(Fraction(speed), rate, rate, jerk))
        self._move, self._from, self._way = pieces(move), begin, 1 if target >= begin else -1
        self._goal, self._began_s, self.state, self.text = target, self.now_s, "moving", ""
        self._speed, self._rate = speed, acceleration
        self._start = self.of.base != "cia402"
        self.trace = []

    def home(self, position: float) -> None:
        """Let the drive count from here on from a position. Raises Refusal where its words have no such command."""
        self._refuse_unless_still()
        if "home" not in self.signals:
            raise Refusal(f"The words of {self.of.axis.name} have no homing.", place=self.of.axis.id)
        self._goal, self._began_s, self.state, self.text = position, self.now_s, "homing", ""

    def jog(self, speed: float) -> None:
        """On at a speed for as long as this is said again and again. Raises Refusal as a move does."""
        if self.state != "jogging":
            self._refuse_unless_still()
            self._ramp = Ramp(self.wanted)
            self.state, self.text, self.trace, self._began_s = "jogging", "", [], self.now_s
        most = float(self.of.bounds.speed or 0)
        self._jog = min(max(speed, -most), most)
        self._confirmed_s = self.now_s

    def stop(self) -> None:
        """Brake from whatever it does and stand, powered."""
        if self.state in ("moving", "jogging"):
            speed = self._commanded_speed()
            self._ramp = Ramp(self.wanted, speed)
            self.state, self._jog = "stopping", 0.0

    # ── its turn in the controller's task

    @property
    def engaged(self) -> bool:
        """Whether it writes its words: as long as somebody wants something of it, and until that has been heard."""
        return self.state != "off" or self._wanted or self._lately(self._left_s) or self._lately(self._reset_s)

    def _lately(self, at_s: float) -> bool:
        return at_s >= 0 and self.now_s - at_s < _HEARD_S

    def run(self) -> None:
        """Once a task: look at the words that came, decide those that go."""
        if self.held_by or not self.engaged:
            return
        enabled, fault = self._seen()
        if fault and self.state != "off":
            self.state, self._wanted, self.text = "fault", False, fault
        if self.state == "enabling":
            self.wanted = self.feedback
            if enabled:
                self.state = "standstill"
            elif self.now_s - self._enabling_s > _ENABLE_WITHIN_S:
                self.disable()
                self.text = "The drive did not come to where it moves: look at its state."
        elif self.state == "off":
            self.wanted = self.feedback
        elif self.state != "fault" and not enabled:
            self.disable()
            self.text = "The drive left the state in which it moves."
        self._go_on()
        self._write()

    def _go_on(self) -> None:
        if self.state == "moving":
            since = self.now_s - self._began_s
            last = self._move[-1] if self._move else None
            if last is None or since >= last.at + last.lasts:
                self.wanted = self._goal
                if self._arrived():
                    self.state = "standstill"
            else:
                piece = next(p for p in self._move if since < p.at + p.lasts)
                self.wanted = self._from + self._way * piece.after(since - piece.at)[0]
            self._broken_off(since - (last.at + last.lasts if last else 0.0))
        elif self.state == "homing":
            self.wanted = self.feedback
            if self._read("homed") and self._arrived():
                self.state = "standstill"
            elif self.now_s - self._began_s > _ENABLE_WITHIN_S:
                self.state, self.text = "standstill", "The drive did not say that it has found home."
            return
        elif self.state in ("jogging", "stopping"):
            if self.now_s - self._confirmed_s > HELD_S:
                self._jog = 0.0
            goal = self._held_within(self._jog)
            self._ramp.at_speed(goal, self._braking, self.period_s)
            self.wanted = self._ramp.at
            if self._ramp.speed == 0 and not self._jog:
                self.state = "standstill"
        else:
            return
        if len(self.trace) < _TRACE_AT_MOST:
            self.trace.append((self.now_s - self._began_s, self.wanted, self.feedback))

    def _broken_off(self, over_s: float) -> None:
        """A move that a switch stops, or that does not come to its goal, is over where it stands."""
        limited = self.of.base == "cia402" and int(self._read("status")) & _INTERNAL_LIMIT
        if self.state == "moving" and (limited or over_s > _ARRIVE_WITHIN_S):
            at = f"{shown(self.feedback, 6)} {self.of.unit.label}"
            self.text = f"A limit switch stopped it at {at}." if limited else f"It did not arrive: it is at {at}."
            self.state, self.wanted = "standstill", self.feedback

    def _held_within(self, speed: float) -> float:
        """A jog's speed, and none once it would run over its soft limit."""
        end = fraction_at(self.of.axis.settings, "soft_plus" if speed > 0 else "soft_minus")
        if end is None or not speed:
            return speed
        left = (float(end) - self._ramp.at) * (1 if speed > 0 else -1)
        needs = self._ramp.speed**2 / (2 * self._braking) + 2 * abs(self._ramp.speed) * self.period_s
        return speed if left > needs else 0.0

    def _arrived(self) -> bool:
        """The words say so, or by position where no word does."""
        window = fraction_at(self.of.axis.settings, "window")
        return abs(self.feedback - self._goal) <= (float(window) if window else abs(20 / self.of.counts))

    def _seen(self) -> tuple[bool, str]:
        """Whether the drive moves what it is told, and its fault in words."""
        if not self.good():
            return False, "its drive does not answer" if self.state not in ("off",) else ""
        if self.of.base == "cia402":
            state = cia_402_state(int(self._read("status")) & 0xFFFF)
            bad = state in ("fault", "fault_reaction_active")
            return state == "operation_enabled", "the drive is in fault" if bad else ""
        code = int(self._read("fault_code"))
        return bool(self._read("enabled")), f"the drive is in fault, code 16#{code:04X}" if self._read("fault") else ""

    def _write(self) -> None:
        self._put("target", self.wanted * self.of.counts if self.of.base == "cia402" else self._goal * self.of.counts)
        resetting = self._lately(self._reset_s) and self.now_s - self._reset_s < _HEARD_S / 2
        if self.of.base == "cia402":
            self._put("mode", 8)
            self._put("control", 0x80 if resetting else self._control_word())
            return
        self._put("enable", self._wanted)
        self._put("reset", resetting)
        self._put("target_speed", abs(self._speed if self.state != "jogging" else self._jog) * abs(self.of.counts))
        self._put("rate", self._rate * abs(self.of.counts))
        self._put("stop", self.state == "stopping")
        self._put("home", self.state == "homing")
        self._put("set_position", self._goal * self.of.counts if self.state == "homing" else 0)
        turned = self._jog * (1 if self.of.counts > 0 else -1)
        self._put("jog_plus", self.state == "jogging" and turned > 0)
        self._put("jog_minus", self.state == "jogging" and turned < 0)
        if self._read("acknowledged"):
            # Seen: it may be taken away; the drive goes on.
            self._start = False
        self._put("start", self._start and self.state == "moving")

    def _control_word(self) -> int:
        if not self._wanted:
            return 0x06 if self.state != "fault" else 0x00
        state = cia_402_state(int(self._read("status")) & 0xFFFF)
        steps = {"ready_to_switch_on": 0x07, "switched_on": 0x0F, "operation_enabled": 0x0F}
        return steps.get(state or "", 0x06)

    # ── positions

    @property
    def now_s(self) -> float:
        """Bench time."""
        return self.controller.clock.now_ns / 1e9

    @property
    def feedback(self) -> float:
        """The position as the drive shows it, in the axis's unit."""
        return float(self._read("position")) / self.of.counts

    @property
    def _braking(self) -> float:
        return float(self.of.bounds.deceleration or self.of.bounds.acceleration or 1)

    def _commanded_speed(self) -> float:
        if self.state == "jogging":
            return self._ramp.speed
        since = self.now_s - self._began_s
        piece = next((p for p in self._move if since < p.at + p.lasts), None)
        return self._way * piece.after(since - piece.at)[1] if piece else 0.0

    # ── words

    def _read(self, role: str) -> float:
        """A word as it counts, whatever its signal makes of it."""
        code = self.signals.get(role)
        if code is None:
            return 0.0
        value = self.controller.value_for_program(code)
        return code.scaling.raw(float(value)) if code.scaling else float(value)

    def _put(self, role: str, count: float) -> None:
        code = self.signals.get(role)
        if code is None:
            return
        value: float | int | bool = round(count)
        if code.raw.bits == 1:
            value = bool(count)
        elif code.scaling:
            value = code.scaling.value(round(count))
        # What stands already need not go through its task again.
        if self.controller.program.get(code.id) != value:
            self.controller.put(code.id, value)

    # ── what may not be

    def _refuse_if_held(self) -> None:
        if self.held_by:
            raise Refusal(
                f"The program {self.held_by} writes the words of {self.of.axis.name}: stop it first.",
                place=self.of.axis.id,
            )

    def _refuse_unless_still(self) -> None:
        self._refuse_if_held()
        if self.state == "fault":
            raise Refusal(f"Not now: {self.text}. Reset it first.", place=self.of.axis.id)
        if self.state != "standstill":
            words = {"off": "it is not enabled", "enabling": "it is being enabled"}.get(self.state, "it still moves")
            raise Refusal(f"Not now: {words}.", place=self.of.axis.id)

    def _refuse_beyond(self, begin: float, target: float) -> None:
        """Beyond a soft limit nobody is sent; from beyond one only inwards."""
        for name, way in (("minus", -1), ("plus", 1)):
            end = fraction_at(self.of.axis.settings, f"soft_{name}")
            if end is not None and (target - float(end)) * way > 0 and (target - begin) * way > 0:
                sign = "+" if way > 0 else "−"
                raise Refusal(
                    f"{shown(target)} {self.of.unit.label} lies beyond soft limit {sign} at {shown(end)}.",
                    place=self.of.axis.id, field="distance",
                )  # fmt: skip

    def told(self) -> dict[str, Any]:
        """What of it is to be seen, as plain JSON."""
        return {
            "axis": self.of.axis.id, "state": self.state, "text": self.text, "position": self.feedback,
            "wanted": self.wanted, "held_by": self.held_by, "good": self.good(),
        }  # fmt: skip
