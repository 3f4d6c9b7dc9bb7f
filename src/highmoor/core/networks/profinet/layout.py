"""Where the octets of a station's submodules lie in what it gives and takes: one behind the other, in slot order.

Values stand high octet first (IEC 61158-6-10); the file names them, bits from the lowest of the last octet.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from highmoor.core.catalogue.profinet import DataItem
from highmoor.core.networks.blocks import Block, SeatedModule, Spot
from highmoor.core.networks.counting import MODULE_OCTETS, OCTETS_FROM_LAST
from highmoor.core.networks.line import Line
from highmoor.core.networks.profinet.settings import DIRECTIONS, Direction, io_device
from highmoor.core.networks.profinet.submodules import PnSubmodule
from highmoor.core.networks.wire import WireField, WireLayout
from highmoor.core.plant.rows import Exchange

# What `state` counts.
STATES = (
    "0 not there, 1 gets its address, 2 is connected, 3 gets its parameters, 4 exchanging, 5 exchanging, a submodule "
    "is bad"
)
# Values of more octets than any type has are told octet by octet.
_TYPE_OCTETS = 8


def layout(exchange: Exchange, line: Line) -> WireLayout:
    """All data that travels one way; what stands beside it in the data unit is the controller's own."""
    device, way = io_device(line), exchange.direction
    octets = device.octets(way)
    pieces: list[WireField] = []
    many = 0
    for sub in device.submodules:
        items, at = (sub.inputs, sub.at_in) if way == "in" else (sub.outputs, sub.at_out)
        many += bool(items)
        pieces += item_pieces(items, at, OCTETS_FROM_LAST.letter, sub)
    named = {n for piece in pieces for n in range(piece.bit // 8, (piece.bit + piece.bits + 7) // 8)}
    pieces += (WireField(f"o{n}", f"octet {n}", 8 * n, 8) for n in range(octets) if n not in named)
    return WireLayout(
        octets, 8 * octets, tuple(sorted(pieces, key=lambda piece: piece.bit)),
        f"{octets} octet{'' if octets == 1 else 's'}", f"{many} submodule{'' if many == 1 else 's'}", "ABCD",
        OCTETS_FROM_LAST, states=STATES,
    )  # fmt: skip


def item_pieces(
    items: Sequence[DataItem], at: int, letter: str, sub: PnSubmodule | None = None
) -> Iterator[WireField]:  # fmt: skip
    """Values one behind the other from an octet on; bits by themselves where the file names them."""
    before = f"{sub.slot}.{sub.subslot} " if sub else ""
    for item in items:
        for bit, label in item.bits:
            octet = at + item.octets - 1 - bit // 8
            yield WireField(
                f"{letter}{octet}.{bit % 8}", f"{before}{label}", 8 * octet + bit % 8, 1, "BOOL"
            )  # fmt: skip
        if not item.bits:
            if item.octets <= _TYPE_OCTETS:
                yield WireField(f"{letter}{at}", f"{before}{item.label}", 8 * at, 8 * item.octets, item.data_type)
            else:
                for n in range(item.octets):
                    yield WireField(f"{letter}{at + n}", f"{before}{item.label} {n}", 8 * (at + n), 8)
        at += item.octets


def lay(_: Sequence[SeatedModule], lines: Sequence[Line]) -> Iterator[Block]:
    """Each module's octets, and those of what is plugged into it beside them."""
    for line in lines:
        device = io_device(line)
        for direction in DIRECTIONS:
            exchange = next((x.id for x in line.exchanges if x.direction == direction), "")
            by_row: dict[str, list[PnSubmodule]] = {}
            for sub in device.submodules:
                if sub.row:
                    by_row.setdefault(sub.row, []).append(sub)
            for row, subs in by_row.items():
                block = _block(row, subs, direction, exchange)
                if block is not None:
                    yield block


def _block(row: str, subs: Sequence[PnSubmodule], direction: Direction, exchange: str) -> Block | None:
    spots: list[Spot | None] = []
    pieces: list[WireField] = []
    for sub in sorted(subs, key=lambda sub: sub.own_in if direction == "in" else sub.own_out):
        items, at = (sub.inputs, sub.at_in) if direction == "in" else (sub.outputs, sub.at_out)
        pieces += item_pieces(items, len(spots), MODULE_OCTETS[direction].letter)
        spots += (Spot(exchange, n) if exchange else None for n in range(at, at + sum(i.octets for i in items)))
    if not spots:
        return None
    first = next((spot.octet for spot in spots if spot), 0)
    return Block(row, direction, tuple(spots), f"octet {first}", tuple(pieces), MODULE_OCTETS[direction], "ABCD")
