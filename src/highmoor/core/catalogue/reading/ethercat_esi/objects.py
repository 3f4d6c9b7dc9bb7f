"""The object dictionary of an ESI: data types with their items, objects, defaults. Source: ETG.2000, 4.1.7."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Any, NamedTuple

from lxml import etree

from highmoor.core.catalogue.ethercat import TEXT, Access, Object, SubObject
from highmoor.core.catalogue.reading.description import Problems
from highmoor.core.catalogue.reading.ethercat_esi.elements import Reading, chosen, iec_type, texts_of, unit_of
from highmoor.core.catalogue.reading.xml import Element, line_of

# What every object begins with, and what no octets in hex are.
_OBJECT = re.compile(r"<Object>\s*<Index>#x([0-9A-Fa-f]{1,4})</Index>")
_NO_OCTETS = re.compile(r"<DefaultData>(?!(?:\s*[0-9A-Fa-f]{2})*\s*</DefaultData>)")
_ACCESS: dict[str, Access] = {"ro": "ro", "rw": "rw", "wo": "wo"}
_SUBS_AT_MOST = 255
_TEXT_TYPE = re.compile(r"(?:VISIBLE_)?STRING")


class _Type(NamedTuple):
    """A data type of the file: its items, or how many elements of how many bits; what its numbers mean."""

    bits: int
    subs: tuple[SubObject, ...] = ()
    first: int = 0
    elements: int = 0
    base: str = ""
    values: tuple[tuple[int, str], ...] = ()


class _Info(NamedTuple):
    default: str = ""
    minimum: str = ""
    maximum: str = ""
    unit: str = ""
    subs: tuple[tuple[str, _Info], ...] = ()


_NO_INFO = _Info()


def text_of(dictionary: Element, reading: Reading) -> str:
    """The dictionary as it is kept: a file's devices have tens of thousands of objects, of which hardly one is ever
    looked at. What is wrong with it is said now all the same."""
    text = etree.tostring(dictionary, encoding="unicode", with_tail=False)
    if text in reading.dictionaries:
        return text
    indices = _OBJECT.findall(text)
    if len(indices) != len(set(indices)) or len(indices) != text.count("<Object>") or _NO_OCTETS.search(text):
        _objects(dictionary, reading)
    else:
        reading.dictionaries.add(text)
    return text


@lru_cache(maxsize=64)
def dictionary_objects(text: str) -> tuple[Object, ...]:
    """All objects of a dictionary that was kept; none where it is no such text, which only a foreign file can hold."""
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, remove_comments=True, remove_pis=True, huge_tree=False
    )
    try:
        return _objects(etree.fromstring(text, parser), Reading(Problems())) if text else ()
    except (etree.XMLSyntaxError, ValueError):
        return ()


def _objects(dictionary: Element, reading: Reading) -> tuple[Object, ...]:
    """All objects in the file's order; of two with one index the first counts."""
    types: dict[str, _Type] = {}
    described = dictionary.find("DataTypes")
    # A type may be made of one that is described behind it: arrays first.
    rows = list(described) if described is not None else []
    for row in sorted(rows, key=_made_of_others):
        name = row.findtext("Name")
        if name:
            types[name.strip()] = _type_of(row, types, reading)
    found: dict[int, Object] = {}
    objects = dictionary.find("Objects")
    for element in objects if objects is not None else ():
        made = _object_of(element, types, reading)
        if made is None:
            continue
        if made.idx in found:
            reading.problems.warning(line_of(element), f"Object 16#{made.idx:04X} is described twice.")
            continue
        found[made.idx] = made
    return tuple(found.values())


def _made_of_others(element: Element) -> bool:
    return element.find("SubItem") is not None


def _type_of(element: Element, types: dict[str, _Type], reading: Reading) -> _Type:
    bits, base, first, elements = 0, "", 0, 0
    subs: list[SubObject] = []
    values: list[tuple[int, str]] = []
    for child in element:
        tag = child.tag
        if tag == "SubItem":
            _item_of(child, types, reading, subs)
        elif tag == "BitSize":
            bits = reading.number(child, "Size of a type")
        elif tag == "BaseType":
            base = (child.text or "").strip()
        elif tag == "ArrayInfo":
            first = reading.number(child.find("LBound"), "First element")
            elements = min(max(reading.number(child.find("Elements"), "Number of elements"), 0), _SUBS_AT_MOST)
        elif tag == "EnumInfo":
            values.append((reading.number(child.find("Enum"), "Value"), texts_of(child, "Text")))
    return _Type(bits, tuple(subs), first, elements, base, tuple(values))


def _item_of(element: Element, types: dict[str, _Type], reading: Reading, subs: list[SubObject]) -> None:
    """An item of a record, or all elements of an array that it stands for."""
    subindex, label, type_name, bits, bit, access, mapped = len(subs), "", "", 0, 0, "ro", ""
    for child in element:
        tag = child.tag
        if tag == "SubIdx":
            subindex = reading.number(child, "Subindex", subindex)
        elif tag == "Name":
            label = (child.text or "").strip()
        elif tag == "Type":
            type_name = (child.text or "").strip()
        elif tag == "BitSize":
            bits = reading.number(child, "Size of an item")
        elif tag == "BitOffs":
            bit = reading.number(child, "Place of an item")
        elif tag == "Flags":
            access, mapped = _flags(child)
    kind = types.get(type_name)
    if kind is not None and kind.elements:
        each = bits // kind.elements
        first = max(kind.first, 1)
        subs += [
            SubObject(first + n, f"element {first + n}", iec_type(kind.base), each, bit + n * each,
                      _ACCESS.get(access, "ro"), mapped=mapped, values=kind.values)
            for n in range(kind.elements) if first + n <= _SUBS_AT_MOST
        ]  # fmt: skip
        return
    if not 0 <= subindex <= _SUBS_AT_MOST:
        reading.problems.error(line_of(element), f"Subindex {subindex} is none: they go up to 255.")
        return
    values = kind.values if kind else ()
    named = _value_type(type_name, kind)
    subs.append(SubObject(subindex, label, named, bits, bit, _ACCESS.get(access, "ro"), mapped=mapped, values=values))


def _value_type(name: str, kind: _Type | None) -> str:
    """What a value of a type is, "" for what is neither elementary nor text."""
    base = kind.base if kind else ""
    return iec_type(name) or iec_type(base) or (TEXT if _TEXT_TYPE.match(name) or _TEXT_TYPE.match(base) else "")


def _flags(element: Element) -> tuple[str, str]:
    """Access, and in which direction it may be mapped."""
    access, mapped = "ro", ""
    for child in element:
        if child.tag == "Access":
            access = (child.text or "ro").strip().lower()
        elif child.tag == "PdoMapping":
            mapped = (child.text or "").strip().upper()
    return access, mapped


def _object_of(element: Element, types: dict[str, _Type], reading: Reading) -> Object | None:
    index, type_name, bits, access, mapped, info = -1, "", 0, "ro", "", _NO_INFO
    names: list[Element] = []
    for child in element:
        tag = child.tag
        if tag == "Index":
            index = reading.number(child, "Object index", -1)
        elif tag == "Name":
            names.append(child)
        elif tag == "Type":
            type_name = (child.text or "").strip()
        elif tag == "BitSize":
            bits = reading.number(child, "Size of an object")
        elif tag == "Info":
            info = _info_of(child, reading)
        elif tag == "Flags":
            access, mapped = _flags(child)
    if not 0 <= index <= 0xFFFF:
        reading.problems.error(line_of(element), "An object without an index of 16 bits is left out.")
        return None
    kind = types.get(type_name)
    named = _value_type(type_name, kind)
    subs = _with_info(kind.subs, info) if kind else ()
    return Object(
        index, chosen(names) if names else f"16#{index:04X}", named, bits, _ACCESS.get(access, "ro"), info.default,
        info.minimum, info.maximum, mapped, info.unit, kind.values if kind else (), subs,
    )  # fmt: skip


def _with_info(subs: tuple[SubObject, ...], info: _Info) -> tuple[SubObject, ...]:
    """A type's items with what the object says of each, in order."""
    if not info.subs:
        return subs
    made: list[SubObject] = []
    for n, sub in enumerate(subs):
        if n < len(info.subs):
            name, own = info.subs[n]
            sub = sub._replace(
                label=name or sub.label, default=own.default, minimum=own.minimum, maximum=own.maximum, unit=own.unit
            )
        made.append(sub)
    return tuple(made)


def _info_of(element: Element, reading: Reading) -> _Info:
    default = minimum = maximum = unit = ""
    subs: list[tuple[str, _Info]] = []
    for child in element:
        tag: Any = child.tag
        if tag == "SubItem":
            inner = child.find("Info")
            own = _info_of(inner, reading) if inner is not None else _NO_INFO
            subs.append(((child.findtext("Name") or "").strip(), own))
        elif tag == "DefaultData":
            default = reading.octets(child, "Default")
        elif tag == "DefaultString":
            default = (child.text or "").encode().hex().upper()
        elif tag == "MinData":
            minimum = reading.octets(child, "Least value")
        elif tag == "MaxData":
            maximum = reading.octets(child, "Greatest value")
        elif tag == "DefaultValue":
            default = default or _spelled(reading.number(child, "Default"))
        elif tag == "MinValue":
            minimum = minimum or _spelled(reading.number(child, "Least value"))
        elif tag == "MaxValue":
            maximum = maximum or _spelled(reading.number(child, "Greatest value"))
        elif tag == "Unit":
            unit = unit_of(child.text or "")
    return _Info(default, minimum, maximum, unit, tuple(subs))


def _spelled(value: int) -> str:
    """A number as the fewest octets that hold it, low octet first; a negative one by its complement."""
    size = next((n for n in (1, 2, 4, 8) if -(1 << 8 * n - 1) <= value < 1 << 8 * n), 0)
    return value.to_bytes(size, "little", signed=value < 0).hex().upper() if size else ""
