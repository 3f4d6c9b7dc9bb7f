"""What a tape says of an axis: how far it really went, which links could be others than set, and what mends each."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.errors import Refusal
from highmoor.core.figures.motion.explain import Explained, Explanation, WouldBe, explained, told_apart_at
from highmoor.core.motion.chain import Chain, counts_of
from highmoor.core.motion.trial import measured_links, uncertainty_of
from highmoor.core.motion.units import Unit, unit_of
from highmoor.core.numbers import plain, shown
from highmoor.core.plant.rows import Axis, ChainLink
from highmoor.core.project import edits

# So many classes are told: what is farther off explains nothing.
_CLASSES_AT_MOST = 6


@dataclass(frozen=True, slots=True)
class Measured:
    """A move as it was asked for, and as a tape measured it, in the axis's unit."""

    asked: Fraction
    measured: Fraction


@dataclass(frozen=True, slots=True)
class Suspect:
    """One thing that could be otherwise than set: what, the look that decides it, and the edit that sets it right."""

    link: str
    says: str
    look: str
    label: str
    edit: edits.SetFields | None


@dataclass(frozen=True, slots=True)
class TapeClass:
    """All that would measure alike: what would have been measured, and how far that is off."""

    would: float
    residual: float
    within: bool
    suspects: tuple[Suspect, ...]


@dataclass(frozen=True, slots=True)
class LostMotion:
    """Of two moves: the scale for itself as a share of what is set, and what is lost at a reversal, both ± uncertain.

    `significant` is whether the loss is more than the tape could be wrong by.
    """

    scale: float
    scale_off: float
    lost: float
    lost_off: float
    significant: bool


@dataclass(frozen=True, slots=True)
class TapeTold:
    """What the tape says. `right` where it agrees with what is set; `further` is the distance that would decide
    between what is left, None where one is left alone or nothing fits.
    """

    unit: str
    right: bool
    ratio: float
    classes: tuple[TapeClass, ...]
    further: float | None
    lost: LostMotion | None
    says: str


def read_tape(analysis: Analysis, axis_id: str, moves: Sequence[Measured], uncertainty: Fraction | None) -> TapeTold:
    """One move or two, each begun after a reversal on the same side, compared with the chain that is set.

    Raises Refusal for none or more, for a move of 0, and for a chain that is not whole.
    """
    axis = analysis.plant.get(axis_id, Axis)
    chain: Chain = analysis.result("axis.links", axis_id)
    unit = unit_of(axis.kind, axis.unit)
    if chain.problem:
        raise Refusal(f"The chain gives no scale: {chain.problem}.", place=axis_id)
    if not 1 <= len(moves) <= 2:
        raise Refusal("One move or two are measured.", place=axis_id)
    off = uncertainty_of(unit) if uncertainty is None else uncertainty
    lost = _lost(moves, off)
    # With two moves what is lost at the reversal is known, and does not pass for a wrong scale.
    last = moves[-1]
    loss = lost.lost if lost and abs(lost.lost) > lost.lost_off else Fraction(0)
    measured = last.measured - loss
    links = measured_links(chain)
    found = explained(last.asked, measured, off, [link for _, link in links])
    rows = [row for row, _ in links]
    right = abs(measured - last.asked) <= off
    known = tuple(_class(analysis, axis, one, last.asked, rows, unit) for one in found.classes[:_CLASSES_AT_MOST])
    further = None if right else asks_for(found, off)
    told = None if lost is None else lost.told(bool(loss))
    return TapeTold(
        unit.label, right, float(measured / last.asked), known, None if further is None else float(further), told,
        _says(found, unit, right=right),
    )  # fmt: skip


def asks_for(found: Explained, uncertainty: Fraction) -> Fraction | None:
    """The distance from which all classes that are still possible measure apart; None where one is left alone.

    Possible is what a tape wrong by all it can be might have read: two uncertainties lie between two readings.
    """
    best = found.classes[0]
    left = sorted(one.ratio for one in found.classes if one.residual <= best.residual + 2 * uncertainty)
    return max((told_apart_at(uncertainty, one, other) for one, other in pairwise(left)), default=None)


@dataclass(frozen=True, slots=True)
class _Line:
    """measured = scale·asked + lost, each ± uncertain."""

    scale: Fraction
    lost: Fraction
    scale_off: Fraction
    lost_off: Fraction

    def told(self, significant: bool) -> LostMotion:
        return LostMotion(float(self.scale), float(self.scale_off), float(self.lost), float(self.lost_off), significant)


def _lost(moves: Sequence[Measured], off: Fraction) -> _Line | None:
    if len(moves) < 2:
        return None
    first, second = moves
    longer = second.asked - first.asked
    if longer == 0:
        raise Refusal("Two moves of one length say no more than one: make the second longer.")
    a = (second.measured - first.measured) / longer
    b = first.measured - a * first.asked
    return _Line(a, b, 2 * off / abs(longer), off * (1 + 2 * abs(first.asked / longer)))


def _says(found: Explained, unit: Unit, *, right: bool) -> str:
    if right:
        return "It went as far as asked: the chain is as set."
    best = found.classes[0]
    if not best.within:
        return "Nothing that is usually wrong measures like this: look for slip, a link that is missing, or the tape."
    return ""


def _class(
    analysis: Analysis, axis: Axis, found: Explanation, asked: Fraction, rows: Sequence[str], unit: Unit
) -> TapeClass:
    suspects = tuple(_suspects(analysis, axis, found, rows, unit))
    return TapeClass(float(asked * found.ratio), float(found.residual), found.within, suspects)


def _suspects(analysis: Analysis, axis: Axis, found: Explanation, rows: Sequence[str], unit: Unit) -> Iterator[Suspect]:
    if found.without == "direction":
        turned = not axis.settings.get("reversed", False)
        yield Suspect(
            "", "the motor turns the other way", "watch which way it goes",
            "Turn it the other way", edits.SetFields(ids=[axis.id], values={"settings.reversed": turned}),
        )  # fmt: skip
    if found.without == "unit":
        yield from _inches(analysis, axis, found, unit)
    for would in found.links:
        link = analysis.plant.get(rows[would.index], ChainLink)
        yield _suspect(link, would)


def _suspect(link: ChainLink, would: WouldBe) -> Suspect:
    if link.kind == "gear":
        over, under = would.becomes.numerator, would.becomes.denominator
        says = f"gear {over} : {under}"
        look = "put a mark on its output and count the motor's turns for one of it"
        values: dict[str, Any] = {"settings.motor_turns": over, "settings.load_turns": under}
    elif link.kind == "stepper":
        # An encoder of four times the counts is here four times the microsteps.
        now = Fraction(str(link.settings.get("microsteps", 1)))
        steps = now * would.becomes / (counts_of(link.kind, link.settings) or 1)
        says = f"{shown(steps)} microsteps"
        look = "read the switches of the driver"
        values = {"settings.microsteps": plain(steps)}
        return Suspect(
            link.id, says, look, f"Set {says}",
            edits.SetFields(ids=[link.id], values=values) if steps.denominator == 1 else None,
        )  # fmt: skip
    elif link.kind == "motor":
        says = f"{shown(would.becomes, 12)} counts a turn"
        look = "turn the motor's shaft once by hand and read the position"
        values = {"settings.counts": plain(would.becomes)}
    else:
        says = f"lead {shown(would.becomes)} mm"
        look = "turn the screw once and measure, or count its starts"
        values = {"settings.lead_mm": plain(would.becomes)}
    # Counts are whole: a quarter of a count is no encoder.
    whole = link.kind != "motor" or would.becomes.denominator == 1
    edit = edits.SetFields(ids=[link.id], values=values) if whole else None
    return Suspect(link.id, says, look, f"Set {says}", edit)


_SIZES = {"screw": "lead_mm", "belt": "pitch_mm", "pinion": "module_mm", "wheel": "diameter_mm"}


def _inches(analysis: Analysis, axis: Axis, found: Explanation, unit: Unit) -> Iterator[Suspect]:
    """A size in inches that was typed as millimetres, or the other way round."""
    link = next((link for link in analysis.plant.children(ChainLink, axis.id) if link.kind in _SIZES), None)
    if link is None or not unit.linear:
        return
    key = _SIZES[link.kind]
    size = Fraction(str(link.settings[key])) * found.ratio
    says = "a size in inches taken for millimetres" if found.ratio > 1 else "a size in millimetres taken for inches"
    values = {f"settings.{key}": plain(size)}
    yield Suspect(
        link.id, says, "read the unit on the drawing or the nameplate", f"Set {shown(size, 9)} mm",
        edits.SetFields(ids=[link.id], values=values),
    )  # fmt: skip
