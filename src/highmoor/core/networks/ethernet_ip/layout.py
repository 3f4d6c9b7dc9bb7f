"""What an exchange of EtherNet/IP carries: the fields its file names, octets where nothing does; low octet first."""

from __future__ import annotations

from collections.abc import Iterable

from highmoor.core.catalogue.choices import ExchangeChoice
from highmoor.core.datatypes import Order
from highmoor.core.networks.counting import OCTETS, OCTETS_FROM_LAST, Counting
from highmoor.core.networks.ethernet_ip.requests import request_of, service_name
from highmoor.core.networks.ethernet_ip.settings import agreement
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import is_request
from highmoor.core.networks.wire import WireField, WireLayout
from highmoor.core.plant.rows import Exchange

# Longer fields are blocks of something else's data: each of their octets can be linked.
_FIELD_BITS_AT_MOST = 64
_DRAWN_AT_MOST = 1500


def layout(exchange: Exchange, line: Line) -> WireLayout:
    """The octets of one direction; a place is called by its first octet, `o4`, or by a bit, `o4.2`."""
    if is_request(line.connection):
        return _asked(exchange, line)
    way = next(w for w in agreement(line).ways if w.direction == exchange.direction)
    term = "T→O" if way.direction == "in" else "O→T"
    if way.heartbeat:
        return WireLayout(0, 0, (), f"heartbeat {term}", _point(way.point), "DCBA")
    what = f"{way.octets} octet{'' if way.octets == 1 else 's'} {term}"
    pieces = tuple(_pieces(way.offered, way.octets))
    return WireLayout(way.octets, 8 * way.octets, pieces, what, _point(way.point), octet_order(line), _counting(line))


def octet_order(line: Line) -> Order:
    """How values stand in a connection's data: low octet first (CIP volume 1, C-2.1), unless its device differs."""
    return "ABCD" if line.connection.settings.get("high_octet_first") is True else "DCBA"


def _counting(line: Line) -> Counting:
    """Bits of a field of several octets are counted from its lowest octet, wherever that stands."""
    return OCTETS if octet_order(line) == "DCBA" else OCTETS_FROM_LAST


def _asked(exchange: Exchange, line: Line) -> WireLayout:
    request = request_of(line)
    octets = request.answer_octets if exchange.direction == "in" else request.send_octets
    size = f"{octets} octet{'' if octets == 1 else 's'}"
    # What is sent stands beside what is asked for: the service is named once.
    what = f"{service_name(request.service)}: {size}" if exchange.id == request.leads else f"{size} sent"
    numbers = (request.class_id, request.instance, request.attribute)
    at = "/".join(str(n) for n in numbers if n is not None)
    started = exchange.id == request.leads and request.trigger == "edge"
    pieces = tuple(_pieces(None, octets))
    return WireLayout(octets, 8 * octets, pieces, what, at, octet_order(line), _counting(line), started, asked=True)


def _point(point: int | None) -> str:
    return "no point yet" if point is None else f"point {point}"


def _pieces(offered: ExchangeChoice | None, octets: int) -> Iterable[WireField]:
    """The named fields that lie within, then single octets for all that no field covers."""
    octets = min(octets, _DRAWN_AT_MOST)
    if offered is None or not offered.fields:
        return [WireField(f"o{n}", f"octet {n}", 8 * n, 8) for n in range(octets)]
    pieces: list[WireField] = []
    for field in offered.fields:
        if not field.label or field.bit + field.bits > 8 * octets:
            continue
        octet, bit = divmod(field.bit, 8)
        if field.bits > _FIELD_BITS_AT_MOST and not bit and not field.bits % 8:
            pieces += [
                WireField(f"o{octet + n}", f"{field.label}, octet {n}", field.bit + 8 * n, 8)
                for n in range(field.bits // 8)
            ]
        else:
            key = f"o{octet}" if not bit and field.bits > 1 else f"o{octet}.{bit}"
            pieces.append(WireField(key, field.label, field.bit, field.bits, field.data_type))
    named = {n for piece in pieces for n in range(piece.bit // 8, (piece.bit + piece.bits + 7) // 8)}
    pieces += [WireField(f"o{n}", f"octet {n}", 8 * n, 8) for n in range(octets) if n not in named]
    return sorted(pieces, key=lambda piece: piece.bit)
