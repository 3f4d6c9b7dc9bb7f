"""How a value is written for a seal, so that what means the same is written the same, and what is made of it.

Texts are in NFC (Unicode, annex 15); of a number only its value counts: 100 is 100.0. What is not set is not written.
"""

from __future__ import annotations

import hashlib
import json
import unicodedata
from collections.abc import Iterable
from fractions import Fraction
from typing import Any


def canonical(value: Any) -> str:
    """A value as JSON with sorted keys. Raises TypeError for what no row can hold."""
    return json.dumps(_plain(value), ensure_ascii=False, sort_keys=True, separators=(",", ":"), allow_nan=False)


def _plain(value: Any) -> Any:
    if isinstance(value, str):
        return unicodedata.normalize("NFC", value)
    if isinstance(value, bool) or value is None:
        return value
    if isinstance(value, Fraction):
        return _plain(float(value))
    if isinstance(value, int | float):
        return int(value) if value == int(value) else value
    if isinstance(value, dict):
        held = {_plain(str(key)): _plain(one) for key, one in value.items()}
        return {key: one for key, one in held.items() if not unset(one)}
    if isinstance(value, list | tuple):
        return [_plain(one) for one in value]
    raise TypeError(f"{type(value).__name__} has no canonical form")


def unset(value: Any) -> bool:
    """Whether a value is one that is not given: a setting of null or "" is the same as none."""
    return value is None or value in ("", {}, [])


def digest(parts: Iterable[str]) -> str:
    """SHA-256 (FIPS 180-4) over texts one after the other, none of which can be taken for two; hexadecimal digits."""
    text = json.dumps(list(parts), ensure_ascii=False, separators=(",", ":"))
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()


def grouped(fingerprint: str, groups: int = 16) -> str:
    """As it is read aloud: 3F9C-71A0-…"""
    upper = fingerprint.upper()
    return "-".join(upper[at : at + 4] for at in range(0, min(len(upper), 4 * groups), 4))
