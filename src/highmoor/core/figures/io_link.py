"""IO-Link (IEC 61131-9): the minimum cycle time a device tells in one octet, and a field within process data."""

from __future__ import annotations

from fractions import Fraction

from highmoor.core.errors import Refusal

# Bits 7–6: what is added, and what bits 5–0 multiply, ms (IEC 61131-9, B.1.3, table B.3).
_BASES = {0: (Fraction(0), Fraction(1, 10)), 1: (Fraction(32, 5), Fraction(2, 5)), 2: (Fraction(32), Fraction(8, 5))}
_LEAST_MS = Fraction(2, 5)


def cycle_time_ms(octet: int) -> Fraction:
    """Milliseconds of a cycle time octet. Raises Refusal for the reserved base and for less than 0.4 ms."""
    if not 0 <= octet <= 255:
        raise Refusal(f"{octet} is no octet.", value=octet)
    base = _BASES.get(octet >> 6)
    if base is None:
        raise Refusal("Time base 11 is reserved.", value=octet)
    time = base[0] + base[1] * (octet & 0x3F)
    if time < _LEAST_MS:
        raise Refusal(f"{float(time):g} ms is less than the 0.4 ms there can be.", value=octet)
    return time


def cycle_time_octet(ms: Fraction) -> int:
    """The octet of the shortest cycle that can be told and is not below a time. Raises Refusal beyond 132.8 ms."""
    times = ((cycle_time_ms(octet), octet) for octet in range(4, 192))
    fitting = [(time, octet) for time, octet in times if time >= ms]
    if not fitting:
        raise Refusal(f"{float(ms):g} ms is longer than a cycle can be; 132.8 ms is the longest.")
    return min(fitting)[1]


def extracted(octets: bytes, bit_offset: int, bit_length: int, *, signed: bool) -> int:
    """A field of process data: bit 0 is the lowest of the last octet (IEC 61131-9, E.3.3). Raises Refusal."""
    if not octets:
        raise Refusal("There is no data.")
    if bit_length < 1 or bit_offset < 0 or bit_offset + bit_length > 8 * len(octets):
        raise Refusal(f"Bits {bit_offset} to {bit_offset + bit_length - 1} are not within {len(octets)} octets.")
    value = int.from_bytes(octets, "big") >> bit_offset & (1 << bit_length) - 1
    return value - (1 << bit_length) if signed and value >> bit_length - 1 else value
