"""The one exception family of the core: every message is fit to be shown to the engineer."""

from __future__ import annotations


class HighmoorError(Exception):
    """Base of all errors of the job."""


class Refusal(HighmoorError):
    """Something asked for cannot be represented or would break identity.

    `place` is the id of the object concerned, `field` the dotted field path, `value` what was refused.
    """

    def __init__(self, reason: str, *, place: str = "", field: str = "", value: object = None) -> None:
        super().__init__(reason)
        self.reason = reason
        self.place = place
        self.field = field
        self.value = value


class Gone(Refusal):
    """An edit names an object that is not in the plant (any more)."""
