"""What tests of seals share: what a seal of the demo's hall covers, and the same plant made otherwise."""

from __future__ import annotations

import random
from dataclasses import replace
from typing import Any

from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import TABLES, Controller, table_of
from highmoor.core.project.sealing import seal
from highmoor.core.safety.seal.plain import PlainSight
from highmoor.core.safety.seal.tree import Covering, Tree, tree_of
from tests.core.demo import DEMO, LIBRARY


def hall(plant: Plant = DEMO) -> Controller:
    return next(one for one in plant.all(Controller) if one.name.startswith("HALL"))


def inputs(plant: Plant) -> Tree:
    """What of the hall is sealed, without what follows."""
    return tree_of(Covering(PlainSight(plant, LIBRARY)).of_controller(hall(plant)))


def covered(plant: Plant) -> Tree:
    """What of the hall is sealed, with what follows."""
    tree: Tree = analyse(plant, LIBRARY).result("controller.covered", hall(plant).id)
    return tree


def sealed(plant: Plant = DEMO) -> Plant:
    """The plant with its hall sealed."""
    analysis = analyse(plant, LIBRARY)
    return seal(analysis, hall(plant).id, at="2026-11-30T14:05Z", by="anna", revision=7, edited_last=False).plant


def made_otherwise(plant: Plant, seed: int) -> Plant:
    """The same plant with other ids in another order, and all that has an order only on the screen in another one."""
    rng = random.Random(seed)
    ids: dict[str, str] = {}
    for rows in plant.tables.values():
        names = list(rows)
        ids.update(zip(names, rng.sample(names, len(names)), strict=True))
    ranks: dict[str, str] = {}
    for table in ("signals", "functions", "safety_parts", "uses", "zones", "situations", "zone_uses", "plan_shapes",
                  "scanners", "axes"):  # fmt: skip
        rows = list(plant.tables[table].values())
        ranks.update(zip((row.id for row in rows), rng.sample([row.rank for row in rows], len(rows)), strict=True))
    made = [_with_ids(row, ids, ranks) for rows in plant.tables.values() for row in rows.values()]
    rng.shuffle(made)
    return Plant.of(made, plant.counter)


def _with_ids(row: Any, ids: dict[str, str], ranks: dict[str, str]) -> Any:
    table = table_of(row)
    changed: dict[str, Any] = {"id": ids[row.id]}
    for name in TABLES[table.name].fields:
        value = getattr(row, name)
        if (name in table.refs and value is not None) or (isinstance(value, str) and name != "id" and value in ids):
            changed[name] = ids[value]
    if row.id in ranks:
        changed["rank"] = ranks[row.id]
    return replace(row, **changed)
