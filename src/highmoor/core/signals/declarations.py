"""A controller's signals as its program declares them: types, variables at their addresses, what they begin with.

Both forms in which they go out, text and XML, are written of this. Source: IEC 61131-3:2013, 6.4.4 and 6.5.5.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, TypeAlias

from highmoor.core.analysis.engine import Analysis
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.plant.rows import Controller, DataStructure, Signal
from highmoor.core.plant.variables import is_whole
from highmoor.core.signals.path import iec_address
from highmoor.core.signals.shapes import Array, Part, Shape, Structure, Variables, element
from highmoor.core.signals.table import Line, lines
from highmoor.core.signals.type_names import TypeNames

Role: TypeAlias = Literal["", "count", "copy", "value"]


@dataclass(frozen=True, slots=True)
class Members:
    """What the members of a structure begin with, those that begin with something."""

    values: tuple[tuple[str, Initial], ...]


@dataclass(frozen=True, slots=True)
class Elements:
    """What each element of an array begins with."""

    values: tuple[Initial, ...]


Initial: TypeAlias = "str | Members | Elements"
"""A literal, or what is made of such."""


@dataclass(frozen=True, slots=True)
class Declared:
    """A variable: its type as text, its address (`%IW4`, "" for none), what it begins with, and what is said of it.

    A variable with a `role` only has the address for the signal it is `of`: it is the count of a scaled one, a copy of
    one that is written to several places, or the value of an element of a structure or an array.
    """

    name: str
    type: str
    address: str
    shape: Shape
    initial: Initial | None = None
    note: str = ""
    role: Role = ""
    of: str = ""


@dataclass(frozen=True, slots=True)
class Program:
    """What a controller's program declares: its structures, each behind those it needs, and its variables."""

    types: tuple[tuple[str, tuple[tuple[str, str], ...]], ...]
    structures: tuple[tuple[str, Structure], ...]
    variables: tuple[Declared, ...]


def program_of(analysis: Analysis, controller: Controller, names: TypeNames | None = None) -> Program:
    """The declarations of a controller; `names` of types that others share.

    A scaled signal is declared beside the count it is made of, an element of a structure or an array beside its value:
    those have the address.
    """
    every = list(lines(analysis, controller.id))
    variables = Variables(analysis.plant.children(Signal, controller.id))
    names = names or TypeNames(analysis.plant.all(DataStructure))
    by_signal = {signal: part for part in variables.all for signal in part.signals}
    initials = {line.signal.name.lower(): _literal(line.signal) for line in every if line.signal.initial}
    taken = {str(part.name).lower() for part in variables.all}
    declared: list[Declared] = []
    seen: set[str] = set()
    for line in every:
        part = by_signal.get(line.signal.id)
        if part and part.name not in seen and not isinstance(part.shape, str):
            seen.add(part.name)
            initial = _initial(part.name, part.shape, initials)
            declared.append(Declared(part.name, names.text(part.shape, part.name), "", part.shape, initial))
        declared += _declared(line, taken, part)
    structures = tuple(names.made)
    types = tuple(
        (name, tuple((member, names.text(shape, member)) for member, shape in structure.members))
        for name, structure in structures
    )
    return Program(types, structures, tuple(declared))


def _declared(line: Line, taken: set[str], part: Part | None) -> Iterator[Declared]:
    name, kind = line.signal.name, line.signal.type
    note = _told([line.facts.label if line.facts else "", line.signal.unit, line.signal.note])
    address = address_of(line)
    initial = _literal(line.signal) if line.signal.initial else None
    whole = is_whole(name)
    if part is None:
        # Its name contradicts another's: the program could not have both.
        return
    if whole and address and line.scaling is None and line.first:
        yield Declared(name, kind, address, kind, initial, note)
        return
    if address:
        # What is scaled, what is written to one place more, and what is within a variable.
        role: Role = "count" if line.scaling else "value" if line.first else "copy"
        flat = _flat(name)
        located = _free({"count": f"{flat}_raw", "copy": f"{flat}_copy", "value": flat}[role], taken)
        raw = line.raw_type or kind
        yield Declared(located, raw, address, raw, None, note, role, name)
    if line.first and whole:
        yield Declared(name, kind, "", kind, initial, "" if address else note)


def _flat(name: str) -> str:
    """An element's name as one identifier: Silos[2].Level is Silos_2_Level."""
    return name.replace("].", "_").replace("][", "_").replace("]", "").replace("[", "_").replace(".", "_")


def address_of(line: Line) -> str:
    """`%IX4.0`: of a bit its octet and bit, of more the first octet; "" where no type has just these bits."""
    facts = line.facts
    kind = DATA_TYPES.get(line.raw_type or line.signal.type)
    if facts is None or kind is None or facts.octet is None or facts.bit is None:
        return ""
    same = facts.bits == kind.bits
    return iec_address(facts.area, 8 * facts.octet + facts.bit, facts.bits) if same else ""


def _free(wanted: str, taken: set[str]) -> str:
    name, n = wanted, 2
    while name.lower() in taken:
        name, n = f"{wanted}{n}", n + 1
    taken.add(name.lower())
    return name


def _told(parts: Sequence[str]) -> str:
    return ", ".join(" ".join(part.split()) for part in parts if part)


# ── what variables begin with


def _literal(signal: Signal) -> str:
    """As the languages write it: a REAL has a decimal point (6.3.2)."""
    kind, text = DATA_TYPES.get(signal.type), signal.initial
    if kind and kind.family == "bool":
        return {"1": "TRUE", "0": "FALSE"}.get(text, text)
    real = kind is not None and kind.family == "real" and "#" not in text and "x" not in text.lower()
    if not real or "." in text:
        return text
    mantissa, e, exponent = text.upper().partition("E")
    return f"{mantissa}.0{e}{exponent}"


def _initial(name: str, shape: Shape, initials: Mapping[str, str]) -> Initial | None:
    """None where nothing of it begins with anything."""
    if isinstance(shape, str):
        return initials.get(name.lower())
    if isinstance(shape, Structure):
        members = [(m, _initial(element(name, m), inner, initials)) for m, inner in shape.members]
        begun = tuple((m, value) for m, value in members if value is not None)
        return Members(begun) if begun else None
    values = [_initial(element(name, n), shape.of, initials) for n in range(shape.low, shape.high + 1)]
    if all(value is None for value in values):
        return None
    return Elements(tuple(value if value is not None else _zero(shape.of) for value in values))


def _zero(shape: Shape) -> Initial:
    """What a type begins with by itself."""
    if isinstance(shape, Structure):
        name, inner = shape.members[0]
        return Members(((name, _zero(inner)),))
    if isinstance(shape, Array):
        return Elements(tuple(_zero(shape.of) for _ in range(shape.low, shape.high + 1)))
    kind = DATA_TYPES.get(shape)
    return {"bool": "FALSE", "real": "0.0"}.get(kind.family if kind else "", "0")


# ── as text


def declarations(analysis: Analysis, controller: str) -> str:
    """A controller's types and global variables as text, at octet addresses of its image."""
    program = program_of(analysis, analysis.plant.get(controller, Controller))
    return "\n".join([*_type_lines(program), *_variable_lines(program)]) + "\n"


def _type_lines(program: Program) -> Iterator[str]:
    if not program.types:
        return
    yield "TYPE"
    for name, members in program.types:
        yield f"    {name} : STRUCT"
        for member, kind in members:
            yield f"        {member} : {kind};"
        yield "    END_STRUCT;"
    yield "END_TYPE"
    yield ""


def _variable_lines(program: Program) -> Iterator[str]:
    yield "VAR_GLOBAL"
    for one in program.variables:
        at = f" AT {one.address}" if one.address else ""
        begins = f" := {_literals(one.initial)}" if one.initial is not None else ""
        of = f" {{{one.role} of {one.of}}}" if one.role else ""
        yield f"    {one.name}{at} : {one.type}{begins};{of}{_comment(one.note)}"
    yield "END_VAR"


def _literals(initial: Initial) -> str:
    if isinstance(initial, Members):
        return f"({', '.join(f'{name} := {_literals(value)}' for name, value in initial.values)})"
    if isinstance(initial, Elements):
        return f"[{', '.join(_literals(value) for value in initial.values)}]"
    return initial


def _comment(text: str) -> str:
    """Beside a declaration; what would end it is taken apart."""
    return f" (* {text.replace('*)', '* )').replace('(*', '( *')} *)" if text else ""
