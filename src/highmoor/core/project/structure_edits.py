"""Edits of structures: declared, changed together with every variable of it, and variables renamed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.errors import Refusal
from highmoor.core.plant.fields import identifier_problem
from highmoor.core.plant.ranks import ranks_between
from highmoor.core.plant.rows import Controller, DataStructure, Signal
from highmoor.core.plant.variables import variable_problem
from highmoor.core.project import edits
from highmoor.core.project.cell_edits import hold_apart
from highmoor.core.project.draft import Draft
from highmoor.core.signals.declared import (
    Declarations,
    Member,
    in_one_form,
    inner_type,
    members_of,
    shape_object,
)
from highmoor.core.signals.shapes import Part, folded, of_structures


def set_structure(draft: Draft, edit: edits.SetStructure) -> None:
    """A structure declared, or changed with all variables that are of it.

    Raises Refusal for a name that is none or taken, for members that are none, and for a structure within itself.
    """
    old = draft.plant.get(draft.resolve(edit.of), DataStructure) if edit.of else None
    _hold_name(draft, edit.name, old)
    members = [Member(m.name, in_one_form(m.type), m.unit, m.note) for m in edit.members]
    shape = shape_object({"members": [asdict(member) for member in members]})
    instances = list(_variables_of(draft, old)) if old else []
    if old is None:
        row = DataStructure(draft.new_id("structures"), edit.name, draft.last_rank(DataStructure, None)[0], shape)
    else:
        row = replace(old, name=edit.name, shape=shape)
        _renamed_in_others(draft, old, edit.name)
    draft.put(row)
    declared = Declarations.of(draft.plant)
    for structure in draft.plant.all(DataStructure):
        # Also those that have it as a member: none may come to lie within itself.
        declared.shape(structure.name)
    if old:
        changed = _Change(draft, declared, members_of(old), edit)
        for part in instances:
            changed.follow(part)
        changed.done()
    if edit.tag:
        draft.tags[edit.tag] = row.id


def _hold_name(draft: Draft, name: str, old: DataStructure | None) -> None:
    problem = identifier_problem(name)
    if not problem and name.upper() in DATA_TYPES:
        problem = f"{name} is an elementary type."
    taken = Declarations.of(draft.plant).find(name)
    if not problem and taken and (old is None or taken.id != old.id):
        problem = f"{taken.name} is declared already."
    if problem:
        raise Refusal(problem, field="name", value=name)


def _renamed_in_others(draft: Draft, old: DataStructure, name: str) -> None:
    """The structures that have it as a member call it by its new name."""
    if old.name == name:
        return
    for other in draft.plant.all(DataStructure):
        members = [
            replace(m, type=m.type[: len(m.type) - len(inner_type(m.type))] + name)
            if inner_type(m.type).lower() == old.name.lower()
            else m
            for m in members_of(other)
        ]
        draft.put(replace(other, shape={"members": [asdict(member) for member in members]}))


def _variables_of(draft: Draft, structure: DataStructure) -> Iterator[Part]:
    """Every variable, or part of one, that is of a declared structure, in all controllers."""
    wanted = folded(Declarations.of(draft.plant).shape(structure.name))
    for controller in draft.plant.all(Controller):
        variables = of_structures(draft.plant.children(Signal, controller.id))
        yield from (part for part in variables.parts() if folded(part.shape) == wanted)


@dataclass(slots=True)
class _Change:
    """What becomes of the variables of a structure whose members change: gathered of all, then done at once."""

    draft: Draft
    declared: Declarations
    before: tuple[Member, ...]
    edit: edits.SetStructure
    changed: list[Signal] = field(default_factory=list)
    doomed: list[Signal] = field(default_factory=list)
    # What is made, by the signal that it stands behind.
    made: dict[str, list[Signal]] = field(default_factory=dict)

    def follow(self, part: Part) -> None:
        """One variable of it: members renamed, of another type, gone or new."""
        new = {m.was.lower(): m for m in self.edit.members if m.was}
        signals = [self.draft.plant.get(i, Signal) for i in part.signals]
        for member in self.before:
            prefix = f"{part.name}.{member.name}".lower()
            own = [s for s in signals if _is_within(s.name.lower(), prefix)]
            after = new.get(member.name.lower())
            if after is None:
                self.doomed += own
            elif self._retyped(member, after):
                self._replace(part, own, after)
            else:
                head = f"{part.name}.{after.name}"
                self.changed += (replace(s, name=head + s.name[len(prefix) :]) for s in own)
        for member_made in self.edit.members:
            if not member_made.was:
                # Behind the last of it, which may be one of those that go.
                self._make(signals[-1], f"{part.name}.{member_made.name}", member_made)

    def _retyped(self, before: Member, after: edits.StructureMember) -> bool:
        return in_one_form(after.type).lower() != before.type.lower()

    def _replace(self, part: Part, own: list[Signal], after: edits.StructureMember) -> None:
        """A member of another type: an elementary one stays, with its links; others are made anew."""
        kind, name = in_one_form(after.type), f"{part.name}.{after.name}"
        if kind in DATA_TYPES and len(own) == 1:
            self.changed.append(replace(own[0], name=name, type=kind))
        else:
            self._make(own[-1], name, after)
            self.doomed += own

    def _make(self, behind: Signal, name: str, member: edits.StructureMember) -> None:
        self.made.setdefault(behind.id, []).extend(
            Signal(
                self.draft.new_id("signals"), behind.controller, element.name, element.type, "",
                element.unit or member.unit, element.note or member.note, area=behind.area,
            )
            for element in self.declared.elements(name, member.type)
        )  # fmt: skip

    def done(self) -> None:
        """All of it. Raises Refusal where a name would be another's."""
        rows = [*self.changed, *self._ranked()]
        self.draft.remove([signal.id for signal in self.doomed])
        hold_apart(self.draft, rows)
        self.draft.put(*rows)

    def _ranked(self) -> Iterator[Signal]:
        """What is made, each behind what it stands behind and before what follows that."""
        for controller in self.draft.plant.all(Controller) if self.made else ():
            siblings = self.draft.plant.children(Signal, controller.id)
            for n, behind in enumerate(siblings):
                made = self.made.get(behind.id, ())
                follower = siblings[n + 1].rank if n + 1 < len(siblings) else ""
                ranks = ranks_between(behind.rank, follower, len(made))
                yield from (replace(signal, rank=rank) for signal, rank in zip(made, ranks, strict=True))


def _is_within(name: str, prefix: str) -> bool:
    return name == prefix or name.startswith((f"{prefix}.", f"{prefix}["))


def rename_variable(draft: Draft, edit: edits.RenameVariable) -> None:
    """A variable, or a part of one, renamed with all within it. Raises Refusal for none, and for a taken name."""
    controller = draft.plant.get(draft.resolve(edit.controller), Controller)
    problem = variable_problem(edit.by)
    if problem:
        raise Refusal(problem, field="by", value=edit.by)
    prefix = edit.name.lower()
    every = draft.plant.children(Signal, controller.id)
    own: list[Any] = [signal for signal in every if _is_within(signal.name.lower(), prefix)]
    if not own:
        raise Refusal(f"{controller.name} has no variable {edit.name}.", field="name", value=edit.name)
    renamed = [replace(signal, name=edit.by + signal.name[len(prefix) :]) for signal in own]
    hold_apart(draft, renamed)
    draft.put(*renamed)
