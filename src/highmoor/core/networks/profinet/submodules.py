"""Submodules as they are expected of a device, with the records they get; those that are typed where no file lists any.

Source: IEC 61158-6-10, 4.10 (records), 5.2.3 (expected submodules).
"""

from __future__ import annotations

import re
import struct
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from highmoor.core.catalogue.profinet import DataItem, Record, RecordValue, value_key
from highmoor.core.errors import Refusal

_TYPED = re.compile(r"\s*(\d{1,5})\.(\d{1,5})\s+([0-9A-Fa-fx#]+):([0-9A-Fa-fx#]+)((?:\s+[io]\d{1,4})*)\s*")


@dataclass(frozen=True, slots=True)
class PnSubmodule:
    """A submodule as it is expected: where, which, its values each way, its records with what is set in them.

    `row` is the module of the plant, "" for the access point. Octets are of data alone; in what its row gives and takes
    its own begin at `own_in` and `own_out`, in the exchange at `at_in` and `at_out`.
    """

    row: str
    slot: int
    subslot: int
    module_ident: int
    ident: int
    label: str
    api: int = 0
    inputs: tuple[DataItem, ...] = ()
    outputs: tuple[DataItem, ...] = ()
    iops: int = 1
    iocs: int = 1
    records: tuple[tuple[Record, bytes], ...] = ()
    # The subslot under which its settings are: of what is plugged, the one its file gives it.
    keyed: int = 1
    own_in: int = 0
    own_out: int = 0
    at_in: int = 0
    at_out: int = 0

    @property
    def in_octets(self) -> int:
        """What it gives."""
        return sum(item.octets for item in self.inputs)

    @property
    def out_octets(self) -> int:
        """What it takes."""
        return sum(item.octets for item in self.outputs)

    @property
    def gives(self) -> bool:
        """Whether its provider status stands with the inputs: of whoever has no data as well."""
        return bool(self.in_octets) or not self.out_octets

    @property
    def takes(self) -> bool:
        """Whether it has outputs."""
        return self.out_octets > 0


def record_octets(subslot: int, record: Record, settings: Mapping[str, Any]) -> bytes:
    """A record as it is written: values that are set laid over what the file has, high octet first."""
    octets = bytearray(bytes.fromhex(record.octets))
    for value in record.values:
        given = settings.get(value_key(subslot, record, value), value.default)
        if isinstance(given, bool):
            given = int(given)
        _lay(octets, value, given if isinstance(given, int | float | str) else value.default)
    return bytes(octets)


def _lay(octets: bytearray, value: RecordValue, given: int | float | str) -> None:
    size = (value.bit + value.bits + 7) // 8
    place = slice(value.octet, value.octet + size)
    if len(octets) < value.octet + size:
        return
    if value.data_type == "STRING":
        octets[place] = str(given).encode("utf-8", "replace")[:size].ljust(size, b"\0")
        return
    if isinstance(given, str) or (not value.data_type and value.bits > 16):
        return
    if value.data_type in ("REAL", "LREAL"):
        octets[place] = struct.pack(">f" if size == 4 else ">d", float(given))
        return
    mask = (1 << value.bits) - 1 << value.bit
    there = int.from_bytes(octets[place], "big") & ~mask
    octets[place] = (there | int(given) << value.bit & mask).to_bytes(size, "big")


# ── devices without a file


def typed_submodules(text: str) -> Iterator[PnSubmodule]:
    """Submodules as they are typed; none for what are none."""
    try:
        yield from read_typed(text)
    except Refusal:
        return


def read_typed(text: str) -> list[PnSubmodule]:
    """Of `1.1 16#10:16#1 i2 o4, 2.1 …`: slot and subslot, module and submodule ident, octets in and out. In order.

    Raises Refusal for what is none.
    """
    found: dict[tuple[int, int], PnSubmodule] = {}
    for part in re.split(r"[,;\n]", text):
        if not part.strip():
            continue
        told = _TYPED.fullmatch(part)
        if told is None:
            raise Refusal(f"“{part.strip()[:30]}” is no submodule; written as 1.1 16#10:16#1 i2 o4.", value=part)
        slot, subslot = int(told[1]), int(told[2])
        sizes = {"i": 0, "o": 0}
        for size in told[5].split():
            sizes[size[0]] = int(size[1:])
        if not (1 <= slot <= 0x7FFF and 1 <= subslot <= 0x7FFF):
            raise Refusal(f"Slot {slot}, subslot {subslot}: both go from 1 to 32767.", value=part)
        if (slot, subslot) in found:
            raise Refusal(f"Slot {slot}, subslot {subslot} is named twice.", value=part)
        data = {key: (DataItem("data", "", octets),) if octets else () for key, octets in sizes.items()}
        found[slot, subslot] = PnSubmodule(
            "", slot, subslot, _ident(told[3]), _ident(told[4]), f"slot {slot}", 0, data["i"], data["o"]
        )  # fmt: skip
    return [found[where] for where in sorted(found)]


def _ident(text: str) -> int:
    plain = text.lower()
    try:
        value = int(plain[3:], 16) if plain.startswith("16#") else int(plain, 16 if plain.startswith("0x") else 10)
    except ValueError:
        raise Refusal(f"“{text}” is not an ident number.", value=text) from None
    if not 0 <= value <= 0xFFFFFFFF:
        raise Refusal(f"“{text}” is not an ident number.", value=text)
    return value
