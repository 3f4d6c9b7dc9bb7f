"""A scanner on the bench: a beam that goes round ray by ray and meets walls and somebody who walks.

It knows nothing of areas: of each zone it holds how far that goes at each of its rays, as such a device does.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from math import asin, atan2, cos, degrees, hypot, radians, sin, sqrt

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.rail import NS_A_MS
from highmoor.core.safety.scanner.types import ScannerSet

XY = tuple[float, float]
RAY_DEG = 0.5
# Somebody, by the leg the beam meets, and how he walks (ISO 13855:2010, 5.2).
LEG_RADIUS_MM, WALKS_MM_S = 35.0, 1600.0


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody who goes along a path from a time on, ns, and stands at its end; or a test piece that is held there."""

    since: int
    path: tuple[XY, ...]
    speed: float = WALKS_MM_S
    radius: float = LEG_RADIUS_MM

    def at(self, now: int) -> XY:
        """Where the middle of the leg is."""
        gone = self.speed * max(0, now - self.since) / 1e9
        for a, b in pairwise(self.path):
            length = hypot(b[0] - a[0], b[1] - a[1])
            if gone < length:
                share = gone / length
                return a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])
            gone -= length
        return self.path[-1]


@dataclass(frozen=True, slots=True)
class Switched:
    """An output that went on or off, ns."""

    at: int
    output: int
    on: bool


@dataclass(frozen=True, slots=True)
class WatchedSituation:
    """A situation as it is in the device: its pattern, and by output how far its zone goes at each ray; None without
    one."""

    id: str
    select: str
    reach: dict[int, tuple[float, ...] | None]


@dataclass(slots=True)
class ScannerOutput:
    """A pair of outputs: on while its zone is free. `changed` is told."""

    changed: Callable[[bool], None] = lambda on: None
    on: bool = False
    hits: int = 0
    free: int = 0
    wants: bool = False
    # When what it wants comes, ns.
    due: int = 0


@dataclass(slots=True)
class SimulatedScanner:
    """One scanner going on. It scans only while somebody is there, or something has yet to settle.

    `phase` is when its beam begins a turn, ns; `error` how much too far it measures, mm.
    """

    clock: VirtualClock
    of: ScannerSet
    walls: tuple[float, ...]
    situations: tuple[WatchedSituation, ...]
    outputs: dict[int, ScannerOutput]
    phase: int = 0
    error: float = 0.0
    person: Person | None = None
    pattern: str = ""
    situation: WatchedSituation | None = None
    # What its outputs did since somebody began to walk.
    seen: list[Switched] = field(default_factory=list)
    # When its inputs have been wrong for too long, ns; 0 while they are right.
    _wrong: int = 0
    _scanning: bool = False

    def begin(self) -> None:
        """From power-up on, with the first situation selected."""
        if self.situations:
            self.select(self.situations[0].select)

    def restart(self, of: ScannerSet, walls: tuple[float, ...], situations: tuple[WatchedSituation, ...]) -> None:
        """It has something else in itself now and begins anew, with the inputs it has: its outputs are off until it
        has seen that nobody is there."""
        self.of, self.walls, self.situations = of, walls, situations
        self._wrong = 0
        for output in self.outputs.values():
            output.wants, output.due = False, self.clock.now_ns
            self._set(output, on=False)
        self._watch(None)
        if self.pattern:
            self.select(self.pattern)
        else:
            self.begin()

    # ── its inputs

    def select(self, pattern: str) -> None:
        """Its inputs change. While they select none the earlier situation holds, as long as switching over takes."""
        self.pattern = pattern
        chosen = [one for one in self.situations if one.select == pattern]
        if len(chosen) == 1 and pattern.count("1") == 1:
            self._wrong = 0
            self._watch(chosen[0])
        elif not self._wrong:
            # From one wrong pattern to another the time goes on.
            self._wrong = wrong = self.clock.now_ns + round(self.of.switch_over_ms * NS_A_MS) + 1
            self.clock.at(wrong, lambda: self._watch(None) if self._wrong == wrong else None, 2)

    def _watch(self, situation: WatchedSituation | None) -> None:
        """Outputs without a zone are off at once; the others go on as their zones have it."""
        self.situation = situation
        for n, output in self.outputs.items():
            output.hits = output.free = 0
            if situation is None or situation.reach.get(n) is None:
                output.wants = False
                self._set(output, on=False)
        self._scan_on()

    # ── somebody

    def walk(self, *path: XY, speed: float = WALKS_MM_S) -> None:
        """Somebody begins to walk; who was there before is gone."""
        self.person = Person(self.clock.now_ns, path, speed)
        self.seen.clear()
        self._scan_on()

    def hold(self, place: XY, radius: float) -> None:
        """A test piece is held somewhere; who was there before is gone."""
        self.person = Person(self.clock.now_ns, (place,), radius=radius)
        self.seen.clear()
        self._scan_on()

    def leave(self) -> None:
        """Nobody is there any more."""
        self.person = None
        self._scan_on()

    # ── its beam

    def _scan_on(self) -> None:
        if self._scanning:
            return
        self._scanning = True
        # In the middle of a turn that has long begun.
        self._scan(self.clock.now_ns - (self.clock.now_ns - self.phase) % self._turn)

    @property
    def _turn(self) -> int:
        return max(1, round(self.of.scan_ms * NS_A_MS))

    def _scan(self, begins: int) -> None:
        """What is left of one turn of the beam: at which of its rays it meets somebody in each zone first."""
        turn = self._turn
        met = self._met(begins, turn)
        settled = self.person is None
        for n, output in self.outputs.items():
            reach = self.situation.reach.get(n) if self.situation else None
            if reach is None:
                continue
            first = next((at for at, ray, away in met if away <= reach[ray]), None)
            self._count(output, first, begins + turn)
            settled = settled and output.wants == output.on and output.free >= self.of.scans
        if settled:
            self._scanning = False
        else:
            self.clock.at(begins + turn, lambda: self._scan(begins + turn), 2)

    def _count(self, output: ScannerOutput, first: int | None, ends: int) -> None:
        """So many scans in turn in which somebody is seen, or nobody, confirm it; the rest of its response follows."""
        rest = round(self.of.fixed_ms * NS_A_MS)
        if first is not None:
            output.hits, output.free = output.hits + 1, 0
            if output.hits == self.of.scans:
                self._later(output, first + rest, on=False)
        else:
            output.hits, output.free = 0, output.free + 1
            if output.free == self.of.scans:
                self._later(output, ends + rest, on=True)

    def _later(self, output: ScannerOutput, at: int, *, on: bool) -> None:
        output.wants, output.due = on, at
        self.clock.at(at, lambda: self._set(output, on=on) if (output.wants, output.due) == (on, at) else None, 2)

    def _set(self, output: ScannerOutput, *, on: bool) -> None:
        if output.on != on:
            output.on = on
            n = next(n for n, one in self.outputs.items() if one is output)
            self.seen = [*self.seen, Switched(self.clock.now_ns, n, on)][-20:]
            output.changed(on)

    def _met(self, begins: int, turn: int) -> list[tuple[int, int, float]]:
        """Rays that meet somebody before a wall: when, which, and how far away it measures him, in order of time."""
        if self.person is None:
            return []
        count, now = len(self.walls), self.clock.now_ns
        a_ray = turn * RAY_DEG / 360
        low, high = self._about(begins, begins + turn)
        found: list[tuple[int, int, float]] = []
        for n in range(max(0, low), min(count, high + 1)):
            at = begins + round(n * a_ray)
            if at < now:
                continue
            away = self._distance(n, self.person.at(at))
            if away is not None and away < self.walls[n]:
                found.append((at, n, away + self.error))
        return found

    def _about(self, begins: int, ends: int) -> tuple[int, int]:
        """Between which rays somebody is during a turn."""
        assert self.person is not None
        rays: list[int] = []
        for x, y in (self.person.at(begins), self.person.at(ends)):
            dx, dy = x - self.of.x, y - self.of.y
            away = hypot(dx, dy)
            if away <= self.person.radius:
                return 0, len(self.walls)
            wide = degrees(asin(self.person.radius / away))
            off = degrees(atan2(dx, dy)) - (self.of.looks - self.of.angle / 2)
            middle = off % 360
            rays += [int((middle - wide) / RAY_DEG) - 1, int((middle + wide) / RAY_DEG) + 1]
        if max(rays) - min(rays) > 180 / RAY_DEG:
            # He is where the beam begins its turn: everywhere is looked.
            return 0, len(self.walls)
        return min(rays), max(rays)

    def _distance(self, ray: int, leg: XY) -> float | None:
        """How far away a ray meets a leg; None where it passes."""
        radius = self.person.radius if self.person else LEG_RADIUS_MM
        ux, uy = _direction(self.of, ray)
        dx, dy = leg[0] - self.of.x, leg[1] - self.of.y
        along, across = dx * ux + dy * uy, dx * uy - dy * ux
        if along <= 0 or abs(across) > radius:
            return None
        return along - sqrt(radius**2 - across**2)


def rays_of(of: ScannerSet) -> int:
    """How many rays it has."""
    return int(of.angle / RAY_DEG) + 1


def _direction(of: ScannerSet, ray: int) -> XY:
    bearing = radians(of.looks - of.angle / 2 + ray * RAY_DEG)
    return sin(bearing), cos(bearing)


def walls_by_ray(of: ScannerSet, lines: Sequence[Sequence[XY]]) -> tuple[float, ...]:
    """How far away each ray meets a wall, or ends."""
    found = []
    for ray in range(rays_of(of)):
        near = of.range
        for line in lines:
            for a, b in pairwise(line):
                away = _meets(of, ray, a, b)
                if away is not None:
                    near = min(near, away[0])
        found.append(near)
    return tuple(found)


def zone_by_ray(of: ScannerSet, ring: Sequence[XY], walls: Sequence[float]) -> tuple[float, ...]:
    """How far a zone goes at each ray: up to where that leaves it for the first time, and no further than a wall."""
    found = []
    for ray in range(rays_of(of)):
        leaves = [
            away[0]
            for a, b in zip(ring, [*ring[1:], ring[0]], strict=True)
            if (away := _meets(of, ray, a, b)) is not None and away[1] == _outward(ring)
        ]
        found.append(min(min(leaves, default=0.0), walls[ray]))
    return tuple(found)


def _outward(ring: Sequence[XY]) -> bool:
    """To which side its edges are left: by the sign of its area."""
    return sum(a[0] * b[1] - a[1] * b[0] for a, b in zip(ring, [*ring[1:], ring[0]], strict=True)) > 0


def _meets(of: ScannerSet, ray: int, a: XY, b: XY) -> tuple[float, bool] | None:
    """How far away a ray meets a line, and whether from its left side to its right, as one goes from a to b."""
    ux, uy = _direction(of, ray)
    ax, ay, bx, by = a[0] - of.x, a[1] - of.y, b[0] - of.x, b[1] - of.y
    one, other = ax * uy - ay * ux, bx * uy - by * ux
    if (one > 0) == (other > 0):
        return None
    share = one / (one - other)
    away = (ax + share * (bx - ax)) * ux + (ay + share * (by - ay)) * uy
    return (away, one > 0) if away >= 0 else None
