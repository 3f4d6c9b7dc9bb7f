"""Configuration data: a device's parameters packed into the octets that are sent when a connection is opened."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.catalogue.choices import ConfigurationChoice
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.datatypes import DATA_TYPES, encode
from highmoor.core.numbers import exact, round_half_away

_OCTETS_AT_MOST = 510


def from_parameters(choice: ConfigurationChoice, device: DeviceType, values: Mapping[str, Any]) -> bytes:
    """Every field at its bit, low octet first, by the value set or the file's default; what has none is 0.

    Source: CIP volume 1, 7-3.6.10 and C-6 (packing of assemblies).
    """
    size = min(choice.octets.default or 0, _OCTETS_AT_MOST)
    defaults = {parameter.key: parameter.default for parameter in device.parameters}
    packed = 0
    for field in choice.fields:
        value = values.get(field.parameter, defaults.get(field.parameter))
        if field.parameter and field.bit + field.bits <= 8 * size:
            packed |= _bits(value, field.bits, field.data_type) << field.bit
    return packed.to_bytes(size, "little")


def _bits(value: Any, bits: int, data_type: str) -> int:
    if isinstance(value, bool) or not isinstance(value, int | float):
        return int(value) if isinstance(value, bool) else 0
    known = DATA_TYPES.get(data_type)
    if known is not None and known.family == "real" and known.bits == bits:
        return int.from_bytes(encode(float(value), known, "DCBA"), "little")
    return round_half_away(exact(value)) & (1 << bits) - 1
