"""What an IO-Link device offers. Source: IODD specification 1.0.1 and 1.1; IEC 61131-9.

Directions are seen from the controller: what a device gives goes "in". Bits count from the lowest of the last octet.
What there is by the hundred in a file is a plain tuple with names, so that reading many devices stays quick.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple

ValueKind = Literal["BOOL", "UINT", "INT", "REAL", "STRING", "OCTETS", "TIME", "SPAN"]
Access = Literal["ro", "wo", "rw"]


class IoValue(NamedTuple):
    """A value: its kind and width. `choices` are single values with their texts, which may lie outside of `ranges`
    (closed, none for any). `gradient` and `offset` make of the raw value one in `unit`, shown with so many decimals."""

    kind: ValueKind
    bits: int
    choices: tuple[tuple[int | float | str, str], ...] = ()
    ranges: tuple[tuple[float, float], ...] = ()
    gradient: float = 1
    offset: float = 0
    unit: str = ""
    decimals: int | None = None


class IoField(NamedTuple):
    """A value within a record, an array or process data: by subindex, with where its lowest bit lies."""

    subindex: int
    label: str
    bit: int
    value: IoValue
    text: str = ""
    default: str = ""


class IoData(NamedTuple):
    """Process data one way: how many bits, and its values; one without records has one by subindex 0."""

    label: str
    bits: int
    fields: tuple[IoField, ...] = ()

    @property
    def octets(self) -> int:
        """Whole octets, as they travel."""
        return (self.bits + 7) // 8


@dataclass(frozen=True, slots=True)
class IoCondition:
    """Holds while a variable (of a record: its subindex) has a value."""

    index: int
    subindex: int
    value: int
    label: str = ""


class IoVariant(NamedTuple):
    """The process data while a condition holds; None for the only one, or that which holds otherwise."""

    key: str
    inward: IoData | None
    outward: IoData | None
    condition: IoCondition | None = None


@dataclass(frozen=True, slots=True)
class IoVariable:
    """A parameter by its index; one that is a record or an array has fields. `default` as the file writes it.

    `stored`: belongs to data storage, so that a replaced device gets it back.
    """

    index: int
    label: str
    access: Access
    value: IoValue | None
    fields: tuple[IoField, ...] = ()
    default: str = ""
    text: str = ""
    dynamic: bool = False
    stored: bool = True
    octets: int = 0


class IoEvent(NamedTuple):
    """What a device may tell by itself, by its code."""

    code: int
    severity: Literal["error", "warning", "note"]
    label: str
    text: str = ""


class IoError(NamedTuple):
    """What a device may answer to a request, by code and additional code."""

    code: int
    label: str
    text: str = ""


class IoMenuEntry(NamedTuple):
    """An entry of a menu: a variable (and subindex), or a menu by its key; shown while a condition holds."""

    variable: int | None = None
    subindex: int = 0
    menu: str = ""
    condition: IoCondition | None = None
    read_only: bool = False


class IoMenu(NamedTuple):
    """A menu of the file."""

    key: str
    label: str
    entries: tuple[IoMenuEntry, ...] = ()


class IoWire(NamedTuple):
    """A wire: its number, its colour and its function as the file's own words have them."""

    number: int
    colour: str
    function: str


@dataclass(frozen=True, slots=True)
class IoDevice:
    """A device by its file. Times in µs, `bitrate` in bit/s; `revision` of the protocol, as 1.1."""

    device_id: int
    revision: str = "1.1"
    bitrate: int = 38400
    least_cycle_us: int = 0
    sio: bool = False
    block_parameters: bool = False
    data_storage: bool = False
    variants: tuple[IoVariant, ...] = ()
    variables: tuple[IoVariable, ...] = ()
    events: tuple[IoEvent, ...] = ()
    errors: tuple[IoError, ...] = ()
    menus: tuple[IoMenu, ...] = ()
    # By role (observer, maintenance, specialist) the keys of its menus.
    roles: tuple[tuple[str, tuple[str, ...]], ...] = ()
    wires: tuple[IoWire, ...] = ()
    connector: str = ""

    def variant(self, values: dict[tuple[int, int], int]) -> IoVariant | None:
        """The process data while variables (by index and subindex) have these values, else their defaults."""
        for one in self.variants:
            held = one.condition
            if held is not None and values.get((held.index, held.subindex), self._default(held)) == held.value:
                return one
        return next((one for one in self.variants if one.condition is None), None)

    def _default(self, condition: IoCondition) -> int | None:
        variable = next((one for one in self.variables if one.index == condition.index), None)
        if variable is None:
            return None
        field = next((one for one in variable.fields if one.subindex == condition.subindex), None)
        text = field.default if field and condition.subindex else variable.default
        return int(text) if text.lstrip("-").isdigit() else {"true": 1, "false": 0}.get(text)

    @property
    def in_octets(self) -> int:
        """The most that any variant gives."""
        return max((one.inward.octets for one in self.variants if one.inward), default=0)

    @property
    def out_octets(self) -> int:
        """The most that any variant takes."""
        return max((one.outward.octets for one in self.variants if one.outward), default=0)
