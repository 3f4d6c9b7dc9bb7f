"""Counting patterns for names: `Bed{n}Temp`, `Valve{n:02}`."""

from __future__ import annotations

import re

from highmoor.core.errors import Refusal

_DIGITS = re.compile(r"\{n(?::0(\d))?\}")


def counted(pattern: str, start: int, step: int, count: int) -> list[str]:
    """`count` names from a pattern. Raises Refusal when braces are not understood or names would repeat."""
    rest = _DIGITS.sub("", pattern)
    if "{" in rest or "}" in rest:
        raise Refusal(f"“{pattern}” is not understood: {{n}} counts, {{n:02}} counts with two digits.", value=pattern)
    numbers = [start + n * step for n in range(count)]
    names = [_DIGITS.sub(lambda m, n=number: _padded(n, m[1]), pattern) for number in numbers]  # type: ignore[misc]
    if len(set(names)) != count:
        raise Refusal(f"“{pattern}” gives one name {count} times: put {{n}} where it should count.", value=pattern)
    return names


def _padded(number: int, width: str | None) -> str:
    return str(number).zfill(int(width)) if width else str(number)
