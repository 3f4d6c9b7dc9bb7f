"""What travels in an exchange, or stands in a module's octets: pieces with their keys."""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.datatypes import Order
from highmoor.core.networks.counting import OCTETS, Counting
from highmoor.core.numbers import exact, plain


@dataclass(frozen=True, slots=True)
class WireField:
    """One addressable piece of an exchange: a register, a coil, a named field. Offsets in bits from its start.

    `data_type` is the type the device's file gives it, "" where nothing says. One that stands `high` octet first among
    others (IEC 61131-9, E.3.3) has its lowest bit in the last of its octets: `bit` then counts to the first of these
    octets, and from there as many bits as lie below it in the last. `gradient` and `offset` make of the raw value one
    in `unit`.
    """

    key: str
    label: str
    bit: int
    bits: int
    data_type: str = ""
    high: bool = False
    gradient: float = 1
    offset: float = 0
    unit: str = ""
    text: str = ""


@dataclass(frozen=True, slots=True)
class LinearScale:
    """What makes a value of a count: two counts with their values, and the type of the count."""

    raw_lo: int
    raw_hi: int
    lo: float
    hi: float
    raw_type: str


# A count at which a value is given: gradients have few digits, and a thousand of them few as well.
_FULL = 1000


def scale_of(field: WireField) -> LinearScale | None:
    """The scale of a value of which its file gives a gradient and an offset; None where it is the count."""
    gradient, offset = exact(field.gradient), exact(field.offset)
    if not gradient or (gradient == 1 and not offset):
        return None
    return LinearScale(0, _FULL, plain(offset), plain(offset + _FULL * gradient), field.data_type)


def stretches(bit: int, bits: int, *, high: bool) -> tuple[tuple[int, int], ...]:
    """Which bits a field takes, as (first, number), octet after octet, each octet counted from its lowest bit."""
    octets = (bit % 8 + bits + 7) // 8
    if not high or octets == 1 or (bit % 8 == 0 and bits % 8 == 0):
        return ((bit, bits),)
    first, below = bit // 8, bit % 8
    top = (below + bits - 1) % 8 + 1
    whole = ((8 * (first + 1), 8 * (octets - 2)),) if octets > 2 else ()
    return ((8 * first, top), *whole, (8 * (first + octets - 1) + below, 8 - below))


@dataclass(frozen=True, slots=True)
class WireLayout:
    """What an exchange carries: its data in octets and bits, its pieces, and how it is written in the trade.

    `order` is how a value of several octets stands there unless its link says otherwise: DCBA low octet first.
    `counting` names its places, `address` the first as it stands in the request, where that differs from the reference.
    What is `started` is exchanged when its start bit rises, a bit of the controller's out area. What is `asked` is a
    question with an answer, so that the program can see it running. `states` says what the numbers of its device's
    state mean, where it has such. `back` are the pieces that go the other way in the same transaction, where there are
    any.
    """

    octets: int
    bits: int
    pieces: tuple[WireField, ...]
    what: str
    reference: str = ""
    order: Order = "ABCD"
    counting: Counting = OCTETS
    started: bool = False
    asked: bool = False
    back: tuple[WireField, ...] = ()
    back_octets: int = 0
    address: str = ""
    states: str = ""
