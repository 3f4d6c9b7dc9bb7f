"""Edits of axes: a new one with a chain to begin with, links and moves, and the order of these."""

from __future__ import annotations

import dataclasses

from highmoor.core.errors import Refusal
from highmoor.core.motion.fields import drives_of, pulse_modules_of
from highmoor.core.motion.links import LINK_KINDS, MOTORS
from highmoor.core.motion.units import AXIS_KINDS
from highmoor.core.plant.ranks import ranks_between
from highmoor.core.plant.rows import Axis, ChainLink, Controller, Module, Move, Station
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft

# What a new axis's chain is of, by its kind.
_BEGINS: dict[str, tuple[str, ...]] = {
    "linear": ("motor", "gear", "screw", "load"),
    "rotary": ("motor", "gear", "load"),
    "endless": ("motor", "gear", "load"),
    "speed": ("motor", "load"),
}


def add_axis(draft: Draft, edit: edits.AddAxis) -> None:
    """An axis behind the controller's last, called as its drive is. Raises Gone for what is not there."""
    controller = draft.plant.get(draft.resolve(edit.controller), Controller)
    drive: Station | Module | None = draft.plant.get(draft.resolve(edit.drive), object) if edit.drive else None  # type: ignore[assignment]
    if drive is not None and not isinstance(drive, Station | Module):
        raise Refusal("An axis is of a drive on a network, or of a module's output.", place=drive.id, field="drive")
    if drive is not None and not _reached(draft, controller.id, drive.id):
        raise Refusal(f"{controller.name} does not reach this drive: it is another controller's.", place=drive.id,
                      field="drive")  # fmt: skip
    taken = [axis.name for axis in draft.plant.children(Axis, controller.id)]
    name = edit.name or draft.free_name(_identifier(getattr(drive, "name", "")) or "Axis1", taken)
    kind = AXIS_KINDS[edit.axis]
    rank = draft.last_rank(Axis, controller.id)[0]
    key = _free_output(draft, controller.id, drive.id) if isinstance(drive, Module) else ""
    axis = Axis(
        draft.new_id("axes"), controller.id, name, rank, kind.key, kind.units[0], drive.id if drive else None, key
    )
    links = [("stepper" if link == "motor" and key else link) for link in _BEGINS[edit.axis]]
    ranks = ranks_between("", "", len(links))
    begin = {"gear": {"motor_turns": 1, "load_turns": 1}}
    rows = [
        ChainLink(draft.new_id("chain_links"), axis.id, link, place, begin.get(link, {}))
        for link, place in zip(links, ranks, strict=True)
    ]
    draft.put(axis, *rows)
    if edit.tag:
        draft.tags[edit.tag] = axis.id


def _reached(draft: Draft, controller: str, drive: str) -> bool:
    """Whether a drive is on a network of a controller, or an output on its rails."""
    stations = (station.id for station, _ in drives_of(draft.plant, draft.catalogue, controller))
    modules = (module.id for module, _, _ in pulse_modules_of(draft.plant, draft.catalogue, controller))
    return drive in stations or drive in modules


def _free_output(draft: Draft, controller: str, module: str) -> str:
    """The first output of a module that gives pulses and no axis has yet; the first of all where each has one."""
    modules = pulse_modules_of(draft.plant, draft.catalogue, controller)
    outputs = [f"ch{pair.pulse}" for row, _, pairs in modules if row.id == module for pair in pairs]
    taken = {axis.key for axis in draft.plant.children(Axis, controller) if axis.drive == module}
    return next((output for output in outputs if output not in taken), outputs[0])


def _identifier(name: str) -> str:
    """A device's name as a program can call an axis; "" where nothing of it can stay."""
    kept = "".join(c if c.isascii() and c.isalnum() else "_" for c in name).strip("_")
    while "__" in kept:
        kept = kept.replace("__", "_")
    return kept if kept[:1].isalpha() else ""


def add_chain_link(draft: Draft, edit: edits.AddChainLink) -> None:
    """A link where it was asked for, or where one of its kind can stand. Raises Refusal for a second end of a chain."""
    axis = draft.plant.get(draft.resolve(edit.axis), Axis)
    links = draft.plant.children(ChainLink, axis.id)
    ends: dict[str, tuple[str, ...]] = {**dict.fromkeys(MOTORS, MOTORS), "load": ("load",)}
    if any(link.kind in ends.get(edit.link, ()) for link in links):
        raise Refusal(f"{axis.name} has a {'load' if edit.link == 'load' else 'motor'} already.", place=axis.id)
    before = draft.resolve(edit.before) if edit.before else _usual_place(links, edit.link)
    begin = {"motor_turns": 1, "load_turns": 1} if edit.link == "gear" else {}
    rank = draft.ranks_before(links, before)[0]
    row = ChainLink(draft.new_id("chain_links"), axis.id, edit.link, rank, begin)
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def _usual_place(links: list[ChainLink], kind: str) -> str | None:
    """Before which link one of a kind goes: gears before what makes a way, all before the load, the motor first."""
    if kind in MOTORS:
        return links[0].id if links else None
    follows = [link for link in links if link.kind == "load" or (kind == "gear" and LINK_KINDS[link.kind].linear)]
    return follows[0].id if follows and kind != "load" else None


def add_move(draft: Draft, edit: edits.AddMove) -> None:
    """A move behind the axis's last."""
    axis = draft.plant.get(draft.resolve(edit.axis), Axis)
    taken = [move.name for move in draft.plant.children(Move, axis.id)]
    name = edit.name or draft.free_name("Move1", taken)
    row = Move(draft.new_id("moves"), axis.id, name, draft.last_rank(Move, axis.id)[0], edit.goes)
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def put_before(draft: Draft, edit: edits.PutBefore) -> None:
    """A link or a move elsewhere in its axis. Raises Refusal for anything else, Gone for a neighbour of another."""
    row = draft.plant.get(draft.resolve(edit.id), object)
    if not isinstance(row, ChainLink | Move):
        raise Refusal("Links of a chain and moves are put in order so.", place=edit.id)
    siblings = [each for each in draft.plant.children(type(row), row.axis) if each.id != row.id]
    before = draft.resolve(edit.before) if edit.before else None
    if before == row.id:
        return
    draft.put(dataclasses.replace(row, rank=draft.ranks_before(siblings, before)[0]))
