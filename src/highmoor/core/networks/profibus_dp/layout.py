"""Where the octets of a station's modules lie in what it gives and takes: one behind the other, in slot order.

Values stand high octet first (IEC 61158-6-3); nobody's file names them, so that they are called by number.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from highmoor.core.figures.profibus_identifier import identifier_sizes
from highmoor.core.networks.blocks import Block, SeatedModule, Spot
from highmoor.core.networks.carried import Area
from highmoor.core.networks.counting import MODULE_OCTETS, OCTETS_FROM_LAST
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import is_request
from highmoor.core.networks.profibus_dp.requests import record_text, request_of
from highmoor.core.networks.profibus_dp.settings import DIRECTIONS, DpModule, dp_station
from highmoor.core.networks.wire import WireField, WireLayout
from highmoor.core.plant.rows import Exchange

# More octets without words are no inputs and outputs of their own.
_BITS_UP_TO = 4
# What `state` counts.
STATES = (
    "0 not there, 1 wants parameters, 2 wants its configuration checked, 3 exchanging, 4 exchanging, diagnosis waits"
)


def layout(exchange: Exchange, line: Line) -> WireLayout:
    """All that travels one way: octets by number, words where the identifiers count in words."""
    if is_request(line.connection):
        return _asked(line)
    station = dp_station(line)
    octets = station.in_octets if exchange.direction == "in" else station.out_octets
    pieces = tuple(
        piece for module in station.modules for piece in module_pieces(module, exchange.direction, whole=True)
    )
    named = {n for piece in pieces for n in range(piece.bit // 8, (piece.bit + piece.bits) // 8)}
    rest = (WireField(f"o{n}", f"octet {n}", 8 * n, 8) for n in range(octets) if n not in named)
    many = sum(
        1 for module in station.modules if (module.in_octets if exchange.direction == "in" else module.out_octets)
    )
    return WireLayout(
        octets, 8 * octets, tuple(sorted((*pieces, *rest), key=lambda piece: piece.bit)),
        f"{octets} octet{'' if octets == 1 else 's'}",
        f"{many} module{'' if many == 1 else 's'}" if station.device and station.device.modules else "",
        "ABCD", OCTETS_FROM_LAST, states=STATES,
    )  # fmt: skip


def _asked(line: Line) -> WireLayout:
    """A record: octets of which no file tells what they mean."""
    request = request_of(line)
    pieces = tuple(WireField(f"o{n}", f"octet {n}", 8 * n, 8) for n in range(request.octets))
    size = f"{request.octets} octet{'' if request.octets == 1 else 's'}"
    return WireLayout(
        request.octets, 8 * request.octets, pieces, f"{'write' if request.writes else 'read'} {size}",
        record_text(request), "ABCD", OCTETS_FROM_LAST, started=request.trigger == "edge", asked=True,
    )  # fmt: skip


def module_pieces(module: DpModule, area: Area, *, whole: bool = False) -> Iterator[WireField]:
    """A module's data one way, each unit of its identifiers a piece, called by the octet it begins in.

    `whole`: as it stands among its station's octets.
    """
    at = (module.into if area == "in" else module.out) if whole else 0
    letter = OCTETS_FROM_LAST.letter if whole else MODULE_OCTETS[area].letter
    for identifier in module.identifiers:
        octets = identifier.in_octets if area == "in" else identifier.out_octets
        sizes = identifier_sizes(bytes.fromhex(identifier.octets))
        unit = sizes.in_unit if area == "in" else sizes.out_unit
        if not whole and unit == 1 and octets <= _BITS_UP_TO and not sizes.consistent:
            # What belongs together is consistent over its whole: these are bits of their own.
            for bit in range(8 * at, 8 * (at + octets)):
                yield WireField(f"{letter}{bit // 8}.{bit % 8}", f"bit {bit // 8}.{bit % 8}", bit, 1, "BOOL")
        else:
            for n in range(at, at + octets, unit):
                yield WireField(f"{letter}{n}", f"{'word' if unit == 2 else 'octet'} {n}", 8 * n, 8 * unit)
        at += octets


def lay(_: Sequence[SeatedModule], lines: Sequence[Line]) -> Iterator[Block]:
    """Each module's octets behind those of the modules before it."""
    for line in lines:
        for direction in DIRECTIONS:
            exchange = next((x.id for x in line.exchanges if x.direction == direction), "")
            for module in dp_station(line).modules:
                octets = module.in_octets if direction == "in" else module.out_octets
                if module.id and octets:
                    first = module.into if direction == "in" else module.out
                    spots = tuple(Spot(exchange, first + n) if exchange else None for n in range(octets))
                    pieces = tuple(module_pieces(module, direction))
                    yield Block(module.id, direction, spots, f"octet {first}", pieces, MODULE_OCTETS[direction], "ABCD")
