"""The lists that wait in the demo's inbox, written from what the demo plant says."""

from __future__ import annotations

import csv
import io
from itertools import groupby
from pathlib import Path

from highmoor.core.demo.listed import FIRST, HEADINGS, SECOND, first_issue, rows_of, second_issue
from highmoor.core.demo.plant import demo_plant
from highmoor.intake.sheets import read_sheet

_AREA = [key for _, key in HEADINGS].index("area")
_RANGE = [key for _, key in HEADINGS].index("range")


def inbox() -> dict[str, bytes]:
    """The files by name: the first issue as a workbook, the second as text with semicolons and decimal commas."""
    first = first_issue(demo_plant())
    return {FIRST: _workbook(rows_of(first)), SECOND: _text(rows_of(second_issue(first)))}


def same_table(path: Path, octets: bytes) -> bool:
    """Whether a file says what these octets do; a workbook also holds when it was made, so octets are not compared."""
    return path.exists() and read_sheet(path.read_bytes()) == read_sheet(octets)


def _workbook(rows: list[list[str]]) -> bytes:
    """As design sends it: a title above, the area written once for all its lines."""
    from openpyxl import Workbook
    from openpyxl.styles import Font
    from openpyxl.utils import get_column_letter

    book = Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "I-O list"
    sheet.append(["Skelder Maltings: I/O list, issue A"])
    sheet.merge_cells("A1:D1")
    sheet.append([])
    for row in rows:
        sheet.append([_number(cell) for cell in row])
    for cell in (sheet["A1"], *sheet[3]):
        cell.font = Font(bold=True)
    at = 4
    for _, lines in groupby(rows[1:], key=lambda row: row[_AREA]):
        count = len(list(lines))
        if count > 1:
            sheet.merge_cells(start_row=at, end_row=at + count - 1, start_column=_AREA + 1, end_column=_AREA + 1)
        at += count
    for n, cells in enumerate(zip(*rows, strict=True), start=1):
        sheet.column_dimensions[get_column_letter(n)].width = max(len(cell) for cell in cells) + 2
    file = io.BytesIO()
    book.save(file)
    return file.getvalue()


def _number(text: str) -> str | int:
    return int(text) if text.isdigit() else text


def _text(rows: list[list[str]]) -> bytes:
    file = io.StringIO()
    writer = csv.writer(file, delimiter=";")
    for row in rows:
        writer.writerow([cell.replace(".", ",") if n == _RANGE else cell for n, cell in enumerate(row)])
    return file.getvalue().encode("utf-8-sig")
