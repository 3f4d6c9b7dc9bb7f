"""The links at a module or an exchange with the places they lead to: what the checks of signals look at.

Worked out once for each holder, and free of names, slots and addresses, so that renaming a thing or moving octets along
changes nothing here.
"""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.plant.rows import Connection, Exchange, Link, Signal
from highmoor.core.signals.at import At
from highmoor.core.signals.places import Place, places_of
from highmoor.core.signals.values import raw_type, taken_bits


@dataclass(frozen=True, slots=True)
class LinkedPlace:
    """A link and the place it leads to, None for nowhere; `bits` is what its signal's value takes there.

    `held`: whether something brings those octets into a controller's image.
    """

    link: Link
    place: Place | None
    bits: int
    held: bool


@dataclass(frozen=True, slots=True)
class HolderLinks:
    """All links at a holder in order. `carried` are those at channels of a remote rail whose octets an exchange brings,
    with their places in it."""

    links: tuple[LinkedPlace, ...]
    carried: tuple[LinkedPlace, ...] = ()


_NONE = HolderLinks(())


def _of_module(reader: Reader, root: str) -> HolderLinks:
    links = reader.referring(Link, "place", root)
    return HolderLinks(_places(reader, root, links)) if links else _NONE


def _of_exchange(reader: Reader, root: str) -> HolderLinks:
    links = reader.referring(Link, "place", root)
    carried = tuple(_carried(reader, root))
    return HolderLinks(_places(reader, root, links), carried) if links or carried else _NONE


def _places(reader: Reader, holder: str, links: list[Link]) -> tuple[LinkedPlace, ...]:
    place_at = places_of(reader, holder)
    result = []
    for link in links:
        place = place_at(At(link.key, link.way, link.end))
        bits = taken_bits(raw_type(reader.value(link.signal, Signal, "type"), place, link), place)
        result.append(LinkedPlace(link, place, bits, place is not None and _held(reader, place)))
    return tuple(result)


def _held(reader: Reader, place: Place) -> bool:
    if not place.controller or (place.remote and not place.carrier):
        return False
    return reader.item("controller.holds", place.controller, place.item) is not None


def _carried(reader: Reader, exchange: str) -> list[LinkedPlace]:
    connection: Connection | None = reader.find(reader.value(exchange, Exchange, "connection"))
    blocks = (reader.part("station.blocks", connection.station) or {}) if connection else {}
    found: list[LinkedPlace] = []
    for module in dict.fromkeys(block.holder for block in blocks.values()):
        links: HolderLinks | None = reader.part("module.links", module)
        found += (
            [linked for linked in links.links if linked.place and linked.place.carrier == exchange] if links else []
        )
    return found


PARTS: tuple[Part, ...] = (
    Part("module.links", "modules", _of_module, stage="signals"),
    Part("exchange.links", "exchanges", _of_exchange, stage="signals"),
)
