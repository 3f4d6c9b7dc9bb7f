"""What a table from outside is taken for: which row has its headings, what they mean, and whose new issue it is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import IoList, ListLine
from highmoor.core.project.lists.columns import Heading, headings_at, proposed, tag_key

Rows = Sequence[tuple[int, Sequence[str]]]


@dataclass(frozen=True, slots=True)
class Proposal:
    """A list as it would be read: `row` has the headings, `of` is the list whose new issue it seems to be."""

    row: int
    headings: list[Heading]
    rows: Rows
    of: IoList | None


def proposal(plant: Plant, rows: Rows) -> Proposal:
    """How a table is read unless somebody says otherwise."""
    at = headings_at([cells for _, cells in rows])
    widest = max((len(cells) for _, cells in rows[at:]), default=0)
    texts = [*rows[at][1], *[""] * (widest - len(rows[at][1]))]
    headings = proposed(texts, _known(plant))
    tags = next((n for n, heading in enumerate(headings) if heading.key == "tag"), None)
    lines = rows[at + 1 :]
    found = {tag_key(cells[tags]) for _, cells in lines if tags < len(cells)} if tags is not None else set()
    return Proposal(rows[at][0], headings, lines, _whose(plant, found - {""}))


def _known(plant: Plant) -> dict[str, str]:
    """How headings were mapped in the plant's lists, the last one first."""
    known: dict[str, str] = {}
    for of in plant.all(IoList):
        known.update((text, key) for text, key in of.columns.get("headings", []))
    return known


def _whose(plant: Plant, tags: set[str]) -> IoList | None:
    """The list that has most tags in common with these."""
    common = {
        of.id: sum(tag_key(line.values.get("tag", "")) in tags for line in plant.children(ListLine, of.id))
        for of in plant.all(IoList)
    }
    best = max(common, key=lambda of: common[of], default=None)
    return plant.get(best, IoList) if best and common[best] else None
