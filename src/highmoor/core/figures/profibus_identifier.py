"""PROFIBUS DP configuration identifiers: how many octets go each way, and what is consistent.

Source: IEC 61158-6-3, Cfg_Data; general format (one octet) and special format (length octets, maker's octets).
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from highmoor.core.errors import Refusal

# Low nibble of the special format: 1–14 octets of the manufacturer's follow, 0 and 15 mean none.
_NONE_FOLLOW = 15


@dataclass(frozen=True, slots=True)
class IdentifierSizes:
    """Octets each way, seen from the master; `consistent` when every length present is so over its whole.

    `in_unit` and `out_unit` say in what each way is counted: 2 octets for words, otherwise 1.
    """

    in_octets: int
    out_octets: int
    consistent: bool
    in_unit: int = 1
    out_unit: int = 1


def parse_hex(text: str) -> bytes:
    """Octets from hex digits with or without spaces. Raises Refusal for anything else, and for nothing."""
    packed = re.sub(r"\s", "", text)
    if not packed:
        raise Refusal("No octets are given.", value=text)
    if not re.fullmatch(r"(?:[0-9A-Fa-f]{2})+", packed):
        raise Refusal(f"“{text[:60]}” is not a row of octets in hex, two digits each.", value=text[:60])
    return bytes.fromhex(packed)


def identifier_sizes(octets: bytes) -> IdentifierSizes:
    """The sizes of exactly one identifier. Raises Refusal when octets are missing or left over."""
    sizes, used = identifier_at(octets, 0)
    if used < len(octets):
        rest = octets[used:].hex(" ").upper()
        raise Refusal(f"{len(octets) - used} octets are left over behind the identifier: {rest[:60]}.")
    return sizes


def identifier_at(octets: bytes, at: int) -> tuple[IdentifierSizes, int]:
    """The identifier that begins at octet `at`, and where the next one begins. Raises Refusal when it is cut off."""
    if at >= len(octets):
        raise Refusal("No octets are given.")
    head = octets[at]
    if head & 0x30:
        length = _length(head & 0xCF, head & 0x0F)
        inward = length if head & 0x10 else 0
        outward = length if head & 0x20 else 0
        unit = 2 if head & 0x40 else 1
        return IdentifierSizes(inward, outward, bool(head & 0x80), unit, unit), at + 1
    return _special(octets, at)


def _special(octets: bytes, at: int) -> tuple[IdentifierSizes, int]:
    head = octets[at]
    outward, inward = bool(head & 0x80), bool(head & 0x40)
    makers = 0 if head & 0x0F == _NONE_FOLLOW else head & 0x0F
    end = at + 1 + outward + inward + makers
    if end > len(octets):
        raise Refusal(
            f"Identifier {head:02X} announces {outward + inward} length and {makers} maker's octets; "
            f"{len(octets) - at - 1} follow."
        )
    # With both lengths present, the outputs' stands first.
    lengths = [octets[at + 1 + n] for n in range(outward + inward)]
    sizes = [_length(octet, octet & 0x3F) for octet in lengths]
    return (
        IdentifierSizes(
            in_octets=sizes[-1] if inward else 0,
            out_octets=sizes[0] if outward else 0,
            consistent=bool(lengths) and all(octet & 0x80 for octet in lengths),
            in_unit=2 if inward and lengths[-1] & 0x40 else 1,
            out_unit=2 if outward and lengths[0] & 0x40 else 1,
        ),
        end,
    )


def _length(octet: int, count: int) -> int:
    """A length in octets: `count` + 1 units, words where bit 6 is set."""
    return (count + 1) * (2 if octet & 0x40 else 1)


def identifiers_in(octets: bytes) -> list[tuple[bytes, IdentifierSizes]]:
    """All identifiers of a row of octets, each with its own octets. Raises Refusal when the last is cut off."""
    found, at = [], 0
    while at < len(octets):
        sizes, after = identifier_at(octets, at)
        found.append((octets[at:after], sizes))
        at = after
    return found
