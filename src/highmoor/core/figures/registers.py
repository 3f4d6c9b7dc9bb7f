"""Two registers as a 32-bit value, in all four orders. Source: Modbus Application Protocol 1.1b3, 4.2."""

from __future__ import annotations

import math

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
