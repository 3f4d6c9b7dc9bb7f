"""Drawings of the report as SVG: black on white, told apart by hatching and dashes, so that a copy shows as much."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from highmoor.core.numbers import shown
from highmoor.core.safety.scanner.told import Ring, ScannerTold, SituationTold
from highmoor.core.safety.told import TimeTold

_WIDTH, _BAR = 700, 18
# Of zones, in the order of their letters.
DASHES = ("none", "8 4", "2 3", "10 3 2 3", "5 2")
_FILLS = {"sensor": "#ddd", "input": "#bbb", "link": "#eee", "logic": "#999", "output": "#bbb", "actuator": "#ddd"}
_GRID_MM, _AROUND_MM, _HIGH = 1000.0, 500.0, 330.0


def time_bar(time: TimeTold, asked_ms: float | None) -> SafeString:
    """The way that takes longest, from the demand to standstill, with what is asked; nothing where it is not known."""
    if time.total_ms is None:
        return SafeString("")
    end = max(time.total_ms, asked_ms or 0)
    scale = (_WIDTH - 2) / end if end else 1
    boxes: list[tuple[float, float, str, str]] = []
    at = 0.0
    for one in time.segments:
        wide = one.worst_ms or 0
        boxes.append((at, wide, _FILLS[one.kind], f"{one.label}: {shown(wide, 5)} ms"))
        at += wide
    boxes.append((at, time.fault_ms, "url(#fault)", f"one failure: {shown(time.fault_ms, 5)} ms"))
    at += time.fault_ms
    boxes.append((at, time.delay_ms, "#fff", f"brakes: {shown(time.delay_ms, 5)} ms"))
    boxes.append((at + time.delay_ms, time.stop_ms or 0, "url(#stop)", f"stops: {shown(time.stop_ms or 0, 5)} ms"))
    drawn = format_html_join(
        "", '<rect x="{}" y="4" width="{}" height="{}" fill="{}"><title>{}</title></rect>',
        ((round(1 + x * scale, 1), round(wide * scale, 1), _BAR, fill, says) for x, wide, fill, says in boxes if wide),
    )  # fmt: skip
    mark = SafeString("")
    if asked_ms is not None:
        x = round(1 + asked_ms * scale, 1)
        mark = format_html('<path d="M{} 0V{}" class="asked"/>', x, _BAR + 8)
    return format_html('<svg viewBox="0 0 {} {}" class="bar" role="img">{}{}</svg>', _WIDTH, _BAR + 8, drawn, mark)


@dataclass(frozen=True, slots=True)
class Drawn:
    """A line or an area of the plan with how it is drawn."""

    rings: tuple[Ring, ...]
    style: str
    closed: bool = True


def plan(scanner: ScannerTold, situation: SituationTold, around: Iterable[Drawn], zones: Iterable[Drawn]) -> SafeString:
    """A situation in plan: a metre of grid, what stands around, the hazard hatched, zones by their dashes, and the
    distance that is needed as a fine line."""
    drawn = [
        *around,
        Drawn(situation.hazards, "hazard"),
        *zones,
        *(Drawn(guard.needed_line, "needed") for guard in situation.guards if guard.zone),
    ]
    points = [point for one in drawn if one.style != "needed" for ring in one.rings for point in ring] + [scanner.at]
    left, right = min(x for x, _ in points) - _AROUND_MM, max(x for x, _ in points) + _AROUND_MM
    low, high = min(y for _, y in points) - _AROUND_MM, max(y for _, y in points) + _AROUND_MM
    scale = min(_WIDTH / (right - left), _HIGH / (high - low))
    wide, tall = round((right - left) * scale, 1), round((high - low) * scale, 1)

    def d(rings: Sequence[Ring], closed: bool) -> str:
        parts = []
        for ring in rings:
            spots = (f"{round((x - left) * scale, 1)} {round((high - y) * scale, 1)}" for x, y in ring)
            parts.append("M" + "L".join(spots) + ("Z" if closed else ""))
        return "".join(parts)

    grid = "".join(f"M{round((x - left) * scale, 1)} 0V{tall}" for x in _grid(left, right))
    grid += "".join(f"M0 {round((high - y) * scale, 1)}H{wide}" for y in _grid(low, high))
    paths = format_html_join(
        "", '<path d="{}" class="{}" stroke-dasharray="{}"/>',
        ((d(one.rings, one.closed), *one.style.partition("|")[::2]) for one in drawn if one.rings),
    )  # fmt: skip
    x, y = round((scanner.at[0] - left) * scale, 1), round((high - scanner.at[1]) * scale, 1)
    return format_html(
        '<svg viewBox="0 0 {} {}" width="{}" height="{}" class="plan" role="img"><path d="{}" class="grid"/>{}'
        '<circle cx="{}" cy="{}" r="4"/></svg>', wide, tall, wide, tall, grid, paths, x, y,
    )  # fmt: skip


def _grid(low: float, high: float) -> Iterable[float]:
    first = -(-low // _GRID_MM)
    return (n * _GRID_MM for n in range(int(first), int(high // _GRID_MM) + 1))
