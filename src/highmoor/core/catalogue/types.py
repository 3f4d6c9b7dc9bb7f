"""The one shape of a device type, whatever it was read from."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal, TypeAlias

from highmoor.core.catalogue.choices import (
    Assembly,
    ConnectionChoice,
    DiagnosisText,
    Identifier,
    Limits,
    ModuleChoice,
    ParameterPlace,
    PortChoice,
    RackPlace,
    RegisterField,
    SlotChoice,
)
from highmoor.core.catalogue.ethercat import EthercatFacts
from highmoor.core.catalogue.io_link import IoDevice
from highmoor.core.catalogue.media import MEDIA, Medium, MediumKey
from highmoor.core.catalogue.pins import is_pinned
from highmoor.core.catalogue.profinet import PnDevice, PnModule, value_key, words_of
from highmoor.core.catalogue.safety import SafetyFacts
from highmoor.core.figures.profibus_identifier import identifier_sizes

Number: TypeAlias = int | float
ChannelKind = Literal["DI", "DO", "AI", "AO", "SI", "SO"]
TypeKind = Literal["controller", "module", "cover", "feed-in", "device", "switch", "repeater"]


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
    there; `raw_min`/`raw_max` the counts the channel can hold, so that over-range and a broken wire show. Of a
    resistance thermometer `ohm_per_kelvin` is what its leads are read with.
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
    ohm_per_kelvin: float = 0

    def up_to(self, counts: int) -> AnalogueRange:
        """The same with so many counts at its upper end, and at its lower one where that lies below zero."""
        return replace(self, raw_high=counts, raw_low=-counts if self.raw_low < 0 else self.raw_low)


# What may be at the terminals of a module whose file says only that a value has 16 bits (IEC 61131-2, 9.1: the ranges).
TERMINALS: dict[str, AnalogueRange] = {
    one.key: one
    for one in (
        AnalogueRange("bipolar-10v", "-10 … 10 V", "V", -10, 10, -32768, 32767, -32768, 32767),
        AnalogueRange("0-10v", "0 … 10 V", "V", 0, 10, 0, 32767, -32768, 32767),
        AnalogueRange("0-20ma", "0 … 20 mA", "mA", 0, 20, 0, 32767, -32768, 32767),
        AnalogueRange("4-20ma", "4 … 20 mA", "mA", 4, 20, 0, 32767, -32768, 32767),
    )
}


@dataclass(frozen=True, slots=True)
class PulsePair:
    """A pulse output and the direction output that belongs to it, by channel number; the fastest it can, Hz."""

    pulse: int
    direction: int
    max_hz: int


@dataclass(frozen=True, slots=True)
class OutputGroup:
    """Channels `first` … `last` of a module that share `rating_ma`, which may be less than their ratings together."""

    first: int
    last: int
    rating_ma: int


@dataclass(frozen=True, slots=True)
class Wiring:
    """How channels meet the field. Currents mA, voltages V, resistances Ω.

    `input_type` 1–3 and levels: IEC 61131-2. A sinking input takes a sourcing (PNP) sensor, and the reverse; a
    sourcing output drives a load to minus. `load_ma` is what a used channel takes of the field supply unless said
    otherwise, `rating_ma` what it bears, `drop_v` what the output keeps for itself, `burden_ohm` an input's resistance.
    """

    polarity: Literal["sinking", "sourcing", ""] = ""
    input_type: Literal[1, 2, 3] | None = None
    load_ma: int = 0
    rating_ma: int | None = None
    drop_v: float = 0
    burden_ohm: int | None = None
    groups: tuple[OutputGroup, ...] = ()
    pulses: tuple[PulsePair, ...] = ()


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
    wiring: Wiring = Wiring()

    # What holds where nothing is set, computed once: every channel of a plant asks for it.
    defaults: dict[str, Any] = field(init=False, repr=False, compare=False)
    default_range: AnalogueRange | None = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        defaults = {parameter.key: parameter.default for parameter in self.parameters}
        object.__setattr__(self, "defaults", defaults)
        chosen = next((r for r in self.ranges if r.key == defaults.get("range")), None)
        object.__setattr__(self, "default_range", chosen)

    @property
    def inward(self) -> bool:
        """Whether the data goes into the controller."""
        return self.kind in ("DI", "AI", "SI")


@dataclass(frozen=True, slots=True)
class Slots:
    """How a controller counts slots.

    Computed: slots follow from the order and every unused place wants a cover if `covers`.
    Addressed: each module is given its slot, gaps are allowed; they are counted from `first`.
    """

    addressed: bool
    covers: bool
    places: tuple[int, ...]
    first: int = 1


@dataclass(frozen=True, slots=True)
class NetworkPort:
    """A port of a controller or module that a network can be on; `bauds` in bit/s, none where the medium fixes it.

    As master there it has `stations` at most, and as many octets of their data each way; None for no end.
    """

    key: str
    label: str
    medium: MediumKey = "ethernet"
    bauds: tuple[int, ...] = ()
    stations: int | None = None
    octets: int | None = None

    @property
    def on(self) -> Medium:
        """What it is a port of."""
        return MEDIA[self.medium]


@dataclass(frozen=True, slots=True)
class Dial:
    """Switches on a device that set its number, or its address's last octet: decimal or hexadecimal rotary, or DIP."""

    kind: Literal["rotary-10", "rotary-16", "dip"]
    count: int


@dataclass(frozen=True, slots=True)
class SwitchFacts:
    """What a switch is: its sockets, and whether it sends multicast only to those who asked for it (IGMP snooping).

    `delay_us` is what it takes to pass a frame on, once it has the whole of it.
    """

    sockets: int
    snoops: bool = False
    delay_us: float = 5
    # What it can be in a ring: "client", "manager".
    ring: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class RepeaterFacts:
    """What a repeater is: how long it holds what it passes on, in bit times."""

    delay_bits: int


@dataclass(frozen=True, slots=True)
class ModulesTold:
    """Where a coupler tells of its modules: from a register on their number, then each one's product code in order."""

    area: int
    first: int


@dataclass(frozen=True, slots=True)
class ControllerFacts:
    """What only a controller has. Alignment in octets; times in ms; tasks as (name, period_ms).

    `cip_connections` and `cip_packets_per_s` are what it can as a scanner of EtherNet/IP, 0 where it is none.
    """

    slots: Slots
    alignment_octets: int
    image_octets: int
    tasks: tuple[tuple[str, float], ...]
    modbus_tcp_connections: int
    cip_connections: int = 0
    cip_packets_per_s: int = 0
    # Stations it can have as a controller of PROFINET IO, 0 where it is none.
    profinet_stations: int = 0


# What an IO-Link device hangs on, whatever its master is.
IO_LINK_PORT = "IO-Link port"
# Names in files can be whole sentences.
SHORT_NAME = 7


@dataclass(frozen=True, slots=True)
class DeviceType:
    """A device type. Currents in mA, heat in W, width in mm, conversion and filter times in ms.

    A head or feed-in gives `bus_supply_ma` to the internal bus and up to `field_limit_ma` to a field supply group; a
    head asks its rail's modules every `bus_cycle_ms`.

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
    bus_cycle_ms: float = 0
    field_limit_ma: int = 0
    channels: tuple[Channels, ...] = ()
    parameters: tuple[Parameter, ...] = ()
    conversion_ms: float = 0
    controller: ControllerFacts | None = None
    switch: SwitchFacts | None = None
    repeater: RepeaterFacts | None = None
    dial: Dial | None = None
    ports: tuple[NetworkPort, ...] = ()
    fieldbus: str = ""
    needs_safety: bool = False
    at_most: int | None = None
    modules_told: ModulesTold | None = None
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
    identifiers: tuple[Identifier, ...] = ()
    diagnosis: tuple[DiagnosisText, ...] = ()
    picture: str = ""
    facts: dict[str, Any] = field(default_factory=dict)
    ethercat: EthercatFacts | None = None
    profinet: PnDevice | None = None
    profinet_module: PnModule | None = None
    io_link: IoDevice | None = None
    safety: SafetyFacts | None = None
    # What a port of an IO-Link master does with what is plugged into it (IEC 61131-9, 10.2.2), "" for no such thing.
    port_mode: Literal["data", "DI", "DO", ""] = ""
    # Octets of a module whose file gives sizes but no channels.
    file_in_octets: int = 0
    file_out_octets: int = 0
    # What holds on a rail: slots it may take, types that must stand before it, where its own rail's slots count.
    only_slots: tuple[int, ...] = ()
    only_after: tuple[str, ...] = ()
    rail: Slots | None = None

    # What follows from `channels`, computed once: types are asked for it by every signal of a plant.
    channel_places: dict[str, ChannelPlace] = field(init=False, repr=False, compare=False)
    # Values of 16 bits of which no file says what is at their terminals, by key.
    words: tuple[str, ...] = field(init=False, repr=False, compare=False)
    in_octets: int = field(init=False, repr=False, compare=False)
    out_octets: int = field(init=False, repr=False, compare=False)

    @property
    def called(self) -> str:
        """What fits on a narrow module: its name, or its order number where that is a sentence."""
        return self.order_number if self.order_number and len(self.name) > SHORT_NAME else self.name

    @property
    def joins(self) -> str:
        """What a module hangs on, in the word of the heads that take it: the key of the one whose file lists it, a port
        of an IO-Link master, an internal bus of its maker's, "" for the backplane of built-in ones."""
        head, _, module = self.key.rpartition("/")
        if head and module:
            return head
        if self.io_link is not None or self.port_mode:
            return IO_LINK_PORT
        return self._inner_bus if self.ethercat is not None and self.ethercat.internal else ""

    @property
    def takes(self) -> str:
        """Which modules a head takes: those that join the same."""
        if self.modules:
            return self.key
        return self._inner_bus if self.ethercat is not None and self.ethercat.couples else ""

    @property
    def _inner_bus(self) -> str:
        return f"internal bus {self.vendor_id:X}"

    @property
    def set_by_bus(self) -> bool:
        """Whether its fieldbus sets more on it than its file's parameters, and judges all that is set."""
        return self.ethercat is not None

    @property
    def ring_roles(self) -> tuple[str, ...]:
        """What it can be in a ring of Ethernet (IEC 62439-2): "client", "manager"; nothing where it cannot."""
        if self.switch:
            return self.switch.ring
        interface = self.profinet.interface if self.profinet else None
        return interface.roles if interface else ()

    @property
    def passes_on(self) -> bool:
        """Whether it only passes on what others send, and has no data of its own."""
        return self.kind in ("switch", "repeater")

    def __post_init__(self) -> None:
        places = {place.key: place for place in _places(self.channels)}
        object.__setattr__(self, "channel_places", places)
        words = tuple(self.ethercat.analogue) if self.ethercat else tuple(_words(self.identifiers))
        words += tuple(words_of(self.profinet_module)) if self.profinet_module else ()
        object.__setattr__(self, "words", words)
        object.__setattr__(self, "in_octets", _octets(c for c in self.channels if c.inward) + self.file_in_octets)
        object.__setattr__(self, "out_octets", _octets(c for c in self.channels if not c.inward) + self.file_out_octets)

    @property
    def sockets(self) -> int | None:
        """Cables of one Ethernet it takes, None where nobody says; with two it passes on what is not its own."""
        if self.switch:
            return self.switch.sockets
        return self.limits.sockets

    def each_channel(self) -> Iterable[ChannelPlace]:
        """Every channel with its key and its bits in the module's own octets."""
        return self.channel_places.values()

    def channel(self, key: str) -> ChannelPlace | None:
        """The channel with this key, or None."""
        return self.channel_places.get(key)

    def range_at(self, key: str, settings: dict[str, Any]) -> AnalogueRange | None:
        """The number format of a channel, or of a value for which somebody has said what is at its terminals; None for
        what switches, and where nobody has."""
        channel = self.channel_places.get(key)
        if channel is not None:
            return channel.range(settings)
        if key not in self.words:
            return None
        words = settings.get("words")
        own = words.get(key) if isinstance(words, dict) else None
        told = TERMINALS.get(str(own or settings.get("terminals")))
        full = settings.get("full_counts")
        return told.up_to(full) if told and isinstance(full, int) and 0 < full < told.raw_high else told

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
        own = channel_settings(settings, self.key) if settings else {}
        return own[key] if key in own else self.group.defaults.get(key)

    def range(self, settings: dict[str, Any]) -> AnalogueRange | None:
        """The analogue range chosen for this channel; None for digital channels."""
        if not settings:
            return self.group.default_range
        chosen = self.parameter(settings, "range")
        return next((r for r in self.group.ranges if r.key == chosen), None)


def channel_settings(settings: dict[str, Any], key: str) -> dict[str, Any]:
    """What is set on one channel of a module; nothing where a file from outside holds something else there."""
    channels = settings.get("channels")
    own = channels.get(key) if isinstance(channels, dict) else None
    return own if isinstance(own, dict) else {}


@dataclass(frozen=True, slots=True)
class Catalogue:
    """Device types by key: `types` are built in; `load` fetches the reading a pinned key names, None for none.

    What was loaded once is kept: a pinned reading never changes. `first` is asked before `load`: a plant's own readings
    count only where nobody knows better.
    """

    types: dict[str, DeviceType] = field(default_factory=dict)
    load: Callable[[str], DeviceType | None] = lambda key: None
    first: Catalogue | None = None
    _loaded: dict[str, DeviceType | None] = field(default_factory=dict, repr=False, compare=False)

    @classmethod
    def of(cls, types: Iterable[DeviceType]) -> Catalogue:
        return cls({device.key: device for device in types})

    def find(self, key: str) -> DeviceType | None:
        """The type, or None when no file or built-in gives it. `key/module` is a module of a file's device."""
        found = self.types.get(key)
        if found is not None or not is_pinned(key):
            return found
        found = self.first.find(key) if self.first else None
        if found is not None:
            return found
        if key not in self._loaded:
            # Of a submodule, the head is the module it is plugged into.
            device, _, module = key.rpartition("/")
            device, module = (device, module) if device else (module, "")
            self._loaded[key] = self._module(device, module) if module else self.load(key)
        return self._loaded[key]

    def _module(self, device: str, module: str) -> DeviceType | None:
        head = self.find(device)
        choice = next((m for m in head.modules if m.key == module), None) if head else None
        return module_type(head, choice) if head and choice else None

    def learn(self, key: str, reading: DeviceType) -> None:
        """Take in a reading that was not there when it was asked for."""
        for known in [known for known in self._loaded if known.partition("/")[0] == key]:
            del self._loaded[known]
        self._loaded[key] = reading

    def of_kind(self, *kinds: TypeKind) -> list[DeviceType]:
        """Types of these kinds in catalogue order."""
        return [device for device in self.types.values() if device.kind in kinds]


def module_type(head: DeviceType, choice: ModuleChoice) -> DeviceType:
    """A module of a device's file as a type of its own; each parameter by the octet it stands in."""
    by_key = {parameter.key: parameter for parameter in head.parameters}
    parameters = tuple(_placed_parameters(by_key, choice.parameters))
    if choice.profinet:
        parameters = record_parameters(choice.profinet)
    slots = choice.slots or tuple(slot.number for slot in head.slots if choice.key in slot.allowed)
    inner = max((n for one in choice.inner for n in one.slots), default=0)
    return DeviceType(
        key=f"{head.key}/{choice.key}",
        kind="module",
        name=choice.label,
        order_number=choice.order_number,
        maker=head.maker,
        vendor_id=head.vendor_id,
        summary=choice.info,
        revisions=(),
        fieldbus=head.fieldbus,
        parameters=parameters,
        only_slots=slots if head.slots or choice.slots else (),
        modules=choice.inner,
        limits=Limits(modules=inner or None),
        rail=Slots(
            addressed=True, covers=False, places=(inner,), first=min(n for one in choice.inner for n in one.slots)
        )
        if inner
        else None,
        file_in_octets=choice.in_octets,
        file_out_octets=choice.out_octets,
        parameter_octets=choice.parameter_octets,
        parameter_places=tuple(ParameterPlace(_placed(place), place.octet) for place in choice.parameters),
        identifiers=choice.identifiers,
        diagnosis=choice.diagnosis,
        facts=choice.facts,
        product_code=choice.reference if choice.ethercat or choice.profinet else None,
        ethercat=choice.ethercat,
        profinet_module=choice.profinet,
    )


def record_parameters(module: PnModule) -> tuple[Parameter, ...]:
    """The values in the records of a module's submodules, each as a parameter by where it stands."""
    several = sum(len(s.subslots) for s in module.submodules if s.records) > 1
    return tuple(
        Parameter(
            value_key(subslot, record, value),
            f"{value.label}, subslot {subslot}" if several else value.label,
            value.default,
            value.choices,
            "",
            *_ends(value.allowed, value.bits, value.data_type),
            hint=value.help,
            data_type=value.data_type,
            bits=value.bits,
            bit=value.bit,
            allowed=tuple((int(low), int(high)) for low, high in value.allowed) if len(value.allowed) > 1 else (),
            access="read-write" if value.changeable else "read",
            hidden=not value.visible or (not value.data_type and value.bits > 16),
            group=record.label,
        )
        for submodule in module.submodules
        for subslot in submodule.subslots
        for record in submodule.records
        for value in record.values
    )


def _ends(allowed: Sequence[tuple[float, float]], bits: int, data_type: str) -> tuple[Number | None, Number | None]:
    """The least and the most a value may be: as its file says, or as its type holds."""
    if allowed:
        return min(low for low, _ in allowed), max(high for _, high in allowed)
    if data_type in ("REAL", "LREAL", "STRING") or (not data_type and bits > 16):
        return None, None
    signed = data_type in ("SINT", "INT", "DINT", "LINT")
    return (-(1 << bits - 1), (1 << bits - 1) - 1) if signed else (0, (1 << bits) - 1)


def _words(identifiers: Iterable[Identifier]) -> Iterator[str]:
    """The words that identifiers count, by where they begin in what a module gives (i) and takes (q)."""
    into = out = 0
    for identifier in identifiers:
        sizes = identifier_sizes(bytes.fromhex(identifier.octets))
        yield from (f"i{n}" for n in range(into, into + sizes.in_octets, 2) if sizes.in_unit == 2)
        yield from (f"q{n}" for n in range(out, out + sizes.out_octets, 2) if sizes.out_unit == 2)
        into, out = into + sizes.in_octets, out + sizes.out_octets


def _placed(place: ParameterPlace) -> str:
    """The key of a parameter where it stands: one description may stand at several octets."""
    return f"{place.parameter}_{place.octet}"


def _placed_parameters(
    by_key: Mapping[str, Parameter], places: Sequence[ParameterPlace]
) -> Iterator[Parameter]:  # fmt: skip
    """Each where it stands; of one that stands in several places, each with its number."""
    often = Counter(place.parameter for place in places)
    seen: Counter[str] = Counter()
    for place in places:
        parameter = by_key.get(place.parameter)
        if parameter is not None:
            seen[place.parameter] += 1
            nth = f" {seen[place.parameter]}" if often[place.parameter] > 1 else ""
            yield replace(parameter, key=_placed(place), label=f"{parameter.label}{nth}")


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
