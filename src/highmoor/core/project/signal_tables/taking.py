"""Signals taken over from a table, or from declarations: made or changed, with their links, in one edit."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from highmoor.core.datatypes import ORDERS
from highmoor.core.errors import Refusal
from highmoor.core.plant.rows import Controller, Link, Signal
from highmoor.core.project import edits
from highmoor.core.project.channel_cells import CELLS, set_channel_cell
from highmoor.core.project.draft import Draft
from highmoor.core.project.set_fields import with_fields
from highmoor.core.project.signal_edits import End
from highmoor.core.project.signal_fields import scaling_object
from highmoor.core.signals.at import At


def take_signals(draft: Draft, edit: edits.TakeSignals) -> None:
    """Each as it is wanted. Raises Refusal with the signal that cannot be so, and does nothing then."""
    known = {
        (signal.controller, signal.name.casefold()): signal
        for controller in draft.plant.all(Controller)
        for signal in draft.plant.children(Signal, controller.id)
    }
    wanted = [(draft.plant.get(draft.resolve(one.controller), Controller), one) for one in edit.signals]
    new = [(c.id, one.name.casefold()) for c, one in wanted if (c.id, one.name.casefold()) not in known]
    ranks = {key: rank for c in {key[0] for key in new} for key, rank in _ranks(draft, c, new)}
    rows: list[Any] = []
    ends: dict[str, Callable[[str], End]] = {}
    of_channels: list[tuple[Signal, str, Any]] = []
    for controller, one in wanted:
        key = (controller.id, one.name.casefold())
        signal = known.get(key)
        if signal is None:
            signal = Signal(draft.new_id("signals"), controller.id, one.name, "BOOL", ranks[key])
            known[key] = signal
        try:
            own = {path: value for path, value in one.values.items() if path not in CELLS}
            signal = with_fields(draft, signal, {"name": one.name, **own})
            draft_links = _links(draft, signal, one.links, ends) if one.links is not None else ([], [])
        except Refusal as refusal:
            raise Refusal(f"{one.name}: {refusal.reason}", place=refusal.place, field=refusal.field) from None
        removed, made = draft_links
        draft.remove(removed)
        rows += [signal, *made]
        of_channels += [(signal, path, value) for path, value in one.values.items() if path in CELLS]
    draft.put(*rows)
    for signal, path, value in of_channels:
        # Only now they are linked to the channel that it is of.
        set_channel_cell(draft, signal, path, value)


def _ranks(draft: Draft, controller: str, new: list[tuple[str, str]]) -> list[tuple[tuple[str, str], str]]:
    own = list(dict.fromkeys(key for key in new if key[0] == controller))
    return list(zip(own, draft.last_rank(Signal, controller, len(own)), strict=True))


def _links(
    draft: Draft, signal: Signal, wanted: list[edits.WantedLink], ends: dict[str, Callable[[str], End]]
) -> tuple[list[str], list[Link]]:
    """The links that go, and those that are new or otherwise."""
    there = [draft.plant.get(i, Link) for i in draft.plant.referring("links", "signal", signal.id)]
    by_place = {(link.place, At.of(link)): link for link in there}
    made: list[Link] = []
    kept: set[str] = set()
    for one in wanted:
        if one.place not in ends:
            ends[one.place] = End.all_at(draft, one.place)
        end = ends[one.place](one.key)
        link = by_place.get((end.place.id, end.at)) or end.link(draft, signal.id, 0, None)
        if one.order is not None:
            if one.order not in ORDERS:
                raise Refusal(f"{one.order} is no order of octets.", field="order", value=one.order)
            link = replace(link, order=one.order)
        if not one.keeps_scaling:
            link = replace(link, scaling=scaling_object(one.scaling) if one.scaling else None)
        kept.add(link.id)
        made.append(link)
    return [link.id for link in there if link.id not in kept], made
