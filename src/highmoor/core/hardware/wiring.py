"""What the field draws and what reaches it: loads, groups, voltage at the far end of a cable, loop burden.

Sources: IEC 61131-2 (input types, levels, leakage), NAMUR NE 43 (21 mA as the fault current a loop must carry),
IEC 60228 for copper: 0.0175 Ω·mm²/m at 20 °C.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.catalogue.types import ChannelPlace, DeviceType, channel_settings
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.hardware.module_octets import channels_from, module_octet
from highmoor.core.hardware.safe_pairs import pair_at
from highmoor.core.plant.rows import Link, Module, Rail, Signal

COPPER_OHM_MM2_PER_M = 0.0175
COPPER_PER_KELVIN = 0.00393
LOOP_MA = 21.0
FIELD_V = 24.0
# The least a 24 V supply may give and still be one (IEC 61131-2: 24 V −15 %, ripple included 19.2 V).
LEAST_SHARE = 0.85
ON_LEVEL_V = {1: 15.0, 2: 11.0, 3: 11.0}
OFF_CURRENT_MA = {1: 0.5, 2: 2.0, 3: 1.5}


def cable_ohm(length_m: float, area_mm2: float, temperature_c: float = 20) -> float:
    """Resistance of both cores of a copper cable, Ω. `length_m` is one way."""
    return 2 * length_m * COPPER_OHM_MM2_PER_M * (1 + COPPER_PER_KELVIN * (temperature_c - 20)) / area_mm2


def far_end_v(supply_v: float, length_m: float, area_mm2: float, current_ma: float) -> float:
    """Voltage at the far end of a cable: U₀ − 2·L·I·ρ/A."""
    return supply_v - cable_ohm(length_m, area_mm2) * current_ma / 1000


def burden_limit_ohm(least_supply_v: float, transmitter_v: float, loop_ma: float = LOOP_MA) -> float:
    """What a 4–20 mA loop may have of resistance: (U_min − U_transmitter) / I_max, Ω."""
    return (least_supply_v - transmitter_v) / loop_ma * 1000


@dataclass(frozen=True, slots=True)
class ChannelWiring:
    """One channel with something wired to it. Voltages V, resistances Ω; None where nothing is given to compute."""

    key: str
    number: int
    kind: str
    linked: bool
    load_ma: float
    far_end_v: float | None = None
    far_end_least_v: float | None = None
    burden_ohm: float | None = None
    burden_limit_ohm: float | None = None

    starved: bool = False
    """Whether less arrives at the far end than is needed there."""
    burdened: bool = False

    reads_high_k: float | None = None
    """By how much a resistance thermometer reads too high because its two leads are part of it, K (IEC 60751)."""
    """Whether the loop has more of resistance than it may."""


@dataclass(frozen=True, slots=True)
class GroupLoad:
    """Channels of a module that share a rating, with what they draw, mA."""

    first: int
    last: int
    load_ma: float
    rating_ma: int


@dataclass(frozen=True, slots=True)
class ModuleWiring:
    """What a module's channels take of the field supply, mA, and every channel that has something given.

    `blind` are those with one whose wires are supervised though their signal cannot tell a broken one from zero.
    `unlinked_supervised` are the channels without a signal whose wires are supervised, on a module that is in use.
    """

    load_ma: float
    channels: tuple[ChannelWiring, ...]
    groups: tuple[GroupLoad, ...]
    unlinked_supervised: tuple[int, ...]
    blind: tuple[int, ...] = ()


def _wiring(reader: Reader, root: str) -> ModuleWiring:
    module = reader.row(root, Module)
    device = reader.type(module.type)
    if device is None or not device.channels:
        return ModuleWiring(0, (), (), ())
    linked = set(_linked_channels(reader, root, device))
    if not module.settings:
        return _as_delivered(device, linked)
    rail: Rail | None = reader.find(module.rail)
    field_v = number_set(rail.settings, "field_v", FIELD_V) if rail else FIELD_V
    load = 0.0
    loads: dict[int, float] = {}
    channels = []
    silent, blind = [], []
    for place in device.each_channel():
        settings = channel_settings(module.settings, place.key)
        takes = number_set(settings, "load_ma", place.group.wiring.load_ma if place.key in linked else 0)
        load += takes
        loads[place.number] = takes
        if settings:
            channels.append(_channel(place, settings, takes, place.key in linked, field_v))
        if place.key not in linked and place.parameter(module.settings, "supervise") is True:
            silent.append(place.number)
        if place.key in linked and _is_blind(place, module.settings):
            blind.append(place.number)
    idle = tuple(silent) if linked else ()
    return ModuleWiring(load, tuple(channels), _groups(device, loads), idle, tuple(blind))


def _is_blind(place: ChannelPlace, settings: dict[str, Any]) -> bool:
    """Whether a channel is to watch a wire that is at zero, within its range, when it is broken."""
    chosen = place.range(settings)
    if chosen is None or chosen.unit not in ("mA", "V") or not chosen.low <= 0 <= chosen.high:
        return False
    return place.parameter(settings, "supervise") is True


def _linked_channels(reader: Reader, root: str, device: DeviceType) -> Iterator[str]:
    """The channels with a signal of their own or one of both of a pair, or of which one by the octet has some."""
    for link in reader.referring(Link, "place", root):
        octet = module_octet(device, link.key)
        if octet is None:
            pair = pair_at(device, reader.row(root, Module).settings, link.key) if device.safety else None
            yield from pair.channels if pair and pair.together else (link.key,)
            continue
        kind = DATA_TYPES.get(reader.value(link.signal, Signal, "type"))
        yield from (channel.key for channel in channels_from(device, octet, kind.bits if kind else 8))


def _as_delivered(device: DeviceType, linked: set[str]) -> ModuleWiring:
    """A module of which nothing is set: most of a plant's."""
    places = device.channel_places
    used = [place for key in linked if (place := places.get(key))]
    loads = {place.number: float(place.group.wiring.load_ma) for place in used}
    silent = [
        place.number
        for place in device.each_channel()
        if place.key not in linked and place.group.defaults.get("supervise") is True
    ]
    blind = tuple(sorted(place.number for place in used if _is_blind(place, {})))
    idle = tuple(silent) if linked else ()
    return ModuleWiring(sum(loads.values()), (), _groups(device, loads), idle, blind)


def _groups(device: DeviceType, loads: dict[int, float]) -> tuple[GroupLoad, ...]:
    return tuple(
        GroupLoad(
            group.first, group.last, sum(loads.get(n, 0) for n in range(group.first, group.last + 1)), group.rating_ma
        )
        for channels in device.channels
        for group in channels.wiring.groups
    )


def _channel(
    place: ChannelPlace, settings: dict[str, Any], load_ma: float, linked: bool, field_v: float
) -> ChannelWiring:
    wiring, kind = place.group.wiring, place.group.kind
    length, area = number_set(settings, "length_m", 0), number_set(settings, "area_mm2", 0)
    far = least = burden = limit = None
    if length and area and kind in ("DO", "SO", "DI", "SI"):
        far = far_end_v(field_v - wiring.drop_v, length, area, load_ma)
        least = (
            (number_set(settings, "min_v", 0) or None)
            if kind in ("DO", "SO")
            else ON_LEVEL_V.get(wiring.input_type or 0)
        )
    transmitter = number_set(settings, "transmitter_v", 0)
    if transmitter and wiring.burden_ohm is not None:
        cable = cable_ohm(length, area) if length and area else 0
        burden = cable + wiring.burden_ohm + number_set(settings, "barrier_ohm", 0)
        limit = burden_limit_ohm(field_v * LEAST_SHARE, transmitter)
    return ChannelWiring(
        place.key, place.number, kind, linked, load_ma, far, least, burden, limit, starved=_exceeds(least, far),
        burdened=_exceeds(burden, limit), reads_high_k=_reads_high_k(place, settings, length, area),
    )  # fmt: skip


def _reads_high_k(place: ChannelPlace, settings: dict[str, Any], length_m: float, area_mm2: float) -> float | None:
    key = settings.get("range", place.group.defaults.get("range"))
    chosen = next((one for one in place.group.ranges if one.key == key), None)
    if chosen is None or not chosen.ohm_per_kelvin or settings.get("leads") != 2 or not (length_m and area_mm2):
        return None
    return cable_ohm(length_m, area_mm2) / chosen.ohm_per_kelvin


def _exceeds(value: float | None, limit: float | None) -> bool:
    return value is not None and limit is not None and value > limit


def number_set(settings: dict[str, Any], key: str, default: float = 0) -> float:
    """A number that was set, or the default; what is no number there is HW-111's and HW-118's to tell."""
    value = settings.get(key)
    return value if isinstance(value, int | float) and not isinstance(value, bool) else default


@dataclass(frozen=True, slots=True)
class FieldGroup:
    """Modules on one field supply, from a head or a field feed-in on. Currents mA; None where the type says nothing."""

    begins_at: str
    label: str
    first_slot: int
    last_slot: int
    modules: tuple[str, ...]
    load_ma: float
    counted_ma: float
    limit_ma: float | None
    fuse_ma: float | None
    simultaneity: float
    least_ma: float | None
    """The lower of the two, which is what it can bear."""
    over: bool


@dataclass(frozen=True, slots=True)
class RailField:
    """The field supply groups of a rail, in slot order."""

    groups: tuple[FieldGroup, ...]


def _field(reader: Reader, root: str) -> RailField:
    rail = reader.row(root, Rail)
    head = reader.find(rail.head)
    head_type = reader.type(head.type) if head else None
    mounting = reader.part("rail.mounting", root)
    share = number_set(rail.settings, "simultaneity", 100) / 100
    fuse = number_set(rail.settings, "fuse_a", 0)
    groups: list[FieldGroup] = []
    limit = head_type.field_limit_ma if head_type else 0
    begun, label, first = rail.head, head_type.name if head_type else "", 0
    members: list[tuple[int, str]] = []

    def close(last_slot: int) -> None:
        load = sum(reader.part("module.wiring", member).load_ma for _, member in members)
        bears = [given for given in (limit, fuse * 1000) if given]
        least = min(bears, default=None)
        groups.append(
            FieldGroup(
                begun, label, first, last_slot, tuple(member for _, member in members), load, load * share,
                limit or None, fuse * 1000 or None, share, least, least is not None and load * share > least,
            )
        )  # fmt: skip

    for seat in mounting.seats:
        if seat.module is None:
            continue
        device = reader.type(seat.type)
        if device and device.kind == "feed-in" and device.field_limit_ma:
            close(seat.slot - 1)
            module = reader.row(seat.module, Module)
            begun, label, first, members = seat.module, seat.label, seat.slot, []
            limit = device.field_limit_ma
            fuse = number_set(module.settings, "fuse_a", device.default_of("fuse_a") or 0)
        else:
            members.append((seat.slot, seat.module))
    close(max((seat.slot for seat in mounting.seats if seat.module), default=first))
    return RailField(tuple(groups))


def _field_headlines(result: RailField, reader: Reader, root: str) -> list[Headline]:
    return [
        Headline(
            group.begins_at,
            "field",
            f"Field supply from {group.label}",
            round(group.counted_ma, 1),
            "mA",
            group.least_ma,
            "less",
        )
        for group in result.groups
    ]


PARTS: tuple[Part, ...] = (
    Part("module.wiring", "modules", _wiring, shown=ModuleWiring),
    Part("rail.field", "rails", _field, _field_headlines, shown=RailField),
)
