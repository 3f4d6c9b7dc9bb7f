"""By check of scanners: a plant without the finding and one with it."""

from __future__ import annotations

from collections.abc import Callable

from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Scanner, Situation, Task, Zone
from highmoor.core.project import edits
from tests.core.safety.functions import at, do, of, put
from tests.core.safety.scanner.aisle import FIELD, aisle, named, one, scanner, shaped, with_outputs, with_shape

Pair = tuple[Plant, Plant]


def _unused() -> Plant:
    return do(aisle(), edits.AddZone(scanner=one(aisle(), Scanner).id, shape=FIELD))


def _used() -> Plant:
    plant = _unused()
    zone = next(row for row in plant.all(Zone) if row.letter == "B")
    return do(plant, edits.UseZone(situation=one(plant, Situation).id, output=2, zone=zone.id))


def _as_warning(plant: Plant) -> Plant:
    zone = next(row for row in plant.all(Zone) if row.letter == "B")
    return put(plant, zone.id, kind="warning")


def _only_warning() -> Plant:
    """Two zones, and the one that is answered to only warns; one that protects is there."""
    plant = _as_warning(_used())
    return do(plant, edits.UseZone(situation=one(plant, Situation).id, output=1))


def _two_situations(select: str) -> Plant:
    plant = do(aisle(), edits.AddSituation(scanner=one(aisle(), Scanner).id, name="Other"))
    other = plant.all(Situation)[1]
    plant = do(plant, edits.UseZone(situation=other.id, output=1, zone=one(plant, Zone).id))
    return put(plant, other.id, select=select)


def _room(deep: float, restart: str = "hand") -> Plant:
    """Between the zone and the hazard."""
    plant = scanner(shaped(aisle(), y=-50 + deep, depth=2650 - deep), y=-50 + deep)
    return put(plant, of(plant, "Press"), settings__restart=restart)


def _upright(**settings: object) -> Plant:
    return scanner(aisle(), application="vertical", resolution=30, **settings)


def _lead(ms: float) -> Plant:
    return put(aisle(), one(aisle(), Situation).id, settings__lead_ms=ms)


def _post() -> Plant:
    """Something in the field hides what is behind it."""
    return with_shape(aisle(), "guard", [[-300, 1000], [300, 1000]])


def _selected(places: tuple[str, str], enable: str = "", period: float = 250) -> Plant:
    """Two inputs driven by outputs, in a task that is slow; its worst is a period and what it runs."""
    plant = with_outputs(_two_situations("0100"), "-A1", "-A2")
    plant = put(plant, next(task.id for task in plant.all(Task) if task.name == "Slow"), period_ms=period)
    for number, place in enumerate(places, start=1):
        plant = do(plant, edits.AddSignals(controller=one(plant, Controller).id, pattern=f"Sel{number}",
                                           place=at(plant, place), key=f"ch{number}"))  # fmt: skip
        plant = put(plant, of(plant, f"Sel{number}"), task=next(t.id for t in plant.all(Task) if t.name == "Slow"))
        use = edits.UseSignal(of=one(plant, Scanner).id, role=f"select{number}", signal=of(plant, f"Sel{number}"))
        plant = do(plant, use)
    return named(plant, "enable", enable, "ch9") if enable else plant


def _undriven() -> Plant:
    plant = _selected(("-A1", "-A1"))
    return do(plant, edits.UseSignal(of=one(plant, Scanner).id, role="select2"))


def _wrong_way() -> Plant:
    plant = _selected(("-A1", "-A1"))
    return do(plant, edits.UseSignal(of=one(plant, Scanner).id, role="select1", signal=of(plant, "Reset")))


WRONG: dict[str, Callable[[], Pair]] = {
    "SAF-301": lambda: (aisle(), shaped(aisle(), kind="polygon", points=[[0, 0], [900, 900], [900, 0], [0, 900]])),
    "SAF-302": lambda: (aisle(), _post()),
    "SAF-303": lambda: (shaped(aisle(), depth=5000), shaped(aisle(), depth=6000)),
    "SAF-304": lambda: (_used(), _unused()),
    "SAF-305": lambda: (_as_warning(_used()), _only_warning()),
    "SAF-306": lambda: (_two_situations("0100"), _two_situations("1000")),
    # 2194.4 less the 50 behind the scanner.
    "SAF-307": lambda: (shaped(aisle(), depth=2144.4), shaped(aisle(), depth=2144.3)),
    "SAF-308": lambda: (shaped(aisle(), x=-1932, width=3932), shaped(aisle(), x=-1927, width=3927)),
    "SAF-309": lambda: (_room(290), _room(310)),
    "SAF-310": lambda: (_room(310), _room(310, "self")),
    "SAF-311": lambda: (scanner(aisle(), scans=2), scanner(aisle(), scans=1)),
    "SAF-312": lambda: (scanner(aisle(), resolution=70, height=300), scanner(aisle(), resolution=70, height=299)),
    "SAF-313": lambda: (scanner(aisle(), height=300), scanner(aisle(), height=301)),
    "SAF-314": lambda: (_upright(contour=True), _upright()),
    "SAF-315": lambda: (aisle(), put(aisle(), of(aisle(), "Field"), device=None)),
    # 200 to switch over and 140 to answer.
    "SAF-316": lambda: (_lead(380), _lead(379)),
    "SAF-317": lambda: (_selected(("-A1", "-A2"), enable="-A1"), _selected(("-A1", "-A2"))),
    "SAF-318": lambda: (_selected(("-A1", "-A1")), _undriven()),
    "SAF-319": lambda: (_selected(("-A1", "-A1")), _wrong_way()),
}

BY_HAND = {"SAF-301", "SAF-307", "SAF-308", "SAF-309", "SAF-315", "SAF-317", "SAF-319"}
