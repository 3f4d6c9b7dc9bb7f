"""Drives of CiA 402 on their way after set-points, a good number of them at once: what `Cia402Drive.step` does to each
as long as nothing else comes between, over arrays.

Whoever meets anything else (another control word, a switch, a hard stop, too little torque, too far behind, its
set-point reached, its controller gone) leaves before that step, and goes it alone.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from math import inf
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from highmoor.core.bench.axes.cia402_drive import CYCLIC_POSITION, Cia402Drive
from highmoor.core.bench.axes.powered import Drive
from highmoor.core.bench.axes.words import DeviceWords, Layout, Place
from highmoor.core.motion.path import PAUSE_S

if TYPE_CHECKING:
    from highmoor.core.bench.axes.live import AxisLive

Flags = NDArray[np.bool_]

# Fewer are quicker one by one.
AT_LEAST = 6

# What a step makes new of each; the last three are held within their ends.
_LED, _SPEED, _SHOWN, _FASTER, _SHAFT, _ERROR = range(6)
# Of its set-points: the last one, when it came, how often they do, when it is to be there, the speed on the line to it
# and the way of a step along that.
_TARGET, _CAME, _EVERY, _DUE, _LINE, _STRIDE = range(6)
# What stays as it is: the loop's gain for what the load goes, what the drive sees of that, and from where on; counts.
_PULL, _RATIO, _BEGAN, _ORIGIN, _COUNTS = range(5)


@dataclass(frozen=True, slots=True)
class _Member:
    """One of them: what it takes its words from and gives them to."""

    axis: AxisLive
    drive: Cia402Drive
    alive: Callable[[], bool]
    takes: memoryview
    gives: memoryview


def follows(drive: Drive) -> bool:
    """Whether it is one that can go along now."""
    return isinstance(drive, Cia402Drive) and drive.follows


def formed(axes: Sequence[AxisLive], dt: float, at_least: int) -> list[Fleet]:
    """Those of them that can go together, so many with their words at the same places."""
    found: dict[Layout, list[_Member]] = {}
    for axis in axes:
        drive = axis.drive
        if not isinstance(drive, Cia402Drive) or not isinstance(drive.words, DeviceWords):
            continue
        layout = drive.words.layout()
        ends = drive.words.ends() if layout and drive.machine.unhindered else None
        if layout and ends:
            alive = partial(axis.reached.exchanging, axis.reached.device())
            found.setdefault(layout, []).append(_Member(axis, drive, alive, *ends))
    return [Fleet(layout, members, dt) for layout, members in found.items() if len(members) >= at_least]


class Fleet:
    """Axes that go on together. The drives and machines they are made of are as they were when they came, until they
    leave or all are brought up to date by `show`."""

    def __init__(self, layout: Layout, members: Sequence[_Member], dt: float) -> None:
        self._dt = dt
        self._come = np.dtype(_fields(layout.out, layout.out_octets))
        self._told = np.dtype(_fields(layout.into, layout.into_octets))
        self._has_speed = "speed" in (self._told.names or ())
        self._members = list(members)
        drives = [member.drive for member in members]
        facts = [drive.facts for drive in drives]
        machines = [drive.machine for drive in drives]
        self._control = np.array([drive.words.get("control") for drive in drives])
        # In the order of the numbers above.
        follow = [drive.follower for drive in drives]
        self._points = np.array([
            [one.target for one in follow], [one.came_s for one in follow], [one.every_s for one in follow],
            [one.came_s + one.every_s for one in follow], [one.line for one in follow],
            [one.line * dt for one in follow],
        ])  # fmt: skip
        self._set = np.array([
            [drive.facts.gain / drive.ratio for drive in drives], [drive.ratio for drive in drives],
            [one.began for one in machines], [drive.zero + drive.facts.offset for drive in drives],
            [one.counts for one in facts],
        ])  # fmt: skip
        still = [0.0] * len(drives)
        self._now = np.array([
            [drive.wanted.at for drive in drives], [one.speed for one in machines], [drive.shown for drive in drives],
            still, [one.shaft for one in machines], still,
        ])  # fmt: skip
        # Where each was led, and how quick it was, before its last step.
        self._before = self._now[:_SHOWN].copy()
        far = [inf if one.following is None else one.following for one in facts]
        rates, free = [one.rates() for one in machines], [one.undisturbed() for one in machines]
        self._low, self._high = (
            np.array([[ends[n] * dt for ends in rates], [ends[n] for ends in free], [sign * most for most in far]])
            for n, sign in ((0, -1), (1, 1))
        )
        self._octets = [bytes(member.gives) for member in members]
        self._stepped = False
        self._lay()

    def _lay(self) -> None:
        """Room for a step, after the number of them has become another."""
        count = len(self._members)
        self._taken = b""
        self._alive = [member.alive for member in self._members]
        self._takes = [member.takes for member in self._members]
        self._next, self._left = np.empty((6, count)), np.empty(count)
        self._late, self._bad = np.empty(count, bool), np.empty((4, count), bool)
        self._beyond = np.empty((3, count), bool)
        self._counted, self._whole = np.empty((2, count)), np.empty((2, count), np.int64)
        told = bytearray(b"".join(self._octets))
        self._rows = np.frombuffer(told, self._told) if told else np.empty(0, self._told)
        size = self._told.itemsize
        self._puts = [
            (member.gives, memoryview(told)[n * size : (n + 1) * size]) for n, member in enumerate(self._members)
        ]

    @property
    def axes(self) -> list[AxisLive]:
        """Those who go along."""
        return [member.axis for member in self._members]

    def step(self, now_s: float) -> list[AxisLive]:
        """All on by a step. Returns those that could not go it with the others, and have left before it."""
        before = self._members
        if not all(alive() for alive in self._alive):
            self._leave(np.array([not alive() for alive in self._alive]))
        if self._members:
            self._take(now_s)
        while self._members:
            self._compute(now_s)
            if not self._bad.any():
                self._before[:] = self._now[:_SHOWN]
                self._now, self._next = self._next, self._now
                self._stepped = True
                self._tell()
                break
            self._leave(np.logical_or.reduce(self._bad))
        if self._members is before:
            return []
        stays = {id(member) for member in self._members}
        return [member.axis for member in before if id(member) not in stays]

    def _take(self, now_s: float) -> None:
        """Set-points that have come; whoever is asked for something else leaves."""
        taken = b"".join(self._takes)
        if taken == self._taken:
            return
        came = np.frombuffer(taken, self._come)
        other = (came["control"] != self._control) | (came["mode"] != CYCLIC_POSITION)
        if other.any():
            self._leave(other)
            if self._members:
                self._take(now_s)
            return
        self._taken = taken
        points = self._points
        target = came["target"] / self._set[_COUNTS]
        another = target != points[_TARGET]
        since = now_s - points[_CAME]
        # After a pause it is not known how often they come.
        np.copyto(points[_EVERY], since, where=another & (since < PAUSE_S))
        np.copyto(points[_CAME], now_s, where=another)
        points[_TARGET] = target
        np.add(points[_CAME], points[_EVERY], out=points[_DUE])
        np.copyto(points[_LINE], (target - self._now[_LED]) / points[_EVERY], where=another)
        np.multiply(points[_LINE], self._dt, out=points[_STRIDE])

    def _compute(self, now_s: float) -> None:
        """What the step makes of each, and who cannot go it here."""
        now, points, left = self._now, self._points, self._left
        pull, ratio, began, origin, _ = self._set
        led, speed, shown, faster, shaft, error = self._next
        # `Follower.step`
        np.add(now[_LED], points[_STRIDE], out=led)
        np.subtract(points[_DUE], now_s, out=left)
        np.less_equal(left, self._dt, out=self._late)
        np.copyto(led, points[_TARGET], where=self._late)
        # `Powered.hold`
        np.subtract(led, now[_SHOWN], out=error)
        np.multiply(error, pull, out=speed)
        # `Machine.drive`
        np.subtract(speed, now[_SPEED], out=faster)
        np.multiply(speed, self._dt, out=shaft)
        shaft += now[_SHAFT]
        # `Powered.shown`
        np.subtract(shaft, began, out=shown)
        shown *= ratio
        shown += origin
        bad, held = self._bad, self._next[_FASTER:]
        np.less(held, self._low, out=bad[:3])
        np.greater(held, self._high, out=self._beyond)
        bad[:3] |= self._beyond
        np.equal(led, now[_LED], out=bad[3])

    def _tell(self) -> None:
        """Position and speed to their devices, in counts; nothing else of what is told is another."""
        counted, whole = self._counted, self._whole
        counted[0] = self._now[_SHOWN]
        np.multiply(self._now[_SPEED], self._set[_RATIO], out=counted[1])
        counted *= self._set[_COUNTS]
        np.rint(counted, out=counted)
        np.copyto(whole, counted, casting="unsafe")
        self._rows["position"] = whole[0]
        if self._has_speed:
            self._rows["speed"] = whole[1]
        for gives, octets in self._puts:
            gives[:] = octets

    def _leave(self, who: Flags) -> None:
        """They go on alone, from where they are."""
        self._show(np.flatnonzero(who).tolist())
        keep = ~who
        self._octets = [bytes(gives) for (gives, _), stays in zip(self._puts, keep, strict=True) if stays]
        self._members = [member for member, stays in zip(self._members, keep, strict=True) if stays]
        self._control, self._before = self._control[keep], self._before[:, keep]
        self._points, self._set, self._now = self._points[:, keep], self._set[:, keep], self._now[:, keep]
        self._low, self._high = self._low[:, keep], self._high[:, keep]
        self._lay()

    def show(self) -> None:
        """All drives and machines as they are now."""
        self._show(range(len(self._members)))

    def _show(self, which: Sequence[int]) -> None:
        if not self._stepped:
            return
        points, before, now = self._points.tolist(), self._before.tolist(), self._now.tolist()
        for n in which:
            drive = self._members[n].drive
            follower, led = drive.follower, now[_LED][n]
            follower.target, follower.came_s, follower.every_s, follower.line = (
                points[k][n] for k in (_TARGET, _CAME, _EVERY, _LINE)
            )
            follower.at = drive.wanted.at = led
            follower.speed = drive.wanted.speed = (led - before[_LED][n]) / self._dt
            drive.machine.went(now[_SHAFT][n], before[_SPEED][n], now[_SPEED][n], self._dt)
            drive.tell_place()


def _fields(words: Sequence[Place], octets: int) -> Any:
    """Words as an array of such octets has them."""
    names, offsets, formats = zip(*words, strict=True)
    return {"names": names, "offsets": offsets, "formats": formats, "itemsize": octets}
