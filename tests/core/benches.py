"""What the tests do at a bench: cables pulled, devices found, fields of what stands there."""

from __future__ import annotations

from typing import Any

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply


def cable(bench: Bench, station: str, *, plugged: bool) -> None:
    """Pull a station's cable, or plug it back."""
    done(bench, edits.SetBuilt(ids=[station], values={"cable": plugged}))


def done(bench: Bench, edit: edits.Edit) -> None:
    """Something done to the plant as built while the bench runs."""
    bench.rebuilt(apply(bench.built, bench.catalogue, edit).plant)


def devices(bench: Bench, fieldbus: str = "") -> list[Any]:
    """The devices there, of one fieldbus or of all."""
    return [t.device for t in bench.devices.there.values() if fieldbus in ("", t.standing.fieldbus)]


def rails(bench: Bench) -> list[Any]:
    """The rails behind devices."""
    return [there.rail for there in bench.devices.there.values() if there.rail]


def as_built(plant: Plant, *said: dict[str, Any], catalogue: Catalogue = BUILTIN) -> Plant:
    """The plant with fields of its stations' devices as built, station by station."""
    steps: list[edits.Edit] = [
        edits.SetBuilt(ids=[station.id], values=values)
        for station, values in zip(plant.all(Station), said, strict=False)
        if values
    ]
    return apply(plant, catalogue, edits.Batch(edits=steps)).plant if steps else plant


def nobody_there(plant: Plant) -> Plant:
    """The plant with nothing mounted at its stations."""
    stations = [station.id for station in plant.all(Station)]
    return apply(plant, BUILTIN, edits.SetBuilt(ids=stations, values={"there": False})).plant
