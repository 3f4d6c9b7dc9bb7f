"""Checks of what is wired to modules (HW-4xx). Sources: IEC 61131-2, NAMUR NE 43, IEC 60364-4-43 for fuses."""

from __future__ import annotations

from collections.abc import Iterator

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.catalogue.types import DeviceType, channel_settings
from highmoor.core.hardware.wiring import OFF_CURRENT_MA, ModuleWiring, RailField, number_set
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Module, Rail


def _over_limit(result: RailField, reader: Reader, root: str) -> Iterator[Finding]:
    for group in result.groups:
        if group.limit_ma is not None and group.counted_ma > group.limit_ma:
            yield finding(
                "HW-401", group.begins_at, label=group.label, load=shown(group.counted_ma, 5),
                limit=shown(group.limit_ma), slots=f"{group.first_slot}–{group.last_slot}",
            )  # fmt: skip


def _fuse(result: RailField, reader: Reader, root: str) -> Iterator[Finding]:
    for group in result.groups:
        if group.fuse_ma is not None and group.counted_ma > group.fuse_ma:
            place = root if group.begins_at == reader.row(root, Rail).head else group.begins_at
            yield finding(
                "HW-402", (place, "settings.fuse_a"), label=group.label, load=shown(group.counted_ma, 5),
                fuse=shown(group.fuse_ma / 1000),
            )  # fmt: skip


def _module(reader: Reader, root: str) -> tuple[Module, DeviceType, str]:
    module = reader.row(root, Module)
    device = reader.type(module.type)
    assert device is not None
    return module, device, module.designation or device.name


def _channel_load(result: ModuleWiring, reader: Reader, root: str) -> Iterator[Finding]:
    for channel in result.channels:
        _, device, name = _module(reader, root)
        place = device.channel(channel.key)
        rating = place.group.wiring.rating_ma if place else None
        if rating is not None and channel.load_ma > rating:
            yield finding(
                "HW-403", (root, f"settings.channels.{channel.key}.load_ma"), name=name, channel=channel.number,
                load=shown(channel.load_ma), rating=rating,
            )  # fmt: skip


def _group_load(result: ModuleWiring, reader: Reader, root: str) -> Iterator[Finding]:
    for n, group in enumerate(result.groups):
        if group.load_ma > group.rating_ma:
            yield finding(
                "HW-404", (root, f"settings.group{n}"), name=_module(reader, root)[2],
                channels=f"{group.first}–{group.last}", load=shown(group.load_ma), rating=group.rating_ma,
            )  # fmt: skip


def _sensor(result: ModuleWiring, reader: Reader, root: str) -> Iterator[Finding]:
    for channel in result.channels:
        module, device, name = _module(reader, root)
        place = device.channel(channel.key)
        sensor = channel_settings(module.settings, channel.key).get("sensor")
        polarity = place.group.wiring.polarity if place else ""
        wanted = {"sinking": "pnp", "sourcing": "npn"}.get(polarity)
        if sensor in ("pnp", "npn") and wanted and sensor != wanted:
            yield finding(
                "HW-405", (root, f"settings.channels.{channel.key}.sensor"), name=name, channel=channel.number,
                polarity=polarity, sensor=sensor.upper(), wanted=wanted.upper(),
            )  # fmt: skip


def _leakage(result: ModuleWiring, reader: Reader, root: str) -> Iterator[Finding]:
    for channel in result.channels:
        module, device, name = _module(reader, root)
        place = device.channel(channel.key)
        leakage = number_set(channel_settings(module.settings, channel.key), "leakage_ma")
        input_type = place.group.wiring.input_type if place else None
        if input_type and leakage > OFF_CURRENT_MA[input_type]:
            yield finding(
                "HW-406", (root, f"settings.channels.{channel.key}.leakage_ma"), name=name, channel=channel.number,
                leakage=shown(leakage), off=shown(OFF_CURRENT_MA[input_type]), input_type=input_type,
            )  # fmt: skip


def _far_end(result: ModuleWiring, reader: Reader, root: str) -> Iterator[Finding]:
    for channel in result.channels:
        if channel.starved and channel.far_end_v is not None and channel.far_end_least_v is not None:
            yield finding(
                "HW-407", (root, f"settings.channels.{channel.key}.area_mm2"), name=_module(reader, root)[2],
                channel=channel.number, volts=shown(channel.far_end_v, 4), least=shown(channel.far_end_least_v),
            )  # fmt: skip


def _burden(result: ModuleWiring, reader: Reader, root: str) -> Iterator[Finding]:
    for channel in result.channels:
        if channel.burdened and channel.burden_ohm is not None and channel.burden_limit_ohm is not None:
            yield finding(
                "HW-408", (root, f"settings.channels.{channel.key}.transmitter_v"), name=_module(reader, root)[2],
                channel=channel.number, burden=shown(channel.burden_ohm, 4), limit=shown(channel.burden_limit_ohm, 4),
            )  # fmt: skip


def _pulses(result: ModuleWiring, reader: Reader, root: str) -> Iterator[Finding]:
    uses = {}
    for channel in result.channels:
        use = channel_settings(_module(reader, root)[0].settings, channel.key).get("use", "switch")
        if use != "switch":
            uses[channel.number] = (channel.key, use)
    for number, (key, use) in uses.items():
        module, device, name = _module(reader, root)
        place = device.channel(key)
        pairs = place.group.wiring.pulses if place else ()
        pair = next((p for p in pairs if number == (p.pulse if use == "pulse" else p.direction)), None)
        problem = ""
        if pair is None:
            able = ", ".join(str(p.pulse if use == "pulse" else p.direction) for p in pairs) or "none"
            problem = f"it cannot give {'pulses' if use == 'pulse' else 'a direction'}; channels that can: {able}"
        elif use == "direction" and uses.get(pair.pulse, ("", ""))[1] != "pulse":
            problem = f"it is the direction of channel {pair.pulse}, which is not used for pulses"
        elif use == "pulse" and number_set(channel_settings(module.settings, key), "frequency_hz") > pair.max_hz:
            asked = shown(number_set(channel_settings(module.settings, key), "frequency_hz"))
            problem = f"{asked} Hz are asked of it, it gives at most {pair.max_hz} Hz"
        if problem:
            place_of = (root, f"settings.channels.{key}.use")
            yield finding("HW-409", place_of, name=name, channel=number, problem=problem)


def _load_side(result: ModuleWiring, reader: Reader, root: str) -> Iterator[Finding]:
    for channel in result.channels:
        module, device, name = _module(reader, root)
        place = device.channel(channel.key)
        common = channel_settings(module.settings, channel.key).get("common")
        polarity = place.group.wiring.polarity if place else ""
        wanted = {"sourcing": "minus", "sinking": "plus"}.get(polarity)
        if common and wanted and common != wanted:
            yield finding(
                "HW-410", (root, f"settings.channels.{channel.key}.common"), name=name, channel=channel.number,
                polarity=polarity, wanted=wanted,
            )  # fmt: skip


def _idle(result: ModuleWiring, reader: Reader, root: str) -> Iterator[Finding]:
    if result.unlinked_supervised:
        numbers = ", ".join(str(n) for n in result.unlinked_supervised)
        yield finding("HW-411", root, name=_module(reader, root)[2], channels=numbers)


def _blind(result: ModuleWiring, reader: Reader, root: str) -> Iterator[Finding]:
    for number in result.blind:
        module, device, name = _module(reader, root)
        place = next(p for p in device.each_channel() if p.number == number)
        chosen = place.range(module.settings)
        path = f"settings.channels.{place.key}.supervise"
        yield finding("HW-412", (root, path), name=name, channel=number, kind=chosen.label if chosen else "")


# Of a class B sensor at 0 °C (IEC 60751, table 3): more than the sensor itself may err by.
TOLERANCE_K = 0.3


def _leads(result: ModuleWiring, reader: Reader, root: str) -> Iterator[Finding]:
    for channel in result.channels:
        if channel.reads_high_k is not None and channel.reads_high_k > TOLERANCE_K:
            yield finding(
                "HW-413", (root, f"settings.channels.{channel.key}.leads"), name=_module(reader, root)[2],
                channel=channel.number, kelvin=shown(channel.reads_high_k, 3),
            )  # fmt: skip


CHECKS: tuple[Check, ...] = (
    Check(
        "HW-401", "rail.field", "hardware", "error", "Field supply group over its limit",
        "The group from {label} (slots {slots}) draws {load} mA; it gives at most {limit} mA.",
        "The supply folds back or its contacts overheat, and the whole group drops out together.", _over_limit,
    ),
    Check(
        "HW-402", "rail.field", "hardware", "error", "Fuse smaller than the load",
        "The group from {label} draws {load} mA behind a fuse of {fuse} A.",
        "The fuse opens when everything is on, seldom before the plant is running.", _fuse, "IEC 60269-1",
    ),
    Check(
        "HW-403", "module.wiring", "hardware", "error", "Channel over its rating",
        "{name}, channel {channel}: the load takes {load} mA, the channel is rated {rating} mA.",
        "The output shuts off by its own protection, or ages.", _channel_load, "IEC 61131-2",
    ),
    Check(
        "HW-404", "module.wiring", "hardware", "error", "Channels together over their group's rating",
        "{name}, channels {channels}: together {load} mA, the group is rated {rating} mA.",
        "Channels of a group share a supply path that is rated less than the sum of their ratings.", _group_load,
        "IEC 61131-2",
    ),
    Check(
        "HW-405", "module.wiring", "hardware", "error", "Sensor and input do not match",
        "{name}, channel {channel}: the sensor is {sensor}; a {polarity} input needs {wanted}.",
        "Sensor and input would both pull the same way: the input never switches.", _sensor, "IEC 61131-2",
    ),
    Check(
        "HW-406", "module.wiring", "hardware", "error", "Leakage keeps the input on",
        "{name}, channel {channel}: the sensor leaks {leakage} mA, a type {input_type} input wants at most {off} mA "
        "to be off.",
        "The input stays on, or flickers, when the sensor is off.", _leakage, "IEC 61131-2, table of input limits",
    ),
    Check(
        "HW-407", "module.wiring", "hardware", "error", "Too little voltage at the far end",
        "{name}, channel {channel}: {volts} V arrive at the end of its cable, {least} V are needed.",
        "Copper takes its share; the valve or input works on the test bench and not at the end of the cable.",
        _far_end, "IEC 61131-2, IEC 60228",
    ),
    Check(
        "HW-408", "module.wiring", "hardware", "error", "Loop burden too high",
        "{name}, channel {channel}: cable, input and barrier have {burden} Ω, the loop can drive {limit} Ω.",
        "At high current the transmitter runs out of voltage and reads low, just where an alarm should come.",
        _burden, "NAMUR NE 43",
    ),
    Check(
        "HW-409", "module.wiring", "hardware", "error", "Pulse and direction outputs",
        "{name}, channel {channel}: {problem}.",
        "Pulses come from a counter behind certain channels, each with its own direction output.", _pulses,
    ),
    Check(
        "HW-410", "module.wiring", "hardware", "error", "Output and load do not match",
        "{name}, channel {channel}: a {polarity} output needs a load to {wanted}.",
        "Both ends of the load would lie on the same pole: it never switches, or never lets go.", _load_side,
        "IEC 61131-2",
    ),
    Check(
        "HW-411", "module.wiring", "hardware", "note", "Supervision of channels nobody uses",
        "{name}: channels {channels} have wire supervision on and no signal.",
        "Open terminals report a broken wire for ever; among such messages the real one is overlooked.", _idle,
    ),
    Check(
        "HW-412", "module.wiring", "hardware", "warning", "Supervision that cannot see a broken wire",
        "{name}, channel {channel}: wire supervision is on, but with {kind} a broken wire just reads zero.",
        "A broken wire is read as zero, and the program is told that all is well.", _blind, "NAMUR NE 43",
    ),
    Check(
        "HW-413", "module.wiring", "hardware", "warning", "Two leads that are read as temperature",
        "{name}, channel {channel}: with two leads of this cable it reads {kelvin} K too high.",
        "The sensor itself may err by 0.3 K at 0 °C. A third lead lets the module take the cable out, a fourth wholly.",
        _leads, "IEC 60751",
    ),
)  # fmt: skip
