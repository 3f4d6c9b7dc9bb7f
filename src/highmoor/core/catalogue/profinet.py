"""What a PROFINET IO device offers to be configured. Source: GSDML specification; IEC 61158-6-10.

Directions are seen from the controller: what a submodule gives goes "in". What there is by the thousand in a file is a
plain tuple with names, so that reading many devices stays quick.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

# Intervals are counted in this.
US_AN_INTERVAL = 31.25


class DataItem(NamedTuple):
    """A value of a submodule. `data_type` of IEC 61131-3, "" for what has none; `bits` are those that are values of
    their own, each with its offset from the lowest and its name. High octet first."""

    label: str
    data_type: str
    octets: int
    bits: tuple[tuple[int, str], ...] = ()


class RecordValue(NamedTuple):
    """A value within a record: `bit` counts from the lowest of the last of its octets, `bits` is its width.

    `text` and `octets` of those that are no numbers. `allowed` are closed ranges, none for any.
    """

    label: str
    octet: int
    bit: int
    bits: int
    data_type: str
    default: int | float | str
    allowed: tuple[tuple[float, float], ...] = ()
    choices: tuple[tuple[int, str], ...] = ()
    changeable: bool = True
    visible: bool = True
    help: str = ""


class Record(NamedTuple):
    """A record that is written at the start, by its index: octets in hex with what is constant, values in them."""

    number: int
    label: str
    octets: str
    order: int
    values: tuple[RecordValue, ...] = ()


class Submodule(NamedTuple):
    """A submodule: `subslots` are those it stands in by itself. `iops` and `iocs` are octets of status."""

    ident: int
    label: str
    subslots: tuple[int, ...] = (1,)
    api: int = 0
    inputs: tuple[DataItem, ...] = ()
    outputs: tuple[DataItem, ...] = ()
    consistent: bool = False
    iops: int = 1
    iocs: int = 1
    records: tuple[Record, ...] = ()

    @property
    def in_octets(self) -> int:
        """What it gives, without status."""
        return sum(item.octets for item in self.inputs)

    @property
    def out_octets(self) -> int:
        """What it takes."""
        return sum(item.octets for item in self.outputs)


class PnPort(NamedTuple):
    """A port: the subslot it is in, its ident number, whether it is one of a ring by itself."""

    subslot: int
    ident: int
    label: str
    ring: bool = False


@dataclass(frozen=True, slots=True)
class PnModule:
    """What stands in a slot: its ident number and its fixed submodules; that of a pluggable submodule is its one."""

    ident: int
    submodules: tuple[Submodule, ...] = ()
    # Pluggable submodules by their key in the file, with the subslots that take them.
    takes: tuple[tuple[str, tuple[int, ...]], ...] = ()
    # Whether it is a submodule, in a subslot of another module.
    pluggable: bool = False


@dataclass(frozen=True, slots=True)
class PnInterface:
    """The interface of an access point: subslot, ident number, what it can. `clocks` in 31.25 µs, `ratios` plain."""

    subslot: int
    ident: int
    clocks: tuple[int, ...] = (32,)
    ratios: tuple[int, ...] = (1, 2, 4, 8, 16, 32, 64, 128, 256, 512)
    classes: tuple[str, ...] = ("RT_CLASS_1",)
    # What it can be in a ring: "client", "manager".
    roles: tuple[str, ...] = ()
    neighbours: bool = False


@dataclass(frozen=True, slots=True)
class PnDevice:
    """An access point. `least_interval` in 31.25 µs; octets with status, None where the file does not say.

    `extended` are texts of extended channel errors.
    """

    device_id: int
    version: str = ""
    least_interval: int = 32
    interface: PnInterface | None = None
    ports: tuple[PnPort, ...] = ()
    in_octets: int | None = None
    out_octets: int | None = None
    both_octets: int | None = None
    name: str = ""
    by_neighbours: bool = False
    resets: bool = False
    extended: tuple[tuple[int, int, str], ...] = ()


def value_key(subslot: int, record: Record, value: RecordValue) -> str:
    """The key of a value of a record as a parameter of whoever has it."""
    bit = f"b{value.bit}" if value.bits % 8 or value.bit else ""
    return f"s{subslot}r{record.number}o{value.octet}{bit}"


def item_keys(items: Sequence[DataItem], letter: str, at: int = 0) -> Iterator[tuple[DataItem, int, str]]:
    """Each value with the octet it begins in among its module's, and its key: `i2`, `q0`."""
    for item in items:
        yield item, at, f"{letter}{at}"
        at += item.octets


def words_of(module: PnModule) -> Iterator[str]:
    """Keys of signed values of 16 bits: what is at terminals as likely as not."""
    into = out = 0
    for submodule in module.submodules:
        for _ in submodule.subslots:
            for items, letter, at in ((submodule.inputs, "i", into), (submodule.outputs, "q", out)):
                for item, _, key in item_keys(items, letter, at):
                    if item.data_type == "INT":
                        yield key
            into, out = into + submodule.in_octets, out + submodule.out_octets
