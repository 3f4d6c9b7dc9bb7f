"""What hangs on a module or an exchange: its channels or octets, each with the signal linked to it."""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.types import channel_settings
from highmoor.core.hardware.mounting import terminals
from highmoor.core.networks.fieldbus import WireLayout
from highmoor.core.plant.rows import Controller, Exchange, Link, Module, Signal
from highmoor.core.signals.image import ControllerImage
from highmoor.core.signals.path import raw_type, written_place
from highmoor.core.signals.places import controller_of, place_of


@dataclass(frozen=True, slots=True)
class LinkedSignal:
    """A signal at a place."""

    link: str
    signal: str
    name: str
    type: str
    unit: str
    span: str


@dataclass(frozen=True, slots=True)
class ChannelFacts:
    """A channel as drawn: number, terminals, kind, range with its counts, image address, signals linked to it."""

    key: str
    number: int
    kind: str
    terminals: str
    range: str
    raw_span: tuple[int, int] | None
    written: str
    signals: tuple[LinkedSignal, ...]
    cable: str
    core: str
    note: str


@dataclass(frozen=True, slots=True)
class ModuleChannels:
    """All channels of a module in order; image offsets in octets, None where it has none."""

    channels: tuple[ChannelFacts, ...]
    in_offset: int | None
    in_octets: int
    out_offset: int | None
    out_octets: int


@dataclass(frozen=True, slots=True)
class OctetField:
    """A linked stretch of an exchange's octets."""

    key: str
    label: str
    bit: int
    bits: int
    signals: tuple[LinkedSignal, ...]


@dataclass(frozen=True, slots=True)
class ExchangeOctets:
    """An exchange's octets on the wire and in the controller's image, padding and status bit included."""

    what: str
    reference: str
    pieces: tuple[OctetField, ...]
    octets: int
    image_area: str
    image_offset: int | None
    padding: int
    alignment: int
    controller: str
    status_octet: int | None
    status_bit: int | None
    status_signals: tuple[LinkedSignal, ...]


_NOTHING: dict[str, str] = {}


def linked_here(reader: Reader, holder: str) -> dict[str, list[tuple[Link, Signal]]]:
    """Links at a holder by key, with their signals."""
    result: dict[str, list[tuple[Link, Signal]]] = {}
    for link in reader.referring(Link, "place", holder):
        signal: Signal | None = reader.find(link.signal)
        if signal is not None:
            result.setdefault(link.key, []).append((link, signal))
    return result


def _linked(found: list[tuple[Link, Signal]]) -> tuple[LinkedSignal, ...]:
    return tuple(
        LinkedSignal(link.id, signal.id, signal.name, signal.type, signal.unit, _span(link)) for link, signal in found
    )


def _span(link: Link) -> str:
    if not link.scaling:
        return ""
    return f"{link.scaling.get('lo', 0):g} … {link.scaling.get('hi', 0):g}"


def _channels(reader: Reader, root: str) -> ModuleChannels:
    module = reader.row(root, Module)
    device = reader.type(module.type)
    controller = controller_of(reader, root)
    image: ControllerImage | None = reader.part("controller.image", controller) if controller else None
    inward = image.item(root, "in") if image else None
    outward = image.item(root, "out") if image else None
    linked = linked_here(reader, root)
    slot = reader.part("rail.mounting", module.rail).slots.get(root, 0)
    channels = []
    for channel in device.each_channel() if device else ():
        item = inward if channel.group.inward else outward
        chosen = channel.range(module.settings)
        own = channel_settings(module.settings, channel.key) if module.settings else _NOTHING
        written = ""
        if item:
            written = written_place(item.area, item.offset + channel.bit // 8, channel.bit % 8, channel.group.bits)
        channels.append(
            ChannelFacts(
                channel.key,
                channel.number,
                channel.group.kind,
                terminals(channel.terminals, slot),
                chosen.label if chosen else "",
                (chosen.raw_low, chosen.raw_high) if chosen else None,
                written,
                _linked(linked.get(channel.key, [])),
                str(own.get("cable") or "") if own else "",
                str(own.get("core") or "") if own else "",
                str(own.get("note") or "") if own else "",
            )
        )
    return ModuleChannels(
        tuple(channels),
        inward.offset if inward else None,
        device.in_octets if device else 0,
        outward.offset if outward else None,
        device.out_octets if device else 0,
    )


def _octets(reader: Reader, root: str) -> ExchangeOctets:
    exchange = reader.row(root, Exchange)
    wire: WireLayout = reader.part("exchange.wire", root)
    owner: Controller | None = reader.find(controller_of(reader, root))
    image: ControllerImage | None = reader.part("controller.image", owner.id) if owner else None
    item = image.item(root, exchange.direction) if image else None
    status = image.status_bit(root) if image else None
    linked = linked_here(reader, root)
    pieces = []
    for piece in wire.pieces:
        here = [pair for key, pairs in linked.items() if key.partition(".")[0] == piece.key for pair in pairs]
        widest = max((_bits(reader, link, signal) for link, signal in here), default=piece.bits)
        pieces.append(OctetField(piece.key, piece.label, piece.bit, max(widest, 1), _linked(here)))
    return ExchangeOctets(
        wire.what,
        wire.reference,
        tuple(pieces),
        wire.octets,
        exchange.direction,
        item.offset if item else None,
        item.padding if item else 0,
        image.alignment if image else 1,
        owner.name if owner else "",
        status.octet if status else None,
        status.bit if status else None,
        _linked(linked.get("status", [])),
    )


def _bits(reader: Reader, link: Link, signal: Signal) -> int:
    if "." in link.key:
        return 16
    raw = raw_type(signal, place_of(reader, link.place, link.key), link)
    return raw.bits if raw else 0


PARTS: tuple[Part, ...] = (
    Part("module.channels", "modules", _channels),
    Part("exchange.octets", "exchanges", _octets),
)
