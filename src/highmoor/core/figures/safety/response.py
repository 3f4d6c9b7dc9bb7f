"""How long a safety function takes from the demand to the end of the movement's supply.

Source: IEC 61784-3 (safety function response time).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from highmoor.core.errors import Refusal
from highmoor.core.numbers import plain, shown


@dataclass(frozen=True, slots=True)
class ResponsePart:
    """An input, a link, the logic, an output: its worst delay, and the watchdog over it (None for none), ms."""

    worst_ms: Fraction
    watchdog_ms: Fraction | None = None


def response_ms(parts: Sequence[ResponsePart]) -> Fraction:
    """All worst delays, and what the one failure costs that costs most: the largest of (watchdog − worst delay).

    One part may fail, and its watchdog then runs out; the others do as they should. Raises Refusal for no part, a
    negative delay, a watchdog below the worst delay of its part.
    """
    if not parts:
        raise Refusal("No part: a safety function has at least one.", field="parts")
    for place, part in enumerate(parts):
        if part.worst_ms < 0:
            raise Refusal(f"A worst delay of {shown(part.worst_ms)} ms is negative.", value=plain(part.worst_ms),
                          field=f"parts[{place}].wcdt_ms")  # fmt: skip
        if part.watchdog_ms is not None and part.watchdog_ms < part.worst_ms:
            raise Refusal(
                f"A watchdog of {shown(part.watchdog_ms)} ms is below the worst delay of its part, "
                f"{shown(part.worst_ms)} ms: it would run out while all is well.",
                value=plain(part.watchdog_ms), field=f"parts[{place}].watchdog_ms",
            )  # fmt: skip
    beyond = (part.watchdog_ms - part.worst_ms for part in parts if part.watchdog_ms is not None)
    return sum((part.worst_ms for part in parts), Fraction(0)) + max(beyond, default=Fraction(0))
