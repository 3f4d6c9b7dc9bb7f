"""What a device, or whoever asks it, tells of what is wrong: the same for every fieldbus."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Severity = Literal["error", "warning", "note"]


@dataclass(frozen=True, slots=True)
class Diagnosis:
    """Something that is wrong at a node.

    `key` names it among all of its node: it has come while one of that key is told, and goes when none is. `place` is
    the row it is about, "" for the node itself, and `channel` the channel within; `code` as the trade writes it.
    `settings` are fields that may well be wrong: the row's table and the dotted path, `exchanges.settings.octets`.
    """

    key: str
    text: str
    severity: Severity = "error"
    place: str = ""
    channel: str = ""
    code: str = ""
    settings: tuple[str, ...] = ()
