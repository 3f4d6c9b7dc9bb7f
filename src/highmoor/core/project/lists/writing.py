"""A list given out again, with the columns it came with."""

from __future__ import annotations

from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import IoList, ListLine, Signal
from highmoor.core.project.lists.columns import BY_KEY
from highmoor.core.project.lists.said import value_of


def written(plant: Plant, of: IoList) -> list[list[str]]:
    """The headings as they came, then a row for each signal of the list as the plant has it, in the list's order.

    Behind them stand signals of the list's controller that have a tag and are in no list.
    """
    headings: list[list[str]] = of.columns.get("headings", [])
    rows = [[text for text, _ in headings]]
    listed = {line.signal for line in plant.all(ListLine)}
    for line in plant.children(ListLine, of.id):
        if line.signal is not None:
            signal = plant.get(line.signal, Signal)
            rows.append([_cell(plant, signal, key, line) for _, key in headings])
    for signal in plant.children(Signal, of.controller) if of.controller else ():
        if signal.tag and signal.id not in listed:
            rows.append([_cell(plant, signal, key, None) for _, key in headings])
    return rows


def _cell(plant: Plant, signal: Signal, key: str, line: ListLine | None) -> str:
    if key in BY_KEY:
        return value_of(plant, signal, key)
    return str(line.values.get(key, "")) if line and key else ""
