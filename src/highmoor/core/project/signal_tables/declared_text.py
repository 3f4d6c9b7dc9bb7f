"""Declarations of a program read: its structures, and its global variables with addresses and initial values.

Source: IEC 61131-3:2013, 6.4.4 (declared types), 6.5.2 and 6.5.5 (variables, addresses), 6.3 (literals).
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cache
from typing import Any, TypeAlias

from lark import Lark, Token, Tree, UnexpectedInput

from highmoor.core.catalogue.reading.description import Unreadable

_GRAMMAR = r"""
start: (types | variables)*
types: "TYPE"i declared_type* "END_TYPE"i
declared_type: NAME ":" "STRUCT"i member* "END_STRUCT"i ";"? -> structure
             | NAME ":" type [":=" initial] ";" -> alias
member: names ":" type [":=" initial] ";"
variables: ("VAR_GLOBAL"i | "VAR"i) QUALIFIER* variable* "END_VAR"i
variable: names ["AT"i ADDRESS] ":" type [":=" initial] ";" PRAGMA?
names: NAME ("," NAME)*
type: "ARRAY"i "[" range ("," range)* "]" "OF"i type -> array
    | NAME ["[" WHOLE "]"] -> named
range: WHOLE ".." WHOLE
initial: LITERAL | WHOLE
       | LITERAL "(" initial ")" -> repeated
       | WHOLE "(" initial ")" -> repeated
       | "(" NAME ":=" initial ("," NAME ":=" initial)* ")" -> members
       | "[" initial ("," initial)* "]" -> elements
QUALIFIER.3: /(RETAIN|NON_RETAIN|CONSTANT|PERSISTENT)\b/i
ADDRESS: /%[IQM][XBWDL]?[0-9.]+/i
PRAGMA: /\{[^}]*\}/
WHOLE: /[0-9]+(?![0-9_]*[.#eE][0-9_])/
LITERAL.2: /TRUE\b|FALSE\b/i | /[-+]?[0-9][0-9_]*(\.[0-9_]+)?([eE][-+]?[0-9]+)?(?!\.\.)/
         | /-?[0-9]{1,2}#[0-9A-Fa-f_]+/ | /[A-Za-z_]+#[^;,()\[\]\s]+/ | /'[^']*'/ | /"[^"]*"/
NAME: /[A-Za-z_][A-Za-z0-9_]*/
COMMENT: /\(\*(.|\n)*?\*\)/ | /\/\/[^\n]*/ | /\/\*(.|\n)*?\*\//
%import common.WS
%ignore WS
%ignore COMMENT
%ignore PRAGMA_ALONE
PRAGMA_ALONE.-1: /\{[^}]*\}/
"""
DECLARATIONS_AT_MOST = 10_000
# What the library gives is as the grammar says; its own types know nothing of that.
_Tree: TypeAlias = Any
_OF = re.compile(r"\{\s*(count|copy|value) of ([\w.\[\]]+)\s*\}")
_COMMENT = re.compile(r"\(\*(.*?)\*\)|//([^\n]*)", re.DOTALL)


@dataclass(frozen=True, slots=True)
class DeclaredVariable:
    """A variable: its type as a text, its address, what its elements begin with by name, its comment.

    A `role` says that it only has the place of another, the one it is `of` (`declarations.py`). `owner` is the comment
    that stood alone before its block: the name of a controller, as it goes out of here.
    """

    line: int
    name: str
    type: str
    address: str
    initial: tuple[tuple[str, str], ...]
    note: str
    role: str
    of: str
    owner: str = ""


@dataclass(frozen=True, slots=True)
class DeclaredStructure:
    """A structure: its members' names and types."""

    line: int
    name: str
    members: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class DeclaredText:
    """What a text declares."""

    structures: tuple[DeclaredStructure, ...]
    variables: tuple[DeclaredVariable, ...]


@cache
def _parser() -> Lark:
    return Lark(_GRAMMAR, parser="lalr", propagate_positions=True, maybe_placeholders=True)


def is_declarations(text: str) -> bool:
    """Whether a text is a program's declarations, and no table."""
    return re.search(r"^\s*(VAR_GLOBAL|VAR|TYPE)\b", text, re.IGNORECASE | re.MULTILINE) is not None and (
        re.search(r"\bEND_(VAR|TYPE)\b", text, re.IGNORECASE) is not None
    )


def read_declarations(text: str) -> DeclaredText:
    """What a text declares. Raises Unreadable with the line where it cannot be understood."""
    try:
        tree = _parser().parse(text)
    except UnexpectedInput as error:
        line = error.line if isinstance(error.line, int) and error.line > 0 else text.count("\n") + 1
        raise Unreadable(f"{_unexpected(error, text)} is not understood there.", line) from None
    comments = _comments(text)
    structures: list[DeclaredStructure] = []
    variables: list[DeclaredVariable] = []
    owner, ended = "", 0
    for block in tree.children:
        assert isinstance(block, Tree)
        before = [comments[n] for n in range(ended + 1, block.meta.line) if n in comments]
        owner, ended = (before or [owner])[-1], block.meta.end_line
        if block.data == "types":
            structures += [_structure(one) for one in _trees(block) if one.data == "structure"]
        else:
            for one in _trees(block):
                variables += (replace(variable, owner=owner) for variable in _variables(one, comments))
                if len(variables) > DECLARATIONS_AT_MOST:
                    raise Unreadable(f"More than {DECLARATIONS_AT_MOST} variables are no program of one plant.")
    return DeclaredText(tuple(structures), tuple(variables))


def _unexpected(error: UnexpectedInput, text: str) -> str:
    token = getattr(error, "token", None)
    if token is not None:
        return "The end" if token.type == "$END" else f"“{str(token)[:40]}”"
    at = error.pos_in_stream or 0
    return f"“{text[at : at + 1]}”"


def _trees(tree: _Tree) -> Iterator[_Tree]:
    return (child for child in tree.children if isinstance(child, Tree))


def _comments(text: str) -> dict[int, str]:
    """Comments by the line in which they begin."""
    found: dict[int, str] = {}
    line = at = 0
    for one in _COMMENT.finditer(text):
        line += text.count("\n", at, one.start())
        at = one.start()
        found.setdefault(line + 1, " ".join((one[1] or one[2] or "").split()))
    return found


def _structure(tree: _Tree) -> DeclaredStructure:
    name, *members = tree.children
    told: list[tuple[str, str]] = []
    for member in members:
        names, kind, _ = member.children
        told += [(str(one), _type(kind)) for one in names.children]
    return DeclaredStructure(name.line, str(name), tuple(told))


def _variables(tree: _Tree, comments: dict[int, str]) -> Iterator[DeclaredVariable]:
    names, address, kind, initial, pragma = (*tree.children, None)[:5]
    of = _OF.fullmatch(str(pragma)) if isinstance(pragma, Token) else None
    text = _type(kind)
    for name in names.children:
        begins = tuple(_initials(str(name), text, initial.children[0] if _is_plain(initial) else initial))
        yield DeclaredVariable(
            name.line, str(name), text, str(address or "").upper(), begins, comments.get(name.line, ""),
            of[1] if of else "", of[2] if of else "",
        )  # fmt: skip


def _is_plain(initial: Any) -> bool:
    return isinstance(initial, Tree) and initial.data == "initial"


def _type(tree: _Tree) -> str:
    if tree.data == "named":
        name, length = tree.children
        return f"{name}[{length}]" if length else str(name)
    *ranges, of = tree.children
    before = "".join(f"ARRAY[{int(one.children[0])}..{int(one.children[1])}] OF " for one in ranges)
    return before + _type(of)


_ARRAY = re.compile(r"ARRAY\[(\d+)\.\.(\d+)\] OF (.*)")


def _initials(name: str, kind: str, initial: Any) -> Iterator[tuple[str, str]]:
    """What each element begins with, by its whole name."""
    if initial is None:
        return
    if isinstance(initial, Token):
        yield name, _literal(str(initial))
        return
    if initial.data == "initial":
        yield from _initials(name, kind, initial.children[0])
    elif initial.data == "members":
        pairs = zip(initial.children[::2], initial.children[1::2], strict=True)
        for member, value in pairs:
            yield from _initials(f"{name}.{member}", "", value)
    elif initial.data == "elements":
        array = _ARRAY.fullmatch(kind)
        n = int(array[1]) if array else 0
        for value in initial.children:
            for one in _each(value):
                yield from _initials(f"{name}[{n}]", array[3] if array else "", one)
                n += 1


def _each(value: Any) -> Iterator[Any]:
    """An element's value, so often as it is said: `3(0)`."""
    if isinstance(value, Tree) and value.data == "repeated":
        count, inner = value.children
        for _ in range(min(int(str(count)), DECLARATIONS_AT_MOST)):
            yield inner
    else:
        yield value


def _literal(text: str) -> str:
    """Without the type before it: INT#5 is 5, BOOL#1 is 1; 16#1F stays."""
    before, mark, behind = text.partition("#")
    return behind if mark and not before.lstrip("-").isdigit() else text.replace("_", "")
