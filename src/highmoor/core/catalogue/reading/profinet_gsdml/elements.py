"""Elements of a GSDML: texts by their ids, numbers in either base, lists of numbers and ranges, types of data."""

from __future__ import annotations

import re
from collections.abc import Callable, Hashable
from functools import lru_cache
from typing import Any, TypeVar

from lxml import etree

from highmoor.core.catalogue.reading.description import Problems
from highmoor.core.catalogue.reading.numerals import real, whole
from highmoor.core.catalogue.reading.xml import Element, line_of

T = TypeVar("T")
_LANGUAGE = "{http://www.w3.org/XML/1998/namespace}lang"
_RANGE = re.compile(r"(-?[0-9.eE+]+|0[xX][0-9A-Fa-f]+)\.\.(-?[0-9.eE+]+|0[xX][0-9A-Fa-f]+)")
# What a list of slots, bits or values may hold; a range of a file gone wrong could fill the memory.
NUMBERS_AT_MOST = 70_000
# Octets and IEC 61131-3 type; of None octets the file says how many (GSDML, table of data types).
TYPES: dict[str, tuple[int | None, str]] = {
    "Integer8": (1, "SINT"), "Integer16": (2, "INT"), "Integer32": (4, "DINT"), "Integer64": (8, "LINT"),
    "Unsigned8": (1, "USINT"), "Unsigned16": (2, "UINT"), "Unsigned32": (4, "UDINT"), "Unsigned64": (8, "ULINT"),
    "Float32": (4, "REAL"), "Float64": (8, "LREAL"), "Boolean": (1, "USINT"),
    "Unsigned8_S": (1, "USINT"), "Unsigned16_S": (2, "UINT"), "Integer16_S": (2, "INT"), "N2": (2, "INT"),
    "N4": (4, "DINT"), "V2": (2, "WORD"), "L2": (2, "WORD"), "X2": (2, "INT"), "X4": (4, "DINT"), "T2": (2, "UINT"),
    "T4": (4, "UDINT"), "D2": (2, "UINT"), "E2": (2, "INT"), "C4": (4, "DINT"), "R2": (2, "UINT"),
    "Date": (7, ""), "TimeOfDay": (6, ""), "TimeOfDay with date indication": (6, ""),
    "TimeOfDay without date indication": (4, ""), "TimeDifference with date indication": (6, ""),
    "TimeDifference without date indication": (4, ""), "NetworkTime": (8, ""), "NetworkTimeDifference": (8, ""),
    "Float32+Status8": (5, ""), "Float32+Unsigned8": (5, ""), "Unsigned8+Unsigned8": (2, ""),
    "Unsigned16+Unsigned8": (3, ""), "Integer16+Unsigned8": (3, ""), "Integer32+Unsigned8": (5, ""),
    "F_MessageTrailer4Byte": (4, ""), "F_MessageTrailer5Byte": (5, ""), "TimeStamp": (12, ""),
    "TimeStampDifference": (12, ""), "TimeStampDifferenceShort": (8, ""), "UUID": (16, ""),
    "OctetString": (None, ""), "VisibleString": (None, ""), "UnicodeString8": (None, ""), "UnicodeString": (None, ""),
    "OctetString2+Unsigned8": (3, ""), "OctetString4+Unsigned8": (5, ""), "OctetString8+Unsigned8": (9, ""),
    "OctetString16+Unsigned8": (17, ""), "OctetString32+Unsigned8": (33, ""), "OctetString64+Unsigned8": (65, ""),
    "OctetString80+Unsigned8": (81, ""), "OctetString_S": (None, ""), "String": (None, ""),
}  # fmt: skip


def children(element: Element | None) -> dict[str, Element]:
    """An element's children by their names, of several alike the first."""
    found: dict[str, Element] = {}
    for child in element if element is not None else ():
        found.setdefault(child.tag, child)  # type: ignore[arg-type]
    return found


def flag(element: Element, name: str, usual: bool = False) -> bool:
    """Whether an attribute is set; what is usual without it."""
    text = element.get(name)
    return usual if text is None else text.strip() in ("true", "1")


@lru_cache(maxsize=4096)
def spans(text: str) -> tuple[tuple[float, float], ...] | None:
    """Closed ranges of a list such as `1..4 7 -3..-1`; None for what is none."""
    found: list[tuple[float, float]] = []
    for part in text.replace(",", " ").split():
        match = _RANGE.fullmatch(part)
        low, high = (number(match[1]), number(match[2])) if match else (number(part), number(part))
        if low is None or high is None or low > high:
            return None
        found.append((low, high))
    return tuple(found)


@lru_cache(maxsize=4096)
def numbers(text: str) -> tuple[int, ...] | None:
    """Whole numbers of such a list, in order, each once; None for what is none, or more than anybody means."""
    told = spans(text)
    if told is None or sum(high - low for low, high in told) > NUMBERS_AT_MOST:
        return None
    if any(low != int(low) or high != int(high) for low, high in told):
        return None
    return tuple(sorted({n for low, high in told for n in range(int(low), int(high) + 1)}))


def number(text: str) -> int | float | None:
    """A number in either base, whole where it is one."""
    value = whole(text)
    return value if value is not None else real(text)


class Reading:
    """One file under way: its texts, and where its problems go."""

    def __init__(self, problems: Problems, texts: Element | None) -> None:
        self.problems = problems
        self._made: dict[tuple[bytes, Hashable], Any] = {}
        self._texts = dict(_texts_of(texts)) if texts is not None else {}

    def once(self, element: Element | None, make: Callable[[Element], T], nothing: T, beside: Hashable = None) -> T:
        """What is made of an element, and of something `beside`; of those that are written alike it is made once.

        Problems are told each time.
        """
        if element is None:
            return nothing
        written = etree.tostring(element, with_tail=False), beside
        if written in self._made:
            made: T = self._made[written]
            return made
        before = len(self.problems.found) + self.problems.left_out
        made = make(element)
        if len(self.problems.found) + self.problems.left_out == before:
            self._made[written] = made
        return made

    def text(self, element: Element | None) -> str:
        """The text an element refers to, or has itself."""
        if element is None:
            return ""
        key = element.get("TextId")
        if key is None:
            return (element.get("Value") or "").strip()
        found = self._texts.get(key)
        if found is None:
            self.problems.warning(line_of(element), f"There is no text “{key[:40]}”.")
            return ""
        return found

    def whole(self, element: Element, name: str, usual: int, most: int = 0xFFFFFFFF) -> int:
        """The number an attribute holds; the usual one without it, or, with the problem told, for what is none."""
        text = element.get(name)
        return usual if text is None else self.read_whole(text, element, name, usual, most)

    def read_whole(self, text: str, element: Element, name: str, usual: int, most: int = 0xFFFFFFFF) -> int:
        """The number that an attribute's text is."""
        try:
            value = int(text, 16) if text[:2] == "0x" else whole(text)
        except ValueError:
            value = None
        if value is None or not 0 <= value <= most:
            self.problems.error(line_of(element), f"{name}: “{text[:30]}” is not a number from 0 to {most}.")
            return usual
        return value

    def optional(self, element: Element, name: str) -> int | None:
        """The same, None without it."""
        return None if element.get(name) is None else self.whole(element, name, 0)

    def list(self, element: Element, name: str, usual: tuple[int, ...] = ()) -> tuple[int, ...]:
        """The numbers an attribute lists, ranges and single ones mixed."""
        text = element.get(name)
        if text is None:
            return usual
        told = numbers(text)
        if told is None:
            self.problems.error(line_of(element), f"{name}: “{text[:30]}” is not a list of numbers.")
            return usual
        return told


def _texts_of(texts: Element) -> list[tuple[str, str]]:
    """Those of the primary language, then English over them: what is not translated stays."""
    languages = [texts.find("PrimaryLanguage")]
    languages += [one for one in texts.iterfind("Language") if (one.get(_LANGUAGE) or "").lower()[:2] == "en"]
    return [
        (text.get("TextId") or "", (text.get("Value") or "").strip())
        for language in languages
        if language is not None
        for text in language.iterfind("Text")
    ]
