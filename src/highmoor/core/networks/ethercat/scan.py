"""A scan of EtherCAT: everybody on the line is asked by position who he is, from the memory that each has of itself.

That tells vendor, product, revision, serial number and name, and by its ports whether it stands on an internal bus.
What stands in the slots of a device is asked of its objects, where its type is known and its mailbox runs.
"""

from __future__ import annotations

from collections.abc import Generator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.ethercat import datagrams as d
from highmoor.core.networks.ethercat import registers as r
from highmoor.core.networks.ethercat.asking import Asker, Failed, Wait
from highmoor.core.networks.ethercat.bring_up import read_object, revision_fits
from highmoor.core.networks.ethercat.explain import PREOP
from highmoor.core.networks.ethercat.passing import Passing
from highmoor.core.networks.ethercat.settings import NO_FACTS, Node, NodeSettings
from highmoor.core.networks.ethercat.slave import DETECTED_MODULES
from highmoor.core.networks.line import Line
from highmoor.core.networks.scanning import Found, FoundModule, FoundNumber, Scans, ScanSeat
from highmoor.core.plant.rows import Network

_POLL_NS = 1_000_000
_CATEGORIES_AT_MOST, _NAME_AT_MOST = 16, 64
# A device is told within so long: thirty questions, and those for its modules.
_DEVICE_S, _FEWEST = 0.02, 32


@dataclass(frozen=True, slots=True)
class _Told:
    """What a device tells by its position."""

    vendor: int
    product: int
    revision: int
    serial: int
    name: str
    internal: bool
    state: int


@dataclass(slots=True)
class _Scan:
    seat: ScanSeat
    done: int = 0
    asked: int = 1
    asker: Asker | None = None

    def begin(self) -> None:
        """Ask how many there are, then each."""
        own = self.seat.master
        self.asker = Asker(self.seat.clock, self.seat.medium, own.asker.passing if own else Passing(self.seat.clock))
        self.asker.run(self._all(), lambda _: self.seat.over())

    def stop(self) -> None:
        """Nothing more is asked."""
        if self.asker:
            self.asker.stopped = True

    def _all(self) -> Generator[d.Sent | Wait, d.Sent | None, object]:
        told = yield d.Sent(d.BRD, 0, d.physical(0, r.TYPE), bytes(1))
        count = told.counter if told else 0
        self.asked = max(count, 1)
        head: Found | None = None
        for position in range(1, count + 1):
            one = yield from _who_or_why(position)
            if isinstance(one, str):
                self.done += 1
                self._find(head)
                head = Found(str(position), "counts, and does not answer", trouble=one)
                continue
            self.done += 1
            if one.internal and head is not None:
                head = replace(head, modules=(*(head.modules or ()), self._module(one)))
                continue
            self._find(head)
            head = self._found(position, one)
            kind = next((t for t in self.seat.types() if _is(head, t)), None) if head else None
            if head and kind and kind.ethercat and kind.ethercat.slots and one.state >= PREOP:
                modules = yield from _in_slots(position, kind)
                head = replace(head, modules=modules)
            elif head and kind and kind.ethercat and kind.ethercat.couples:
                head = replace(head, modules=())
        self._find(head)
        return None

    def _find(self, found: Found | None) -> None:
        if found is not None:
            self.seat.find(found)

    def _found(self, position: int, one: _Told) -> Found:
        numbers = (FoundNumber("vendor", f"16#{one.vendor:X}"), FoundNumber("product", f"16#{one.product:X}"))
        return Found(
            str(position), "its EEPROM", name=one.name, revision=f"{one.revision >> 16}.{one.revision & 0xFFFF}",
            serial=f"{one.serial:08X}", numbers=numbers,
        )  # fmt: skip

    def _module(self, one: _Told) -> FoundModule:
        """Of its types the one of its very revision first, then later ones before earlier ones."""
        fitting = [
            (t.ethercat.revision != one.revision, -t.ethercat.revision, t.key) for t in self.seat.types()
            if t.ethercat and (t.vendor_id, t.product_code) == (one.vendor, one.product)
            and revision_fits(t.ethercat.revision_rule, one.revision, t.ethercat.revision)
        ]  # fmt: skip
        types = tuple(key for *_, key in sorted(fitting))
        return FoundModule(f"{one.name or 'vendor'} 16#{one.vendor:X}/16#{one.product:X}", types)


def _asked(command: int, position: int, register: int, data: bytes) -> Generator[d.Sent | Wait, d.Sent | None, d.Sent]:
    for _ in range(3):
        told = yield d.Sent(command, 0, d.physical(-(position - 1), register), data)
        if told is not None and told.counter:
            return told
    raise Failed("does not answer")


def _read(position: int, register: int, octets: int) -> Generator[d.Sent | Wait, d.Sent | None, bytes]:
    told = yield from _asked(d.APRD, position, register, bytes(octets))
    return told.data


def _eeprom(position: int, word: int) -> Generator[d.Sent | Wait, d.Sent | None, bytes]:
    """Two words of a device's memory of itself."""
    yield from _asked(d.APWR, position, r.EEPROM_ADDRESS, word.to_bytes(4, "little"))
    yield from _asked(d.APWR, position, r.EEPROM_CONTROL, r.EEPROM_READ.to_bytes(2, "little"))
    while int.from_bytes((yield from _read(position, r.EEPROM_CONTROL, 2)), "little") & r.EEPROM_BUSY:
        yield Wait(_POLL_NS)
    return (yield from _read(position, r.EEPROM_DATA, 4))


def _who(position: int) -> Generator[d.Sent | Wait, d.Sent | None, _Told]:
    numbers = []
    for word in (r.VENDOR_WORD, r.PRODUCT_WORD, r.REVISION_WORD, r.SERIAL_WORD):
        numbers.append(int.from_bytes((yield from _eeprom(position, word)), "little"))
    name = yield from _name(position)
    ports = yield from _read(position, r.PORTS, 1)
    status = yield from _read(position, r.AL_STATUS, 2)
    vendor, product, revision, serial = numbers
    internal = ports[0] & 3 == r.PORT_INTERNAL
    return _Told(vendor, product, revision, serial, name, internal, status[0] & 0xF)


def _who_or_why(position: int) -> Generator[d.Sent | Wait, d.Sent | None, _Told | str]:
    """What it tells, or why it does not."""
    try:
        return (yield from _who(position))
    except Failed as failed:
        return failed.text


def _name(position: int) -> Generator[d.Sent | Wait, d.Sent | None, str]:
    """The first of its texts, "" for one that has none (ETG.1000.6, 5.4: categories)."""
    at = r.CATEGORIES_WORD
    for _ in range(_CATEGORIES_AT_MOST):
        head = yield from _eeprom(position, at)
        category, words = int.from_bytes(head[:2], "little"), int.from_bytes(head[2:], "little")
        if category == r.END:
            return ""
        if category == r.STRINGS:
            text = yield from _eeprom(position, at + 2)
            length = min(text[1], _NAME_AT_MOST)
            octets = text[2:]
            while len(octets) < length:
                octets += yield from _eeprom(position, at + 2 + (2 + len(octets)) // 2)
            return octets[:length].decode("latin-1")
        at += 2 + words
    return ""


def _in_slots(
    position: int, kind: DeviceType
) -> Generator[d.Sent | Wait, d.Sent | None, tuple[FoundModule, ...] | None]:
    """What a device with slots has found in them; None where it does not tell."""
    facts = kind.ethercat or NO_FACTS
    address = int.from_bytes((yield from _read(position, r.STATION_ADDRESS, 2)), "little")
    if not address:
        return None
    node = Node("", "", "", kind, facts, NodeSettings.of({}), (), 0, 0)
    count, problem = yield from read_object(node, address, DETECTED_MODULES, 0)
    modules = []
    for slot in range(1, (count[0] if count and not problem else 0) + 1):
        octets, _ = yield from read_object(node, address, DETECTED_MODULES, slot)
        ident = int.from_bytes(octets, "little")
        if ident:
            types = tuple(f"{kind.key}/{m.key}" for m in kind.modules if m.reference == ident)
            modules.append(FoundModule(f"module 16#{ident:X}", types))
    return tuple(modules) if not problem else None


def _numbers(found: Found) -> tuple[int, int] | None:
    told = {number.label: number.value for number in found.numbers}
    try:
        return int(told["vendor"].removeprefix("16#"), 16), int(told["product"].removeprefix("16#"), 16)
    except (KeyError, ValueError):
        return None


def _is(found: Found | None, device: DeviceType) -> bool:
    return found is not None and alike(found, device) is True


def alike(found: Found, device: DeviceType) -> bool | None:
    """Whether what was found can be of a type: by vendor and product, and by its file's rule of revisions."""
    told = _numbers(found)
    if told is None or device.ethercat is None or device.ethercat.internal:
        return None
    if told != (device.vendor_id, device.product_code):
        return False
    return revision_fits(device.ethercat.revision_rule, _revision(found), device.ethercat.revision)


def _revision(found: Found) -> int:
    high, _, low = found.revision.partition(".")
    return int(high or 0) << 16 | int(low or 0)


def differs(found: Found, line: Line) -> str:
    """Another device, or a revision that is not taken, than is configured there."""
    device, told = line.device, _numbers(found)
    if device is None or device.ethercat is None or told is None:
        return ""
    if told != (device.vendor_id, device.product_code):
        words = ", ".join(f"{number.label} {number.value}" for number in found.numbers)
        return f"{found.name or 'a device'} ({words}) instead of {device.name}"
    own = NodeSettings.of(line.station.settings)
    rule = {"exact": "EQ", "any": "NONE"}.get(own.identity, device.ethercat.revision_rule)
    if revision_fits(rule, _revision(found), device.ethercat.revision):
        return ""
    return f"revision {found.revision} instead of {device.revisions[-1] if device.revisions else ''}"


def _takes_s(_: Network, lines: Sequence[Line], __: Mapping[str, Any]) -> float:
    """For as many as are configured with their modules, and as many more as might be there."""
    count = sum(1 + len(line.modules) for line in lines)
    return _DEVICE_S * max(2 * count, _FEWEST)


SCANS = Scans(fields=lambda *_: (), takes_s=_takes_s, make=_Scan, alike=alike, differs=differs, covers=lambda *_: True)
