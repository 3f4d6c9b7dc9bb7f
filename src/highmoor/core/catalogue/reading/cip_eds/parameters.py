"""[Params] and [Groups] of an EDS. Source: CIP volume 1, 7-3.6.7, 7-3.6.8; parameter object 5-14."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from typing import Any

from highmoor.core.catalogue.reading.cip_eds.syntax import Entry, Section
from highmoor.core.catalogue.reading.description import Problems, Unreadable
from highmoor.core.catalogue.reading.numerals import is_hexadecimal, number, whole
from highmoor.core.catalogue.types import Parameter, Scaling

PARAMETERS_AT_MOST = 20_000

# CIP data type codes → (name, bits), volume 1, C-6.1; strings have no bits of their own.
DATA_TYPES: dict[int, tuple[str, int]] = {
    0xC1: ("BOOL", 8),
    0xC2: ("SINT", 8),
    0xC3: ("INT", 16),
    0xC4: ("DINT", 32),
    0xC5: ("LINT", 64),
    0xC6: ("USINT", 8),
    0xC7: ("UINT", 16),
    0xC8: ("UDINT", 32),
    0xC9: ("ULINT", 64),
    0xCA: ("REAL", 32),
    0xCB: ("LREAL", 64),
    0xCC: ("STIME", 32),
    0xCD: ("DATE", 16),
    0xCE: ("TIME_OF_DAY", 32),
    0xCF: ("DATE_AND_TIME", 48),
    0xD0: ("STRING", 0),
    0xD1: ("BYTE", 8),
    0xD2: ("WORD", 16),
    0xD3: ("DWORD", 32),
    0xD4: ("LWORD", 64),
    0xD5: ("STRING2", 0),
    0xD6: ("FTIME", 32),
    0xD7: ("LTIME", 64),
    0xD8: ("ITIME", 16),
    0xD9: ("STRINGN", 0),
    0xDA: ("SHORT_STRING", 0),
    0xDB: ("TIME", 32),
    0xDC: ("EPATH", 0),
    0xDD: ("ENGUNIT", 16),
    0xDE: ("STRINGI", 0),
}
_NAMES = {name: (name, bits) for name, bits in DATA_TYPES.values()}
_SIGNED = frozenset({"SINT", "INT", "DINT", "LINT"})
_TEXTS = frozenset({"STRING", "STRING2", "STRINGN", "SHORT_STRING", "STRINGI", "EPATH"})

# Bits of the descriptor word.
_ENUMERATED, _SCALED, _LINKED, _READ_ONLY, _MONITORED, _HIDDEN = 1 << 1, 1 << 2, 1 << 3, 1 << 4, 1 << 5, 1 << 9

NUMBERED = re.compile(r"([A-Za-z_ ]+?)\s*([0-9]{1,10})")
_KINDS = {"param": "param", "proxyparam": "proxyparam", "proxiedparam": "proxiedparam"}


def numbered(key: str) -> tuple[str, int] | None:
    """`Param12` as ("param", 12), None for a key without a number."""
    match = NUMBERED.fullmatch(key.strip())
    return (match[1].lower(), int(match[2])) if match else None


def reference(text: str) -> str:
    """A reference to another entry in its one spelling: `PARAM 12` → `param12`; "" when it is none."""
    found = numbered(text)
    return f"{found[0]}{found[1]}" if found else ""


def read_parameters(
    sections: Iterable[Section], problems: Problems, keep_unknown: Callable[[Section, Entry], None]
) -> dict[str, Parameter]:
    """Parameters by reference (`param12`), with their enumerations and group names."""
    entries: dict[str, Entry] = {}
    choices: dict[str, tuple[tuple[int, str], ...]] = {}
    for section in sections:
        for entry in section.entries:
            name = numbered(entry.key)
            if name and name[0] in _KINDS:
                key = f"{name[0]}{name[1]}"
                if key in entries:
                    problems.warning(entry.line, f"{entry.key} stands twice; the later one is taken.")
                entries[key] = entry
            elif name and name[0] in ("enum", "proxyenum", "proxiedenum"):
                owner = f"{name[0].removesuffix('enum')}param{name[1]}"
                choices[owner] = _enumeration(entry, problems)
            else:
                keep_unknown(section, entry)
    if len(entries) > PARAMETERS_AT_MOST:
        first = next(iter(entries.values()))
        raise Unreadable(
            f"The file has {len(entries)} parameters; at most {PARAMETERS_AT_MOST} of one device are read.", first.line
        )
    return {key: _parameter(key, entry, choices.get(key, ()), problems) for key, entry in entries.items()}


def _enumeration(entry: Entry, problems: Problems) -> tuple[tuple[int, str], ...]:
    pairs: dict[int, str] = {}
    for place in range(0, len(entry.fields) - 1, 2):
        value = whole(entry.fields[place])
        if value is None:
            problems.error(entry.line, f"{entry.key}: “{entry.fields[place][:40]}” is not a value of an enumeration.")
        else:
            pairs[value] = entry.fields[place + 1]
    if len(entry.fields) % 2 and entry.fields[-1]:
        problems.warning(entry.line, f"{entry.key}: the last value, {entry.fields[-1][:40]}, has no text.")
    return tuple(pairs.items())


def _parameter(key: str, entry: Entry, choices: tuple[tuple[int, str], ...], problems: Problems) -> Parameter:
    descriptor = _whole(entry, 3, "descriptor", problems) or 0
    name, bits = _data_type(entry, problems)
    size = whole(entry.at(5)) if entry.at(5) else None
    if size is not None and bits and name not in _TEXTS and size * 8 != bits:
        problems.warning(entry.line, f"{entry.key}: {name} has {bits // 8} octets, the file says {size}; {size} taken.")
        bits = size * 8
    elif size is not None and not bits and 0 <= size < 65536:
        bits = size * 8
    minimum, maximum, default = (_value(entry, place, name, bits, problems) for place in (9, 10, 11))
    if isinstance(minimum, int | float) and isinstance(maximum, int | float) and minimum > maximum:
        problems.warning(entry.line, f"{entry.key}: its minimum {minimum} is above its maximum {maximum}.")
    elif isinstance(default, int | float) and (
        (isinstance(minimum, int | float) and default < minimum)
        or (isinstance(maximum, int | float) and default > maximum)
    ):
        low, high = ("…" if end is None else end for end in (minimum, maximum))
        problems.warning(entry.line, f"{entry.key}: its default {default} is outside {low} … {high}.")
    return Parameter(
        key=key,
        label=entry.at(6) or key,
        default=default,
        choices=choices,
        unit=entry.at(7),
        minimum=minimum if isinstance(minimum, int | float) else None,
        maximum=maximum if isinstance(maximum, int | float) else None,
        hint=entry.at(8),
        data_type=name,
        bits=bits or None,
        scaling=_scaling(entry, descriptor),
        access="read" if descriptor & _READ_ONLY else "read-write",
        hidden=bool(descriptor & _HIDDEN),
        path=entry.at(2),
    )


def _data_type(entry: Entry, problems: Problems) -> tuple[str, int]:
    given = entry.at(4)
    if given.upper() in _NAMES:
        return _NAMES[given.upper()]
    code = whole(given) if given else None
    if code in DATA_TYPES:
        return DATA_TYPES[code]
    if given:
        problems.warning(entry.line, f"{entry.key}: {given[:20]} is no CIP data type known here; its octets are kept.")
    return (f"type {given}" if given else "", 0)


def _value(entry: Entry, place: int, name: str, bits: int, problems: Problems) -> Any:
    text = entry.at(place)
    if text == "" or name in _TEXTS:
        return text or None
    value = number(text)
    if value is None:
        what = {9: "minimum", 10: "maximum", 11: "default"}[place]
        problems.error(entry.line, f"{entry.key}: its {what} “{text[:40]}” is not a number.")
        return None
    # A signed value in hex is its bit pattern: 0xFFFF is −1 in an INT.
    pattern = isinstance(value, int) and name in _SIGNED and is_hexadecimal(text)
    if pattern and 0 < bits <= 64 and (1 << (bits - 1)) <= value < (1 << bits):
        return value - (1 << bits)
    return value


def _scaling(entry: Entry, descriptor: int) -> Scaling | None:
    constants = [number(entry.at(place)) for place in (12, 13, 14, 15)]
    links = [_link(entry.at(place)) for place in (16, 17, 18, 19)]
    decimals = whole(entry.at(20)) or 0
    multiplier, divisor, base, offset = constants
    plain = (multiplier in (None, 1)) and (divisor in (None, 1)) and (base in (None, 1)) and (offset in (None, 0))
    if plain and not any(links) and not decimals:
        return None
    return Scaling(
        multiplier=1 if multiplier is None else multiplier,
        divisor=divisor or 1,
        base=1 if base is None else base,
        offset=offset or 0,
        multiplier_link=links[0],
        divisor_link=links[1],
        base_link=links[2],
        offset_link=links[3],
        decimals=decimals if 0 <= decimals < 256 else 0,
    )


def _link(text: str) -> str:
    """A link is a parameter's number; 0 or nothing is none. `Param5` is understood as well."""
    value = whole(text) if text else None
    if value is not None:
        return f"param{value}" if value > 0 else ""
    return reference(text)


def _whole(entry: Entry, place: int, what: str, problems: Problems) -> int | None:
    text = entry.at(place)
    if text == "":
        return None
    value = whole(text)
    if value is None:
        problems.error(entry.line, f"{entry.key}: its {what} “{text[:40]}” is not a whole number.")
    return value


def read_groups(section: Section | None, problems: Problems) -> dict[str, str]:
    """Group name by parameter reference; a parameter in several groups keeps its first."""
    groups: dict[str, str] = {}
    for entry in section.entries if section else ():
        for text in entry.fields[2:]:
            value = whole(text) if text else None
            key = f"param{value}" if value is not None else reference(text)
            if key:
                groups.setdefault(key, entry.at(0))
    return groups
