"""Places as people say them: `w1.3`, `register 4`, `byte 2.7`, `channel 5`, a field by its name.

What is kept is one key for one place (`places.py`), so that whatever is typed for it means the same.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterable

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.hardware.module_octets import octets_of
from highmoor.core.networks.blocks import Block
from highmoor.core.networks.carried import Area
from highmoor.core.networks.counting import MODULE_OCTETS, UnitKey
from highmoor.core.networks.io_link.data import LETTERS
from highmoor.core.networks.wire import WireField, WireLayout
from highmoor.core.signals.beside import BY_KEY

# Letters before what is said, as they are before what is kept (`at.py`): the partner's end, what goes back.
FAR, BACK = "f", "w"

# Singular and plural are not told apart: nobody means two by "words 3".
_WIDTHS = {"bit": 1, "b": 1, "coil": 1, "o": 8, "octet": 8, "byte": 8, "w": 16, "word": 16, "r": 16, "register": 16}
_WIDTHS |= {"d": 32, "dw": 32, "dword": 32, "double word": 32}
_SAID = re.compile(r"([a-z]+?(?: word)?)s? ?(\d{1,5})(?:(?: ?[.:] ?|,? bit )(\d{1,2}))?")
_IN_MODULE = re.compile(r"(in |out |)([a-z]+?(?: word)?)s? ?(\d{1,5})(?:(?: ?[.:] ?|,? bit )(\d{1,2}))?")
_LETTERS: dict[str, Area] = {counting.letter: area for area, counting in MODULE_OCTETS.items()}
_END_AND_WAY = re.compile(rf"({FAR}?)({BACK}?)(?=[robwd]\d)")
_BITS = re.compile(
    r"(?:(?P<way>in|out) )?(?:bits? ?(?P<a>\d{1,3})(?: ?(?:-|–|…|\.\.\.?|to) ?(?P<b>\d{1,3}))?"
    r"|(?P<n>\d{1,3}) bits? from (?:bit )?(?P<from>\d{1,3}))"
)
_CHANNEL = re.compile(r"(?:ch|channel)? ?(\d{1,4})")


def channel_key(device: DeviceType | None, said: str) -> str:
    """The key of a module's channel by key, number, or as people say it; what is none of these stays as it is."""
    if device is None or device.channel(said):
        return said
    text = " ".join(said.lower().split())
    found = _CHANNEL.fullmatch(text)
    named = [c.key for c in device.each_channel() if found and c.number == int(found[1])]
    return named[0] if len(named) == 1 else _octet_key(device, text) or said


def _octet_key(device: DeviceType, text: str) -> str:
    """The key of a module's octet, of its inputs where it has some, else of its outputs; of a bit that of the channel
    that lies there; "" where none is meant."""
    found, counted = _IN_MODULE.fullmatch(text), UnitKey.of(text)
    area: Area = "in" if device.in_octets else "out"
    if counted and counted.letter in _LETTERS:
        area, unit, bit, width = _LETTERS[counted.letter], counted.unit, counted.bit, 8
    elif found and (width := _WIDTHS.get(found[2], 0)) > 1:
        area = found[1].strip() or area  # type: ignore[assignment]
        unit, bit = int(found[3]), int(found[4]) if found[4] else None
    else:
        return ""
    first = width * unit // 8
    if bit is None:
        return MODULE_OCTETS[area].key(first) if first < octets_of(device, area) else ""
    if bit >= width:
        return ""
    # Of a value whose high octet comes first the lowest bits stand in the last.
    at = width * unit + (bit if device.octet_order == "little" else 8 * (width // 8 - 1 - bit // 8) + bit % 8)
    single = (c for c in device.each_channel() if c.group.inward == (area == "in") and c.group.bits == 1)
    return next((c.key for c in single if c.bit == at), "")


def named_key(pieces: Iterable[WireField], said: str) -> str:
    """The key of a module's value by key, by what it is called, or by the number that ends that where only one does;
    what is none of these stays as it is."""
    own, text = list(pieces), " ".join(said.lower().split())
    found = _CHANNEL.fullmatch(text)
    numbered = [piece.key for piece in own if found and piece.label.rpartition(" ")[2] == found[1]]
    if len(numbered) == 1:
        return numbered[0]
    by = {piece.label.lower(): piece.key for piece in reversed(own)} | {piece.key.lower(): piece.key for piece in own}
    return by.get(text, said)


def block_key(blocks: Iterable[Block], said: str) -> str:
    """The key of a value in a module's blocks: by name, or as a field of bits where any can be named, such as
    "bits 8–31", "24 bits from 8", "bit 3", with "out" before it for what goes to the device."""
    own = list(blocks)
    key = named_key([piece for block in own for piece in block.pieces], said)
    if any(block.named(key) for block in own):
        return key
    found = _BITS.fullmatch(" ".join(said.lower().split()))
    if found is None:
        return key
    first = int(found["a"] or found["from"])
    bits = int(found["b"]) - first + 1 if found["b"] else int(found["n"] or 1)
    area: Area = "out" if found["way"] == "out" else "in"
    field = f"{LETTERS[area]}{first}.{bits}"
    return field if any(block.named(field) for block in own) else key


def piece_key(wire: WireLayout, said: str) -> str:
    """The key of a place in an exchange; what cannot be understood stays as it is, and is a finding there."""
    text = " ".join(said.lower().split())
    beside = next((b.key for b in BY_KEY.values() if text in (b.key, b.label)), None)
    return beside or _named(wire, text) or _counted(wire, text) or said


def _named(wire: WireLayout, text: str) -> str:
    """By what its device calls it, with a bit of it behind a point."""
    for pieces, before in ((wire.pieces, ""), (wire.back, BACK)):
        for piece in pieces:
            label = piece.label.lower()
            if text == label:
                return before + piece.key
            bit = text.removeprefix(label + ".")
            if text.startswith(label + ".") and bit.isdecimal() and len(bit) < 3 and int(bit) < piece.bits:
                return before + key_at(wire, piece.bit, piece.bits, int(bit), back=bool(before))
    return ""


def _counted(wire: WireLayout, text: str) -> str:
    """By its number among bits, octets, words or double words, counted from 0."""
    before = _END_AND_WAY.match(text)
    prefix = before[0] if before else ""
    # "w1" is a word; a way is only what has something behind it that is counted.
    found = _SAID.fullmatch(text.removeprefix(prefix))
    if found is None:
        return ""
    # Of octets, "b4.2" is a bit of byte 4; "b4" alone is the fourth bit or coil.
    width = 8 if found[1] == "b" and found[3] else _WIDTHS.get(found[1])
    if width is None:
        return ""
    unit, bit, back = int(found[2]), int(found[3]) if found[3] else None, BACK in prefix
    if bit is not None and found[1] == wire.counting.letter:
        # By the letter that keys begin with, a bit is one of the value that is called so.
        value = _value_at(wire, unit * wire.counting.bits, back=back)
        if value is not None and value.key == wire.counting.key(unit) and bit < value.bits:
            return f"{prefix}{value.key}.{bit}"
    if bit is not None and bit >= width:
        return ""
    key = key_at(wire, width * unit, width, bit, back=back)
    return f"{prefix}{key}" if key else ""


def key_at(wire: WireLayout, first: int, width: int, bit: int | None, *, back: bool = False) -> str:
    """The key of the value that begins at a bit, or of a bit of it, counted from its lowest; "" where none can be.
    `back`: of what goes back."""
    counting = wire.counting
    if counting.bits == 1:
        return counting.key(first + (bit or 0)) if width == 1 or bit is not None else ""
    if width == 1 or bit is not None:
        at = first + (_bit_from(wire, width, bit) if bit is not None and width > 1 else 0)
        value = _value_at(wire, at, back=back)
        if value is None:
            return counting.bit_key(at)
        # From either end it is counted the same way back.
        return f"{value.key}.{counting.offset(at - value.bit, value.bits)}"
    return "" if first % counting.bits else counting.key(first // counting.bits)


def _value_at(wire: WireLayout, bit: int, *, back: bool) -> WireField | None:
    """The value of several units that has a bit, where it is called by the first of them."""
    pieces, counting = wire.back if back else wire.pieces, wire.counting
    n = bisect_right(pieces, bit, key=_first_bit) - 1
    piece = pieces[n] if n >= 0 else None
    if piece is None or piece.bits <= counting.bits or bit >= piece.bit + piece.bits:
        return None
    named = UnitKey.of(piece.key)
    return piece if named and named.bit is None and named.letter == counting.letter else None


def _first_bit(piece: WireField) -> int:
    return piece.bit


def _bit_from(wire: WireLayout, width: int, bit: int) -> int:
    """Where a bit of a value of so many bits travels, from the value's first: whose high octet comes first has its
    lowest bit in the last."""
    return 8 * (width // 8 - 1 - bit // 8) + bit % 8 if wire.order == "ABCD" else bit
