"""A controller's image as people look for data in it: stretch by stretch, any octet as bits, octets, words and double
words, with whatever is linked there by any of these, and what overlaps what.

Words and double words are counted from the beginning of their stretch, as the device counts; addresses as IEC 61131-3
writes them (2.4.1.1), in octets of the image.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass, replace
from math import isfinite
from typing import Literal

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.datatypes import DATA_TYPES, decode
from highmoor.core.errors import Refusal
from highmoor.core.hardware.safe_pairs import channel_label
from highmoor.core.networks.blocks import seated
from highmoor.core.networks.carried import Area
from highmoor.core.networks.counting import MODULE_OCTETS
from highmoor.core.networks.wire import WireLayout
from highmoor.core.numbers import shown
from highmoor.core.plant.plant import table_of_id
from highmoor.core.plant.rows import Controller, Exchange, Module, Network, Signal
from highmoor.core.signals.at import At
from highmoor.core.signals.beside import BY_KEY
from highmoor.core.signals.image import ControllerImage, ImageItem, label_of_item
from highmoor.core.signals.linked import HolderLinks, LinkedPlace
from highmoor.core.signals.path import iec_address
from highmoor.core.signals.places import controller_of, network_of, place_of
from highmoor.core.signals.spoken import key_at
from highmoor.core.signals.values import raw_type

Unit = Literal["bit", "octet", "word", "double word"]
UNITS: dict[Unit, int] = {"bit": 1, "octet": 8, "word": 16, "double word": 32}
# What a value of so many bits may mean, beside its octets in hex.
_MEANT: dict[int, tuple[str, ...]] = {8: ("USINT", "SINT"), 16: ("UINT", "INT"), 32: ("UDINT", "DINT", "REAL")}


@dataclass(frozen=True, slots=True)
class Stretch:
    """What lies together in an area: its holder, "" for what stands beside the data of exchanges, and its octets."""

    holder: str
    label: str
    area: Area
    offset: int
    octets: int
    padding: int


@dataclass(frozen=True, slots=True)
class ImageStretches:
    """Both areas of a controller's image, each in order."""

    stretches: tuple[Stretch, ...]
    alignment: int


@dataclass(frozen=True, slots=True)
class BitRun:
    """Bits of an area that follow on one another: the first, and how many."""

    first: int
    bits: int


@dataclass(frozen=True, slots=True)
class ImageValue:
    """A value in the image: its link and signal, from which bit of the area on, how many, and by which link order. Of
    one that is `scaled` its `type` is that of the count.

    `parts` are the bits it takes, several runs where they do not follow on one another; `among` are the names of those
    that share bits with it.
    """

    link: str
    signal: str
    name: str
    type: str
    bit: int
    bits: int
    order: str
    access: str
    scaled: bool
    parts: tuple[BitRun, ...]
    among: tuple[str, ...] = ()

    def shares(self, bit: int, bits: int) -> bool:
        """Whether it has any of these bits."""
        return any(run.first < bit + bits and bit < run.first + run.bits for run in self.parts)


@dataclass(frozen=True, slots=True)
class View:
    """The same octets by one unit: its address, where in it an octet lies, what it is called, what is linked just there
    and what else shares bits with it. `holder` and `key` are where a link would lead, "" for nowhere."""

    unit: Unit
    address: str
    bit: int
    bits: int
    holder: str
    key: str
    label: str
    order: str
    values: tuple[ImageValue, ...]
    across: tuple[ImageValue, ...]


def _stretches(reader: Reader, root: str) -> ImageStretches:
    image: ControllerImage = reader.part("controller.image", root)
    found = (
        Stretch(
            item.holder if ":" not in item.holder else "", _label(reader, item), item.area, item.offset,
            item.octets, item.padding,
        )
        for item in image.items.values()
    )  # fmt: skip
    return ImageStretches(tuple(found), image.alignment)


def _label(reader: Reader, item: ImageItem) -> str:
    key, _, exchange = item.holder.partition(":")
    if not exchange:
        return label_of_item(reader, item)
    # One block for each network, or one for all.
    network: Network | None = network_of(reader, reader.row(exchange, Exchange)) if BY_KEY[key].always else None
    return f"{BY_KEY[key].label.capitalize()}s{f', {network.name}' if network else ''}"


def item_at(reader: Reader, controller: str, area: Area, octet: int) -> ImageItem:
    """What an octet of an image lies in, its padding too. Raises Refusal where there is nothing."""
    image: ControllerImage = reader.part("controller.image", controller)
    own = [item for item in image.items.values() if item.area == area]
    n = bisect_right([item.offset for item in own], octet) - 1
    if n < 0 or octet >= own[n].end:
        name = reader.row(controller, Controller).name
        raise Refusal(f"The {area} area of {name} has no octet {octet}.", place=controller, value=octet)
    return own[n]


def values_in(reader: Reader, controller: str, item: ImageItem) -> tuple[ImageValue, ...]:
    """All values in a stretch in order, the widest of those that begin together first."""
    found = sorted(_values(reader, controller, item), key=lambda value: (value.bit, -value.bits, value.name))
    among: dict[str, list[str]] = {}
    reaching: list[tuple[int, ImageValue]] = []
    parts = ((run.first, run.bits, one) for one in found for run in one.parts)
    for first, bits, value in sorted(parts, key=_first_bit):
        reaching = [(end, one) for end, one in reaching if end > first]
        for _, one in reaching:
            if one is not value:
                among.setdefault(one.link, []).append(value.name)
                among.setdefault(value.link, []).append(one.name)
        reaching.append((first + bits, value))
    return tuple(replace(value, among=tuple(dict.fromkeys(among.get(value.link, ())))) for value in found)


def _first_bit(part: tuple[int, int, ImageValue]) -> int:
    return part[0]


def _values(reader: Reader, controller: str, item: ImageItem) -> Iterator[ImageValue]:
    if ":" in item.holder:
        yield from _beside_values(reader, controller, item)
        return
    for linked in _links_in(reader, item.holder):
        place = linked.place
        if place is None or place.area != item.area or place.controller != controller or place.kind in BY_KEY:
            continue
        if (place.carrier or place.holder) == item.holder and not (place.remote and not place.carrier):
            yield _value(reader, linked, 8 * item.offset + place.bit)


def _links_in(reader: Reader, holder: str) -> Iterator[LinkedPlace]:
    """Links at what lies in the image, and at what it brings from modules that hang on it."""
    if table_of_id(holder) == "exchanges":
        told: HolderLinks = reader.part("exchange.links", holder)
        yield from (*told.links, *told.carried)
        return
    yield from reader.part("module.links", holder).links
    for module in seated(reader, holder):
        yield from _links_in(reader, module.id)


def _value(reader: Reader, linked: LinkedPlace, bit: int) -> ImageValue:
    signal = reader.row(linked.link.signal, Signal)
    raw = raw_type(signal.type, linked.place, linked.link)
    order = linked.place.order if linked.place and linked.place.order else linked.link.order
    return ImageValue(
        linked.link.id,
        signal.id,
        signal.name,
        raw.name if raw else signal.type,
        bit,
        linked.bits or 1,
        order,
        linked.link.access,
        bool(linked.link.scaling),
        _parts(linked, bit),
    )


def _parts(linked: LinkedPlace, bit: int) -> tuple[BitRun, ...]:
    place, bits = linked.place, linked.bits or 1
    if place is None:
        return (BitRun(bit, bits),)
    return tuple(BitRun(first + bit - place.bit, n) for first, n in place.taken(bits))


def _beside(reader: Reader, controller: str, item: ImageItem) -> Iterator[tuple[str, str, int, int]]:
    """Of a block of what stands beside data: exchange, key, first bit in the area, bits."""
    image: ControllerImage = reader.part("controller.image", controller)
    for name, seat in image.beside.items():
        exchange, _, key = name.partition(".")
        if BY_KEY[key].area == item.area and item.offset <= seat.octet < item.offset + item.octets:
            yield exchange, key, 8 * seat.octet + seat.bit, BY_KEY[key].bits


def _beside_values(reader: Reader, controller: str, item: ImageItem) -> Iterator[ImageValue]:
    for exchange, key, bit, _ in _beside(reader, controller, item):
        links: HolderLinks = reader.part("exchange.links", exchange)
        for linked in links.links:
            if linked.link.way == key and linked.place is not None:
                yield _value(reader, linked, bit)


def views_at(reader: Reader, controller: str, area: Area, octet: int) -> tuple[View, ...]:
    """An octet's eight bits, itself, its word and its double word. Raises Refusal where there is nothing."""
    item = item_at(reader, controller, area, octet)
    values = values_in(reader, controller, item)
    within = octet - item.offset
    if within >= item.octets:
        return ()
    made = [_view(reader, controller, item, values, "bit", 8 * within + n) for n in range(8)]
    for unit in ("octet", "word", "double word"):
        octets = UNITS[unit] // 8
        first = within // octets * octets
        if first + octets <= item.octets:
            made.append(_view(reader, controller, item, values, unit, 8 * first))
    return tuple(made)


def _view(
    reader: Reader, controller: str, item: ImageItem, values: tuple[ImageValue, ...], unit: Unit, within: int
) -> View:
    bits = UNITS[unit]
    bit = 8 * item.offset + within
    here = [value for value in values if value.shares(bit, bits)]
    exact = tuple(value for value in here if value.parts == (BitRun(bit, bits),))
    holder, key, label, order = _called(reader, controller, item, within, bits)
    across = tuple(value for value in here if value not in exact)
    return View(unit, iec_address(item.area, bit, bits), bit, bits, holder, key, label, order, exact, across)


def _called(reader: Reader, controller: str, item: ImageItem, within: int, bits: int) -> tuple[str, str, str, str]:
    """Where a link to these bits would lead: holder, key, what that is called, and in what order its octets stand."""
    if ":" in item.holder:
        bit = 8 * item.offset + within
        own = (one for one in _beside(reader, controller, item) if one[2:] == (bit, bits))
        exchange, key = next(((exchange, key) for exchange, key, *_ in own), ("", ""))
        label = f"{reader.row(exchange, Exchange).name}, {BY_KEY[key].label}" if key else ""
        return exchange, key, label, "ABCD"
    if table_of_id(item.holder) == "modules":
        return _in_module(reader, item, within, bits)
    return _in_exchange(reader, controller, item, within, bits)


def _in_module(reader: Reader, item: ImageItem, within: int, bits: int) -> tuple[str, str, str, str]:
    device = reader.type(reader.value(item.holder, Module, "type"))
    if device is None or not device.channels:
        return "", "", "", "ABCD"
    order = "DCBA" if device.octet_order == "little" else "ABCD"
    inward = item.area == "in"
    channel = next(
        (c for c in device.each_channel()
         if c.group.inward == inward and (c.bit, c.group.bits) == (within, bits)), None
    )  # fmt: skip
    if channel:
        settings = reader.value(item.holder, Module, "settings") if device.safety else {}
        return item.holder, channel.key, channel_label(device, settings, channel), order
    if bits == 1 or within % 8:
        return "", "", "", order
    return item.holder, MODULE_OCTETS[item.area].key(within // 8), f"octet {within // 8}", order


def _in_exchange(reader: Reader, controller: str, item: ImageItem, within: int, bits: int) -> tuple[str, str, str, str]:
    wire: WireLayout = reader.part("exchange.wire", item.holder)
    far = controller_of(reader, item.holder) != controller
    back = (reader.value(item.holder, Exchange, "direction") == item.area) == far
    pieces = wire.back if back else wire.pieces
    told = next((piece for piece in pieces if (piece.bit, piece.bits) == (within, bits)), None)
    # A part of what is counted has no name, but for a single bit.
    counted = key_at(wire, within, bits, None, back=back) if bits == 1 or bits >= wire.counting.bits else ""
    key = told.key if told else counted
    if not key:
        return "", "", "", wire.order
    at = At(key, "back" if back else "data", "partner" if far else "own")
    place = place_of(reader, item.holder, at)
    return item.holder, at.word, place.within if place and place.bits == bits else "", wire.order


def meant(octets: bytes, bits: int, bit: int, order: str) -> tuple[tuple[str, str], ...]:
    """What the octets of a view say: (kind of number, written out). `bit` is its first in them, for a single one."""
    if bits == 1:
        return (("BOOL", str(octets[0] >> bit & 1)),)
    number = int(decode(octets, DATA_TYPES[_MEANT[bits][0]], order))
    spelled = [("hex", f"16#{number:0{bits // 4}X}")]
    if bits <= 16:
        digits = f"{number:0{bits}b}"
        spelled.append(("bits", "2#" + "_".join(digits[n : n + 4] for n in range(0, bits, 4))))
    told = ((kind, decode(octets, DATA_TYPES[kind], order)) for kind in _MEANT[bits])
    return (*spelled, *((kind, shown(value, 7) if isfinite(value) else "no number") for kind, value in told))


PARTS: tuple[Part, ...] = (Part("controller.stretches", "controllers", _stretches, shown=ImageStretches, asked=True),)
