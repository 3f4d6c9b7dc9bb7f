"""A station's diagnosis in words, with the texts of its file. Source: IEC 61158-6-3, Slave_Diag."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from highmoor.core.catalogue.choices import DiagnosisText
from highmoor.core.networks.diagnosis import Diagnosis, Severity
from highmoor.core.networks.profibus_dp.settings import DpModule, DpStation

NO_MASTER = 255
HEAD_OCTETS = 6
# Octet 1.
NOT_THERE, NOT_READY, CFG_FAULT, EXT_DIAG, NOT_SUPPORTED, INVALID, PRM_FAULT, LOCKED = (1 << n for n in range(8))
# Octet 2.
PRM_REQ, STATIC, ALWAYS, WD_ON, FREEZE, SYNC, _, DEACTIVATED = (1 << n for n in range(8))
OVERFLOW = 0x80

# What each state means, what it may come from, and whose settings that are.
_STATES: tuple[tuple[int, int, str, str, tuple[str, ...]], ...] = (
    (0, CFG_FAULT, "configuration fault", "the modules plugged are not those configured, or not in that order",
     ("stations.settings.identifiers",)),
    (0, PRM_FAULT, "parameter fault", "it refuses its parameters: another ident number, or a value it does not know",
     ("stations.settings.ident", "stations.settings.user_prm")),
    (0, NOT_SUPPORTED, "not supported", "it is asked for something that it has not: sync, freeze, or a function of its "
     "parameters", ("stations.settings.sync", "stations.settings.freeze")),
    (0, LOCKED, "locked by another master", "another master has set its parameters", ()),
    (0, INVALID, "invalid response", "it answers what is no answer", ()),
    (1, STATIC, "static diagnosis", "it cannot give valid data, and says why in what follows", ()),
)  # fmt: skip

CHANNEL_ERRORS = {
    1: "short circuit", 2: "undervoltage", 3: "overvoltage", 4: "overload", 5: "overtemperature", 6: "line break",
    7: "upper limit exceeded", 8: "lower limit exceeded", 9: "error",
}  # fmt: skip
_CHANNEL_TYPES = {1: "bit", 2: "2 bits", 3: "4 bits", 4: "octet", 5: "word", 6: "2 words"}


@dataclass(frozen=True, slots=True)
class SlaveDiag:
    """A diagnosis taken apart: the first two octets, the master's address, the ident number, what follows."""

    one: int
    two: int
    three: int
    master: int
    ident: int
    extended: bytes

    @classmethod
    def of(cls, octets: bytes) -> SlaveDiag | None:
        """None for fewer than six octets."""
        if len(octets) < HEAD_OCTETS:
            return None
        return cls(
            octets[0], octets[1], octets[2], octets[3], int.from_bytes(octets[4:6], "big"), bytes(octets[6:])
        )  # fmt: skip

    @property
    def ready(self) -> bool:
        """Whether it exchanges data with its master from now on."""
        return not self.one & (NOT_READY | CFG_FAULT | PRM_FAULT | NOT_SUPPORTED | LOCKED) and not self.two & PRM_REQ


def blocks_of(extended: bytes) -> Iterator[bytes]:
    """What follows the six octets, block by block; what is left of one that is cut off is the last."""
    at = 0
    while at < len(extended):
        head = extended[at]
        kind = head >> 6
        length = 3 if kind == 2 else 1 if kind == 3 else max(head & 0x3F, 1)
        yield extended[at : at + length]
        at += length


def told(diag: SlaveDiag, station: DpStation) -> list[Diagnosis]:
    """All it says, in words, each with the octets it stands in."""
    found = list(_head(diag, station))
    for number, block in enumerate(blocks_of(diag.extended)):
        kind = block[0] >> 6
        of_kind = (_device, _modules, _channel, _revision)[kind]
        found += of_kind(block, station, number)
    if diag.three & OVERFLOW:
        found.append(Diagnosis("overflow", "it has more to say than its diagnosis holds", "warning"))
    return found


def _head(diag: SlaveDiag, station: DpStation) -> Iterator[Diagnosis]:
    code = f"{diag.one:02X} {diag.two:02X}"
    for octet, bit, name, why, settings in _STATES:
        if (diag.one if octet == 0 else diag.two) & bit:
            if bit == PRM_FAULT and octet == 0 and diag.ident != station.ident:
                why = f"its ident number is {diag.ident:04X}, not {station.ident:04X}: another device stands there"
            yield Diagnosis(name, f"{name}: {why}", code=code, settings=settings)


def _device(block: bytes, station: DpStation, number: int) -> list[Diagnosis]:
    """Of the device: as its file's bits and areas say (or, of DP-V1, by type, slot and specifier)."""
    data = block[1:]
    if station.fact("dpv1_slave") == 1 and len(data) >= 3:
        return list(_alarm(data, station, number))
    texts = station.device.diagnosis if station.device else ()
    return _of_bits(texts, data, "", f"device {number}", block)


def _of_bits(
    texts: Sequence[DiagnosisText], data: bytes, place: str, key: str, block: bytes
) -> list[Diagnosis]:  # fmt: skip
    found = []
    told: set[int] = set()
    for text in texts:
        value = bits_at(data, text.bit, text.bits)
        if value is None or text.kind == "channel":
            continue
        if text.kind == "area" and value:
            told.update(range(text.bit, text.bit + text.bits))
        if (text.kind == "area" and value == text.value and value) or (text.kind == "bit" and value == 1):
            told.update(range(text.bit, text.bit + text.bits))
            found.append(_said(f"{key} {text.bit}", text, place, block))
        elif text.kind == "bit clear" and value == 0:
            found.append(_said(f"{key} not {text.bit}", text, place, block, "note"))
    left = [n for n in range(8 * len(data)) if bits_at(data, n, 1) and n not in told]
    if left:
        bits = ", ".join(map(str, left))
        found.append(
            Diagnosis(
                f"{key} left", f"bit {bits} of its own diagnosis is set; its file has no text for it", "warning", place,
                code=block.hex(" ").upper(),
            )
        )  # fmt: skip
    return found


def bits_at(data: bytes, bit: int, bits: int) -> int | None:
    """A value of bits counted from the lowest of the first octet; None where it does not reach so far."""
    if bit + bits > 8 * len(data):
        return None
    return int.from_bytes(data, "little") >> bit & (1 << bits) - 1


def _said(key: str, text: DiagnosisText, place: str, block: bytes, severity: Severity = "error") -> Diagnosis:
    words = f"{text.text}. {text.help}" if text.help else text.text
    return Diagnosis(key, words, severity, place, code=block.hex(" ").upper())


_ALARMS = {1: "diagnosis", 2: "process", 3: "module pulled", 4: "module plugged", 5: "status", 6: "update"}
_SPECIFIERS = {1: "comes, and the slot is disturbed", 2: "is gone, the slot is in order",
               3: "is gone, the slot is still disturbed"}  # fmt: skip


def _alarm(data: bytes, station: DpStation, number: int) -> Iterator[Diagnosis]:
    kind, slot, specifier = data[0], data[1], data[2] & 3
    module = next((m for m in station.modules if m.slot == slot), None)
    status = bool(kind & 0x80)
    what = "status" if status else _ALARMS.get(kind & 0x7F, f"alarm {kind & 0x7F}")
    severity: Severity = "note" if status or specifier == 2 else "error"
    where = f"slot {slot}" + (f" ({module.type.name})" if module and module.type else "")
    words = f"{where}: {what} {_SPECIFIERS.get(specifier, '')}".rstrip()
    place = module.id if module else ""
    yield Diagnosis(f"alarm {number}", words, severity, place, code=data.hex(" ").upper())
    types: Mapping[str, Any] = station.fact("unit_diag_types") or {}
    texts = [DiagnosisText(**plain) for plain in types.get(str(kind), ())]
    yield from _of_bits(texts, data[3:], place, f"alarm {number}", data) if texts else ()


def _modules(block: bytes, station: DpStation, number: int) -> list[Diagnosis]:
    """Which modules have something to say: a bit each, from the first."""
    count = 8 * (len(block) - 1)
    slots = [n + 1 for n in range(count) if block[1 + n // 8] >> n % 8 & 1]
    return [_of_slot(slot, station, block) for slot in slots]


def _of_slot(slot: int, station: DpStation, block: bytes) -> Diagnosis:
    module = module_at(station, slot)
    name = f" ({module.type.name})" if module and module.type else ""
    return Diagnosis(
        f"module {slot}", f"slot {slot}{name} has something to say", "warning", module.id if module else "",
        code=block.hex(" ").upper(),
    )  # fmt: skip


def module_at(station: DpStation, slot: int) -> DpModule | None:
    """The module in a slot, counted from 1."""
    return next((module for module in station.modules if module.slot == slot), None)


def _channel(block: bytes, station: DpStation, number: int) -> list[Diagnosis]:
    """One channel of one module: what is wrong with it."""
    if len(block) < 3:
        return []
    # Modules are counted from 0, or as the file's Modul_Offset says.
    offset = station.fact("modul_offset")
    slot = (block[0] & 0x3F) + 1 - (offset if isinstance(offset, int) else 0)
    module = module_at(station, slot)
    channel, error = block[1] & 0x3F, block[2] & 0x1F
    texts = (*(module.type.diagnosis if module and module.type else ()),
             *(station.device.diagnosis if station.device else ()))  # fmt: skip
    own = next((t for t in texts if t.kind == "channel" and t.value == error), None)
    words = own.text if own else CHANNEL_ERRORS.get(error, f"error {error} of its maker")
    size = _CHANNEL_TYPES.get(block[2] >> 5, "")
    way = {1: "input", 2: "output", 3: "input and output"}.get(block[1] >> 6, "")
    name = f" ({module.type.name})" if module and module.type else ""
    return [
        Diagnosis(
            f"channel {slot}.{channel}.{error}",
            f"slot {slot}{name}, {' '.join(part for part in (way, f'channel {channel}') if part)}: {words}"
            + (f" ({size})" if size else ""),
            place=module.id if module else "", channel=str(channel), code=block.hex(" ").upper(),
        )
    ]  # fmt: skip


def _revision(block: bytes, station: DpStation, number: int) -> list[Diagnosis]:
    """Its revision number: nothing is wrong."""
    return []
