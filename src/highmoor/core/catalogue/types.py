"""The one shape of a device type, whatever it was read from."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any, Literal, TypeAlias

from highmoor.core.catalogue.choices import (
    Assembly,
    ConnectionChoice,
    DiagnosisText,
    Limits,
    ModuleChoice,
    ParameterPlace,
    PortChoice,
    RackPlace,
    RegisterField,
    SlotChoice,
)

Number: TypeAlias = int | float
ChannelKind = Literal["DI", "DO", "AI", "AO", "SI", "SO"]
TypeKind = Literal["controller", "module", "cover", "feed-in", "device"]


@dataclass(frozen=True, slots=True)
class Scaling:
    """How a raw value becomes an engineering one: (raw + offset) · multiplier · base / divisor.

    A `…_link` names the parameter whose value stands in for the constant. Source: CIP volume 1, 5-14.
    """

    multiplier: Number = 1
    divisor: Number = 1
    base: Number = 1
    offset: Number = 0
    multiplier_link: str = ""
    divisor_link: str = ""
    base_link: str = ""
    offset_link: str = ""
    decimals: int = 0


@dataclass(frozen=True, slots=True)
class Parameter:
    """Something of a device, module or channel that can be set; `choices` are (value, label) pairs.

    `allowed` are closed ranges where the value may lie, when they are more than one. `bit` and `bits` place the
    value within its octet or word of the parameter data. `path` is how the device is asked for it.
    """

    key: str
    label: str
    default: Any
    choices: tuple[tuple[Any, str], ...] = ()
    unit: str = ""
    minimum: Number | None = None
    maximum: Number | None = None
    restart: bool = False
    hint: str = ""
    data_type: str = ""
    bits: int | None = None
    bit: int = 0
    allowed: tuple[tuple[int, int], ...] = ()
    scaling: Scaling | None = None
    access: Literal["read-write", "read", "write"] = "read-write"
    hidden: bool = False
    path: str = ""
    group: str = ""


@dataclass(frozen=True, slots=True)
class AnalogueRange:
    """A kind of signal a channel takes or gives, with its number format.

    `low`/`high` are the nominal electrical (or temperature) span in `unit`; `raw_low`/`raw_high` the counts
    there; `raw_min`/`raw_max` the counts the channel can hold, so that over-range and a broken wire show.
    """

    key: str
    label: str
    unit: str
    low: float
    high: float
    raw_low: int
    raw_high: int
    raw_min: int
    raw_max: int


@dataclass(frozen=True, slots=True)
class Channels:
    """A run of like channels of a module. `bits` is what one channel takes in the image."""

    kind: ChannelKind
    count: int
    bits: int
    data_type: str
    terminals: tuple[str, ...]
    ranges: tuple[AnalogueRange, ...] = ()
    parameters: tuple[Parameter, ...] = ()

    @property
    def inward(self) -> bool:
        """Whether the data goes into the controller."""
        return self.kind in ("DI", "AI", "SI")


@dataclass(frozen=True, slots=True)
class Slots:
    """How a controller counts slots.

    Computed: slots follow from the order and every unused place wants a cover if `covers`.
    Addressed: each module is given its slot, gaps are allowed.
    """

    addressed: bool
    covers: bool
    places: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class ControllerFacts:
    """What only a controller has. Alignment in octets; times in ms; tasks as (name, period_ms)."""

    ports: tuple[tuple[str, str], ...]
    slots: Slots
    alignment_octets: int
    image_octets: int
    bus_cycle_ms: float
    tasks: tuple[tuple[str, float], ...]
    modbus_tcp_connections: int
    safety: bool = False


@dataclass(frozen=True, slots=True)
class DeviceType:
    """A device type. Currents in mA, heat in W, width in mm, conversion and filter times in ms.

    `in_octets` go into the controller, `out_octets` out of it, both before alignment.
    """

    key: str
    kind: TypeKind
    name: str
    order_number: str
    maker: str
    vendor_id: int
    summary: str
    revisions: tuple[str, ...]
    width_mm: float = 0
    heat_w: float = 0
    bus_current_ma: int = 0
    bus_supply_ma: int = 0
    channels: tuple[Channels, ...] = ()
    parameters: tuple[Parameter, ...] = ()
    conversion_ms: float = 0
    controller: ControllerFacts | None = None
    fieldbus: str = ""
    needs_safety: bool = False
    at_most: int | None = None
    octet_order: Literal["little", "big"] = "little"

    # What a description file adds; see `choices.py`.
    device_type: int | None = None
    product_code: int | None = None
    connections: tuple[ConnectionChoice, ...] = ()
    assemblies: tuple[Assembly, ...] = ()
    modules: tuple[ModuleChoice, ...] = ()
    slots: tuple[SlotChoice, ...] = ()
    network_ports: tuple[PortChoice, ...] = ()
    racks: tuple[RackPlace, ...] = ()
    registers: tuple[RegisterField, ...] = ()
    limits: Limits = field(default_factory=Limits)
    parameter_octets: str = ""
    parameter_places: tuple[ParameterPlace, ...] = ()
    diagnosis: tuple[DiagnosisText, ...] = ()
    picture: str = ""
    facts: dict[str, Any] = field(default_factory=dict)

    # What follows from `channels`, computed once: types are asked for it by every signal of a plant.
    channel_places: dict[str, ChannelPlace] = field(init=False, repr=False, compare=False)
    in_octets: int = field(init=False, repr=False, compare=False)
    out_octets: int = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        places = {place.key: place for place in _places(self.channels)}
        object.__setattr__(self, "channel_places", places)
        object.__setattr__(self, "in_octets", _octets(c for c in self.channels if c.inward))
        object.__setattr__(self, "out_octets", _octets(c for c in self.channels if not c.inward))

    def each_channel(self) -> Iterable[ChannelPlace]:
        """Every channel with its key and its bits in the module's own octets."""
        return self.channel_places.values()

    def channel(self, key: str) -> ChannelPlace | None:
        """The channel with this key, or None."""
        return self.channel_places.get(key)

    def default_of(self, key: str) -> Any:
        """The default of a parameter of the module itself, None when it has none by this key."""
        return next((p.default for p in self.parameters if p.key == key), None)


@dataclass(frozen=True, slots=True)
class ChannelPlace:
    """One channel: bit offset and terminals (pattern with `{slot}`) within its module."""

    key: str
    number: int
    group: Channels
    bit: int
    terminals: str

    def parameter(self, settings: dict[str, Any], key: str) -> Any:
        """The channel's own value of a parameter, or the type's default."""
        own = settings.get("channels", {}).get(self.key, {})
        if key in own:
            return own[key]
        return next((p.default for p in self.group.parameters if p.key == key), None)

    def range(self, settings: dict[str, Any]) -> AnalogueRange | None:
        """The analogue range chosen for this channel; None for digital channels."""
        chosen = self.parameter(settings, "range")
        return next((r for r in self.group.ranges if r.key == chosen), None)


@dataclass(frozen=True, slots=True)
class Catalogue:
    """Device types by key."""

    types: dict[str, DeviceType] = field(default_factory=dict)

    @classmethod
    def of(cls, types: Iterable[DeviceType]) -> Catalogue:
        return cls({device.key: device for device in types})

    def find(self, key: str) -> DeviceType | None:
        """The type, or None when no file or built-in gives it."""
        return self.types.get(key)

    def of_kind(self, *kinds: TypeKind) -> list[DeviceType]:
        """Types of these kinds in catalogue order."""
        return [device for device in self.types.values() if device.kind in kinds]


def _octets(groups: Iterable[Channels]) -> int:
    return (sum(group.count * group.bits for group in groups) + 7) // 8


def _places(groups: Iterable[Channels]) -> Iterator[ChannelPlace]:
    offsets = {True: 0, False: 0}
    number = 0
    for group in groups:
        for index in range(group.count):
            bit = offsets[group.inward]
            offsets[group.inward] += group.bits
            yield ChannelPlace(f"ch{number}", number, group, bit, group.terminals[index])
            number += 1
