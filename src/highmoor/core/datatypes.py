"""Elementary data types and octet orders. Source: IEC 61131-3:2013, 6.4.2, table 10."""

from __future__ import annotations

import struct
from ctypes import c_float
from dataclasses import dataclass
from struct import Struct
from typing import Literal


@dataclass(frozen=True, slots=True)
class DataType:
    """A type by name; `bits` its size, `code` how it is packed high octet first ("" for BOOL)."""

    name: str
    bits: int
    code: str
    family: Literal["bool", "bits", "signed", "unsigned", "real"]

    @property
    def low(self) -> int | None:
        """Least whole number it can hold; None for reals."""
        if self.family == "real":
            return None
        return -(1 << (self.bits - 1)) if self.family == "signed" else 0

    @property
    def high(self) -> int | None:
        """Greatest whole number it can hold; None for reals."""
        if self.family == "real":
            return None
        return (1 << (self.bits - (self.family == "signed"))) - 1


# A variable of the safe part (PLCopen Safety, part 1, 4.2): a bit to all who read it.
SAFE_TYPE = "SAFEBOOL"

DATA_TYPES: dict[str, DataType] = {
    t.name: t
    for t in (
        DataType("BOOL", 1, "", "bool"),
        DataType(SAFE_TYPE, 1, "", "bool"),
        DataType("BYTE", 8, "B", "bits"),
        DataType("WORD", 16, "H", "bits"),
        DataType("DWORD", 32, "I", "bits"),
        DataType("LWORD", 64, "Q", "bits"),
        DataType("SINT", 8, "b", "signed"),
        DataType("INT", 16, "h", "signed"),
        DataType("DINT", 32, "i", "signed"),
        DataType("LINT", 64, "q", "signed"),
        DataType("USINT", 8, "B", "unsigned"),
        DataType("UINT", 16, "H", "unsigned"),
        DataType("UDINT", 32, "I", "unsigned"),
        DataType("ULINT", 64, "Q", "unsigned"),
        DataType("REAL", 32, "f", "real"),
        DataType("LREAL", 64, "d", "real"),
    )
}


def whole_type(bits: int) -> str:
    """The smallest type of whole numbers that holds so many bits, BOOL for one; the largest where none does."""
    fitting = (t for t in DATA_TYPES.values() if t.family in ("bool", "unsigned") and t.bits >= bits)
    return min(fitting, key=lambda t: t.bits, default=DATA_TYPES["ULINT"]).name


# Where each octet of the value stands on the wire; A is the highest octet of a 32-bit value.
ORDERS = ("ABCD", "CDAB", "BADC", "DCBA")
Order = Literal["ABCD", "CDAB", "BADC", "DCBA"]


def high_octet_first(octets: bytes, order: str) -> bytes:
    """Octets as they stand on the wire or in the image, put high octet first; its own inverse.

    CDAB swaps 16-bit words, BADC the octets within each word, DCBA both. A single octet has no order.
    """
    if order == "ABCD" or len(octets) < 2:
        return octets
    if order == "DCBA":
        return octets[::-1]
    swapped = b"".join(octets[n : n + 2][::-1] for n in range(0, len(octets), 2))
    return swapped if order == "BADC" else swapped[::-1]


def codec(data_type: DataType, order: str) -> Struct | None:
    """What packs and unpacks a whole type in place; None where its octets are in no order that a processor knows."""
    if data_type.family in ("bool", "real") or (order not in ("ABCD", "DCBA") and data_type.bits > 8):
        return None
    return Struct(("<" if order == "DCBA" else ">") + data_type.code)


def decode(octets: bytes, data_type: DataType, order: str) -> int | float:
    """The value of whole octets. `octets` must have the type's size."""
    if order == "DCBA":
        prefix = "<"
    else:
        prefix, octets = ">", high_octet_first(octets, order)
    value: int | float = struct.unpack(prefix + data_type.code, octets)[0]
    return value


def encode(value: float, data_type: DataType, order: str) -> bytes:
    """The octets of a value; whole types take the nearest they can hold."""
    if data_type.family == "real":
        # Beyond what 32 bits hold there is no end.
        packed = struct.pack(">" + data_type.code, c_float(value).value if data_type.bits == 32 else value)
    else:
        assert data_type.low is not None
        assert data_type.high is not None
        packed = struct.pack(">" + data_type.code, min(max(int(value), data_type.low), data_type.high))
    return high_octet_first(packed, order)
