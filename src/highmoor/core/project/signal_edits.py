"""Edits of structure in the signals stage: runs of signals and their links."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

from highmoor.core.datatypes import DATA_TYPES, Order
from highmoor.core.errors import Refusal
from highmoor.core.hardware.module_octets import module_octet
from highmoor.core.networks.blocks import Block
from highmoor.core.networks.counting import MODULE_OCTETS, Counting, UnitKey
from highmoor.core.networks.wire import WireField
from highmoor.core.numbers import plain
from highmoor.core.plant.rows import Connection, Controller, Exchange, Link, Module, Signal
from highmoor.core.plant.variables import variable_problem
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.lists.ranges import ends_of
from highmoor.core.project.patterns import counted
from highmoor.core.project.signal_fields import scaling_object
from highmoor.core.project.wires import blocks_of, usual_order, wire_of
from highmoor.core.signals.at import At
from highmoor.core.signals.beside import BY_KEY
from highmoor.core.signals.conversion import channel_range
from highmoor.core.signals.declared import Declarations
from highmoor.core.signals.spoken import block_key, channel_key, piece_key

_CHANNEL_KEY = re.compile(r"ch(\d{1,5})")


def add_signals(draft: Draft, edit: edits.AddSignals) -> None:
    """A run of signals; `{n}` counts, and the places count with it. Of a composite type each value is one."""
    controller = draft.plant.get(draft.resolve(edit.controller), Controller)
    declared = Declarations.of(draft.plant)
    names = counted(edit.pattern, edit.start, edit.step, edit.count)
    elements = [element for name in names for element in declared.elements(name, edit.type)]
    taken = {s.name.lower() for s in draft.plant.children(Signal, controller.id)}
    for element in elements:
        problem = variable_problem(element.name)
        if not problem and element.name.lower() in taken:
            problem = f"{element.name} is there already in {controller.name}."
        if problem:
            raise Refusal(problem, field="pattern", value=edit.pattern)
    end = End.of(draft, edit.place, edit.key) if edit.place and edit.key else None
    end = _from_its_unit(edit, end) if end else None
    rows: list[Any] = []
    steps = 0
    for element, rank in zip(elements, draft.last_rank(Signal, controller.id, len(elements)), strict=True):
        signal = Signal(
            draft.new_id("signals"), controller.id, element.name, element.type, rank, edit.unit or element.unit,
            edit.note or element.note,
        )  # fmt: skip
        if edit.tag and not rows:
            draft.tags[edit.tag] = signal.id
        rows.append(signal)
        if end:
            rows.append(end.link(draft, signal.id, steps, edit.scaling))
            steps += edit.stride or places_taken(element.type, edit.scaling, end)
    draft.put(*rows)


def _from_its_unit(edit: edits.AddSignals, end: End) -> End:
    """A value of several bits that is said to begin with the first bit of a unit is that unit."""
    named = UnitKey.of(end.at.key)
    kind = DATA_TYPES.get(edit.type)
    if named is None or named.bit != 0 or kind is None or kind.bits == 1 or not (end.counting and end.counting.every):
        return end
    return replace(end, at=replace(end.at, key=replace(named, bit=None).text))


def places_taken(kind: str, scaling: dict[str, Any] | None, end: End) -> int:
    """How many places a signal of the run takes: a scaled one as many as its raw count, INT unless it is said."""
    value = UnitKey.of(end.at.key)
    if value is None or value.bit is not None or end.counting is None or end.counting.bits == 1:
        return 1
    raw = str(scaling.get("raw_type") or "INT") if scaling is not None else kind
    bits = DATA_TYPES[raw].bits if raw in DATA_TYPES else 1
    return end.counting.taken(bits)


def at_after(at: At, steps: int, counting: Counting | None, pieces: Sequence[WireField] = ()) -> At:
    """The place so many steps on. Raises Refusal for one of which there is only one."""
    if steps and at.way in BY_KEY:
        raise Refusal(f"There is only one {at.word}: a run of signals cannot continue from it.", field="key")
    return replace(at, key=_key_after(at.key, steps, counting, pieces))


def _key_after(key: str, steps: int, counting: Counting | None, pieces: Sequence[WireField]) -> str:
    """The key `steps` places on: ch3 → ch4, r0 → r2, r4.7 → r4.8, r4.15 → r5.0, o4.7 → o5.0, and of values that a file
    names the next one alike."""
    channel, named = _CHANNEL_KEY.fullmatch(key), UnitKey.of(key)
    piece = next((piece for piece in pieces if piece.key == key), None) if named is None or counting is None else None
    if piece:
        return _alike_after(piece, steps, pieces)
    if channel:
        return f"ch{int(channel[1]) + steps}"
    if named and named.bit is not None and counting:
        # A value of several units has bits of its own: of a word its sixteenth is followed by the next word's first.
        own = next((piece.bits for piece in pieces if piece.key == counting.key(named.unit)), counting.bits)
        on, bit = divmod(named.bit + steps, max(own, counting.bits))
        return replace(named, unit=named.unit + on * (max(own, counting.bits) // counting.bits), bit=bit).text
    if named and counting:
        return replace(named, unit=named.unit + steps).text
    if steps:
        raise Refusal(f"There is only one {key}: a run of signals cannot continue from it.", field="key", value=key)
    return key


def _alike_after(piece: WireField, steps: int, pieces: Sequence[WireField]) -> str:
    """Steps go from channel to channel where each has such a value, else from one such value to the next."""
    alike = [p for p in pieces if (p.bits, p.data_type) == (piece.bits, piece.data_type)]
    # An object's subindex says what of a channel it is (ETG.5001): the value of each, not its limits in between.
    same = [p for p in alike if p.key.partition(":")[2] == piece.key.partition(":")[2]]
    series = same if len(same) > 1 else alike
    behind = series[series.index(piece) :]
    if steps >= len(behind):
        what = f"only {len(behind)} of its kind" if len(behind) > 1 else "only one"
        raise Refusal(f"From {piece.label} on there is {what}: the run is longer.", field="count", value=steps + 1)
    return behind[steps].key


def link_signal(draft: Draft, edit: edits.LinkSignal) -> None:
    """A link of the signal to a place; of what it replaces the scaling is kept unless given."""
    signal = draft.plant.get(draft.resolve(edit.signal), Signal)
    links = [draft.plant.get(i, Link) for i in draft.plant.referring("links", "signal", signal.id)]
    old = links
    if edit.instead:
        old = [link for link in links if link.id == draft.resolve(edit.instead)]
        if not old:
            raise Refusal(f"{signal.name} has no such link.", field="instead", value=edit.instead)
    elif edit.also:
        old = []
    end = End.of(draft, edit.place, edit.key)
    kept = [link for link in links if link not in old]
    if any((link.place, At.of(link)) == (end.place.id, end.at) for link in kept):
        raise Refusal(f"{signal.name} is linked there already.", field="key", value=edit.key)
    scaling = edit.scaling if edit.scaling is not None else next((link.scaling for link in old), None)
    made = end.link(draft, signal.id, 0, scaling)
    if scaling is None:
        made = replace(made, scaling=listed_scaling(draft, signal, made))
    source = next((link for link in kept if link.access == "reads"), None) if made.access == "reads" else None
    if source:
        raise Refusal(
            f"{signal.name} has its value from {_called(draft, source)} already; it can be written to several places, "
            "but read from one.",
            field="key", value=edit.key,
        )  # fmt: skip
    if old:
        draft.remove([link.id for link in old])
    draft.put(made)


def scale_link(draft: Draft, edit: edits.ScaleLink) -> None:
    """A scaling over the counts of the channel, or none.

    A scaled value has a fraction: a whole number becomes a REAL, and what it was is the type of its count. One with
    several links stays what it is, because the others would change with it.
    """
    link = draft.plant.get(draft.resolve(edit.link), Link)
    signal = draft.plant.get(link.signal, Signal)
    alone = len(draft.plant.referring("links", "signal", signal.id)) == 1
    if edit.scaled:
        real = signal.type in ("REAL", "LREAL")
        low, high = _counts(draft, link)
        scaling: dict[str, Any] = {"raw_lo": low, "raw_hi": high, "lo": 0, "hi": 100, "clamp": False}
        scaling |= {} if real else {"raw_type": signal.type}
        becomes = signal.type if real or not alone else "REAL"
    else:
        was = (link.scaling or {}).get("raw_type")
        scaling, becomes = {}, was if was and alone else signal.type
    draft.put(replace(link, scaling=scaling_object(scaling) if scaling else None), replace(signal, type=str(becomes)))


def listed_scaling(draft: Draft, signal: Signal, link: Link) -> dict[str, Any] | None:
    """The scaling of a real value on a channel that counts, over the range that a list gives it; else None."""
    ends = ends_of(str(signal.wiring.get("range", "")))
    if (
        ends is None
        or signal.type not in ("REAL", "LREAL")
        or channel_range(draft.plant, draft.catalogue, link) is None
    ):
        return None
    low, high = _counts(draft, link)
    return scaling_object({"raw_lo": low, "raw_hi": high, "lo": plain(ends[0]), "hi": plain(ends[1])})


def _counts(draft: Draft, link: Link) -> tuple[int, int]:
    """The counts a scaling begins with: the channel's own number format where there is one."""
    module = draft.plant.find(link.place)
    device = draft.catalogue.find(module.type) if isinstance(module, Module) else None
    chosen = device.range_at(link.key, module.settings) if device and isinstance(module, Module) else None
    return (chosen.raw_low, chosen.raw_high) if chosen else (0, 1000)


def _called(draft: Draft, link: Link) -> str:
    """What a link leads to, as people call it."""
    place = draft.plant.find(link.place)
    if isinstance(place, Exchange):
        return place.name
    device = draft.catalogue.find(place.type) if isinstance(place, Module) else None
    return (place.designation if isinstance(place, Module) else "") or (device.name if device else "a module")


@dataclass(frozen=True, slots=True)
class End:
    """Where links are made: the place, what of it, and how values usually stand there."""

    place: Module | Exchange
    at: At
    order: Order
    counting: Counting | None = None
    # Of a module whose type has no channels.
    blocks: tuple[Block, ...] = ()
    pieces: tuple[WireField, ...] = ()

    @classmethod
    def of(cls, draft: Draft, place_ref: str, said: str) -> End:
        """The end that is meant. Raises Refusal for what can hold no signal."""
        return cls.all_at(draft, place_ref)(said)

    @classmethod
    def all_at(cls, draft: Draft, place_ref: str) -> Callable[[str], End]:
        """What finds the ends at one place, for as many as are asked: how it is laid out is worked out once. Raises
        Refusal for what can hold no signal."""
        place = draft.plant.get(draft.resolve(place_ref), object)
        if isinstance(place, Module):
            return cls._at_module(draft, place)
        if not isinstance(place, Exchange):
            raise Refusal("A signal is linked to a channel of a module or to an exchange.", value=place_ref)
        wire = wire_of(draft.plant, draft.catalogue, place)
        if wire is None:
            return lambda said: cls(place, At.read(said), "ABCD")
        return lambda said: cls(place, At.read(piece_key(wire, said)), wire.order, wire.counting, pieces=wire.pieces)

    @classmethod
    def _at_module(cls, draft: Draft, module: Module) -> Callable[[str], End]:
        device = draft.catalogue.find(module.type)
        if device is not None and not device.channels:
            blocks = blocks_of(draft.plant, draft.catalogue, module)
            return lambda said: cls.in_blocks(module, blocks, said)

        def end(said: str) -> End:
            key = channel_key(device, said)
            octet = module_octet(device, key)
            return cls(module, At(key), "ABCD", MODULE_OCTETS[octet.area] if octet else None)

        return end

    @classmethod
    def in_blocks(cls, module: Module, own: Sequence[Block], said: str) -> End:
        """The end in a module's own blocks."""
        pieces = tuple(piece for block in own for piece in block.pieces)
        key = block_key(own, said)
        block = _block_of(own, key)
        if block is None:
            return cls(module, At(key), "DCBA", None, tuple(own), pieces)
        # Any bits of a port's data may be named: what comes behind some of them nobody counts.
        counting = None if block.field_at and block.field_at(key) else block.counting
        return cls(module, At(key), block.order, counting, tuple(own), pieces)

    def link(self, draft: Draft, signal: str, steps: int, scaling: dict[str, Any] | None) -> Link:
        """A signal's link to the place so many steps on."""
        at = at_after(self.at, steps, self.counting, self.pieces)
        access = self._access_of_block(at) or _access(draft, self.place, at)
        stored = scaling_object(scaling) if scaling is not None else None
        return Link(
            draft.new_id("links"), signal, self.place.id, at.key, access, order=self.order, scaling=stored,
            way=at.way, end=at.end,
        )  # fmt: skip

    def _access_of_block(self, at: At) -> Literal["reads", "writes"] | None:
        """By the area in which a value of a module lies; a bit lies where its value does."""
        block = _block_of(self.blocks, at.key)
        return None if block is None else "reads" if block.area == "in" else "writes"


def _block_of(blocks: Sequence[Block], key: str) -> Block | None:
    """The one that has a value, or any of whose octets can be named so; a bit lies where its value does."""
    keys = (key, key.rpartition(".")[0])
    named = UnitKey.of(key)
    for block in blocks:
        if any(block.named(one) for one in keys):
            return block
        letter = block.counting.letter if block.counting.every and named else ""
        if any(piece.key in keys for piece in block.pieces) or (named and block.pieces and named.letter == letter):
            return block
    return None


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


def _access(draft: Draft, place: Module | Exchange, at: At) -> Literal["reads", "writes"]:
    """Which way a place goes follows from the place."""
    if isinstance(place, Exchange):
        if at.way in BY_KEY:
            return "writes" if BY_KEY[at.way].area == "out" else "reads"
        # At the end of the one who is asked, data goes the other way, and so does what goes back.
        turned = (at.end == "partner") != (at.way == "back")
        return "reads" if (place.direction == "in") != turned else "writes"
    device = draft.catalogue.find(place.type)
    channel, octet = device.channel(at.key) if device else None, module_octet(device, at.key)
    if octet is not None:
        return "reads" if octet.area == "in" else "writes"
    if channel is None:
        name = device.name if device else place.type
        said = at.key.removeprefix("ch")
        raise Refusal(f"{name} has no channel {said}.", place=place.id, field="key", value=at.key)
    return "reads" if channel.group.inward else "writes"
