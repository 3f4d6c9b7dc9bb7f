"""What an expression means: every name found, every value with its type.

Source: IEC 61131-3:2013, 6.6 (functions), 7.3.2 (expressions).
"""

from __future__ import annotations

from dataclasses import dataclass, field

from highmoor.core.datatypes import DataType
from highmoor.core.errors import Refusal
from highmoor.core.program import syntax as s
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
from highmoor.core.program.steps import Elements, Scope, Typed, Variable


@dataclass(frozen=True, slots=True)
class Use:
    """A place of the text where variables are read or written: which slots, and how it is spelled there."""

    at: s.At
    spelled: str
    slots: tuple[int, ...]
    writes: bool


@dataclass(slots=True)
class Expressions:
    """Checks expressions against a scope, and notes what each reads."""

    scope: Scope
    uses: list[Use] = field(default_factory=list)

    def note(self, place: s.Place, slots: tuple[int, ...], *, writes: bool) -> None:
        """A place that is read or written."""
        self.uses.append(Use(_head(place).at, spelled(place), slots, writes))

    def expression(self, one: s.Expression, wanted: DataType | None) -> Typed:
        """What is computed; of the type that is wanted, where one is. Raises Unsound."""
        made = self._expression(one, wanted)
        return made if wanted is None else self.fitted(made, wanted, one.at)

    def fitted(self, value: Typed, wanted: DataType, at: s.At) -> Typed:
        """The value as another type, where it becomes that by itself."""
        if value.kind is wanted:
            return value
        if value.op == "const" and value.told is not None and _may_be(value, wanted):
            return Typed("const", wanted, (), held(value.told, wanted), value.line)
        if not converts(value.kind, wanted):
            how = f"{value.kind.name}_TO_{wanted.name}(…) makes one of it"
            raise fault(at, f"This is a {value.kind.name}, and a {wanted.name} is needed; {how}.")
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
            raise fault(one.at, refusal.reason) from None
        if kind is None:
            # A number without a type is of whichever is wanted, else of the smallest usual one that holds it.
            free = wanted if wanted is not None and wanted is not TIME else DINT
            if free is BOOL and value in (0, 1):
                return Typed("const", BOOL, (), bool(value), one.at.line)
            kind = free if free is not BOOL and fits(int(value), free) else None
            kind = kind or _first_that_holds(int(value), "DINT", "LINT", "ULINT")
            if kind is None:
                raise fault(one.at, f"{one.text} is greater than any type holds.")
            return Typed("const", kind, (), held(value, kind), one.at.line)
        if kind is LREAL and wanted is not None and wanted.family == "real":
            kind = wanted
        return Typed("const", kind, (), held(value, kind), one.at.line)

    def _variable(self, one: s.Place) -> Typed:
        found = self.place(one)
        if isinstance(found, Variable):
            self.note(one, (found.slot,), writes=False)
            return Typed("var", found.kind, (), found.slot, one.at.line)
        index, elements = found
        self.note(one, elements.slots, writes=False)
        assert elements.kind is not None
        return Typed("element", elements.kind, (index,), elements.table, one.at.line)

    def place(self, one: s.Place) -> Variable | tuple[Typed, Elements]:
        """A variable; or, where an index is computed, that and what it chooses from."""
        before, index, behind = self._path(one)
        if index is None:
            found = self.scope.variables.get(before.lower())
            if found is None:
                if before.lower() in self.scope.blocks:
                    raise fault(one.at, f"{before} is a function block: one of its outputs is a value.")
                raise _unknown(_head(one).at, before)
            return found
        elements = self.scope.elements(before, behind)
        if elements is None:
            raise fault(one.at, f"There is no array {before}{f'[…]{behind}' if behind else ''}.")
        if elements.kind is None:
            raise fault(one.at, f"The elements of {before} are not of one type.")
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
                raise fault(one.index.at, f"An index is a whole number, no {value.kind.name}.")
            if value.op != "const":
                if index is not None:
                    raise fault(one.index.at, "Only one index of a place can be computed.")
                return before, value, ""
            told = f"[{value.told}]"
        return (before + told, None, "") if index is None else (before, index, behind + told)

    def _unary(self, one: s.Unary, wanted: DataType | None) -> Typed:
        of = self._expression(one.of, wanted)
        if one.operator == "NOT":
            if not is_bits(of.kind):
                raise fault(one.at, f"NOT turns a BOOL or a string of bits over, no {of.kind.name}.")
            return Typed("not", of.kind, (of,), None, one.at.line)
        if of.kind is not TIME and not is_number(of.kind):
            raise fault(one.at, f"A {of.kind.name} has no sign.")
        if one.operator == "+":
            return of
        if of.op == "const":
            return self._negative(of, one.at)
        if of.kind.family == "unsigned":
            raise fault(one.at, f"{of.kind.name} knows no numbers below 0.")
        return Typed("neg", of.kind, (of,), None, one.at.line)

    def _negative(self, of: Typed, at: s.At) -> Typed:
        value = -of.told
        kind = of.kind if fits(int(value), of.kind) or of.kind.family == "real" else None
        kind = kind or _first_that_holds(int(value), "DINT", "LINT")
        if kind is None:
            raise fault(at, f"{value} is less than any type holds.")
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
            raise fault(one.at, f"{left.kind.name} {one.operator} {right.kind.name} cannot be computed.")
        if op == "pow" and kind.family != "real":
            kind = LREAL
            left, right = (Typed("convert", LREAL, (value,), None, value.line) for value in (left, right))
        else:
            left, right = self.fitted(left, kind, one.left.at), self.fitted(right, kind, one.right.at)
        return Typed(op, BOOL if compares else kind, (left, right), None, one.at.line)

    def _joint(self, left: Typed, right: Typed) -> DataType | None:
        for one, other in ((left, right), (right, left)):
            if one.op == "const" and _may_be(one, other.kind):
                return other.kind
        return common(left.kind, right.kind)

    def _call(self, one: s.Call, wanted: DataType | None) -> Typed:
        name = one.name.upper()
        if any(given.name or given.into for given in one.arguments):
            raise fault(one.at, f"{name} takes its arguments by their place, without names.")
        given = [argument.value for argument in one.arguments if argument.value is not None]
        source, mark, target = name.partition("_TO_")
        if mark and source in KINDS and target in KINDS:
            self._count(one, name, given, 1)
            return self._converted(given[0], KINDS[source], KINDS[target])
        function = FUNCTIONS.get(name)
        if function is None:
            raise fault(one.at, f"There is no function {one.name}.")
        self._count(one, name, given, function)
        return self._function(one, name, given, wanted)

    def _count(self, one: s.Call, name: str, given: list[s.Expression], wanted: int) -> None:
        if len(given) != wanted:
            raise fault(one.at, f"{name} takes {wanted} argument{'s' if wanted > 1 else ''}, not {len(given)}.")

    def _converted(self, of: s.Expression, source: DataType, target: DataType) -> Typed:
        if TIME in (source, target):
            raise fault(of.at, "Durations are not converted here.")
        value = self.expression(of, source)
        return value if source is target else Typed("convert", target, (value,), "asked", of.at.line)

    def _function(self, one: s.Call, name: str, given: list[s.Expression], wanted: DataType | None) -> Typed:
        line = one.at.line
        if name in ("SHL", "SHR", "ROL", "ROR"):
            of, by = self._expression(given[0], wanted), self._expression(given[1], None)
            if of.kind.family != "bits" or by.kind.family not in ("signed", "unsigned"):
                raise fault(one.at, f"{name} shifts a string of bits by a whole number of places.")
            return Typed(name.lower(), of.kind, (of, by), None, line)
        if name == "SEL":
            choice = self.expression(given[0], BOOL)
            low, high = self._alike(one, given[1:], wanted)
            return Typed("sel", low.kind, (choice, low, high), None, line)
        if name in ("SQRT", "TRUNC"):
            value = self._expression(given[0], wanted if wanted is not None and wanted.family == "real" else LREAL)
            if not is_number(value.kind):
                raise fault(given[0].at, f"{name} is of a number, not of {value.kind.name}.")
            value = value if value.kind.family == "real" else Typed("convert", LREAL, (value,), "asked", line)
            if name == "SQRT":
                return Typed("sqrt", value.kind, (value,), None, line)
            # By the standard a whole number; where a real is wanted the same without its type.
            whole = wanted if wanted is not None and is_number(wanted) else DINT
            return Typed("trunc", whole, (value,), None, line)
        values = self._alike(one, given, wanted)
        kind = values[0].kind
        if kind is not TIME and not is_number(kind):
            raise fault(one.at, f"{name} is of numbers, not of {kind.name}.")
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
            raise fault(one.at, f"{names} have no type in common.")
        return [self.fitted(value, kind, each.at) for value, each in zip(values, given, strict=True)]


FUNCTIONS = {"ABS": 1, "MIN": 2, "MAX": 2, "LIMIT": 3, "SEL": 3, "SHL": 2, "SHR": 2, "ROL": 2, "ROR": 2, "SQRT": 1,
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


def spelled(place: s.Place) -> str:
    """A place as it is written, less what is computed in it."""
    match place:
        case s.Name():
            return place.name
        case s.Member():
            return f"{spelled(place.of)}.{place.name}"
        case _:
            return f"{spelled(place.of)}[…]"


def _head(place: s.Place) -> s.Name:
    while not isinstance(place, s.Name):
        place = place.of
    return place


def _unknown(at: s.At, name: str) -> s.Unsound:
    return s.Unsound(s.Fault(at, f"{name} is not known here.", unknown=name))


def fault(at: s.At, text: str) -> s.Unsound:
    """Something that is wrong there."""
    return s.Unsound(s.Fault(at, text))
