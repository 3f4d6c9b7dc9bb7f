"""Two registers as a 32-bit value, in all four orders. Source: Modbus Application Protocol 1.1b3, 4.2."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from highmoor.core.datatypes import DATA_TYPES, ORDERS, decode
from highmoor.core.errors import Refusal

WIDE_TYPES = tuple(name for name, t in DATA_TYPES.items() if t.bits == 32)


def decoded(first: int, second: int, type_name: str) -> dict[str, int | float | None]:
    """The value by order; None where the octets are no finite REAL. Raises Refusal for other than 32-bit types."""
    if type_name not in WIDE_TYPES:
        raise Refusal(f"{type_name[:20]} has not 32 bits; {', '.join(WIDE_TYPES)} have.", value=type_name[:20])
    octets = first.to_bytes(2, "big") + second.to_bytes(2, "big")
    values = {order: decode(octets, DATA_TYPES[type_name], order) for order in ORDERS}
    return {order: value if math.isfinite(value) else None for order, value in values.items()}


@dataclass(frozen=True, slots=True)
class Ranked:
    """How likely an order is, by values read in it one after the other: the share of them that such a value can be, and
    how far it jumps between two of them on average, as a share of the largest."""

    order: str
    plausible: float
    jump: float


# Without a range: what a measured value hardly goes beyond, and a fraction of which it hardly is.
_GREAT, _SMALL = 1e7, 1e-4
# How much of its range a value may lie outside of it.
_BEYOND = 0.1
# From how many times the others' jump on, and from what shares on, an order stands out.
_CALMER, _MOSTLY, _HARDLY = 4.0, 0.9, 0.5
_ENOUGH = 5


def ranked(
    samples: Sequence[tuple[int, int]], type_name: str, low: float | None = None, high: float | None = None
) -> tuple[list[Ranked], str]:
    """All four orders, the likeliest first, and the one that stands out, "" while none does.

    `samples` are two registers as they came one after the other; `low` and `high` what the value goes between, where
    that is known. Raises Refusal for other than 32-bit types.
    """
    read = [decoded(first, second, type_name) for first, second in samples]
    told = [_ranked(order, [values[order] for values in read], low, high) for order in ORDERS]
    told.sort(key=lambda one: (-one.plausible, one.jump))
    best, *others = told
    if best.plausible < _MOSTLY or len(set(samples)) < _ENOUGH:
        return told, ""
    rivals = [one for one in others if one.plausible >= _HARDLY]
    apart = all(one.jump > _CALMER * best.jump and one.jump > 0 for one in rivals)
    return told, best.order if apart else ""


def _ranked(order: str, values: list[int | float | None], low: float | None, high: float | None) -> Ranked:
    finite = [float(value) for value in values if value is not None]
    good = [value for value in finite if _can_be(value, low, high)]
    largest = max((abs(value) for value in finite), default=0.0)
    jumps = [abs(b - a) / largest for a, b in pairwise(finite)] if largest else []
    return Ranked(order, len(good) / max(len(values), 1), sum(jumps) / len(jumps) if jumps else 0.0)


def _can_be(value: float, low: float | None, high: float | None) -> bool:
    if low is not None and high is not None:
        bottom, top = sorted((low, high))
        span = top - bottom
        # What is next to nothing of its range is hardly a value: octets in a wrong order often are.
        return bottom - _BEYOND * span <= value <= top + _BEYOND * span and (value == 0 or abs(value) >= _SMALL * span)
    return value == 0 or _SMALL <= abs(value) <= _GREAT
