"""Names of signals made of what people call a device and its values."""

from __future__ import annotations

import re

from highmoor.core.plant.fields import identifier_problem
from highmoor.core.plant.rows import Signal
from highmoor.core.project.draft import Draft

# As many as an identifier may have, less a few for counting (IEC 61131-3, 6.1.2).
_LONGEST = 56


def identifier_of(words: str) -> str:
    """Words as one identifier, each with a capital: “Gallery fan 1 speed” is GalleryFan1Speed."""
    found = re.findall(r"[A-Za-z0-9]+", words)
    stem = "".join(word[0].upper() + word[1:] for word in found)[:_LONGEST] or "Value"
    return f"S{stem}"[:_LONGEST] if identifier_problem(stem) else stem


def free_signal(draft: Draft, controller: str, words: str) -> str:
    """A name made of words that no signal of the controller has."""
    return draft.free_name(identifier_of(words), (s.name for s in draft.plant.children(Signal, controller)))
