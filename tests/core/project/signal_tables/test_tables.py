"""Tables of signals read in again: nothing is lost on the way, and what cannot be taken is refused by its row."""

from __future__ import annotations

import random
from collections.abc import Sequence
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Link, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.channel_cells import ON_LOSS
from highmoor.core.project.signal_tables.laying import Laid, lay
from highmoor.core.signals.table import signal_table
from tests.core.plants import hall
from tests.core.signals.test_structures import with_signals

DEMO = demo_plant()
TABLE = signal_table(analyse(DEMO, BUILTIN))


def texts(table: Sequence[Sequence[Any]]) -> list[tuple[int, list[str]]]:
    """As a file's reader gives them."""
    return [(n, ["" if cell is None else str(cell) for cell in row]) for n, row in enumerate(table, start=1)]


def laid(plant: Plant, table: Sequence[Sequence[Any]]) -> Laid:
    return lay(analyse(plant, BUILTIN), texts(table))


def taken(plant: Plant, found: Laid) -> Plant:
    return apply(plant, BUILTIN, edits.TakeSignals(signals=[one.wanted for one in found.signals])).plant


def test_what_went_out_says_nothing_new() -> None:
    found = laid(DEMO, TABLE)
    assert (found.signals, found.refused, found.absent, found.unknown) == ((), (), 0, ())
    assert found.same == len(DEMO.all(Signal))


def test_all_signals_of_a_plant_are_made_of_its_table() -> None:
    bare = apply(DEMO, BUILTIN, edits.Remove(ids=[signal.id for signal in DEMO.all(Signal)])).plant
    found = laid(bare, TABLE)
    assert not found.refused
    assert {one.kind for one in found.signals} == {"new"}
    plant = taken(bare, found)
    assert signal_table(analyse(plant, BUILTIN)) == TABLE
    places = {(link.place, link.key, link.way, link.end, link.order) for link in DEMO.all(Link)}
    assert {(link.place, link.key, link.way, link.end, link.order) for link in plant.all(Link)} == places


_ANALYSIS = analyse(DEMO, BUILTIN)


def _on_fault(signal: Signal) -> bool:
    return any(link.on_loss for link in _ANALYSIS.result("signal.path", signal.id).links)


@given(st.integers(0, 2**32))
def test_whatever_was_changed_since_is_put_back_and_all_else_stays(seed: int) -> None:
    dice = random.Random(seed)
    signals = dice.sample(DEMO.all(Signal), 6)
    plant = DEMO
    for signal in signals:
        links = [DEMO.get(i, Link) for i in DEMO.referring("links", "signal", signal.id)]
        edit: edits.Edit = dice.choice([
            edits.SetFields(ids=[signal.id], values={"note": "another", "unit": "K", "asked_ms": 7.5}),
            edits.SetFields(ids=[signal.id], values={"wiring.core": "99", "area": "", "initial": "1"}),
            edits.SetFields(ids=[signal.id], values={"type": dice.choice(["BOOL", "LREAL", "DINT"])}),
            edits.Remove(ids=[signal.id]),
            *(edits.SetFields(ids=[signal.id], values={ON_LOSS: dice.choice(["off", "hold"])})
              for _ in links if _on_fault(signal)),
            edits.Remove(ids=[link.id for link in links] or [signal.id]),
            *(edits.SetFields(ids=[link.id], values={"scaling.hi": 77, "scaling.clamp": True}) for link in links
              if link.scaling),
        ])  # fmt: skip
        plant = apply(plant, BUILTIN, edit).plant
    found = laid(plant, TABLE)
    assert not found.refused
    now = {tuple(row[:2]): [] for row in TABLE}  # type: ignore[var-annotated]
    for row in signal_table(analyse(plant, BUILTIN)):
        now[tuple(row[:2])].append(row)
    was = {tuple(row[:2]): [r for r in TABLE if r[:2] == row[:2]] for row in TABLE}
    assert {one.key for one in found.signals} == {f"{c}.{n}" for (c, n), rows in now.items() if rows != was[c, n]}
    back = signal_table(analyse(taken(plant, found), BUILTIN))
    assert sorted(map(str, back)) == sorted(map(str, TABLE))


@pytest.mark.parametrize(
    ("table", "why"),
    [
        ([["Name", "Kind"], ["A", "B"]], "No row has the heading Signal"),
        ([["Signal", "Type", "type"], ["A", "INT", "BOOL"]], "“Type” stands over two columns"),
    ],
)
def test_what_is_no_table_of_signals_is_refused(table: list[list[str]], why: str) -> None:
    with pytest.raises(Refusal, match=why):
        laid(hall(), table)


@pytest.mark.parametrize(
    ("row", "why"),
    [
        (["9lives", "INT", "", ""], "begins with a digit"),
        (["", "INT", "", ""], "A name is needed"),
        (["Old", "INT", "", ""], "stands above already"),
        (["Level", "INT", "-K9 slot 1, channel 0", ""], "no place here is called “-K9 slot 1, channel 0”"),
        (["Level", "REAL", "AI-8 slot 1, channel 0", "Cubic"], "Cubic is no characteristic"),
    ],
)
def test_a_line_that_cannot_be_taken_is_refused_by_its_row_and_the_others_are_not(row: list[str], why: str) -> None:
    heads = ["signal", " TYPE ", "Linked to", "Characteristic", "Colour"]
    found = laid(hall("ai-8"), [["A title"], [], heads, ["Old", "REAL", "", ""], ["Other", "INT"], row])
    assert [(one.rows, why in one.why) for one in found.refused] == [((6,), True)]
    assert [one.key for one in found.signals] == ["HALL.Old", "HALL.Other"]
    assert found.unknown == ("Colour",)


def test_what_the_plant_would_refuse_is_refused_whole() -> None:
    plant = hall("ai-8")
    found = laid(plant, [["Signal", "Type", "Unit"], ["Level", "INT", "m"], ["Flow", "TEXT", "l"]])
    with pytest.raises(Refusal, match="Flow: Type cannot be “TEXT”"):
        taken(plant, found)


def test_columns_that_are_not_there_change_nothing_and_cells_that_are_empty_clear() -> None:
    plant = with_signals(hall("ai-8"), ("Level", "REAL"), unit="m", note="kept")
    signal = plant.all(Signal)[0]
    module = next(iter(plant.tables["modules"]))
    link = edits.LinkSignal(
        signal=signal.id, place=module, key="ch0", scaling={"raw_lo": 0, "raw_hi": 9, "lo": 0, "hi": 1}
    )
    plant = apply(plant, BUILTIN, link).plant
    found = laid(plant, [["Signal", "Unit", "Type"], ["LEVEL", "", "REAL"]])
    (told,) = found.signals
    assert [(c.heading, c.old, c.new) for c in told.changes] == [("Unit", "m", "")]
    after = taken(plant, found)
    assert (after.all(Signal)[0].unit, after.all(Signal)[0].note) == ("", "kept")
    assert after.all(Link) == plant.all(Link)
    # With the column of links, but none in it, the link goes.
    gone = taken(plant, laid(plant, [["Signal", "Linked to"], ["Level", ""]]))
    assert not gone.all(Link)
    moved = taken(plant, laid(plant, [["Signal", "Linked to"], ["Level", "AI-8 slot 1, channel 3"]]))
    assert [(one.key, one.scaling) for one in moved.all(Link)] == [("ch3", None)]


def test_numbers_are_compared_as_numbers() -> None:
    plant = with_signals(hall(), ("Level", "REAL"), asked_ms="12.5")
    assert not laid(plant, [["Signal", "Response asked ms"], ["Level", "12,50"]]).signals
    assert laid(plant, [["Signal", "Response asked ms"], ["Level", "12.6"]]).signals
