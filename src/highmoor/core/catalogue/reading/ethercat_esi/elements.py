"""Elements of an ESI: texts by language, numbers in either base, octets in hex."""

from __future__ import annotations

import re

from highmoor.core.catalogue.ethercat import Pdo, PdoEntry
from highmoor.core.catalogue.reading.description import Problems
from highmoor.core.catalogue.reading.numerals import whole
from highmoor.core.catalogue.reading.xml import Element, line_of

# English of the United States, then of anywhere.
_LANGUAGES = ("1033", "2057", "9")
_HEX = re.compile(r"(?:[0-9A-Fa-f]{2})*")
# Types of ETG.2000 that IEC 61131-3 calls otherwise; those it calls the same are left as they are.
_TYPES = {"BIT": "BOOL", "BITARR8": "BYTE", "BITARR16": "WORD", "BITARR32": "DWORD", "BIT8": "BYTE"}
_SAME = frozenset("BOOL BYTE WORD DWORD LWORD SINT INT DINT LINT USINT UINT UDINT ULINT REAL LREAL".split())
# Derived SI units (CiA 303-2, table 3): what a unit's octet means.
_UNITS = {
    0x01: "m", 0x02: "kg", 0x03: "s", 0x04: "A", 0x05: "K", 0x10: "rad", 0x20: "Hz", 0x21: "N", 0x22: "Pa", 0x23: "J",
    0x24: "W", 0x25: "C", 0x26: "V", 0x27: "F", 0x28: "Ω", 0x2D: "°C", 0x2F: "lx", 0x41: "°", 0x44: "l", 0x47: "min",
    0x48: "h",
}  # fmt: skip
_PREFIXES = {-9: "n", -6: "µ", -3: "m", -2: "c", 0: "", 3: "k", 6: "M"}


def texts_of(element: Element, tag: str) -> str:
    """An element's text in English, or in the first language there is; "" without one."""
    found = element.findall(tag)
    return chosen(found) if found else ""


def chosen(found: list[Element]) -> str:
    """The text of the one in English, or of the first."""
    if len(found) > 1:
        for language in _LANGUAGES:
            for element in found:
                if element.get("LcId") == language:
                    return (element.text or "").strip()
    return (found[0].text or "").strip()


class Reading:
    """Where problems of one file go; reads numbers and says which are none."""

    def __init__(self, problems: Problems) -> None:
        self.problems = problems
        # Revisions of a device, and its channels, have the same again and again: what is without fault is kept by how
        # it is written.
        self.pdos: dict[str, Pdo] = {}
        self.entries: dict[str, tuple[PdoEntry, ...]] = {}
        self.dictionaries: set[str] = set()

    def number(self, element: Element | None, what: str, default: int = 0) -> int:
        """The number an element holds; the default, with the problem noted, where it holds none."""
        text = element.text if element is not None else None
        if text is None:
            return default
        return self.parsed(text, element, what, default)

    def parsed(self, text: str, element: Element | None, what: str, default: int = 0) -> int:
        """A number as a file writes it, `#x1A00` or decimal."""
        try:
            return int(text[2:], 16) if text[:2] == "#x" else int(text)
        except ValueError:
            pass
        value = whole(text)
        if value is None:
            self.problems.error(line_of(element), f"{what}: “{text.strip()[:30]}” is not a number; {default} is taken.")
            return default
        return value

    def attribute(self, element: Element, name: str, default: int = 0) -> int:
        """The number an attribute holds."""
        text = element.get(name)
        return default if text is None else self.parsed(text, element, f"Attribute {name}", default)

    def optional(self, element: Element, name: str) -> int | None:
        """The number an attribute holds, None without it."""
        return None if element.get(name) is None else self.attribute(element, name)

    def octets(self, element: Element | None, what: str) -> str:
        """Octets in hex, without blanks; "" with the problem noted for what are none."""
        text = element.text if element is not None else None
        if not text:
            return ""
        plain = "".join(text.split())
        if _HEX.fullmatch(plain) is None:
            self.problems.error(line_of(element), f"{what}: “{plain[:30]}” are not octets in hex; they are left out.")
            return ""
        return plain.upper()


def flag(element: Element, name: str) -> bool:
    """Whether an attribute is set."""
    return element.get(name, "") in ("1", "true", "TRUE", "True")


def iec_type(name: str) -> str:
    """A type by its name in IEC 61131-3, "" for what has none there."""
    return name if name in _SAME else _TYPES.get(name, "")


def unit_of(text: str) -> str:
    """A unit as it is written: of a code (CiA 303-2) prefix, numerator and denominator; texts as they are."""
    code = whole(text)
    if code is None or not 0 < code < 1 << 32:
        return text.strip() if code is None else ""
    prefix, over, under = code >> 24, code >> 16 & 0xFF, code >> 8 & 0xFF
    power = prefix - 256 if prefix > 127 else prefix
    known = _UNITS.get(over), _UNITS.get(under) if under else "", _PREFIXES.get(power)
    if None in known:
        return f"unit 16#{code:08X}"
    return f"{known[2]}{known[0]}{'/' if under else ''}{known[1]}"
