"""The syntax of a CIP EDS: sections of entries, each `Key = field, field, …;` over any number of lines.

Source: CIP volume 1, chapter 7, 7-3.4. `$` begins a comment up to the end of its line, anywhere but inside a
string; strings that stand beside each other join. A fault costs its own entry: reading goes on at the next one.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from highmoor.core.catalogue.reading.description import Problems, Unreadable
from highmoor.core.catalogue.reading.text import LineNumbers

ENTRIES_AT_MOST = 400_000
FIELDS_AT_MOST = 20_000

_TOKEN = re.compile(
    r"""
    (?P<blank>[ \t\r\n\f\v\u00a0]+ | \$[^\r\n]*)
    | (?P<string>"(?:[^"\\\r\n]|\\.)*")
    | (?P<open>"[^\r\n]*)
    | (?P<section>\[[^\]\r\n"]*\])
    | (?P<mark>[=,;{}])
    | (?P<word>[^\s$",;={}]+)
    """,
    re.VERBOSE,
)
# An entry as nearly all are: a key, fields without comments, braces or escapes, its end.
_ORDINARY = re.compile(
    r"""[ \t\r\n]*+(?P<key>[^\s$",;={}\[\]]++)[ \t]*+=(?P<body>(?:[^"$;={}\\\[\]]++|"[^"\\\r\n]*+")*+);"""
)
_ORDINARY_PIECE = re.compile(r'"([^"]*)"|(,)|([^\s",]+)')
_ESCAPE = re.compile(r"\\(.)")
_ESCAPED = {"n": "\n", "t": "\t", "r": "\r", "v": "\v", "a": "\a", "b": "\b", "f": "\f"}


@dataclass(slots=True)
class Entry:
    """One entry: its fields as text, strings without their quotes, an empty field as ""."""

    key: str
    line: int
    fields: list[str] = field(default_factory=list)

    def at(self, place: int) -> str:
        """The field at a place, "" when it is empty or left off at the end."""
        return self.fields[place] if place < len(self.fields) else ""


@dataclass(slots=True)
class Section:
    """A section with its entries in order; keys are kept as written."""

    name: str
    line: int
    entries: list[Entry] = field(default_factory=list)


def parse(text: str, problems: Problems) -> list[Section]:
    """All sections. Problems are noted with their lines. Raises Unreadable for more entries than are read."""
    return list(_Parser(text, problems).sections())


class _Parser:
    def __init__(self, text: str, problems: Problems) -> None:
        self.text = text
        self.problems = problems
        self.lines = LineNumbers(text)
        self.section: Section | None = None
        self.entry: Entry | None = None
        self.words: list[str] = []
        self.quoted = False
        self.word_at = 0
        self.waiting: list[tuple[int, str]] = []
        self.depth = 0
        self.entries = 0

    def sections(self) -> Iterator[Section]:
        position, end = 0, len(self.text)
        while position < end:
            if self.section is not None and self.entry is None and not self.waiting:
                ordinary = _ORDINARY.match(self.text, position)
                if ordinary:
                    position = ordinary.end()
                    self._ordinary(self.section, ordinary)
                    continue
            match = _TOKEN.match(self.text, position)
            if match is None:
                position += 1
                continue
            position = match.end()
            kind = match.lastgroup
            if kind == "blank":
                continue
            if kind == "section" and self._begins_line(match.start()) and self.depth == 0:
                if self.section is not None:
                    self._cut_off(match.start())
                    yield self.section
                self.section = Section(match[0][1:-1].strip(), self.lines.at(match.start()))
                self.waiting.clear()
            elif self.section is None:
                self._stray(match)
            else:
                self._take(kind or "", match)
        if self.section is not None:
            self._cut_off(len(self.text))
            yield self.section

    def _ordinary(self, section: Section, match: re.Match[str]) -> None:
        """The same as token by token, for what has nothing in it that needs looking at."""
        body = match["body"]
        entry = Entry(match["key"], self.lines.at(match.start("key")))
        if '"' not in body:
            entry.fields = [" ".join(field.split()) for field in body.split(",")]
        else:
            words: list[str] = []
            quoted = False
            for text, comma, word in _ORDINARY_PIECE.findall(body):
                if comma:
                    entry.fields.append(" ".join(words))
                    words, quoted = [], False
                elif word:
                    words.append(word)
                    quoted = False
                elif quoted:
                    words[-1] += text
                else:
                    words.append(text)
                    quoted = True
            entry.fields.append(" ".join(words))
        if len(entry.fields) > FIELDS_AT_MOST:
            self.problems.error(entry.line, f"{entry.key} has more than {FIELDS_AT_MOST} fields.")
            del entry.fields[FIELDS_AT_MOST:]
        self._counted(entry.line)
        section.entries.append(entry)

    def _counted(self, line: int) -> None:
        self.entries += 1
        if self.entries > ENTRIES_AT_MOST:
            raise Unreadable(f"The file has more than {ENTRIES_AT_MOST} entries; so many are not read.", line)

    def _begins_line(self, position: int) -> bool:
        begin = self.lines.start_of(self.lines.at(position))
        return not self.text[begin:position].strip()

    def _stray(self, match: re.Match[str]) -> None:
        if not self.waiting:
            self.problems.error(self.lines.at(match.start()), "Text before the first section is passed over.")
            self.waiting.append((0, ""))

    def _take(self, kind: str, match: re.Match[str]) -> None:
        value = match[0]
        if kind == "mark":
            self._mark(value, match.start())
        elif self.entry is None:
            self.waiting.append((match.start(), value))
        elif kind == "string":
            self._string(value[1:-1])
        elif kind == "open":
            line = self.lines.at(match.start())
            self.problems.error(line, f"A text in entry {self.entry.key} has no closing quotation mark.")
            self._unclosed(value[1:])
        else:
            self._word(value, match.start())

    def _string(self, value: str) -> None:
        if "\\" in value:
            value = _ESCAPE.sub(lambda found: _ESCAPED.get(found[1], found[1]), value)
        if self.quoted and self.words:
            self.words[-1] += value
        else:
            self.words.append(value)
        self.quoted = True

    def _unclosed(self, rest: str) -> None:
        """A text without an end goes as far as its line; a `;` or `,` at the line's end still counts."""
        stripped = rest.rstrip()
        closing = stripped[-1:] if stripped[-1:] in (";", ",") else ""
        self._string(stripped.removesuffix(closing))
        if closing:
            self._mark(closing, 0)

    def _word(self, value: str, position: int) -> None:
        self.words.append(value)
        self.quoted = False
        self.word_at = position

    def _mark(self, mark: str, position: int) -> None:
        if self.entry is None:
            self._outside(mark, position)
        elif mark == "{":
            self.depth += 1
        elif mark == "}":
            self.depth = max(self.depth - 1, 0)
        elif mark == "," and self.depth:
            self._word(",", position)
        elif mark == ",":
            self._field()
        elif mark == ";":
            self._end()
        else:
            self._missing_end(position)

    def _outside(self, mark: str, position: int) -> None:
        if mark == "=":
            self._begin(position)
            return
        if self.waiting:
            begin, word = self.waiting[0]
            self.problems.error(self.lines.at(begin), f"“{word[:40]}” stands without a key and is passed over.")
            self.waiting.clear()
        elif mark != ";":
            self.problems.error(self.lines.at(position), f"“{mark}” stands where an entry should begin.")

    def _begin(self, position: int) -> None:
        if not self.waiting:
            self.problems.error(self.lines.at(position), "“=” stands without a key before it.")
            key, begin = "", position
        else:
            begin, key = self.waiting[-1]
            if len(self.waiting) > 1:
                first, word = self.waiting[0]
                self.problems.error(self.lines.at(first), f"“{word[:40]}” stands without a key and is passed over.")
        self.waiting.clear()
        self._counted(self.lines.at(begin))
        self.entry = Entry(key.strip('"'), self.lines.at(begin))
        self.words, self.quoted = [], False

    def _field(self) -> None:
        assert self.entry is not None
        if len(self.entry.fields) < FIELDS_AT_MOST:
            words = self.words
            self.entry.fields.append(words[0] if len(words) == 1 else " ".join(words))
        elif len(self.entry.fields) == FIELDS_AT_MOST:
            self.problems.error(self.entry.line, f"{self.entry.key} has more than {FIELDS_AT_MOST} fields.")
            self.entry.fields.append("")
        self.words, self.quoted = [], False

    def _end(self) -> None:
        assert self.entry is not None
        assert self.section is not None
        self._field()
        if self.entry.key:
            self.section.entries.append(self.entry)
        self.entry, self.depth = None, 0

    def _missing_end(self, position: int) -> None:
        """An `=` inside an entry: when the word before it begins a line, the entry lacks its `;`."""
        assert self.entry is not None
        line = self.lines.at(position)
        if self.words and not self.quoted and self._begins_line(self.word_at):
            key, begin = self.words.pop(), self.word_at
            self.problems.error(self.entry.line, f"{self.entry.key} is not ended by “;” before line {line}.")
            self.quoted = False
            self._end()
            self.waiting = [(begin, key)]
            self._begin(position)
        else:
            self.problems.warning(line, f"“=” inside entry {self.entry.key} is taken as text.")
            self._word("=", position)

    def _cut_off(self, position: int) -> None:
        if self.entry is not None:
            line = self.lines.at(max(position - 1, 0))
            self.problems.error(self.entry.line, f"{self.entry.key} is not ended by “;” (up to line {line}).")
            self._end()
        elif self.waiting:
            begin, word = self.waiting[0]
            self.problems.error(self.lines.at(begin), f"“{word[:40]}” stands without a key and is passed over.")
            self.waiting.clear()
