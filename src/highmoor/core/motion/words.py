"""The words of an axis's drive: where each stands in its exchanges, and which signal of the program it is."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.motion.profiles import BASES, Word, words_of
from highmoor.core.networks.wire import WireField, WireLayout
from highmoor.core.plant.rows import Axis, CommandProfile, Connection, Exchange, Link, Signal, Station, Use


@dataclass(frozen=True, slots=True)
class Carried:
    """An exchange of a drive with what it carries."""

    exchange: str
    direction: str
    wire: WireLayout


@dataclass(frozen=True, slots=True)
class Spot:
    """Where a word stands: in which exchange, under which key, from which bit on."""

    exchange: str
    key: str
    bit: int
    bits: int


def spot_of(word: Word, carried: Sequence[Carried]) -> Spot | None:
    """Where a word stands in a drive's exchanges; None where there is no such place."""
    bits = DATA_TYPES[word.type].bits
    for one in carried:
        if one.direction != word.way:
            continue
        found = _object(one.wire, word.at) if word.at.startswith("i") else _at_octet(one.wire, word.at, bits)
        if found is not None:
            return Spot(one.exchange, found.key, found.bit, bits)
    return None


def _object(wire: WireLayout, at: str) -> WireField | None:
    return next((piece for piece in wire.pieces if piece.key.partition(":")[0] == at), None)


def _at_octet(wire: WireLayout, at: str, bits: int) -> WireField | None:
    octet, _, bit = at.partition(".")
    first = 8 * int(octet)
    counting = wire.counting
    if not bit:
        if first + bits > 8 * wire.octets or first % counting.bits:
            return None
        named = next((piece for piece in wire.pieces if piece.bit == first and piece.bits == bits), None)
        return named or WireField(counting.key(first // counting.bits), "", first, bits)
    # A bit is counted from the lowest of its word, whichever octet of that travels first.
    unit = first // counting.bits
    inside = (
        counting.offset(int(bit), counting.bits) if first % counting.bits == 0 else first % counting.bits + int(bit)
    )
    place = unit * counting.bits + inside
    if place >= 8 * wire.octets:
        return None
    return WireField(counting.bit_key(place), "", place, 1)


@dataclass(frozen=True, slots=True)
class WordTold:
    """A word of an axis: its role, where it stands, the signal it is ("" for none yet), and why that cannot be."""

    role: str
    label: str
    way: str
    type: str
    at: str
    optional: bool
    exchange: str
    key: str
    signal: str
    problem: str


@dataclass(frozen=True, slots=True)
class CommandsTold:
    """How an axis is commanded: its profile, its words, whether a program of its controller writes any of them."""

    profile: str
    base: str
    label: str
    start_taken: str
    words: tuple[WordTold, ...]
    whole: bool
    # Words whose bits have names, by role: the kind of word that they are.
    decodes: dict[str, str]

    def signal(self, role: str) -> str:
        """The signal that has a role, "" for none."""
        return next((word.signal for word in self.words if word.role == role and not word.problem), "")


def carried_by(reader: Reader, station: str) -> list[Carried]:
    """The exchanges of a drive with what they carry."""
    found = []
    for connection in reader.children(Connection, station):
        for exchange in reader.children(Exchange, connection.id):
            wire: WireLayout | None = reader.part("exchange.wire", exchange.id)
            if wire is not None:
                found.append(Carried(exchange.id, exchange.direction, wire))
    return found


def _commands(reader: Reader, root: str) -> CommandsTold | None:
    axis = reader.row(root, Axis)
    profile: CommandProfile | None = reader.find(axis.profile)
    drive = reader.find(axis.drive)
    if profile is None or not isinstance(drive, Station):
        return None
    base = BASES[profile.base]
    carried = carried_by(reader, drive.id)
    uses = {use.role: use.signal for use in reader.children(Use, root)}
    words = tuple(_told(reader, word, carried, uses.get(word.role, "")) for word in words_of(profile))
    whole = all(word.optional or (word.signal and not word.problem) for word in words)
    return CommandsTold(profile.id, base.key, profile.name, base.start_taken, words, whole, dict(base.decodes))


def _told(reader: Reader, word: Word, carried: Sequence[Carried], signal: str) -> WordTold:
    spot = spot_of(word, carried)
    problem = ""
    if spot is None and not word.optional:
        problem = "its drive exchanges nothing there"
    elif signal and spot is not None:
        problem = _wrong_signal(reader, word, spot, signal)
    return WordTold(
        word.role, word.label, word.way, word.type, word.at, word.optional, spot.exchange if spot else "",
        spot.key if spot else "", signal, problem,
    )  # fmt: skip


def _wrong_signal(reader: Reader, word: Word, spot: Spot, signal: str) -> str:
    """Why a signal cannot be a word: it is linked elsewhere, or of another size."""
    kind = DATA_TYPES.get(reader.value(signal, Signal, "type"))
    links = [link for link in reader.referring(Link, "signal", signal) if link.way == "data"]
    if not any((link.place, link.key) == (spot.exchange, spot.key) for link in links):
        return "its signal is linked elsewhere"
    if kind is not None and (kind.bits == 1) != (word.type == "BOOL"):
        return f"its signal is {kind.name}, and it is {word.type}"
    return ""


def missing(told: CommandsTold) -> Iterator[WordTold]:
    """The words without which it cannot be commanded and that have no signal."""
    for word in told.words:
        if not word.optional and not word.signal:
            yield word


PARTS: tuple[Part, ...] = (Part("axis.commands", "axes", _commands, shown=CommandsTold),)
