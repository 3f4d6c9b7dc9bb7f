"""Parameters of a device on a port as its controller reaches them: by way of the master, one after the other."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from highmoor.core.catalogue.io_link import IoDevice
from highmoor.core.errors import Refusal
from highmoor.core.networks.io_link.parameters import PortAnswer, PortAsk, error_text, value_at
from highmoor.core.networks.io_link.values import octets_of, plain_octets, said
from highmoor.core.networks.live import Forms, ObjectAccess, ObjectAsk, ObjectTold

_MOST_INDEX, _MOST_SUBINDEX = 0xFFFF, 0xFF
# What a master answers, or why there is no answer, in words.
Done = Callable[[PortAnswer | str], None]


@dataclass(frozen=True, slots=True)
class PortReach:
    """A port whose device can be asked: what its file describes, and how it is asked."""

    port: int
    device: IoDevice | None
    ask: Callable[[PortAsk, Done], None]


def readable(reach: PortReach, row: str) -> Sequence[ObjectAsk]:
    """Every value its file describes and that can be read: of a record each part."""
    found: list[ObjectAsk] = []
    for variable in sorted(reach.device.variables, key=lambda one: one.index) if reach.device else ():
        if variable.access != "wo":
            parts = [one.subindex for one in variable.fields if one.subindex] or [0]
            found += [ObjectAsk(variable.index, part) for part in parts]
    return found


def octets(reach: PortReach, row: str, index: int, subindex: int, typed: str) -> bytes:
    """The octets of what was typed. Raises Refusal."""
    value = value_at(reach.device, index, subindex)
    return octets_of(value, typed) if value else plain_octets(typed)


def forms(reach: PortReach, row: str, index: int, subindex: int, told: bytes) -> Forms:
    """A value as people write it."""
    value = value_at(reach.device, index, subindex)
    return Forms.high_first(told, said(value, told) if value else "")


def ask(reach: PortReach, row: str, asks: Sequence[ObjectAsk], told: Callable[[ObjectAsk, ObjectTold], bool]) -> None:
    """One after the other, as the master answers. Raises Refusal for what is no index."""
    for one in asks:
        if not (0 <= one.index <= _MOST_INDEX and 0 <= one.subindex <= _MOST_SUBINDEX):
            raise Refusal("An index goes up to 16#FFFF, a subindex to 16#FF.", place=row, field="key")
    left = list(asks)

    def following() -> None:
        one = left.pop(0)
        reach.ask(PortAsk(reach.port, one.index, one.subindex, one.octets), lambda answer: done(one, answer))

    def done(one: ObjectAsk, answer: PortAnswer | str) -> None:
        if isinstance(answer, str):
            seen = ObjectTold(False, answer)
        elif answer.error:
            seen = ObjectTold(False, error_text(reach.device, answer.error))
        elif one.octets is not None:
            seen = ObjectTold(True, "written", one.octets)
        else:
            seen = ObjectTold(True, "read", answer.octets)
        if told(one, seen) and left:
            following()

    following()


PORT_OBJECTS = ObjectAccess(readable, octets, forms, ask)
