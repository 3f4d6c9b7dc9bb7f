"""Structured Text as it is written, with the place of everything. Source: IEC 61131-3:2013, 7.3, annex A."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any, NamedTuple, TypeAlias

import lark_cython
from lark import Lark, UnexpectedInput

_GRAMMAR = r"""
start: block* statement*
block: VAR variable* END_VAR
variable: NAME ("," NAME)* ":" type [":=" expression] ";"
?type: "ARRAY"i "[" expression ".." expression "]" "OF"i type -> array
     | NAME -> named
?statement: place ":=" expression ";" -> assign
     | NAME "(" [argument ("," argument)*] ")" ";" -> invoke
     | IF expression "THEN"i body (ELSIF expression "THEN"i body)* ["ELSE"i body] "END_IF"i ";" -> if_
     | CASE expression "OF"i case+ ["ELSE"i body] "END_CASE"i ";" -> case_
     | FOR NAME ":=" expression "TO"i expression ["BY"i expression] "DO"i body "END_FOR"i ";" -> for_
     | EXIT ";" -> exit_
     | RETURN ";" -> return_
     | ";" -> nothing
body: statement*
case: label ("," label)* ":" body
label: expression [".." expression]
argument: NAME ":=" expression -> given
        | NAME _INTO place -> taken
        | expression -> plain
?expression: operand | operand (BINARY operand)+ -> chain
?operand: SIGN operand -> unary
        | NOT operand -> unary
        | atom
?atom: LITERAL -> literal
     | place
     | NAME "(" [argument ("," argument)*] ")" -> call
     | "(" expression ")" -> group
?place: NAME -> name
     | place "." NAME -> member
     | place "[" expression "]" -> element
VAR.3: /VAR\b/i
END_VAR.3: /END_VAR\b/i
IF.3: /IF\b/i
ELSIF.3: /ELSIF\b/i
CASE.3: /CASE\b/i
FOR.3: /FOR\b/i
EXIT.3: /EXIT\b/i
RETURN.3: /RETURN\b/i
NOT.3: /NOT\b/i
_INTO.4: "=>"
_ASSIGN: ":="
SIGN: "+" | "-"
BINARY.3: /OR\b|XOR\b|AND\b|MOD\b|&|<>|<=|>=|<|>|=(?!>)|\+|-|\*\*|\*|\/(?![\/*])/i
LITERAL.2: /TRUE\b|FALSE\b/i
         | /(LTIME|TIME|LT|T)#-?[0-9][0-9A-Za-z_.]*/i
         | /([A-Za-z]+#)?[0-9]{1,2}#[0-9A-Fa-f_]+/
         | /([A-Za-z]+#)?[0-9][0-9_]*\.[0-9][0-9_]*([eE][-+]?[0-9]+)?/
         | /([A-Za-z]+#)?[0-9][0-9_]*/
NAME: /(?!(KEYWORDS)\b)[A-Za-z_][A-Za-z0-9_]*/i
COMMENT: /\(\*(.|\n)*?\*\)/ | /\/\/[^\n]*/ | /\/\*(.|\n)*?\*\//
%import common.WS
%ignore WS
%ignore COMMENT
"""
# IEC 61131-3:2013, table C.2, as far as they stand in a text that is read here.
KEYWORDS = (
    "IF THEN ELSIF ELSE END_IF CASE OF END_CASE FOR TO BY DO END_FOR WHILE END_WHILE REPEAT UNTIL END_REPEAT VAR "
    "END_VAR EXIT RETURN AND OR XOR NOT MOD ARRAY TRUE FALSE"
).split()
LETTERS_AT_MOST = 400_000
"""A text that is longer is not read: what reads it would keep others waiting."""
# What the library gives is as the grammar says; its own types know nothing of that.
_Tree: TypeAlias = Any


class At(NamedTuple):
    """Where something is written, line and column from 1."""

    line: int
    column: int


@dataclass(frozen=True, slots=True)
class Fix:
    """What mends it: so many letters from there on are replaced."""

    at: At
    letters: int
    by: str


@dataclass(frozen=True, slots=True)
class Fault:
    """What is wrong with a text, and where; with what mends it for sure, or the name that nobody knows."""

    at: At
    text: str
    fix: Fix | None = None
    unknown: str = ""


class Unsound(Exception):
    """A text that is no program. `faults` has what is wrong with it, the first first."""

    def __init__(self, *faults: Fault) -> None:
        super().__init__(faults[0].text if faults else "")
        self.faults = faults


@dataclass(frozen=True, slots=True)
class Literal:
    """A number, a truth value or a duration as it is written."""

    at: At
    text: str


@dataclass(frozen=True, slots=True)
class Name:
    """A variable, or a part of one: `Silos[2].Level` is a member of an element."""

    at: At
    name: str


@dataclass(frozen=True, slots=True)
class Member:
    """A member of a structure, or an output of a function block."""

    at: At
    of: Place
    name: str


@dataclass(frozen=True, slots=True)
class Element:
    """An element of an array."""

    at: At
    of: Place
    index: Expression


Place: TypeAlias = Name | Member | Element


@dataclass(frozen=True, slots=True)
class Unary:
    """`operator` is `-`, `+` or `NOT`."""

    at: At
    operator: str
    of: Expression


@dataclass(frozen=True, slots=True)
class Binary:
    """`operator` in capitals, `&` as `AND`."""

    at: At
    operator: str
    left: Expression
    right: Expression


@dataclass(frozen=True, slots=True)
class Argument:
    """`name` is "" for one given by its place; with `into` it is an output."""

    at: At
    name: str
    value: Expression | None
    into: Place | None = None


@dataclass(frozen=True, slots=True)
class Call:
    """A function with its arguments."""

    at: At
    name: str
    arguments: tuple[Argument, ...]


Expression: TypeAlias = "Literal | Name | Member | Element | Unary | Binary | Call"


@dataclass(frozen=True, slots=True)
class Assign:
    """A value put into a place."""

    at: At
    to: Place
    value: Expression


@dataclass(frozen=True, slots=True)
class Invoke:
    """A function block that is run with its inputs."""

    at: At
    name: str
    arguments: tuple[Argument, ...]


@dataclass(frozen=True, slots=True)
class If:
    """Pairs of a condition and what is done; what is done otherwise."""

    at: At
    branches: tuple[tuple[Expression, tuple[Statement, ...]], ...]
    otherwise: tuple[Statement, ...]


@dataclass(frozen=True, slots=True)
class Case:
    """Pairs of labels (single ones, or from one to another) and what is done; what is done otherwise."""

    at: At
    of: Expression
    branches: tuple[tuple[tuple[tuple[Expression, Expression | None], ...], tuple[Statement, ...]], ...]
    otherwise: tuple[Statement, ...]


@dataclass(frozen=True, slots=True)
class For:
    """A counter from one value to another, by steps of 1 unless it is said."""

    at: At
    counter: Name
    first: Expression
    last: Expression
    by: Expression | None
    body: tuple[Statement, ...]


@dataclass(frozen=True, slots=True)
class Leave:
    """`EXIT` from a loop, or `RETURN` from the program."""

    at: At
    whole: bool


Statement: TypeAlias = "Assign | Invoke | If | Case | For | Leave"


@dataclass(frozen=True, slots=True)
class TypeName:
    """The type of a variable by name, or an array of such from one index to another."""

    at: At
    name: str
    bounds: tuple[tuple[Expression, Expression], ...] = ()


@dataclass(frozen=True, slots=True)
class Declared:
    """A variable of the program's own."""

    at: At
    name: str
    type: TypeName
    initial: Expression | None


@dataclass(frozen=True, slots=True)
class Text:
    """A whole text: what it declares, and what it does."""

    variables: tuple[Declared, ...]
    statements: tuple[Statement, ...]


@cache
def _parser() -> Lark:
    grammar = _GRAMMAR.replace("KEYWORDS", "|".join(KEYWORDS))
    # Its compiled parser: the same grammar in a third of the time.
    return Lark(grammar, parser="lalr", maybe_placeholders=True, _plugins=lark_cython.plugins)


def read(text: str) -> Text:
    """What a text says. Raises Unsound with the line and column from which on it cannot be understood."""
    if len(text) > LETTERS_AT_MOST:
        raise Unsound(Fault(At(1, 1), f"The text has {len(text)} letters; at most {LETTERS_AT_MOST} are read."))
    try:
        tree = _parser().parse(text)
    except UnexpectedInput as error:
        raise Unsound(_unexpected(error, text)) from None
    return _text(tree)


def _unexpected(error: UnexpectedInput, text: str) -> Fault:
    line, column = error.line, error.column
    lines = text.split("\n")
    token = getattr(error, "token", None)
    if not isinstance(line, int) or line < 1 or (token is not None and token.type == "$END"):
        # The text ends too early.
        lines = text.rstrip().split("\n")
        end = At(len(lines), len(lines[-1]) + 1)
        return Fault(end, f"Something is missing at the end{_instead(error, text)}.")
    before = next((n for n in range(line - 1, 0, -1) if lines[n - 1].strip()), 0)
    begins = before and not lines[line - 1][: column - 1].strip()
    if begins and "SEMICOLON" in _wanted(error) and lines[before - 1].rstrip()[-1] != ";":
        end = At(before, len(lines[before - 1].rstrip()) + 1)
        return Fault(end, "A semicolon is missing at the end of this line.", Fix(end, 0, ";"))
    rest = lines[line - 1][column - 1 :]
    word = re.match(r"\w+|\S", rest)
    if word and word[0] == "=" and "_ASSIGN" in _wanted(error):
        return Fault(At(line, column), "A value is given by “:=”, “=” compares.", Fix(At(line, column), 1, ":="))
    before_it = "\n".join([*lines[: line - 1], lines[line - 1][: column - 1]])
    instead = _instead(error, before_it)
    return Fault(At(line, column), f"“{word[0][:30] if word else ''}” is not understood here{instead}.")


# How what is missing is called, of what is missing most often.
_MISSING = {"SEMICOLON": "a semicolon", "THEN": "THEN", "DO": "DO", "OF": "OF", "RPAR": "a closing bracket",
            "END_IF": "END_IF", "END_FOR": "END_FOR", "END_CASE": "END_CASE", "END_VAR": "END_VAR"}  # fmt: skip


def _wanted(error: UnexpectedInput) -> set[str]:
    """What could stand there instead, by the names of the grammar."""
    return {str(one) for one in getattr(error, "expected", None) or getattr(error, "allowed", None) or ()}


# What follows the condition or the bounds that each of these begins.
_FOLLOWS = {"IF": "THEN", "ELSIF": "THEN", "FOR": "DO", "CASE": "OF", "ARRAY": "OF"}
_BEGINS = re.compile(r"\b(IF|ELSIF|FOR|CASE|ARRAY|THEN|DO|OF|ELSE)\b|;", re.IGNORECASE)


def _instead(error: UnexpectedInput, before: str) -> str:
    """What may be missing: of what the grammar could go on with, what belongs to how this statement began."""
    last = next((found[0].upper() for found in reversed(list(_BEGINS.finditer(before[-2000:])))), ";")
    other = {*_FOLLOWS.values(), "SEMICOLON"} - {_FOLLOWS.get(last, "SEMICOLON")}
    statement = before[-2000:].rpartition(";")[2]
    if statement.count("(") <= statement.count(")"):
        other.add("RPAR")
    missing = [word for name, word in _MISSING.items() if name in _wanted(error) and name not in other]
    return f"; {' or '.join(missing[:2])} may be missing" if missing else ""


def _text(tree: _Tree) -> Text:
    variables: list[Declared] = []
    statements: list[Statement] = []
    for child in tree.children:
        if child.data == "block":
            for one in child.children:
                if _is_tree(one):
                    variables += _declared(one)
        elif child.data != "nothing":
            statements.append(_statement(child))
    return Text(tuple(variables), tuple(statements))


def _is_tree(node: _Tree) -> bool:
    return hasattr(node, "children")


def _at(node: _Tree) -> At:
    """Where the first of what a node has stands."""
    while _is_tree(node):
        node = next(child for child in node.children if child is not None)
    return At(node.line, node.column)


def _declared(tree: _Tree) -> list[Declared]:
    *names, kind, initial = tree.children
    of, first = _type(kind), None if initial is None else _expression(initial)
    return [Declared(_at(name), str(name), of, first) for name in names]


def _type(tree: _Tree) -> TypeName:
    if tree.data == "named":
        return TypeName(_at(tree), str(tree.children[0]))
    low, high, of = tree.children
    inner = _type(of)
    return TypeName(inner.at, inner.name, ((_expression(low), _expression(high)), *inner.bounds))


def _statement(tree: _Tree) -> Statement:
    return _STATEMENTS[tree.data](tree)


def _body(tree: _Tree) -> tuple[Statement, ...]:
    return tuple(_statement(child) for child in tree.children if child.data != "nothing")


def _assign(tree: _Tree) -> Assign:
    to, value = tree.children
    return Assign(_at(to), _place(to), _expression(value))


def _invoke(tree: _Tree) -> Invoke:
    name, *given = tree.children
    return Invoke(_at(name), str(name), _arguments(given))


def _if(tree: _Tree) -> If:
    parts = [child for child in tree.children[1:] if child is None or _is_tree(child)]
    otherwise = parts.pop()
    branches = tuple(
        (_expression(condition), _body(done)) for condition, done in zip(parts[::2], parts[1::2], strict=True)
    )
    return If(_at(tree), branches, () if otherwise is None else _body(otherwise))


def _case(tree: _Tree) -> Case:
    _, of, *cases, otherwise = tree.children
    branches = tuple((tuple(_label(label) for label in one.children[:-1]), _body(one.children[-1])) for one in cases)
    return Case(_at(tree), _expression(of), branches, () if otherwise is None else _body(otherwise))


def _label(tree: _Tree) -> tuple[Expression, Expression | None]:
    first, last = tree.children
    return _expression(first), None if last is None else _expression(last)


def _for(tree: _Tree) -> For:
    _, counter, first, last, by, body = tree.children
    return For(
        _at(tree), Name(_at(counter), str(counter)), _expression(first), _expression(last),
        None if by is None else _expression(by), _body(body),
    )  # fmt: skip


_STATEMENTS: dict[str, Callable[[_Tree], Statement]] = {
    "assign": _assign,
    "invoke": _invoke,
    "if_": _if,
    "case_": _case,
    "for_": _for,
    "exit_": lambda tree: Leave(_at(tree), whole=False),
    "return_": lambda tree: Leave(_at(tree), whole=True),
}


def _arguments(trees: list[_Tree]) -> tuple[Argument, ...]:
    return tuple(_argument(tree) for tree in trees if tree is not None)


def _argument(tree: _Tree) -> Argument:
    if tree.data == "plain":
        return Argument(_at(tree), "", _expression(tree.children[0]))
    name, other = tree.children
    if tree.data == "given":
        return Argument(_at(name), str(name), _expression(other))
    return Argument(_at(name), str(name), None, _place(other))


def _place(tree: _Tree) -> Place:
    if tree.data == "name":
        return Name(_at(tree), str(tree.children[0]))
    of, what = tree.children
    if tree.data == "member":
        return Member(_at(what), _place(of), str(what))
    return Element(_at(of), _place(of), _expression(what))


def _expression(tree: _Tree) -> Expression:
    return _EXPRESSIONS[tree.data](tree)


# How tightly each binds, the tightest highest (IEC 61131-3:2013, table 71).
_BINDS = {"OR": 1, "XOR": 2, "AND": 3, "=": 4, "<>": 4, "<": 5, "<=": 5, ">": 5, ">=": 5,
          "+": 6, "-": 6, "*": 7, "/": 7, "MOD": 7, "**": 8}  # fmt: skip


def _chain(tree: _Tree) -> Expression:
    """Operands with operators between them, put together by how tightly those bind, from the left."""
    before, *rest = tree.children
    operands: list[Expression] = [_expression(before)]
    waiting: list[tuple[str, At]] = []
    for operator, operand in zip(rest[::2], rest[1::2], strict=True):
        word = "AND" if operator == "&" else str(operator).upper()
        if word == "**" and before.data == "unary":
            # By the standard a sign binds more tightly than a power, in most languages less: nobody has to guess.
            raise Unsound(Fault(_at(before), "A sign before a power: put one of them in brackets."))
        before = operand
        while waiting and _BINDS[waiting[-1][0]] >= _BINDS[word]:
            _join(operands, *waiting.pop())
        waiting.append((word, At(operator.line, operator.column)))
        operands.append(_expression(operand))
    while waiting:
        _join(operands, *waiting.pop())
    return operands[0]


def _join(operands: list[Expression], word: str, at: At) -> None:
    right, left = operands.pop(), operands.pop()
    operands.append(Binary(at, word, left, right))


def _unary(tree: _Tree) -> Unary:
    operator, of = tree.children
    return Unary(_at(tree), str(operator).upper(), _expression(of))


def _call(tree: _Tree) -> Call:
    name, *given = tree.children
    return Call(_at(name), str(name), _arguments(given))


_EXPRESSIONS: dict[str, Callable[[_Tree], Expression]] = {
    "literal": lambda tree: Literal(_at(tree), str(tree.children[0])),
    "name": _place,
    "member": _place,
    "element": _place,
    "chain": _chain,
    "unary": _unary,
    "call": _call,
    "group": lambda tree: _expression(tree.children[0]),
}
