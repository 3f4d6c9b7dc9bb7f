"""The words of a drive in its device's own octets, where its manual has them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Literal

from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.motion.profiles import words_of
from highmoor.core.motion.words import Carried, spot_of
from highmoor.core.networks.live import Octets
from highmoor.core.plant.rows import CommandProfile

# The octets of an exchange in the device now, None where there are none.
OctetsOf = Callable[[str], Octets | None]


@dataclass(frozen=True, slots=True)
class _Word:
    """A word compiled: which stretch it is in, from which octet on so many, or which bit of one."""

    stretch: int
    octet: int
    octets: int
    mask: int
    first: Literal["little", "big"]
    signed: bool


@dataclass(slots=True)
class _Stretch:
    """As much of an exchange as holds words, and what was there last."""

    exchange: str
    outward: bool
    octets: int = 0
    now: bytearray = field(default_factory=bytearray)
    put: bytes = b""


# A word by its role: at which octet it begins, and how an array has it: order, kind and octets, as `<i4`.
Place = tuple[str, int, str]


@dataclass(frozen=True, slots=True)
class Layout:
    """Where a drive that follows set-points has its words, out of and into as many octets."""

    out: tuple[Place, ...]
    out_octets: int
    into: tuple[Place, ...]
    into_octets: int


@dataclass(slots=True)
class DeviceWords:
    """Words by role. `look` takes what has come, `tell` brings what was put on its way."""

    octets: OctetsOf
    _stretches: list[_Stretch] = field(default_factory=list)
    _words: dict[str, _Word] = field(default_factory=dict)
    _given: dict[str, float] = field(default_factory=dict)

    @classmethod
    def of(cls, profile: CommandProfile, carried: Sequence[Carried], octets: OctetsOf) -> DeviceWords:
        """The words of a profile in what a drive exchanges; those that stand nowhere are not there."""
        made = cls(octets)
        orders = {one.exchange: one.wire.order for one in carried}
        at: dict[str, int] = {}
        for word in words_of(profile):
            spot = spot_of(word, carried)
            if spot is None:
                continue
            if spot.exchange not in at:
                at[spot.exchange] = len(made._stretches)
                made._stretches.append(_Stretch(spot.exchange, word.way == "out"))
            stretch = made._stretches[at[spot.exchange]]
            octet, bit = divmod(spot.bit, 8)
            count = max(spot.bits // 8, 1)
            stretch.octets = max(stretch.octets, octet + count)
            kind = DATA_TYPES[word.type]
            mask = 1 << bit if spot.bits == 1 else 0
            # A drive has its words all the one way or all the other.
            first: Literal["little", "big"] = "little" if orders[spot.exchange] == "DCBA" else "big"
            made._words[word.role] = _Word(at[spot.exchange], octet, count, mask, first, kind.family == "signed")
        for stretch in made._stretches:
            stretch.now = bytearray(stretch.octets)
        return made

    def look(self) -> tuple[bytes, ...]:
        """All that has come from the controller; `get` tells of it until the next look."""
        seen = []
        for stretch in self._stretches:
            if stretch.outward:
                there = self.octets(stretch.exchange)
                came = _first(there, stretch.octets)
                stretch.now[: len(came)] = came
                seen.append(came)
        return tuple(seen)

    def layout(self) -> Layout | None:
        """Where those are by which a drive follows set-points; None where they lie spread, or one is missing."""
        if [stretch.outward for stretch in self._stretches].count(True) != 1 or len(self._stretches) != 2:
            return None
        out = self._places("control", "mode", "target")
        into = self._places("position", *(["speed"] if self.has("speed") else []))
        if out is None or into is None:
            return None
        octets = {stretch.outward: stretch.octets for stretch in self._stretches}
        return Layout(out, octets[True], into, octets[False])

    def _places(self, *roles: str) -> tuple[Place, ...] | None:
        found = []
        for role in roles:
            word = self._words.get(role)
            if word is None or word.mask or word.octets not in (1, 2, 4, 8):
                return None
            kind = f"{'<' if word.first == 'little' else '>'}{'i' if word.signed else 'u'}{word.octets}"
            found.append((role, word.octet, kind))
        return tuple(found)

    def ends(self) -> tuple[memoryview, memoryview] | None:
        """What comes and what is told, in the device itself, of two stretches, one each way; None where they are not
        there."""
        ends = {}
        for stretch in self._stretches:
            there = self.octets(stretch.exchange)
            if not isinstance(there, bytearray | memoryview) or len(there) < stretch.octets:
                return None
            ends[stretch.outward] = memoryview(there)[: stretch.octets]
        return ends[True], ends[False]

    def has(self, role: str) -> bool:
        """Whether there is such a word."""
        return role in self._words

    def get(self, role: str) -> int:
        """A word as it came, 0 where there is none."""
        word = self._words.get(role)
        if word is None:
            return 0
        now = self._stretches[word.stretch].now
        if word.mask:
            return 1 if now[word.octet] & word.mask else 0
        return int.from_bytes(now[word.octet : word.octet + word.octets], word.first, signed=word.signed)

    def put(self, role: str, value: float) -> None:
        """A word to be told, as much of it as it has room for; one that is not there goes nowhere."""
        # Most of what is told stays as it was.
        if self._given.get(role) == value:
            return
        word = self._words.get(role)
        if word is None:
            return
        self._given[role] = value
        now = self._stretches[word.stretch].now
        if word.mask:
            now[word.octet] = now[word.octet] | word.mask if value else now[word.octet] & ~word.mask
        else:
            bits = round(value) & ((1 << 8 * word.octets) - 1)
            now[word.octet : word.octet + word.octets] = bits.to_bytes(word.octets, word.first)

    def tell(self) -> None:
        """What was put, if it is another than last time."""
        for stretch in self._stretches:
            if stretch.outward or stretch.put == stretch.now:
                continue
            there = self.octets(stretch.exchange)
            if there is None or len(there) < stretch.octets:
                continue
            stretch.put = bytes(stretch.now)
            if isinstance(there, bytearray | memoryview):
                there[: stretch.octets] = stretch.put
            else:
                for n, octet in enumerate(stretch.put):
                    there[n] = octet


def _first(there: Octets | None, end: int) -> bytes:
    """The first so many octets, as many as there are."""
    if there is None:
        return b""
    if isinstance(there, bytearray | memoryview):
        return bytes(there[:end])
    return bytes(there[n] for n in range(min(end, len(there))))
