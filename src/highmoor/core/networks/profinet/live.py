"""PROFINET on the bench: what of it the bench uses; a device as it is built, with what its modules give and take."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Annotated, Any, cast

from pydantic import Field, TypeAdapter

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.figures.profinet import name_problem
from highmoor.core.networks.counting import MODULE_OCTETS
from highmoor.core.networks.line import Line
from highmoor.core.networks.live import (
    Facts,
    Live,
    ModuleData,
    RailChannel,
    RailModule,
    Seat,
    problem_of,
)
from highmoor.core.networks.media import Host
from highmoor.core.networks.profinet.acceptance import Known, Where
from highmoor.core.networks.profinet.acts import ACTS, read_ip, read_name
from highmoor.core.networks.profinet.bench import Controller, go_live
from highmoor.core.networks.profinet.device import Device
from highmoor.core.networks.profinet.explain import likely
from highmoor.core.networks.profinet.models import MODELS
from highmoor.core.networks.profinet.realtime import ChannelError
from highmoor.core.networks.profinet.records import RECORDS
from highmoor.core.networks.profinet.scan import SCANS
from highmoor.core.networks.profinet.settings import (
    CLOCKS,
    RATIOS,
    StationSettings,
    io_device,
    io_device_of,
    name_of,
)
from highmoor.core.networks.profinet.submodules import PnSubmodule
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Exchange, Network, Station

_PLACE = re.compile(r"\s*(\d{1,5})\.(\d{1,5})\s*")
_ERROR = re.compile(r"\s*(\d{1,5})\.(\d{1,5})\s+(\d{1,5})\s+(\d{1,5})(?:/(\d{1,5}))?\s*")
_Text = Annotated[str, Field(max_length=10_000)]
# Of a record, as the key of what is kept of it.
_Index = Annotated[str, Field(pattern="^[0-9]{1,5}$")]


@dataclass(frozen=True, slots=True, kw_only=True)
class BuiltFacts:
    """A device as it is built. `name` and `ip` "" for none: as it was delivered.

    `vendor` and `device` None: its type's; `submodules` where no file lists its modules. `bad` are submodules whose
    data is bad ("1.1, 2.1"), `errors` channels with something wrong ("2.1 3 6": slot and subslot, channel, error).
    `texts` are I&M 1 to 3 by index.
    """

    name: Annotated[str, Field(max_length=240)] = ""
    ip: Annotated[str, Field(max_length=15, pattern=r"^(\d{1,3}(\.\d{1,3}){3})?$")] = ""
    vendor: Annotated[int, Field(ge=0, le=0xFFFF)] | None = None
    device: Annotated[int, Field(ge=0, le=0xFFFF)] | None = None
    ident: Annotated[int, Field(ge=0, le=0xFFFFFFFF)] = 0
    submodules: _Text = ""
    bad: _Text = ""
    errors: _Text = ""
    texts: dict[_Index, Annotated[str, Field(max_length=54)]] = field(default_factory=dict)


FACTS: TypeAdapter[BuiltFacts] = TypeAdapter(BuiltFacts)


def _as_configured(_: Network, station: Station | None, lines: Sequence[Line], device: DeviceType | None) -> Facts:
    if station is None:
        return {}
    own = StationSettings.of(station.settings)
    told = io_device(lines[0]) if lines else io_device_of(station, device)
    facts: dict[str, Any] = {"name": told.name if not name_problem(told.name) else ""}
    if device is None or device.profinet is None:
        facts |= {"vendor": own.vendor, "device": own.device, "ident": own.ident, "submodules": own.submodules}
    return facts


# ── what a device is made of


def _known(seat: Seat, facts: BuiltFacts) -> Known:
    device = seat.type
    told = device.profinet if device else None
    interface = told.interface if told else None
    subs = {(sub.slot, sub.subslot): sub for sub in _submodules(seat, facts)}
    modules = {sub.slot: sub.module_ident for sub in subs.values()}
    for module in _plugged(seat):
        own = module.type.profinet_module
        if own is not None and not module.within:
            modules[module.slot] = own.ident
    return Known(
        facts.vendor if facts.vendor is not None else device.vendor_id if device else 0,
        facts.device if facts.device is not None else told.device_id if told else 0,
        device.maker if device else "", device.called if device else "IO device", subs, modules,
        tuple(port.subslot for port in told.ports) if told else (), interface.clocks if interface else CLOCKS,
        interface.ratios if interface else RATIOS, told.least_interval if told else CLOCKS[0],
        max(device.revisions, default="") if device else "",
    )  # fmt: skip


def _submodules(seat: Seat, facts: BuiltFacts) -> Iterator[PnSubmodule]:
    """All that are really there, each with where its octets lie in the device's."""
    station = Station("", "", "", "", "", settings={"submodules": facts.submodules, "ident": facts.ident})
    if seat.type is None or seat.type.profinet is None:
        yield from io_device_of(station, None).submodules
        return
    yield from io_device_of(replace(station, settings={}), seat.type).submodules
    modules = _plugged(seat)
    carriers = {module.slot: module for module in modules if not module.within}
    for module in modules:
        yield from _of_module(module, carriers)


def _plugged(seat: Seat) -> list[RailModule]:
    """Its modules in their slots: those of which nobody says which are in the first ones, in order."""
    modules = list(seat.rail.modules) if seat.rail else []
    return [module if module.slot else replace(module, slot=n) for n, module in enumerate(modules, start=1)]


def _of_module(module: RailModule, carriers: Mapping[int, RailModule]) -> Iterator[PnSubmodule]:
    own = module.type.profinet_module
    head = carriers.get(module.within)
    carrier = head.type.profinet_module if head else None
    if own is None:
        return
    into, out = module.into, module.out
    for sub in own.submodules:
        for subslot in (module.slot,) if module.within else sub.subslots:
            where = (module.within, subslot) if module.within else (module.slot, subslot)
            yield PnSubmodule(
                "", *where, carrier.ident if carrier else own.ident, sub.ident, sub.label, sub.api, sub.inputs,
                sub.outputs, sub.iops, sub.iocs, tuple((record, b"") for record in sub.records), at_in=into, at_out=out,
            )  # fmt: skip
            into, out = into + sub.in_octets, out + sub.out_octets


@dataclass(slots=True)
class PnDevice:
    """A device with its modules' octets: of a model behind it `gives` and `takes` are those."""

    io: Device
    gives: bytearray
    takes: bytearray

    def told(self) -> Sequence[Any]:
        """What it has to say it says over the network."""
        return ()

    def adapt(self, seat: Seat) -> bool:
        """Other modules in its slots, another name or address, other submodules with something wrong."""
        facts = FACTS.validate_python(dict(seat.facts))
        known = _known(seat, facts)
        before = self.io.known
        if (known.vendor_id, known.device_id) != (before.vendor_id, before.device_id):
            return False
        gives, takes = _octets(seat, known)
        if (known.submodules, known.modules) != (before.submodules, before.modules):
            self.io.replugged(known, gives, takes)
            self.gives, self.takes = gives, takes
        elif seat.rail is not None:
            # The same modules over again: their octets are others'.
            self.io.moved(seat.rail.image_in, seat.rail.image_out)
            self.gives, self.takes = seat.rail.image_in, seat.rail.image_out
        self.io.on_lost = _letting_go(seat, self)
        self.io.renamed(facts.name, facts.ip)
        self.io.changed(frozenset(_places(facts.bad)), _errors(facts.errors))
        return True

    def powered(self, on: bool) -> None:
        """Its power went, or is back."""
        self.io.powered(on)


def _octets(seat: Seat, known: Known) -> tuple[bytearray, bytearray]:
    if seat.rail is not None:
        return seat.rail.image_in, seat.rail.image_out
    return (
        bytearray(sum(sub.in_octets for sub in known.submodules.values())),
        bytearray(sum(sub.out_octets for sub in known.submodules.values())),
    )


def _letting_go(seat: Seat, device: PnDevice) -> Callable[[], None]:
    def emptied() -> None:
        device.takes[:] = bytes(len(device.takes))

    return seat.rail.let_go if seat.rail else emptied


def _device(seat: Seat) -> PnDevice:
    facts = FACTS.validate_python(dict(seat.facts))
    known = _known(seat, facts)
    gives, takes = _octets(seat, known)
    io = Device(
        known, seat.clock, cast("Host", seat.medium), gives, takes, seat.serial, facts.name, (facts.name, facts.ip),
        frozenset(_places(facts.bad)), _errors(facts.errors),
        {int(index): text for index, text in facts.texts.items()}, seat.keep,
    )  # fmt: skip
    made = PnDevice(io, gives, takes)
    io.on_lost = _letting_go(seat, made)
    io.begin()
    return made


def _places(text: str) -> Iterator[Where]:
    for part in text.split(","):
        told = _PLACE.fullmatch(part)
        if told:
            yield int(told[1]), int(told[2])


def _errors(text: str) -> dict[Where, list[ChannelError]]:
    found: dict[Where, list[ChannelError]] = {}
    for part in text.split(","):
        told = _ERROR.fullmatch(part)
        if told:
            numbers = [int(told[n] or 0) & 0xFFFF for n in (3, 4, 5)]
            found.setdefault((int(told[1]), int(told[2])), []).append(ChannelError(*numbers))
    return found


def _read_places(given: Any) -> str:
    return _listed(given, _PLACE, "slot.subslot: 1.1, 2.1")


def _read_errors(given: Any) -> str:
    return _listed(given, _ERROR, "slot.subslot, channel, error: 2.1 3 6")


def _listed(given: Any, pattern: re.Pattern[str], how: str) -> str:
    text = str(given).strip()
    for part in text.split(",") if text else ():
        if not pattern.fullmatch(part):
            raise Refusal(f"“{part.strip()[:30]}” is none; written as {how}.", value=part)
    return text


def module_data(device: DeviceType, settings: Mapping[str, Any]) -> ModuleData:
    """What a module gives and takes, and its values as channels: bits that its file names, else the values whole."""
    own = device.profinet_module
    if own is None:
        return ModuleData(device.in_octets, device.out_octets)
    channels: list[RailChannel] = []
    at = {"in": 0, "out": 0}
    for sub in own.submodules:
        for _ in (1,) if own.pluggable else sub.subslots:
            channels += _channels(device, settings, sub.inputs, "in", at)
            channels += _channels(device, settings, sub.outputs, "out", at)
    return ModuleData(at["in"], at["out"], tuple(channels))


def _channels(
    device: DeviceType, settings: Mapping[str, Any], items: Iterable[Any], way: str, at: dict[str, int]
) -> Iterator[RailChannel]:  # fmt: skip
    letter, inward = MODULE_OCTETS[way].letter, way == "in"  # type: ignore[index]
    for item in items:
        begin = at[way]
        at[way] += item.octets
        for bit, _ in item.bits:
            octet = begin + item.octets - 1 - bit // 8
            yield RailChannel(f"{letter}{octet}.{bit % 8}", inward, 8 * octet + bit % 8, 1)
        if item.bits or item.octets > 4:
            continue
        key = f"{letter}{begin}"
        span = device.range_at(key, dict(settings))
        ends = (span.low, span.high, span.raw_low, span.raw_high) if span else None
        signed = item.data_type in ("SINT", "INT", "DINT")
        yield RailChannel(key, inward, 8 * begin, 8 * item.octets, signed, ends, high_first=True)


def stands_for(facts: Facts, device: DeviceType) -> bool:
    """Whether a stranger is of this type."""
    return device.profinet is None or facts.get("device") in (None, device.profinet.device_id)


def _called(station: Station) -> str:
    return name_of(station.name, StationSettings.of(station.settings))


def _data(device: PnDevice, _: Line, exchange: Exchange) -> bytearray | memoryview | None:
    """All that its submodules give or take."""
    return device.gives if exchange.direction == "in" else device.takes


LIVE = Live(
    octets=_data,
    master=go_live, as_configured=_as_configured, device=_device, problem=problem_of(FACTS), models=MODELS,
    module_data=module_data, scans=SCANS, stands_for=stands_for, objects=RECORDS, told=Controller.told,
    likely=lambda code, _: likely(code), called=_called,
    acts=ACTS,
    fields=(
        FieldSpec("facts.name", "Name it has", "text", default="", optional=True, read=read_name,
                  hint="Empty: as it was delivered."),
        FieldSpec("facts.ip", "IP address it keeps", "text", default="", optional=True, read=read_ip,
                  hint="Empty: none, so that its controller gives it one."),
        FieldSpec("facts.bad", "Bad submodules", "text", default="", optional=True, read=_read_places,
                  hint="They give no good data: slot.subslot, as 2.1."),
        FieldSpec("facts.errors", "Channel errors", "text", default="", optional=True, read=_read_errors,
                  hint="Slot.subslot, channel, error: 2.1 3 6 is a line break."),
    ),
)  # fmt: skip
