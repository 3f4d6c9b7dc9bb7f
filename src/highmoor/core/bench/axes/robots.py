"""Robots on the bench: initialised step by step as far as it goes, and led along their straight move."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any, Literal

from highmoor.core.analysis.engine import Analysis
from highmoor.core.bench.axes.commander import Commander
from highmoor.core.bench.axes.of_plant import AxesLive
from highmoor.core.bench.axes.robot_start import Failing, Step, initialising, open_steps
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.errors import Refusal
from highmoor.core.figures.motion.delta import Point
from highmoor.core.figures.motion.profile import MotionLimits, pieces, profile
from highmoor.core.motion.path import Along, Way, braked
from highmoor.core.motion.robots.line import JointWay, Line, LineTold, line_of, pose, too_quick, too_sharp
from highmoor.core.motion.robots.parts import RobotTold
from highmoor.core.motion.robots.types import ARM_PLACES, PLACES, RobotType, type_of
from highmoor.core.motion.units import unit_of
from highmoor.core.numbers import shown
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, Robot

# All joints' ways by place, or how they brake along these from a time of them on.
Ways = Callable[[float | None], Mapping[str, Way]]
State = Literal["off", "initialising", "ready", "moving", "failed"]

# To where a straight move begins a robot goes at so much of what its joints may.
_GENTLE = 0.2
_TRACE_AT_MOST = 800


@dataclass(slots=True, repr=False)
class RobotLive:
    """A robot of the bench, as it was downloaded."""

    robot: Robot
    of: RobotType | None
    told: RobotTold
    line_told: LineTold | None
    axes: AxesLive
    clock: VirtualClock
    state: State = "off"
    text: str = ""
    steps: list[Step] = field(default_factory=list)
    # Over the time of the straight move: s, and the platform's place as its arms show it.
    trace: list[tuple[float, float, float, float]] = field(default_factory=list)
    _going: Iterator[None] | None = None
    # While its joints are led together and nobody has stopped them: since when, and along what.
    _led_s: float = 0.0
    _ways: Ways | None = None

    def __post_init__(self) -> None:
        self.steps = open_steps()

    # ── its joints

    @property
    def line(self) -> Line | None:
        """Its straight move."""
        return line_of(self.robot, self.of) if self.of else None

    def axis(self, place: str) -> Axis:
        """Which axis is a joint."""
        axis = next(joint.axis for joint in self.told.joints if joint.place == place)
        return self.axes.plant.get(axis, Axis)

    def commanders(self) -> dict[str, Commander]:
        """The hands on its joints by place, as many as there are."""
        there = {joint.place: self.axes.commanders.get(joint.axis) for joint in self.told.joints}
        return {place: commander for place, commander in there.items() if commander is not None}

    def degrees(self, place: str) -> float:
        """In a unit of the joint's axis."""
        axis = self.axis(place)
        return 360 * float(unit_of(axis.kind, axis.unit).size)

    def angles(self) -> tuple[float, float, float] | None:
        """The arms' as their drives show them, in degrees; None as long as not all are commanded."""
        commanders = self.commanders()
        if any(place not in commanders for place in ARM_PLACES):
            return None
        first, second, third = (commanders[place].feedback * self.degrees(place) for place in ARM_PLACES)
        return first, second, third

    def place(self) -> Point | None:
        """Where the platform is by these; None where no platform can be."""
        return self._place_of(self.angles())

    def really(self) -> Point | None:
        """Where it really is, by how the arms stand."""
        there = [self.axes.axes.get(self.axis(place).id) for place in ARM_PLACES if self._joined(place)]
        if len(there) < len(ARM_PLACES) or any(axis is None for axis in there):
            return None
        first, second, third = (
            axis.machine.position * self.degrees(place) for axis, place in zip(there, ARM_PLACES, strict=True) if axis
        )
        return self._place_of((first, second, third))

    def _joined(self, place: str) -> bool:
        return any(joint.place == place and joint.axis for joint in self.told.joints)

    def _place_of(self, angles: tuple[float, float, float] | None) -> Point | None:
        if self.of is None or angles is None:
            return None
        try:
            return self.of.delta.position(angles)
        except Refusal:
            return None

    # ── what somebody asks

    def initialise(self) -> None:
        """From the first step on, as far as it goes. Raises Refusal while it moves."""
        if self.state in ("initialising", "moving"):
            raise Refusal(f"{self.robot.name} is busy.", place=self.robot.id)
        self.state, self.text, self.steps, self._going = "initialising", "", open_steps(), initialising(self)

    def go(self) -> None:
        """To where its straight move begins, and along it. Raises Refusal for one that is not initialised, or has no
        move that it reaches."""
        if self.state != "ready":
            why = "it moves" if self.state == "moving" else "initialise it first"
            raise Refusal(f"Not now: {why}.", place=self.robot.id)
        line = self.line
        if line is None or self.line_told is None:
            raise Refusal("No straight move is set: from where, to where, how quick.", place=self.robot.id)
        self.refuse_line()
        self.state, self.text, self.trace, self._going = "moving", "", [], self._moving(line)

    def stop(self) -> None:
        """All its joints brake and stand, powered: one that moves brakes along its way."""
        commanders = self.commanders()
        if self.state != "moving":
            for commander in commanders.values():
                commander.stop()
            if self.state == "initialising":
                self._failed("It was stopped")
            return
        if self._ways is not None:
            for place, way in self._ways(self.now_s - self._led_s).items():
                commanders[place].follow_on(way)
        elif not self.text:
            # It has not begun yet.
            self.state, self._going = "ready", None
        self._ways, self.text = None, "It was stopped"

    def disable(self) -> None:
        """Take the power away from all of them."""
        for commander in self.commanders().values():
            commander.disable()
        self.state, self.text, self._going, self._ways, self.steps = "off", "", None, None, open_steps()

    def _failed(self, text: str) -> None:
        self.state, self.text, self._going, self._ways = "failed", text, None, None
        for step in self.steps:
            if step.state == "now":
                step.state, step.text = "bad", text

    def refuse_line(self) -> None:
        """Raises Refusal for a straight move that is not reached, or too quick or too sharp for a joint."""
        told = self.line_told
        if told is None:
            return
        if told.leaves:
            raise Refusal(f"The straight move is not reached after {shown(told.leaves_at, 4)} mm: {told.leaves}.",
                          place=self.robot.id)  # fmt: skip
        for joint in too_quick(told):
            raise Refusal(f"On the straight move {joint.name} would turn at {shown(joint.most, 4)} °/s, and it may "
                          f"turn at {shown(joint.limit or 0, 4)}.", place=self.robot.id)  # fmt: skip
        for joint in too_sharp(told):
            raise Refusal(f"On the straight move {joint.name} would accelerate at {shown(joint.acceleration, 4)} °/s², "
                          f"and it may at {shown(joint.acceleration_limit or 0, 4)}.",
                          place=self.robot.id)  # fmt: skip

    # ── its turn in the controller's task

    def run(self) -> None:
        """On with what it does; whatever one joint does wrong, all the others stop."""
        if self._going is not None:
            try:
                next(self._going)
            except StopIteration:
                self.state, self._going = "ready", None
            except Failing as failing:
                self._fall(str(failing))
            except Refusal as refusal:
                self._fall(refusal.reason.removesuffix("."))
        if self.state in ("ready", "moving"):
            for place, commander in self.commanders().items():
                if commander.state in ("off", "fault"):
                    self._fall(f"{PLACES[place]}: {commander.text or 'it has no power'}")
                    return

    def _fall(self, text: str) -> None:
        for commander in self.commanders().values():
            commander.stop()
        self._failed(text[:1].upper() + text[1:])

    def _moving(self, line: Line) -> Iterator[None]:
        """Gently to the beginning, all joints together; then along the line."""
        commanders, of = self.commanders(), self.of
        if of is None:
            return
        begins, limits = self._to_begin(of, line, commanders)
        part = Along(0.0, 1.0, pieces(profile(Fraction(1), limits)))
        gentle = float(limits.deceleration)
        yield from self._led(commanders, lambda t: _between(begins, part if t is None else braked(part, t, gentle)))
        if self.text:
            # It was stopped on the way there.
            return
        began, rate = self.now_s, line.acceleration / line.length

        def along(t: float | None) -> Mapping[str, Way]:
            led = line if t is None else replace(line, along=braked(line.along, t, rate))
            return {place: JointWay(of, led, place, self.degrees(place)) for place in of.places}

        for _ in self._led(commanders, along):
            at = self.place()
            if at is not None and len(self.trace) < _TRACE_AT_MOST:
                self.trace.append((self.now_s - began, *at))
            yield

    def _to_begin(
        self, of: RobotType, line: Line, commanders: Mapping[str, Commander]
    ) -> tuple[dict[str, tuple[float, float]], MotionLimits]:
        """From where to where each joint goes to come to where the line begins, and what bounds that as a part of the
        way: all of them take as long as the one that takes longest."""
        begins: dict[str, tuple[float, float]] = {}
        speed = rate = Fraction(10**6)
        for place, (angle, _) in zip(of.places, pose(of, line, 0.0), strict=True):
            commander = commanders[place]
            begins[place] = commander.wanted, angle / self.degrees(place)
            bounds, far = commander.of.bounds, abs(Fraction(begins[place][1] - commander.wanted))
            if far and bounds.speed and bounds.acceleration:
                speed, rate = min(speed, bounds.speed / far), min(rate, bounds.acceleration / far)
        gentle = Fraction(_GENTLE)
        return begins, MotionLimits(speed * gentle, rate * gentle, rate * gentle, None)

    def _led(self, commanders: Mapping[str, Commander], ways: Ways) -> Iterator[None]:
        """All joints along their ways at once, until all stand at their ends."""
        led = ways(None)
        for place, way in led.items():
            commanders[place].follow(way)
        self._led_s, self._ways = self.now_s, ways
        while any(commanders[place].state == "moving" for place in led):
            yield
        self._ways = None
        for place in led:
            name, out = commanders[place].command
            if (name, out) != ("MovePath", "Done"):
                raise Failing(f"{PLACES[place]}: {commanders[place].text or 'it did not come to its end'}")

    @property
    def now_s(self) -> float:
        """Bench time."""
        return self.clock.now_ns / 1e9

    def seen(self) -> dict[str, Any]:
        """The robot as it is now, as plain JSON."""
        commanders = self.commanders()
        joints = {place: commander.feedback * self.degrees(place) for place, commander in commanders.items()}
        return {
            "robot": self.robot.id, "state": self.state, "text": self.text,
            "steps": [{"key": s.key, "says": s.says, "state": s.state, "text": s.text} for s in self.steps],
            "joints": joints, "place": self.place(), "really": self.really(), "trace": self.trace,
        }  # fmt: skip


def _between(ends: Mapping[str, tuple[float, float]], part: Along) -> Mapping[str, Way]:
    """Each joint between its ends, by what part of the way is done."""
    return {
        place: Along(begin + (end - begin) * part.begin, (end - begin) * part.by, part.pieces)
        for place, (begin, end) in ends.items()
    }


@dataclass(slots=True, repr=False)
class RobotsLive:
    """The robots of a bench by id."""

    plant: Plant
    axes: AxesLive
    clock: VirtualClock
    robots: dict[str, RobotLive] = field(default_factory=dict)

    def begin(self, analysis: Analysis) -> None:
        """Each is led in the task of its joints."""
        for robot in self.plant.all(Robot):
            told: RobotTold = analysis.result("robot.told", robot.id)
            of, _ = type_of(robot)
            joints = [self.axes.commanders[j.axis] for j in told.joints if j.axis in self.axes.commanders]
            period = min((commander.period_s for commander in joints), default=0.1)
            line: LineTold | None = analysis.result("robot.line", robot.id)
            live = RobotLive(robot, of, told, line, self.axes, self.clock)
            self.robots[robot.id] = live
            self.clock.every(int(period * 1e9), live.run, 1)

    def command(self, robot: str, key: str) -> None:
        """Initialise a robot, let it go its straight move, stop it, take its power away. Raises Refusal."""
        live = self._live(robot)
        does: dict[str, Callable[[], None]] = {
            "initialise": live.initialise, "go": live.go, "stop": live.stop, "disable": live.disable,
        }  # fmt: skip
        if key not in does:
            raise Refusal(f"A robot has no command {key!r}.", place=robot)
        does[key]()

    def seen(self, robot: str) -> dict[str, Any]:
        """A robot as it is now. Raises Refusal for one that was not downloaded."""
        return self._live(robot).seen()

    def _live(self, robot: str) -> RobotLive:
        if robot not in self.robots:
            raise Refusal("This robot is not on the bench: download first.", place=robot)
        return self.robots[robot]
