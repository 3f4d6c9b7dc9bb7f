"""Sync managers and process data objects of an ESI. Source: ETG.2000, 4.1.2."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache, partial
from typing import Literal

from lxml import etree

from highmoor.core.catalogue.ethercat import Pdo, PdoEntry, SyncManager
from highmoor.core.catalogue.reading.ethercat_esi.elements import Reading, chosen, flag, iec_type, texts_of
from highmoor.core.catalogue.reading.xml import Element, line_of

# How almost every entry is written, by its text: many times as quick as element by element.
_ENTRY = re.compile(
    r"<Entry[^>]*>\s*<Index>([^<]*)</Index>\s*(?:<SubIndex>([^<]*)</SubIndex>|<SubIndex\s*/>)?\s*<BitLen>([^<]*)</BitLen>\s*"
    r"(?:<Name[^>]*>([^<&]*)</Name>|<Name\s*/>)?\s*(?:<DataType>([^<]*)</DataType>|<DataType\s*/>)?\s*</Entry>"
)
_HEAD = re.compile(r"<\w+[^>]*>\s*<Index>([^<]*)</Index>\s*<Name[^>]*>([^<&]*)</Name>(?!\s*<Name)")
_EXCLUDE = re.compile(r"<Exclude>([^<]*)")
_KINDS: dict[str, Literal["mailbox-out", "mailbox-in", "out", "in"]] = {
    "MBoxOut": "mailbox-out", "MBoxIn": "mailbox-in", "Outputs": "out", "Inputs": "in",
}  # fmt: skip
# More than this of one PDO would never fit into a frame.
_BITS_AT_MOST = 8 * 1486


def manager_of(element: Element, reading: Reading) -> SyncManager:
    """A sync manager. What it is for stands in its text, or follows from its control octet in old files."""
    kind = _KINDS.get((element.text or "").strip())
    control = reading.attribute(element, "ControlByte")
    if kind is None and control & 0xF in (0x2, 0x6):
        kind = "mailbox-out" if control & 0x4 else "mailbox-in"
    elif kind is None and control & 0xF in (0x0, 0x4):
        kind = "out" if control & 0x4 else "in"
    return SyncManager(
        kind or "", reading.attribute(element, "StartAddress"), reading.optional(element, "DefaultSize"),
        reading.optional(element, "MinSize"), reading.optional(element, "MaxSize"), control,
        element.get("Enable", "1") not in ("0", "false"),
    )  # fmt: skip


def pdo_of(element: Element, reading: Reading) -> Pdo | None:
    """A PDO; None, with the problem noted, without a usable index."""
    text = etree.tostring(element, encoding="unicode", with_tail=False)
    known = reading.pdos.get(text)
    if known is None:
        before = reading.problems.count
        known = _pdo_of(element, text, reading)
        if known is not None and reading.problems.count == before:
            reading.pdos[text] = known
    return known


def _pdo_of(element: Element, text: str, reading: Reading) -> Pdo | None:
    head = _HEAD.match(text)
    if head is not None:
        index = reading.parsed(head[1], element, "PDO index", -1)
        by_slot, label = False, head[2].strip()
        others = _EXCLUDE.findall(text) if "<Exclude" in text else ()
        excludes = tuple(reading.parsed(other, element, "Excluded PDO") for other in others)
    else:
        at = element.find("Index")
        index = reading.number(at, "PDO index", -1)
        by_slot, label = at is not None and flag(at, "DependOnSlot"), texts_of(element, "Name")
        excludes = tuple(reading.number(other, "Excluded PDO") for other in element.iterfind("Exclude"))
    entries = _entries_of(element, text, reading)
    if not 0 <= index <= 0xFFFF:
        reading.problems.error(line_of(element), "A PDO without an index of 16 bits is left out.")
        return None
    bits = sum([entry.bits for entry in entries])
    if bits > _BITS_AT_MOST:
        reading.problems.error(line_of(element), f"PDO 16#{index:04X} of {bits} bits fits no frame.")
        return None
    return Pdo(
        index, label or f"PDO 16#{index:04X}", "in" if element.tag == "TxPdo" else "out",
        reading.optional(element, "Sm"), entries, excludes, flag(element, "Mandatory"),
        flag(element, "Fixed"), by_slot,
    )  # fmt: skip


def _entries_of(element: Element, text: str, reading: Reading) -> tuple[PdoEntry, ...]:
    """All at once where all are written as usual; one by one where any is not, or cannot be used."""
    body = text[text.find("<Entry") :]
    known = reading.entries.get(body)
    if known is None:
        try:
            known = reading.entries[body] = _as_usual(body)
        except ValueError:
            made = (_entry_of(entry, reading) for entry in element.iterfind("Entry"))
            known = tuple(entry for entry in made if entry is not None)
    return known


def _as_usual(body: str) -> tuple[PdoEntry, ...]:
    """Raises ValueError where something is not as usual, or is none."""
    found = _ENTRY.findall(body)
    if len(found) != body.count("<Entry"):
        raise ValueError
    return tuple(
        [_made((_index(i), _sub(sub), _bits(bits), name.strip(), _type(i, kind), False))
         for i, sub, bits, name, kind in found]
    )  # fmt: skip


# Without a look at each of its values by itself: there are tens of thousands.
_made: Callable[[tuple[int, int, int, str, str, bool]], PdoEntry] = partial(tuple.__new__, PdoEntry)


# Almost all numbers and types of a file are the same few.
@lru_cache(maxsize=4096)
def _index(text: str) -> int:
    return _within(text, 0xFFFF)


@lru_cache(maxsize=512)
def _sub(text: str) -> int:
    return _within(text or "0", 0xFF)


@lru_cache(maxsize=512)
def _bits(text: str) -> int:
    return _within(text, _BITS_AT_MOST)


@lru_cache(maxsize=4096)
def _type(index: str, name: str) -> str:
    return iec_type(name.strip()) if _index(index) else ""


def _within(text: str, most: int) -> int:
    """A number. Raises ValueError for what is none, and beyond."""
    value = int(text[2:], 16) if text[:2] == "#x" else int(text)
    if not 0 <= value <= most:
        raise ValueError
    return value


def _entry_of(element: Element, reading: Reading) -> PdoEntry | None:
    index, subindex, bits, by_slot, label, type_name = 0, 0, -1, False, "", ""
    names = None
    for child in element:
        tag, text = child.tag, child.text
        if tag == "Index":
            index = reading.parsed(text, child, "Entry index") if text else 0
            by_slot = bool(child.attrib) and flag(child, "DependOnSlot")
        elif tag == "SubIndex":
            subindex = reading.parsed(text, child, "Entry subindex") if text else 0
        elif tag == "BitLen":
            bits = reading.parsed(text, child, "Entry length", -1) if text else -1
        elif tag == "Name":
            if names is not None:
                names.append(child)
            elif label:
                names = element.findall("Name")
            else:
                label = text or ""
        elif tag == "DataType":
            type_name = text or ""
    if not (0 <= index <= 0xFFFF and 0 <= subindex <= 0xFF and 0 <= bits <= _BITS_AT_MOST):
        reading.problems.error(line_of(element), f"An entry (16#{index:X}:{subindex:02X}, {bits} bits) cannot be used.")
        return None
    label = (chosen(names) if names else label).strip()
    return PdoEntry(index, subindex, bits, label, iec_type(type_name.strip()) if index else "", by_slot)
