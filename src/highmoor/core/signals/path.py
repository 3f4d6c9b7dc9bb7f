"""A signal's path from terminal to program, hop by hop with its delays."""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.plant.rows import Link, Module, Signal
from highmoor.core.signals.at import At
from highmoor.core.signals.hops import Hop, delay_ms, hops_at
from highmoor.core.signals.image import ImageItem, Seat
from highmoor.core.signals.places import Place, in_words, place_of_link
from highmoor.core.signals.seen import Seen, seen_of
from highmoor.core.signals.values import raw_type, taken_bits


@dataclass(frozen=True, slots=True)
class LinkFacts:
    """One link of a signal with its place in the image; `octet`/`bit` are None when there is no such place.

    `controller` is the one in whose image the place lies, "" where it lies in none. `on_loss` is in words what an
    output's channel does when the controller is lost, "" where there is no such channel.
    """

    link: str
    holder: str
    key: str
    access: str
    label: str
    terminals: str
    area: str
    octet: int | None
    bit: int | None
    bits: int
    written: str
    place_kind: str
    place_bits: int
    room: int
    order: str
    controller: str
    on_loss: str = ""


@dataclass(frozen=True, slots=True)
class Way:
    """From one of a signal's places to the program, or the other way: its hops and their sum."""

    link: str
    hops: tuple[Hop, ...]
    typical_ms: float
    worst_ms: float


@dataclass(frozen=True, slots=True)
class SignalPath:
    """All links of a signal, the one it is read from first, each with its way; hops and times are those of the slowest.

    What is read in one place and written to another is on its way from the first to the last. `seen` is what of an
    input the program surely sees.
    """

    links: tuple[LinkFacts, ...]
    ways: tuple[Way, ...]
    hops: tuple[Hop, ...]
    typical_ms: float
    worst_ms: float
    asked_ms: float | None
    seen: Seen | None = None


def _path(reader: Reader, root: str) -> SignalPath:
    signal = reader.row(root, Signal)
    links = sorted(reader.referring(Link, "signal", root), key=_written)
    places = [place_of_link(reader, link) for link in links]
    facts = tuple(_facts(reader, signal, link, place) for link, place in zip(links, places, strict=True))
    ways: list[Way] = []
    source: tuple[Hop, ...] = ()
    for link, place in zip(links, places, strict=True):
        if place is None:
            continue
        hops = hops_at(reader, signal, place)
        if place.area == "out" and source:
            # The task that read it writes it in the same run.
            hops = (*source, *(hop for hop in hops if hop.kind != "task"))
        elif place.area == "in" and not ways:
            source = hops
        ways.append(Way(link.id, hops, *delay_ms(hops)))
    slowest = max(ways, key=lambda way: way.worst_ms, default=Way("", (), 0.0, 0.0))
    return SignalPath(
        facts, tuple(ways), slowest.hops, slowest.typical_ms, slowest.worst_ms, signal.asked_ms,
        seen_of(source) if source else None,
    )  # fmt: skip


def _written(link: Link) -> bool:
    return link.access != "reads"


def _facts(reader: Reader, signal: Signal, link: Link, place: Place | None) -> LinkFacts:
    bits = taken_bits(raw_type(signal.type, place, link), place)
    word = At.of(link).word
    if place is None:
        return LinkFacts(
            link.id, link.place, word, link.access, "nowhere", "", "", None, None, bits, "", "", 0, 0, link.order, ""
        )  # fmt: skip
    octet, bit = in_image(reader, place)
    label, wired = in_words(reader, place)
    return LinkFacts(
        link.id, link.place, word, link.access, label, wired, place.area, octet, bit, bits,
        "" if octet is None else written_place(place.area, octet, bit, bits, high=place.high), place.kind, place.bits,
        place.room, place.order or link.order, place.controller, _on_loss(reader, link),
    )  # fmt: skip


def _on_loss(reader: Reader, link: Link) -> str:
    module = reader.find(link.place)
    device = reader.type(module.type) if isinstance(module, Module) else None
    channel = device.channel(link.key) if device else None
    parameter = next((p for p in channel.group.parameters if p.key == "on_loss"), None) if channel else None
    if channel is None or parameter is None or not isinstance(module, Module):
        return ""
    own = channel.parameter(module.settings, "on_loss")
    chosen = parameter.default if own is None else own
    return next((label for value, label in parameter.choices if value == chosen), str(chosen))


def in_image(reader: Reader, place: Place) -> tuple[int | None, int]:
    """Octet and bit of a place in its controller's image; no octet where nothing brings it there."""
    there = None if place.remote and not place.carrier else _item(reader, place)
    if there is None:
        return None, place.bit % 8
    octet, bit = (there.octet, there.bit) if isinstance(there, Seat) else (there.offset, 0)
    return octet + (bit + place.bit) // 8, (bit + place.bit) % 8


def _item(reader: Reader, place: Place) -> ImageItem | Seat | None:
    found: ImageItem | Seat | None = (
        reader.item("controller.image", place.controller, place.item) if place.controller else None
    )
    return found


def written_at(reader: Reader, place: Place | None) -> str:
    """A place's address in the image in words, "" where it has none."""
    octet, bit = in_image(reader, place) if place else (None, 0)
    if place is None or octet is None:
        return ""
    return written_place(place.area, octet, bit, place.bits, high=place.high)


def written_place(area: str, octet: int, bit: int, bits: int, *, high: bool = False) -> str:
    """An image address as screens write it: "in, octets 138–139, bit 3"; of a field that stands `high` octet first the
    bit is one of its last octet."""
    last = octet + (bit + bits - 1) // 8
    octets = f"octet {octet}" if last == octet else f"octets {octet}–{last}"
    if bits == 1:
        return f"{area}, {octets}, bit {bit}"
    if high and last > octet and (bit or bits % 8):
        return f"{area}, {octets}, {bits} bits from bit {bit} of octet {last}"
    if bit or bits % 8:
        return f"{area}, {octets}, {bits} bits from bit {bit}"
    return f"{area}, {octets}"


_LETTERS = {1: "X", 8: "B", 16: "W", 32: "D", 64: "L"}


def iec_address(area: str, bit: int, bits: int) -> str:
    """Where so many bits lie from one of the image's bits on, as IEC 61131-3 (2.4.1.1) writes it: `%IX12.3`, `%QW4`, in
    octets; "" where no type has just these."""
    letter = _LETTERS.get(bits)
    if letter is None or (bits > 1 and bit % 8):
        return ""
    return f"%{'I' if area == 'in' else 'Q'}{letter}{bit // 8}" + (f".{bit % 8}" if bits == 1 else "")


PARTS: tuple[Part, ...] = (Part("signal.path", "signals", _path, shown=SignalPath, asked=True),)
