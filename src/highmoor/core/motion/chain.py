"""The chain of an axis: what one turn of its motor becomes link by link, and the exact scale at its end."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from fractions import Fraction

from highmoor.core.motion.exact import Exact
from highmoor.core.motion.links import LINK_KINDS, MOTORS, LinkKind
from highmoor.core.numbers import Settings, fraction_at, number_at
from highmoor.core.plant.rows import ChainLink


@dataclass(frozen=True, slots=True)
class Stage:
    """A link between motor and load: a turn of its input gives `gives` turns or, where it is linear, millimetres."""

    link: str
    kind: LinkKind
    settings: Settings
    gives: Exact
    # What one motor turn has become behind it.
    after: Exact

    @property
    def inertia(self) -> float:
        """kg m² at its input."""
        return number_at(self.settings, "inertia")

    @property
    def efficiency(self) -> float:
        return number_at(self.settings, "efficiency", 100) / 100


@dataclass(frozen=True, slots=True)
class Chain:
    """Motor, what stands between, load. `problem` says why no scale follows, at the link `at`."""

    motor: Settings = field(default_factory=dict)
    motor_link: str = ""
    motor_kind: str = "motor"
    load: Settings = field(default_factory=dict)
    load_link: str = ""
    stages: tuple[Stage, ...] = ()
    problem: str = ""
    at: str = ""

    @property
    def travel(self) -> Exact:
        """Of one motor turn: millimetres, or turns."""
        return self.stages[-1].after if self.stages else Exact(Fraction(1))

    @property
    def counts(self) -> Fraction | None:
        """Counts of one motor turn; of a stepping motor pulses."""
        return counts_of(self.motor_kind, self.motor)


def chain_of(links: Sequence[ChainLink], *, linear: bool) -> Chain:
    """The chain that links make in their order; of one that is not whole as much as there is of it."""
    motor = next((link for link in links if link.kind in MOTORS), None)
    load = next((link for link in links if link.kind == "load"), None)
    stages, problem, at = _stages(links, linear=linear)
    if motor is None:
        problem, at = "it has no motor", ""
    elif counts_of(motor.kind, motor.settings) is None and not problem:
        problem, at = f"the motor lacks {LINK_KINDS[motor.kind].needs}", motor.id
    return Chain(
        motor.settings if motor else {}, motor.id if motor else "", motor.kind if motor else "motor",
        load.settings if load else {}, load.id if load else "", stages, problem, at,
    )  # fmt: skip


def counts_of(kind: str, settings: Settings) -> Fraction | None:
    """Counts of a turn of a motor's encoder, or pulses of one of a stepping motor; None where that is not set."""
    if kind == "motor":
        return fraction_at(settings, "counts")
    angle = fraction_at(settings, "step_angle_deg")
    return 360 / angle * (fraction_at(settings, "microsteps") or 1) if angle else None


def _stages(links: Iterable[ChainLink], *, linear: bool) -> tuple[tuple[Stage, ...], str, str]:
    stages: list[Stage] = []
    became, straight = Exact(Fraction(1)), False
    seen: set[str] = set()
    for place, link in enumerate(links):
        kind = LINK_KINDS[link.kind]
        problem = _misplaced(kind, place, seen, straight=straight, linear=linear)
        gives = kind.gives(link.settings)
        if not problem and gives is None:
            problem = f"the {kind.label.lower()} lacks {kind.needs}"
        if problem or gives is None:
            return tuple(stages), problem, link.id
        seen.add(kind.key)
        if kind.key in (*MOTORS, "load"):
            continue
        became, straight = became * gives, straight or kind.linear
        stages.append(Stage(link.id, kind, link.settings, gives, became))
    if linear and not straight:
        return tuple(stages), "nothing in it turns the motor's turn into a way: a screw, a belt, a rack, a wheel", ""
    return tuple(stages), "", ""


def _misplaced(kind: LinkKind, place: int, seen: set[str], *, straight: bool, linear: bool) -> str:
    """Why a link cannot stand where it does."""
    name = kind.label.lower()
    if "load" in seen:
        return f"the {name} stands behind the load"
    if kind.key in MOTORS:
        return "the motor stands behind other links" if place else ""
    if kind.linear and not linear:
        return f"the {name} makes a way of turns, and this axis turns"
    if straight and kind.key != "load":
        return f"the {name} stands behind what makes a way of turns"
    return ""
