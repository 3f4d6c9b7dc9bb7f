"""Declarations read in again: types, addresses and beginnings come back; what cannot be read is told by its line."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.reading.description import Unreadable
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, DataStructure, Link, Module, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.signal_tables.declared_text import read_declarations
from highmoor.core.project.signal_tables.declaring import lay_declarations
from highmoor.core.project.signal_tables.laying import Laid
from highmoor.core.signals.declarations import declarations
from highmoor.core.signals.shapes import Shape, elements
from tests.core.plants import hall
from tests.core.project.signal_tables.test_tables import DEMO, taken
from tests.core.signals.test_structures import SHAPES, declared, names, with_signals


def text_of(plant: Plant) -> str:
    analysis = analyse(plant, BUILTIN)
    return "\n".join(f"(* {c.name} *)\n{declarations(analysis, c.id)}" for c in plant.all(Controller))


def laid(plant: Plant, text: str) -> Laid:
    return lay_declarations(analyse(plant, BUILTIN), read_declarations(text), plant.all(Controller)[0].id)[0]


def test_what_went_out_says_nothing_new() -> None:
    found = laid(DEMO, text_of(DEMO))
    assert (found.signals, found.refused) == ((), ())
    assert (found.same, found.absent) == (len(DEMO.all(Signal)), 0)


def test_all_signals_of_a_plant_are_made_of_its_declarations_at_their_addresses() -> None:
    bare = apply(DEMO, BUILTIN, edits.Remove(ids=[signal.id for signal in DEMO.all(Signal)])).plant
    found = laid(bare, text_of(DEMO))
    assert not found.refused
    plant = taken(bare, found)
    assert sorted(names(plant)) == sorted(names(DEMO))
    # What scales a count stands in no declaration; where it lies, and its type, do.
    assert not laid(plant, text_of(DEMO)).signals


@given(st.lists(SHAPES, min_size=1, max_size=3))
def test_any_structures_and_arrays_come_back(shapes: list[Shape]) -> None:
    rows = [one for n, shape in enumerate(shapes) for one in elements(f"V{n}", shape)]
    text = text_of(with_signals(hall(), *rows))
    found = laid(hall(), text)
    assert not found.refused
    plant = taken(hall(), found)
    assert sorted((s.name, s.type) for s in plant.all(Signal)) == sorted(rows)


def test_each_way_of_writing_a_declaration_is_understood() -> None:
    text = """
        TYPE
            FanData : STRUCT Speed, Rpm : INT := 5; Run : BOOL; END_STRUCT;
        END_TYPE
        (* nobody *)
        var_global RETAIN
            Fan : FanData := (Run := TRUE, Speed := INT#12); // on the roof
            B : ARRAY[1..3] OF INT := [2(7), 16#1F];
            C, D : REAL := -1.5E3;
            Level AT %IW4 : INT; (* from the field *)
            Span : ARRAY [0..1] OF BOOL;
        END_VAR
    """
    analysis = analyse(hall("ai-8"), BUILTIN)
    found, structures = lay_declarations(analysis, read_declarations(text), analysis.plant.all(Controller)[0].id)
    assert not found.refused
    assert [(s.name, [(m.name, m.type) for m in s.members]) for s in structures] == [
        ("FanData", [("Speed", "INT"), ("Rpm", "INT"), ("Run", "BOOL")])
    ]
    plant = taken(hall("ai-8"), found)
    told = {s.name: (s.type, s.initial, s.note) for s in plant.all(Signal)}
    assert told == {
        "Fan.Speed": ("INT", "12", ""), "Fan.Rpm": ("INT", "", ""), "Fan.Run": ("BOOL", "TRUE", ""),
        "B[1]": ("INT", "7", ""), "B[2]": ("INT", "7", ""), "B[3]": ("INT", "16#1F", ""),
        "C": ("REAL", "-1.5E3", ""), "D": ("REAL", "-1.5E3", ""), "Level": ("INT", "", "from the field"),
        "Span[0]": ("BOOL", "", ""), "Span[1]": ("BOOL", "", ""),
    }  # fmt: skip
    assert [link.key for link in plant.all(Link)] == ["ch2"]


def test_an_address_that_moves_takes_the_link_along_with_its_scaling() -> None:
    plant = with_signals(hall("ai-8"), ("Level", "REAL"))
    scaling = {"raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 5}
    module = plant.all(Module)[-1].id
    link = edits.LinkSignal(signal=plant.all(Signal)[0].id, place=module, key="ch1", scaling=scaling)
    plant = apply(plant, BUILTIN, link).plant
    text = text_of(plant)
    assert not laid(plant, text).signals
    (told,) = laid(plant, text.replace("%IW2", "%IW6")).signals
    assert [(c.heading, c.old, c.new) for c in told.changes] == [("Address", "%IW2", "%IW6")]
    moved = taken(plant, laid(plant, text.replace("%IW2", "%IW6"))).all(Link)
    assert [(one.key, one.scaling) for one in moved] == [("ch3", plant.all(Link)[0].scaling)]


@pytest.mark.parametrize(
    ("text", "line", "why"),
    [
        ("VAR_GLOBAL\n A : ;\nEND_VAR", 2, "“;”"), ("VAR_GLOBAL\n A : INT", 2, "The end"),
        ("VAR_GLOBAL\n\n 9a : INT; END_VAR", 3, "“9”"), ("TYPE x ? END_TYPE", 1, "“?”"), ("just words", 1, "“just”"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_is_told_by_its_line(text: str, line: int, why: str) -> None:
    with pytest.raises(Unreadable, match=r"is not understood there") as told:
        read_declarations(text)
    assert (told.value.line, why in told.value.reason) == (line, True)


@pytest.mark.parametrize(
    ("declaration", "why"),
    [
        ("A : STRING[20];", "STRING[20] is neither elementary"), ("A AT %IW400 : INT;", "nothing begins at %IW400"),
        ("A AT %MW4 : INT;", "%MW4 is no address of an image"), ("A : INT; a : BOOL;", "declared above already"),
        ("A AT %IW0 : ARRAY[0..1] OF INT;", "A at %IW0 is no single value"),
        ("A : ARRAY[0..9999] OF INT;", "more than 5000 values"),
    ],
)  # fmt: skip
def test_what_cannot_be_taken_is_refused_by_its_line(declaration: str, why: str) -> None:
    found = laid(hall("ai-8"), f"VAR_GLOBAL\nFirst : INT;\n{declaration}\nEND_VAR")
    assert [(one.rows, why in one.why) for one in found.refused] == [((3,), True)]
    assert "HALL.First" in [one.key for one in found.signals]


def test_a_structure_that_the_plant_declares_otherwise_is_refused() -> None:
    plant = declared(hall(), "FanData", ("Speed", "INT"))
    found = laid(plant, "TYPE fandata : STRUCT Speed : REAL; END_STRUCT; END_TYPE")
    assert [one.why for one in found.refused] == ["FanData is declared otherwise in the plant"]
    assert [row.name for row in plant.all(DataStructure)] == ["FanData"]
