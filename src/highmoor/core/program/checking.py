"""What a text means: every name found, everything with its type, whatever does not fit told with its place.

Source: IEC 61131-3:2013, 6.6 (functions and function blocks), 7.3.2 (expressions), 7.3.3 (statements).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from highmoor.core.datatypes import DataType
from highmoor.core.errors import Refusal
from highmoor.core.program import syntax as s
from highmoor.core.program.blocks import BLOCKS, BlockType
from highmoor.core.program.kinds import (
    BOOL,
    DINT,
    KINDS,
    LREAL,
    TIME,
    common,
    converts,
    fits,
    held,
    is_bits,
    is_number,
    literal,
)

FAULTS_AT_MOST = 100
_INDEX = re.compile(r"\[(-?\d+)\]")


@dataclass(frozen=True, slots=True)
class Variable:
    """A value the program has: where in its memory, of which type, and whether the program may write it."""

    slot: int
    kind: DataType
    writable: bool = True


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
    _arrays: dict[tuple[str, str], dict[int, Variable]] | None = None

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
        self._arrays = None
        return variable

    def elements(self, before: str, behind: str) -> Mapping[int, Variable]:
        """The elements of an array by index: what is called `before[n]behind`."""
        if self._arrays is None:
            self._arrays = {}
            for name, variable in self.variables.items():
                for found in _INDEX.finditer(name):
                    key = name[: found.start()], name[found.end() :]
                    self._arrays.setdefault(key, {})[int(found[1])] = variable
        return self._arrays.get((before.lower(), behind.lower()), {})


@dataclass(frozen=True, slots=True)
class Checked:
    """A text that means something: its steps, and the scope with its own variables in it. `written` are the slots that
    it writes, `read` those it reads."""

    steps: tuple[Step, ...]
    scope: Scope
    written: frozenset[int]
    read: frozenset[int]


def check(text: s.Text, scope: Scope) -> Checked:
    """Raises Unsound with all that is wrong with it, the first first."""
    checker = _Checker(scope)
    for declared in text.variables:
        checker.kept(checker.declare, declared)
    steps = checker.steps(text.statements)
    if checker.faults:
        raise s.Unsound(*sorted(checker.faults, key=lambda fault: fault.at))
    return Checked(steps, scope, frozenset(checker.written), frozenset(checker.read))


class _Checker:
    def __init__(self, scope: Scope) -> None:
        self.scope = scope
        self.faults: list[s.Fault] = []
        self.written: set[int] = set()
        self.read: set[int] = set()
        self._loops = 0

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
        if lower in self.scope.variables or lower in self.scope.blocks:
            raise _fault(one.at, f"{one.name} is there already.")
        block = BLOCKS.get(one.type.name.upper())
        if block is not None and not one.type.bounds and one.initial is None:
            self._declare_block(one.name, block)
            return
        kind = KINDS.get(one.type.name.upper())
        if kind is None:
            raise _fault(one.type.at, f"{one.type.name} is neither an elementary type nor a function block.")
        value: Any = False if kind is BOOL else 0.0 if kind.family == "real" else 0
        if one.initial is not None:
            value = self._constant(self.expression(one.initial, kind), one.initial.at)
        names = [one.name]
        for low, high in one.type.bounds:
            first, last = (self._whole(end) for end in (low, high))
            if not first <= last or last - first >= 10_000:
                raise _fault(low.at, f"An array from {first} to {last} cannot be.")
            names = [f"{name}[{n}]" for name in names for n in range(first, last + 1)]
        if len(names) > 10_000:
            raise _fault(one.at, f"{one.name} has {len(names)} elements; at most 10000 are made.")
        for name in names:
            self.scope.add(name, kind, value)

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
            raise _fault(expression.at, "A whole number is needed here.")
        return value

    def _constant(self, value: Typed, at: s.At) -> Any:
        if value.op != "const":
            raise _fault(at, "Only a number that stands there itself can be used here.")
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
                    raise _fault(one.at, "EXIT leaves a loop, and here is none.")
                return [Leave(one.at.line, one.whole)]

    def _put(self, to: s.Place, value: s.Expression, at: s.At) -> Put:
        target, index, slots = self._target(to)
        made = self.expression(value, target.kind)
        for slot in [slot for _, slot in slots] or [target.slot]:
            self.written.add(slot)
        return Put(at.line, made, target.slot, index, slots)

    def _target(self, to: s.Place) -> tuple[Variable, Typed | None, tuple[tuple[int, int], ...]]:
        found = self._place(to)
        if isinstance(found, Variable):
            if not found.writable:
                raise _fault(to.at, f"{_spelled(to)} comes from outside: it cannot be written.")
            return found, None, ()
        index, elements = found
        if not all(one.writable for one in elements.values()):
            raise _fault(to.at, f"Elements of {_spelled(to)} come from outside: they cannot be written.")
        first = next(iter(elements.values()))
        return first, index, tuple((n, one.slot) for n, one in sorted(elements.items()))

    def _invoke(self, one: s.Invoke) -> list[Step]:
        number = self.scope.blocks.get(one.name.lower())
        if number is None:
            what = "is a variable, no function block" if one.name.lower() in self.scope.variables else "is not known"
            raise _fault(one.at, f"{one.name} {what}.")
        block, slots = self.scope.block_types[number]
        before: list[Step] = []
        behind: list[Step] = []
        for given in one.arguments:
            name = given.name.upper() or "an input without a name"
            port = next((p for p in (block.outputs if given.into else block.inputs) if p.name == name), None)
            if port is None:
                there = ", ".join(p.name for p in (block.outputs if given.into else block.inputs))
                raise _fault(given.at, f"{block.name} has no {name}; it has {there}.")
            if given.into is not None:
                self.read.add(slots[port.name])
                target, index, elements = self._target(given.into)
                value = Typed("var", port.kind, (), slots[port.name], given.at.line)
                behind.append(Put(given.at.line, self._as(value, target.kind, given.at), target.slot, index, elements))
                self.written.update([slot for _, slot in elements] or [target.slot])
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
            raise _fault(one.of.at, f"CASE chooses by a whole number, not by {of.kind.name}.")
        branches, taken = [], set()
        for labels, body in one.branches:
            tests = []
            for first, last in labels:
                low = self._whole(first)
                high = low if last is None else self._whole(last)
                if low in taken:
                    raise _fault(first.at, f"{low} stands there already.")
                taken.add(low)
                tests.append((low, high))
            branches.append((Typed("within", BOOL, (of,), tuple(tests), one.at.line), self.steps(body)))
        return Choose(one.at.line, tuple(branches), self.steps(one.otherwise))

    def _loop(self, one: s.For) -> Loop:
        counter, _, _ = self._target(one.counter)
        if counter.kind.family not in ("signed", "unsigned") or counter.kind is TIME:
            raise _fault(one.counter.at, f"A loop counts in whole numbers, not in {counter.kind.name}.")
        self.written.add(counter.slot)
        first, last = (self.expression(end, counter.kind) for end in (one.first, one.last))
        by = self.expression(one.by, counter.kind) if one.by else Typed("const", counter.kind, (), 1, one.at.line)
        if by.op == "const" and by.told == 0:
            raise _fault(one.by.at if one.by else one.at, "By steps of 0 it never ends.")
        self._loops += 1
        body = self.steps(one.body)
        self._loops -= 1
        return Loop(one.at.line, counter.slot, counter.kind, first, last, by, body)

    # ── expressions

    def expression(self, one: s.Expression, wanted: DataType | None) -> Typed:
        """What is computed; of the type that is wanted, where one is. Raises Unsound."""
        made = self._expression(one, wanted)
        return made if wanted is None else self._as(made, wanted, one.at)

    def _as(self, value: Typed, wanted: DataType, at: s.At) -> Typed:
        """The value as another type, where it becomes that by itself."""
        if value.kind is wanted:
            return value
        if value.op == "const" and value.told is not None and _may_be(value, wanted):
            return Typed("const", wanted, (), held(value.told, wanted), value.line)
        if not converts(value.kind, wanted):
            how = f"{value.kind.name}_TO_{wanted.name}(…) makes one of it"
            raise _fault(at, f"This is a {value.kind.name}, and a {wanted.name} is needed; {how}.")
        return Typed("convert", wanted, (value,), None, value.line)

    def _expression(self, one: s.Expression, wanted: DataType | None) -> Typed:
        match one:
            case s.Literal():
                return self._literal(one, wanted)
            case s.Name() | s.Member() | s.Element():
                return self._variable(one)
            case s.Unary():
                return self._unary(one, wanted)
            case s.Binary():
                return self._binary(one, wanted)
            case _:
                return self._call(one, wanted)

    def _literal(self, one: s.Literal, wanted: DataType | None) -> Typed:
        try:
            kind, value = literal(one.text)
        except Refusal as refusal:
            raise _fault(one.at, refusal.reason) from None
        if kind is None:
            # A number without a type is of whichever is wanted, else of the smallest usual one that holds it.
            free = wanted if wanted is not None and wanted is not TIME else DINT
            if free is BOOL and value in (0, 1):
                return Typed("const", BOOL, (), bool(value), one.at.line)
            kind = free if free is not BOOL and fits(int(value), free) else None
            kind = kind or _first_that_holds(int(value), "DINT", "LINT", "ULINT")
            if kind is None:
                raise _fault(one.at, f"{one.text} is greater than any type holds.")
            return Typed("const", kind, (), held(value, kind), one.at.line)
        if kind is LREAL and wanted is not None and wanted.family == "real":
            kind = wanted
        return Typed("const", kind, (), held(value, kind), one.at.line)

    def _variable(self, one: s.Place) -> Typed:
        found = self._place(one)
        if isinstance(found, Variable):
            self.read.add(found.slot)
            return Typed("var", found.kind, (), found.slot, one.at.line)
        index, elements = found
        self.read.update(variable.slot for variable in elements.values())
        kind = next(iter(elements.values())).kind
        slots = tuple((n, variable.slot) for n, variable in sorted(elements.items()))
        return Typed("element", kind, (index,), slots, one.at.line)

    def _place(self, one: s.Place) -> Variable | tuple[Typed, Mapping[int, Variable]]:
        """A variable; or, where an index is computed, that and what it chooses from."""
        before, index, behind = self._path(one)
        if index is None:
            found = self.scope.variables.get(before.lower())
            if found is None:
                if before.lower() in self.scope.blocks:
                    raise _fault(one.at, f"{before} is a function block: one of its outputs is a value.")
                raise _fault(one.at, f"{before} is not known here.")
            return found
        elements = self.scope.elements(before, behind)
        if not elements:
            raise _fault(one.at, f"There is no array {before}{f'[…]{behind}' if behind else ''}.")
        if len({variable.kind for variable in elements.values()}) > 1:
            raise _fault(one.at, f"The elements of {before} are not of one type.")
        return index, elements

    def _path(self, one: s.Place) -> tuple[str, Typed | None, str]:
        if isinstance(one, s.Name):
            return one.name, None, ""
        before, index, behind = self._path(one.of)
        if isinstance(one, s.Member):
            told = f".{one.name}"
        else:
            value = self.expression(one.index, None)
            if value.kind.family not in ("signed", "unsigned") or value.kind is TIME:
                raise _fault(one.index.at, f"An index is a whole number, no {value.kind.name}.")
            if value.op != "const":
                if index is not None:
                    raise _fault(one.index.at, "Only one index of a place can be computed.")
                return before, value, ""
            told = f"[{value.told}]"
        return (before + told, None, "") if index is None else (before, index, behind + told)

    def _unary(self, one: s.Unary, wanted: DataType | None) -> Typed:
        of = self._expression(one.of, wanted)
        if one.operator == "NOT":
            if not is_bits(of.kind):
                raise _fault(one.at, f"NOT turns a BOOL or a string of bits over, no {of.kind.name}.")
            return Typed("not", of.kind, (of,), None, one.at.line)
        if of.kind is not TIME and not is_number(of.kind):
            raise _fault(one.at, f"A {of.kind.name} has no sign.")
        if one.operator == "+":
            return of
        if of.op == "const":
            return self._negative(of, one.at)
        if of.kind.family == "unsigned":
            raise _fault(one.at, f"{of.kind.name} knows no numbers below 0.")
        return Typed("neg", of.kind, (of,), None, one.at.line)

    def _negative(self, of: Typed, at: s.At) -> Typed:
        value = -of.told
        kind = of.kind if fits(int(value), of.kind) or of.kind.family == "real" else None
        kind = kind or _first_that_holds(int(value), "DINT", "LINT")
        if kind is None:
            raise _fault(at, f"{value} is less than any type holds.")
        return Typed("const", kind, (), value, at.line)

    def _binary(self, one: s.Binary, wanted: DataType | None) -> Typed:
        compares = one.operator in _COMPARED
        hint = None if compares else wanted
        left, right = self._expression(one.left, hint), self._expression(one.right, hint)
        if left.op == "const" and right.op != "const":
            left = self._expression(one.left, right.kind)
        elif right.op == "const":
            right = self._expression(one.right, left.kind)
        kind = self._joint(left, right)
        op = _OPERATIONS[one.operator]
        if kind is None or not _allowed(op, kind):
            raise _fault(one.at, f"{left.kind.name} {one.operator} {right.kind.name} cannot be computed.")
        if op == "pow" and kind.family != "real":
            kind = LREAL
            left, right = (Typed("convert", LREAL, (value,), None, value.line) for value in (left, right))
        else:
            left, right = self._as(left, kind, one.left.at), self._as(right, kind, one.right.at)
        return Typed(op, BOOL if compares else kind, (left, right), None, one.at.line)

    def _joint(self, left: Typed, right: Typed) -> DataType | None:
        for one, other in ((left, right), (right, left)):
            if one.op == "const" and _may_be(one, other.kind):
                return other.kind
        return common(left.kind, right.kind)

    def _call(self, one: s.Call, wanted: DataType | None) -> Typed:
        name = one.name.upper()
        if any(given.name or given.into for given in one.arguments):
            raise _fault(one.at, f"{name} takes its arguments by their place, without names.")
        given = [argument.value for argument in one.arguments if argument.value is not None]
        source, mark, target = name.partition("_TO_")
        if mark and source in KINDS and target in KINDS:
            self._count(one, name, given, 1)
            return self._converted(given[0], KINDS[source], KINDS[target])
        function = _FUNCTIONS.get(name)
        if function is None:
            raise _fault(one.at, f"There is no function {one.name}.")
        self._count(one, name, given, function)
        return self._function(one, name, given, wanted)

    def _count(self, one: s.Call, name: str, given: list[s.Expression], wanted: int) -> None:
        if len(given) != wanted:
            raise _fault(one.at, f"{name} takes {wanted} argument{'s' if wanted > 1 else ''}, not {len(given)}.")

    def _converted(self, of: s.Expression, source: DataType, target: DataType) -> Typed:
        if TIME in (source, target):
            raise _fault(of.at, "Durations are not converted here.")
        value = self.expression(of, source)
        return value if source is target else Typed("convert", target, (value,), "asked", of.at.line)

    def _function(self, one: s.Call, name: str, given: list[s.Expression], wanted: DataType | None) -> Typed:
        line = one.at.line
        if name in ("SHL", "SHR", "ROL", "ROR"):
            of, by = self._expression(given[0], wanted), self._expression(given[1], None)
            if of.kind.family != "bits" or by.kind.family not in ("signed", "unsigned"):
                raise _fault(one.at, f"{name} shifts a string of bits by a whole number of places.")
            return Typed(name.lower(), of.kind, (of, by), None, line)
        if name == "SEL":
            choice = self.expression(given[0], BOOL)
            low, high = self._alike(one, given[1:], wanted)
            return Typed("sel", low.kind, (choice, low, high), None, line)
        if name in ("SQRT", "TRUNC"):
            value = self._expression(given[0], wanted if wanted is not None and wanted.family == "real" else LREAL)
            if not is_number(value.kind):
                raise _fault(given[0].at, f"{name} is of a number, not of {value.kind.name}.")
            value = value if value.kind.family == "real" else Typed("convert", LREAL, (value,), "asked", line)
            if name == "SQRT":
                return Typed("sqrt", value.kind, (value,), None, line)
            # By the standard a whole number; where a real is wanted the same without its type.
            whole = wanted if wanted is not None and is_number(wanted) else DINT
            return Typed("trunc", whole, (value,), None, line)
        values = self._alike(one, given, wanted)
        kind = values[0].kind
        if kind is not TIME and not is_number(kind):
            raise _fault(one.at, f"{name} is of numbers, not of {kind.name}.")
        return Typed(name.lower(), kind, tuple(values), None, line)

    def _alike(self, one: s.Call, given: list[s.Expression], wanted: DataType | None) -> list[Typed]:
        """Values of one type: that of those that have one of their own."""
        values = [self._expression(each, wanted) for each in given]
        own = [value for value in values if value.op != "const"] or values
        kind: DataType | None = own[0].kind
        for value in own[1:]:
            kind = common(kind, value.kind) if kind else None
        if kind is None:
            names = ", ".join(value.kind.name for value in values)
            raise _fault(one.at, f"{names} have no type in common.")
        return [self.expression(each, kind) for each in given]


_FUNCTIONS = {"ABS": 1, "MIN": 2, "MAX": 2, "LIMIT": 3, "SEL": 3, "SHL": 2, "SHR": 2, "ROL": 2, "ROR": 2, "SQRT": 1,
              "TRUNC": 1}  # fmt: skip
_OPERATIONS = {"+": "add", "-": "sub", "*": "mul", "/": "div", "MOD": "mod", "**": "pow", "AND": "and", "OR": "or",
               "XOR": "xor", "=": "eq", "<>": "ne", "<": "lt", "<=": "le", ">": "gt", ">=": "ge"}  # fmt: skip
_COMPARED = frozenset({"=", "<>", "<", "<=", ">", ">="})


def _allowed(op: str, kind: DataType) -> bool:
    if op in ("and", "or", "xor"):
        return is_bits(kind)
    if op in ("eq", "ne"):
        return True
    if op in ("lt", "le", "gt", "ge"):
        return kind is not BOOL
    if op == "mod":
        return is_number(kind) and kind.family != "real"
    if op in ("add", "sub"):
        return kind is TIME or is_number(kind)
    return is_number(kind)


def _may_be(value: Typed, wanted: DataType) -> bool:
    """Whether a number that stands there itself can be one of another type."""
    told = value.told
    if isinstance(told, bool) or value.kind is TIME or wanted is TIME:
        return False
    if isinstance(told, float):
        return wanted.family == "real"
    return told in (0, 1) if wanted is BOOL else fits(told, wanted)


def _first_that_holds(value: int, *names: str) -> DataType | None:
    return next((KINDS[name] for name in names if fits(value, KINDS[name])), None)


def _spelled(place: s.Place) -> str:
    match place:
        case s.Name():
            return place.name
        case s.Member():
            return f"{_spelled(place.of)}.{place.name}"
        case _:
            return f"{_spelled(place.of)}[…]"


def _fault(at: s.At, text: str) -> s.Unsound:
    return s.Unsound(s.Fault(at, text))
