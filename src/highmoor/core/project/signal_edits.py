"""Edits of structure in the signals stage: runs of signals and their links."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any, Literal

from highmoor.core.datatypes import DATA_TYPES, Order
from highmoor.core.errors import Refusal
from highmoor.core.plant.fields import identifier_problem
from highmoor.core.plant.rows import Connection, Controller, Exchange, Link, Module, Signal
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.fields import scaling_object, usual_order
from highmoor.core.project.patterns import counted
from highmoor.core.signals.places import BACK, FAR

_COUNTED_KEY = re.compile(r"(ch|f?w?[rbo])(\d{1,5})")
_BIT_WITHIN = re.compile(r"(f?w?)([ro])(\d{1,5})\.(\d{1,2})")
_VALUE_KEY = re.compile(r"f?w?([ro])\d{1,5}")
_BITS_OF = {"r": 16, "o": 8}


def add_signals(draft: Draft, edit: edits.AddSignals) -> None:
    """A run of signals; `{n}` counts, and the places count with it."""
    controller = draft.plant.get(draft.resolve(edit.controller), Controller)
    if edit.type not in DATA_TYPES:
        raise Refusal(f"{edit.type} is no elementary type.", field="type", value=edit.type)
    names = counted(edit.pattern, edit.start, edit.step, edit.count)
    taken = {s.name.lower(): s for s in draft.plant.children(Signal, controller.id)}
    for name in names:
        problem = identifier_problem(name)
        if not problem and name.lower() in taken:
            problem = f"{name} is there already in {controller.name}."
        if problem:
            raise Refusal(problem, field="pattern", value=edit.pattern)
    ranks = draft.last_rank(Signal, controller.id, edit.count)
    stride = edit.stride or _stride(edit)
    rows: list[Any] = []
    for n, (name, rank) in enumerate(zip(names, ranks, strict=True)):
        signal = Signal(draft.new_id("signals"), controller.id, name, edit.type, rank, edit.unit, edit.note)
        rows.append(signal)
        if edit.place and edit.key:
            key = key_after(edit.key, n * stride)
            rows.append(_link(draft, signal.id, edit.place, key, edit.scaling))
        if edit.tag and n == 0:
            draft.tags[edit.tag] = signal.id
    draft.put(*rows)


def _stride(edit: edits.AddSignals) -> int:
    """How many places a signal of the run takes: a scaled one as many as its raw count, INT unless it is said."""
    value = _VALUE_KEY.fullmatch(edit.key or "")
    if value is None:
        return 1
    raw = str((edit.scaling or {}).get("raw_type") or "INT") if edit.scaling is not None else edit.type
    bits = DATA_TYPES[raw].bits if raw in DATA_TYPES else 1
    return max(1, -(-bits // _BITS_OF[value[1]]))


def key_after(key: str, steps: int) -> str:
    """The key `steps` places on: ch3 → ch4, r0 → r2, r4.7 → r4.8, r4.15 → r5.0, o4.7 → o5.0."""
    bit = _BIT_WITHIN.fullmatch(key)
    if bit:
        bits = _BITS_OF[bit[2]]
        total = bits * int(bit[3]) + int(bit[4]) + steps
        return f"{bit[1]}{bit[2]}{total // bits}.{total % bits}"
    plain = _COUNTED_KEY.fullmatch(key)
    if plain:
        return f"{plain[1]}{int(plain[2]) + steps}"
    if steps:
        raise Refusal(f"{key} cannot be counted on: there is only one.", field="key", value=key)
    return key


def link_signal(draft: Draft, edit: edits.LinkSignal) -> None:
    """The signal's one link, to another place; what it had is replaced, its scaling kept unless given."""
    signal = draft.plant.get(draft.resolve(edit.signal), Signal)
    old = [draft.plant.get(i, Link) for i in draft.plant.referring("links", "signal", signal.id)]
    scaling = edit.scaling if edit.scaling is not None else next((link.scaling for link in old), None)
    if old:
        draft.remove([link.id for link in old])
    draft.put(_link(draft, signal.id, edit.place, edit.key, scaling))


def _link(draft: Draft, signal: str, place_ref: str, key: str, scaling: dict[str, Any] | None) -> Link:
    place = draft.plant.get(draft.resolve(place_ref), object)
    if not isinstance(place, Module | Exchange):
        raise Refusal("A signal is linked to a channel of a module or to an exchange.", value=place_ref)
    access = _access(draft, place, key)
    stored = scaling_object(scaling) if scaling is not None else None
    order = usual_order(draft.plant, draft.catalogue, place) if isinstance(place, Exchange) else "ABCD"
    return Link(draft.new_id("links"), signal, place.id, key, access, order=order, scaling=stored)


def orders_on(draft: Draft, connection: Connection) -> dict[str, Order]:
    """The usual octet order of each exchange of a connection."""
    return {
        exchange.id: usual_order(draft.plant, draft.catalogue, exchange)
        for exchange in draft.plant.children(Exchange, connection.id)
    }


def follow_orders(draft: Draft, before: dict[str, Order]) -> None:
    """Links that stood in the usual order stand in the new one; those that a hand set otherwise stay."""
    links = draft.plant.tables["links"]
    for exchange, old in before.items():
        new = usual_order(draft.plant, draft.catalogue, draft.plant.get(exchange, Exchange))
        if new != old:
            own = (links[i] for i in draft.plant.referring("links", "place", exchange))
            draft.put(*(replace(link, order=new) for link in own if link.order == old))


def _access(draft: Draft, place: Module | Exchange, key: str) -> Literal["reads", "writes"]:
    """Which way a place goes follows from the place."""
    if isinstance(place, Exchange):
        far, back = key.startswith(FAR), key.removeprefix(FAR).startswith(BACK)
        if far != back:
            # At the end of the one who is asked, data goes the other way, and so does what goes back.
            return "writes" if place.direction == "in" else "reads"
        return "writes" if key == "start" or (place.direction == "out" and key not in ("status", "code")) else "reads"
    device = draft.catalogue.find(place.type)
    channel = device.channel(key) if device else None
    if channel is None:
        name = device.name if device else place.type
        raise Refusal(f"{name} has no channel {key.removeprefix('ch')}.", place=place.id, field="key", value=key)
    return "reads" if channel.group.inward else "writes"
