"""Names of signals made of what people call a device and its values."""

from __future__ import annotations

import re

from highmoor.core.plant.fields import identifier_problem
from highmoor.core.plant.rows import Signal
from highmoor.core.project.draft import Draft, free_name

# As many as an identifier may have, less a few for counting (IEC 61131-3, 6.1.2).
_LONGEST = 56


def identifier_of(words: str) -> str:
    """Words as one identifier, each with a capital: “Gallery fan 1 speed” is GalleryFan1Speed."""
    found = re.findall(r"[A-Za-z0-9]+", words)
    stem = "".join(word[0].upper() + word[1:] for word in found)[:_LONGEST] or "Value"
    return f"S{stem}"[:_LONGEST] if identifier_problem(stem) else stem


class SignalNames:
    """New names for signals of a controller, one after the other."""

    def __init__(self, draft: Draft, controller: str) -> None:
        self._used = {signal.name.lower() for signal in draft.plant.children(Signal, controller)}

    def new(self, words: str) -> str:
        """A name made of words that no signal has, nor any of those that were made before."""
        return self.free(identifier_of(words))

    def free(self, wanted: str) -> str:
        """An identifier, with a number where it is taken."""
        name = free_name(wanted, self._used)
        self._used.add(name.lower())
        return name
