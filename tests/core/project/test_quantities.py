"""What is to be bought: every type that is fitted or lies in stock, once, with both counts."""

from __future__ import annotations

from collections import Counter

from hypothesis import HealthCheck, given, settings

from highmoor.core.analysis.engine import Analysis
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.plant.rows import Controller, Module, Spare, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.quantities import quantities
from tests.core.analysis.test_invariants import analyses
from tests.core.plants import LIBRARY, hall


def test_what_is_fitted_and_what_lies_in_stock_is_bought_together() -> None:
    plant = hall("di-16", "ai-8", "di-16")
    spares = [("tarnfell.di-16", 3), ("tarnfell.do-16", 2)]
    made = apply(plant, LIBRARY, edits.Batch(edits=[edits.SetSpare(type=t, count=n) for t, n in spares])).plant
    told = {line.type: (line.fitted, line.spares, line.total, line.known) for line in quantities(made, LIBRARY)}
    assert told == {
        "tarnfell.tf-42": (1, 0, 1, True),
        "tarnfell.di-16": (2, 3, 5, True),
        "tarnfell.ai-8": (1, 0, 1, True),
        "tarnfell.do-16": (0, 2, 2, True),
    }
    unknown = {line.type: line for line in quantities(made, Catalogue({}))}
    assert {key: (line.fitted, line.spares, line.total) for key, line in unknown.items()} == {
        key: counts[:3] for key, counts in told.items()
    }
    assert {(line.name == key, line.order_number, line.maker, line.known) for key, line in unknown.items()} == {
        (True, "", "", False)
    }


@settings(max_examples=40, suppress_health_check=list(HealthCheck))
@given(analyses())
def test_nothing_that_is_fitted_is_left_out_and_the_list_is_in_order_of_makers(analysis: Analysis) -> None:
    plant = analysis.plant
    lines = quantities(plant, LIBRARY)
    fitted = Counter(row.type for kind in (Controller, Station, Module) for row in plant.all(kind))
    assert Counter({line.type: line.fitted for line in lines if line.fitted}) == fitted
    assert {line.type: line.spares for line in lines if line.spares} == {s.type: s.count for s in plant.all(Spare)}
    assert len({line.type for line in lines}) == len(lines)
    order = [(line.maker.lower(), line.order_number) for line in lines]
    assert order == sorted(order)
