"""Where each value of an EtherCAT device lies in its octets, and those of modules in their station's exchanges.

Values stand low octet first, bits from an octet's lowest (ETG.1000.6, 5.6.7.4); each device begins at a whole octet.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace

from highmoor.core.catalogue.ethercat import Pdo, PdoEntry, entry_key
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.networks.blocks import Block, SeatedModule, Spot
from highmoor.core.networks.ethercat.requests import object_text, request_of
from highmoor.core.networks.ethercat.settings import (
    DIRECTIONS,
    Direction,
    Node,
    bits_of,
    nodes_of,
)
from highmoor.core.networks.line import Line
from highmoor.core.networks.wire import WireField, WireLayout
from highmoor.core.plant.rows import Exchange

TERMS = {"in": "TxPDO", "out": "RxPDO"}


def pieces_of(pdos: Iterable[Pdo], direction: Direction) -> list[WireField]:
    """The values of PDOs in order; padding has none. Of two with one object the second is called by its PDO as well."""
    here = [pdo for pdo in pdos if pdo.direction == direction]
    labels = Counter(entry.label for pdo in here for entry in pdo.entries if entry.idx)
    pieces: dict[str, WireField] = {}
    bit = 0
    for pdo in here:
        for entry in pdo.entries:
            if entry.idx:
                key = entry_key(entry.idx, entry.sub)
                key = key if key not in pieces else f"{key}@{pdo.idx:04X}"
                label = _label(pdo, entry, alone=labels[entry.label] == 1)
                pieces[key] = WireField(key, label, bit, entry.bits, entry.data_type)
            bit += entry.bits
    return list(pieces.values())


def _label(pdo: Pdo, entry: PdoEntry, *, alone: bool) -> str:
    """By its PDO where that says more: sixteen inputs are all called input."""
    if len(pdo.entries) == 1:
        return pdo.label or entry.label
    alike = alone or not pdo.label or pdo.label.lower() in entry.label.lower()
    return entry.label if alike else f"{pdo.label}, {entry.label}"


# ETG.1000.6, 6.4.1; the least of all whose data it carries.
_STATES = "1 Init, 2 Pre-Op, 4 Safe-Op, 8 Op, 0 not there: the lowest of all whose data it carries"


def layout(exchange: Exchange, line: Line) -> WireLayout:
    """All that travels one way: what the station gives or takes itself by name, its modules' octets by number."""
    direction = exchange.direction
    nodes = nodes_of(line)
    if not nodes:
        return _asked(exchange, line)
    octets = sum(node.octets(direction) for node in nodes)
    pieces = pieces_of(nodes[0].own_pdos, direction)
    named = {n for piece in pieces for n in range(piece.bit // 8, (piece.bit + piece.bits + 7) // 8)}
    pieces += [WireField(f"o{n}", f"octet {n}", 8 * n, 8) for n in range(octets) if n not in named]
    pieces.sort(key=_bit)
    many = sum(len(node.taken(direction)) for node in nodes)
    size = f"{octets} octet{'' if octets == 1 else 's'}"
    what = f"{size}, {many} {TERMS[direction]}{'' if many == 1 else 's'}" if many else size
    return WireLayout(octets, 8 * octets, tuple(pieces), what, _of_whom(nodes), "DCBA", states=_STATES)


def _asked(exchange: Exchange, line: Line) -> WireLayout:
    """An object of its file is one value; what nobody describes are octets."""
    request = request_of(line)
    octets, value = request.octets, request.value
    whole = value is not None and value.data_type in DATA_TYPES and value.bits == 8 * octets
    pieces: tuple[WireField, ...] = tuple(WireField(f"o{n}", f"octet {n}", 8 * n, 8) for n in range(octets))
    if whole and value is not None:
        pieces = (WireField("o0", value.label, 0, value.bits, value.data_type),)
    what = f"{octets} octet{'' if octets == 1 else 's'} {'written' if request.writes else 'read'}"
    started = exchange.id == request.leads and request.trigger == "edge"
    return WireLayout(
        octets, 8 * octets, pieces, what, object_text(request), "DCBA", started=started, asked=True
    )  # fmt: skip


def _bit(piece: WireField) -> int:
    return piece.bit


def _of_whom(nodes: Sequence[Node]) -> str:
    modules = len(nodes) - 1 + sum(len(node.slots) for node in nodes)
    return f"{modules} module{'' if modules == 1 else 's'}" if modules else ""


def lay(_: Sequence[SeatedModule], lines: Sequence[Line]) -> Iterator[Block]:
    """Each module's octets behind what its station has of its own, in slot order."""
    for line in lines:
        for direction in DIRECTIONS:
            exchange = next((x.id for x in line.exchanges if x.direction == direction), "")
            octet = 0
            for node in nodes_of(line):
                if node.module:
                    yield _block(node.module, direction, exchange, 8 * octet, node.pdos)
                else:
                    bit = 8 * octet + bits_of(node.own_pdos, direction)
                    for slot in node.slots:
                        yield _block(slot.id, direction, exchange, bit, slot.pdos)
                        bit += bits_of(slot.pdos, direction)
                octet += node.octets(direction)


def _block(holder: str, direction: Direction, exchange: str, bit: int, pdos: Sequence[Pdo]) -> Block:
    first, shift = divmod(bit, 8)
    octets = (shift + bits_of(pdos, direction) + 7) // 8
    spots = tuple(Spot(exchange, first + n) if exchange else None for n in range(octets))
    pieces = tuple(pieces_of(pdos, direction))
    if shift:
        pieces = tuple(replace(piece, bit=piece.bit + shift) for piece in pieces)
    return Block(holder, direction, spots, f"octet {first}", pieces)
