"""CIP paths as an EDS writes them: padded logical segments in hex, with placeholders. Source: CIP volume 1, C-1."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from highmoor.core.catalogue.types import Parameter

_LENGTH_AT_MOST = 2000
# Segments that carry their own length: the electronic key in octets, data in 16-bit words.
_KEY, _DATA = 0x34, 0x80
_COUNTED = (_KEY, _DATA)
_MEANINGS = {0x00: "class", 0x04: "instance", 0x10: "attribute"}
_TOKEN = re.compile(r"\[([A-Za-z]+[0-9]+)\]|([0-9A-Fa-f]{2})(?![0-9A-Za-z])|([A-Za-z_][A-Za-z_0-9]*)|(\S)")


@dataclass(frozen=True, slots=True)
class LogicalPath:
    """What a path leads to. `points` are connection points in order; `placeholders` what stands for octets to come."""

    class_id: int | None
    instance: int | None
    attribute: int | None
    points: tuple[int, ...]
    placeholders: tuple[str, ...]
    whole: bool


@dataclass(frozen=True, slots=True)
class _Octet:
    """An octet of a path, or (`stands_alone`) a placeholder's whole value, as wide as its segment wants it."""

    value: int
    stands_alone: bool = False


def read_path(text: str, parameters: Mapping[str, Parameter]) -> LogicalPath:
    """A path; a placeholder that names a parameter stands for its default. `whole` is False where it is damaged."""
    octets, placeholders, good = _octets(text, parameters)
    found: dict[str, int] = {}
    points: list[int] = []
    at = 0
    while at < len(octets):
        kind = octets[at].value
        if kind in _COUNTED:
            count = octets[at + 1].value if at + 1 < len(octets) else 0
            at += 2 + (count if kind == _KEY else 2 * count)
            continue
        value, after = _logical(octets, at)
        if value is None:
            # A port segment (route to a slot) leads to the device, not within it.
            at += 2 if kind < 0x20 else 1
            continue
        at = after
        if kind & 0x1C == 0x0C:
            points.append(value)
        elif kind & 0x1C in _MEANINGS:
            found.setdefault(_MEANINGS[kind & 0x1C], value)
    return LogicalPath(
        found.get("class"), found.get("instance"), found.get("attribute"), tuple(points), tuple(placeholders), good
    )


def _logical(octets: list[_Octet], at: int) -> tuple[int | None, int]:
    """The value of a logical segment (8, 16 or 32 bits, padded) and where the next one begins."""
    kind = octets[at].value
    if kind & 0xE0 != 0x20 or kind & 0x03 == 3:
        return None, at + 1
    width = (1, 2, 4)[kind & 0x03]
    begin = at + 1 if width == 1 else at + 2
    if begin < len(octets) and octets[begin].stands_alone:
        return octets[begin].value, begin + 1
    if begin + width > len(octets):
        return None, len(octets)
    return int.from_bytes(bytes(octet.value & 0xFF for octet in octets[begin : begin + width]), "little"), begin + width


def _octets(text: str, parameters: Mapping[str, Parameter]) -> tuple[list[_Octet], list[str], bool]:
    octets: list[_Octet] = []
    placeholders: list[str] = []
    good = len(text) <= _LENGTH_AT_MOST
    for match in _TOKEN.finditer(text[:_LENGTH_AT_MOST]):
        placeholder, octet, word, stray = match.groups()
        if octet:
            octets.append(_Octet(int(octet, 16)))
        elif placeholder or word:
            placeholders.append(placeholder or word)
            parameter = parameters.get((placeholder or word).lower())
            value = parameter.default if parameter else 0
            octets.append(_Octet(value if isinstance(value, int) and value >= 0 else 0, stands_alone=True))
        elif stray:
            good = False
    return octets, placeholders, good
