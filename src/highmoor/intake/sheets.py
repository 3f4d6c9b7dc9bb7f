"""Tables out of files of spreadsheets: workbooks (ISO/IEC 29500) and delimited text (RFC 4180), as rows of texts."""

from __future__ import annotations

import csv
import datetime
import io
import re
import zipfile
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from itertools import islice
from typing import Any

from highmoor.core.catalogue.reading.description import Unreadable
from highmoor.core.catalogue.reading.text import damaged_lines, decoded
from highmoor.core.project.lists.columns import HEADINGS_WITHIN, headings_known
from highmoor.intake.archives import is_archive
from highmoor.sheets import as_written

ROWS_AT_MOST = 10_000
COLUMNS_AT_MOST = 100
NOTES_AT_MOST = 50
_ROWS_LOOKED_AT = 5 * ROWS_AT_MOST
_CELL_AT_MOST = 5000
_SEPARATED = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
# How the element of a formula begins, with a prefix of its namespace or without.
_FORMULAS = (b"<f>", b"<f ", b":f>", b":f ")
_ERROR = re.compile(r"#(NULL!|DIV/0!|VALUE!|REF!|NAME\?|NUM!|N/A)")


@dataclass
class Sheet:
    """What a file holds. `title`: the sheet of a workbook, or how a text was written. Rows with their numbers in the
    file, none of them empty; notes with the row that they are about, 0 for the whole. `most` lines are taken."""

    title: str
    most: int = ROWS_AT_MOST
    rows: list[tuple[int, list[str]]] = field(default_factory=list)
    notes: list[tuple[int, str]] = field(default_factory=list)

    def note(self, row: int, text: str) -> None:
        """Keep a note, of many only the first."""
        if len(self.notes) < NOTES_AT_MOST:
            self.notes.append((row, text))


def read_sheet(octets: bytes, most: int = ROWS_AT_MOST) -> Sheet:
    """The table in a file, of so many lines at most. Raises Unreadable, with the row where one is known."""
    if octets[:8] == b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1":
        raise Unreadable("A workbook of an old kind, or one with a password: save it as .xlsx or as CSV.")
    sheet = _workbook(octets, most) if is_archive(octets) else _delimited(octets, most)
    if not sheet.rows:
        raise Unreadable("There is no line in it.")
    return sheet


# ── delimited text


def _delimited(octets: bytes, most: int) -> Sheet:
    text, encoding = decoded(octets)
    _, delimiter = max((_fits(text, mark), mark) for mark in _SEPARATED)
    sheet = Sheet(f"{_SEPARATED[delimiter]}-separated", most)
    if encoding in ("cp1252", "latin-1"):
        sheet.note(0, "Not UTF-8: read as Windows-1252. Look whether letters such as ä and ° are right.")
    for problem in damaged_lines(text, encoding):
        sheet.note(problem.line, problem.text)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    row = 1
    try:
        for cells in reader:
            _add(sheet, row, [as_written(cell) for cell in cells])
            row = reader.line_num + 1
    except csv.Error as error:
        raise Unreadable(f"The text is no table: {error}.", row) from None
    return sheet


def _fits(text: str, delimiter: str) -> tuple[int, int]:
    """How well a text is taken apart by a mark: headings known in its best row, and how wide most of its rows are."""
    try:
        rows = list(islice(csv.reader(io.StringIO(text[:200_000], newline=""), delimiter=delimiter), HEADINGS_WITHIN))
    except csv.Error:
        return 0, 0
    widths = Counter(len(cells) for cells in rows if cells)
    return headings_known(rows), widths.most_common(1)[0][0] if widths else 0


def _add(sheet: Sheet, row: int, cells: Iterable[str]) -> None:
    kept = [cell.strip()[:_CELL_AT_MOST] for cell in islice(cells, COLUMNS_AT_MOST)]
    while kept and not kept[-1]:
        kept.pop()
    if not kept:
        return
    if len(sheet.rows) >= sheet.most:
        raise Unreadable(f"It has more than {sheet.most} lines; so many are no list of one plant.", row)
    sheet.rows.append((row, kept))


# ── workbooks


def _workbook(octets: bytes, most: int) -> Sheet:
    from openpyxl import load_workbook

    try:
        merged, formulas = _uses(octets)
        book = load_workbook(io.BytesIO(octets), read_only=True, data_only=True)
        sheets = [_rows_of(sheet, most) for sheet in book.worksheets if sheet.sheet_state == "visible"]
        if not sheets:
            raise Unreadable("The workbook has no sheet that can be seen.")
        sheet = max(sheets, key=lambda one: (headings_known([cells for _, cells in one.rows]), len(one.rows)))
        if len(sheets) > 1:
            sheet.note(0, f"Of {len(sheets)} sheets “{sheet.title}” is read: it has the headings.")
        if merged:
            _spread(sheet, load_workbook(io.BytesIO(octets), data_only=True)[sheet.title])
        if formulas:
            _without_values(sheet, load_workbook(io.BytesIO(octets), read_only=True)[sheet.title])
    except Unreadable:
        raise
    except MemoryError:
        raise
    # The library raises what its XML and ZIP readers raise, and what half a workbook makes of its own code.
    except Exception as error:
        raise Unreadable(f"The workbook is damaged: {_reason(error)}.") from None
    return sheet


def _reason(error: Exception) -> str:
    text = " ".join(str(error).split())[:120].rstrip(".")
    return text or type(error).__name__


def _uses(octets: bytes) -> tuple[bool, bool]:
    """Whether cells are merged, and whether there are formulas: each costs another reading. Raises Unreadable for more
    rows than a list can have with all its empty ones, before any is taken apart."""
    merged = formulas = False
    with zipfile.ZipFile(io.BytesIO(octets)) as archive:
        for info in archive.infolist():
            if not re.fullmatch(r"xl/worksheets/[^/]+\.xml", info.filename):
                continue
            last, rows = b"", 0
            with archive.open(info) as stream:
                while piece := stream.read(1 << 20):
                    text = last + piece
                    merged = merged or b"mergeCell " in text
                    formulas = formulas or any(mark in text for mark in _FORMULAS)
                    rows += piece.count(b"<row ")
                    if rows > _ROWS_LOOKED_AT:
                        raise Unreadable(f"A sheet of it has more than {_ROWS_LOOKED_AT} rows; so many are no list.")
                    last = piece[-16:]
    return merged, formulas


def _rows_of(sheet: Any, most: int) -> Sheet:
    found = Sheet(str(sheet.title), most)
    if not hasattr(sheet, "reset_dimensions"):
        return found
    # What a file says of its own size is not believed.
    sheet.reset_dimensions()
    for n, cells in enumerate(sheet.iter_rows(values_only=True), start=1):
        texts = [_text(cell) for cell in cells[:COLUMNS_AT_MOST]]
        for text in texts:
            if text.startswith("#") and _ERROR.fullmatch(text):
                found.note(n, f"A formula gives {text}.")
        _add(found, n, texts)
    return found


def _text(value: Any) -> str:
    """A cell as it is read: whole numbers without a point, dates as ISO 8601 writes them."""
    if value is None:
        return ""
    if isinstance(value, float):
        return str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    if isinstance(value, datetime.datetime) and not (value.hour or value.minute or value.second):
        return value.date().isoformat()
    return value.isoformat() if isinstance(value, datetime.date | datetime.time) else str(value)


def _spread(sheet: Sheet, whole: Any) -> None:
    """A text that stands in merged cells holds for each of their rows."""
    at = dict(sheet.rows)
    first = min(at)
    for area in whole.merged_cells.ranges:
        if area.max_row == area.min_row or area.max_row - area.min_row > ROWS_AT_MOST or area.min_row < first:
            continue
        text, column = _text(whole.cell(area.min_row, area.min_col).value), area.min_col - 1
        if not text or column >= COLUMNS_AT_MOST:
            continue
        sheet.note(area.min_row, f"“{text[:60]}” stands in merged cells: it holds for rows to {area.max_row}.")
        for row in range(area.min_row + 1, area.max_row + 1):
            cells = at.get(row)
            # A row in which nothing else stands is none.
            if cells is not None:
                cells.extend([""] * (column + 1 - len(cells)))
                cells[column] = text


def _without_values(sheet: Sheet, formulas: Any) -> None:
    """A formula that nobody computed gives nothing here either: it is said."""
    at = dict(sheet.rows)
    for n, cells in _formulas(formulas):
        texts = at.get(n, [])
        for column in cells:
            if column >= len(texts) or not texts[column]:
                sheet.note(
                    n, f"Column {column + 1} is a formula without a value: save the file in a spreadsheet first."
                )


def _formulas(sheet: Any) -> Iterator[tuple[int, list[int]]]:
    sheet.reset_dimensions()
    for n, cells in enumerate(sheet.iter_rows(), start=1):
        columns = [place for place, cell in enumerate(cells) if getattr(cell, "data_type", "") == "f"]
        if columns:
            yield n, columns
