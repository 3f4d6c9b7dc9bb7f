"""Signals at a scanner: which one is what, and as many as are missing made by a pattern."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from highmoor.core.errors import Refusal
from highmoor.core.plant.rows import Link, SafetyPart, Scanner, Signal, Situation, Use, Zone, ZoneUse
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.patterns import worded
from highmoor.core.project.signal_edits import End, add_signals
from highmoor.core.project.signal_names import SignalNames
from highmoor.core.safety.scanner.signals import ENABLE, OUTPUT, SELECT, TYPES, roles_of
from highmoor.core.safety.scanner.types import scanner_set

# How many channels are looked at for one that is free.
_STEPS_AT_MOST = 64
_MADE = "$signal_of_a_scanner"


def scanner_roles(scanner: Scanner) -> tuple[str, ...]:
    """What signals can be to it."""
    return roles_of(scanner_set(scanner.type, scanner.settings))


def of_a_kind(draft: Draft, signal: Signal) -> None:
    """Raises Refusal for a signal that is not TRUE or FALSE."""
    if signal.type not in TYPES:
        raise Refusal(f"{signal.name} is {signal.type}: an input or an output of a scanner is on or off.",
                      place=signal.id, field="signal")  # fmt: skip


def name_scanner(draft: Draft, edit: edits.NameScanner) -> None:
    """Raises Refusal for a pattern that is not understood, where all have a signal, and where channels run out."""
    scanner = draft.plant.get(draft.resolve(edit.scanner), Scanner)
    uses = draft.plant.children(Use, scanner.id)
    named = {use.role for use in uses}
    selects = (draft.plant.get(use.signal, Signal) for use in uses if use.role.startswith(SELECT))
    task = next((one.task for one in selects), None) if edit.what != OUTPUT else None
    wanted = [(role, words) for role, words in _wanted(draft, scanner, edit.what) if role not in named]
    if not wanted:
        raise Refusal("All of them have a signal.", place=scanner.id)
    if edit.place and not edit.key:
        raise Refusal("Which channel of it is the first?", field="key")
    end = End.of(draft, edit.place, edit.key) if edit.place and edit.key else None
    names, step = SignalNames(draft, scanner.controller), 0
    for role, words in wanted:
        name = names.new(worded(edit.pattern, words))
        add_signals(draft, edits.AddSignals(controller=scanner.controller, pattern=name, tag=_MADE))
        signal = draft.tags.pop(_MADE)
        # By another task it would change at another instant than the inputs that are driven already.
        draft.put(replace(draft.plant.get(signal, Signal), task=task))
        if end is not None:
            link, step = _free(draft, end, signal, step)
            wrong = "reads" if edit.what != OUTPUT else "writes"
            if link.access == wrong:
                raise Refusal("Inputs of a scanner are driven by outputs, and its outputs are read by inputs.",
                              field="place")  # fmt: skip
            draft.put(link)
        draft.put(Use(draft.new_id("uses"), scanner.id, signal, role, draft.last_rank(Use, scanner.id)[0]))


def _free(draft: Draft, end: End, signal: str, step: int) -> tuple[Link, int]:
    """The next channel at which no signal is, and the one after that."""
    taken = {draft.plant.get(one, Link).key for one in draft.plant.referring("links", "place", end.place.id)}
    first = end.link(draft, signal, 0, None)
    for steps in range(step, step + _STEPS_AT_MOST):
        try:
            link = end.link(draft, signal, steps, None)
        except Refusal:
            break
        if link.key not in taken:
            return link, steps + 1
    raise Refusal(f"Behind {first.key} there are not as many free channels.", field="key", value=first.key)


def _wanted(draft: Draft, scanner: Scanner, what: str) -> Iterator[tuple[str, dict[str, str]]]:
    """The roles of a kind, with what a pattern can say of each; outputs only where no safe input has them."""
    of = scanner_set(scanner.type, scanner.settings)
    situations = draft.plant.children(Situation, scanner.id)
    words = {"scanner": scanner.name, "n": "", "situation": "", "zone": ""}
    if what == ENABLE:
        yield ENABLE, words
    elif what == SELECT:
        for n in range(1, of.inputs + 1):
            selected = [one.name for one in situations if one.select[n - 1 : n] == "1"]
            yield f"{SELECT}{n}", {**words, "n": str(n), "situation": selected[0] if selected else f"Input {n}"}
    else:
        parts = (draft.plant.get(i, SafetyPart) for i in draft.plant.referring("safety_parts", "device", scanner.id))
        safe = {part.settings.get("output", 1) for part in parts if part.role == "sensor"}
        for n in range(1, of.outputs + 1):
            if n not in safe:
                yield f"{OUTPUT}{n}", {**words, "n": str(n), "zone": _zone_at(draft, situations, n)}


def _zone_at(draft: Draft, situations: list[Situation], output: int) -> str:
    """The zone an output answers to, where it is the same in all situations."""
    uses = (use for one in situations for use in draft.plant.children(ZoneUse, one.id) if use.output == output)
    zones = {use.zone for use in uses}
    zone = draft.plant.find(next(iter(zones))) if len(zones) == 1 else None
    return zone.letter if isinstance(zone, Zone) else str(output)
