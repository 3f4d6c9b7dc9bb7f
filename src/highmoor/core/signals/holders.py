"""What hangs on a module or an exchange: its channels or octets, each with the signal linked to it."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator
from dataclasses import dataclass, replace

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.types import DeviceType, channel_settings
from highmoor.core.datatypes import DATA_TYPES, whole_type
from highmoor.core.hardware.module_octets import module_octet
from highmoor.core.hardware.mounting import terminals
from highmoor.core.hardware.parts import RailMounting
from highmoor.core.networks.blocks import Block
from highmoor.core.networks.carried import AREAS
from highmoor.core.networks.wire import WireField, WireLayout
from highmoor.core.plant.rows import Axis, Controller, End, Exchange, Link, Module, Signal, Way
from highmoor.core.signals.at import At
from highmoor.core.signals.beside import Beside, beside_of
from highmoor.core.signals.image import Area, ControllerImage, ImageItem
from highmoor.core.signals.linked import HolderLinks, LinkedPlace
from highmoor.core.signals.path import written_at, written_place
from highmoor.core.signals.places import RailPlace, block_of, controller_of, places_of
from highmoor.core.signals.scaling import Scaling


@dataclass(frozen=True, slots=True)
class LinkedSignal:
    """A signal at a place; `bit` where it is a single one within a wider piece."""

    link: str
    signal: str
    name: str
    type: str
    unit: str
    span: str
    bit: int | None


@dataclass(frozen=True, slots=True)
class ChannelFacts:
    """A channel as drawn: number, terminals, kind, range with its counts, image address, signals linked to it.

    A value of a module whose type has no channels is one as well: its kind is "in" or "out", its `label` the file's.

    `data_type` is what the channel is as it comes, without a scaling (IEC 61131-3, table 10); `gives` is what it is to
    an axis, "" for none.
    """

    key: str
    number: int
    kind: str
    data_type: str
    terminals: str
    range: str
    raw_span: tuple[int, int] | None
    written: str
    signals: tuple[LinkedSignal, ...]
    cable: str
    core: str
    note: str
    label: str = ""
    gives: str = ""


@dataclass(frozen=True, slots=True)
class OctetSignals:
    """An octet of a module to which signals are linked beside its channels."""

    label: str
    signals: tuple[LinkedSignal, ...]


@dataclass(frozen=True, slots=True)
class ModuleChannels:
    """All channels of a module in order, and its octets each way.

    `in_place` and `out_place` tell where a module's octets lie, and how a remote module's come there.
    """

    channels: tuple[ChannelFacts, ...]
    in_octets: int
    out_octets: int
    in_place: str
    out_place: str
    octets: tuple[OctetSignals, ...] = ()


@dataclass(frozen=True, slots=True)
class OctetField:
    """A stretch of an exchange's octets; `data_type` is its file's (`told`), or the usual one for so many bits."""

    key: str
    label: str
    bit: int
    bits: int
    data_type: str
    told: bool
    signals: tuple[LinkedSignal, ...]


@dataclass(frozen=True, slots=True)
class BesideData:
    """A bit or word an exchange has beside its data, and where it lies in the image; no octet where nothing asks."""

    key: str
    label: str
    help: str
    area: str
    octet: int | None
    bit: int
    bits: int
    data_type: str
    signals: tuple[LinkedSignal, ...]


@dataclass(frozen=True, slots=True)
class ExchangeOctets:
    """An exchange's octets on the wire and in the controller's image, with padding and what stands beside them."""

    what: str
    reference: str
    pieces: tuple[OctetField, ...]
    octets: int
    image_area: str
    image_offset: int | None
    padding: int
    alignment: int
    controller: str
    beside: tuple[BesideData, ...]


_NOTHING: dict[str, str] = {}


def linked_here(reader: Reader, holder: str) -> dict[At, list[tuple[Link, Signal]]]:
    """Links at a holder by where they lead, with their signals."""
    result: dict[At, list[tuple[Link, Signal]]] = {}
    for link in reader.referring(Link, "place", holder):
        signal: Signal | None = reader.find(link.signal)
        if signal is not None:
            result.setdefault(At.of(link), []).append((link, signal))
    return result


def _linked(found: list[tuple[Link, Signal]]) -> tuple[LinkedSignal, ...]:
    return tuple(
        LinkedSignal(link.id, signal.id, signal.name, signal.type, signal.unit, _span(link), _bit(link))
        for link, signal in found
    )


def _bit(link: Link) -> int | None:
    _, _, bit = link.key.partition(".")
    return int(bit) if bit.isdigit() else None


def _span(link: Link) -> str:
    scaling = Scaling.of(link.scaling)
    if scaling is None:
        return ""
    low, high = (scaling.points[0][1], scaling.points[-1][1]) if scaling.kind == "table" and scaling.points else (
        scaling.lo, scaling.hi
    )  # fmt: skip
    return f"{low:g} … {high:g}"


def _to_axes(reader: Reader, module: str, device: DeviceType) -> Iterator[tuple[str, str]]:
    """The channels that give an axis its pulses or their direction, and whose they are."""
    pairs = {f"ch{pair.pulse}": pair for group in device.channels for pair in group.wiring.pulses}
    for axis in reader.referring(Axis, "drive", module):
        pair = pairs.get(axis.key)
        if pair is not None:
            yield axis.key, f"pulses of {axis.name}"
            yield f"ch{pair.direction}", f"direction of {axis.name}"


def _channels(reader: Reader, root: str) -> ModuleChannels:
    module = reader.row(root, Module)
    device = reader.type(module.type)
    mounting: RailMounting = reader.part("rail.mounting", module.rail)
    lies: RailPlace = reader.part("rail.place", module.rail)
    inward, outward = (_seat_in_image(reader, root, lies, area) for area in AREAS)
    place_at = places_of(reader, root)
    linked = linked_here(reader, root)
    slot = mounting.slots.get(root, 0)
    gives = dict(_to_axes(reader, root, device)) if device else {}
    channels = []
    for channel in device.each_channel() if device else ():
        offset = inward.offset if channel.group.inward else outward.offset
        chosen = channel.range(module.settings)
        own = channel_settings(module.settings, channel.key) if module.settings else _NOTHING
        written = ""
        if lies.carried:
            written = written_at(reader, place_at(At(channel.key)))
        elif offset is not None:
            area = "in" if channel.group.inward else "out"
            written = written_place(area, offset + channel.bit // 8, channel.bit % 8, channel.group.bits)
        channels.append(
            ChannelFacts(
                channel.key,
                channel.number,
                channel.group.kind,
                channel.group.data_type,
                terminals(channel.terminals, slot),
                chosen.label if chosen else "",
                (chosen.raw_low, chosen.raw_high) if chosen else None,
                written,
                _linked(linked.get(At(channel.key), [])),
                str(own.get("cable") or "") if own else "",
                str(own.get("core") or "") if own else "",
                str(own.get("note") or "") if own else "",
                gives=gives.get(channel.key, ""),
            )
        )
    blocks = {area: block_of(reader, lies, root, area) if lies.carried else None for area in AREAS}
    for area, block in blocks.items():
        for piece in (*block.pieces, *_by_bits(block, linked)) if block else ():
            at = At(piece.key)
            written = written_at(reader, place_at(at))
            channels.append(
                ChannelFacts(
                    piece.key,
                    len(channels),
                    area,
                    piece.data_type or whole_type(piece.bits),
                    "",
                    "",
                    None,
                    written,
                    _linked(linked.get(at, [])),
                    "",
                    "",
                    "",
                    piece.label,
                )
            )
    octets = {area: block.octets for area, block in blocks.items() if block}
    return ModuleChannels(
        tuple(channels),
        octets.get("in", device.in_octets if device else 0),
        octets.get("out", device.out_octets if device else 0),
        inward.words,
        outward.words,
        tuple(
            OctetSignals(octet.label, _linked(found))
            for at, found in linked.items()
            if (octet := module_octet(device, at.key))
        ),
    )


def _by_bits(block: Block, linked: dict[At, list[tuple[Link, Signal]]]) -> list[WireField]:
    """What no file names and somebody reads by its bits all the same."""
    known = {piece.key for piece in block.pieces}
    found = (block.named(at.key) for at in linked if at.key not in known)
    return [piece for piece in found if piece]


@dataclass(frozen=True, slots=True)
class _InImage:
    offset: int | None = None
    words: str = ""


def _seat_in_image(reader: Reader, module: str, lies: RailPlace, area: Area) -> _InImage:
    """Where a module's octets lie in the image, and how those of one not on the controller's rail come there."""
    if lies.carried:
        return _brought(reader, block_of(reader, lies, module, area), area, lies.controller)
    return _local(_image_item(reader, lies.controller, module, area))


def _image_item(reader: Reader, controller: str, holder: str, area: Area) -> ImageItem | None:
    found: ImageItem | None = reader.item("controller.image", controller, f"{holder}.{area}") if controller else None
    return found


def _local(item: ImageItem | None) -> _InImage:
    return _InImage(item.offset, written_place(item.area, item.offset, 0, 8 * item.octets)) if item else _InImage()


def _brought(reader: Reader, block: Block | None, area: Area, controller: str) -> _InImage:
    if block is None:
        return _InImage()
    carrier = reader.find(block.carrier)
    if carrier is None:
        return _InImage(None, f"{block.words}, in no exchange")
    item = _image_item(reader, controller, block.carrier, area)
    way = f"{block.words} by {carrier.name}" if isinstance(carrier, Exchange) else block.words
    if item is None:
        return _InImage(None, way)
    offset = item.offset + block.first
    return _InImage(offset, f"{written_place(area, offset, 0, 8 * len(block.spots))}: {way}")


def _octets(reader: Reader, root: str) -> ExchangeOctets:
    """An exchange as it lies in the controller that asks."""
    return _end(reader, reader.row(root, Exchange), far=False)


def _back_octets(reader: Reader, root: str) -> ExchangeOctets | None:
    """What goes the other way in the same transaction; None where nothing does."""
    wire: WireLayout = reader.part("exchange.wire", root)
    return _end(reader, reader.row(root, Exchange), far=False, back=True) if wire.back_octets else None


def _far_octets(reader: Reader, root: str) -> ExchangeOctets | None:
    """The same in the controller that is asked; None where that is a device."""
    exchange = reader.row(root, Exchange)
    return _end(reader, exchange, far=True) if controller_of(reader, root, far=True) else None


def _end(reader: Reader, exchange: Exchange, *, far: bool, back: bool = False) -> ExchangeOctets:
    root = exchange.id
    area: Area = exchange.direction if far == back else "out" if exchange.direction == "in" else "in"
    wire: WireLayout = reader.part("exchange.wire", root)
    if back:
        wire = replace(wire, pieces=wire.back, octets=wire.back_octets, what=f"back: {wire.what}")
    end: End = "partner" if far else "own"
    way: Way = "back" if back else "data"
    owner: Controller | None = reader.find(controller_of(reader, root, far=far))
    image: ControllerImage | None = reader.part("controller.image", owner.id) if owner else None
    item = image.item(root, area) if image else None
    linked = linked_here(reader, root)
    plain = not far and not back
    here = _by_bit(reader, root, end, way)
    begins = [each.place.bit for each in here if each.place]
    pieces = []
    for piece in wire.pieces:
        found = here[bisect_left(begins, piece.bit) : bisect_left(begins, piece.bit + piece.bits)]
        # A value may run over the pieces behind it; a single bit is shown with the whole piece it stands in.
        widest = max((piece.bits, *(each.bits for each in found)))
        word, signals = At(piece.key, way, end).word, _linked(_rows(reader, found))
        told = piece.data_type in DATA_TYPES
        kind = piece.data_type if told else whole_type(piece.bits)
        pieces.append(OctetField(word, piece.label, piece.bit, widest, kind, told, signals))
    return ExchangeOctets(
        wire.what,
        wire.reference,
        tuple(pieces),
        wire.octets,
        area,
        item.offset if item else None,
        item.padding if item else 0,
        image.alignment if image else 1,
        owner.name if owner else "",
        # What stands beside the data belongs to the controller that asks.
        tuple(_beside(image, root, one, linked.get(At("", one.key), [])) for one in beside_of(wire)) if plain else (),
    )


def _beside(
    image: ControllerImage | None, exchange: str, beside: Beside, found: list[tuple[Link, Signal]]
) -> BesideData:
    seat = image.seat(exchange, beside) if image else None
    octet, bit = (seat.octet, seat.bit) if seat else (None, 0)
    return BesideData(
        beside.key, beside.label, beside.help, beside.area, octet, bit, beside.bits, beside.data_type, _linked(found)
    )  # fmt: skip


def _by_bit(reader: Reader, exchange: str, end: End, way: Way) -> list[LinkedPlace]:
    """What is linked at one end of an exchange one way, by the bit it begins at, what a remote rail brings included."""
    links: HolderLinks = reader.part("exchange.links", exchange)
    found = list(links.carried) if (end, way) == ("own", "data") else []
    found += [each for each in links.links if each.place and (each.link.end, each.link.way) == (end, way)]
    return sorted(found, key=_begin)


def _begin(each: LinkedPlace) -> int:
    return each.place.bit if each.place else 0


def _rows(reader: Reader, found: list[LinkedPlace]) -> list[tuple[Link, Signal]]:
    return [(each.link, reader.row(each.link.signal, Signal)) for each in found]


PARTS: tuple[Part, ...] = (
    Part("module.channels", "modules", _channels, shown=ModuleChannels, asked=True),
    Part("exchange.octets", "exchanges", _octets, shown=ExchangeOctets, asked=True),
    Part("exchange.back-octets", "exchanges", _back_octets, shown=ExchangeOctets, asked=True),
    Part("exchange.far-octets", "exchanges", _far_octets, shown=ExchangeOctets, asked=True),
)
