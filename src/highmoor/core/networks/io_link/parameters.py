"""Parameters in an IO-Link device by index and subindex (IEC 61131-9, B.8 and annex C): what is read, written, refused.

A subindex of 0 is all of a parameter.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field

from highmoor.core.catalogue.io_link import IoDevice, IoField, IoValue, IoVariable
from highmoor.core.catalogue.reading.iolink_iodd.standard import ERRORS
from highmoor.core.networks.io_link.values import count_of, default_octets, octets_in

NO_INDEX, NO_SUBINDEX, DENIED, OUT_OF_RANGE, TOO_LONG, TOO_SHORT = 0x8011, 0x8012, 0x8023, 0x8030, 0x8033, 0x8034
# What a master says where no device answers (C.4).
NO_DEVICE = 0x1000
_OF_MASTERS = {NO_DEVICE: "No device operates on this port"}
_COMMAND, _FACTORY, _SERIAL = 0x02, 130, 0x15


@dataclass(frozen=True, slots=True)
class PortAsk:
    """A parameter of the device on a port to be read, or written with `octets`."""

    port: int
    index: int
    subindex: int
    octets: bytes | None = None


@dataclass(frozen=True, slots=True)
class PortAnswer:
    """What came of it: an error code and an additional one in one number (0: none), and what was read."""

    error: int = 0
    octets: bytes = b""


Served = Callable[[PortAsk], PortAnswer]


def error_text(device: IoDevice | None, code: int) -> str:
    """What an error means, by the device's file or by the standard."""
    own = next((one for one in device.errors if one.code == code), None) if device else None
    label = own.label if own and own.label else (ERRORS | _OF_MASTERS).get(code, "Refused by the device")
    return f"{label} (16#{code:04X})"


def value_at(device: IoDevice | None, index: int, subindex: int) -> IoValue | None:
    """The value a file describes there; None for none, or for a record as a whole."""
    variable = variable_at(device, index)
    if variable is None:
        return None
    if not subindex:
        return variable.value
    return next((one.value for one in variable.fields if one.subindex == subindex), None)


def variable_at(device: IoDevice | None, index: int) -> IoVariable | None:
    """The parameter a file describes there."""
    return next((one for one in device.variables if one.index == index), None) if device else None


@dataclass(slots=True)
class Parameters:
    """All parameters of one device: whole ones by index, as octets. `serial` is its own number."""

    device: IoDevice
    serial: str = ""
    values: dict[int, bytes] = field(default_factory=dict)

    def read(self, index: int, subindex: int) -> PortAnswer:
        """A parameter, or a part of it."""
        variable = variable_at(self.device, index)
        if variable is None:
            return PortAnswer(NO_INDEX)
        if variable.access == "wo":
            return PortAnswer(DENIED)
        whole = self.whole(variable)
        if not subindex:
            return PortAnswer(0, whole)
        part = _part(variable, subindex)
        if part is None:
            return PortAnswer(NO_SUBINDEX)
        count = int.from_bytes(whole, "big") >> part.bit & (1 << part.value.bits) - 1
        return PortAnswer(0, count.to_bytes(octets_in(part.value), "big"))

    def write(self, index: int, subindex: int, octets: bytes) -> PortAnswer:
        """Put a parameter, or a part of it."""
        variable = variable_at(self.device, index)
        if variable is None:
            return PortAnswer(NO_INDEX)
        if variable.access == "ro":
            return PortAnswer(DENIED)
        part = _part(variable, subindex) if subindex else None
        if subindex and part is None:
            return PortAnswer(NO_SUBINDEX)
        value = part.value if part else variable.value
        refused = _refused(variable, value, octets)
        if refused:
            return PortAnswer(refused)
        if index == _COMMAND:
            if octets[-1] == _FACTORY:
                self.values.clear()
            return PortAnswer()
        if part:
            mask = (1 << part.value.bits) - 1 << part.bit
            whole = self.whole(variable)
            there = int.from_bytes(whole, "big") & ~mask | int.from_bytes(octets, "big") << part.bit & mask
            octets = there.to_bytes(len(whole), "big")
        self.values[index] = octets
        return PortAnswer()

    def whole(self, variable: IoVariable) -> bytes:
        """A parameter as it stands in the device."""
        own = self.values.get(variable.index)
        if own is not None:
            return own
        if variable.index == _SERIAL:
            return self.serial.encode()
        if variable.value is not None:
            return default_octets(variable.value, variable.default)
        count = 0
        for one in variable.fields:
            begins = int.from_bytes(default_octets(one.value, one.default), "big")
            count |= (begins & (1 << one.value.bits) - 1) << one.bit
        return count.to_bytes(max(variable.octets, (count.bit_length() + 7) // 8, 1), "big")

    def counts(self) -> dict[tuple[int, int], int]:
        """The whole numbers of all parameters, by index and subindex: what conditions ask."""
        return dict(self._counts())

    def _counts(self) -> Iterator[tuple[tuple[int, int], int]]:
        for variable in self.device.variables:
            if variable.value is not None and variable.value.kind in ("UINT", "INT", "BOOL"):
                yield (variable.index, 0), count_of(variable.value, self.whole(variable))
            for one in variable.fields:
                answer = self.read(variable.index, one.subindex)
                if not answer.error:
                    yield (variable.index, one.subindex), count_of(one.value, answer.octets)

    def stored(self) -> dict[int, bytes]:
        """What data storage has of it (IEC 61131-9, 11.4): what may be written and is not left out by the file."""
        return {
            one.index: self.whole(one)
            for one in self.device.variables if one.stored and one.access == "rw" and not one.dynamic
        }  # fmt: skip

    def restore(self, kept: Mapping[int, bytes]) -> None:
        """Take over what the master has kept."""
        mine = self.stored()
        self.values |= {index: octets for index, octets in kept.items() if index in mine and mine[index] != octets}


def _part(variable: IoVariable, subindex: int) -> IoField | None:
    return next((one for one in variable.fields if one.subindex == subindex), None)


def _refused(variable: IoVariable, value: IoValue | None, octets: bytes) -> int:
    """Why octets cannot be the value; 0 where they can."""
    if value is None:
        wanted = max(variable.octets, 1)
        return TOO_LONG if len(octets) > wanted else TOO_SHORT if len(octets) < wanted else 0
    wanted = octets_in(value)
    if len(octets) > wanted:
        return TOO_LONG
    if value.kind in ("STRING", "OCTETS"):
        return 0
    if len(octets) < wanted:
        return TOO_SHORT
    if value.kind not in ("UINT", "INT"):
        return 0
    count = count_of(value, octets)
    allowed = any(a <= count <= b for a, b in value.ranges) or any(one == count for one, _ in value.choices)
    return OUT_OF_RANGE if (value.ranges or value.choices) and not allowed else 0
