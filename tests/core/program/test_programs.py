"""Programs against tables worked by hand, and random expressions against exact arithmetic."""

from __future__ import annotations

import math
import struct
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.program.compiling import CompiledProgram, Stopped, program_of
from highmoor.core.program.kinds import KINDS
from highmoor.core.program.steps import Scope
from highmoor.core.program.syntax import At, Unsound

S = 1_000_000_000
SIGNALS = {
    "a": ("INT", 0), "b": ("INT", 0), "d": ("DINT", 0), "u": ("UINT", 0), "r": ("REAL", 0.0), "l": ("LREAL", 0.0),
    "x": ("BOOL", False), "y": ("BOOL", False), "w": ("WORD", 0), "dw": ("DWORD", 0), "t": ("TIME", 0),
    "Fan1.Speed": ("INT", 7), "Bins[1]": ("INT", 10), "Bins[2]": ("INT", 20), "Bins[3]": ("INT", 30),
}  # fmt: skip


def made(text: str, **values: Any) -> CompiledProgram:
    scope = Scope.of(
        (name, KINDS[kind], name != "given", values.get(name, begins))
        for name, (kind, begins) in {**SIGNALS, "given": ("INT", 3)}.items()
    )
    return program_of(text, scope)


def value(program: CompiledProgram, name: str) -> Any:
    return program.memory[program.slots[name.lower()]]


def after(text: str, name: str, runs: int = 1, **values: Any) -> Any:
    program = made(text, **values)
    for n in range(runs):
        program.run(n * S)
    return value(program, name)


@pytest.mark.parametrize(
    ("text", "name", "expected"),
    [
        ("a := 7 / 2;", "a", 3),
        ("a := -7 / 2;", "a", -3),
        ("b := -7; a := b / 2;", "a", -3),
        ("b := -7; a := b MOD 2;", "a", -1),
        ("b := 0; a := 5 MOD b;", "a", 0),
        ("a := 32767; a := a + 1;", "a", -32768),
        ("a := -32768; a := -a;", "a", -32768),
        ("u := 0; u := u - 1;", "u", 65535),
        ("d := 1000 * 1000;", "d", 1_000_000),
        ("a := 1000; b := 1000; d := a * b;", "d", 16960),
        ("a := REAL_TO_INT(2.5);", "a", 2),
        ("a := REAL_TO_INT(3.5);", "a", 4),
        ("a := REAL_TO_INT(-2.5);", "a", -2),
        ("r := 0.1; l := r;", "l", struct.unpack("f", struct.pack("f", 0.1))[0]),
        ("r := 16777216.0; r := r + 1.0;", "r", 16777216.0),
        ("l := 2.0 ** 0.5;", "l", math.sqrt(2)),
        ("l := (-2.0) ** 2.0;", "l", 4.0),
        ("x := 3 > 2 AND NOT (2 > 3);", "x", True),
        ("x := TRUE XOR TRUE;", "x", False),
        ("x := TRUE OR FALSE & FALSE;", "x", True),
        ("w := 16#00FF AND NOT 16#000F;", "w", 0xF0),
        ("w := SHL(16#8001, 1);", "w", 2),
        ("w := 16#8001; w := ROL(w, 1);", "w", 3),
        ("w := 16#8001; w := ROR(w, 1);", "w", 0xC000),
        ("w := 16#8001; w := SHR(w, 17);", "w", 0),
        ("w := 16#FFFF; a := WORD_TO_INT(w);", "a", -1),
        ("a := -2; w := INT_TO_WORD(a);", "w", 0xFFFE),
        ("dw := 16#3F800000; r := DWORD_TO_REAL(dw);", "r", 1.0),
        ("a := LIMIT(0, 150, 100);", "a", 100),
        ("a := SEL(TRUE, 1, 2);", "a", 2),
        ("a := MIN(3, MAX(-5, 2));", "a", 2),
        ("a := ABS(-5);", "a", 5),
        ("l := TRUNC(-2.7);", "l", -2.0),
        ("t := T#1m30s + T#250ms;", "t", 90_250_000_000),
        ("IF a > 0 THEN b := 1; ELSIF a = 0 THEN b := 2; ELSE b := 3; END_IF;", "b", 2),
        ("a := 12; CASE a OF 1, 2: b := 1; 10..20: b := 2; ELSE b := 3; END_CASE;", "b", 2),
        ("CASE a OF 1: b := 1; ELSE b := 3; END_CASE;", "b", 3),
        ("FOR a := 1 TO 5 DO b := b + a; END_FOR;", "b", 15),
        ("FOR a := 5 TO 1 BY -2 DO b := b * 10 + a; END_FOR;", "b", 531),
        ("FOR a := 1 TO 5 DO IF a = 3 THEN EXIT; END_IF; b := a; END_FOR;", "b", 2),
        ("FOR a := 3 TO 2 DO b := 9; END_FOR;", "b", 0),
        ("a := 1; RETURN; a := 2;", "a", 1),
        ("a := Fan1.Speed * 2;", "a", 14),
        ("b := 2; a := Bins[b] + Bins[b + 1];", "a", 50),
        ("b := 3; Bins[b - 2] := 5; a := BINS[1];", "a", 5),
        ("VAR n : INT := 4; m, k : DINT; END_VAR m := n; k := m * 2; d := k;", "d", 8),
        ("VAR z : ARRAY[0..2] OF INT; END_VAR FOR a := 0 TO 2 DO z[a] := a * a; END_FOR; b := z[2];", "b", 4),
        ("(* one *) a := 1; // two\n /* three */ b := 2;", "b", 2),
        ("A := 3; b := a;", "B", 3),
        ("a := INT#16#1F;", "a", 31),
    ],
)  # fmt: skip
def test_what_a_text_comes_to(text: str, name: str, expected: Any) -> None:
    got = after(text, name)
    assert (got, type(got)) == (expected, type(expected))


@pytest.mark.parametrize(
    ("text", "line", "column", "says"),
    [
        ("a := 1\nb := 2;", 1, 7, "A semicolon is missing"),
        ("a := (1 + 2;", 1, 12, "closing bracket"),
        ("a := -b ** 2;", 1, 6, "sign before a power"),
        ("a := ", 1, 5, "missing at the end"),
        ("IF x THEN\n a := 1;", 2, 9, "missing at the end"),
        ("END_IF;", 1, 1, "not understood"),
        ("a := c;", 1, 6, "c is not known"),
        ("a := 1;\n  a := r;", 2, 8, "REAL_TO_INT"),
        ("a := 40000;", 1, 6, "DINT_TO_INT"),
        ("x := a;", 1, 6, "BOOL is needed"),
        ("a := d + 1;", 1, 8, "DINT_TO_INT"),
        ("x := a AND b;", 1, 8, "cannot be computed"),
        ("a := u + a;", 1, 8, "DINT_TO_INT"),
        ("given := 1;", 1, 1, "comes from outside"),
        ("q(IN := TRUE);", 1, 1, "is not known"),
        ("VAR q : TON; END_VAR q(XX := TRUE);", 1, 24, "TON has no XX"),
        ("VAR q : TON; END_VAR a := q;", 1, 27, "function block"),
        ("a := FOO(1);", 1, 6, "no function FOO"),
        ("a := ABS(1, 2);", 1, 6, "takes 1 argument,"),
        ("EXIT;", 1, 1, "EXIT leaves a loop"),
        ("FOR a := 1 TO 2 BY 0 DO END_FOR;", 1, 20, "steps of 0"),
        ("FOR r := 1 TO 2 DO END_FOR;", 1, 5, "counts in whole numbers"),
        ("CASE a OF 1: ; 1: ; END_CASE;", 1, 16, "stands there already"),
        ("a := Nope[b];", 1, 6, "no array Nope"),
        ("VAR a : INT; END_VAR", 1, 5, "is there already"),
        ("VAR z : STRING; END_VAR", 1, 9, "neither elementary"),
        ("VAR z : ARRAY[1..2] OF TON; END_VAR", 1, 24, "one by one"),
        ("t := T#1s2m;", 1, 6, "no duration"),
        ("WHILE x DO a := 1; END_WHILE;", 1, 1, "not understood"),
    ],
)  # fmt: skip
def test_what_is_no_program_is_told_with_its_place(text: str, line: int, column: int, says: str) -> None:
    with pytest.raises(Unsound) as told:
        made(text)
    assert (told.value.faults[0].at, says in told.value.faults[0].text) == (At(line, column), True), told.value.faults


def test_all_faults_are_told_at_once() -> None:
    with pytest.raises(Unsound) as told:
        made("a := c;\nIF q THEN\n  b := x;\nEND_IF;")
    assert [fault.at.line for fault in told.value.faults] == [1, 2, 3]


@pytest.mark.parametrize(
    ("text", "line", "says"),
    [
        ("a := 1;\nd := 5 / a;\na := 0;\nd := 5 / a;", 4, "division by zero"),
        ("b := 4;\na := Bins[b];", 2, "index 4"),
        ("FOR d := 1 TO 2000000000 DO\n a := a + 1;\nEND_FOR;", 1, "loop steps in one run"),
        ("a := 0;\nFOR b := 1 TO 2 BY a DO ; END_FOR;", 2, "loop steps in one run"),
    ],
)
def test_what_cannot_go_on_stops_with_its_line(text: str, line: int, says: str) -> None:
    with pytest.raises(Stopped, match=says) as told:
        made(text).run(0)
    assert told.value.line == line


def test_what_leaves_its_type_is_marked() -> None:
    program = made("a := a + 1;\nr := 1.0 / r;")
    program.run(0)
    assert program.marked == {2: 1}
    assert value(program, "r") == math.inf
    program.memory[program.slots["a"]] = 32767
    program.run(0)
    assert program.marked == {1: 1, 2: 1}


# ── random expressions against exact arithmetic

_WHOLE = [name for name, kind in DATA_TYPES.items() if kind.family in ("signed", "unsigned")]


@st.composite
def sums(draw: Any, kind: str, depth: int = 3) -> tuple[str, int]:
    """A text of whole numbers of one type, and what it comes to when each step is held to that type."""
    low, high = DATA_TYPES[kind].low, DATA_TYPES[kind].high
    assert low is not None
    assert high is not None
    if not depth or draw(st.booleans()):
        number = draw(st.one_of(st.integers(low, high), st.integers(max(low, -9), 9)))
        return f"{kind}#{number}" if number >= 0 else f"v{-number}", number
    operator = draw(st.sampled_from(["+", "-", "*", "/", "MOD"]))
    (one, a), (other, b) = draw(sums(kind, depth - 1)), draw(sums(kind, depth - 1))
    exact = {
        "+": lambda: a + b,
        "-": lambda: a - b,
        "*": lambda: a * b,
        "/": lambda: int(Fraction(a, b)) if b else 0,
        "MOD": lambda: a - b * int(Fraction(a, b)) if b else 0,
    }[operator]()
    if operator == "/" and b == 0:
        return one, a
    return f"({one} {operator} {other})", (exact - low) % (high - low + 1) + low


@given(st.sampled_from(_WHOLE).flatmap(lambda kind: st.tuples(st.just(kind), sums(kind))))
def test_whole_numbers_come_to_what_they_should(case: tuple[str, tuple[str, int]]) -> None:
    kind, (text, expected) = case
    names = sorted({word for word in text.replace("(", " ").replace(")", " ").split() if word.startswith("v")})
    given_ = [(name, DATA_TYPES[kind], False, -int(name[1:])) for name in names]
    scope = Scope.of([*given_, ("result", DATA_TYPES[kind], True, 0)])
    program = program_of(f"result := {text};", scope)
    program.run(0)
    assert program.memory[-1] == expected


@given(st.lists(st.tuples(st.sampled_from("+-*"), st.floats(-1e6, 1e6, width=32)), min_size=1, max_size=6))
def test_a_real_is_rounded_after_every_operation(steps: list[tuple[str, float]]) -> None:
    expected = 1.0
    for operator, number in steps:
        exact = {"+": expected + number, "-": expected - number, "*": expected * number}[operator]
        expected = struct.unpack("f", struct.pack("f", exact))[0] if abs(exact) < 3e38 else math.inf
        if not math.isfinite(expected):
            return
    text = "r := 1.0; " + " ".join(f"r := r {operator} c{n};" for n, (operator, _) in enumerate(steps))
    scope = Scope.of([("r", KINDS["REAL"], True, 0.0), *(
        (f"c{n}", KINDS["REAL"], False, number) for n, (_, number) in enumerate(steps))])  # fmt: skip
    program = program_of(text, scope)
    program.run(0)
    assert program.memory[0] == expected


# ── nothing of the text reaches the function


@given(st.from_regex(r"[A-Za-z_][A-Za-z0-9_]{0,20}", fullmatch=True), st.text(max_size=60))
def test_no_word_of_the_text_stands_in_the_source(name: str, note: str) -> None:
    hostile = f"Q_{name}_import_os"
    text = f"VAR {hostile} : INT; END_VAR (* {note.replace('*)', '')} *) {hostile} := {hostile} + 1;"
    try:
        program = program_of(text, Scope())
    except Unsound:
        return
    assert hostile.lower() not in program.source.lower()
    assert set(program.source.replace("run(m, now)", "")) <= set(
        "abcdefghijklmnopqrstuvwxyz0123456789[]()<>=!:+-*_ ,.&|\n"
    )


@pytest.mark.parametrize(
    "text",
    [
        "a := " + "(" * 5000 + "1" + ")" * 5000 + ";",
        "a := 1" + " + 1" * 20000 + ";",
        "IF x THEN " * 300 + "a := 1;" + " END_IF;" * 300,
        "a := " + "-" * 20000 + "1;",
        "x" * 1_000_001,
        "a := 1; " * 3 + "\0",
        "a := __import__('os').system('x');",
    ],
)
def test_hostile_texts_are_refused(text: str) -> None:
    with pytest.raises(Unsound):
        made(text)
