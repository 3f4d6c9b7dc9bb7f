"""Tables as files of spreadsheets: comma-separated text, and workbooks. No cell is ever taken for a formula."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.plant.rows import Controller
from highmoor.core.signals.declarations import declarations
from highmoor.core.signals.table import Cell, signal_table
from highmoor.plcopen_xml import plcopen_octets

# What a spreadsheet takes for a formula, or steps over to find one.
_ACTIVE = ("=", "+", "-", "@", "\t", "\r")
_WIDEST = 48


def inert(text: str) -> str:
    """A text that a spreadsheet shows and does not compute: an apostrophe before it, and before one that is there."""
    return f"'{text}" if text.startswith((*_ACTIVE, "'")) else text


def as_written(text: str) -> str:
    """The text that `inert` was given."""
    return text[1:] if text[:1] == "'" and text[1:].startswith((*_ACTIVE, "'")) else text


def csv_octets(rows: Sequence[Sequence[Cell]]) -> bytes:
    """Comma-separated, UTF-8 with its mark, so that spreadsheets read it as such (RFC 4180)."""
    file = io.StringIO()
    writer = csv.writer(file)
    for row in rows:
        writer.writerow(["" if cell is None else inert(cell) if isinstance(cell, str) else cell for cell in row])
    return file.getvalue().encode("utf-8-sig")


def xlsx_octets(rows: Sequence[Sequence[Cell]], title: str) -> bytes:
    """A workbook of one sheet, its headings kept in sight. Texts are cells of text, whatever they begin with."""
    from openpyxl import Workbook
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.cell.cell import ILLEGAL_CHARACTERS_RE
    from openpyxl.styles import Font
    from openpyxl.utils import get_column_letter

    book = Workbook(write_only=True)
    sheet = book.create_sheet(_sheet_name(title))
    sheet.freeze_panes = "C2"
    for n, cells in enumerate(zip(*rows, strict=True), start=1):
        longest = max((len(str(cell)) for cell in cells if cell is not None), default=0)
        sheet.column_dimensions[get_column_letter(n)].width = min(longest, _WIDEST) + 2
    bold = Font(bold=True)
    for place, row in enumerate(rows):
        made: list[Any] = list(row)
        for n, value in enumerate(row):
            if not isinstance(value, str):
                continue
            text = value if value.isprintable() else ILLEGAL_CHARACTERS_RE.sub("�", value)
            made[n] = text
            # What a spreadsheet would compute is said to be a text; a cell of which more is said costs thrice as much.
            if text.startswith("=") or not place:
                made[n] = cell = WriteOnlyCell(sheet, value=text)
                cell.data_type = "s"
                if not place:
                    cell.font = bold
        sheet.append(made)
    file = io.BytesIO()
    book.save(file)
    return file.getvalue()


def _sheet_name(title: str) -> str:
    """As a workbook allows it: 31 characters, none of []:*?/\\."""
    return "".join("-" if c in "[]:*?/\\" else c for c in title)[:31].strip("'") or "Signals"


# The forms in which signals go out, and what their files are.
SIGNAL_FILES = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "st": "text/plain; charset=utf-8",
    "xml": "application/xml",
}


def signals_octets(analysis: Analysis, form: str, title: str) -> bytes:
    """All signals of a plant in one of `SIGNAL_FILES`."""
    if form == "st":
        texts = [
            f"(* {controller.name} *)\n{declarations(analysis, controller.id)}"
            for controller in analysis.plant.all(Controller)
        ]
        return "\n".join(texts).encode()
    if form == "xml":
        return plcopen_octets(analysis, title, datetime.now(UTC))
    rows = signal_table(analysis)
    return csv_octets(rows) if form == "csv" else xlsx_octets(rows, title)
