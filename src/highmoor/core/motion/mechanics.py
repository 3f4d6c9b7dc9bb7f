"""What a motor has to turn: inertia, gravity and friction through the links of a chain, in m, rad, kg, Nm and s."""

from __future__ import annotations

from dataclasses import dataclass
from math import pi, radians, sin

from highmoor.core.figures.motion.torque import GRAVITY
from highmoor.core.motion.chain import Chain
from highmoor.core.numbers import number_at


@dataclass(frozen=True, slots=True)
class Turning:
    """A link: radians or metres behind it for a radian before it, the inertia at its input, what of power it passes.

    What turns a screw, a pinion, a wheel moves its own inertia through its own losses; a gear's stands before them.
    """

    ratio: float
    inertia: float
    efficiency: float
    before: bool


@dataclass(frozen=True, slots=True)
class Mechanics:
    """A chain as the motor feels it. `mass` is in kg, or kg m² on an axis that turns; `gravity` what of g pulls back,
    m/s²; `friction` in N or Nm."""

    motor_inertia: float
    stages: tuple[Turning, ...]
    mass: float
    gravity: float
    friction: float

    @property
    def reach(self) -> float:
        """Metres, or radians, for a radian of the motor."""
        reach = 1.0
        for stage in self.stages:
            reach *= stage.ratio
        return reach

    @property
    def load_inertia(self) -> float:
        """All behind the motor, as the motor feels it, kg m²."""
        total, reach = 0.0, 1.0
        for stage in self.stages:
            total += stage.inertia * reach**2
            reach *= stage.ratio
        return total + self.mass * reach**2

    @property
    def inertia(self) -> float:
        """All that turns, as the motor feels it, kg m²."""
        return self.motor_inertia + self.load_inertia

    @property
    def hold(self) -> float:
        """The torque that keeps the load where it is, without what friction and losses keep, Nm."""
        return self.mass * self.gravity * self.reach

    def torque(self, way: int, acceleration: float) -> float:
        """Nm at the motor that moves the load forth (1) or back (−1) with an acceleration in m/s² or rad/s².

        What the load takes costs more by every link's efficiency, what it gives arrives as less, link by link by the
        sign of the power there.
        """
        torque = self.mass * (acceleration + self.gravity) + way * self.friction
        for stage in reversed(self.stages):
            acceleration /= stage.ratio
            torque *= stage.ratio
            own = stage.inertia * acceleration
            if not stage.before:
                torque += own
            torque *= 1 / stage.efficiency if torque * way > 0 else stage.efficiency
            if stage.before:
                torque += own
        return torque + self.motor_inertia * acceleration


def mechanics_of(chain: Chain, *, linear: bool) -> Mechanics:
    """What a whole chain is to its motor; what is not set counts as nothing."""
    stages = tuple(
        Turning(
            float(stage.gives.value) * (0.001 / (2 * pi) if stage.kind.linear else 1.0),
            stage.inertia, stage.efficiency, before=stage.kind.key == "gear",
        )
        for stage in chain.stages
    )  # fmt: skip
    load = chain.load
    gravity = GRAVITY * sin(radians(number_at(load, "incline_deg"))) if linear else 0.0
    return Mechanics(
        number_at(chain.motor, "inertia"), stages, number_at(load, "mass_kg" if linear else "inertia"), gravity,
        number_at(load, "friction_n" if linear else "friction_nm"),
    )  # fmt: skip
