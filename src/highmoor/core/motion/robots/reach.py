"""Where a robot reaches: whether a place is within, and what the whole of it looks like from above and cut through."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from math import cos, pi, sin

from highmoor.core.figures.motion.delta import ARMS, Point
from highmoor.core.motion.robots.types import PLACES, RobotType

# How finely a drawing looks: columns across, places down each, halvings at an edge.
_COLUMNS, _PLACES, _HALVINGS, _ROUGH = 60, 32, 9, 20
# In a third of a turn.
_BEARINGS = 24
Cell = tuple[tuple[float, float], tuple[float, float], tuple[float, float], tuple[float, float]]
_Range = tuple[float, float]
_Inside = Callable[[float, float], bool]


@dataclass(frozen=True, slots=True)
class ReachTold:
    """What a robot reaches, mm in its own coordinates: cells that together cover it in the plane of x and y at the
    height `z`, and of x and z through its middle. `radius` is that of the largest circle about the middle that is
    reached whole at that height, None where there is none; `half` is half of what is drawn across, `low` how far down.
    """

    z: float
    plan: tuple[Cell, ...]
    section: tuple[Cell, ...]
    radius: float | None
    half: float
    low: float


def why_not(of: RobotType, place: Point) -> str:
    """Why a place is not reached, "" where it is."""
    for arm in range(ARMS):
        angle = of.delta.arm_angle(arm, *place)
        name = list(PLACES.values())[arm]
        if angle is None:
            return f"{name} is too short"
        if not of.low_deg <= angle <= of.high_deg:
            return f"{name} turns only from {of.low_deg:g}° to {of.high_deg:g}°"
    return ""


def within(of: RobotType, x: float, y: float, z: float) -> bool:
    """Whether all arms reach a place within the angles they may turn."""
    low, high, delta = of.low_deg, of.high_deg, of.delta
    for arm in range(ARMS):
        angle = delta.arm_angle(arm, x, y, z)
        if angle is None or not low <= angle <= high:
            return False
    return True


def reach(of: RobotType, z: float | None = None) -> ReachTold:
    """What is reached, drawn at a height and cut through the middle; without a height where it is widest."""
    delta = of.delta
    far = delta.upper_arm + delta.lower_arm + abs(delta.base_radius - delta.platform_radius)
    z = _widest(of) if z is None else z

    def level(x: float, y: float) -> bool:
        return within(of, x, y, z)

    def upright(x: float, down: float) -> bool:
        return within(of, x, 0.0, down)

    plan = _cells(level, *_about(level, ((-far, far), (-far, far))))
    section = _cells(upright, *_about(upright, ((-far, far), (-far, 0.0))))
    across = [abs(value) for cell in plan for point in cell for value in point]
    across += [abs(x) for cell in section for x, _ in cell]
    low = min((down for cell in section for _, down in cell), default=-far)
    return ReachTold(z, plan, section, _radius(of, z), max(across, default=far), low)


def _widest(of: RobotType) -> float:
    """The height at which the largest circle is, looked for in steps."""
    far = of.delta.upper_arm + of.delta.lower_arm
    heights = [-far * n / _PLACES for n in range(1, _PLACES)]
    return max(heights, key=lambda z: _radius(of, z) or 0.0)


def _radius(of: RobotType, z: float) -> float | None:
    """Of the circle about the middle: the least far that it reaches in any bearing, looked for from the middle on."""
    if not within(of, 0.0, 0.0, z):
        return None
    reached = of.delta.upper_arm + of.delta.lower_arm
    step = reached / _PLACES
    # Whatever a bearing reaches, so does the same one of the next arm.
    for n in range(_BEARINGS):
        bearing = 2 * pi / ARMS * n / _BEARINGS
        ahead, aside = cos(bearing), sin(bearing)

        def along(r: float, ahead: float = ahead, aside: float = aside) -> bool:
            return within(of, r * ahead, r * aside, z)

        good = 0.0
        while good < reached and along(good + step):
            good += step
        if good < reached:
            reached = min(reached, _edge(along, good, good + step))
    return reached


def _edge(inside: Callable[[float], bool], good: float, bad: float, halvings: int = 20) -> float:
    """The last place that is inside, between one that is and one that is not."""
    for _ in range(halvings):
        middle = (good + bad) / 2
        good, bad = (middle, bad) if inside(middle) else (good, middle)
    return good


def _about(inside: _Inside, whole: tuple[_Range, _Range]) -> tuple[_Range, _Range]:
    """What is inside with a little about it, looked for roughly; the whole where nothing is found."""
    (left, right), (low, high) = whole
    across, down = (right - left) / _ROUGH, (high - low) / _ROUGH
    steps = range(_ROUGH + 1)
    found = [
        (left + n * across, low + m * down) for n in steps for m in steps if inside(left + n * across, low + m * down)
    ]
    if not found:
        return whole
    xs, ys = [x for x, _ in found], [y for _, y in found]
    return (
        (max(left, min(xs) - across), min(right, max(xs) + across)),
        (max(low, min(ys) - down), min(high, max(ys) + down)),
    )  # fmt: skip


def _cells(inside: _Inside, across: _Range, down: _Range) -> tuple[Cell, ...]:
    """What is inside, looked for in columns: a cell between any two pieces of neighbours that overlap."""
    cells: list[Cell] = []
    before: list[_Range] = []
    last = at = across[0]
    for n in range(_COLUMNS + 1):
        last, at = at, across[0] + (across[1] - across[0]) * n / _COLUMNS

        def column(v: float, at: float = at) -> bool:
            return inside(at, v)

        spans = list(_spans(column, *down))
        cells += [
            ((last, was[0]), (at, now[0]), (at, now[1]), (last, was[1]))
            for was in before for now in spans if was[0] <= now[1] and now[0] <= was[1]
        ]  # fmt: skip
        before = spans
    return tuple(cells)


def _spans(inside: Callable[[float], bool], low: float, high: float) -> Iterator[tuple[float, float]]:
    """Where a column is inside."""
    step = (high - low) / _PLACES
    began: float | None = None
    was = False
    for n in range(_PLACES + 1):
        at = low + n * step
        now = inside(at)
        if now and not was:
            began = _edge(inside, at, at - step, _HALVINGS) if n else at
        elif was and not now and began is not None:
            yield began, _edge(inside, at - step, at, _HALVINGS)
            began = None
        was = now
    if began is not None:
        yield began, high
