"""What the columns of a list hold, and by which headings that is known."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from highmoor.core.project.lists.ranges import canonical_range
from highmoor.core.project.signal_fields import WIRING


@dataclass(frozen=True, slots=True)
class Column:
    """A column that is known: its `key`, what it is called here, and what else it is called in lists."""

    key: str
    label: str
    words: tuple[str, ...] = ()


_OTHER_WORDS: dict[str, tuple[str, ...]] = {
    "location": ("place", "field location", "cabinet", "panel", "room", "mounting place"),
    "strip": ("terminal strip", "terminal block", "strip designation"),
    "terminal": ("terminals", "term", "clamp", "terminal point"),
    "cable": ("cable designation", "cable tag", "cable mark"),
    "core": ("cores", "wire", "conductor", "wires"),
    "loop": ("circuit", "loop designation"),
    "kind": ("type", "signal type", "signal kind", "i/o", "i/o type", "i/o kind", "type of signal", "kind of signal"),
    "range": ("measuring range", "span", "scale", "signal range", "range of values"),
}
COLUMNS: tuple[Column, ...] = (
    Column("tag", "Tag", ("tag name", "signal", "signal name", "item", "instrument", "instrument tag", "identifier")),
    Column("text", "Text", ("description", "service", "function", "function text", "comment", "meaning")),
    Column("area", "Area", ("plant area", "section", "plant section", "part of plant")),
    *(Column(key, label, _OTHER_WORDS[key]) for key, label in WIRING.items()),
    Column("unit", "Unit", ("units", "engineering unit", "eng unit", "unit of measure")),
)
BY_KEY = {column.key: column for column in COLUMNS}
# Columns that are only kept are called x1, x2, …
KEPT = re.compile(r"x[1-9][0-9]{0,3}")


def _plain(heading: str) -> str:
    """A heading without case, marks, and what merely says that it counts: “Cable no.” is `cable`."""
    letters = re.sub(r"[\W_]+", " ", heading.casefold()).strip()
    return re.sub(r"( (no|nr|number|num))$", "", letters)


_BY_WORD = {_plain(word): column.key for column in COLUMNS for word in (column.key, column.label, *column.words)}


def recognised(headings: Sequence[str], known: Mapping[str, str] | None = None) -> list[str]:
    """The key of each heading, "" for one that is not known or whose key a column before it has.

    `known`: keys of headings as they were mapped the last time, which come before the words known here.
    """
    before = {_plain(heading): key for heading, key in (known or {}).items()}
    keys: list[str] = []
    for heading in headings:
        word = _plain(heading)
        key = before[word] if word in before else _BY_WORD.get(word, "")
        keys.append(key if key in BY_KEY and key not in keys else "")
    return keys


@dataclass(frozen=True, slots=True)
class Heading:
    """A column of a list as it is proposed: the `key` of what it holds, and the one by which it is only `kept`."""

    text: str
    key: str
    kept: str


def proposed(headings: Sequence[str], known: Mapping[str, str]) -> list[Heading]:
    """What each column holds. A column that is only kept is known again by its heading, however lists order them."""
    before = {_plain(heading): key for heading, key in known.items() if KEPT.fullmatch(key)}
    used = set(before.values())
    free = (f"x{n}" for n in range(1, 10_000) if f"x{n}" not in used)
    found = []
    for heading, key in zip(headings, recognised(headings, known), strict=True):
        kept = before.pop(_plain(heading), "") or next(free)
        found.append(Heading(heading, key or (kept if heading else ""), kept))
    return found


# So far down headings are looked for: above them stand titles, revisions, legends.
HEADINGS_WITHIN = 40


def headings_known(rows: Sequence[Sequence[str]]) -> int:
    """How many headings are known in the row of a table that has most of them."""
    return max((sum(map(bool, recognised(cells))) for cells in rows[:HEADINGS_WITHIN]), default=0)


def headings_at(rows: Sequence[Sequence[str]]) -> int:
    """The place of the row of headings: of the first rows the one in which most are known."""
    known = [sum(map(bool, recognised(cells))) for cells in rows[:HEADINGS_WITHIN]]
    return known.index(max(known)) if known else 0


def cell_text(key: str, given: str) -> str:
    """A cell as it is compared: white space is one blank, a range is written in one way."""
    text = " ".join(unicodedata.normalize("NFC", given).split())
    return canonical_range(text) if key == "range" else text


def tag_key(tag: str) -> str:
    """What two tags have in common that are one: letter case, blanks and the kind of dash aside."""
    return re.sub(r"\s+", "", re.sub(r"[‐‑‒–—−]", "-", tag)).casefold()


def in_one_line(values: Mapping[str, str]) -> str:
    """What a line says, for people: “Level tank 1 · AI · 0 … 3.2 m · -X3:12”."""
    span = " ".join(filter(None, (values.get("range", ""), values.get("unit", ""))))
    ends = ":".join(filter(None, (values.get("strip", ""), values.get("terminal", ""))))
    return " · ".join(filter(None, (values.get("text", ""), values.get("kind", ""), span, ends)))
