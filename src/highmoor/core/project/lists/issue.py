"""An issue of a list as it is read: its lines by tag, and those that cannot be taken, with the reason."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from highmoor.core.errors import Refusal
from highmoor.core.plant.fields import text_problem
from highmoor.core.project import edits
from highmoor.core.project.lists.columns import BY_KEY, KEPT, cell_text, tag_key

_LONGEST = 200
_LONGEST_TEXT = 1000


@dataclass(frozen=True, slots=True)
class IssueLine:
    """A line by the keys of its columns; `row` counts as the file does."""

    row: int
    values: Mapping[str, str]

    @property
    def tag(self) -> str:
        """What the line is of."""
        return self.values["tag"]


@dataclass(frozen=True, slots=True)
class Refused:
    """Lines that are not taken, and why."""

    rows: tuple[int, ...]
    tag: str
    reason: str


@dataclass(frozen=True, slots=True)
class Issue:
    """All lines that can be taken, by `tag_key`, in their order. `unclear` are keys of tags that stand
    there twice, or in a line that is refused: nobody can say that they are gone."""

    keys: tuple[str, ...]
    lines: Mapping[str, IssueLine]
    refused: tuple[Refused, ...]
    unclear: frozenset[str] = field(default=frozenset())


def issue_of(headings: Sequence[edits.ListHeading], rows: Sequence[edits.ListRow]) -> Issue:
    """The lines of an issue. Raises Refusal where no column has the tags, or two hold the same."""
    keys = _keys(headings)
    found: dict[str, list[IssueLine]] = {}
    refused: list[Refused] = []
    unclear: set[str] = set()
    for row in rows:
        # Rows end with their last cell that says something.
        texts = [*row.cells, *[""] * (len(keys) - len(row.cells))]
        cells = {key: cell_text(key, text) for key, text in zip(keys, texts, strict=False) if key}
        if not any(cells.values()):
            continue
        problem = _problem(cells)
        if problem:
            refused.append(Refused((row.row,), cells.get("tag", ""), problem))
            unclear.add(tag_key(cells["tag"]))
        else:
            found.setdefault(tag_key(cells["tag"]), []).append(IssueLine(row.row, cells))
    for lines in found.values():
        if len(lines) > 1:
            refused.append(Refused(tuple(line.row for line in lines), lines[0].tag, "The tag stands in several lines."))
    return Issue(
        tuple(key for key in keys if key),
        {key: lines[0] for key, lines in found.items() if len(lines) == 1},
        tuple(sorted(refused, key=lambda one: one.rows)),
        frozenset(unclear | {key for key, lines in found.items() if len(lines) > 1}),
    )


def _keys(headings: Sequence[edits.ListHeading]) -> list[str]:
    keys = [heading.key for heading in headings]
    for n, (heading, key) in enumerate(zip(headings, keys, strict=True)):
        if key and key not in BY_KEY and not KEPT.fullmatch(key):
            raise Refusal(f"“{key}” is nothing that a column can hold.", field="headings", value=heading.text)
        if key and key in keys[:n]:
            first = headings[keys.index(key)].text
            label = BY_KEY[key].label.lower() if key in BY_KEY else key
            raise Refusal(f"“{first}” and “{heading.text}” cannot both be the {label}.", field="headings")
    if "tag" not in keys:
        raise Refusal("Say which column has the tags: lines are known by them.", field="headings")
    return keys


def _problem(cells: Mapping[str, str]) -> str:
    if not tag_key(cells["tag"]):
        return "The line has no tag."
    for key, text in cells.items():
        label = BY_KEY[key].label if key in BY_KEY else "A cell"
        most = _LONGEST_TEXT if key == "text" or key not in BY_KEY else _LONGEST
        if len(text) > most:
            return f"{label} has {len(text)} characters; {most} are allowed."
        problem = text_problem(text)
        if problem:
            return f"{label} {problem}."
    return ""
