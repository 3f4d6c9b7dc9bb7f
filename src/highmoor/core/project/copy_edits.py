"""What of an axis stands in its drive: written there, taken from there, saved, and what comes of a restart."""

from __future__ import annotations

from highmoor.core.errors import Refusal
from highmoor.core.motion.chain import chain_of
from highmoor.core.motion.copies import BY_KEY, InDrive, Value, as_said, in_drive, values_of
from highmoor.core.motion.units import unit_of
from highmoor.core.plant.change import with_value
from highmoor.core.plant.rows import Axis, ChainLink, Station
from highmoor.core.project import edits
from highmoor.core.project.built_edits import built_row
from highmoor.core.project.draft import Draft
from highmoor.core.project.set_fields import with_field


def drive_copies(draft: Draft, edit: edits.DriveCopies) -> None:
    """Raises Refusal for an axis without a drive on a network, a chain that is not whole, or no such parameter."""
    axis = draft.plant.get(draft.resolve(edit.axis), Axis)
    drive = draft.plant.find(axis.drive)
    unit = unit_of(axis.kind, axis.unit)
    chain = chain_of(draft.plant.children(ChainLink, axis.id), linear=unit.linear)
    if not isinstance(drive, Station) or chain.problem:
        raise Refusal(f"{axis.name} needs a drive and a whole chain first.", place=axis.id)
    unknown = [key for key in edit.keys if key not in BY_KEY]
    if unknown:
        raise Refusal(f"A drive has no parameter {unknown[0][:40]!r}.", place=axis.id)
    built, project = built_row(draft, drive.id), values_of(axis, chain, unit)
    has = in_drive(axis.id, project, built.settings)
    keys = edit.keys or list(BY_KEY)
    if edit.do == "take":
        draft.put(_taken(draft, axis, has, [key for key in keys if BY_KEY[key].field]))
        return
    if edit.do == "write":
        has = _written(has, project, keys)
    else:
        has = _saved(has) if edit.do == "save" else _restarted(has)
    draft.put(with_value(built, f"settings.copies.{axis.id}", as_said(has)))


def _written(has: InDrive, project: dict[str, Value], keys: list[str]) -> InDrive:
    """What counts only from a restart on counts as it did until then."""
    told = {**has.told, **{key: project[key] for key in keys}}
    acting = {key: has.acting[key] if BY_KEY[key].restart else told[key] for key in told}
    return InDrive(has.saved, told, acting, has.restarts)


def _saved(has: InDrive) -> InDrive:
    return InDrive(has.told, has.told, has.acting, has.restarts)


def _restarted(has: InDrive) -> InDrive:
    """What was not saved is gone."""
    return InDrive(has.saved, has.saved, has.saved, has.restarts + 1)


def _taken(draft: Draft, axis: Axis, has: InDrive, keys: list[str]) -> Axis:
    """The axis with what its drive was told; what comes of several links is set there."""
    unit = unit_of(axis.kind, axis.unit)
    for key in keys:
        value, field = has.told[key], BY_KEY[key].field
        if key == "reversed":
            axis = with_field(draft, axis, field, bool(value))
        elif key in ("drive_digits", "home_method"):
            axis = with_field(draft, axis, field, None if value is None else int(value))
        else:
            a_speed = unit.a_speed if BY_KEY[key].unit.startswith("{}/s") else 1
            axis = with_field(draft, axis, field, None if value is None else value * a_speed)
    return axis
