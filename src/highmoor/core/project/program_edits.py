"""Edits of programs: a new one, and the texts of all when signals are called otherwise."""

from __future__ import annotations

from dataclasses import replace

from highmoor.core.plant.rows import Controller, Program, Signal, Task
from highmoor.core.program.renaming import renamed
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft


def add_program(draft: Draft, edit: edits.AddProgram) -> None:
    """A program behind the controller's last. Raises Gone for a controller or a task that is not there."""
    controller = draft.plant.get(draft.resolve(edit.controller), Controller)
    task = draft.plant.get(draft.resolve(edit.task), Task).id if edit.task else None
    taken = [program.name for program in draft.plant.children(Program, controller.id)]
    name = edit.name or draft.free_name("Program1", taken)
    rank = draft.last_rank(Program, controller.id)[0]
    row = Program(draft.new_id("programs"), controller.id, name, rank, task, edit.text)
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def follow_names(draft: Draft) -> None:
    """Whatever an edit renamed is called so in the texts of its controller's programs as well."""
    again: dict[str, dict[str, str]] = {}
    types: dict[str, str] = {}
    for (table, _), (before, after) in draft.change.items():
        if before is None or after is None or table not in ("signals", "structures") or before.name == after.name:
            continue
        of = again.setdefault(after.controller, {}) if table == "signals" else types
        of[before.name] = after.name
    written = {row_id for (table, row_id), _ in draft.change.items() if table == "programs"}
    if not again and not types:
        return
    for controller in draft.plant.all(Controller):
        names = again.get(controller.id, {})
        programs = [p for p in draft.plant.children(Program, controller.id) if p.id not in written]
        if programs and (names or types):
            every = draft.plant.children(Signal, controller.id)
            known = {s.name: s.name for s in every if s.name not in names.values()} | names
            draft.put(*(replace(program, text=renamed(program.text, known, types)) for program in programs))
