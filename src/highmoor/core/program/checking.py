"""What a text means: every name found, everything with its type, whatever does not fit told with its place.

Source: IEC 61131-3:2013, 6.6.3 (function blocks), 7.3.3 (statements).
"""

from __future__ import annotations

from bisect import bisect
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

from highmoor.core.datatypes import DataType
from highmoor.core.program import syntax as s
from highmoor.core.program.blocks import BLOCKS, BlockType
from highmoor.core.program.expressions import Expressions, Use, fault, spelled
from highmoor.core.program.kinds import BOOL, KINDS, TIME
from highmoor.core.program.steps import Choose, Leave, Loop, Put, Run, Scope, Step, Typed, Variable

FAULTS_AT_MOST = 100
ELEMENTS_AT_MOST = 10_000
VARIABLES_AT_MOST = 50_000


@dataclass(frozen=True, slots=True)
class Checked:
    """A text that means something: its steps, the scope with its own variables in it, where it uses which."""

    steps: tuple[Step, ...]
    scope: Scope
    uses: tuple[Use, ...]


class Faulty(s.Unsound):
    """A text that can be read and does not mean anything. `sound` is what of it does."""

    def __init__(self, sound: Checked, *faults: s.Fault) -> None:
        super().__init__(*faults)
        self.sound = sound


def check(text: s.Text, scope: Scope) -> Checked:
    """Raises Faulty with all that is wrong with it, the first first."""
    checker = _Checker(scope)
    for declared in text.variables:
        checker.kept(checker.declare, declared)
    steps = checker.steps(text.statements)
    checked = Checked(steps, scope, tuple(checker.uses))
    if checker.faults:
        raise Faulty(checked, *sorted(checker.faults, key=lambda fault: fault.at))
    return checked


@dataclass(slots=True)
class _Checker(Expressions):
    faults: list[s.Fault] = field(default_factory=list)
    _loops: int = 0
    # Variables of the program's own that are made of several values.
    _taken: set[str] = field(default_factory=set)

    def kept(self, work: Callable[[Any], Any], what: Any) -> Any:
        """What is made of it; None, with the fault kept, where nothing can be."""
        if len(self.faults) >= FAULTS_AT_MOST:
            return None
        try:
            return work(what)
        except s.Unsound as unsound:
            self.faults += unsound.faults
            return None

    # ── declarations

    def declare(self, one: s.Declared) -> None:
        """A variable of the program's own, or a function block."""
        lower = one.name.lower()
        if lower in self.scope.variables or lower in self.scope.blocks or lower in self._taken:
            raise fault(one.at, f"{one.name} is there already.")
        block = BLOCKS.get(one.type.name.upper())
        if block is not None and not one.type.bounds and one.initial is None:
            self._declare_block(one.name, block)
            return
        values, names = self._values(one), self._names(one)
        if len(names) * len(values) > ELEMENTS_AT_MOST:
            raise fault(one.at, f"{one.name} has too many values; at most {ELEMENTS_AT_MOST} are made.")
        if len(self.scope.initial) + len(names) * len(values) > VARIABLES_AT_MOST:
            raise fault(one.at, f"A program has {VARIABLES_AT_MOST} variables at most, elements of arrays among them.")
        for name in names:
            for behind, kind, value in values:
                self.scope.add(name + behind, kind, value)
        self._taken.add(lower)

    def _values(self, one: s.Declared) -> list[tuple[str, DataType, Any]]:
        """The values of a type: one of an elementary one, each of a structure; with what each begins with."""
        kind = KINDS.get(one.type.name.upper())
        if one.type.name.upper() in BLOCKS:
            raise fault(one.type.at, "Function blocks stand one by one, without a value to begin with.")
        if kind is not None:
            begins = _nothing(kind)
            if one.initial is not None:
                begins = self._constant(self.expression(one.initial, kind), one.initial.at)
            return [("", kind, begins)]
        shape = self.scope.structures.get(one.type.name.lower())
        if shape is None:
            raise fault(one.type.at, f"{one.type.name} is no type: neither elementary, nor a structure, nor a block.")
        if one.initial is not None:
            raise fault(one.initial.at, "What a structure begins with is not given here; its members begin with 0.")
        return [(behind, kind, _nothing(kind)) for behind, kind in shape]

    def _names(self, one: s.Declared) -> list[str]:
        """What is called so: the variable, or each element of an array."""
        names = [one.name]
        for low, high in one.type.bounds:
            first, last = (self._whole(end) for end in (low, high))
            if last < first:
                raise fault(low.at, f"An array from {first} to {last} cannot be.")
            if len(names) * (last - first + 1) > ELEMENTS_AT_MOST:
                raise fault(one.at, f"{one.name} has too many elements; at most {ELEMENTS_AT_MOST} are made.")
            names = [f"{name}[{n}]" for name in names for n in range(first, last + 1)]
        return names

    def _declare_block(self, name: str, block: BlockType) -> None:
        slots = {}
        for port in (*block.inputs, *block.outputs):
            inward = port in block.inputs
            variable = self.scope.add(f"{name}.{port.name}", port.kind, port.initial, writable=inward)
            slots[port.name] = variable.slot
        self.scope.blocks[name.lower()] = len(self.scope.block_types)
        self.scope.block_types.append((block, slots))

    def _whole(self, expression: s.Expression) -> int:
        value = self._constant(self.expression(expression, None), expression.at)
        if isinstance(value, bool) or not isinstance(value, int):
            raise fault(expression.at, "A whole number is needed here.")
        return value

    def _constant(self, value: Typed, at: s.At) -> Any:
        if value.op != "const":
            raise fault(at, "Only a number that stands there itself can be used here.")
        return value.told

    # ── statements

    def steps(self, statements: Iterable[s.Statement]) -> tuple[Step, ...]:
        """All that can be made of them; what cannot is a fault each."""
        made = (self.kept(self._step, one) for one in statements)
        return tuple(step for steps in made if steps for step in steps)

    def _step(self, one: s.Statement) -> list[Step]:
        match one:
            case s.Assign():
                return [self._put(one.to, one.value, one.at)]
            case s.Invoke():
                return self._invoke(one)
            case s.If():
                return [self._choose(one)]
            case s.Case():
                return [self._case(one)]
            case s.For():
                return [self._loop(one)]
            case _:
                if not one.whole and not self._loops:
                    raise fault(one.at, "EXIT leaves a loop, and here is none.")
                return [Leave(one.at.line, one.whole)]

    def _put(self, to: s.Place, value: s.Expression, at: s.At) -> Put:
        target, index, slots = self._target(to)
        made = self.expression(value, target.kind)
        return Put(at.line, made, target.slot, index, slots)

    def _target(self, to: s.Place) -> tuple[Variable, Typed | None, tuple[tuple[int, int], ...]]:
        found = self.place(to)
        if isinstance(found, Variable):
            if not found.writable:
                raise fault(to.at, f"{spelled(to)} comes from outside: it cannot be written.")
            self.note(to, (found.slot,), writes=True)
            return found, None, ()
        index, elements = found
        if not elements.writable:
            raise fault(to.at, f"Elements of {spelled(to)} come from outside: they cannot be written.")
        self.note(to, elements.slots, writes=True)
        assert elements.kind is not None
        return Variable(elements.slots[0], elements.kind), index, elements.table

    def _invoke(self, one: s.Invoke) -> list[Step]:
        number = self.scope.blocks.get(one.name.lower())
        if number is None:
            what = "is a variable, no function block" if one.name.lower() in self.scope.variables else "is not known"
            raise fault(one.at, f"{one.name} {what}.")
        block, slots = self.scope.block_types[number]
        before: list[Step] = []
        behind: list[Step] = []
        for given in one.arguments:
            name = given.name.upper() or "an input without a name"
            port = next((p for p in (block.outputs if given.into else block.inputs) if p.name == name), None)
            if port is None:
                there = ", ".join(p.name for p in (block.outputs if given.into else block.inputs))
                raise fault(given.at, f"{block.name} has no {name}; it has {there}.")
            if given.into is not None:
                target, index, elements = self._target(given.into)
                value = Typed("var", port.kind, (), slots[port.name], given.at.line)
                behind.append(
                    Put(given.at.line, self.fitted(value, target.kind, given.at), target.slot, index, elements)
                )
            elif given.value is not None:
                value = self.expression(given.value, port.kind)
                before.append(Put(given.at.line, value, slots[port.name]))
        return [*before, Run(one.at.line, number), *behind]

    def _choose(self, one: s.If) -> Choose:
        branches = []
        for condition, body in one.branches:
            holds = self.kept(lambda told: self.expression(told, BOOL), condition)
            steps = self.steps(body)
            if holds is not None:
                branches.append((holds, steps))
        return Choose(one.at.line, tuple(branches), self.steps(one.otherwise))

    def _case(self, one: s.Case) -> Choose:
        of = self.expression(one.of, None)
        if of.kind.family not in ("signed", "unsigned") or of.kind is TIME:
            raise fault(one.of.at, f"CASE chooses by a whole number, not by {of.kind.name}.")
        branches: list[tuple[Typed, tuple[Step, ...]]] = []
        taken: list[tuple[int, int]] = []
        for labels, body in one.branches:
            tests = []
            for first, last in labels:
                low = self._whole(first)
                high = low if last is None else self._whole(last)
                if low > high:
                    raise fault(first.at, f"The range {low}..{high} is empty.")
                seat = bisect(taken, (low, low))
                for begin, end in taken[max(seat - 1, 0) : seat + 1]:
                    if begin <= high and low <= end:
                        raise fault(first.at, f"{max(low, begin)} stands there already.")
                taken.insert(seat, (low, high))
                tests.append((low, high))
            branches.append((Typed("within", BOOL, (of,), tuple(tests), one.at.line), self.steps(body)))
        return Choose(one.at.line, tuple(branches), self.steps(one.otherwise))

    def _loop(self, one: s.For) -> Loop:
        counter, _, _ = self._target(one.counter)
        if counter.kind.family not in ("signed", "unsigned") or counter.kind is TIME:
            raise fault(one.counter.at, f"A loop counts in whole numbers, not in {counter.kind.name}.")
        first, last = (self.expression(end, counter.kind) for end in (one.first, one.last))
        by = self.expression(one.by, counter.kind) if one.by else Typed("const", counter.kind, (), 1, one.at.line)
        if by.op == "const" and by.told == 0:
            raise fault(one.by.at if one.by else one.at, "By steps of 0 it never ends.")
        self._loops += 1
        body = self.steps(one.body)
        self._loops -= 1
        return Loop(one.at.line, counter.slot, counter.kind, first, last, by, body)


def _nothing(kind: DataType) -> Any:
    """What a variable begins with unless it is said."""
    return False if kind is BOOL else 0.0 if kind.family == "real" else 0
