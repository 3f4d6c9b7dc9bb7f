"""Structures as they are declared: what their text says, and what a variable of a type is made of."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.errors import Refusal
from highmoor.core.plant.fields import FieldSpec, identifier_problem
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import DataStructure
from highmoor.core.signals.shapes import Array, Shape, Structure

_ARRAY = re.compile(r"ARRAY\s*\[\s*(\d{1,5})\s*\.\.\s*(\d{1,5})\s*\]\s*OF\s+(\S.*)", re.IGNORECASE | re.DOTALL)
_HIGHEST = 32767
_DEPTH = 8
ELEMENTS_AT_MOST = 5_000
MEMBERS_AT_MOST = 500


@dataclass(frozen=True, slots=True)
class Member:
    """A member as declared; `type` is elementary, a structure's name, or `ARRAY[1..4] OF` such."""

    name: str
    type: str
    unit: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True)
class Element:
    """An elementary value of a variable: its whole name, its type, and what its declaration says beside it."""

    name: str
    type: str
    unit: str
    note: str


def members_of(structure: DataStructure) -> tuple[Member, ...]:
    """The members of a declared structure, in order."""
    return tuple(Member(**member) for member in structure.shape.get("members", ()))


def shape_object(given: Any) -> dict[str, Any]:
    """A structure's `shape` from outside. Raises Refusal for members without a name of their own."""
    members = given.get("members") if isinstance(given, dict) and set(given) <= {"members"} else None
    if not isinstance(members, list) or not all(isinstance(m, dict) for m in members):
        raise Refusal("A structure has members, each with name, type, unit and note.", value="")
    if len(members) > MEMBERS_AT_MOST:
        raise Refusal(f"{len(members)} members are too many; {MEMBERS_AT_MOST} are allowed.", value="")
    seen: set[str] = set()
    return {"members": [_member(member, seen) for member in members]}


def _member(given: dict[str, Any], seen: set[str]) -> dict[str, str]:
    if set(given) - _FIELDS.keys():
        raise Refusal("A member has name, type, unit and note.", value="")
    member = {key: str(spec.parse(given.get(key, ""))) for key, spec in _FIELDS.items()}
    if member["name"].lower() in seen:
        raise Refusal(f"{member['name']} would be there twice.", value=member["name"])
    seen.add(member["name"].lower())
    member["type"] = in_one_form(member["type"])
    return member


_FIELDS = {
    "name": FieldSpec("name", "Name", "identifier"),
    "type": FieldSpec("type", "Type", "text"),
    "unit": FieldSpec("unit", "Unit", "text", optional=True),
    "note": FieldSpec("note", "Note", "note", optional=True),
}


def in_one_form(text: str) -> str:
    """A type as it is kept: elementary ones in capitals, arrays with one blank where one is needed."""
    text = text.strip()
    found = _ARRAY.fullmatch(text)
    if found:
        return f"ARRAY[{int(found[1])}..{int(found[2])}] OF {in_one_form(found[3])}"
    return text.upper() if text.upper() in DATA_TYPES else text


def inner_type(text: str) -> str:
    """What an array is of, in the end; any other type is itself."""
    found = _ARRAY.fullmatch(text.strip())
    return inner_type(found[3]) if found else text.strip()


class Declarations:
    """The structures of a plant by name, letter case aside."""

    def __init__(self, structures: Iterable[DataStructure]) -> None:
        self._by_name = {structure.name.lower(): structure for structure in structures}

    @classmethod
    def of(cls, plant: Plant) -> Declarations:
        """Those that a plant declares."""
        return cls(plant.all(DataStructure))

    def find(self, name: str) -> DataStructure | None:
        """The structure of this name."""
        return self._by_name.get(name.strip().lower())

    def shape(self, text: str, within: tuple[str, ...] = ()) -> Shape:
        """What a type is made of. Raises Refusal for one that is not known, for bounds that are none, and for a
        structure within itself."""
        return self._shape(in_one_form(text), within)

    def _shape(self, text: str, within: tuple[str, ...]) -> Shape:
        array = _ARRAY.fullmatch(text)
        if len(within) > _DEPTH:
            raise Refusal(f"{text} is nested more than {_DEPTH} deep.", field="type", value=text)
        if array:
            low, high = int(array[1]), int(array[2])
            if not low <= high <= _HIGHEST:
                raise Refusal(f"{text}: an array goes from the lower index to the higher, up to {_HIGHEST}.",
                              field="type", value=text)  # fmt: skip
            return Array(low, high, self._shape(array[3], (*within, "")))
        if text in DATA_TYPES:
            return text
        structure = self.find(text)
        if structure is None:
            problem = identifier_problem(text) if text else "a type is needed"
            raise Refusal(f"{text or 'The type'} is neither elementary nor a structure that is declared"
                          f"{f' ({problem})' if problem and text else ''}.", field="type", value=text)  # fmt: skip
        if structure.name in within:
            raise Refusal(f"{structure.name} would be within itself.", field="type", value=text)
        inner = (*within, structure.name)
        return Structure(tuple((m.name, self._shape(m.type, inner)) for m in members_of(structure)))

    def elements(self, name: str, text: str) -> list[Element]:
        """The elementary values of a variable of a type, in order. Raises Refusal, also for too many."""
        self.shape(text)
        found: list[Element] = []
        for element in self._elements(name, Member(name, in_one_form(text))):
            found.append(element)
            if len(found) > ELEMENTS_AT_MOST:
                raise Refusal(f"{text} has more than {ELEMENTS_AT_MOST} values.", field="type", value=text)
        if not found:
            raise Refusal(f"{text} has no members yet.", field="type", value=text)
        return found

    def _elements(self, name: str, of: Member) -> Iterator[Element]:
        array = _ARRAY.fullmatch(of.type)
        structure = None if array else self.find(of.type)
        if array:
            for n in range(int(array[1]), int(array[2]) + 1):
                yield from self._elements(f"{name}[{n}]", Member(name, array[3], of.unit, of.note))
        elif structure and of.type not in DATA_TYPES:
            for member in members_of(structure):
                yield from self._elements(f"{name}.{member.name}", member)
        else:
            yield Element(name, of.type, of.unit, of.note)


def is_composite(text: str) -> bool:
    """Whether a type is not elementary: an array, or a structure by name."""
    return in_one_form(text) not in DATA_TYPES
