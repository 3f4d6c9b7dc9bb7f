"""The variables of a controller that are made of several signals, and the structures declared: as screens show them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.errors import Refusal
from highmoor.core.plant.rows import Controller, DataStructure, Signal
from highmoor.core.signals.declared import Declarations, members_of
from highmoor.core.signals.shapes import Array, Shape, Structure, of_structures
from highmoor.core.signals.type_names import TypeNames


@dataclass(frozen=True, slots=True)
class MemberTold:
    """A member of a structure: its name, and its type in words."""

    name: str
    type: str


@dataclass(frozen=True, slots=True)
class VariableTold:
    """A variable made of several signals: its type in words, and what it is an array of or itself, if a structure.

    `structure` is the id of the declared one, "" for one that nobody declared; then `members` are what it would have.
    """

    name: str
    type: str
    structure: str
    members: tuple[MemberTold, ...]
    signals: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class ControllerVariables:
    """The variables of a controller that are made of several signals, in order."""

    variables: tuple[VariableTold, ...]


def _variables(reader: Reader, root: str) -> ControllerVariables:
    names = TypeNames(reader.all(DataStructure))
    told = []
    for part in of_structures(reader.children(Signal, root)).composite():
        text = names.text(part.shape, part.name)
        structure, inner = names.structure(part.shape), _inner(part.shape)
        members: tuple[MemberTold, ...] = ()
        if structure is None and isinstance(inner, Structure):
            members = tuple(MemberTold(name, names.text(shape, name)) for name, shape in inner.members)
        told.append(VariableTold(part.name, text, structure.id if structure else "", members, part.signals))
    return ControllerVariables(tuple(told))


def _inner(shape: Shape) -> Shape:
    while isinstance(shape, Array):
        shape = shape.of
    return shape


@dataclass(frozen=True, slots=True)
class StructureTold:
    """The variables that are of a declared structure, each behind its controller's name."""

    variables: tuple[str, ...]


def _structure(reader: Reader, root: str) -> StructureTold:
    of_it = []
    for controller in reader.all(Controller):
        own: ControllerVariables = reader.part("controller.variables", controller.id)
        of_it += [f"{controller.name}.{told.name}" for told in own.variables if told.structure == root]
    return StructureTold(tuple(of_it))


def _usable(reader: Reader, root: str) -> str:
    """Why a declared structure cannot be used, "" if it can."""
    row = reader.row(root, DataStructure)
    if not members_of(row):
        return f"{row.name} has no members yet"
    try:
        Declarations(reader.all(DataStructure)).shape(row.name)
    except Refusal as refusal:
        return refusal.reason.rstrip(".")
    return ""


PARTS: tuple[Part, ...] = (
    Part("controller.variables", "controllers", _variables, shown=ControllerVariables, asked=True),
    Part("structure.variables", "structures", _structure, shown=StructureTold, asked=True),
    Part("structure.problem", "structures", _usable, stage="signals"),
)


def _unusable(result: str, reader: Reader, root: str) -> Iterator[Finding]:
    if result:
        yield finding("SIG-117", root, name=reader.row(root, DataStructure).name, problem=result)


CHECKS: tuple[Check, ...] = (
    Check(
        "SIG-117", "structure.problem", "signals", "error", "Structure that cannot be declared",
        "{name} cannot be declared: {problem}.", "The program could not be translated.", _unusable,
        "IEC 61131-3, 6.4.4.6",
    ),
)  # fmt: skip
