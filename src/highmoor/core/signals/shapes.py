"""What structures and arrays a controller's signals make together, read off their names.

`Fan1.Speed` and `Fan1.Run` make a structure `Fan1` of two members, `Bins[1]` to `Bins[8]` an array. A shape says what
a variable is made of; two variables of one shape are of one type.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from functools import reduce
from typing import TypeAlias

from highmoor.core.plant.rows import Signal
from highmoor.core.plant.variables import is_whole, steps_of


@dataclass(frozen=True, slots=True)
class Structure:
    """Members by name, in order."""

    members: tuple[tuple[str, Shape], ...]


@dataclass(frozen=True, slots=True)
class Array:
    """Elements from `low` to `high`, all of one shape."""

    low: int
    high: int
    of: Shape


Shape: TypeAlias = "str | Structure | Array"
"""An elementary type by name, or what it is made of."""


def folded(shape: Shape) -> object:
    """A shape as it is compared: neither the order of members nor letter case tells two apart."""
    if isinstance(shape, Structure):
        return ("structure", frozenset((name.lower(), folded(inner)) for name, inner in shape.members))
    return ("array", shape.low, shape.high, folded(shape.of)) if isinstance(shape, Array) else shape


@dataclass(frozen=True, slots=True)
class Mixed:
    """Two signals whose names make one variable two things, and why that cannot be."""

    signal: str
    other: str
    why: str


@dataclass(frozen=True, slots=True)
class Part:
    """A variable of a program, or what is made of several signals within one; `signals` are theirs, in order."""

    name: str
    shape: Shape
    signals: tuple[str, ...]


@dataclass(slots=True)
class _Node:
    """What a part of a name leads to, on the way to the signals' own."""

    name: str
    signal: Signal | None = None
    inner: dict[str | int, _Node] = field(default_factory=dict)

    def first(self) -> Signal:
        """Any signal of it."""
        return self.signal or next(iter(self.inner.values())).first()

    def all(self) -> Iterator[str]:
        if self.signal:
            yield self.signal.id
        for each in self.inner.values():
            yield from each.all()


class Variables:
    """The variables of a controller."""

    def __init__(self, signals: Iterable[Signal]) -> None:
        self._mixed: dict[Mixed, None] = {}
        self._roots: dict[str, _Node] = {}
        for signal in signals:
            self._take(signal)
        self.all = tuple(Part(node.name, self._shape(node), tuple(node.all())) for node in self._roots.values())
        """In the order of their first signals."""

    def _take(self, signal: Signal) -> None:
        head, *steps = steps_of(signal.name)
        node = self._roots.setdefault(str(head).lower(), _Node(str(head)))
        for step in steps:
            if node.signal:
                self._contradicted(signal, node, "one value and made of several")
                return
            key = step if isinstance(step, int) else step.lower()
            if node.inner and isinstance(next(iter(node.inner)), str) != isinstance(key, str):
                self._contradicted(signal, node, "an array and a structure")
                return
            node = node.inner.setdefault(key, _Node(element(node.name, step)))
        if node.inner:
            self._contradicted(signal, node, "one value and made of several")
        elif node.signal is None:
            # Of two with one name, the first: that they have one name is told elsewhere.
            node.signal = signal

    def _contradicted(self, signal: Signal, node: _Node, both: str) -> None:
        self._mixed[Mixed(signal.id, node.first().id, f"{node.name} would be {both}")] = None

    @property
    def mixed(self) -> tuple[Mixed, ...]:
        """Where names contradict each other: the first of two holds."""
        return tuple(self._mixed)

    def composite(self) -> Iterator[Part]:
        """Those that are made of several signals."""
        return (variable for variable in self.all if not isinstance(variable.shape, str))

    def parts(self) -> Iterator[Part]:
        """Every variable that is made of several signals, and whatever within it is."""
        nodes = list(self._roots.values())
        while nodes:
            node = nodes.pop()
            if node.signal is None:
                yield Part(node.name, self._shape(node), tuple(node.all()))
                nodes += node.inner.values()

    def _shape(self, node: _Node) -> Shape:
        if node.signal:
            return node.signal.type
        shapes = [(key, inner, self._shape(inner)) for key, inner in node.inner.items()]
        if all(isinstance(key, int) for key, _, _ in shapes):
            indices = [int(key) for key, _, _ in shapes]
            first = shapes[0][1]
            return Array(
                min(indices), max(indices),
                reduce(lambda one, each: self._joined(one, each[2], first, each[1]), shapes[1:], shapes[0][2]),
            )  # fmt: skip
        return Structure(tuple((inner.name.rpartition(".")[2], shape) for _, inner, shape in shapes))

    def _joined(self, one: Shape, other: Shape, first: _Node, each: _Node) -> Shape:
        """The shape of an array's elements: of a structure, each may have members that others have no signal for."""
        if isinstance(one, Structure) and isinstance(other, Structure):
            members = {name.lower(): (name, shape) for name, shape in one.members}
            for name, shape in other.members:
                there = members.get(name.lower())
                members[name.lower()] = (
                    (there[0], self._joined(there[1], shape, first, each)) if there else (name, shape)
                )
            return Structure(tuple(members.values()))
        if isinstance(one, Array) and isinstance(other, Array):
            of = self._joined(one.of, other.of, first, each)
            return Array(min(one.low, other.low), max(one.high, other.high), of)
        if one != other:
            why = f"{first.name} and {each.name} would be of two types"
            self._mixed[Mixed(each.first().id, first.first().id, why)] = None
        return one


def of_structures(signals: Iterable[Signal]) -> Variables:
    """Only those whose names make structures or arrays, and whoever stands in their way."""
    every = list(signals)
    composite = [signal for signal in every if not is_whole(signal.name)]
    if not composite:
        return Variables(())
    heads = {str(steps_of(signal.name)[0]).lower() for signal in composite}
    return Variables(signal for signal in every if not is_whole(signal.name) or signal.name.lower() in heads)


def element(name: str, step: str | int) -> str:
    """What a member, or an element, of a variable is called."""
    return f"{name}[{step}]" if isinstance(step, int) else f"{name}.{step}"


def elements(name: str, shape: Shape) -> Iterator[tuple[str, str]]:
    """Each elementary value in a variable of a shape: its whole name, and its type."""
    if isinstance(shape, str):
        yield name, shape
    elif isinstance(shape, Structure):
        for member, inner in shape.members:
            yield from elements(element(name, member), inner)
    else:
        for n in range(shape.low, shape.high + 1):
            yield from elements(element(name, n), shape.of)
