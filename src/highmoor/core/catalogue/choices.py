"""What a device offers to be configured, in one shape whatever file it was read from.

Directions are seen from the controller: "in" into it, "out" out of it; `term` keeps the standard's own word
(T→O, O→T, TxPDO …). Sizes are octets of data alone, intervals µs.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

from highmoor.core.catalogue.ethercat import EthercatFacts
from highmoor.core.catalogue.profinet import PnModule

Direction = Literal["in", "out"]
RealTimeFormat = Literal["modeless", "zero-length", "heartbeat", "header-32", "safety", "reserved"]


@dataclass(frozen=True, slots=True)
class Span:
    """What a size (octets) or an interval (µs) may be; None where the file does not say."""

    minimum: int | None = None
    maximum: int | None = None
    default: int | None = None

    @classmethod
    def fixed(cls, value: int) -> Span:
        return cls(value, value, value)


@dataclass(frozen=True, slots=True)
class DataField:
    """A named stretch of an exchange's octets; `bit` counts from its first octet's lowest bit. "" label: padding."""

    key: str
    label: str
    bit: int
    bits: int
    data_type: str = ""
    parameter: str = ""


@dataclass(frozen=True, slots=True)
class ExchangeChoice:
    """One direction of a connection as the file offers it."""

    direction: Direction
    term: str
    point: int | None
    octets: Span
    fixed_size: bool
    variable_size: bool
    format: RealTimeFormat
    transfers: tuple[str, ...]
    priorities: tuple[str, ...]
    interval_us: Span
    assembly: str = ""
    fields: tuple[DataField, ...] = ()


@dataclass(frozen=True, slots=True)
class ConfigurationChoice:
    """The configuration data a connection sends when it is opened."""

    point: int | None
    octets: Span
    assemblies: tuple[str, ...] = ()
    fields: tuple[DataField, ...] = ()


@dataclass(frozen=True, slots=True)
class ConnectionChoice:
    """A connection a device offers: who may own it, and what it carries each way."""

    key: str
    label: str
    help: str
    applications: tuple[str, ...]
    triggers: tuple[str, ...]
    transport_classes: tuple[int, ...]
    path: str
    exchanges: tuple[ExchangeChoice, ...]
    configuration: ConfigurationChoice | None = None
    slot_octets_in: int = 0
    slot_octets_out: int = 0


@dataclass(frozen=True, slots=True)
class Assembly:
    """A block of data of a device; `octets` as the file gives it, otherwise the sum of its members."""

    key: str
    label: str
    instance: int | None
    octets: int | None
    fields: tuple[DataField, ...] = ()


@dataclass(frozen=True, slots=True)
class Identifier:
    """One configuration identifier: octets each way as they are counted, and whether they are consistent as a whole."""

    octets: str
    in_octets: int
    out_octets: int
    consistent: bool


@dataclass(frozen=True, slots=True)
class ParameterPlace:
    """Where a parameter's value stands in the parameter octets; several octets stand high octet first."""

    parameter: str
    octet: int


@dataclass(frozen=True, slots=True)
class DiagnosisText:
    """What a bit, an area's value or a channel's error type means. `bit` counts within the diagnosis data."""

    kind: Literal["bit", "bit clear", "area", "channel"]
    bit: int
    bits: int
    value: int
    text: str
    help: str = ""


@dataclass(frozen=True, slots=True)
class ModuleChoice:
    """Something that can be plugged into a device: what it adds to the data, its parameters, what it takes itself."""

    key: str
    label: str
    order_number: str = ""
    reference: int | None = None
    identifiers: tuple[Identifier, ...] = ()
    in_octets: int = 0
    out_octets: int = 0
    consistent: bool = False
    info: str = ""
    slots: tuple[int, ...] = ()
    width: int = 1
    preset: bool = False
    parameter_octets: str = ""
    parameters: tuple[ParameterPlace, ...] = ()
    diagnosis: tuple[DiagnosisText, ...] = ()
    facts: dict[str, Any] = field(default_factory=dict)
    ethercat: EthercatFacts | None = None
    profinet: PnModule | None = None
    inner: tuple[ModuleChoice, ...] = ()


@dataclass(frozen=True, slots=True)
class SlotChoice:
    """A slot of a device, with what stands in it by default and what else may; `fixed`: nothing else."""

    number: int
    label: str
    default: str
    allowed: tuple[str, ...]
    fixed: bool = False


@dataclass(frozen=True, slots=True)
class PortChoice:
    """A port of a device; `kind` as the standard names it."""

    key: str
    label: str
    kind: str
    number: int | None = None
    path: str = ""


@dataclass(frozen=True, slots=True)
class RackPlace:
    """A rack a module fits into, by identity (None: not said), and the slots it may take there (none said: any)."""

    vendor_id: int | None
    device_type: int | None
    product_code: int | None
    major: int | None
    minor: int | None
    slots: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class RegisterField:
    """A register or coil of a map: where it is, how it is read, what it means.

    `reference` is the five- or six-digit number, `address` the 0-based one of the protocol. value =
    (raw · scale) + offset, in `unit`.
    """

    key: str
    label: str
    area: int
    reference: str
    address: int
    data_type: str
    registers: int
    order: str
    access: Literal["read", "write", "read-write"]
    bit: int | None = None
    scale: int | float = 1
    offset: int | float = 0
    unit: str = ""
    minimum: int | float | None = None
    maximum: int | float | None = None
    text: str = ""
    values: tuple[tuple[int, str], ...] = ()


@dataclass(frozen=True, slots=True)
class Limits:
    """What a device bears. None where the file does not say; times as named, baud rates in bit/s."""

    connections: int | None = None
    cyclic_connections: int | None = None
    min_interval_us: int | None = None
    packets_per_s: int | None = None
    modules: int | None = None
    sockets: int | None = None
    in_octets: int | None = None
    out_octets: int | None = None
    data_octets: int | None = None
    parameter_octets: int | None = None
    diagnosis_octets: int | None = None
    baud_rates: tuple[int, ...] = ()
    reply_bit_times: dict[str, int] = field(default_factory=dict)
