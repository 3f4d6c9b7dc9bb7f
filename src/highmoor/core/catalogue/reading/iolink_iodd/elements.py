"""Elements of an IODD: texts by their ids, numbers, types of data by reference or in place."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

from highmoor.core.catalogue.io_link import IoField, IoValue, ValueKind
from highmoor.core.catalogue.reading.description import Problems
from highmoor.core.catalogue.reading.iolink_iodd.standard import UNITS
from highmoor.core.catalogue.reading.numerals import real
from highmoor.core.catalogue.reading.xml import Element, line_of

_LANGUAGE = "{http://www.w3.org/XML/1998/namespace}lang"
_TYPE = "{http://www.w3.org/2001/XMLSchema-instance}type"
# Process data and parameters: 32 and 232 octets (IEC 61131-9, 7.3.4, table 50).
BITS_AT_MOST = 8 * 232
_FIELDS_AT_MOST = 500
_KINDS: dict[str, tuple[ValueKind, int]] = {
    "BooleanT": ("BOOL", 1), "UIntegerT": ("UINT", 0), "IntegerT": ("INT", 0), "Float32T": ("REAL", 32),
    "StringT": ("STRING", 0), "OctetStringT": ("OCTETS", 0), "TimeT": ("TIME", 64), "TimeSpanT": ("SPAN", 64),
}  # fmt: skip
_FORMAT = re.compile(r"Dec\.(\d{1,2})")


class Reading:
    """One file under way: its texts, its named types, and where its problems go."""

    def __init__(self, problems: Problems, root: Element) -> None:
        self.problems = problems
        self._texts = dict(_texts_of(root))
        self._types = {one.get("id") or "": one for one in root.iterfind(".//DatatypeCollection/Datatype")}

    def text(self, element: Element | None) -> str:
        """The text an element refers to; without one nothing."""
        key = element.get("textId") if element is not None else None
        if element is None or key is None:
            return ""
        found = self._texts.get(key)
        if found is None:
            self.problems.warning(line_of(element), f"There is no text “{key[:60]}”.")
            return ""
        return found

    def whole(self, element: Element, name: str, usual: int = 0, most: int = 0xFFFFFFFF) -> int:
        """The number an attribute holds; the usual one without it or, with the problem told, for what is none."""
        text = element.get(name)
        if text is None:
            return usual
        if not re.fullmatch(r"\s*\d{1,12}\s*", text) or int(text) > most:
            self.problems.error(line_of(element), f"{name}: “{text[:30]}” is not a number from 0 to {most}.")
            return usual
        return int(text)

    def real(self, element: Element, name: str, usual: float) -> float:
        """The same with fractions."""
        text = element.get(name)
        value = usual if text is None else real(text)
        if value is None or not math.isfinite(value):
            self.problems.error(line_of(element), f"{name}: “{(text or '')[:30]}” is not a number.")
            return usual
        return value

    # ── types of data

    def datatype(self, element: Element, simple: str = "Datatype") -> Element | None:
        """The type an element has within, or refers to; None, with the problem told, where there is none."""
        within = element.find(simple)
        if within is not None:
            return within
        refers = element.find("DatatypeRef")
        if refers is None:
            self.problems.error(line_of(element), "It has no type of data.")
            return None
        found = self._types.get(refers.get("datatypeId") or "")
        if found is None:
            self.problems.error(line_of(refers), f"There is no type “{(refers.get('datatypeId') or '')[:60]}”.")
        return found

    def value(self, kind: Element) -> IoValue | None:
        """A simple type; None, with the problem told, for one that nobody knows."""
        name = (kind.get(_TYPE) or "").rpartition(":")[2]
        known = _KINDS.get(name)
        if known is None:
            self.problems.error(line_of(kind), f"“{name[:30]}” is no type of data that is known.")
            return None
        bits = known[1] or self.whole(kind, "bitLength", most=64) or 8 * self.whole(kind, "fixedLength", most=232)
        if bits < 1:
            self.problems.error(line_of(kind), "How long it is, is not said.")
            return None
        choices = tuple(self._choice(one, known[0]) for one in kind.iterfind("SingleValue"))
        ranges = tuple(
            (self.real(one, "lowerValue", 0), self.real(one, "upperValue", 0)) for one in kind.iterfind("ValueRange")
        )
        return IoValue(known[0], bits, choices, ranges)

    def _choice(self, element: Element, kind: ValueKind) -> tuple[int | float | str, str]:
        text = (element.get("value") or "").strip()
        label = self.text(element.find("Name"))
        if kind == "BOOL":
            return (1 if text.lower() in ("true", "1") else 0), label
        value = real(text) if kind in ("UINT", "INT", "REAL", "SPAN") else None
        if value is None or not math.isfinite(value):
            return text, label
        return (int(value) if value == int(value) else value), label

    def fields(self, kind: Element) -> tuple[int, tuple[IoField, ...]]:
        """How many bits a type has, and its values: of a record by its items, of an array one by one, else itself."""
        name = (kind.get(_TYPE) or "").rpartition(":")[2]
        if name == "RecordT":
            bits = self.whole(kind, "bitLength", most=BITS_AT_MOST)
            return bits, tuple(self._items(kind, bits))
        if name == "ArrayT":
            return self._array(kind)
        value = self.value(kind)
        return (value.bits, (IoField(0, "", 0, value),)) if value else (0, ())

    def _items(self, kind: Element, bits: int) -> Iterator[IoField]:
        seen: set[int] = set()
        for item in kind.iterfind("RecordItem"):
            subindex = self.whole(item, "subindex", most=255)
            within = self.datatype(item, "SimpleDatatype")
            value = self.value(within) if within is not None else None
            bit = self.whole(item, "bitOffset", most=BITS_AT_MOST)
            if value is None:
                continue
            if bit + value.bits > bits:
                self.problems.error(line_of(item), f"Subindex {subindex} lies beyond the {bits} bits of its record.")
                continue
            if subindex in seen:
                self.problems.warning(line_of(item), f"Subindex {subindex} is described twice; the first one counts.")
                continue
            seen.add(subindex)
            yield IoField(subindex, self.text(item.find("Name")), bit, value, self.text(item.find("Description")))

    def _array(self, kind: Element) -> tuple[int, tuple[IoField, ...]]:
        """The first element travels first, so that it lies highest (IEC 61131-9, E.3.2)."""
        count = self.whole(kind, "count", most=255)
        within = self.datatype(kind, "SimpleDatatype")
        value = self.value(within) if within is not None else None
        if value is None or count < 1 or count * value.bits > BITS_AT_MOST or count > _FIELDS_AT_MOST:
            self.problems.error(line_of(kind), "This is no array that could be.")
            return 0, ()
        elements = (IoField(n, "", (count - n) * value.bits, value) for n in range(1, count + 1))
        return count * value.bits, tuple(elements)

    # ── how a value is shown

    def shown(self, value: IoValue, info: Element | None) -> IoValue:
        """A value with the gradient, the offset, the unit and the format that the file's user interface gives it."""
        if info is None:
            return value
        code = self.whole(info, "unitCode")
        decimals = _FORMAT.fullmatch(info.get("displayFormat") or "")
        return value._replace(
            gradient=self.real(info, "gradient", value.gradient),
            offset=self.real(info, "offset", value.offset),
            unit=UNITS.get(code, f"unit {code}") if code else value.unit,
            decimals=int(decimals[1]) if decimals else value.decimals,
        )


def _texts_of(root: Element) -> Iterator[tuple[str, str]]:
    """Those of the primary language, then English over them: what is not translated stays."""
    texts = root.find("ExternalTextCollection")
    if texts is None:
        return
    languages = [texts.find("PrimaryLanguage")]
    for language in (*languages, *(one for one in texts.iterfind("Language") if _is_english(one))):
        yield from _texts(language)


def language_texts(root: Element) -> Iterator[tuple[str, str]]:
    """The texts of a language file, which has another root; nothing where it is not English."""
    for language in root.iter("Language", "PrimaryLanguage"):
        if _is_english(language):
            yield from _texts(language)


def _is_english(language: Element) -> bool:
    return (language.get(_LANGUAGE) or "").lower()[:2] == "en"


def _texts(language: Element | None) -> Iterator[tuple[str, str]]:
    for text in language if language is not None else ():
        # A language beside the primary one redefines.
        if text.tag in ("Text", "TextRedefine"):
            yield text.get("id") or "", (text.get("value") or "").strip()
