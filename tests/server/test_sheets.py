"""Signals as files: whatever is in a cell comes back as it was, and nothing of it is ever a formula."""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import load_workbook

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.parts import analyse
from highmoor.core.plant.rows import Controller, PinnedType, Signal
from highmoor.core.plant.variables import is_whole
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.signals.declarations import declarations
from highmoor.core.signals.path import SignalPath
from highmoor.core.signals.table import COLUMNS, signal_table
from highmoor.server.demo import demo_files, demo_with_types
from highmoor.server.library import LIBRARY
from highmoor.sheets import as_written, csv_octets, inert, signals_octets, xlsx_octets
from tests.conftest import Api
from tests.server.test_keeping import run

# As notes may be: printable, in one or several lines.
TEXTS = st.one_of(
    st.text(st.characters(exclude_categories=["C"]), max_size=12),
    st.sampled_from(["=1+1", "+3", "-K4", "@SUM(A1)", "'=1", "''", "a,b;c", 'say "so"', "two\nlines", "\tx", "1e5"]),
)
CELLS = st.one_of(st.none(), TEXTS, st.integers(-(10**9), 10**9), st.floats(-1e9, 1e9).map(lambda x: round(x, 3)))
TABLES = st.integers(1, 4).flatmap(lambda n: st.lists(st.lists(CELLS, min_size=n, max_size=n), min_size=1, max_size=5))


@given(TABLES)
def test_a_csv_gives_back_every_cell_and_none_is_active(rows: list[list[Any]]) -> None:
    octets = csv_octets(rows)
    back = list(csv.reader(io.StringIO(octets.decode("utf-8-sig"), newline="")))
    texts = [[as_written(cell) for cell in row] for row in back]
    assert texts == [["" if cell is None else str(cell) for cell in row] for row in rows]
    for row, given_ in zip(back, rows, strict=True):
        for cell, one in zip(row, given_, strict=True):
            assert not isinstance(one, str) or not cell.startswith(("=", "+", "-", "@", "\t", "\r"))


@given(TABLES)
def test_a_workbook_gives_back_every_cell_and_none_is_a_formula(rows: list[list[Any]]) -> None:
    sheet = load_workbook(io.BytesIO(xlsx_octets(rows, "any: [name]"))).worksheets[0]
    back = [[sheet.cell(r + 1, c + 1) for c in range(len(rows[0]))] for r in range(len(rows))]
    # A cell of no text is an empty cell.
    assert [[cell.value for cell in row] for row in back] == [
        [one if one != "" else None for one in row] for row in rows
    ]
    assert all(cell.data_type != "f" for row in back for cell in row)


@given(TEXTS)
def test_what_is_made_inert_is_read_as_it_was(text: str) -> None:
    assert as_written(inert(text)) == text
    assert as_written(text) == text or text.startswith("'")


PLANT = demo_with_types(demo_files())
# Other tests make the library forget what it read.
READINGS = {pinned.key: LIBRARY.find(pinned.key) for pinned in PLANT.all(PinnedType)}
CATALOGUE = Catalogue(BUILTIN.types, READINGS.get)
ANALYSIS = analyse(PLANT, CATALOGUE)


def test_every_signal_stands_in_the_table_with_what_it_is_linked_to() -> None:
    heads, *rows = signal_table(ANALYSIS)
    assert heads == [title for title, _ in COLUMNS]
    named = {(row[0], row[1]) for row in rows}
    assert named == {(PLANT.get(s.controller, Controller).name, s.name) for s in PLANT.all(Signal)}
    told = {str(row[1]): dict(zip(map(str, heads), row, strict=True)) for row in rows}
    level = {key: value for key, value in told["Tank1Level"].items() if value not in (None, "")}
    assert level == {
        "Controller": "HALL", "Signal": "Tank1Level", "Type": "REAL", "Access": "read",
        "Linked to": "-K4 slot 4, channel 0", "Terminals": level["Terminals"], "In the image": "in, octets 8–9",
        "Octet order": "ABCD", "Characteristic": "Linear", "Raw type": "INT", "Raw low": 0, "Raw high": 30000, "Low": 0,
        "High": 3.2, "Held": "no", "Computed in": "LREAL", "Unit": "m", "Comment": "Level tank 1", "Tag": "10-LT-001",
        "Area": "Steep", "Location": "Steep house, row 2", "Strip": "-X4", "Terminal": "1", "Cable": level["Cable"],
        "Core": level["Core"], "Loop": "L1001", "Kind": "AI 4-20 mA",
    }  # fmt: skip
    assert (told["SteepFlow1"]["Characteristic"], told["SteepFlow1"]["Cut-off %"]) == ("Square root", 5)
    assert str(told["Tank1Volume"]["Points"]).endswith("; 3.2 10.667")


def test_points_go_out_with_all_their_digits() -> None:
    signal = next(one for one in PLANT.all(Signal) if one.name == "Tank1Volume")
    points = "0 0; 1.23456789 1234567.125"
    edit = edits.SetFields(ids=[PLANT.referring("links", "signal", signal.id)[0]], values={"scaling.points": points})
    heads, *rows = signal_table(analyse(apply(PLANT, CATALOGUE, edit).plant, CATALOGUE))
    assert next(row for row in rows if row[1] == "Tank1Volume")[heads.index("Points")] == points


DECLARED = re.compile(
    r"    (\w+)(?: AT %([IQ])([XBWDL])(\d+)(?:\.(\d))?)? : (\w+);(?: \{(\w+) of ([\w.\[\]]+)\})?(?: \(\*.*\*\))?"
)


def test_declarations_say_where_each_signal_is_and_use_no_name_twice() -> None:
    bits = {"X": 1, "B": 8, "W": 16, "D": 32, "L": 64}
    for controller in PLANT.all(Controller):
        *types, body = re.split(r"(?<=END_TYPE\n)\n", declarations(ANALYSIS, controller.id))
        assert bool(types) == (controller.name == "HALL")
        head, *lines, end = body.splitlines()
        assert (head, end) == ("VAR_GLOBAL", "END_VAR")
        made = [line for line in lines if not DECLARED.fullmatch(line)]
        assert [line.split(":")[0].strip() for line in made] == (["Recipes"] if types else [])
        found = [DECLARED.fullmatch(line) for line in lines]
        by_name = {one[1]: one for one in found if one}
        assert len(by_name) == len(lines) - len(made)
        for signal in PLANT.children(Signal, controller.id):
            if not is_whole(signal.name):
                continue
            path: SignalPath = ANALYSIS.result("signal.path", signal.id)
            own = by_name[signal.name]
            assert own[6] == signal.type
            facts = path.links[0] if path.links else None
            there = own if own[2] else by_name.get(f"{signal.name}_raw")
            if facts and there and there[2]:
                told = ("in" if there[2] == "I" else "out", int(there[4]), int(there[5] or 0), bits[there[3]])
                assert told == (facts.area, facts.octet, facts.bit, facts.bits)


def test_a_note_does_not_end_the_comment_it_stands_in() -> None:
    signal = PLANT.all(Signal)[0]
    edit = edits.SetFields(ids=[signal.id], values={"note": "off *) x : BOOL; (* on"})
    plant = apply(PLANT, CATALOGUE, edit).plant
    text = declarations(analyse(plant, CATALOGUE), signal.controller)
    line = next(line for line in text.splitlines() if line.startswith(f"    {signal.name} "))
    assert DECLARED.fullmatch(line)
    assert line.count("*)") == line.count("(*") == 1


@pytest.mark.parametrize("form", ["csv", "xlsx", "st", "xml"])
def test_each_form_is_had_from_the_page_and_from_the_command_line(ada: Api, tmp_path: Path, form: str) -> None:
    answer = ada.client.get(f"/api/plants/demo/signals.{form}")
    assert answer.status_code == 200
    assert answer.headers["Content-Disposition"].endswith(f'-signals.{form}"')
    file = tmp_path / f"signals.{form}"
    assert run(tmp_path, "export", "--demo", "--signals", str(file)).returncode == 0
    if form != "xlsx":
        created = re.compile(b'creationDateTime="[^"]*"')
        assert created.sub(b"", file.read_bytes()) == created.sub(b"", signals_octets(ANALYSIS, form, "Skelder"))
    else:
        assert load_workbook(file).worksheets[0].max_row == len(signal_table(ANALYSIS))
    assert ada.client.get("/api/plants/demo/signals.exe").status_code == 422
    refused = run(tmp_path, "export", "--demo", "--signals", str(tmp_path / "signals.doc"))
    assert (refused.returncode, ".csv, .xlsx, .st, .xml" in refused.stderr) == (3, True)
