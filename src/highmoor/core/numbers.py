"""Numbers as engineers type them: any base, with units, decimal point or comma.

Number literals follow IEC 61131-3:2013, 6.3.2 (`16#1F`, `2#1_0101`, `8#17`) and the trade's `0x1F`.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from decimal import Decimal, InvalidOperation
from fractions import Fraction
from typing import Any, TypeAlias

from highmoor.core.errors import Refusal

Settings: TypeAlias = Mapping[str, Any]

_UNITS: dict[str, tuple[str, Fraction]] = {
    "ns": ("time", Fraction(1, 10**9)),
    "us": ("time", Fraction(1, 10**6)),
    "µs": ("time", Fraction(1, 10**6)),
    "ms": ("time", Fraction(1, 1000)),
    "s": ("time", Fraction(1)),
    "min": ("time", Fraction(60)),
    "µA": ("current", Fraction(1, 10**6)),
    "uA": ("current", Fraction(1, 10**6)),
    "mA": ("current", Fraction(1, 1000)),
    "A": ("current", Fraction(1)),
    "mV": ("voltage", Fraction(1, 1000)),
    "V": ("voltage", Fraction(1)),
    "mm": ("length", Fraction(1, 1000)),
    "cm": ("length", Fraction(1, 100)),
    "m": ("length", Fraction(1)),
    "km": ("length", Fraction(1000)),
    "in": ("length", Fraction(254, 10000)),
    "mm/s": ("speed", Fraction(1, 1000)),
    "m/s": ("speed", Fraction(1)),
    "m/min": ("speed", Fraction(1, 60)),
    "in/s": ("speed", Fraction(254, 10000)),
    "mm/s²": ("acceleration", Fraction(1, 1000)),
    "m/s²": ("acceleration", Fraction(1)),
    "mm/s³": ("jerk", Fraction(1, 1000)),
    "m/s³": ("jerk", Fraction(1)),
    "°": ("angle", Fraction(1, 360)),
    "turn": ("angle", Fraction(1)),
    "turns": ("angle", Fraction(1)),
    "°/s": ("turning", Fraction(1, 360)),
    "turns/s": ("turning", Fraction(1)),
    "1/min": ("turning", Fraction(1, 60)),
    "g": ("mass", Fraction(1, 1000)),
    "kg": ("mass", Fraction(1)),
    "t": ("mass", Fraction(1000)),
    "Nm": ("torque", Fraction(1)),
    "Ncm": ("torque", Fraction(1, 100)),
    "mNm": ("torque", Fraction(1, 1000)),
    "N": ("force", Fraction(1)),
    "kN": ("force", Fraction(1000)),
    "kg m²": ("inertia", Fraction(1)),
    "kg cm²": ("inertia", Fraction(1, 10**4)),
    "g cm²": ("inertia", Fraction(1, 10**7)),
    "µF": ("capacity", Fraction(1, 10**6)),
    "mF": ("capacity", Fraction(1, 1000)),
    "W": ("power", Fraction(1)),
    "kW": ("power", Fraction(1000)),
    **{
        name: ("size", Fraction(bits, 8))
        for bits, names in (
            (1, ("bit", "bits", "coil", "coils")),
            (8, ("octet", "octets", "byte", "bytes")),
            (16, ("word", "words", "register", "registers")),
            (32, ("double word", "double words", "dword", "dwords")),
        )
        for name in names
    },
    "%": ("share", Fraction(1)),
}
_BASED = re.compile(r"([+-]?)(?:0[xX]|16#)([0-9A-Fa-f_]+)|([+-]?)(2|8)#([0-7_]+)")
_PLAIN = re.compile(r"([+-]?(?:[0-9]+(?:[ _\u00a0\u202f][0-9]{3})*|(?=[.,]))(?:[.,][0-9]+)?(?:[eE][+-]?[0-9]+)?)")
LARGEST = Fraction(10) ** 300


def parse_number(text: str, *, unit: str = "") -> Fraction:
    """The value of `text` expressed in `unit`, exactly.

    `text` may be in another unit of the same quantity: "0.2 s" in a field of ms is 200, "78 words" in one of octets
    is 156 (a word is 16 bits).
    Raises Refusal when the text is no number or its unit does not fit.
    """
    # What is shown with a minus of its own can be typed back.
    stripped = text.strip().replace("\u2212", "-")
    based = _BASED.match(stripped)
    if based:
        sign, digits, base = (based[1], based[2], 16) if based[2] is not None else (based[3], based[5], int(based[4]))
        try:
            value = Fraction(int(digits.replace("_", ""), base))
        except ValueError:
            raise Refusal(f"“{text}” is not a number in base {base}.", value=text) from None
        return _converted(-value if sign == "-" else value, stripped[based.end() :], unit, text)
    plain = _PLAIN.match(stripped)
    if not plain or not plain[1]:
        raise Refusal(f"“{text}” is not a number. Decimal, 0x1F, 16#1F, 8#17 and 2#101 are understood.", value=text)
    digits = re.sub(r"[ _\u00a0\u202f]", "", plain[1]).replace(",", ".")
    return _converted(exact(_decimal(digits, text)), stripped[plain.end() :], unit, text)


def _decimal(digits: str, text: str) -> Decimal:
    try:
        return Decimal(digits)
    except InvalidOperation:
        raise Refusal(f"“{text}” is not a number.", value=text) from None


def _converted(value: Fraction, rest: str, unit: str, text: str) -> Fraction:
    given = rest.strip()
    if not given or given == unit:
        return value
    wanted, typed = _UNITS.get(unit), _UNITS.get(given)
    if wanted is None or typed is None or wanted[0] != typed[0]:
        expected = f"a number in {unit}" if unit else "a number without a unit"
        raise Refusal(f"“{text}” does not fit: {expected} is expected here.", value=text)
    return value * typed[1] / wanted[1]


def exact(value: int | float | Decimal | Fraction | str) -> Fraction:
    """The number meant by the decimal text of `value`: 0.1 is a tenth. Raises Refusal beyond 10^300."""
    if isinstance(value, Fraction | int):
        result = Fraction(value)
    else:
        number = Decimal(repr(value) if isinstance(value, float) else value)
        if not number.is_finite() or number.adjusted() > 300 or number.adjusted() < -300:
            raise Refusal(f"{value} is beyond what can be computed.", value=str(value))
        result = Fraction(number)
    if abs(result) > LARGEST:
        raise Refusal("The number is beyond what can be computed.")
    return result


def fraction_at(settings: Settings, key: str) -> Fraction | None:
    """A number that is set, exactly as written; None where there is none."""
    value = settings.get(key)
    return exact(value) if isinstance(value, int | float) and not isinstance(value, bool) else None


def number_at(settings: Settings, key: str, usual: float = 0.0) -> float:
    """A number that is set, or what is usual."""
    value = fraction_at(settings, key)
    return usual if value is None else float(value)


def plain(value: Fraction) -> int | float:
    """A whole number as int, anything else as the nearest double."""
    return value.numerator if value.denominator == 1 else float(value)


def round_half_away(value: Fraction) -> int:
    """Nearest integer, halves away from zero."""
    magnitude = (abs(value) * 2 + 1) // 2
    return int(magnitude) if value >= 0 else -int(magnitude)


def shown(value: int | float | Fraction, digits: int = 6) -> str:
    """At most `digits` significant digits, without exponent for sizes that engineers read."""
    number = float(value)
    if number == int(number) and abs(number) < 10**15:
        return str(int(number))
    text = f"{number:.{digits}g}"
    if "e" not in text or not 1e-4 < abs(number) < 1e15:
        return text
    # Beyond the digits asked for, whole numbers are said whole: 1334, not 1.33e+03.
    return f"{number:.0f}" if abs(number) >= 1 else f"{number:f}".rstrip("0").rstrip(".")
