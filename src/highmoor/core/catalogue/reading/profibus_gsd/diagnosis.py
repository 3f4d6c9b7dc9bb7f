"""Texts for diagnosis bits, areas and channel errors. Source: IEC 61158-6-3, GSD specification, `Unit_Diag_…`."""

from __future__ import annotations

import dataclasses
from typing import Any, Literal

from highmoor.core.catalogue.choices import DiagnosisText
from highmoor.core.catalogue.reading.description import Problems
from highmoor.core.catalogue.reading.numerals import whole
from highmoor.core.catalogue.reading.profibus_gsd.syntax import Statement

_Kind = Literal["bit", "bit clear", "area", "channel"]
_KINDS: dict[str, _Kind] = {
    "unit_diag_bit": "bit",
    "unit_diag_not_bit": "bit clear",
    "channel_diag": "channel",
}


class DiagnosisTexts:
    """The texts of one station, module or type of diagnosis, each with its help where there is one."""

    def __init__(self) -> None:
        self._found: dict[tuple[_Kind, int, int, int], DiagnosisText] = {}

    def take(self, statement: Statement, problems: Problems) -> bool:
        """Read a text or a help text; False when the statement is neither."""
        name = statement.name.removeprefix("x_")
        stem = name.removesuffix("_help")
        if stem not in _KINDS:
            return False
        value = whole(statement.index)
        if value is None or not 0 <= value < 65536:
            problems.error(statement.line, f"{statement.keyword}({statement.index[:20]}): no number of a bit or type.")
            return True
        kind = _KINDS[stem]
        at = (kind, 0, 0, value) if kind == "channel" else (kind, value, 1, 0 if kind == "bit clear" else 1)
        self._note(at, statement.text(), is_help=name != stem)
        return True

    def take_area(self, statement: Statement, low: int, high: int, problems: Problems) -> None:
        """Read what one value of an area of bits means."""
        value = whole(statement.index)
        if value is None:
            problems.error(statement.line, f"Value({statement.index[:20]}) is not a number.")
        else:
            self._note(("area", low, high - low + 1, value), statement.text(), is_help=False)

    def _note(self, at: tuple[_Kind, int, int, int], text: str, *, is_help: bool) -> None:
        old = self._found.get(at) or DiagnosisText(*at, "")
        self._found[at] = dataclasses.replace(old, help=text) if is_help else dataclasses.replace(old, text=text)

    def all(self) -> tuple[DiagnosisText, ...]:
        """The texts in the file's order."""
        return tuple(self._found.values())

    def plain(self) -> list[dict[str, Any]]:
        """The same as plain values."""
        return [dataclasses.asdict(text) for text in self._found.values()]
