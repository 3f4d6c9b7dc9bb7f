"""The controller's hand on an axis: enables it, moves it, finds home, jogs it as long as somebody holds on, stops it,
all by the words of its drive through the real exchange."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, Literal

from highmoor.core.bench.axes.hands import Does, Hand, State, Wish
from highmoor.core.bench.axes.ports import Port
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.errors import Refusal
from highmoor.core.figures.motion.profile import MotionLimits, pieces, profile
from highmoor.core.motion.path import Along, Ramp, Way
from highmoor.core.motion.settings import Bounds
from highmoor.core.motion.units import Unit
from highmoor.core.numbers import fraction_at, shown
from highmoor.core.plant.rows import Axis

# A jog nobody confirms for so long stops (a stream that is late, a page that is gone).
HELD_S = 0.3
_TRACE_AT_MOST = 1200
_ENABLE_WITHIN_S = 2.0
_ARRIVE_WITHIN_S = 3.0
# After so long what was told a drive has come to it.
_HEARD_S = 0.4
# Of the highest speed: slower than that it stands, as far as is seen from here.
_STANDS = 1e-3
# As long as a command goes on.
_MOVES = frozenset(("moving", "homing", "jogging", "running", "stopping"))
Out = Literal["", "Busy", "Done", "CommandAborted", "Error"]
PLC_OPEN: dict[State, str] = {
    "off": "Disabled", "enabling": "Disabled", "standstill": "Standstill", "homing": "Homing",
    "moving": "Discrete Motion", "jogging": "Continuous Motion", "running": "Continuous Motion",
    "stopping": "Stopping", "fault": "ErrorStop",
}  # fmt: skip
"""The state of an axis as its program would see it (PLCopen, function blocks for motion control, part 1)."""


@dataclass(frozen=True, slots=True)
class Commanded:
    """What a commander needs to know: the axis, its unit and bounds; counts a unit, and of speed a unit a second, as
    its motor turns; how long its drive may seek home, s."""

    axis: Axis
    unit: Unit
    bounds: Bounds
    counts: float
    speed_counts: float
    home_within_s: float
    # Whether its drive has a homing method; one that only follows needs that.
    has_method: bool = False


@dataclass(slots=True, repr=False)
class Commander:
    """One axis, commanded from its controller's task."""

    of: Commanded
    hand: Hand
    clock: VirtualClock
    words: Port
    # Who else writes its words, by name; "" for nobody.
    held_by: str
    period_s: float
    good: Callable[[], bool]
    wish: Wish = field(init=False)
    text: str = ""
    # Command and feedback over the time of the latest move: s, position asked, position shown.
    trace: list[tuple[float, float, float]] = field(default_factory=list)
    # The latest command and what a function block would show of it; one of them at a time.
    command: tuple[str, Out] = ("", "")
    _way: Way = field(default_factory=lambda: Along(0.0, 1.0, ()))
    _began_s: float = 0.0
    _enabling_s: float = 0.0
    _confirmed_s: float = 0.0
    _ramp: Ramp = field(default_factory=lambda: Ramp(0.0))
    _reset_s: float = -1.0
    _left_s: float = -1.0
    _seeks: bool = False
    # The words as they came for this run of the task, None between runs.
    _came: dict[str, float] | None = None

    def __post_init__(self) -> None:
        self.wish = Wish(self.of.counts, self.of.speed_counts)

    @property
    def state(self) -> State:
        return self.wish.state

    @property
    def wanted(self) -> float:
        """Where it is to be now."""
        return self.wish.wanted

    @property
    def does(self) -> frozenset[Does]:
        """What can be asked of it."""
        lacks = self.hand.streams and not self.of.has_method
        return (
            self.hand.does - {"home"} if lacks or not (self.hand.streams or self.words.has("home")) else self.hand.does
        )

    # ── what somebody asks

    def enable(self) -> None:
        """Bring the drive to where it moves. Raises Refusal where a program holds the axis or it is not reached."""
        self._refuse_if_held()
        if not self.good():
            raise Refusal(f"The drive of {self.of.axis.name} does not answer.", place=self.of.axis.id)
        if self.state == "fault":
            raise Refusal("The drive is in fault: reset it first.", place=self.of.axis.id)
        self.wish.on, self._enabling_s = True, self.now_s
        if self.state == "off":
            self._begin("Power", "enabling")

    def disable(self) -> None:
        """Take the power away: a climbing axis is held by its brake from then on."""
        self.wish.on, self.wish.turning, self._left_s = False, 0.0, self.now_s
        self._end("off", "CommandAborted" if self.command[1] == "Busy" else self.command[1])

    def reset(self) -> None:
        """Acknowledge a fault."""
        self._refuse_if_held()
        self._reset_s, self.wish.on = self.now_s, False
        self._begin("Reset", "off")
        self._end("off", "Done")

    def move(self, distance: float, speed: float, acceleration: float, *, absolute: bool = False) -> None:
        """By so far, or to a position. Raises Refusal for what may not be now or would leave the limits."""
        self._refuse_unless_still("move")
        begin = self.wanted
        target = distance if absolute else begin + distance
        self._refuse_beyond(begin, target)
        bounds = self.of.bounds
        rate = Fraction(acceleration)
        for what, asked, most in (("speed", speed, bounds.speed), ("acceleration", acceleration, bounds.acceleration)):
            if most is not None and asked > float(most) * (1 + 1e-9):
                raise Refusal(f"The {what} {shown(asked)} is above the axis's highest, {shown(most)}.", field=what)
        move = profile(Fraction(abs(target - begin)), MotionLimits(Fraction(speed), rate, rate, bounds.jerk))
        self._way = Along(begin, 1 if target >= begin else -1, pieces(move))
        self._begin("MoveAbsolute" if absolute else "MoveRelative", "moving")
        wish = self.wish
        wish.goal, wish.speed, wish.rate, wish.start = target, speed, acceleration, not self.hand.streams

    def follow(self, way: Way) -> None:
        """Along a way that somebody else leads. Raises Refusal where its drive goes to its goal by itself, and for what
        may not be now or would leave the limits."""
        self._refuse_unless_still("move")
        goal, _ = way.at(way.takes)
        if not self.hand.streams:
            raise Refusal(f"The drive of {self.of.axis.name} goes to its goal by itself: nobody can lead it.",
                          place=self.of.axis.id)  # fmt: skip
        self._refuse_beyond(self.wanted, goal)
        self._way, self.wish.goal = way, goal
        self._begin("MovePath", "moving")

    def follow_on(self, way: Way) -> None:
        """From the way it is led along onto another that goes on where it is."""
        if (self.state, self.command[0]) == ("moving", "MovePath"):
            self._way, self.wish.goal, self._began_s = way, way.at(way.takes)[0], self.now_s

    def home(self, position: float) -> None:
        """Let the drive find home by its method; one that has none counts from a position on, where it stands. Raises
        Refusal where its words have no such command."""
        self._refuse_unless_still("home")
        self._begin("Home", "homing")
        self.wish.goal, self._seeks = position, False

    def jog(self, speed: float) -> None:
        """On at a speed for as long as this is said again and again. Raises Refusal as a move does."""
        self._turn("jogging", speed)
        self._confirmed_s = self.now_s

    def run_at(self, speed: float) -> None:
        """On at a speed until it is stopped. Raises Refusal as a move does."""
        self._turn("running", speed)

    def _turn(self, state: State, speed: float) -> None:
        if self.state != state:
            self._refuse_unless_still("turn")
            self._ramp = Ramp(self.wanted)
            self._begin("Jog" if state == "jogging" else "MoveVelocity", state)
        most = float(self.of.bounds.speed or 0)
        self.wish.turning = min(max(speed, -most), most)

    def stop(self, *, quick: bool = False) -> None:
        """Brake from whatever it does and stand, powered; a quick stop ends without power."""
        if self.state in ("moving", "jogging", "running", "homing"):
            self._ramp = Ramp(self.wanted, self._commanded_speed())
            quick = quick and "quick-stop" in self.does
            self._begin("QuickStop" if quick else "Stop", "stopping", keep_trace=True)
            self.wish.turning, self.wish.quick = 0.0, quick

    def _begin(self, name: str, state: State, *, keep_trace: bool = False) -> None:
        self.command, self.wish.state, self.text = (name, "Busy"), state, ""
        self._began_s = self._began_s if keep_trace else self.now_s
        self.trace = self.trace if keep_trace else []

    def _end(self, state: State, out: Out, text: str | None = None) -> None:
        self.wish.state, self.command = state, (self.command[0], out)
        self.wish.start, self.wish.quick = False, False
        if text is not None:
            self.text = text

    # ── its turn in the controller's task

    @property
    def engaged(self) -> bool:
        """Whether it writes its words: as long as somebody wants something of it, and until that has been heard."""
        return self.state != "off" or self.wish.on or self._lately(self._left_s) or self._lately(self._reset_s)

    def _lately(self, at_s: float) -> bool:
        return at_s >= 0 and self.now_s - at_s < _HEARD_S

    def run(self) -> None:
        """Once a task: look at the words that came, decide those that go."""
        if self.held_by or not self.engaged:
            return
        self._came = {}
        self._look()
        self._go_on()
        self.wish.resetting = self._reset_s >= 0 and self.now_s - self._reset_s < _HEARD_S / 2
        if self.wish.start and self.hand.acknowledged(self._read):
            # Seen: it may be taken away; the drive goes on.
            self.wish.start = False
        for role, count in self.hand.words(self.wish, self._read):
            self.words.put(role, count)
        self._came = None

    def _read(self, role: str) -> float:
        """A word as it came, the same all through a run."""
        came = self._came
        if came is None:
            return self.words.read(role)
        count = came.get(role)
        if count is None:
            count = came[role] = self.words.read(role)
        return count

    def _look(self) -> None:
        """What the drive says of itself, and what becomes of a command by that."""
        enabled, fault = self.hand.seen(self._read) if self.good() else (False, "its drive does not answer")
        if fault and self.state != "off":
            self.wish.on = False
            self._end("fault", "Error" if self.command[1] == "Busy" else self.command[1], fault)
        if enabled and self.state in _MOVES:
            return
        if self.state == "enabling":
            self.wish.wanted = self.feedback
            if enabled:
                self._end("standstill", "Done")
            elif self.now_s - self._enabling_s > _ENABLE_WITHIN_S:
                self.disable()
                self._end("off", "Error", "The drive did not come to where it moves: look at its state.")
        elif self.state == "off":
            self.wish.wanted = self.feedback
        elif self.state not in ("fault", "standstill") and not enabled and self.wish.quick:
            self.disable()
            self._end("off", "Done")
        elif self.state != "fault" and not enabled:
            self.disable()
            self.text = "The drive left the state in which it moves."

    def _go_on(self) -> None:
        state = self.state
        if state == "moving":
            self._go_along()
        elif state == "homing":
            self._go_home()
        elif state in _MOVES:
            self._go_turning()
        else:
            return
        if len(self.trace) < _TRACE_AT_MOST:
            self.trace.append((self.now_s - self._began_s, self.wish.wanted, self.feedback))

    def _go_along(self) -> None:
        since = self.now_s - self._began_s
        over = since - self._way.takes
        if over >= 0:
            self.wish.wanted = self.wish.goal
            if self._arrived():
                self._end("standstill", "Done")
        else:
            self.wish.wanted, _ = self._way.at(since)
        if over > _ARRIVE_WITHIN_S or self.hand.limited(self._read):
            self._broken_off()

    def _go_home(self) -> None:
        self.wish.wanted = self.feedback
        homed = self.hand.homed(self._read)
        # What was found before is not what is found now: it counts once the drive has said that it seeks.
        self._seeks = self._seeks or homed is None
        since = self.now_s - self._began_s
        if homed and (self._seeks or since > _HEARD_S) and (self.hand.streams or self._arrived()):
            self._end("standstill", "Done")
        elif homed is False and self._seeks:
            self._end("standstill", "Error", "The drive found no home: it came to both limits, or to none.")
        elif since > self.of.home_within_s:
            self._end("standstill", "Error", "The drive did not say that it has found home.")

    def _go_turning(self) -> None:
        if self.state == "jogging" and self.now_s - self._confirmed_s > HELD_S:
            self.wish.turning = 0.0
        if not self.words.has("target"):
            # A drive that is told a speed ramps by itself.
            stands = abs(self._read("speed") / self.of.speed_counts) <= _STANDS * float(self.of.bounds.speed or 1)
        else:
            self._ramp.at_speed(self._held_within(self.wish.turning), self._braking, self.period_s)
            self.wish.wanted, stands = self._ramp.at, self._ramp.speed == 0
        if stands and not self.wish.turning and not self.wish.quick:
            self._end("standstill", "Done")

    def _broken_off(self) -> None:
        """A move that a switch stops, or that does not come to its goal, is over where it stands."""
        if self.state == "moving":
            at = f"{shown(self.feedback, 6)} {self.of.unit.label}"
            limited = self.hand.limited(self._read)
            text = f"A limit switch stopped it at {at}." if limited else f"It did not arrive: it is at {at}."
            self._end("standstill", "Error", text)
            self.wish.wanted = self.feedback

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
        return abs(self.feedback - self.wish.goal) <= (float(window) if window else abs(20 / self.of.counts))

    # ── positions

    @property
    def now_s(self) -> float:
        """Bench time."""
        return self.clock.now_ns / 1e9

    @property
    def feedback(self) -> float:
        """The position as the drive shows it, in the axis's unit."""
        return float(self._read("position")) / self.of.counts

    @property
    def _braking(self) -> float:
        return float(self.of.bounds.deceleration or self.of.bounds.acceleration or 1)

    def _commanded_speed(self) -> float:
        if self.state in ("jogging", "running"):
            return self._ramp.speed
        if self.state == "homing":
            return 0.0
        return self._way.at(self.now_s - self._began_s)[1]

    # ── what may not be

    def _refuse_if_held(self) -> None:
        if self.held_by:
            raise Refusal(
                f"The program {self.held_by} writes the words of {self.of.axis.name}: stop it first.",
                place=self.of.axis.id,
            )

    def _refuse_unless_still(self, does: Does) -> None:
        if does not in self.does:
            words = {"move": "no positions", "home": "no homing", "turn": "no speed"}
            more = ": choose a homing method" if does == "home" and self.hand.streams else ""
            raise Refusal(f"The words of {self.of.axis.name} have {words[does]}{more}.", place=self.of.axis.id)
        self._refuse_if_held()
        if self.state == "fault":
            raise Refusal(f"Not now: {self.text}. Reset it first.", place=self.of.axis.id)
        if self.state != "standstill":
            words = {"off": "it is not enabled", "enabling": "it is being enabled"}
            raise Refusal(f"Not now: {words.get(self.state, 'it still moves')}.", place=self.of.axis.id)

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
        name, out = self.command
        return {
            "axis": self.of.axis.id, "state": self.state, "text": self.text, "position": self.feedback,
            "wanted": self.wanted, "held_by": self.held_by, "good": self.good(), "plc_open": PLC_OPEN[self.state],
            "command": name, "out": out, "does": sorted(self.does),
            "turns": self._read("speed") / self.of.speed_counts * self.of.unit.a_speed,
        }  # fmt: skip
