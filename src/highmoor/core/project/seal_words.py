"""What is another than when it was sealed, in words."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.numbers import shown
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.project.fields import fields_of
from highmoor.core.safety.seal.canonical import canonical, unset
from highmoor.core.safety.seal.parts import Unlike

# What follows, by its name in the seal: its label and its unit.
_RESULTS = {
    "response_ms": ("Response", "ms"), "standstill_ms": ("Standstill", "ms"), "level": ("Level reached, PL", ""),
    "sil": ("SIL reached", ""), "missing": ("Cannot be told", ""), "distance_mm": ("Distance needed", "mm"),
    "short_mm": ("Too near by", "mm"),
    "past": ("Reached past the zone", ""), "room_behind": ("Room to stand behind", ""),
}  # fmt: skip
_ITS_KIND = frozenset({"role", "kind", "name", "type", "output"})
# What no form has, or has by another name.
_SHAPE = {
    "kind": ("Drawn as", ""), "points": ("Corners", ""), "x": ("Left x", "mm"), "y": ("Lower y", "mm"),
    "width": ("Width", "mm"), "depth": ("Depth", "mm"), "from": ("From", "°"), "to": ("To", "°"),
    "radius": ("Radius", "mm"),
}  # fmt: skip
_FIELDS = {"kind": "Kind", "points": "Corners", "safety": "Figures of its type", "name": "Name"}


@dataclass(frozen=True, slots=True)
class DifferenceInWords:
    """Of which device, where within it ("" for itself), what, how it was sealed and how it is now, "" for not there.

    `follows` says that it was not set, but follows from what was. `row` is the row to go to, "" for one that is gone.
    """

    device: str
    at: str
    label: str
    before: str
    now: str
    follows: bool
    row: str


def in_words(analysis: Analysis, differences: Sequence[Unlike]) -> list[DifferenceInWords]:
    """All differences from the last seal, or of a device; of what came or went as a whole, one line."""
    lines: list[DifferenceInWords] = []
    kept = {(one.device, one.at) for one in differences if one.before and one.now}
    # All of a place came or went where its kind or its role did.
    whole = {(one.device, one.at) for one in differences if one.field in _ITS_KIND} - kept
    seen: set[tuple[str, str]] = set()
    for one in differences:
        place = one.device, one.at
        if place in whole:
            if place not in seen:
                seen.add(place)
                lines.append(_line(analysis, one, "", "there" if one.before else "", "there" if one.now else ""))
            continue
        label, unit, spec = _named(analysis, one)
        # What is not set is what it is by itself.
        usual = canonical(spec.default) if spec is not None and not unset(spec.default) else ""
        before, now = (_value(text or usual, unit, spec) for text in (one.before, one.now))
        lines.append(_line(analysis, one, label, before, now))
    return lines


def _line(analysis: Analysis, one: Unlike, label: str, before: str, now: str) -> DifferenceInWords:
    row = one.row if analysis.plant.find(one.row) is not None else ""
    return DifferenceInWords(one.device, one.at, label, before, now, one.field.startswith("result."), row)


def _named(analysis: Analysis, one: Unlike) -> tuple[str, str, FieldSpec | None]:
    name = one.field.removeprefix("result.")
    if name != one.field:
        return *_RESULTS.get(name, (name, "")), None
    if one.field.startswith("settings.shape."):
        return *_SHAPE.get(one.field.rpartition(".")[2], (one.field, "")), None
    row: Any = analysis.plant.find(one.row)
    specs = fields_of(analysis.plant, analysis.catalogue, row) if row is not None else ()
    spec = next((each for each in specs if each.path == one.field), None)
    if spec is not None:
        return spec.label, spec.unit, spec
    last = one.field.rpartition(".")[2]
    return _FIELDS.get(last, last.replace("_", " ")), "", None


def _value(text: str, unit: str, spec: FieldSpec | None) -> str:
    if not text:
        return ""
    value = json.loads(text)
    if spec is not None and spec.choices:
        chosen = next((choice.label for choice in spec.choices if choice.value == value), None)
        if chosen is not None:
            return f"{chosen} {unit}".strip()
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float):
        return f"{shown(value)} {unit}".strip()
    if isinstance(value, list):
        return ", ".join(map(str, value)) if all(isinstance(one, str) for one in value) else f"{len(value)} points"
    return str(value) if not isinstance(value, dict) else "…"
