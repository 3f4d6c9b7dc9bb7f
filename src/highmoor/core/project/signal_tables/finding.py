"""Places of a plant found again by what they are called on screens and in tables, or by their address in an image."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.hardware.safe_pairs import channel_label
from highmoor.core.networks.counting import Counting
from highmoor.core.networks.wire import WireField, WireLayout
from highmoor.core.plant.rows import Exchange, Module, Rail
from highmoor.core.project.wires import blocks_of
from highmoor.core.signals.at import At
from highmoor.core.signals.beside import beside_of
from highmoor.core.signals.path import in_image, written_at
from highmoor.core.signals.places import Place, controller_of, in_words, places_of
from highmoor.core.signals.spoken import block_key

_BIT = re.compile(r"(.*) bit (\d{1,2})", re.DOTALL)
_OCTET = re.compile(r"octet (\d{1,5})")
_ADDRESS = re.compile(r"%([IQ])([XBWDL]?)(\d{1,6})(?:\.(\d))?", re.IGNORECASE)
_BITS = {"": 1, "X": 1, "B": 8, "W": 16, "D": 32, "L": 64}


@dataclass(frozen=True, slots=True)
class Address:
    """An address in an image (IEC 61131-3:2013, 6.5.5.2): the area, the octet a value begins with, its bit and size."""

    area: str
    octet: int
    bit: int
    bits: int

    @classmethod
    def read(cls, text: str) -> Address | None:
        """`%IX4.0` or `%QW12`, the number counting octets; None for anything else."""
        found = _ADDRESS.fullmatch(text.strip())
        if found is None:
            return None
        bits = _BITS[found[2].upper()]
        if bits > 1 and found[4]:
            return None
        bit = int(found[4] or 0)
        return cls("in" if found[1].upper() == "I" else "out", int(found[3]), bit, bits) if bit < 8 else None


@dataclass(frozen=True, slots=True)
class FoundPlace:
    """A place: what holds it, and where within that, in one word."""

    holder: str
    word: str


class PlaceFinder:
    """Finds places of a plant; what a plant has is gathered when it is first asked for."""

    def __init__(self, analysis: Analysis) -> None:
        self._analysis = analysis
        self._reader = Reader(analysis)
        self._by_label: dict[str, list[str]] = {}
        self._by_address: dict[str, dict[tuple[str, int, int], list[tuple[int, FoundPlace]]]] = {}
        for module in analysis.plant.all(Module):
            self._by_label.setdefault(self._label(module.id), []).append(module.id)
        for exchange in analysis.plant.all(Exchange):
            for far in (False, True):
                self._by_label.setdefault(self._label(exchange.id, far), []).append(exchange.id)

    def _label(self, holder: str, far: bool = False) -> str:
        """What every place of a holder is called first."""
        return in_words(self._reader, Place(holder, "", "in", 0, 1, "bit", far=far))[0]

    def called(self, label: str, written: str = "") -> FoundPlace | None:
        """The place that is called so; of several that one which lies in the image as `written`."""
        found = list(self._called(label))
        lying = [one for one, place in found if written and written_at(self._reader, place) == written]
        return next(iter([*lying, *(one for one, _ in found)]), None)

    def _called(self, label: str) -> Iterator[tuple[FoundPlace, Place]]:
        for mark in (", ", ": "):
            at = label.find(mark)
            while at >= 0:
                behind = at + len(mark)
                for holder in dict.fromkeys(self._by_label.get(label[:behind], ())):
                    places = places_of(self._reader, holder)
                    for at_word in self._words(holder, label[behind:]):
                        place = places(at_word)
                        if place is not None and in_words(self._reader, place)[0] == label:
                            yield FoundPlace(holder, at_word.word), place
                at = label.find(mark, behind)

    def _words(self, holder: str, within: str) -> Iterator[At]:
        """Where within a holder something could be that is called so there."""
        row = self._analysis.plant.get(holder, object)
        if isinstance(row, Module):
            yield from (At(key) for key in self._keys_of_module(row, within))
        elif isinstance(row, Exchange):
            wire: WireLayout = self._reader.part("exchange.wire", holder)
            yield from (At("", beside.key) for beside in beside_of(wire) if beside.label == within)
            for end in ("own", "partner"):
                yield from (At(key, "data", end) for key in _keys(wire.pieces, wire.counting, within))
                yield from (At(key, "back", end) for key in _keys(wire.back, wire.counting, within))

    def _keys_of_module(self, module: Module, within: str) -> Iterator[str]:
        device = self._analysis.catalogue.find(module.type)
        if device is not None and device.channels:
            yield from (c.key for c in device.each_channel() if within == channel_label(device, module.settings, c))
            return
        blocks = blocks_of(self._analysis.plant, self._analysis.catalogue, module)
        for block in blocks:
            yield from _keys(block.pieces, block.counting, within)
        if any(block.field_at for block in blocks):
            yield block_key(blocks, within)

    # ── by address

    def at_address(self, controller: str, address: Address) -> FoundPlace | None:
        """The place that begins there in a controller's image, of several the one of this size."""
        known = self._by_address.get(controller)
        if known is None:
            known = self._by_address[controller] = {}
            for holder in self._holders(controller):
                self._learn(holder, controller, known)
        found = known.get((address.area, address.octet, address.bit), [])
        return min(found, key=lambda one: abs(one[0] - address.bits), default=(0, None))[1]

    def _holders(self, controller: str) -> Iterator[str]:
        plant, reader = self._analysis.plant, self._reader
        for rail in plant.all(Rail):
            for module in plant.children(Module, rail.id):
                if controller_of(reader, module.id) == controller:
                    yield module.id
        for exchange in plant.all(Exchange):
            if controller in reader.part("exchange.controllers", exchange.id):
                yield exchange.id

    def _learn(
        self, holder: str, controller: str, known: dict[tuple[str, int, int], list[tuple[int, FoundPlace]]]
    ) -> None:
        places = places_of(self._reader, holder)
        for at in self._all(holder):
            place = places(at)
            if place is None or place.controller != controller:
                continue
            octet, bit = in_image(self._reader, place)
            if octet is not None:
                known.setdefault((place.area, octet, bit), []).append((place.bits, FoundPlace(holder, at.word)))

    def _all(self, holder: str) -> Iterator[At]:
        row = self._analysis.plant.get(holder, object)
        if isinstance(row, Module):
            device = self._analysis.catalogue.find(row.type)
            if device is not None and device.channels:
                yield from (At(channel.key) for channel in device.each_channel())
                return
            for block in blocks_of(self._analysis.plant, self._analysis.catalogue, row):
                yield from (At(key) for key in _each(block.pieces))
        elif isinstance(row, Exchange):
            wire: WireLayout = self._reader.part("exchange.wire", holder)
            yield from (At("", beside.key) for beside in beside_of(wire))
            for end in ("own", "partner"):
                yield from (At(key, "data", end) for key in _each(wire.pieces))
                yield from (At(key, "back", end) for key in _each(wire.back))


def _keys(pieces: tuple[WireField, ...], counting: Counting, within: str) -> Iterator[str]:
    """The keys of pieces, or of bits in them, that are called so; of unnamed octets as well."""
    bit = _BIT.fullmatch(within)
    for label, behind in ((within, ""), (bit[1], f".{bit[2]}")) if bit else ((within, ""),):
        yield from (piece.key + behind for piece in pieces if piece.label == label)
        octet = _OCTET.fullmatch(label)
        if octet and counting.every:
            yield counting.key(int(octet[1])) + behind


def _each(pieces: tuple[WireField, ...]) -> Iterator[str]:
    """Every piece, and every bit of those that have several."""
    for piece in pieces:
        yield piece.key
        if piece.bits > 1:
            yield from (f"{piece.key}.{n}" for n in range(piece.bits))
