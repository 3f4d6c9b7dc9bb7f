"""Names of variables: an identifier, and behind it the way to an element of a structure or an array.

`Fan1.Speed` is a member of a structure, `Bins[3]` an element of an array, `Silos[2].Level` both. Each such element is
a signal of its own; what structure they make together follows from their names. Source: IEC 61131-3:2013, 6.4.4.4
(arrays), 6.4.4.6 (structures), 6.5.2 (how their elements are called).
"""

from __future__ import annotations

import re
from typing import TypeAlias

from highmoor.core.plant.fields import identifier_problem

Step: TypeAlias = str | int
"""A member's name, or an element's index."""

_STEP = re.compile(r"\.([^.\[\]]*)|\[([^.\[\]]*)\]")
# An index is written in one way, so that one element has one name.
_INDEX = re.compile(r"0|[1-9]\d{0,4}")
_HIGHEST = 32767
_LONGEST = 200


def is_whole(name: str) -> bool:
    """Whether a name is that of a variable by itself, no element of another."""
    return "." not in name and "[" not in name


def steps_of(name: str) -> tuple[Step, ...]:
    """A name's parts: `Silos[2].Level` is Silos, 2, Level. What is no name of a variable is one part."""
    if is_whole(name) or variable_problem(name):
        return (name,)
    head = re.split(r"[.\[]", name, maxsplit=1)[0]
    return (head, *(found[1] if found[1] is not None else int(found[2]) for found in _STEP.finditer(name, len(head))))


def variable_problem(name: str) -> str:
    """Why `name` is no name of a variable or of an element of one, or "" when it is."""
    if is_whole(name):
        return identifier_problem(name)
    if len(name) > _LONGEST:
        return f"“{name[:20]}…” has {len(name)} characters; {_LONGEST} are allowed."
    head = re.split(r"[.\[]", name, maxsplit=1)[0]
    problem = identifier_problem(head) if head else f"“{name}” begins with no name."
    at = len(head)
    while not problem and at < len(name):
        found = _STEP.match(name, at)
        if found is None:
            return f"“{name}” has a bracket without its partner."
        problem = _index_problem(name, found[2]) if found[1] is None else _member_problem(name, found[1])
        at = found.end()
    return problem


def _member_problem(name: str, member: str) -> str:
    return identifier_problem(member) if member else f"“{name}” has a full stop without a name behind it."


def _index_problem(name: str, index: str) -> str:
    if _INDEX.fullmatch(index) is None:
        return f"“[{index}]” in “{name}” is no index: a whole number from 0 on, such as [3], without zeros before it."
    return f"“[{index}]” is above {_HIGHEST}." if int(index) > _HIGHEST else ""
