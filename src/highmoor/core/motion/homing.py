"""How an axis finds home: the method set, what it needs, the way from each zone, and what its drive is to be told."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from math import inf

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.motion.chain import Chain
from highmoor.core.motion.home_search import METHODS, Event, Ground, HomeSearch, HomingMethod, Interval
from highmoor.core.motion.path import Ramp
from highmoor.core.motion.scale import words_a_unit
from highmoor.core.motion.settings import Bounds, bounds_of, reaction_s
from highmoor.core.motion.told import DriveObject
from highmoor.core.motion.units import Unit, unit_of
from highmoor.core.numbers import Settings, fraction_at, number_at, shown
from highmoor.core.plant.rows import Axis

# Of the highest speed, where nobody has set how quickly it seeks.
_FAST_SHARE, _SLOW_SHARE = 0.1, 0.01
_HALF_A_TURN = 0.5
_STEPS_A_RAMP, _STEPS_SLOW = 8, 60
_POINTS = 400
# So far inside a zone it surely is in that, of all its length.
_INSIDE = 1e-6
_AT_MOST = 6000


@dataclass(frozen=True, slots=True)
class HomingSpeeds:
    """How quickly it seeks the switch, and its edge or the index; and its ramp. In the axis's unit and s."""

    fast: float
    slow: float
    rate: float


@dataclass(frozen=True, slots=True)
class HomePath:
    """A way home from the middle of a zone: points of time, s, and position. `takes` is how long that is at most,
    wherever in the zone it begins; `ends` says how it ends, empty where it finds home."""

    zone: str
    points: tuple[tuple[float, float], ...]
    takes: float
    ends: str


@dataclass(frozen=True, slots=True)
class SwitchTold:
    """A switch along the axis: from where to where it is held, None for without end."""

    name: str
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True)
class HomeTold:
    """How an axis finds home: by which method, where that is, in the axis's unit, and what it counts there.

    `missing` says which switch its method needs and is not set, "" for none. `fast` and `slow` are the speeds at which
    it seeks the switch, and its edge or the index; `runs_on` how far it goes on past a switch that it seeks, `room` how
    far it may, None where no hard stop is set. `objects` are what a drive of CiA 402 is told.
    """

    method: int
    label: str
    missing: str
    home: float | None
    position: float | None
    fast: float
    slow: float
    runs_on: float
    room: float | None
    resolution: float
    objects: tuple[DriveObject, ...]


@dataclass(frozen=True, slots=True)
class HomingTold:
    """The ways home, drawn from `low` to `high`, with the switches and index pulses on it."""

    low: float
    high: float
    switches: tuple[SwitchTold, ...]
    indexes: tuple[float, ...]
    paths: tuple[HomePath, ...]


def method_of(settings: Settings) -> HomingMethod | None:
    """The method that is set; None for none."""
    return METHODS.get(int(number_at(settings, "home_method")))


def speeds_of(settings: Settings, bounds: Bounds, unit: Unit) -> HomingSpeeds | None:
    """As set, else a tenth and a hundredth of the highest speed. None for an axis without speed or acceleration."""
    if not bounds.speed or not bounds.acceleration:
        return None
    most = float(bounds.speed)
    fast, slow = (number_at(settings, f"home_{name}") / unit.a_speed for name in ("fast", "slow"))
    fast = fast or most * _FAST_SHARE
    slow = slow or min(most * _SLOW_SHARE, fast)
    return HomingSpeeds(fast, slow, float(bounds.deceleration or bounds.acceleration))


def ground_of(settings: Settings, turn: float) -> Ground:
    """The switches of an axis and its index pulses; `turn` is how far the load goes for a motor turn."""
    cam = fraction_at(settings, "cam")
    reach = inf if cam is None else float(cam)
    minus, plus = (fraction_at(settings, f"switch_{way}") for way in ("minus", "plus"))
    ground = Ground(
        None if minus is None else (float(minus) - reach, float(minus)),
        None if plus is None else (float(plus), float(plus) + reach),
        _home_switch(settings), 0.0, abs(turn),
    )  # fmt: skip
    method = method_of(settings)
    edge = edge_of(ground, method) if method else None
    if method is None or edge is None:
        return ground
    after = number_at(settings, "index_turn", _HALF_A_TURN)
    return replace(ground, index=edge + method.side * after * abs(turn))


def _home_switch(settings: Settings) -> Interval | None:
    low, high = (fraction_at(settings, f"home_{end}") for end in ("from", "to"))
    if low is None and high is None:
        return None
    return (-inf if low is None else float(low), inf if high is None else float(high))


def edge_of(ground: Ground, method: HomingMethod) -> float | None:
    """Where the edge is that a method looks for; None where its switch is not set or has no such edge."""
    where = {"minus": ground.minus, "plus": ground.plus, "home": ground.home}.get(method.switch)
    if where is None:
        return None
    edge = where[0] if method.edge == "lower" else where[1]
    return edge if abs(edge) != inf else None


def home_of(ground: Ground, method: HomingMethod) -> float | None:
    """Where home is by a method; None where that depends on where it stands, or is nowhere."""
    edge = edge_of(ground, method)
    if edge is None or not method.index:
        return edge
    return ground.index if ground.turn else None


def position_of(settings: Settings, ground: Ground, method: HomingMethod) -> float | None:
    """What it counts at home: as set, else where its switch and index are drawn. None for neither."""
    typed = fraction_at(settings, "home_position")
    return float(typed) if typed is not None else home_of(ground, method)


def lacking(ground: Ground, method: HomingMethod) -> str:
    """What a method needs and the axis does not have, "" for nothing."""
    if method.switch and edge_of(ground, method) is None:
        names = {"minus": "limit switch −", "plus": "limit switch +"}
        return names.get(method.switch, f"{method.edge} edge of a home switch")
    return ""


def walk_home(
    ground: Ground, method: HomingMethod, speeds: HomingSpeeds, start: float, span: float
) -> tuple[HomeSearch, list[tuple[float, float]]]:
    """A way home of an axis that is always where it wants to be: how it ended, and points of s and position."""
    search = HomeSearch(
        method, speeds.fast, speeds.slow, speeds.rate, Ramp(start), span * 1e-6,
        {switch: ground.held(switch, start) for switch in ("minus", "plus", "home")},
    )  # fmt: skip
    slowly = max((ground.turn or span * 1e-3) / speeds.slow / _STEPS_SLOW, 1e-4)
    points, now, before = [(0.0, start)], 0.0, start
    for _ in range(_AT_MOST):
        if search.over:
            break
        passed = ground.passed(before, search.wanted.at)
        dt = slowly if search.phase in ("latch", "index") else _seeking_step(ground, search, speeds, passed)
        if dt is None:
            break
        before = search.wanted.at
        search.step(passed, before, dt)
        now += dt
        if len(points) < _POINTS:
            points.append((now, search.wanted.at))
    points.append((now, search.wanted.at))
    return search, points


def _seeking_step(
    ground: Ground, search: HomeSearch, speeds: HomingSpeeds, passed: list[Event]
) -> float | None:  # fmt: skip
    """A part of a ramp; at speed all the way to just before the next edge. None where there is none to come to."""
    part = speeds.fast / speeds.rate / _STEPS_A_RAMP
    speed = search.wanted.speed
    if passed or search.phase != "seek" or abs(speed) < speeds.fast * (1 - 1e-9):
        return part
    ahead = ground.edge_ahead(search.wanted.at, 1 if speed > 0 else -1)
    return None if ahead is None else max(ahead / speeds.fast - 2 * part, part)


@dataclass(frozen=True, slots=True)
class _Set:
    """What is set of an axis's homing, taken together."""

    axis: Axis
    method: HomingMethod
    speeds: HomingSpeeds
    ground: Ground
    chain: Chain
    unit: Unit


def _set(reader: Reader, root: str) -> _Set | None:
    axis = reader.row(root, Axis)
    method, chain = method_of(axis.settings), reader.part("axis.links", root)
    unit = unit_of(axis.kind, axis.unit)
    speeds = speeds_of(axis.settings, bounds_of(axis), unit)
    if method is None or speeds is None or chain.problem:
        return None
    ground = ground_of(axis.settings, float(chain.travel.value / unit.size))
    return _Set(axis, method, speeds, ground, chain, unit)


def _home(reader: Reader, root: str) -> HomeTold | None:
    found = _set(reader, root)
    exact = words_a_unit(found.axis.settings, found.chain, found.unit) if found else None
    if found is None or exact is None:
        return None
    settings, method, speeds = found.axis.settings, found.method, found.speeds
    counts = float(exact.value)
    position = position_of(settings, found.ground, method)
    runs_on = speeds.fast**2 / (2 * speeds.rate) + speeds.fast * reaction_s(settings)
    return HomeTold(
        method.number, method.label, lacking(found.ground, method), home_of(found.ground, method), position,
        speeds.fast * found.unit.a_speed, speeds.slow * found.unit.a_speed, runs_on, _room(settings, method),
        1 / counts, _objects(method, speeds, position, counts),
    )  # fmt: skip


def _room(settings: Settings, method: HomingMethod) -> float | None:
    """From the nearest switch that it may come to at its seeking speed to the hard stop behind."""
    ends = {"minus": ("minus",), "plus": ("plus",)}.get(method.switch, ("minus", "plus") if method.switch else ())
    gaps = []
    for end in ends:
        switch, stop = (fraction_at(settings, f"{what}_{end}") for what in ("switch", "stop"))
        if switch is not None and stop is not None:
            gaps.append(abs(float(stop - switch)))
    return min(gaps, default=None)


def _homing(reader: Reader, root: str) -> HomingTold | None:
    found = _set(reader, root)
    if found is None:
        return None
    ground, method = found.ground, found.method
    low, high = _drawn(found.axis.settings, ground, ground.turn)
    paths = () if lacking(ground, method) else tuple(_paths(ground, method, found.speeds, (low, high)))
    indexes = tuple(_first_index(ground, edge_of(ground, method))) if method.index else ()
    return HomingTold(low, high, tuple(_switches(ground)), indexes, paths)


def _first_index(ground: Ground, edge: float | None) -> Iterator[float]:
    """Some index pulses about an edge, to be drawn."""
    if edge is not None and ground.turn:
        yield from (ground.index + n * ground.turn for n in range(-3, 4))


def _drawn(settings: Settings, ground: Ground, turn: float) -> Interval:
    """From where to where there is something to be seen."""
    ends = [fraction_at(settings, f"{what}_{way}") for what in ("stop", "switch", "soft") for way in ("minus", "plus")]
    places = [float(end) for end in ends if end is not None]
    places += [end for end in ground.home or () if abs(end) != inf]
    low, high = min(places, default=0.0), max(places, default=0.0)
    return (low, high) if high > low else (low - 2 * turn, high + 2 * turn)


def _switches(ground: Ground) -> Iterator[SwitchTold]:
    for name, where in (("Limit −", ground.minus), ("Home", ground.home), ("Limit +", ground.plus)):
        if where is not None:
            yield SwitchTold(name, *(None if abs(end) == inf else end for end in where))


def _paths(ground: Ground, method: HomingMethod, speeds: HomingSpeeds, ends: Interval) -> Iterator[HomePath]:
    span = ends[1] - ends[0]
    for zone, (low, high) in zones(ground, method, ends):
        search, points = walk_home(ground, method, speeds, (low + high) / 2, span)
        reason = "" if search.phase == "done" else "finds no home"
        edges = (low + (high - low) * _INSIDE, high - (high - low) * _INSIDE)
        takes = max(walk_home(ground, method, speeds, start, span)[1][-1][0] for start in edges)
        yield HomePath(zone, tuple(points), max(takes, points[-1][0]), reason)


def zones(ground: Ground, method: HomingMethod, ends: Interval) -> Iterator[tuple[str, Interval]]:
    """From where it may have to find home: each side of the switch that counts, and on it."""
    low = ground.minus[1] if ground.minus else ends[0]
    high = ground.plus[0] if ground.plus else ends[1]
    if method.switch == "home" and ground.home:
        left, right = max(ground.home[0], low), min(ground.home[1], high)
        if ground.home[0] > low:
            yield "below the home switch", (low, left)
        yield "on the home switch", (left, right)
        if ground.home[1] < high:
            yield "above the home switch", (right, high)
    elif method.switch:
        yield "between the limits", (low, high)
        held = ground.minus if method.switch == "minus" else ground.plus
        if held:
            yield "on the limit switch", (max(held[0], ends[0]), min(held[1], ends[1]))
    else:
        yield "where it stands", (low, high)


def _objects(
    method: HomingMethod, speeds: HomingSpeeds, position: float | None, counts: float
) -> tuple[DriveObject, ...]:
    """What is set in a drive of CiA 402, in its counts (IEC 61800-7-201, homing mode)."""
    told = [DriveObject("6098", "Homing method", method.number)]
    if position is not None:
        told.append(DriveObject("607C", "Home offset", round(position * counts)))
    told.append(DriveObject("6099:01", "Speed seeking the switch", round(speeds.fast * counts)))
    told.append(DriveObject("6099:02", "Speed seeking zero", round(speeds.slow * counts)))
    told.append(DriveObject("609A", "Homing acceleration", round(speeds.rate * counts)))
    return tuple(told)


def method_label(number: int) -> str:
    """A method with its number, as it is chosen."""
    return f"{number} · {METHODS[number].label}" if number in METHODS else shown(number)


PARTS: tuple[Part, ...] = (
    Part("axis.home", "axes", _home, shown=HomeTold),
    Part("axis.homing", "axes", _homing, shown=HomingTold, asked=True),
)
