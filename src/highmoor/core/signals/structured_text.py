"""A link's scaling as Structured Text (IEC 61131-3): what `Scaling` computes, in the same order of operations."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise

from highmoor.core.datatypes import DataType
from highmoor.core.signals.scaling import Scaling

_INDENT = "    "


def reading(scaling: Scaling, value: str, raw: str, raw_type: DataType) -> str:
    """Statements that make the value of a count, with the variables they need."""
    return "\n".join([*_declared(scaling, whole=False), *_read(scaling, value, raw, raw_type)]) + "\n"


def writing(scaling: Scaling, value: str, raw: str, raw_type: DataType) -> str:
    """Statements that make the count of a value, rounded half away from zero and held within the count's type."""
    return "\n".join([*_declared(scaling, whole=True), *_written(scaling, value, raw, raw_type)]) + "\n"


def _declared(scaling: Scaling, *, whole: bool) -> Iterator[str]:
    yield "VAR"
    yield f"{_INDENT}x : {scaling.precision};"
    if scaling.kind == "root":
        yield f"{_INDENT}part : {scaling.precision};"
    if whole:
        yield f"{_INDENT}t : LINT;"
    yield "END_VAR"


def _read(scaling: Scaling, value: str, raw: str, raw_type: DataType) -> Iterator[str]:
    lo, hi, raw_lo, raw_hi = (_number(scaling, n) for n in (scaling.lo, scaling.hi, scaling.raw_lo, scaling.raw_hi))
    yield f"x := {_converted(raw, raw_type.name, scaling.precision)};"
    if scaling.kind == "root":
        yield f"part := (x - {raw_lo}) / ({raw_hi} - {raw_lo});"
        yield "IF part > 0.0 THEN"
        yield f"{_INDENT}part := SQRT(part);"
        yield "ELSE"
        yield f"{_INDENT}part := 0.0;"
        yield "END_IF;"
        yield f"IF part < {_number(scaling, scaling.cutoff)} / 100.0 THEN"
        yield f"{_INDENT}x := {lo};"
        yield "ELSE"
        yield f"{_INDENT}x := {lo} + part * ({hi} - {lo});"
        yield "END_IF;"
    else:
        yield f"x := {lo} + (x - {raw_lo}) * ({hi} - {lo}) / ({raw_hi} - {raw_lo});"
    if scaling.clamp:
        yield f"x := LIMIT({_number(scaling, min(scaling.lo, scaling.hi))}, x, " \
              f"{_number(scaling, max(scaling.lo, scaling.hi))});"  # fmt: skip
    if scaling.kind == "table":
        yield from _along(scaling, scaling.points)
    yield f"{value} := x;"


def _written(scaling: Scaling, value: str, raw: str, raw_type: DataType) -> Iterator[str]:
    lo, hi, raw_lo, raw_hi = (_number(scaling, n) for n in (scaling.lo, scaling.hi, scaling.raw_lo, scaling.raw_hi))
    yield f"x := {value};"
    if scaling.kind == "table":
        yield from _along(scaling, scaling.backwards())
    if scaling.kind == "root":
        yield f"part := (x - {lo}) / ({hi} - {lo});"
        yield "IF part > 0.0 THEN"
        yield f"{_INDENT}part := part * part;"
        yield "ELSE"
        yield f"{_INDENT}part := 0.0;"
        yield "END_IF;"
        yield f"x := {raw_lo} + part * ({raw_hi} - {raw_lo});"
    else:
        yield f"x := {raw_lo} + (x - {lo}) * ({raw_hi} - {raw_lo}) / ({hi} - {lo});"
    # Beyond this a count is out of every type, and truncating it would fail.
    yield "x := LIMIT(-4.0E18, x, 4.0E18);"
    yield "t := TRUNC(x);"
    yield f"IF ABS(x - {_converted('t', 'LINT', scaling.precision)}) >= 0.5 THEN"
    yield f"{_INDENT}IF x > 0.0 THEN"
    yield f"{2 * _INDENT}t := t + 1;"
    yield f"{_INDENT}ELSE"
    yield f"{2 * _INDENT}t := t - 1;"
    yield f"{_INDENT}END_IF;"
    yield "END_IF;"
    low, high = bounds(scaling, raw_type)
    yield f"t := LIMIT({low}, t, {high});"
    yield f"{raw} := {_converted('t', 'LINT', raw_type.name)};"


def bounds(scaling: Scaling, raw_type: DataType) -> tuple[int, int]:
    """Between what a count is held: what its type holds, and where that is asked for the raw ends."""
    least, most = int(raw_type.low or 0), int(raw_type.high or 0)
    if not scaling.clamp:
        return least, most
    low, high = sorted((int(scaling.raw_lo), int(scaling.raw_hi)))
    return max(least, low), min(most, high)


def _along(scaling: Scaling, points: Sequence[tuple[float, float]]) -> Iterator[str]:
    """Straight between the points, held at both ends."""
    numbers = [(_number(scaling, x), _number(scaling, y)) for x, y in points]
    yield f"IF x <= {numbers[0][0]} THEN"
    yield f"{_INDENT}x := {numbers[0][1]};"
    for (x0, y0), (x1, y1) in pairwise(numbers):
        yield f"ELSIF x < {x1} THEN"
        yield f"{_INDENT}x := {y0} + (x - {x0}) * ({y1} - {y0}) / ({x1} - {x0});"
    yield "ELSE"
    yield f"{_INDENT}x := {numbers[-1][1]};"
    yield "END_IF;"


def _number(scaling: Scaling, number: float) -> str:
    """A literal that is read as the number the program computes with; a negative one in parentheses."""
    text = scaling.literal(number)
    if "." not in text:
        mantissa, e, exponent = text.partition("e")
        text = f"{mantissa}.0{e}{exponent}"
    text = text.replace("e", "E").replace("E+", "E")
    return f"({text})" if text.startswith("-") else text


def _converted(name: str, source: str, target: str) -> str:
    return name if source == target else f"{source}_TO_{target}({name})"
