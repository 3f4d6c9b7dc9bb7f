"""Fields, undo and what is typed: properties over the demo plant."""

from __future__ import annotations

import dataclasses
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.numbers import exact, parse_number, plain, round_half_away, shown
from highmoor.core.plant.change import Change, flattened, value_at
from highmoor.core.plant.fields import identifier_problem
from highmoor.core.plant.rows import TABLES, Exchange, Module, Port, Signal, Station, Task, table_of
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.fields import fields_of
from highmoor.core.project.undo import difference, inverse_on
from tests.core.plants import LIBRARY, an_edit, hall

PLANT = demo_plant()


def test_every_field_shows_its_default_and_takes_back_what_it_holds() -> None:
    for row in PLANT.rows():
        for spec in fields_of(PLANT, BUILTIN, row):
            held = value_at(row, spec.path)
            value = spec.default if held is None else held
            spec.beside(value)
            if spec.disabled or value is None:
                continue
            assert spec.parse(value) == value, (row.id, spec.path)
            for choice in spec.choices:
                if not choice.disabled:
                    assert spec.parse(choice.value) == choice.value
                    assert spec.parse(choice.label) == choice.value


ROWS = [next(iter(PLANT.tables[name].values())) for name in PLANT.tables if PLANT.tables[name]]
SPECS = [(row, spec) for row in ROWS for spec in fields_of(PLANT, BUILTIN, row)]
TYPED = st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=12) | st.just({"a": 1}) | st.just([])


@settings(max_examples=300)
@given(st.sampled_from(SPECS), TYPED)
def test_whatever_is_typed_is_taken_or_refused_with_a_reason(field: Any, typed: Any) -> None:
    row, spec = field
    try:
        after = apply(PLANT, BUILTIN, edits.SetFields(ids=[row.id], values={spec.path: typed}))
    except Refusal as refusal:
        assert refusal.reason
        assert refusal.field == spec.path
    else:
        assert set(after.change.ids()) <= {row.id} | {m.id for m in PLANT.all(Module)}


@settings(max_examples=60)
@given(st.data())
def test_undo_takes_back_what_is_mine_and_leaves_what_is_theirs(data: Any) -> None:
    """Mine, then theirs, then mine undone: what they wrote stands, what only I wrote is as before."""
    try:
        mine = apply(PLANT, LIBRARY, an_edit(data.draw, PLANT))
        theirs = apply(mine.plant, LIBRARY, an_edit(data.draw, mine.plant))
    except Refusal:
        return
    inverse = inverse_on(theirs.plant, mine.change)
    after = theirs.plant.patched(inverse.change)
    written_by_them = theirs.change.written()
    for row_id, path in written_by_them:
        now, then = after.find(row_id), theirs.plant.find(row_id)
        if path == "":
            assert (now is None) == (then is None) or (row_id, "") in mine.change.written()
        elif now is not None and then is not None:
            assert flattened(now).get(path) == flattened(then).get(path)
    overlapped = {(o.id, o.field) for o in inverse.overlaps} | {(o.id, "") for o in inverse.overlaps}
    for (row_id, path), (before, _) in mine.change.written().items():
        touched = any(row_id == other for other, _ in written_by_them)
        if touched or (row_id, path) in overlapped or (row_id, "") in overlapped:
            continue
        now = after.find(row_id)
        if path == "":
            assert (now is not None) == before
        elif now is not None:
            # Of an object put back as a whole, only its leaves were written before.
            assert flattened(now).get(path) == before
    ids = {row.id for row in after.rows()}
    for row in after.rows():
        for name, value in flattened(row).items():
            if name in table_of(row).refs and value is not None:
                assert value in ids


@settings(max_examples=40)
@given(st.data())
def test_the_difference_between_two_plants_leads_from_one_to_the_other(data: Any) -> None:
    plant = PLANT
    for _ in range(3):
        try:
            plant = apply(plant, LIBRARY, an_edit(data.draw, plant)).plant
        except Refusal:
            continue
    for before, after in ((PLANT, plant), (plant, PLANT)):
        led = before.patched(difference(before, after))
        # What is configured and what is built are documents of their own.
        for name, table in TABLES.items():
            assert led.tables[name] == (after if table.document == "plant" else before).tables[name], name
        assert led.patched(difference(before, after, "built")).tables == after.tables


def test_two_people_may_edit_two_keys_of_one_settings_object() -> None:
    module = next(m for m in PLANT.all(Module) if m.designation == "-K4")

    def choose(channel: int) -> Change:
        values = {f"settings.channels.ch{channel}.range": "0-20mA"}
        return apply(PLANT, BUILTIN, edits.SetFields(ids=[module.id], values=values)).change

    assert not choose(0).written().keys() & choose(1).written().keys()
    assert choose(0).written().keys() == {(module.id, "settings.channels.ch0.range")}


def test_a_batch_happens_whole_or_not_at_all() -> None:
    signal = PLANT.all(Signal)[0]
    good = edits.SetFields(ids=[signal.id], values={"note": "x"})
    bad = edits.SetFields(ids=[signal.id], values={"name": "1x"})
    with pytest.raises(Refusal, match="begins with a digit"):
        apply(PLANT, BUILTIN, edits.Batch(edits=[good, bad]))
    with pytest.raises(Refusal, match="placeholder"):
        apply(PLANT, BUILTIN, edits.Remove(ids=["$nothing"]))
    nested = edits.Batch(edits=[edits.Batch(edits=[good]), edits.SetFields(ids=[signal.id], values={"note": "y"})])
    assert len(apply(PLANT, BUILTIN, nested).change) == 1


def test_many_objects_are_set_at_once_or_none() -> None:
    exchanges = [x.id for x in PLANT.all(Exchange) if "timeout_ms" in x.settings]
    assert len(exchanges) > 10
    after = apply(PLANT, BUILTIN, edits.SetFields(ids=exchanges, values={"settings.timeout_ms": "0.3 s"})).plant
    assert {after.get(x, Exchange).settings["timeout_ms"] for x in exchanges} == {300}
    stations = [s.id for s in PLANT.all(Station)]
    with pytest.raises(Refusal):
        apply(PLANT, BUILTIN, edits.SetFields(ids=[*stations, *exchanges], values={"address": "10.0.0.1"}))


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("0,2 s", "ms", 200),
        ("200", "ms", 200),
        ("1.5 min", "s", 90),
        ("16#FF", "", 255),
        ("0xff", "", 255),
        ("2#1_0101", "", 21),
        ("8#17", "", 15),
        ("-16#10", "", -16),
        ("12 000", "", 12000),
        ("1e3", "", 1000),
        (".5", "", Fraction(1, 2)),
        ("20000 µA", "mA", 20),
        ("78 words", "octets", 156),
        ("1 word", "octets", 2),
        ("39 double words", "registers", 78),
        ("6 bytes", "registers", 3),
        ("3 octets", "coils", 24),
        ("12 bits", "octets", Fraction(3, 2)),
        ("\u221231.86", "°", Fraction(-3186, 100)),
        ("12\u202f345.6", "", Fraction(123456, 10)),
    ],
)
def test_numbers_are_read_as_they_are_written(text: str, unit: str, value: Any) -> None:
    assert parse_number(text, unit=unit) == value


@pytest.mark.parametrize(
    "text", ["", " ", "abc", "1 kg", "0x", "16#G", "2#12", "1..2", "1,2,3", "--1", "1e999999", "∞"]
)
def test_what_is_no_number_is_refused(text: str) -> None:
    with pytest.raises(Refusal):
        parse_number(text, unit="ms")


@given(st.integers(-(10**12), 10**12) | st.floats(-1e9, 1e9).filter(lambda x: x == 0 or abs(x) > 1e-200))
def test_a_number_is_meant_by_its_decimal_text(value: float) -> None:
    assert plain(parse_number(repr(value))) == value
    assert exact(value) == Fraction(repr(value)) if isinstance(value, float) else exact(value) == value
    assert abs(float(shown(value, 12)) - value) <= abs(value) * 1e-11


@given(st.fractions(-1000, 1000, max_denominator=64))
def test_halves_are_rounded_away_from_zero(value: Fraction) -> None:
    rounded = round_half_away(value)
    assert abs(rounded - value) <= Fraction(1, 2)
    if abs(rounded - value) == Fraction(1, 2):
        assert abs(rounded) > abs(value)


@pytest.mark.parametrize(
    ("name", "good"),
    [("Bed4Temp", True), ("_x", True), ("x_1", True), ("", False), ("1x", False), ("a b", False), ("a__b", False),
     ("a_", False), ("IF", False), ("Bool", False), ("Ä", False), ("x" * 64, True), ("x" * 65, False)],
)  # fmt: skip
def test_identifiers(name: str, good: bool) -> None:
    assert (identifier_problem(name) == "") is good


def test_undo_keeps_what_another_has_changed_and_all_it_stands_on() -> None:
    plant = hall("di-16")
    port = plant.all(Port)[0].id
    mine = apply(plant, BUILTIN, edits.Batch(edits=[
        edits.AddNetwork(fieldbus="modbus-tcp", port=port, name="N", tag="$n"),
        edits.AddStation(network="$n", name="S", tag="$s"),
    ]))  # fmt: skip
    station = mine.tags["$s"]
    theirs = apply(mine.plant, BUILTIN, edits.SetFields(ids=[station], values={"note": "theirs"})).plant
    inverse = inverse_on(theirs, mine.change)
    after = theirs.patched(inverse.change)
    assert {station, mine.tags["$n"]} <= {overlap.id for overlap in inverse.overlaps}
    assert after.find(station).network == mine.tags["$n"]
    assert after.find(mine.tags["$n"]) is not None


def test_undo_takes_a_new_task_along_with_the_reference_to_it() -> None:
    plant = demo_plant()
    signal = next(s for s in plant.all(Signal) if s.name == "Tank1Level")
    task = next(t for t in plant.all(Task) if t.controller == signal.controller)
    copy = dataclasses.replace(task, id="tzzz", name="Copy")
    change = Change(
        {("tasks", "tzzz"): (None, copy), ("signals", signal.id): (signal, dataclasses.replace(signal, task="tzzz"))}
    )
    inverse = inverse_on(plant.patched(change), change)
    assert not inverse.overlaps
    assert inverse.change == change.inverse()
