"""An issue of a list taken into the plant: what is taken over, what is left, and what was said, for the next issue."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.plant.ranks import ranks_between
from highmoor.core.plant.rows import Controller, IoList, ListLine, Signal
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.lists.columns import BY_KEY
from highmoor.core.project.lists.comparing import Comparison, Difference, Matched, compare
from highmoor.core.project.lists.naming import name_of, type_of
from highmoor.core.project.lists.said import scaled_over, with_said
from highmoor.core.project.signal_names import SignalNames


def take_list(draft: Draft, edit: edits.TakeList) -> None:
    """Take what is taken, remember what is left. Raises Refusal for a difference that is none (any more)."""
    compared = compare(draft.plant, edit)
    known = {one.id for one in compared.differences}
    for wanted in (*edit.taken, *edit.left):
        if wanted not in known:
            raise Refusal("The plant was changed meanwhile: compare the list with it again.", value=wanted)
    _Taking(draft, edit, compared).do()


class _Taking:
    """One issue on its way into the plant."""

    def __init__(self, draft: Draft, edit: edits.TakeList, compared: Comparison) -> None:
        self.draft, self.edit, self.compared = draft, edit, compared
        taken, left = set(edit.taken), set(edit.left)
        # What stands within a difference that is not taken is not decided on.
        open_to_us = [one for one in compared.differences if one.within in ("", one.id) or one.within in taken]
        self.taken = {one.id for one in open_to_us if one.id in taken}
        self.left = {one.id for one in open_to_us if one.id in left} - self.taken
        self.differences: dict[str, list[Difference]] = {}
        for one in compared.differences:
            self.differences.setdefault(one.key, []).append(one)
        self.list = self._list()
        # The lines as they will be kept, by their tags' keys.
        self.kept: dict[str, ListLine] = {}
        self.rows: list[Any] = []
        self.names: dict[str, SignalNames] = {}

    def do(self) -> None:
        """Everything at once; signals are made in the order of the issue."""
        gone = [base for key, base in self.compared.missing.items() if f"gone {key}" in self.taken]
        # A line whose signal was removed here, and which the list does not have any more, is of nothing.
        gone += [base for base in self.compared.missing.values() if base.signal is None]
        self.draft.remove([*(base.id for base in gone), *(base.signal for base in gone if base.signal)])
        for key, base in self.compared.missing.items():
            if f"gone {key}" in self.left:
                self.kept[key] = replace(base, left={**base.left, "gone": True})
        self._make_signals()
        for key, found in self.compared.matched.items():
            if found.signal is not None:
                self._decide(key, found, found.signal)
        self.draft.put(*self.rows)
        self._keep_lines()

    def _list(self) -> IoList:
        edit = self.edit
        columns = {"headings": [[heading.text, heading.key] for heading in edit.headings]}
        if self.compared.of is not None:
            row = replace(
                self.compared.of, name=edit.name, controller=edit.controller, names=edit.names, columns=columns
            )
        else:
            (rank,) = self.draft.last_rank(IoList, None)
            row = IoList(self.draft.new_id("lists"), edit.name, rank, edit.controller, edit.names, columns)
        self.draft.put(row)
        return row

    def _line(self, base: ListLine | None, signal: str | None = None) -> ListLine:
        return base or ListLine(self.draft.new_id("list_lines"), self.list.id, "", signal)

    def _make_signals(self) -> None:
        """The signals of new lines, and what was left of them."""
        made: list[Difference] = []
        for key, found in self.compared.matched.items():
            if found.signal is None and f"new {key}" in self.left:
                self.kept[key] = replace(
                    self._line(found.base), values=dict(found.line.values), left={"line": True}
                )  # fmt: skip
            elif found.signal is None and f"new {key}" in self.taken:
                made += self.differences[key]
        if not made:
            return
        if self.edit.controller is None:
            raise Refusal("Say which controller has the signals of new lines.", field="controller")
        owner = self.draft.plant.get(self.edit.controller, Controller).id
        for one, rank in zip(made, self.draft.last_rank(Signal, owner, len(made)), strict=True):
            found = self.compared.matched[one.key]
            signal = Signal(self.draft.new_id("signals"), owner, one.name, type_of(found.line.values), rank)
            for column, text in found.line.values.items():
                if column in BY_KEY and text:
                    signal = with_said(signal, column, text)
            self.rows.append(signal)
            self.kept[one.key] = replace(
                self._line(found.base), signal=signal.id, values=dict(found.line.values), left={}
            )  # fmt: skip

    def _decide(self, key: str, found: Matched, signal: Signal) -> None:
        """Column by column: what is decided on, and what both sides say alike, is what the list said from now on."""
        renamed = self.compared.renamed.get(key)
        if renamed is not None and f"renamed {renamed} {key}" not in self.taken:
            # Nobody said that it is the same signal: both lines are asked about the next time.
            return
        base = self._line(found.base, signal.id)
        values, left = dict(base.values), {column: True for column in base.left if column in BY_KEY}
        own = self.differences.get(key, ())
        undecided = {one.column for one in own if one.id not in self.taken and one.id not in self.left}
        for column, text in found.line.values.items():
            if column in undecided:
                continue
            values[column] = text
            if f"changed {key} {column}" in self.left:
                left[column] = True
            elif f"changed {key} {column}" in self.taken:
                left.pop(column, None)
                signal = with_said(signal, column, text)
                self.rows += scaled_over(self.draft.plant, signal, text) if column == "range" else []
        if renamed is not None:
            signal = self._renamed(signal, base, found)
        self.rows.append(signal)
        self.kept[key] = replace(base, signal=signal.id, values=values, left=left)

    def _renamed(self, signal: Signal, base: ListLine, found: Matched) -> Signal:
        """It bears the new tag; a name that was made of the old one is made of the new."""
        signal = replace(signal, tag=found.line.tag)
        if signal.name.lower() != name_of(self.edit.names, base.values).lower():
            return signal
        names = self.names.setdefault(signal.controller, SignalNames(self.draft, signal.controller))
        return replace(signal, name=names.free(name_of(self.edit.names, found.line.values)))

    def _keep_lines(self) -> None:
        """In the order of the issue; behind them what it does not have."""
        lines = [
            line
            for key, found in self.compared.matched.items()
            if (line := self.kept.get(key) or (found.base if key not in self.compared.renamed else None))
        ]
        there = {line.id for line in lines}
        others = {line.id: line for line in self.kept.values() if line.id not in there}
        lines += [
            others.get(line.id, line)
            for line in self.draft.plant.children(ListLine, self.list.id)
            if line.id not in there
        ]
        self.draft.put(*_ranked(lines))


def _ranked(lines: Sequence[ListLine]) -> list[ListLine]:
    """The lines with ranks in their order; those that have one keep it where that order is theirs already."""
    ranks = [line.rank for line in lines if line.rank]
    if any(one >= other for one, other in pairwise(ranks)):
        fresh = ranks_between("", "", len(lines))
        return [replace(line, rank=rank) for line, rank in zip(lines, fresh, strict=True)]
    result: list[ListLine] = []
    pending: list[ListLine] = []
    last = ""
    for line in [*lines, None]:
        if line is not None and not line.rank:
            pending.append(line)
            continue
        between = ranks_between(last, line.rank if line else "", len(pending))
        result += [replace(one, rank=rank) for one, rank in zip(pending, between, strict=True)]
        pending = []
        if line is not None:
            result.append(line)
            last = line.rank
    return result
