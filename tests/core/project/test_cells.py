"""Many cells at once: pasted, filled down, rewritten, named by a pattern, linked in a run."""

from __future__ import annotations

import pytest

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Link, Module, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.cell_edits import counted_on
from tests.core.plants import hall


def after(plant: Plant, *steps: edits.Edit) -> Plant:
    for step in steps:
        plant = apply(plant, BUILTIN, step).plant
    return plant


def pasted(plant: Plant, *rows: dict[str, object]) -> Plant:
    return after(plant, edits.PasteSignals(controller=plant.all(Controller)[0].id, rows=list(rows)))


def signals(plant: Plant) -> list[Signal]:
    return plant.children(Signal, plant.all(Controller)[0].id)


@pytest.mark.parametrize(
    ("text", "steps", "other"),
    [
        ("Bed1Temp", 1, "Bed2Temp"), ("Bed09Temp", 1, "Bed10Temp"), ("T2_Bed9", 3, "T2_Bed12"),
        ("10-LT-099", 2, "10-LT-101"), ("Horn", 4, "Horn"), ("", 1, ""), ("7", 5, "12"),
    ],
)  # fmt: skip
def test_the_last_number_counts_on(text: str, steps: int, other: str) -> None:
    assert counted_on(text, steps) == other


def test_lines_of_a_spreadsheet_become_signals_or_nothing_does() -> None:
    plant = pasted(
        hall("di-16"),
        {"name": "Level", "type": "REAL", "unit": "m", "wiring.range": "0-5"},
        {"name": "Full", "note": "=1+1"},
    )
    level, full = signals(plant)
    assert (level.type, level.unit, level.wiring) == ("REAL", "m", {"range": "0-5"})
    assert (full.type, full.note) == ("BOOL", "=1+1")
    for rows, reason in (
        ([{"name": "New"}, {"name": "level"}], "Line 2: level is there already in HALL."),
        ([{"name": "New"}, {"name": "new"}], "Line 2: new is there already"),
        ([{"name": "New"}, {"note": "x"}], "Line 2: Name is needed|Line 2: A name is needed"),
        ([{"name": "New", "type": "TEXT"}], "TEXT is neither elementary nor a structure"),
        ([{"name": "New", "colour": "red"}], "There is no field"),
    ):
        with pytest.raises(Refusal, match=reason):
            pasted(plant, *rows)


def test_each_cell_has_its_own_value() -> None:
    plant = pasted(hall("di-16"), {"name": "A"}, {"name": "B", "note": "old"})
    a, b = signals(plant)
    plant = after(plant, edits.SetEach(values={a.id: {"name": "B", "note": "new"}, b.id: {"name": "A", "note": ""}}))
    assert [(s.name, s.note) for s in signals(plant)] == [("B", "new"), ("A", "")]
    with pytest.raises(Refusal, match="Only signals have cells"):
        after(plant, edits.SetEach(values={plant.all(Module)[0].id: {"note": "x"}}))


def test_filling_down_counts_names_and_terminals_and_repeats_the_rest() -> None:
    rows = [
        {"name": "Bed1", "type": "INT", "unit": "m", "wiring.terminal": "11", "wiring.cable": "W7"},
        {"name": "X"},
        {"name": "Y"},
    ]
    plant = pasted(hall("di-16"), *rows)
    ids = [s.id for s in signals(plant)]
    fields = ["name", "type", "unit", "wiring.terminal", "wiring.cable", "asked_ms", "tag"]
    told = [
        (s.name, s.type, s.unit, s.wiring.get("terminal"), s.wiring.get("cable"))
        for s in signals(after(plant, edits.FillDown(ids=ids, fields=fields)))
    ]
    assert told == [
        ("Bed1", "INT", "m", "11", "W7"),
        ("Bed2", "INT", "m", "12", "W7"),
        ("Bed3", "INT", "m", "13", "W7"),
    ]


def test_links_go_on_from_place_to_place_each_scaled_over_the_range_of_its_list() -> None:
    rows = [{"name": f"Level{n}", "type": "REAL", "wiring.range": span} for n, span in enumerate(("0-5", "0-3,2", ""))]
    plant = pasted(hall("ai-8"), *rows)
    ids = [s.id for s in signals(plant)]
    module = plant.all(Module)[0].id
    link = edits.LinkSignal(signal=ids[0], place=module, key="ch2")
    plant = after(plant, edits.Batch(edits=[link, edits.FillDown(ids=ids, fields=["link"])]))
    told = {link.signal: (link.key, (link.scaling or {})["hi"]) for link in plant.all(Link)}
    assert told == {ids[0]: ("ch2", 5), ids[1]: ("ch3", 3.2), ids[2]: ("ch4", 5)}
    # Again, from another channel: no link is left behind.
    plant = after(
        plant, edits.Batch(edits=[link.model_copy(update={"key": "ch5"}), edits.FillDown(ids=ids, fields=["link"])])
    )
    assert sorted(link.key for link in plant.all(Link)) == ["ch5", "ch6", "ch7"]
    with pytest.raises(Refusal, match="has no channel 8"):
        after(
            plant, edits.Batch(edits=[link.model_copy(update={"key": "ch6"}), edits.FillDown(ids=ids, fields=["link"])])
        )
    with pytest.raises(Refusal, match="is not linked"):
        after(pasted(hall("ai-8"), *rows), edits.FillDown(ids=ids, fields=["link"]))


def test_what_an_output_does_on_a_fault_is_a_cell_of_its_signal_and_stands_with_its_channel() -> None:
    plant = pasted(hall("do-16", "di-16"), *({"name": f"Valve{n}"} for n in range(3)), {"name": "Door"})
    *valves, door = (s.id for s in signals(plant))
    outputs, inputs = (m.id for m in plant.all(Module) if m.type in ("tarnfell.do-16", "tarnfell.di-16"))
    link = [edits.LinkSignal(signal=valves[0], place=outputs, key="ch4"),
            edits.LinkSignal(signal=door, place=inputs, key="ch0")]  # fmt: skip
    held = edits.SetFields(ids=[valves[0]], values={"channel.on_loss": "hold last"})
    plant = after(plant, edits.Batch(edits=[*link, held]))

    def told(now: Plant) -> list[str]:
        analysis = analyse(now, BUILTIN)
        paths = [analysis.result("signal.path", i) for i in valves]
        return [path.links[0].on_loss if path.links else "" for path in paths]

    assert plant.get(outputs, Module).settings == {"channels": {"ch4": {"on_loss": "hold"}}}
    assert told(plant) == ["hold last", "", ""]
    filled = after(plant, edits.FillDown(ids=valves, fields=["channel.on_loss", "link"]))
    assert told(filled) == ["hold last"] * 3
    off = after(
        filled, edits.SetEach(values={valves[1]: {"channel.on_loss": "off"}, valves[2]: {"channel.on_loss": ""}})
    )
    assert told(off) == ["hold last", "switch off", "switch off"]
    for signal, path, value, reason in (
        (door, "channel.on_loss", "hold", "no channel on which"),
        (valves[0], "channel.on_loss", "jump", "cannot be “jump”"),
        (valves[0], "channel.filter_ms", 3, "no channel on which"),
    ):
        with pytest.raises(Refusal, match=reason):
            after(plant, edits.SetFields(ids=[signal], values={path: value}))


def test_search_and_replace_keeps_names_apart() -> None:
    plant = pasted(hall("di-16"), {"name": "Bed1Full"}, {"name": "bed2full", "note": "a.b"}, {"name": "Tank"})
    ids = [s.id for s in signals(plant)]
    replaced = after(plant, edits.Rewrite(ids=ids, field="name", find="BED", by="Trough"))
    assert [s.name for s in signals(replaced)] == ["Trough1Full", "Trough2full", "Tank"]
    exact = after(plant, edits.Rewrite(ids=ids, field="name", find="Bed", by="Trough", case=True))
    assert [s.name for s in signals(exact)] == ["Trough1Full", "bed2full", "Tank"]
    dotted = after(plant, edits.Rewrite(ids=ids, field="note", find=".", by="\\1"))
    assert signals(dotted)[1].note == "a\\1b"
    for find, by, reason in (
        ("zzz", "", "is found in none"),
        ("Bed1Full", "Tank", "would be the name of 2"),
        ("Tank", "if", "word of"),
    ):
        with pytest.raises(Refusal, match=reason):
            after(plant, edits.Rewrite(ids=ids, field="name", find=find, by=by))


def test_names_are_made_of_where_signals_are_linked() -> None:
    plant = pasted(hall("di-16"), {"name": "A", "note": "Level tank"}, {"name": "B"})
    ids = [s.id for s in signals(plant)]
    module = plant.all(Module)[0].id
    plant = after(
        plant,
        edits.SetFields(ids=[module], values={"designation": "-K1"}),
        edits.Batch(
            edits=[edits.LinkSignal(signal=ids[0], place=module, key="ch3"), edits.FillDown(ids=ids, fields=["link"])]
        ),
    )
    named = after(plant, edits.NameSignals(ids=ids, pattern="{controller}_{designation}_{channel}"))
    assert [s.name for s in signals(named)] == ["HALL_K1_3", "HALL_K1_4"]
    counted = after(plant, edits.NameSignals(ids=ids, pattern="In{n}{text}", start=7))
    assert [s.name for s in signals(counted)] == ["In7LevelTank", "In8"]
    for pattern, reason in (
        ("{designation}", "would be the name of 2"),
        ("{what}", "is not known"),
        ("{channel}", "begins with a digit"),
    ):
        with pytest.raises(Refusal, match=reason):
            after(plant, edits.NameSignals(ids=ids, pattern=pattern))
