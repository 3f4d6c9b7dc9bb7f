"""Pins: the key by which a plant names one reading of one device of one file, for good."""

from __future__ import annotations

import re

_PIN = re.compile(r"(?P<device>[^/@]{1,200})@(?P<digest>[0-9a-f]{16})-(?P<reader>[0-9]{1,4})")


def pinned_key(device: str, sha256: str, reader: int) -> str:
    """The key of a reading. Sixteen digits of the digest tell files apart; the row of the type holds all."""
    return f"{device}@{sha256[:16]}-{reader}"


def is_pinned(key: str) -> bool:
    """Whether a type key names a reading of a file, or a module of one (`key/module`)."""
    return _PIN.fullmatch(key.partition("/")[0]) is not None


def device_of(key: str) -> str:
    """The device a pinned key names, the same for every revision of its file; other keys name themselves."""
    match = _PIN.fullmatch(key.partition("/")[0])
    return match["device"] if match else key
