"""What a checked program is made of: typed values, steps, and the names it knows."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from highmoor.core.datatypes import DataType
from highmoor.core.program.blocks import BlockType

_INDEX = re.compile(r"\[(-?\d+)\]")


@dataclass(frozen=True, slots=True)
class Variable:
    """A value the program has: where in its memory, of which type, and whether the program may write it."""

    slot: int
    kind: DataType
    writable: bool = True


@dataclass(frozen=True, slots=True, eq=False)
class Elements:
    """The elements of an array, made once however often a text uses it: pairs of index and slot in order, the slots
    alone, their type (None where they are of several), and whether the program may write all of them."""

    table: tuple[tuple[int, int], ...]
    slots: tuple[int, ...]
    kind: DataType | None
    writable: bool

    @classmethod
    def of(cls, variables: Mapping[int, Variable]) -> Elements:
        """Of variables by index, at least one."""
        ordered = sorted(variables.items())
        kinds = {one.kind for one in variables.values()}
        return cls(
            tuple((n, one.slot) for n, one in ordered), tuple(one.slot for _, one in ordered),
            kinds.pop() if len(kinds) == 1 else None, all(one.writable for one in variables.values()),
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Typed:
    """A value as it is computed: an operation of arguments, with its type; `told` is what else belongs to it."""

    op: str
    kind: DataType
    args: tuple[Typed, ...] = ()
    told: Any = None
    line: int = 0


@dataclass(frozen=True, slots=True)
class Put:
    """A value put into a slot; with an `index` into the one of `slots` that it says."""

    line: int
    value: Typed
    slot: int
    index: Typed | None = None
    slots: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True, slots=True)
class Run:
    """A function block that is run."""

    line: int
    block: int


@dataclass(frozen=True, slots=True)
class Choose:
    """The first branch whose condition holds."""

    line: int
    branches: tuple[tuple[Typed, tuple[Step, ...]], ...]
    otherwise: tuple[Step, ...]


@dataclass(frozen=True, slots=True)
class Loop:
    """A counter's slot from one value to another by steps."""

    line: int
    slot: int
    kind: DataType
    first: Typed
    last: Typed
    by: Typed
    body: tuple[Step, ...]


@dataclass(frozen=True, slots=True)
class Leave:
    """Out of a loop, or of the whole run."""

    line: int
    whole: bool


Step = Put | Run | Choose | Loop | Leave


@dataclass(slots=True)
class Scope:
    """The names a program knows, whatever their case, with a slot each. Signals come first, in the order given."""

    variables: dict[str, Variable] = field(default_factory=dict)
    blocks: dict[str, int] = field(default_factory=dict)
    block_types: list[tuple[BlockType, dict[str, int]]] = field(default_factory=list)
    initial: list[Any] = field(default_factory=list)
    # Structures that a variable of the program's own may be of, by name in small letters: what stands behind the
    # variable's name for each of its values (`.Speed`, `.Bins[2]`), with the type of each.
    structures: Mapping[str, Sequence[tuple[str, DataType]]] = field(default_factory=dict)
    # How each slot is called, and its type.
    names: list[str] = field(default_factory=list)
    kinds: list[DataType] = field(default_factory=list)
    _arrays: dict[tuple[str, str], Elements] | None = None

    @classmethod
    def of(cls, signals: Iterable[tuple[str, DataType, bool, Any]]) -> Scope:
        """The signals of a controller: name, type, whether it may be written, what it begins with."""
        scope = cls()
        for name, kind, writable, initial in signals:
            scope.add(name, kind, initial, writable=writable)
        return scope

    def add(self, name: str, kind: DataType, initial: Any, *, writable: bool = True) -> Variable:
        """One more, in the next slot."""
        variable = self.variables[name.lower()] = Variable(len(self.initial), kind, writable)
        self.initial.append(initial)
        self.names.append(name)
        self.kinds.append(kind)
        self._arrays = None
        return variable

    def elements(self, before: str, behind: str) -> Elements | None:
        """The elements of an array: what is called `before[n]behind`; None for no such thing."""
        if self._arrays is None:
            found: dict[tuple[str, str], dict[int, Variable]] = {}
            for name, variable in self.variables.items():
                for index in _INDEX.finditer(name):
                    key = name[: index.start()], name[index.end() :]
                    found.setdefault(key, {})[int(index[1])] = variable
            self._arrays = {key: Elements.of(variables) for key, variables in found.items()}
        return self._arrays.get((before.lower(), behind.lower()))
