"""A plant to begin with."""

from __future__ import annotations

from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Facts


def new_plant(name: str) -> Plant:
    """A plant with nothing in it but its name."""
    return Plant.of([Facts("p0", name)], 0)


def renamed(plant: Plant, name: str) -> Plant:
    """The same plant under another name, to begin a copy with."""
    rows = [row for row in plant.rows() if not isinstance(row, Facts)]
    return Plant.of([Facts("p0", name), *rows], plant.counter)
