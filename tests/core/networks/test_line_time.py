"""What a network's time says of its shape, and the columns that its fieldbus tells it in."""

from __future__ import annotations

from dataclasses import replace

import pytest

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.line_time import Timing
from highmoor.core.parts import analyse
from highmoor.core.plant.rows import Network

PLANT = demo_plant()
ANALYSIS = analyse(PLANT, BUILTIN)


@pytest.mark.parametrize("network", list(PLANT.all(Network)), ids=lambda n: n.name)
def test_figures_are_those_of_the_shape_and_no_column_that_could_be_told_is_missing(network: Network) -> None:
    told: Timing = ANALYSIS.result("network.timing", network.id)
    assert (told.cycle_ms is not None) == (told.shape in ("polled-line", "token-cycle"))
    assert (told.packets_per_s is not None) == (told.shape == "senders")
    bus = fieldbus_of(network.kind)
    assert bus is not None
    figures = [column.figure for column in bus.columns]
    assert figures[:3] == ["period_ms", "transaction_ms", "worst_late_ms"]
    # A silence on a shared line costs everybody; elsewhere it costs the exchange itself.
    assert figures[3:] == ["late_one_silent_ms" if told.shape in ("polled-line", "token-cycle") else "silent_cost_ms"]
    # A unit in which the shortest time of the demo plant would read as nothing helps nobody.
    for column in bus.columns:
        values = [v for e in told.exchanges if (v := getattr(e, column.figure))]
        assert all(v * (1000 if column.unit == "µs" else 1) >= 1 for v in values), column.title


@pytest.mark.parametrize("network", list(PLANT.all(Network)), ids=lambda n: n.name)
def test_what_is_drawn_changes_no_figure(network: Network) -> None:
    told: Timing = ANALYSIS.result("network.timing", network.id)
    drawn: Timing = ANALYSIS.result("network.course", network.id)
    assert any(lane.blocks for lane in drawn.lanes)
    assert replace(drawn, lanes=tuple(replace(lane, blocks=(), dues=()) for lane in drawn.lanes)) == told


# Figures as they stand in the table of exchanges: a queue is told no finer than the rates that make it are known.
TOLD = {
    "modbus-tcp": [("Every", "ms", 4), ("Takes", "ms", 4), ("Late", "ms", 4), ("If silent", "ms", 4)],
    "modbus-rtu": [("Every", "ms", 4), ("Takes", "ms", 4), ("Late", "ms", 4), ("One silent", "ms", 4)],
    "ethernet-ip": [("Every", "ms", 4), ("Takes", "µs", 4), ("Queued", "µs", 3), ("Gives up", "ms", 4)],
}


@pytest.mark.parametrize("kind", list(TOLD))
def test_columns_have_their_units_and_digits(kind: str) -> None:
    bus = fieldbus_of(kind)
    assert bus is not None
    assert [(column.title, column.unit, column.digits) for column in bus.columns] == TOLD[kind]
    assert all(column.hint for column in bus.columns)
