"""The words of the language that a text can use, for whoever helps to write one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from highmoor.core.program.blocks import BLOCKS
from highmoor.core.program.expressions import FUNCTIONS
from highmoor.core.program.kinds import KINDS
from highmoor.core.program.syntax import KEYWORDS


@dataclass(frozen=True, slots=True)
class Word:
    """A word; `told` is of a block what it takes and gives, of a function how many arguments it has."""

    word: str
    kind: Literal["keyword", "type", "function", "block"]
    told: str = ""


def _words() -> tuple[Word, ...]:
    blocks = (
        Word(name, "block", f"{', '.join(p.name for p in block.inputs)} → {', '.join(p.name for p in block.outputs)}")
        for name, block in BLOCKS.items()
    )
    functions = (Word(name, "function", f"{n} argument{'s' if n > 1 else ''}") for name, n in FUNCTIONS.items())
    return (
        *(Word(word, "keyword") for word in KEYWORDS),
        *(Word(kind, "type") for kind in KINDS),
        *functions,
        *blocks,
    )


WORDS = _words()
