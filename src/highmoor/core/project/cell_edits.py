"""Edits of many cells at once, as in a spreadsheet: pasted, filled down, rewritten, named by a pattern."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import root_of
from highmoor.core.plant.change import value_at
from highmoor.core.plant.rows import Connection, Controller, Exchange, Link, Module, Rail, Signal, Station
from highmoor.core.plant.variables import variable_problem
from highmoor.core.project import edits
from highmoor.core.project.channel_cells import CELLS, channel_cell, set_channel_cell
from highmoor.core.project.draft import Draft
from highmoor.core.project.lists.naming import named_by, tokens_of
from highmoor.core.project.lists.said import value_of
from highmoor.core.project.set_fields import with_field, with_fields
from highmoor.core.project.signal_edits import End, listed_scaling, places_taken
from highmoor.core.project.signal_fields import SIGNAL_NAME, WIRING
from highmoor.core.project.wires import wire_of
from highmoor.core.signals.at import At
from highmoor.core.signals.declared import Declarations, Element, is_composite

# Texts that count on when they are filled down; all others are the same in each line.
COUNTING = frozenset({"name", "tag", "wiring.terminal", "wiring.core", "wiring.loop"})
_TEXTS = ("name", "tag", "note", "unit", "area", *(f"wiring.{key}" for key in WIRING))
_LAST_NUMBER = re.compile(r"(.*?)(\d+)(\D*)", re.DOTALL)


def set_each(draft: Draft, edit: edits.SetEach) -> None:
    """Each object with values of its own. Raises Refusal with the first that cannot be set, and sets nothing."""
    rows = []
    for ref, values in edit.values.items():
        row: Any = draft.plant.get(draft.resolve(ref), object)
        if not isinstance(row, Signal):
            raise Refusal("Only signals have cells that are set together.", place=row.id)
        for path, given in values.items():
            row = with_field(draft, row, path, given)
        rows.append(row)
    draft.put(*rows)


def paste_signals(draft: Draft, edit: edits.PasteSignals) -> None:
    """A signal for each line. Raises Refusal with the line that cannot be one."""
    controller = draft.plant.get(draft.resolve(edit.controller), Controller)
    taken = {signal.name.lower() for signal in draft.plant.children(Signal, controller.id)}
    declared = Declarations.of(draft.plant)
    made: list[Any] = []
    for n, cells in enumerate(edit.rows, start=1):
        try:
            rows = _pasted(draft, controller, declared, {"name": "", **cells})
        except Refusal as refusal:
            reason = f"Line {n}: {refusal.reason}" if len(edit.rows) > 1 else refusal.reason
            raise Refusal(reason, field=refusal.field, value=refusal.value) from None
        for row in rows:
            if row.name.lower() in taken:
                reason = f"Line {n}: {row.name} is there already in {controller.name}."
                raise Refusal(reason, field="name", value=row.name)
            taken.add(row.name.lower())
        made += rows
    ranks = draft.last_rank(Signal, controller.id, len(made))
    draft.put(*(replace(row, rank=rank) for row, rank in zip(made, ranks, strict=True)))


def _pasted(draft: Draft, controller: Controller, declared: Declarations, cells: dict[str, Any]) -> list[Any]:
    """The signals of a line: one, or of a composite type one for each of its values."""
    typed = str(cells.get("type") or "BOOL")
    elements = [Element(str(cells["name"]), "", "", "")]
    if is_composite(typed):
        elements = declared.elements(SIGNAL_NAME.parse(cells["name"]), typed)
    rows = []
    for element in elements:
        row: Any = Signal(draft.new_id("signals"), controller.id, "", element.type or "BOOL", "", element.unit,
                          element.note)  # fmt: skip
        values = {**cells, "name": element.name, "type": element.type or typed}
        given = {path: value for path, value in values.items() if value != "" or path == "name"}
        rows.append(with_fields(draft, row, given))
    return rows


def counted_on(text: str, steps: int) -> str:
    """The text with its last number so many steps on, as wide as it was: Bed09Temp, one on, is Bed10Temp."""
    found = _LAST_NUMBER.fullmatch(text)
    if found is None:
        return text
    head, digits, tail = found.groups()
    return f"{head}{str(int(digits) + steps).zfill(len(digits))}{tail}"


def fill_down(draft: Draft, edit: edits.FillDown) -> None:
    """What the first has goes to the others, counting on; links go on from place to place.

    Raises Refusal where there is no next place.
    """
    model, *others = (draft.plant.get(draft.resolve(ref), Signal) for ref in edit.ids)
    changed: list[Any] = []
    for n, signal in enumerate(others, start=1):
        row: Any = signal
        for path in edit.fields:
            if path == "link" or path in CELLS:
                continue
            value = value_at(model, path)
            if path in COUNTING and isinstance(value, str):
                value = counted_on(value, n)
            # As it would be typed: what is not set is cleared.
            row = with_field(draft, row, path, "" if value is None and path in _TEXTS else value)
        changed.append(row)
    draft.put(*changed)
    if "link" in edit.fields:
        _link_on(draft, model, [signal.id for signal in others])
    for path in CELLS & set(edit.fields):
        # Of the channels that they are linked to now.
        value = channel_cell(draft.plant, draft.catalogue, model, path)
        for signal in others:
            set_channel_cell(draft, signal, path, value)


def _link_on(draft: Draft, model: Signal, others: list[str]) -> None:
    links = [draft.plant.get(i, Link) for i in draft.plant.referring("links", "signal", model.id)]
    if not links:
        raise Refusal(f"{model.name} is not linked: there is no place to go on from.", place=model.id)
    first = links[0]
    end = End.of(draft, first.place, At.of(first).word)
    stride = places_taken(model.type, first.scaling, end)
    made, old = [], []
    for n, i in enumerate(others, start=1):
        signal = draft.plant.get(i, Signal)
        old += list(draft.plant.referring("links", "signal", i))
        link = end.link(draft, i, n * stride, first.scaling)
        own = listed_scaling(draft, signal, link)
        made.append(replace(link, order=first.order, scaling=own or link.scaling))
    draft.remove(old)
    draft.put(*made)


def rewrite(draft: Draft, edit: edits.Rewrite) -> None:
    """Search and replace in a text of many signals. Raises Refusal where it is found nowhere, or gives no name."""
    if edit.field not in _TEXTS:
        raise Refusal(f"In “{edit.field}” nothing is searched.", field="field", value=edit.field)
    wanted = re.compile(re.escape(edit.find), 0 if edit.case else re.IGNORECASE)
    changed = []
    for ref in edit.ids:
        signal = draft.plant.get(draft.resolve(ref), Signal)
        text = str(value_at(signal, edit.field) or "")
        new = wanted.sub(lambda _: edit.by, text)
        if new != text:
            changed.append(with_field(draft, signal, edit.field, new))
    if not changed:
        raise Refusal(f"“{edit.find}” is found in none of them.", field="find", value=edit.find)
    if edit.field == "name":
        hold_apart(draft, changed)
    draft.put(*changed)


def name_signals(draft: Draft, edit: edits.NameSignals) -> None:
    """Signals named by a pattern of where they are linked. Raises Refusal for names that are none, or not free."""
    known = ("n", "controller", "designation", "station", "channel", "field", "tag", *_SAID)
    unknown = next((token for token in tokens_of(edit.pattern) if token not in known), None)
    if unknown is not None:
        raise Refusal(f"“{{{unknown}}}” is not known; there are {', '.join(known)}.", field="pattern")
    changed = []
    for n, ref in enumerate(edit.ids, start=edit.start):
        signal = draft.plant.get(draft.resolve(ref), Signal)
        values = {**dict(_said_of(draft, signal)), "n": str(n)}
        name = named_by(edit.pattern, values)
        problem = variable_problem(name)
        if problem:
            raise Refusal(f"{signal.name}: {problem}", place=signal.id, field="pattern", value=edit.pattern)
        changed.append(replace(signal, name=name))
    hold_apart(draft, changed)
    draft.put(*changed)


_SAID = ("text", "area", *WIRING)


def _said_of(draft: Draft, signal: Signal) -> Iterator[tuple[str, str]]:
    yield "controller", draft.plant.get(signal.controller, Controller).name
    yield "tag", signal.tag
    for column in _SAID:
        yield column, value_of(draft.plant, signal, column)
    links = draft.plant.referring("links", "signal", signal.id)
    link = draft.plant.get(next(iter(links)), Link) if links else None
    place = draft.plant.find(link.place) if link else None
    if link is None:
        return
    if isinstance(place, Module):
        yield "designation", place.designation.strip("-+=")
        station = root_of(draft.plant.find, draft.plant.get(place.rail, Rail)).row
        yield "station", station.name if station else ""
        yield "channel", link.key.removeprefix("ch")
        yield "field", link.key
    elif isinstance(place, Exchange):
        owner = draft.plant.get(draft.plant.get(place.connection, Connection).station, Station)
        yield "designation", owner.designation.strip("-+=")
        yield "station", owner.name
        wire = wire_of(draft.plant, draft.catalogue, place)
        label = next((piece.label for piece in wire.pieces if piece.key == link.key), "") if wire else ""
        yield "channel", re.sub(r"\D+", "_", At.of(link).word).strip("_")
        yield "field", label or At.of(link).word


def hold_apart(draft: Draft, changed: list[Any]) -> None:
    """Raises Refusal where a name would be another's, case aside."""
    own = {signal.id for signal in changed}
    names = Counter((signal.controller, signal.name.lower()) for signal in changed)
    for controller in {signal.controller for signal in changed}:
        others = draft.plant.children(Signal, controller)
        names.update((controller, signal.name.lower()) for signal in others if signal.id not in own)
    for signal in changed:
        count = names[signal.controller, signal.name.lower()]
        if count > 1:
            raise Refusal(f"{signal.name} would be the name of {count} signals.", place=signal.id, value=signal.name)
