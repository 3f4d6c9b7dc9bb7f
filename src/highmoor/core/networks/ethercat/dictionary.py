"""The objects of a device as it is: values by index and subindex, what may be done to them, and what it refuses."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field

from highmoor.core.catalogue.ethercat import Access, Object
from highmoor.core.networks.ethercat.mailbox import Aborted

NO_OBJECT, NO_SUBINDEX, READ_ONLY, WRITE_ONLY = 0x06020000, 0x06090011, 0x06010002, 0x06010001
WRONG_LENGTH, TOO_LONG, TOO_SHORT = 0x06070010, 0x06070012, 0x06070013
OUT_OF_RANGE, TOO_GREAT, TOO_SMALL, NOT_NOW, NOT_SO = 0x06090030, 0x06090031, 0x06090032, 0x08000022, 0x06010000
SIGNED = ("SINT", "INT", "DINT", "LINT")


@dataclass(slots=True)
class Entry:
    """One value: octets low first, its type, and what is allowed of it. `bits` 0 for what may be of any length."""

    value: bytes
    bits: int
    access: Access
    data_type: str = ""
    least: int | None = None
    most: int | None = None


@dataclass(slots=True)
class Dictionary:
    """All entries by (index, subindex). `changes` are called before a value is taken, and may refuse; `tells` give
    values that follow from the device itself."""

    entries: dict[tuple[int, int], Entry] = field(default_factory=dict)
    changes: dict[int, Callable[[int, bytes], None]] = field(default_factory=dict)
    tells: dict[tuple[int, int], Callable[[], bytes]] = field(default_factory=dict)
    _known: set[int] = field(default_factory=set)

    @classmethod
    def of(cls, objects: Mapping[int, Object]) -> Dictionary:
        """As a file describes them, by their indices here; what it gives no default of is zero."""
        made = cls()
        for idx, one in objects.items():
            if not one.subs:
                made.put(
                    idx,
                    0,
                    _octets(one.default, one.bits),
                    one.bits,
                    one.access,
                    one.data_type,
                    one.minimum,
                    one.maximum,
                )
            for sub in one.subs:
                made.put(
                    idx,
                    sub.sub,
                    _octets(sub.default, sub.bits),
                    sub.bits,
                    sub.access,
                    sub.data_type,
                    sub.minimum,
                    sub.maximum,
                )
        return made

    def put(
        self, idx: int, sub: int, value: bytes, bits: int, access: Access = "ro", data_type: str = "",
        least: str = "", most: str = "",
    ) -> None:  # fmt: skip
        """An entry, new or in another's place."""
        signed = data_type in SIGNED
        ends = [int.from_bytes(bytes.fromhex(end), "little", signed=signed) if end else None for end in (least, most)]
        self.entries[idx, sub] = Entry(value, bits, access, data_type, *ends)
        self._known.add(idx)

    def known(self, indices: Iterable[int]) -> None:
        """Objects that are there."""
        self._known |= {*indices}

    def read(self, idx: int, sub: int) -> bytes:
        """A value. Raises Aborted."""
        found = self._find(idx, sub)
        if found.access == "wo":
            raise Aborted(WRITE_ONLY)
        told = self.tells.get((idx, sub))
        return told() if told else found.value

    def read_all(self, idx: int) -> bytes:
        """All entries one behind the other, subindex 0 in two octets (complete access). Raises Aborted."""
        if idx not in self._known:
            raise Aborted(NO_OBJECT)
        subs = sorted(sub for at, sub in self.entries if at == idx)
        if subs[1:] == []:
            raise Aborted(NOT_SO)
        return self.read(idx, 0).ljust(2, b"\0") + b"".join(self.read(idx, sub) for sub in subs[1:])

    def write(self, idx: int, sub: int, octets: bytes) -> None:
        """Another value. Raises Aborted, and then nothing has changed."""
        found = self._find(idx, sub)
        if found.access == "ro":
            raise Aborted(READ_ONLY)
        wanted = (found.bits + 7) // 8
        if wanted and len(octets) != wanted:
            raise Aborted(TOO_LONG if len(octets) > wanted else TOO_SHORT)
        value = int.from_bytes(octets, "little", signed=found.data_type in SIGNED)
        if found.most is not None and value > found.most:
            raise Aborted(TOO_GREAT)
        if found.least is not None and value < found.least:
            raise Aborted(TOO_SMALL)
        change = self.changes.get(idx)
        if change:
            change(sub, octets)
        found.value = octets

    def _find(self, idx: int, sub: int) -> Entry:
        found = self.entries.get((idx, sub))
        if found is None:
            raise Aborted(NO_SUBINDEX if idx in self._known else NO_OBJECT)
        return found

    def number(self, idx: int, sub: int) -> int:
        """A value as a whole number without sign, 0 for what is not there."""
        found = self.entries.get((idx, sub))
        return int.from_bytes(found.value, "little") if found else 0


def _octets(default: str, bits: int) -> bytes:
    size = (bits + 7) // 8
    return bytes.fromhex(default)[:size].ljust(size, b"\0") if default else bytes(size)
