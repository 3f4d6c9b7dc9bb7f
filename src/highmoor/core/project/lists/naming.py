"""What a line makes of a signal: its name by a pattern, and its type."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping
from typing import Any

from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.errors import Refusal
from highmoor.core.plant.fields import identifier_problem
from highmoor.core.project.lists.columns import BY_KEY
from highmoor.core.project.lists.ranges import ends_of
from highmoor.core.project.signal_names import identifier_of

_TOKEN = re.compile(r"\{([a-z]+)\}")
_LONGEST = 56
# What is read word by word is put together word by word; what is a mark keeps its parts apart.
_WORDS = frozenset({"text", "location", "area", "station", "field"})
_BINARY = re.compile(r"(d[io]|digital|binary|bool|switch|contact|relay|24 ?v)\b", re.IGNORECASE)
_ANALOGUE = re.compile(
    r"(a[io]|analogue|analog|rtd|pt ?\d+|ni ?\d+|tc|thermocouple|\d+ ?(-|–|…|\.\.\.?) ?\d+ ?(ma|v|mv)|±)\b",
    re.IGNORECASE,
)
_COUNTED = re.compile(r"(pi|counter|count|pulse|frequency)", re.IGNORECASE)


def read_pattern(given: Any) -> str:
    """A pattern as it can be used. Raises Refusal for one that names nothing, or asks for what no list has."""
    pattern = str(given).strip()
    for token in _TOKEN.findall(pattern):
        if token not in BY_KEY:
            raise Refusal(f"“{{{token}}}” is no column; there are {', '.join(BY_KEY)}.", field="names", value=pattern)
    if not _TOKEN.search(pattern) or re.search(r"[{}]", _TOKEN.sub("", pattern)):
        raise Refusal("A pattern names a column in braces, such as {tag}.", field="names", value=pattern)
    return pattern


def name_of(pattern: str, values: Mapping[str, str]) -> str:
    """The identifier (IEC 61131-3, 6.1.2) that a pattern makes of a line: “21-LT-001” is T21_LT_001."""
    name = named_by(pattern, values)[:_LONGEST].rstrip("_") or "Signal"
    return f"T{name}" if identifier_problem(name) else name


def tokens_of(pattern: str) -> list[str]:
    """What a pattern asks for."""
    return _TOKEN.findall(pattern)


def named_by(pattern: str, values: Mapping[str, str]) -> str:
    """What a pattern makes of values: letters, digits, single underscores."""

    def part(match: re.Match[str]) -> str:
        text = values.get(match[1], "")
        return identifier_of(_ascii(text)) if match[1] in _WORDS and text else text

    return re.sub(r"[^A-Za-z0-9]+", "_", _ascii(_TOKEN.sub(part, pattern))).strip("_")


def _ascii(text: str) -> str:
    """Letters without their marks."""
    spread = unicodedata.normalize("NFKD", text.replace("ß", "ss"))
    return "".join(c for c in spread if not unicodedata.combining(c))


def type_of(values: Mapping[str, str]) -> str:
    """The type of a new line's signal, by its kind; by whether it has a range where that says nothing."""
    kind = values.get("kind", "")
    if kind.upper() in DATA_TYPES:
        return kind.upper()
    if _ANALOGUE.match(kind):
        return "REAL"
    if _BINARY.match(kind):
        return "BOOL"
    if _COUNTED.match(kind):
        return "UDINT"
    return "REAL" if ends_of(values.get("range", "")) else "BOOL"
