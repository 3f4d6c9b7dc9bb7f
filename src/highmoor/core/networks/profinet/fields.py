"""The forms of PROFINET: the network's send clock and addresses, and what can be set on its stations."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from highmoor.core.catalogue.profinet import US_AN_INTERVAL
from highmoor.core.catalogue.types import DeviceType, record_parameters
from highmoor.core.errors import Refusal
from highmoor.core.figures.profinet import NAME_OCTETS_AT_MOST, mended_name
from highmoor.core.hardware.ethernet import parse_address
from highmoor.core.hardware.parameters import parameter_field
from highmoor.core.networks.fieldbus import Around, FieldsOf
from highmoor.core.networks.profinet.settings import (
    CLOCK,
    CLOCKS,
    RATIOS,
    WATCHDOG,
    IoDevice,
    LineSettings,
    io_device_of,
)
from highmoor.core.networks.profinet.submodules import read_typed
from highmoor.core.numbers import parse_number, plain, shown
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.rows import Network, Station

# As many as a field holds at all; what is too long for a name is a finding.
_TEXT_AT_MOST = 1000


def _network_fields(row: Network, _: Around) -> tuple[FieldSpec, ...]:
    return (
        FieldSpec(
            "settings.clock", "Send clock", "choice", default=CLOCK, term="SendClockFactor",
            choices=tuple(Choice(clock, f"{shown(clock * US_AN_INTERVAL / 1000)} ms") for clock in CLOCKS),
            hint="Update times are this, times a power of two.", window=True,
        ),
        FieldSpec(
            "settings.first", "Addresses from", "text", default="", optional=True, read=_address,
            hint="The controller hands them out by name. If empty: from the subnet's first.",
        ),
        FieldSpec(
            "settings.last", "Addresses up to", "text", default="", optional=True, read=_address,
            hint="If empty: to the subnet's last.",
        ),
        FieldSpec(
            "settings.controller_name", "Controller's name", "text", default="", optional=True, term="name of station",
            read=_name, hint=f"If empty: {mended_name(f'{row.name}-controller')}.",
        ),
    )  # fmt: skip


def _address(given: Any) -> str:
    text = str(given).strip()
    return parse_address(text) if text else ""


def _name(given: Any) -> str:
    """Any text that is short enough to be shown: whether it is a name is a finding with its mend."""
    text = str(given).strip()
    if len(text) > _TEXT_AT_MOST:
        raise Refusal(
            f"That are {len(text)} characters; a name of station has {NAME_OCTETS_AT_MOST} at most.", value=text[:40]
        )
    return text


def _station_fields(row: Station, around: Around) -> tuple[FieldSpec, ...]:
    device = io_device_of(row, around.device)
    clock = LineSettings.of(around.network).clock if around.network else CLOCK
    usual = device.update_ms(clock) if not device.own.update_ms else None
    return (
        FieldSpec(
            "settings.device_name", "Name of station", "text", default="", optional=True, read=_name,
            hint=f"By it the controller finds the device. If empty: {mended_name(row.name)}.",
        ),
        *(() if device.facts else _typed_fields()),
        FieldSpec(
            "settings.update_ms", "Update time", "choice", optional=True,
            default=usual, choices=tuple(_windows(device, clock)), read=_update_time,
            hint="Its file bears no less." if device.facts else "", window=True,
        ),
        FieldSpec(
            "settings.watchdog", "Watchdog", "integer", default=WATCHDOG, minimum=1, maximum=255, unit="update times",
            optional=True, term="WatchdogFactor",
            show=lambda value: f"{shown(device.real_update_ms(clock) * value)} ms" if isinstance(value, int) else "",
            hint="Without a frame for so long it is given up, and its outputs do what is set for that.", window=True,
        ),
        FieldSpec(
            "settings.by_neighbours", "Name it by its neighbours", "boolean", default=True, optional=True,
            hint="A new one without a name gets this one's, told by the cable it hangs on.",
        ),
        *(_parameter_fields(device.device) if device.device else ()),
    )  # fmt: skip


def _windows(device: IoDevice, clock: int) -> Iterator[Choice]:
    times = device.windows(clock)
    own = device.own.update_ms
    if own and own not in times:
        times = sorted([*times, own])
    if not times:
        times = [clock * ratio * US_AN_INTERVAL / 1000 for ratio in RATIOS]
    for time in times:
        yield Choice(int(time) if time == int(time) else time, f"{shown(time)} ms")


def _update_time(given: Any) -> float | int:
    """A time in ms; whether it can be is a finding with its mend, for a send clock may be set otherwise later."""
    value = parse_number(str(given), unit="ms")
    if not 0 < value <= 4 * 512:
        raise Refusal(f"{given} is no update time: they go up to 2048 ms.", value=given)
    return plain(value)


def _typed_fields() -> tuple[FieldSpec, ...]:
    """Of a device without a file."""

    def ident(path: str, label: str, most: int, hint: str) -> FieldSpec:
        digits = len(f"{most:X}")
        return FieldSpec(
            f"settings.{path}", label, "integer", minimum=0, maximum=most, optional=True, hint=hint,
            show=lambda value: f"16#{value:0{digits}X}" if isinstance(value, int) else "",
        )  # fmt: skip

    return (
        ident("vendor", "Vendor id", 0xFFFF, "In any base; the device's manual gives it."),
        ident("device", "Device id", 0xFFFF, "In any base."),
        ident("ident", "Access point's ident", 0xFFFFFFFF, "The module ident number of slot 0."),
        FieldSpec(
            "settings.submodules", "Submodules", "text", default="", optional=True, read=_submodules,
            hint="Slot.subslot, module and submodule ident, octets in and out: 1.1 16#10:16#1 i2 o4, 2.1 …",
        ),
    )  # fmt: skip


def _submodules(given: Any) -> str:
    text = str(given).strip()
    if len(text) > 10_000:
        raise Refusal("That are more submodules than a device has.", value=text[:40])
    read_typed(text)
    return text


def _parameter_fields(device: DeviceType) -> Iterator[FieldSpec]:
    """The access point's own."""
    for parameter in record_parameters(device.profinet_module) if device.profinet_module else ():
        if not parameter.hidden:
            yield parameter_field(parameter, f"settings.prm.{parameter.key}")


FIELDS: dict[str, FieldsOf] = {
    "networks": _network_fields,
    "stations": _station_fields,
    "modules": lambda *_: (),
    "connections": lambda *_: (),
    "exchanges": lambda *_: (),
}
