"""Remedies for what is wired to modules, and for their revisions."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from typing import Any, Final

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.hardware.parts import FIELD_FEED_IN
from highmoor.core.plant.change import value_at
from highmoor.core.plant.rows import Module, Rail
from highmoor.core.project import edits
from highmoor.core.project.fields import fields_of
from highmoor.core.project.remedy import Hand, Remedy, set_fields, tried

_CABINET: Final[Hand] = "in the project, and by hand in the cabinet"


def _field_feed_in(analysis: Analysis, found: Finding) -> Remedy | None:
    """A field feed-in before the module at which its group goes over; tried, since its own limit counts as well."""
    begin: Any = analysis.plant.get(found.places[0].id, object)
    headed = [rail.id for rail in analysis.plant.children(Rail, begin.id)]
    rails = [begin.rail, *headed] if isinstance(begin, Module) else headed
    for rail in rails:
        for group in analysis.result("rail.field", rail).groups:
            if group.begins_at != found.places[0].id or group.limit_ma is None:
                continue
            load = 0.0
            for module in group.modules:
                load += analysis.result("module.wiring", module).load_ma * group.simultaneity
                if load > group.limit_ma:
                    edit = edits.InsertModules(rail=rail, type=FIELD_FEED_IN, before=module)
                    slot = analysis.result("rail.mounting", rail).slots[module]
                    return tried(
                        analysis, found, Remedy(f"Insert a field feed-in before slot {slot}", "in the project", edit)
                    )
    return None


def _larger_fuse(analysis: Analysis, found: Finding) -> Remedy | None:
    """The next fuse that holds, as long as the supply behind it bears as much."""
    row: Any = analysis.plant.get(found.places[0].id, object)
    rail = row.rail if isinstance(row, Module) else row.id
    begin = row.id if isinstance(row, Module) else row.head
    limit = next(group.limit_ma for group in analysis.result("rail.field", rail).groups if group.begins_at == begin)
    spec = next(s for s in fields_of(analysis.plant, analysis.catalogue, row) if s.path == "settings.fuse_a")
    for amperes in [choice.value for choice in spec.choices] or [2, 4, 6.3, 10, 16]:
        if limit is not None and amperes * 1000 > limit:
            return None
        remedy = set_fields(f"Fit a fuse of {amperes} A", row.id, settings__fuse_a=amperes)
        helps = tried(analysis, found, dataclasses.replace(remedy, hand=_CABINET))
        if helps:
            return helps
    return None


def _thicker_core(analysis: Analysis, found: Finding) -> Remedy | None:
    """The next core area with which the voltage, or the loop's burden, is in order."""
    module = analysis.plant.get(found.places[0].id, Module)
    path = f"{found.places[0].field.rpartition('.')[0]}.area_mm2"
    spec = next(s for s in fields_of(analysis.plant, analysis.catalogue, module) if s.path == path)
    now = value_at(module, path) or 0
    for choice in spec.choices:
        if choice.value > now:
            edit = edits.SetFields(ids=[module.id], values={path: choice.value})
            helps = tried(analysis, found, Remedy(f"Take cores of {choice.label}", _CABINET, edit))
            if helps:
                return helps
    return None


def _no_supervision(analysis: Analysis, found: Finding) -> Remedy | None:
    silent = analysis.result("module.wiring", found.places[0].id).unlinked_supervised
    values = {f"settings.channels.ch{number}.supervise": False for number in silent}
    return Remedy(
        "Switch their supervision off", "in the project", edits.SetFields(ids=[found.places[0].id], values=values)
    )


def _matching_sensor(analysis: Analysis, found: Finding) -> Remedy | None:
    wanted = str(dict(found.values)["wanted"])
    place = found.places[0]
    edit = edits.SetFields(ids=[place.id], values={place.field: wanted.lower()})
    return Remedy(f"Take it as {wanted}", _CABINET, edit)


def _newest_revision(analysis: Analysis, found: Finding) -> Remedy | None:
    return Remedy(
        "Take the type's newest revision",
        "in the project",
        edits.SetFields(ids=[found.places[0].id], values={"revision": None}),
    )


def _not_supervised(analysis: Analysis, found: Finding) -> Remedy | None:
    place = found.places[0]
    edit = edits.SetFields(ids=[place.id], values={place.field: False})
    return Remedy("Switch its supervision off", "in the project", edit)


def _three_leads(analysis: Analysis, found: Finding) -> Remedy | None:
    place = found.places[0]
    return Remedy("Wire it with three leads", _CABINET, edits.SetFields(ids=[place.id], values={place.field: 3}))


WIRING_REMEDIES: dict[str, Callable[[Analysis, Finding], Remedy | None]] = {
    "HW-114": _newest_revision,
    "HW-401": _field_feed_in,
    "HW-402": _larger_fuse,
    "HW-405": _matching_sensor,
    "HW-407": _thicker_core,
    "HW-408": _thicker_core,
    "HW-410": _matching_sensor,
    "HW-411": _no_supervision,
    "HW-412": _not_supervised,
    "HW-413": _three_leads,
}
