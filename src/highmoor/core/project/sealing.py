"""Sealing: one more record of a controller, of what it covers now. Who may, and the time, are told from outside."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from highmoor.core.analysis.engine import Analysis
from highmoor.core.errors import Refusal
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, SafetyFunction, Seal, Situation
from highmoor.core.project.draft import Draft
from highmoor.core.project.reporting import label_of
from highmoor.core.safety.fault_plan import not_tried
from highmoor.core.safety.proofs import DueTold, ProofsTold
from highmoor.core.safety.scanner.walk import WalkTold
from highmoor.core.safety.seal.parts import SealTold
from highmoor.core.safety.seal.tree import Tree

_OPEN = {
    "never": "not yet on site", "changed": "changed since {last}", "overdue": "overdue since {due}",
}  # fmt: skip


def seal(
    analysis: Analysis, controller: str, *, at: str, by: str, revision: int, edited_last: bool,
    also_open: Sequence[str] = (),
) -> Draft:  # fmt: skip
    """The plant with a seal of a controller as it is. `at` is an instant, ISO 8601 in UTC; `edited_last` whether `by`
    made the last edit of what is sealed; `also_open` is what is open besides what the plant says. Raises Refusal
    where there is nothing to seal, where errors are open, where two things cannot be told apart."""
    row = analysis.plant.get(controller, Controller)
    told: SealTold | None = analysis.result("controller.seal", controller)
    if told is None:
        raise Refusal("The seal could not be computed; the findings say where.", place=controller)
    tree: Tree = analysis.result("controller.covered", controller)
    if told.state == "nothing":
        raise Refusal(f"{row.name} has no safety functions to seal.", place=controller)
    if told.alike:
        raise Refusal(f"Two things are called alike, so that a seal could not tell them apart: {told.alike[0]}.",
                      place=controller)  # fmt: skip
    if told.state == "whole" and told.kept is not None and not told.kept.brought:
        raise Refusal("It is sealed as it is.", place=controller)
    errors = list(open_errors(analysis, tree))
    if errors:
        more = f" ({len(errors) - 1} more)" if len(errors) > 1 else ""
        raise Refusal(f"Not before this is mended: {errors[0]}{more}", place=controller)
    draft = Draft(analysis.plant, analysis.catalogue)
    data = {"items": [[one.device, one.at, one.field, one.value, one.row] for one in tree.items],
            "open": [*open_proofs(analysis, controller), *also_open], "edited_last": edited_last}  # fmt: skip
    rank = draft.last_rank(Seal, controller)[0]
    draft.put(Seal(draft.new_id("seals"), controller, at, rank, by, revision, tree.fingerprint(), data))
    return draft


def open_errors(analysis: Analysis, tree: Tree) -> Iterator[str]:
    """Errors of what a seal covers, in words."""
    rows = {item.row for item in tree.items}
    for found in analysis.findings.values():
        check = analysis.checks.by_code[found.code]
        if check.severity == "error" and check.stage == "safety" and any(place.id in rows for place in found.places):
            yield f"{label_of(analysis.plant, found.places[0].id, analysis.catalogue.find)}: {check.render(found)}"


def open_proofs(analysis: Analysis, controller: str) -> Iterator[str]:
    """What is not proved on site, or not any more, in words; each once, however many functions it is in."""
    told = dict.fromkeys((one.name, one.label, one.state, one.last, one.due) for one in dues(analysis, controller)
                         if one.state in _OPEN)  # fmt: skip
    for name, label, state, last, due in told:
        yield f"{name}: {label[0].lower()}{label[1:]}, {_OPEN[state].format(last=last, due=due)}"
    for function in analysis.plant.children(SafetyFunction, controller):
        for name, (open_ones, every) in not_tried(analysis.result("function.faults", function.id) or ()).items():
            if open_ones:
                yield f"{name}: {open_ones} of {every} faults not tried on site"
    for situation in _situations(analysis.plant, controller):
        walk: WalkTold | None = analysis.result("situation.walk", situation.id)
        for output in walk.outputs if walk else ():
            if output.state != "walked":
                yield f"{situation.name}, output {output.output}: {WORDS_OF_WALK[output.state]}"


WORDS_OF_WALK = {
    "never": "not walked on site", "partly": "not walked everywhere", "changed": "changed since it was walked",
    "failed": "not seen somewhere when it was walked",
}  # fmt: skip


def dues(analysis: Analysis, controller: str) -> Iterator[DueTold]:
    """What is due of all functions of a controller."""
    for function in analysis.plant.children(SafetyFunction, controller):
        told: ProofsTold | None = analysis.result("function.proofs", function.id)
        yield from told.due if told else ()


def _situations(plant: Plant, controller: str) -> Iterator[Situation]:
    for scanner in plant.referring("scanners", "controller", controller):
        yield from plant.children(Situation, scanner)
