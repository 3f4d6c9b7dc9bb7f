"""Where within its holder a place is, and how that is written in one word."""

from __future__ import annotations

import re
from dataclasses import dataclass

from highmoor.core.plant.rows import End, Link, Way
from highmoor.core.signals.beside import BY_KEY

_WORD = re.compile(r"(f?)(w?)([a-eg-vx-z][0-9A-Fa-f].*)")


@dataclass(frozen=True, slots=True)
class At:
    """A place within its holder: the key of a piece or a channel, which way its data goes, in whose image it lies.

    In one word an f before it is the partner's end, a w what goes back: `fwr0.2`. What an exchange has beside its data
    is called by its way alone: `status`.
    """

    key: str = ""
    way: Way = "data"
    end: End = "own"

    @classmethod
    def of(cls, link: Link) -> At:
        """Where a link leads."""
        return cls(link.key, link.way, link.end)

    @classmethod
    def read(cls, word: str) -> At:
        """A place by its word; what is no such word is taken for a key."""
        if word in BY_KEY:
            return cls("", BY_KEY[word].key)
        found = _WORD.fullmatch(word)
        if found is None:
            return cls(word)
        return cls(found[3], "back" if found[2] else "data", "partner" if found[1] else "own")

    @property
    def word(self) -> str:
        """The place in one word."""
        if self.way in BY_KEY:
            return self.way
        return ("f" if self.end == "partner" else "") + ("w" if self.way == "back" else "") + self.key
