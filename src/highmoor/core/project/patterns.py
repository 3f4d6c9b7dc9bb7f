"""Patterns for names: those that count, `Bed{n}Temp`, `Valve{n:02}`, and those with words put in, `{scanner} {n}`."""

from __future__ import annotations

import re
from collections.abc import Mapping

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


def worded(pattern: str, words: Mapping[str, str]) -> str:
    """A pattern with words put in by their names in braces. Raises Refusal for a name that is none of them."""
    rest = re.sub("|".join(f"{{{one}}}" for one in words), "", pattern)
    if "{" in rest or "}" in rest:
        known = ", ".join(f"{{{one}}}" for one in words)
        raise Refusal(f"“{pattern}” is not understood; there are {known}.", field="pattern", value=pattern)
    return re.sub(r"\{(\w+)\}", lambda found: words[found[1]], pattern)
