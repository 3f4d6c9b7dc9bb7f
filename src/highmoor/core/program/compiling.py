"""The steps of a program made into a function of Python.

No word of the text stands in it: variables are places in a list, everything else comes from tables of here. Whole
numbers that leave their type wrap and are marked; a REAL is rounded to 32 bits after every operation.
"""

from __future__ import annotations

import math
import struct
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from highmoor.core.datatypes import DataType
from highmoor.core.program.checking import Checked, check
from highmoor.core.program.expressions import Use
from highmoor.core.program.kinds import BOOL, single
from highmoor.core.program.steps import Choose, Leave, Loop, Put, Run, Scope, Step, Typed
from highmoor.core.program.syntax import At, Fault, Unsound, read

STEPS_AT_MOST = 1_000_000
"""Statements that the loops of one run may come to before it is stopped."""


class Stopped(Exception):
    """A run that cannot go on: what happened, and in which line."""

    def __init__(self, line: int, text: str) -> None:
        super().__init__(text)
        self.line, self.text = line, text


@dataclass(slots=True)
class CompiledProgram:
    """A program ready to run. `memory` has the signals in the order of the scope, then its own variables, `slots` where
    each is by its name in small letters, `uses` where the text uses which; `marked` are the lines in which a value left
    its type, with how often."""

    memory: list[Any]
    slots: dict[str, int]
    uses: tuple[Use, ...]
    source: str
    marked: dict[int, int]
    _run: Callable[[list[Any], int], None]

    def run(self, now_ns: int) -> None:
        """Once, at a time. Raises Stopped."""
        self._run(self.memory, now_ns)


def program_of(text: str, scope: Scope) -> CompiledProgram:
    """A text made ready to run, its own variables put into the scope. Raises Unsound with all that is wrong with it."""
    try:
        return compiled(check(read(text), scope))
    except (RecursionError, MemoryError, SyntaxError):
        # Whoever walks such a tree, and Python itself, has an end somewhere.
        raise Unsound(Fault(At(1, 1), "This is nested too deeply, or a single expression is too long.")) from None


def compiled(checked: Checked) -> CompiledProgram:
    """Ready to run from its beginning."""
    marked: dict[int, int] = {}
    blocks = [
        _bound(block.run, [slots[port.name] for port in block.inputs], [slots[port.name] for port in block.outputs])
        for block, slots in checked.scope.block_types
    ]
    writer = _Writer()
    source = writer.source(checked.steps)
    names = _helpers(marked)
    names.update({f"a{n}": table for n, table in enumerate(writer.tables)})
    names.update({f"b{n}": block for n, block in enumerate(blocks)})
    names["__builtins__"] = {}
    # The source is of this module alone: see `_Writer`, which puts numbers into it and nothing else.
    exec(compile(source, "<program>", "exec"), names)
    slots = {name: variable.slot for name, variable in checked.scope.variables.items()}
    return CompiledProgram(list(checked.scope.initial), slots, checked.uses, source, marked, names["run"])


def _bound(run: Any, inputs: list[int], outputs: list[int]) -> Callable[[list[Any], int], None]:
    state: dict[str, Any] = {}

    def step(memory: list[Any], now: int) -> None:
        for slot, value in zip(outputs, run([memory[slot] for slot in inputs], state, now), strict=True):
            memory[slot] = value

    return step


# ── what the source calls


def _helpers(marked: dict[int, int]) -> dict[str, Any]:
    def mark(line: int) -> None:
        marked[line] = marked.get(line, 0) + 1

    def wrap(value: int, low: int, bits: int, line: int) -> int:
        mark(line)
        return (value - low & (1 << bits) - 1) + low

    def divided(a: int, b: int, line: int) -> int:
        if b == 0:
            raise Stopped(line, "A division by zero.")
        quotient = abs(a) // abs(b)
        return quotient if (a < 0) == (b < 0) else -quotient

    def remainder(a: int, b: int) -> int:
        if b == 0:
            return 0
        rest = abs(a) % abs(b)
        return -rest if a < 0 else rest

    def ratio(a: float, b: float, line: int) -> float:
        if b == 0:
            mark(line)
            sign = math.copysign(1, a) * math.copysign(1, b)
            return math.nan if a == 0 or math.isnan(a) else math.copysign(math.inf, sign)
        return a / b

    def power(a: float, b: float, line: int) -> float:
        try:
            return math.pow(a, b)
        except ValueError:
            mark(line)
            return math.nan if a < 0 else math.inf
        except OverflowError:
            mark(line)
            return math.copysign(math.inf, -1 if a < 0 and b % 2 == 1 else 1)

    def root(a: float, line: int) -> float:
        if a < 0:
            mark(line)
            return math.nan
        return math.sqrt(a)

    def nearest(value: float, line: int) -> int:
        if not math.isfinite(value):
            mark(line)
            return 0
        return round(value)

    def cut(value: float, line: int) -> int:
        if not math.isfinite(value):
            mark(line)
            return 0
        return int(value)

    def at(slots: dict[int, int], index: int, line: int) -> int:
        slot = slots.get(index)
        if slot is None:
            raise Stopped(line, f"The index {index} is none of the array's.")
        return slot

    def endless(line: int) -> None:
        raise Stopped(line, f"More than {STEPS_AT_MOST} loop steps in one run: this loop does not end.")

    return {
        "wrap": wrap, "divided": divided, "remainder": remainder, "ratio": ratio, "power": power, "root": root,
        "nearest": nearest, "cut": cut, "at": at, "endless": endless, "single": single, "abs": abs, "min": min,
        "max": max, "float": float, "int": int, "bool": bool, "range": range, "of_bits": _of_bits, "to_bits": _to_bits,
        "inf": math.inf, "nan": math.nan, "trunc": math.trunc,
    }  # fmt: skip


def _of_bits(value: int, bits: int) -> float:
    told: float = struct.unpack(">f" if bits == 32 else ">d", value.to_bytes(bits // 8, "big"))[0]
    return told


def _to_bits(value: float, bits: int) -> int:
    return int.from_bytes(struct.pack(">f" if bits == 32 else ">d", value), "big")


# ── the source


class _Writer:
    """Writes the source. Only numbers of the tree go into it, each by `_number`."""

    def __init__(self) -> None:
        self._lines: list[str] = []
        self._temporaries = 0
        self.tables: list[dict[int, int]] = []
        # Which of them is an array's: its elements are one tuple, however often they are used.
        self._numbers: dict[int, int] = {}

    def source(self, steps: tuple[Step, ...]) -> str:
        """The text of a function `run(m, now)`."""
        self._lines = ["def run(m, now):", "    steps = 0"]
        self._body(steps, 1)
        return "\n".join(self._lines) + "\n"

    def _write(self, depth: int, text: str) -> None:
        self._lines.append("    " * depth + text)

    def _body(self, steps: tuple[Step, ...], depth: int) -> None:
        for step in steps:
            self._step(step, depth)
        if not steps:
            self._write(depth, "pass")

    def _step(self, step: Step, depth: int) -> None:
        match step:
            case Put():
                self._put(step, depth)
            case Run():
                self._write(depth, f"b{step.block}(m, now)")
            case Choose():
                self._choose(step, depth)
            case Loop():
                self._loop(step, depth)
            case Leave():
                self._write(depth, "return" if step.whole else "break")

    def _put(self, step: Put, depth: int) -> None:
        slot = str(step.slot)
        if step.index is not None:
            slot = f"at({self._table(step.slots)}, {self.value(step.index)}, {step.line})"
        self._write(depth, f"m[{slot}] = {self.value(step.value)}")

    def _choose(self, step: Choose, depth: int) -> None:
        word = "if"
        for condition, body in step.branches:
            self._write(depth, f"{word} {self.value(condition)}:")
            self._body(body, depth + 1)
            word = "elif"
        if not step.branches:
            self._body(step.otherwise, depth)
        elif step.otherwise:
            self._write(depth, "else:")
            self._body(step.otherwise, depth + 1)

    def _loop(self, step: Loop, depth: int) -> None:
        """The counter has its value within; behind it is the first that the loop did not take, as far as its type goes.

        The ends are computed once, before it begins.
        """
        n = self._temporaries = self._temporaries + 1
        first, last, by = (f"f{n}", f"l{n}", f"s{n}")
        for name, value in ((last, step.last), (by, step.by), (first, step.first)):
            self._write(depth, f"{name} = {self.value(value)}")
        self._write(depth, f"if {by} == 0: endless({step.line})")
        self._write(depth, f"m[{step.slot}] = {first}")
        self._write(depth, f"while (m[{step.slot}] <= {last} if {by} > 0 else m[{step.slot}] >= {last}):")
        self._write(depth + 1, f"steps += {1 + _count(step.body)}")
        self._write(depth + 1, f"if steps > {STEPS_AT_MOST}: endless({step.line})")
        self._body(step.body, depth + 1)
        over = f"m[{step.slot}] + {by}"
        self._write(depth + 1, f"if not {step.kind.low} <= {over} <= {step.kind.high}: break")
        self._write(depth + 1, f"m[{step.slot}] = {over}")

    # ── values

    def _table(self, slots: tuple[tuple[int, int], ...]) -> str:
        """The name under which the source finds where the elements of an array lie."""
        number = self._numbers.get(id(slots))
        if number is None:
            number = self._numbers[id(slots)] = len(self.tables)
            self.tables.append(dict(slots))
        return f"a{number}"

    def value(self, one: Typed) -> str:
        """The expression that computes it."""
        if one.op == "const":
            return _number(one.told)
        if one.op == "var":
            return f"m[{one.told}]"
        if one.op == "element":
            return f"m[at({self._table(one.told)}, {self.value(one.args[0])}, {one.line})]"
        args = [self.value(arg) for arg in one.args]
        if one.op == "within":
            self._temporaries += 1
            name = f"t{self._temporaries}"
            tests = " or ".join(f"{low} <= {name} <= {high}" for low, high in one.told)
            return f"(({name} := {args[0]}) is None or {tests})"
        if one.op == "convert":
            return self._convert(one, args[0])
        if one.op in _SHIFTS:
            return self._shift(one, args)
        return self._operation(one, args)

    def _operation(self, one: Typed, args: list[str]) -> str:
        kind = one.kind
        if one.op in _COMPARING:
            return f"({args[0]} {_COMPARING[one.op]} {args[1]})"
        if one.op == "not":
            return f"(not {args[0]})" if kind is BOOL else f"({args[0]} ^ {kind.high})"
        if one.op in ("and", "or", "xor"):
            return f"({args[0]} {'&' if one.op == 'and' else '|' if one.op == 'or' else '^'} {args[1]})"
        if one.op in ("min", "max"):
            return f"{one.op}({', '.join(args)})"
        if one.op == "limit":
            return f"min(max({args[1]}, {args[0]}), {args[2]})"
        if one.op == "sel":
            return f"({args[2]} if {args[0]} else {args[1]})"
        if kind.family == "real":
            return self._real(one, args)
        return self._whole(one, args)

    def _real(self, one: Typed, args: list[str]) -> str:
        made = {
            "add": "({0} + {1})", "sub": "({0} - {1})", "mul": "({0} * {1})", "neg": "(-{0})", "abs": "abs({0})",
            "div": f"ratio({{0}}, {{1}}, {one.line})", "pow": f"power({{0}}, {{1}}, {one.line})",
            "sqrt": f"root({{0}}, {one.line})", "trunc": f"float(cut({{0}}, {one.line}))",
        }[one.op].format(*args)  # fmt: skip
        exact = one.op in ("neg", "abs")
        return made if one.kind.bits == 64 or exact else f"single({made})"

    def _whole(self, one: Typed, args: list[str]) -> str:
        if one.op == "mod":
            return f"remainder({args[0]}, {args[1]})"
        made = {
            "add": "{0} + {1}", "sub": "{0} - {1}", "mul": "{0} * {1}", "neg": "-{0}", "abs": "abs({0})",
            "div": f"divided({{0}}, {{1}}, {one.line})", "trunc": f"cut({{0}}, {one.line})",
        }[one.op].format(*args)  # fmt: skip
        return self._held(made, one.kind, one.line)

    def _held(self, made: str, kind: DataType, line: int) -> str:
        """A whole number within its type; what leaves it wraps, and is marked."""
        self._temporaries += 1
        name = f"t{self._temporaries}"
        low, high = kind.low, kind.high
        return f"({name} if {low} <= ({name} := {made}) <= {high} else wrap({name}, {low}, {kind.bits}, {line}))"

    def _shift(self, one: Typed, args: list[str]) -> str:
        of, by = args
        bits, mask = one.kind.bits, one.kind.high
        self._temporaries += 2
        value, places = f"t{self._temporaries - 1}", f"t{self._temporaries}"
        if one.op in ("shl", "shr"):
            within = f"0 <= ({places} := {by}) < {bits}"
            moved = f"{of} << {places} & {mask}" if one.op == "shl" else f"{of} >> {places}"
            return f"(({moved}) if {within} else 0)"
        turn = f"({by}) % {bits}" if one.op == "rol" else f"(-({by})) % {bits}"
        return f"((({value} := {of}) << ({places} := {turn}) | {value} >> {bits} - {places}) & {mask})"

    def _convert(self, one: Typed, of: str) -> str:
        source, target = one.args[0].kind, one.kind
        if target is BOOL:
            return f"({of} != 0)"
        if source is BOOL:
            return f"float({of})" if target.family == "real" else f"int({of})"
        if source.family == "bits" or target.family == "bits":
            return self._bits(of, source, target)
        if target.family == "real":
            if source.family == "real":
                return of if target.bits == 64 else f"single({of})"
            return f"float({of})" if target.bits == 64 else f"single(float({of}))"
        made = f"nearest({of}, {one.line})" if source.family == "real" else of
        return made if _within(source, target) else self._held(made, target, one.line)

    def _bits(self, of: str, source: DataType, target: DataType) -> str:
        """Bit for bit: of more to fewer the upper ones go, of fewer to more zeros come."""
        if source.family == "real":
            made = f"to_bits({of}, {source.bits})"
            return made if target.bits >= source.bits else f"({made} & {target.high})"
        if target.family == "real":
            mask = f"({of} & {(1 << target.bits) - 1})"
            return f"of_bits({mask}, {target.bits})"
        mask = f"({of} & {(1 << min(source.bits, target.bits)) - 1})"
        if target.family == "signed":
            half = 1 << target.bits - 1
            return f"(({mask} ^ {half}) - {half})"
        return mask


def _within(source: DataType, target: DataType) -> bool:
    """Whether every value of one type is one of another."""
    if source.low is None or source.high is None or target.low is None or target.high is None:
        return False
    return target.low <= source.low and source.high <= target.high


def _count(steps: Iterable[Step]) -> int:
    """How many statements there are, at most; of a loop within, those of one round are counted by itself."""
    count = 0
    for step in steps:
        count += 1
        if isinstance(step, Choose):
            count += sum(_count(body) for _, body in step.branches) + _count(step.otherwise)
    return count


_COMPARING = {"eq": "==", "ne": "!=", "lt": "<", "le": "<=", "gt": ">", "ge": ">="}
_SHIFTS = frozenset({"shl", "shr", "rol", "ror"})


def _number(value: Any) -> str:
    """A number as Python writes it: of the text's own letters nothing is left in it."""
    if value is True or value is False:
        return str(value)
    if isinstance(value, int):
        return f"({value})" if value < 0 else str(value)
    value = float(value)
    if math.isfinite(value):
        return f"({value!r})"
    return "nan" if math.isnan(value) else "inf" if value > 0 else "(-inf)"
