"""Last issue, new issue and plant laid side by side: one difference for each thing that could be taken over.

The last issue is kept as it was decided on (`ListLine`), so what differs from it in the new one is the list's doing,
and what differs from it in the plant is ours. What differs from the plant only because something was left, or was
changed here since, is not asked about again.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, IoList, ListLine, Signal
from highmoor.core.project import edits
from highmoor.core.project.draft import free_name
from highmoor.core.project.lists.columns import BY_KEY, in_one_line, tag_key
from highmoor.core.project.lists.issue import Issue, IssueLine, Refused, issue_of
from highmoor.core.project.lists.naming import name_of, read_pattern
from highmoor.core.project.lists.said import value_of

Kind = Literal["new", "changed", "gone", "renamed"]


@dataclass(frozen=True, slots=True)
class Difference:
    """One thing that could be taken over from a list.

    `id` names it for as long as it is the same thing, `key` its line (`tag_key`); `signal` is what it is about, None
    where it would be made. `column` is a key, "" where it is about a whole line. `old` is what the plant says, `new`
    what the list does and `last` what the list said before, None where it said nothing. `both`: the plant was changed
    as well, so that taking it over loses what stands here. `within` is the difference that has to be taken first.
    """

    id: str
    key: str
    kind: Kind
    row: int
    tag: str
    signal: str | None
    name: str
    column: str = ""
    old: str = ""
    new: str = ""
    last: str | None = None
    both: bool = False
    within: str = ""


@dataclass(frozen=True, slots=True)
class Matched:
    """A line of the new issue with what it meets: the line as it was decided on, and the signal."""

    line: IssueLine
    base: ListLine | None
    signal: Signal | None


@dataclass
class Comparison:
    """What a new issue would change. `kept` counts what the plant says otherwise of its own, or what was left."""

    of: IoList | None
    issue: Issue
    matched: dict[str, Matched] = field(default_factory=dict)
    # Lines of the last issue that the new one has no more, and those it now has under another tag.
    missing: dict[str, ListLine] = field(default_factory=dict)
    renamed: dict[str, str] = field(default_factory=dict)
    differences: list[Difference] = field(default_factory=list)
    refused: list[Refused] = field(default_factory=list)
    kept: int = 0


def compare(plant: Plant, issue: edits.ListIssue) -> Comparison:
    """Lay an issue beside the plant. Raises Refusal for headings or a pattern that cannot be used."""
    read_pattern(issue.names)
    of = plant.get(issue.of, IoList) if issue.of else None
    result = Comparison(of, issue_of(issue.headings, issue.rows))
    result.refused = list(result.issue.refused)
    _match(plant, result, _Signals(plant, issue))
    _find_renamed(plant, result, frozenset(issue.apart))
    _tell(plant, result, issue)
    # What was changed on both sides needs a decision, so it stands first; else the order is the list's.
    result.differences.sort(key=lambda one: (not one.both, one.row or 10**9))
    return result


class _Signals:
    """Which signal a line is of: by its tag, or by its name where a signal has no tag."""

    def __init__(self, plant: Plant, issue: edits.ListIssue) -> None:
        self._pattern = issue.names
        self._by_tag: dict[str, list[Signal]] = {}
        self._by_name: dict[str, list[Signal]] = {}
        for signal in plant.all(Signal):
            if signal.tag:
                self._by_tag.setdefault(tag_key(signal.tag), []).append(signal)
            elif issue.controller in (None, signal.controller):
                self._by_name.setdefault(signal.name.lower(), []).append(signal)

    def of(self, key: str, line: IssueLine) -> list[Signal]:
        """All that the line could be of."""
        tagged = self._by_tag.get(key)
        if tagged:
            return tagged
        names = (line.tag.lower(), name_of(self._pattern, line.values).lower())
        return next((found for name in names if (found := self._by_name.get(name))), [])


def _match(plant: Plant, result: Comparison, signals: _Signals) -> None:
    bases = {} if result.of is None else _lines_of(plant, result.of)
    # One signal is of one line: of the one it was of, before others that call it so.
    taken = {line.signal for line in bases.values() if line.signal}
    unclear = set(result.issue.unclear)
    for key, line in result.issue.lines.items():
        base = bases.get(key)
        if base is not None and base.signal is not None:
            result.matched[key] = Matched(line, base, plant.get(base.signal, Signal))
            continue
        found = [signal for signal in signals.of(key, line) if signal.id not in taken]
        if len(found) > 1:
            names = ", ".join(signal.name for signal in found[:3])
            result.refused.append(
                Refused((line.row,), line.tag, f"Several signals of the plant have this tag: {names}.")
            )
            unclear.add(key)
            continue
        taken |= {signal.id for signal in found}
        result.matched[key] = Matched(line, base, found[0] if found else None)
    result.missing = {key: line for key, line in bases.items() if key not in result.issue.lines and key not in unclear}


def _lines_of(plant: Plant, of: IoList) -> dict[str, ListLine]:
    return {tag_key(line.values.get("tag", "")): line for line in plant.children(ListLine, of.id)}


def _find_renamed(plant: Plant, result: Comparison, apart: frozenset[str]) -> None:
    """A line that came and one that went, both at the same terminal of the same strip, are perhaps one signal."""
    came = _by_terminal(
        (key, found.line.values) for key, found in result.matched.items() if found.signal is None and not found.base
    )
    went = _by_terminal((key, line.values) for key, line in result.missing.items() if line.signal is not None)
    for ends, new in came.items():
        old = went.get(ends)
        if len(new) == 1 and old and len(old) == 1 and _renamed_id(old[0], new[0]) not in apart:
            base = result.missing.pop(old[0])
            result.renamed[new[0]] = old[0]
            signal = plant.get(base.signal or "", Signal)
            result.matched[new[0]] = replace(result.matched[new[0]], base=base, signal=signal)


def _by_terminal(lines: Iterator[tuple[str, Mapping[str, str]]]) -> dict[tuple[str, str], list[str]]:
    found: dict[tuple[str, str], list[str]] = {}
    for key, values in lines:
        ends = values.get("strip", "").casefold(), values.get("terminal", "").casefold()
        if all(ends):
            found.setdefault(ends, []).append(key)
    return found


def _renamed_id(old: str, new: str) -> str:
    return f"renamed {old} {new}"


def _tell(plant: Plant, result: Comparison, issue: edits.ListIssue) -> None:
    used: set[str] = set()
    controller = plant.find(issue.controller) if issue.controller else None
    if isinstance(controller, Controller):
        used = {signal.name.lower() for signal in plant.children(Signal, controller.id)}
    for key, found in result.matched.items():
        if found.signal is None:
            _tell_new(result, key, found, issue, used)
        else:
            _tell_changes(plant, result, key, found, found.signal, again=issue.again)
    for key, base in result.missing.items():
        _tell_gone(plant, result, key, base, again=issue.again)


def _tell_new(result: Comparison, key: str, found: Matched, issue: edits.ListIssue, used: set[str]) -> None:
    line, base = found.line, found.base
    same = base is not None and all(base.values.get(column, "") == text for column, text in line.values.items())
    if same and not issue.again:
        result.kept += 1
        return
    name = free_name(name_of(issue.names, line.values), used)
    used.add(name.lower())
    last = in_one_line(base.values) if base else None
    result.differences.append(
        Difference(
            f"new {key}", key, "new", line.row, line.tag, None, name, new=in_one_line(line.values), last=last,
            both=base is not None,
        )
    )  # fmt: skip


def _tell_changes(plant: Plant, result: Comparison, key: str, found: Matched, signal: Signal, *, again: bool) -> None:
    line, base, old_key = found.line, found.base, result.renamed.get(key)
    within = ""
    if old_key is not None:
        within = _renamed_id(old_key, key)
        result.differences.append(
            Difference(within, key, "renamed", line.row, line.tag, signal.id, signal.name, "tag", signal.tag, line.tag,
                       base.values.get("tag") if base else None)
        )  # fmt: skip
    for column in result.issue.keys:
        if column not in BY_KEY or (within and column == "tag"):
            continue
        new, old = line.values.get(column, ""), value_of(plant, signal, column)
        last = base.values.get(column) if base else None
        if new == old or (last is None and not new):
            continue
        if last == new and not again:
            result.kept += 1
            continue
        both = bool(old) if last is None else last != old
        result.differences.append(
            Difference(f"changed {key} {column}", key, "changed", line.row, line.tag, signal.id, signal.name, column,
                       old, new, last, both, within)
        )  # fmt: skip


def _tell_gone(plant: Plant, result: Comparison, key: str, base: ListLine, *, again: bool) -> None:
    if base.signal is None:
        return
    if base.left.get("gone") and not again:
        result.kept += 1
        return
    signal = plant.get(base.signal, Signal)
    changed = any(base.values[column] != value_of(plant, signal, column) for column in base.values if column in BY_KEY)
    told = in_one_line({column: value_of(plant, signal, column) for column in BY_KEY})
    tag = signal.tag or base.values.get("tag", "")
    result.differences.append(
        Difference(f"gone {key}", key, "gone", 0, tag, signal.id, signal.name, old=told, both=changed)
    )
