"""A numbering rule of the user's own: which number a station has by its name, as in `20 + 10*a + n`.

`n` is the last number in the station's name, `a` the one before it (0 where there is none); whole numbers, + - *
and brackets join them. The result is a station's number, or the last octet of an IPv4 address.
"""

from __future__ import annotations

import ast
import operator
import re
from collections.abc import Callable
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.networks.addressing import ipv4_of
from highmoor.core.plant.rows import Network, Station

_OPERATORS: dict[type[ast.operator], Callable[[int, int], int]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
}
_LENGTH_AT_MOST = 60
_NUMBER_AT_MOST = 10**6


def read_rule(given: Any) -> str:
    """A rule as it is kept. Raises Refusal for what is none, with what was not understood."""
    text = " ".join(str(given).split())
    if text:
        _worked_out(text, 1, 1)
    return text


def ruled(rule: str, name: str) -> int | None:
    """The number a rule gives a station of this name; None for a name without a number, or without a rule."""
    digits = [int(d) for d in re.findall(r"\d{1,6}", name)]
    if not rule or not digits:
        return None
    try:
        return _worked_out(rule, digits[-2] if len(digits) > 1 else 0, digits[-1])
    except Refusal:
        return None


def exception_of(network: Network, station: Station) -> str:
    """The address a station's network rules for it where it has another one, "" where it keeps to the rule."""
    rule = network.settings.get("numbering")
    number = ruled(rule, station.name) if isinstance(rule, str) else None
    if number is None or not station.address or not 0 <= number <= 255:
        return ""
    address = ipv4_of(station.address)
    wanted = str(number) if address is None else f"{station.address.rpartition('.')[0]}.{number}"
    return "" if wanted == station.address else wanted


def _worked_out(text: str, a: int, n: int) -> int:
    if len(text) > _LENGTH_AT_MOST:
        raise Refusal(f"The rule has {len(text)} characters; {_LENGTH_AT_MOST} are allowed.", value=text[:40])
    try:
        tree = ast.parse(text, mode="eval").body
        return _value(tree, {"a": a, "n": n}, text)
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise Refusal(
            f"“{text}” is not a rule: it may contain whole numbers, a, n, + - * and brackets, as in 20 + 10*a + n."
        ) from None


def _value(node: ast.expr, names: dict[str, int], text: str) -> int:
    if isinstance(node, ast.Constant) and type(node.value) is int and abs(node.value) <= _NUMBER_AT_MOST:
        return node.value
    if isinstance(node, ast.Name) and node.id in names:
        return names[node.id]
    if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
        result = _OPERATORS[type(node.op)](_value(node.left, names, text), _value(node.right, names, text))
        if abs(result) <= _NUMBER_AT_MOST**2:
            return result
    raise ValueError(text)
