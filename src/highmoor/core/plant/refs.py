"""How rows of tables refer to one another, told by annotation."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal, TypeAlias

Json: TypeAlias = dict[str, Any]
Number: TypeAlias = int | float
OnRemoval = Literal["remove", "clear"]


@dataclass(frozen=True, slots=True)
class Ref:
    """A reference to a row of one of `tables`; an owner's removal takes the row along.

    What is a `record` about its owner is never changed and goes with that alone; a copy of the owner has none.
    """

    tables: tuple[str, ...]
    owner: bool = False
    record: bool = False
    on_removal: OnRemoval = "remove"


@dataclass(frozen=True, slots=True)
class Tie:
    """A reference from one document to a row of another: it may lead nowhere, and removes and keeps nothing."""

    tables: tuple[str, ...]
