"""What a parameter's raw value means: a word of its list, or a number in its unit."""

from __future__ import annotations

from typing import Any

from highmoor.core.catalogue.types import Parameter


def meaning(parameter: Parameter, raw: Any) -> str:
    """In words or in its unit; "" where nothing says. Scaling by CIP volume 1, 5-14, constants alone."""
    if isinstance(raw, bool) or not isinstance(raw, int | float):
        return ""
    for value, label in parameter.choices:
        if value == raw:
            return label
    scaling = parameter.scaling
    if scaling is None:
        return f"{raw} {parameter.unit}" if parameter.unit else ""
    each = scaling.multiplier * scaling.base / (scaling.divisor or 1)
    return f"{(raw + scaling.offset) * each:.{scaling.decimals}f} {parameter.unit}".strip()
