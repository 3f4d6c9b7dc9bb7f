"""The syntax of a GSD: one statement a line, `Keyword(index) = value`. Source: IEC 61158-6-3, GSD specification.

`;` begins a comment and `\\` at a line's end continues it, both also in the middle of lists; `\\` continues a text
in quotation marks as well, in which `;` is text.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.catalogue.reading.description import Problems, Unreadable
from highmoor.core.catalogue.reading.numerals import whole

STATEMENTS_AT_MOST = 400_000
_STATEMENT_AT_MOST = 200_000
_PIECE = re.compile(r'"|;|\\[ \t]*(?:;.*)?\Z|[^";\\]+|\\')
_KEYWORD = re.compile(r"\s*([A-Za-z0-9_.#]+)\s*(?:\(\s*([^)]*?)\s*\))?\s*(=?)\s*(.*)\Z", re.DOTALL)
_VALUE = re.compile(r'"([^"]*)"|([^\s,"]+)|(,)')
_NUMBER = r"[+-]?(?:0[xX][0-9A-Fa-f]+|[0-9]+)"
_RANGE = re.compile(rf"({_NUMBER})(?:\s*-\s*({_NUMBER}))?")


@dataclass(frozen=True, slots=True)
class Statement:
    """One statement: keyword as written, its index in brackets, and everything behind the `=`."""

    line: int
    keyword: str
    index: str
    has_value: bool
    value: str

    @property
    def name(self) -> str:
        """The keyword in small letters: case does not count."""
        return self.keyword.lower()

    def texts(self) -> list[str]:
        """Texts in quotation marks."""
        return [match[1] for match in _VALUE.finditer(self.value) if match[1] is not None]

    def words(self) -> list[str]:
        """What stands outside quotation marks, split at blanks and commas."""
        return [match[2] for match in _VALUE.finditer(self.value) if match[2] is not None]

    def text(self) -> str:
        """The first text, or the bare value where the quotation marks were forgotten."""
        texts = self.texts()
        return texts[0].strip() if texts else self.value.strip()

    def number(self) -> int | None:
        """The first number."""
        words = self.words()
        return whole(words[0]) if words else None

    def octets(self, problems: Problems) -> bytes:
        """A list of octets; what is none is noted and counts as 0, so that the others keep their places."""
        result = bytearray()
        for word in self.words():
            value = whole(word)
            if value is None or not -128 <= value <= 255:
                problems.error(self.line, f"{self.keyword}: “{word[:20]}” is not an octet; 0 is taken.")
                value = 0
            result.append(value & 0xFF)
        return bytes(result)


def ranges(text: str) -> list[tuple[int, int]]:
    """Closed ranges and single values in any mixture: `-100-100`, `0,1,5`, `1-3, 7`. What is no number is skipped."""
    found = []
    for match in _RANGE.finditer(text):
        low = whole(match[1])
        high = whole(match[2]) if match[2] else low
        if low is not None and high is not None:
            found.append((min(low, high), max(low, high)))
    return found


def statements(text: str, problems: Problems) -> Iterator[Statement]:
    """Statements in order, with the line each begins on. Problems are noted. Raises Unreadable for too many."""
    for count, (line, logical) in enumerate(_logical_lines(text, problems)):
        if count >= STATEMENTS_AT_MOST:
            raise Unreadable(f"The file has more than {STATEMENTS_AT_MOST} statements; so many are not read.", line)
        match = _KEYWORD.match(logical)
        if match is None:
            problems.error(line, f"“{logical.strip()[:40]}” is not a statement; it is passed over.")
            continue
        yield Statement(line, match[1], match[2] or "", bool(match[3]), match[4].rstrip())


def _logical_lines(text: str, problems: Problems) -> Iterator[tuple[int, str]]:
    pieces: list[str] = []
    begin, in_text, size = 1, False, 0
    for number, physical in enumerate(re.split(r"\r\n|\r|\n", text), start=1):
        if not pieces:
            begin, size = number, 0
        continues = False
        for match in _PIECE.finditer(physical):
            piece = match[0]
            if piece == '"':
                in_text = not in_text
            elif piece == ";" and not in_text:
                break
            elif (
                piece[0] == "\\"
                and match.end() == len(physical)
                and (len(piece) == 1 or not piece[1:].strip() or not in_text)
            ):
                continues = True
                break
            pieces.append(piece)
            size += len(piece)
        if continues and size <= _STATEMENT_AT_MOST:
            if not in_text:
                pieces.append(" ")
            elif not pieces:
                pieces.append("")
            continue
        if in_text:
            problems.error(number, "A text has no closing quotation mark; it ends with its line.")
            pieces.append('"')
            in_text = False
        logical = "".join(pieces)
        pieces.clear()
        if logical.strip():
            yield begin, logical
    if "".join(pieces).strip():
        yield begin, "".join(pieces) + ('"' if in_text else "")
