"""Structures and arrays: read off names, declared once, changed with every variable of them."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, DataStructure, Link, Module, Signal
from highmoor.core.plant.variables import steps_of, variable_problem
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.signals.declarations import declarations
from highmoor.core.signals.shapes import Array, Shape, Structure, Variables, elements, folded
from tests.core.plants import hall


def names(plant: Plant) -> list[str]:
    return [signal.name for c in plant.all(Controller) for signal in plant.children(Signal, c.id)]


def with_signals(plant: Plant, *rows: tuple[str, str], **more: Any) -> Plant:
    controller = plant.all(Controller)[0].id
    made = [{"name": name, "type": kind, **more} for name, kind in rows]
    return apply(plant, BUILTIN, edits.PasteSignals(controller=controller, rows=made)).plant


def declared(plant: Plant, name: str, *members: tuple[str, str], of: str | None = None, was: bool = False) -> Plant:
    made = [edits.StructureMember(name=m, type=t, was=m if was else "") for m, t in members]
    return apply(plant, BUILTIN, edits.SetStructure(of=of, name=name, members=made)).plant


@pytest.mark.parametrize(
    ("name", "problem"),
    [
        ("Fan1", ""), ("Fan1.Speed", ""), ("Bins[0]", ""), ("Silos[12].Level", ""), ("A.b[1][2].c", ""),
        ("Fan1.", "full stop"), (".Speed", "begins with no name"), ("Fan1..Speed", "full stop"),
        ("Fan1.9x", "begins with a digit"), ("Fan1.if", "word of the programming languages"), ("Bins[]", "no index"),
        ("Bins[03]", "no index"), ("Bins[-1]", "no index"), ("Bins[1", "bracket"), ("Bins1]", "contains"),
        ("Bins[32767]", ""), ("Bins[32768]", "above 32767"), ("Bins[1]x", "bracket"), ("Bins[1]. x", "contains"),
        ("Fan1.Speed x", "contains"), ("A." * 110 + "b", "200 are allowed"),
    ],
)  # fmt: skip
def test_a_name_leads_to_an_element_or_says_why_not(name: str, problem: str) -> None:
    found = variable_problem(name)
    assert problem in found
    assert bool(problem) == bool(found)


def test_a_name_is_taken_apart() -> None:
    assert steps_of("Silos[2].Level[0]") == ("Silos", 2, "Level", 0)
    assert steps_of("Plain") == ("Plain",)


IDENTIFIERS = st.sampled_from(["Speed", "Run", "Level", "Temp", "Mode", "Set"])
SHAPES: st.SearchStrategy[Shape] = st.recursive(
    st.sampled_from(["BOOL", "INT", "REAL"]),
    lambda inner: st.one_of(
        st.lists(st.tuples(IDENTIFIERS, inner), min_size=1, max_size=3, unique_by=lambda m: m[0]).map(
            lambda members: Structure(tuple(members))
        ),
        st.tuples(st.integers(0, 5), st.integers(0, 2), inner).map(lambda a: Array(a[0], a[0] + a[1], a[2])),
    ),
    max_leaves=6,
)


@given(SHAPES, st.randoms())
def test_a_shape_is_read_back_off_the_names_of_its_elements_in_any_order(shape: Shape, random: Any) -> None:
    rows = [Signal(f"g{n}", "c1", name, kind, "") for n, (name, kind) in enumerate(elements("V", shape))]
    random.shuffle(rows)
    variables = Variables(rows)
    assert variables.mixed == ()
    (part,) = variables.all
    assert folded(part.shape) == folded(shape)
    assert sorted(part.signals) == sorted(row.id for row in rows)


def test_an_array_has_the_shape_of_all_its_elements_together() -> None:
    rows = [("Bins[2].Level", "REAL"), ("Bins[5].level", "REAL"), ("Bins[5].Full", "BOOL")]
    (part,) = Variables([Signal(str(n), "c", *row, "") for n, row in enumerate(rows)]).all
    assert part.shape == Array(2, 5, Structure((("Level", "REAL"), ("Full", "BOOL"))))


@pytest.mark.parametrize(
    ("rows", "why"),
    [
        ([("Fan", "INT"), ("Fan.Run", "BOOL")], "Fan would be one value and made of several"),
        ([("Fan.Run", "BOOL"), ("FAN", "INT")], "Fan would be one value and made of several"),
        ([("Fan.Run", "BOOL"), ("Fan.Run.Late", "BOOL")], "Fan.Run would be one value and made of several"),
        ([("Fan.Run", "BOOL"), ("Fan[1]", "BOOL")], "Fan would be an array and a structure"),
        ([("Fan[1]", "BOOL"), ("Fan[2]", "INT")], "Fan[1] and Fan[2] would be of two types"),
        ([("Fan[1].Run", "BOOL"), ("Fan[2]", "BOOL")], "Fan[1] and Fan[2] would be of two types"),
    ],
)
def test_names_that_contradict_each_other_are_found_and_mended(rows: list[tuple[str, str]], why: str) -> None:
    plant = with_signals(hall(), *rows)
    found = [f for f in analyse(plant, BUILTIN).findings.values() if f.code == "SIG-115"]
    assert [dict(f.values)["why"] for f in found] == [why]
    assert {place.id for place in found[0].places} == {signal.id for signal in plant.all(Signal)}


def test_a_composite_type_gives_a_signal_for_each_value_and_a_run_of_channels_its_links() -> None:
    plant = hall("ai-8")
    module = plant.all(Module)[-1]
    controller = plant.all(Controller)[0].id
    add = edits.AddSignals(
        controller=controller, pattern="Bed{n}", count=2, type="array [1 .. 3] of real", place=module.id, key="ch1",
        scaling={"raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 100},
    )  # fmt: skip
    plant = apply(plant, BUILTIN, add).plant
    assert names(plant) == ["Bed1[1]", "Bed1[2]", "Bed1[3]", "Bed2[1]", "Bed2[2]", "Bed2[3]"]
    assert [link.key for link in plant.all(Link)] == ["ch1", "ch2", "ch3", "ch4", "ch5", "ch6"]


def test_a_structure_changes_with_every_variable_of_it_wherever_that_lies() -> None:
    plant = declared(hall("ai-8"), "FanData", ("Speed", "INT"), ("Run", "BOOL"))
    fan = plant.all(DataStructure)[0]
    plant = declared(plant, "RowData", ("Left", "FanData"), ("Others", "ARRAY[1..2] OF fandata"))
    plant = with_signals(plant, ("Fan1", "FanData"), ("Row", "RowData"), ("Other.Speed", "INT"))
    link = edits.LinkSignal(signal=plant.all(Signal)[0].id, place=plant.all(Module)[-1].id, key="ch0")
    plant = apply(plant, BUILTIN, link).plant
    before = plant
    members = [
        edits.StructureMember(name="Rpm", type="REAL", was="Speed"),
        edits.StructureMember(name="Runs", type="ARRAY[0..1] OF BOOL"),
    ]
    done = apply(plant, BUILTIN, edits.SetStructure(of=fan.id, name="Ventilator", members=members))
    each = [f"{one}.{member}" for one in ("Fan1", "Row.Left", "Row.Others[1]", "Row.Others[2]")
            for member in ("Rpm", "Runs[0]", "Runs[1]")]  # fmt: skip
    assert names(done.plant) == [*each, "Other.Speed"]
    first = done.plant.all(Signal)[0]
    assert (first.type, first.id) == ("REAL", before.all(Signal)[0].id)
    assert [link.signal for link in done.plant.all(Link)] == [first.id]
    row = done.plant.all(DataStructure)[1]
    assert [m["type"] for m in row.shape["members"]] == ["Ventilator", "ARRAY[1..2] OF Ventilator"]
    told = analyse(done.plant, BUILTIN).result("controller.variables", done.plant.all(Controller)[0].id).variables
    assert [(v.name, v.type) for v in told] == [("Fan1", "Ventilator"), ("Row", "RowData"), ("Other", "OtherData")]


@pytest.mark.parametrize(
    ("name", "members", "why"),
    [
        ("Fan Data", [("a", "INT")], "contains"), ("INT", [("a", "INT")], "word of the programming"),
        ("FANDATA", [("a", "INT")], "declared already"), ("X", [("a", "INT"), ("A", "BOOL")], "would be there twice"),
        ("X", [("a", "X")], "within itself"), ("X", [("a", "NOPE")], "neither elementary nor a structure"),
        ("X", [("a", "ARRAY[3..1] OF INT")], "from the lower index"), ("X", [("9", "INT")], "begins with a digit"),
        ("X", [("a", "ARRAY[0..40000] OF INT")], "from the lower index"),
    ],
)  # fmt: skip
def test_what_is_no_structure_is_refused(name: str, members: list[tuple[str, str]], why: str) -> None:
    plant = declared(hall(), "FanData", ("Speed", "INT"))
    with pytest.raises(Refusal, match=why):
        declared(plant, name, *members)


def test_a_structure_cannot_come_to_lie_within_itself_by_another() -> None:
    plant = declared(hall(), "A", ("x", "INT"))
    plant = declared(plant, "B", ("a", "A"))
    with pytest.raises(Refusal, match="within itself"):
        declared(plant, "A", ("x", "B"), of=plant.all(DataStructure)[0].id)


def test_too_many_values_are_refused() -> None:
    with pytest.raises(Refusal, match="more than 5000 values"):
        with_signals(hall(), ("Big", "ARRAY[0..99] OF ARRAY[0..99] OF INT"))


def test_a_variable_is_renamed_with_all_within_it_and_with_no_other() -> None:
    plant = with_signals(hall(), ("Fan.Run", "BOOL"), ("Fan2.Run", "BOOL"), ("fan.Speeds[1]", "INT"))
    controller = plant.all(Controller)[0].id
    renamed = edits.RenameVariable(controller=controller, name="FAN", by="Row[3].Fan")
    assert names(apply(plant, BUILTIN, renamed).plant) == ["Row[3].Fan.Run", "Fan2.Run", "Row[3].Fan.Speeds[1]"]
    with pytest.raises(Refusal, match="the name of 2 signals"):
        apply(plant, BUILTIN, edits.RenameVariable(controller=controller, name="Fan", by="Fan2"))
    with pytest.raises(Refusal, match="no variable"):
        apply(plant, BUILTIN, edits.RenameVariable(controller=controller, name="Fa", by="X"))


def test_declarations_have_types_elements_at_their_addresses_and_what_they_begin_with() -> None:
    plant = declared(hall("ai-8"), "FanData", ("Speed", "INT"), ("Run", "BOOL"))
    plant = with_signals(plant, ("Fan1", "FanData"), ("Fan2", "FanData"), ("Limit", "REAL"), ("Bins[1]", "INT"),
                         ("Bins[2]", "INT"), ("Odd.x", "INT"))  # fmt: skip
    first, run, *_ = plant.all(Signal)
    limit, odd = (next(s for s in plant.all(Signal) if s.name == name) for name in ("Limit", "Bins[2]"))
    module = plant.all(Module)[-1].id
    for edit in (
        edits.LinkSignal(signal=first.id, place=module, key="ch2"),
        edits.SetEach(values={run.id: {"initial": True}, limit.id: {"initial": "5"}, odd.id: {"initial": "16#1F"}}),
    ):
        plant = apply(plant, BUILTIN, edit).plant
    assert declarations(analyse(plant, BUILTIN), plant.all(Controller)[0].id).splitlines() == [
        "TYPE",
        "    FanData : STRUCT",
        "        Speed : INT;",
        "        Run : BOOL;",
        "    END_STRUCT;",
        "    OddData : STRUCT",
        "        x : INT;",
        "    END_STRUCT;",
        "END_TYPE",
        "",
        "VAR_GLOBAL",
        "    Fan1 : FanData := (Run := TRUE);",
        "    Fan1_Speed AT %IW4 : INT; {value of Fan1.Speed} (* AI-8 slot 1, channel 2 *)",
        "    Fan2 : FanData;",
        "    Limit : REAL := 5.0;",
        "    Bins : ARRAY[1..2] OF INT := [0, 16#1F];",
        "    Odd : OddData;",
        "END_VAR",
    ]
