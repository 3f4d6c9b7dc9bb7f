"""Tables of spreadsheets from outside: whatever they are, they are read, or refused with the row."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import Workbook

from highmoor.core.catalogue.reading.description import Unreadable
from highmoor.core.errors import Refusal
from highmoor.intake.reading import Reading
from highmoor.intake.sheets import ROWS_AT_MOST, read_sheet
from highmoor.sheets import csv_octets, xlsx_octets


def book(fill: Callable[[Any, Any], None]) -> bytes:
    made = Workbook()
    fill(made, made.active)
    file = io.BytesIO()
    made.save(file)
    return file.getvalue()


_TEXT = st.text(alphabet="ab=+-@'\"; ,\n\t0ä€", max_size=6)


@given(st.lists(st.lists(_TEXT, min_size=2, max_size=4), min_size=1, max_size=5))
def test_what_goes_out_is_read_again(rows: list[list[str]]) -> None:
    width = max(map(len, rows))
    table = [["Tag", "Text", "Unit", "Core"][:width], *([*row, *[""] * (width - len(row))] for row in rows)]
    wanted = [[cell.strip() for cell in row] for row in table]
    while_there = [row[: max((n + 1 for n, cell in enumerate(row) if cell), default=0)] for row in wanted]
    wanted = [row for row in while_there if row]
    for octets in (csv_octets(table), xlsx_octets(table, "List")):
        assert [cells for _, cells in read_sheet(octets).rows] == wanted


def test_lines_are_told_by_the_row_of_the_file() -> None:
    text = 'Tag;Text\r\n\r\nA;"two\r\nlines"\r\nB;one\r\n'
    assert [(row, cells[0]) for row, cells in read_sheet(text.encode()).rows] == [(1, "Tag"), (3, "A"), (5, "B")]


@pytest.mark.parametrize(
    ("octets", "cells", "note"),
    [
        (b"Tag,Unit\nA,\xb0C\n", ["A", "°C"], "Not UTF-8"),
        ("Tag\tUnit\nA\t°C\n".encode("utf-16"), ["A", "°C"], ""),
        ("Tag|Unit\nA|°C\n".encode(), ["A", "°C"], ""),
        (b"\xef\xbb\xbfTag;Unit\nA;\xff\n", ["A", "\ufffd"], "An octet here is not valid"),
        (b"Tag;Range\nA;0,5 - 3,2\n", ["A", "0,5 - 3,2"], ""),
        (b"Tag,Text\nA,'=1+1\n", ["A", "=1+1"], ""),
    ],
)
def test_text_is_read_however_it_is_written(octets: bytes, cells: list[str], note: str) -> None:
    sheet = read_sheet(octets)
    assert sheet.rows[1][1] == cells
    assert [text for _, text in sheet.notes if note in text] if note else not sheet.notes


def test_merged_cells_hold_for_all_their_rows_and_formulas_for_their_values() -> None:
    def fill(made: Any, sheet: Any) -> None:
        for row in (["I/O list"], ["Tag", "Area", "Core"], ["A", "Hall", 1], ["B", None, 2.5], ["C", None, "=1+1"]):
            sheet.append(row)
        sheet.merge_cells("A1:C1")
        sheet.merge_cells("B3:B5")
        made.create_sheet("Legend").append(["AI", "analogue input"])
        hidden = made.create_sheet("Old")
        hidden.append(["Tag", "Text", "Area", "Core", "Unit"])
        hidden.sheet_state = "hidden"

    sheet = read_sheet(book(fill))
    assert sheet.rows == [
        (1, ["I/O list"]), (2, ["Tag", "Area", "Core"]), (3, ["A", "Hall", "1"]), (4, ["B", "Hall", "2.5"]),
        (5, ["C", "Hall"]),
    ]  # fmt: skip
    notes = dict(sheet.notes)
    assert "it holds for rows to 5" in notes[3]
    assert "Column 3 is a formula without a value" in notes[5]
    assert "Of 2 sheets “Sheet” is read" in notes[0]


def _many(rows: int) -> bytes:
    made = Workbook(write_only=True)
    sheet = made.create_sheet()
    for n in range(rows):
        sheet.append([f"T{n}"])
    file = io.BytesIO()
    made.save(file)
    return file.getvalue()


def _bomb() -> bytes:
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/worksheets/sheet1.xml", b"<row r='1'/>" * 30_000_000)
    return file.getvalue()


@pytest.mark.parametrize(
    ("octets", "reason"),
    [
        (b"", "There is no line in it"),
        (b"\n;;\n", "There is no line in it"),
        (b"\0\1\2", "zero octets"),
        (b"PK\x03\x04 and then nothing", "The workbook is damaged"),
        (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 old", "a workbook of an old kind"),
        (b"Tag\n" + b"A\n" * ROWS_AT_MOST, "more than 10000 lines"),
        (_many(ROWS_AT_MOST + 1), "more than 10000 lines"),
        (_many(200_000), "more than 50000 rows"),
        (xlsx_octets([["Tag"]], "x")[:-40], "The workbook is damaged"),
        (_bomb(), "more than 50000 rows|The workbook is damaged"),
        (b'Tag;Text\nA;"' + b"x" * 200_000 + b'"\n', "The text is no table: field larger"),
    ],
    ids=range(11),
)
def test_what_is_no_list_is_refused_with_the_reason(octets: bytes, reason: str) -> None:
    with pytest.raises(Unreadable, match=f"(?i){reason}"):
        read_sheet(octets)


@given(st.integers(0, 3000), st.binary(min_size=1, max_size=4))
def test_a_damaged_workbook_is_read_or_refused(at: int, damage: bytes) -> None:
    octets = bytearray(_SOUND)
    octets[at % len(octets) : at % len(octets) + len(damage)] = damage
    try:
        read_sheet(bytes(octets))
    except Unreadable as unreadable:
        assert unreadable.reason


_SOUND = xlsx_octets([["Tag", "Text"], ["A", "Level"], ["=B", "1"]], "List")


def test_a_table_is_read_in_a_process_of_its_own() -> None:
    sheet = Reading(b"Tag;Unit\nA;m\n", "list.csv").table()
    assert sheet.rows == [(1, ["Tag", "Unit"]), (2, ["A", "m"])]
    with pytest.raises(Refusal, match="The workbook is damaged"):
        Reading(b"PK\x03\x04", "list.xlsx").table()
