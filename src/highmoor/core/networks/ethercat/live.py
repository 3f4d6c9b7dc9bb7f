"""EtherCAT on the bench: what of it the bench uses; a device as it is built, with the modules that answer behind it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import Field, TypeAdapter

from highmoor.core.catalogue.ethercat import EthercatFacts, Pdo, SyncManager
from highmoor.core.catalogue.reading.ethercat_esi.objects import dictionary_objects
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.figures.ethercat import DATA_AT_MOST
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.ethercat import registers as r
from highmoor.core.networks.ethercat.bench import Master, go_live
from highmoor.core.networks.ethercat.explain import likely
from highmoor.core.networks.ethercat.layout import pieces_of
from highmoor.core.networks.ethercat.models import MODELS
from highmoor.core.networks.ethercat.scan import SCANS
from highmoor.core.networks.ethercat.service_data import OBJECTS
from highmoor.core.networks.ethercat.settings import (
    DIRECTIONS,
    Direction,
    NodeSettings,
    SlotModule,
    answers,
    bits_of,
    chosen,
    generic_octets,
    moved,
)
from highmoor.core.networks.ethercat.slave import Slave, SlaveFacts
from highmoor.core.networks.line import Line
from highmoor.core.networks.live import Facts, Live, ModuleData, RailChannel, RailModule, Seat, problem_of
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Exchange, Network, Station

# Where process data begins in a device that nobody describes.
_PLAIN_OUT, _PLAIN_IN = 0x1100, 0x1400


@dataclass(frozen=True, slots=True, kw_only=True)
class BuiltFacts:
    """A station as it is built. `vendor`, `product`, `name` and `revision` None: its type's; `serial`: its label's."""

    vendor: Annotated[int, Field(ge=0, le=0xFFFFFFFF)] | None = None
    product: Annotated[int, Field(ge=0, le=0xFFFFFFFF)] | None = None
    name: Annotated[str, Field(max_length=60)] | None = None
    revision: Annotated[int, Field(ge=0, le=0xFFFFFFFF)] | None = None
    serial: Annotated[int, Field(ge=0, le=0xFFFFFFFF)] | None = None
    alias: Annotated[int, Field(ge=0, le=0xFFFF)] = 0
    clock_runs: bool = True
    plain_in: Annotated[int, Field(ge=0, le=1486)] = 0
    plain_out: Annotated[int, Field(ge=0, le=1486)] = 0


FACTS: TypeAdapter[BuiltFacts] = TypeAdapter(BuiltFacts)


def _as_configured(_: Network, station: Station | None, lines: Sequence[Line], device: DeviceType | None) -> Facts:
    facts: dict[str, Any] = {"alias": 0, "clock_runs": True}
    if station is not None:
        facts["alias"] = NodeSettings.of(station.settings).alias or 0
    if device is None or device.ethercat is None:
        for line in lines:
            facts |= {f"plain_{exchange.direction}": generic_octets(exchange) for exchange in line.exchanges}
    return facts


@dataclass(slots=True)
class EthercatStation:
    """A station with all who answer there; `head` is the first of them."""

    chain: list[Slave]

    @property
    def head(self) -> Slave:
        """The station itself."""
        return self.chain[0]

    def told(self) -> Sequence[Diagnosis]:
        """What its ports have counted."""
        return [
            Diagnosis(f"{what} {n}", f"{text} at port {n}: {count}", "warning")
            for what, text, register, step in (
                ("damaged", "damaged frames", r.RX_ERRORS, 2), ("lost link", "links lost", r.LOST_LINKS, 1),
            )
            for n in range(4)
            if (count := self.head.ram[register + step * n])
        ]  # fmt: skip


def _device(seat: Seat) -> EthercatStation:
    facts = FACTS.validate_python(dict(seat.facts))
    kind = seat.type.ethercat if seat.type and seat.type.ethercat else _plain(facts)
    plugged = seat.rail.modules if seat.rail else ()
    slots = _slots(kind, [module for module in plugged if not answers(module.type)])
    pdos = (*kind.pdos, *(pdo for slot in slots for pdo in slot.pdos))
    vendor, product = (seat.type.vendor_id, seat.type.product_code or 0) if seat.type else (0, 0)
    who = SlaveFacts(
        vendor if facts.vendor is None else facts.vendor, product if facts.product is None else facts.product,
        kind.revision if facts.revision is None else facts.revision,
        seat.serial if facts.serial is None else facts.serial, facts.alias,
        _name(seat.type) if facts.name is None else facts.name, facts.clock_runs,
        _detected(kind, slots), pdos, facts.plain_in, facts.plain_out,
    )  # fmt: skip
    # Process data may be assigned anew: there is room for the longest.
    head = Slave(who, kind, seat.clock, bytearray(DATA_AT_MOST), bytearray(DATA_AT_MOST), seat.keep)
    for slot in slots:
        step = (kind.slots.index_step if kind.slots else 0) * (slot.slot - 1)
        objects = dictionary_objects(slot.facts.dictionary)
        head.add_objects({one.idx + step: one._replace(idx=one.idx + step) for one in objects})
    chain = [head, *(_module(seat, module, n) for n, module in enumerate(plugged, start=1) if answers(module.type))]
    ports = [port for port in (3, 1, 2) if port < len(kind.physics)]
    inner = next((port for port in ports if kind.physics[port] == "K"), 1)
    for slave in chain:
        slave.altered = seat.medium.medium.altered
    seat.medium.attach(chain, [port for port in ports if kind.physics[port] in "YH"], inner)
    return EthercatStation(chain)


def _plain(facts: BuiltFacts) -> EthercatFacts:
    """What nobody describes has its process data alone."""
    return EthercatFacts(
        managers=(
            SyncManager("", 0x1000), SyncManager("", 0x1080),
            SyncManager("out", _PLAIN_OUT, facts.plain_out, control=0x24),
            SyncManager("in", _PLAIN_IN, facts.plain_in, control=0x20),
        )
    )  # fmt: skip


def _name(device: DeviceType | None) -> str:
    return device.called if device else ""


def _octets(pdos: Sequence[Pdo], direction: Direction) -> int:
    return (bits_of(pdos, direction) + 7) // 8


def _slots(kind: EthercatFacts, plugged: Sequence[RailModule]) -> list[SlotModule]:
    found = []
    for nth, module in enumerate(plugged, start=1):
        slot = module.slot or nth
        own = module.type.ethercat
        if own is not None:
            pdos = chosen(own.pdos, NodeSettings.of(dict(module.settings)))
            found.append(SlotModule("", slot, module.type.product_code or 0, own, moved(kind.slots, slot, pdos)))
    return found


def _detected(kind: EthercatFacts, slots: Sequence[SlotModule]) -> tuple[int, ...]:
    idents = {slot.slot: slot.ident for slot in slots}
    return tuple(idents.get(slot, 0) for slot in range(1, max(idents, default=0) + 1)) if kind.slots else ()


def _module(seat: Seat, module: RailModule, number: int) -> Slave:
    """A module that answers for itself: its data are its octets among the rail's."""
    rail, kind = seat.rail, module.type.ethercat
    assert rail is not None and kind is not None
    gives = memoryview(rail.image_in)[module.into : module.into + module.data.in_octets]
    takes = memoryview(rail.image_out)[module.out : module.out + module.data.out_octets]
    revision = module.settings.get("revision")
    who = SlaveFacts(
        module.type.vendor_id, module.type.product_code or 0, revision if isinstance(revision, int) else kind.revision,
        seat.serial + number, 0, _name(module.type), module.settings.get("clock_runs") is not False, (), kind.pdos,
    )  # fmt: skip
    made = Slave(who, kind, seat.clock, gives, takes, internal=True)

    def safe() -> None:
        takes[:] = bytes(len(takes))

    made.on_safe = safe
    return made


def module_data(device: DeviceType, settings: Mapping[str, Any]) -> ModuleData:
    """What a module gives and takes with the PDOs that are chosen on it, and its values as channels.

    What is at a terminal for which counts is no matter of its file: `terminals` says it.
    """
    facts = device.ethercat
    if facts is None:
        return ModuleData(device.in_octets, device.out_octets)
    pdos = chosen(facts.pdos, NodeSettings.of(dict(settings)))
    channels = tuple(channel for d in DIRECTIONS for channel in _channels(device, pdos, d, settings))
    return ModuleData(_octets(pdos, "in"), _octets(pdos, "out"), channels)


def _channels(
    device: DeviceType, pdos: Sequence[Pdo], direction: Direction, settings: Mapping[str, Any]
) -> Iterator[RailChannel]:
    for piece in pieces_of(pdos, direction):
        # A process brings no more than a number: what is no whole octets is set by the device itself.
        if piece.bits == 1 or (not piece.bits % 8 and not piece.bit % 8 and piece.bits <= 32):
            kind = DATA_TYPES.get(piece.data_type)
            at = device.range_at(piece.key, dict(settings))
            yield RailChannel(
                piece.key, direction == "in", piece.bit, piece.bits, kind is not None and kind.family == "signed",
                (at.low, at.high, at.raw_low, at.raw_high) if at else None,
            )  # fmt: skip


def stands_for(facts: Facts, device: DeviceType) -> bool:
    """Whether a stranger's EEPROM names this type."""
    return (facts.get("vendor"), facts.get("product")) == (device.vendor_id, device.product_code)


def _data(device: EthercatStation, _: Line, exchange: Exchange) -> bytearray | memoryview | None:
    """The station's own process data, its slots' included."""
    return device.head.gives if exchange.direction == "in" else device.head.takes


LIVE = Live(
    octets=_data, exchanging=lambda device: device.chain[0].in_op,
    master=go_live, as_configured=_as_configured, device=_device, problem=problem_of(FACTS), models=MODELS,
    module_data=module_data, scans=SCANS, stands_for=stands_for,
    told=Master.told, objects=OBJECTS,
    likely=lambda code, _: likely(code),
    fields=(
        FieldSpec("facts.revision", "Revision", "integer", minimum=0, maximum=0xFFFFFFFF, optional=True),
        FieldSpec("facts.clock_runs", "Its clock runs", "boolean", default=True),
    ),
)  # fmt: skip
