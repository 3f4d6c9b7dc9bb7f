"""Objects read and written beside the cycle, by the controller's mailbox questions."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from highmoor.core.errors import Refusal
from highmoor.core.networks.ethercat.asking import Asking
from highmoor.core.networks.ethercat.bench import Master
from highmoor.core.networks.ethercat.bring_up import read_object, write_object
from highmoor.core.networks.ethercat.explain import INIT
from highmoor.core.networks.ethercat.objects import objects_of, value_at, values_of
from highmoor.core.networks.ethercat.rounds import NodeLive
from highmoor.core.networks.ethercat.values import forms_of, octets_of
from highmoor.core.networks.live import Forms, ObjectAccess, ObjectAsk, ObjectTold

_MOST_INDEX, _MOST_SUBINDEX = 0xFFFF, 0xFF


def _live(master: Master, row: str) -> NodeLive:
    found = next((live for live in master.nodes if live.node.id == row), None)
    if found is None:
        raise Refusal("Nobody there answers for himself: choose a device of the line.", place=row)
    return found


def readable(master: Master, row: str) -> Sequence[ObjectAsk]:
    """Every value that its file describes and that can be read, in the order of the indices."""
    found = objects_of(_live(master, row).node)
    return [
        ObjectAsk(idx, value.sub) for idx in sorted(found) for value in values_of(found[idx][0]) if value.access != "wo"
    ]


def octets(master: Master, row: str, index: int, subindex: int, typed: str) -> bytes:
    """The octets of what was typed for a value; of one nobody describes, the fewest that hold it."""
    value = value_at(_live(master, row).node, index, subindex)
    return octets_of(typed, value.data_type if value else "", value.bits if value else 0)


def forms(master: Master, row: str, index: int, subindex: int, told: bytes) -> Forms:
    """A value as people write it."""
    value = value_at(_live(master, row).node, index, subindex)
    return forms_of(told, value.data_type if value else "", value.bits if value else 0)


def ask(master: Master, row: str, asks: Sequence[ObjectAsk], told: Callable[[ObjectAsk, ObjectTold], bool]) -> None:
    """One after the other. Raises Refusal where nobody could answer, and for what is no index."""
    live = _live(master, row)
    for one in asks:
        if not (0 <= one.index <= _MOST_INDEX and 0 <= one.subindex <= _MOST_SUBINDEX):
            raise Refusal("An index goes up to 16#FFFF, a subindex to 16#FF.", place=row, field="key")
    if not live.found:
        raise Refusal("It does not answer at its position.", place=row)
    if live.state == INIT:
        raise Refusal(f"It is in Init, where its mailbox is shut: {live.text}.", place=row)
    master.asker.run(_asked(live, asks, told))


def _asked(live: NodeLive, asks: Sequence[ObjectAsk], told: Callable[[ObjectAsk, ObjectTold], bool]) -> Asking:
    for one in asks:
        if one.octets is None:
            found, why = yield from live.alone(read_object(live.node, live.address, one.index, one.subindex))
            seen = ObjectTold(not why, why or "read", found)
        else:
            writing = write_object(live.node, live.address, one.index, one.subindex, one.octets)
            why = yield from live.alone(writing)
            seen = ObjectTold(not why, why or "written", one.octets if not why else b"")
        if not told(one, seen):
            return None
    return None


OBJECTS = ObjectAccess(readable, octets, forms, ask)
