"""What a motor really moves: inertia, gravity, friction, a torque limit, a brake, hard stops. Positions in the axis's
unit, times in s."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from math import inf, nextafter

from highmoor.core.motion.home_search import Event, Ground, Switch
from highmoor.core.motion.mechanics import Mechanics

# So far apart are an acceleration and the one that a torque gives, of all there could be.
_STEPS = 40
# Of all the acceleration that there is torque for: so near to it, it is looked at closely.
_SPARE = 1e-3


@dataclass(frozen=True, slots=True)
class Build:
    """A machine as it stands. `way` is how far the load goes for a motor turn, `si` metres or radians in a unit.

    `most_nm` is what the motor can give, `brake_nm` what the brake holds after `brake_s`. `inverted` are the
    limit switches that are wired the other way than the drive takes them.
    """

    mechanics: Mechanics
    way: float
    si: float
    most_nm: float
    brake_nm: float
    brake_s: float
    stops: tuple[float, float] = (-inf, inf)
    ground: Ground = field(default_factory=Ground)
    inverted: frozenset[Switch] = frozenset()
    # How far the load can be moved with the motor held; what gravity pulls rests on one side of it.
    play: float = 0.0


@dataclass(slots=True)
class Machine:
    """A machine in motion."""

    build: Build
    position: float
    speed: float = 0.0
    torque: float = 0.0
    # What the drive lets the motor give, Nm.
    most_nm: float = inf
    # Whether the motor has no supply, whatever its drive wants (IEC 61800-5-2, STO).
    torque_off: bool = False
    # At the torque limit for so long.
    limited_s: float = 0.0
    began: float = field(init=False)
    # Where the load would be without play.
    shaft: float = field(init=False)
    _off_s: float = inf
    # What `rates` found, and for how much torque.
    _rates: tuple[float, tuple[float, float]] | None = None

    def __post_init__(self) -> None:
        self.began = self.shaft = self.position

    @property
    def held(self) -> bool:
        """Whether the brake holds."""
        return self.build.brake_nm > 0 and self._off_s >= self.build.brake_s

    @property
    def gone(self) -> float:
        """How far the motor has moved the load from where it began, play aside."""
        return self.shaft - self.began

    def drive(self, wanted: float, dt: float) -> None:
        """A step in which the motor tries to come to a speed, with as much torque as there is."""
        if self.torque_off:
            self.coast(dt)
            return
        self._off_s = 0.0
        build = self.build
        rate = (wanted - self.speed) / dt
        way = _way(self.speed or wanted)
        torque = self._torque(wanted, rate)
        most = min(build.most_nm, self.most_nm)
        if abs(torque) > most:
            torque = most if torque > 0 else -most
            wanted = self.speed + self._rate_of(torque, way) / build.si * dt
            self.limited_s += dt
        else:
            self.limited_s = 0.0
        self.torque = torque
        self._go(wanted, dt)

    def _torque(self, wanted: float, rate: float) -> float:
        """What takes it from its speed towards a wanted one."""
        mechanics = self.build.mechanics
        if self.speed == 0 and wanted == 0:
            return mechanics.hold
        return mechanics.torque(_way(self.speed or wanted), rate * self.build.si)

    # ── what it does when nothing comes in between, for whoever moves it without `drive`

    @property
    def unhindered(self) -> bool:
        """Whether it goes as it is driven: no play to be taken up, no limit switch held, torque to spare."""
        low, high = self.rates()
        has_play = self.build.play and not self.build.mechanics.gravity
        return low < 0 < high and not has_play and not self.switch("minus") and not self.switch("plus")

    def rates(self) -> tuple[float, float]:
        """Between which accelerations, in the unit and s, the motor has torque enough whichever way it goes."""
        most = min(self.build.most_nm, self.most_nm)
        if most == inf:
            return -inf, inf
        if self._rates is None or self._rates[0] != most:
            low, high = (
                [(1 - _SPARE) * self._rate_of(sign * most, way) / self.build.si for way in (-1, 1)] for sign in (-1, 1)
            )
            self._rates = most, (max(low), min(high))
        return self._rates[1]

    def undisturbed(self) -> tuple[float, float]:
        """Between which positions no switch changes and no hard stop is met."""
        low, high = self.build.stops
        ground = self.build.ground
        for begins, ends in filter(None, (ground.minus, ground.plus, ground.home)):
            # On its edges a switch counts as held.
            for edge, inside in ((begins, nextafter(begins, -inf)), (nextafter(ends, inf), ends)):
                if self.position < edge:
                    high = min(high, inside)
                else:
                    low = max(low, edge)
        return low, high

    def went(self, shaft: float, before: float, speed: float, dt: float) -> None:
        """It was driven to a place, in the last step from the speed before to another one."""
        self._off_s, self.limited_s, self.speed = 0.0, 0.0, before
        self.torque = self._torque(speed, (speed - before) / dt)
        self.speed, self.shaft, self.position = speed, shaft, shaft

    def rest(self) -> None:
        """A step in which the motor holds the load where it is."""
        self._off_s, self.speed, self.limited_s = 0.0, 0.0, 0.0
        self.torque = self.build.mechanics.hold

    def halt(self) -> None:
        """It stands where it is, held by what keeps it there."""
        self._off_s, self.speed = 0.0, 0.0

    def carry(self, way: float, dt: float) -> float:
        """A step by so far whatever it takes; how much of that it cannot go because of a hard stop."""
        if self.torque_off:
            self.coast(dt)
            return way
        self._off_s = 0.0
        before = self.position
        self._go(way / dt, dt)
        return before + way - self.position

    def coast(self, dt: float) -> None:
        """A step without torque: friction slows it, gravity pulls, until the brake holds."""
        build, mechanics = self.build, self.build.mechanics
        self._off_s += dt
        self.torque, self.limited_s = 0.0, 0.0
        slips = mechanics.hold > build.brake_nm
        if (self.held and not slips) or (not self.speed and not mechanics.gravity):
            self.speed = 0.0
            return
        grip = build.brake_nm if self.held else 0.0
        way = _way(self.speed) if self.speed else -1
        rate = self._rate_of(-way * grip, way) / build.si
        if not self.speed and rate * way <= 0:
            return
        faster = self.speed + rate * dt
        # What only friction slows comes to rest and does not turn round.
        self._go(0.0 if faster * self.speed < 0 else faster, dt)

    def at_rest(self) -> bool:
        """Whether a step without torque would change nothing."""
        return self.speed == 0 and (self.held or self.build.mechanics.gravity == 0)

    def switch(self, which: Switch) -> bool:
        """Whether a switch is held, as the drive takes it."""
        return self.build.ground.held(which, self.position) != (which in self.build.inverted)

    def passed_since(self, before: float) -> list[Event]:
        """Switches and index pulses since it was somewhere, as the drive takes them."""
        return [
            replace(event, held=not event.held) if event.switch in self.build.inverted else event
            for event in self.build.ground.passed(before, self.position)
        ]

    def _go(self, speed: float, dt: float) -> None:
        self.speed = speed
        slack = self.shaft - self.position
        self.shaft += speed * dt
        half = 0.0 if self.build.mechanics.gravity else self.build.play / 2
        # The load goes along once the play is taken up.
        self.position = min(max(self.position, self.shaft - half), self.shaft + half)
        low, high = self.build.stops
        if not low <= self.position <= high:
            self.position = min(max(self.position, low), high)
            self.shaft = self.position + min(max(slack, -half), half)
            self.speed = 0.0

    def _rate_of(self, torque: float, way: int) -> float:
        """The acceleration, in m/s² or rad/s², that a torque gives: more of it is always more acceleration."""
        mechanics = self.build.mechanics
        none, one = mechanics.torque(way, 0.0), mechanics.torque(way, 1.0)
        span = 4 * (abs(torque) + abs(none) + 1e-9) / max(abs(one - none), 1e-12)
        low, high = -span, span
        while mechanics.torque(way, low) > torque:
            low *= 4
        while mechanics.torque(way, high) < torque:
            high *= 4
        for _ in range(_STEPS):
            middle = (low + high) / 2
            low, high = (middle, high) if mechanics.torque(way, middle) < torque else (low, middle)
        return (low + high) / 2


def _way(speed: float) -> int:
    return -1 if speed < 0 else 1
