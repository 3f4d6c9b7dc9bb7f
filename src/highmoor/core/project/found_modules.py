"""The modules of a rail as configured beside those that were found, and what makes it the found one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from highmoor.core.networks.scanning import FoundModule
from highmoor.core.plant.rows import Module
from highmoor.core.project import edits
from highmoor.core.project.alignment import Pair


def by_slot(configured: Sequence[Module], found: Sequence[FoundModule]) -> Iterator[Pair[Module, FoundModule]]:
    """Side by side where slots are addressed."""
    here, there = {module.slot or 0: module for module in configured}, {module.slot: module for module in found}
    for slot in sorted({*here, *there}):
        one, other = here.get(slot), there.get(slot)
        yield Pair(one, other, one is not None and other is not None and one.type in other.types)


def taken_over(rail: str, pairs: Sequence[Pair[Module, FoundModule]]) -> list[edits.Edit]:
    """What makes the rail hold what was found, all of which is known: what stands elsewhere moves with its links."""
    moved = _moved_modules(pairs)
    if any(pair.other and pair.other.slot for pair in pairs):
        return _in_slots(rail, pairs, moved)
    steps: list[edits.Edit] = []
    before: str | None = None
    for n, pair in reversed(list(enumerate(pairs))):
        if pair.other is None:
            continue
        here = pair.one if pair.one and pair.one.id not in {module.id for module in moved.values()} else None
        if n in moved:
            steps.append(edits.MoveModules(ids=[moved[n].id], rail=rail, before=before))
        elif here and not pair.same:
            steps.append(edits.ReplaceModule(id=here.id, type=pair.other.types[0]))
        elif here is None:
            steps.append(edits.InsertModules(rail=rail, type=pair.other.types[0], before=before, tag=f"$m{n}"))
        before = moved[n].id if n in moved else here.id if here else f"$m{n}"
    staying = {module.id for module in moved.values()}
    gone = (p.one for n, p in enumerate(pairs) if p.one and (p.other is None or n in moved))
    steps += [edits.Remove(ids=[module.id]) for module in gone if module.id not in staying]
    return steps


def _in_slots(
    rail: str, pairs: Sequence[Pair[Module, FoundModule]], moved: Mapping[int, Module]
) -> list[edits.Edit]:  # fmt: skip
    """What makes each slot hold what was found there: what stands elsewhere goes there with what is linked to it."""
    staying = {module.id for module in moved.values()}
    steps: list[edits.Edit] = []
    for n, pair in enumerate(pairs):
        if pair.one and pair.one.id not in staying and (pair.other is None or n in moved):
            steps.append(edits.Remove(ids=[pair.one.id]))
    for n, pair in enumerate(pairs):
        if pair.other is None or pair.same:
            continue
        if n in moved:
            steps.append(edits.SetFields(ids=[moved[n].id], values={"slot": pair.other.slot}))
        elif pair.one and pair.one.id not in staying:
            steps.append(edits.ReplaceModule(id=pair.one.id, type=pair.other.types[0]))
        else:
            steps.append(edits.InsertModules(rail=rail, type=pair.other.types[0], slot=pair.other.slot))
    return steps


def _moved_modules(pairs: Sequence[Pair[Module, FoundModule]]) -> dict[int, Module]:
    """By place, the module that is configured elsewhere and stands there: it moves with all that is linked to it."""
    elsewhere = [pair.one for pair in pairs if pair.one and not pair.same]
    moved: dict[int, Module] = {}
    for n, pair in enumerate(pairs):
        types = pair.other.types if pair.other and not pair.same else ()
        found = next((module for module in elsewhere if module.type in types), None)
        if found:
            elsewhere.remove(found)
            moved[n] = found
    return moved
