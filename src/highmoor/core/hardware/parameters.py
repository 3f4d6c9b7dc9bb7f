"""The parameters of modules and their channels as fields: from the device type, and of the wiring behind them."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from highmoor.core.catalogue.types import TERMINALS, ChannelPlace, DeviceType, Parameter
from highmoor.core.errors import Refusal
from highmoor.core.hardware.safe_pairs import pair_fields
from highmoor.core.numbers import parse_number, plain
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.rows import Module

_AREAS_MM2 = (0.14, 0.25, 0.34, 0.5, 0.75, 1, 1.5, 2.5, 4)
_SENSORS = (
    Choice("pnp", "PNP (sourcing)"),
    Choice("npn", "NPN (sinking)"),
    Choice("two-wire", "two-wire"),
    Choice("contact", "contact"),
)
_COMMONS = (Choice("minus", "to minus (common cathode)"), Choice("plus", "to plus (common anode)"))
_USES = (Choice("switch", "switched"), Choice("pulse", "pulse"), Choice("direction", "direction"))


# What is given of a rail: its field supply and what its cabinet bears.
RAIL_FIELDS: tuple[FieldSpec, ...] = (
    FieldSpec(
        "settings.field_v", "Field supply", "number", default=24, unit="V", minimum=10, maximum=60, optional=True
    ),
    FieldSpec(
        "settings.fuse_a", "Fuse of the first group", "number", unit="A", minimum=0.1, maximum=63, optional=True,
        hint="In front of the head's own field supply; later groups have theirs at their feed-in.",
    ),
    FieldSpec(
        "settings.simultaneity", "On at the same time", "number", default=100, unit="%", minimum=1, maximum=100,
        optional=True, hint="The share of the field load that is on at the same time.",
    ),
    FieldSpec(
        "settings.heat_limit_w", "Heat the cabinet can take", "number", unit="W", minimum=0, maximum=5000,
        optional=True,
    ),
)  # fmt: skip


def module_fields(module: Module, device: DeviceType) -> tuple[FieldSpec, ...]:
    """Fields for the module's own parameters, for those of every channel, and for what is wired to it."""
    return _fields_of_type(_Key(device))


class _Key:
    """A device type as a key of the memo: types are values that never change, known by their identity."""

    __slots__ = ("device",)

    def __init__(self, device: DeviceType) -> None:
        self.device = device

    def __hash__(self) -> int:
        return id(self.device)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Key) and other.device is self.device


@lru_cache(maxsize=256)
def _fields_of_type(key: _Key) -> tuple[FieldSpec, ...]:
    device = key.device
    own = tuple(parameter_field(parameter, f"settings.{parameter.key}", "") for parameter in device.parameters)
    channels = tuple(
        parameter_field(parameter, f"settings.channels.{place.key}.{parameter.key}", place.key)
        for place in device.each_channel()
        for parameter in place.group.parameters
    )
    wiring = tuple(spec for place in device.each_channel() for spec in _wiring_fields(place))
    return own + _terminal_fields(device) + channels + pair_fields(device) + wiring


_TERMINALS = (
    Choice("unknown", "not known"),
    *(Choice(one.key, f"{one.label}: {one.raw_low} … {one.raw_high}") for one in TERMINALS.values()),
)


def _terminal_fields(device: DeviceType) -> tuple[FieldSpec, ...]:
    """What the counts of its words stand for: of all, and where its file counts words of one alone."""
    if not device.words:
        return ()
    alone = (
        FieldSpec(
            f"settings.words.{key}", f"{'Output' if key.startswith('q') else 'Input'} word {key[1:]}", "choice",
            default="unknown", optional=True, choices=_TERMINALS, section="wiring",
            hint="Where it is not as the others.",
        )
        for key in device.words
        if device.identifiers
    )  # fmt: skip
    return (
        FieldSpec(
            "settings.terminals", "At its terminals", "choice", default="unknown", optional=True, choices=_TERMINALS,
            hint="Its file does not say what its counts stand for; its manual does.",
        ),
        FieldSpec(
            "settings.full_counts", "Counts at the upper end", "integer", minimum=1, maximum=32767, optional=True,
            hint="If empty: 32767.",
        ),
        *alone,
    )  # fmt: skip


def parameter_field(parameter: Parameter, path: str, channel: str = "") -> FieldSpec:
    """A parameter of a type as a field at `path`."""
    return FieldSpec(
        path,
        parameter.label,
        "choice" if parameter.choices else "number",
        default=parameter.default,
        unit="" if parameter.choices else parameter.unit,
        minimum=parameter.minimum,
        maximum=parameter.maximum,
        choices=tuple(Choice(value, label) for value, label in parameter.choices),
        hint=parameter.hint,
        source="type",
        optional=True,
        restart=parameter.restart,
        disabled="the device gives it; it can only be read" if parameter.access == "read" else "",
        channel=channel,
        section="parameter",
        read=_within(parameter) if parameter.allowed and not parameter.choices else None,
    )


def _within(parameter: Parameter) -> Any:
    """Reads a whole number that must lie in one of several ranges."""

    def read(given: Any) -> int:
        value = parse_number(str(given), unit=parameter.unit)
        shown = ", ".join(str(a) if a == b else f"{a} … {b}" for a, b in parameter.allowed)
        if value.denominator != 1 or not any(low <= value <= high for low, high in parameter.allowed):
            raise Refusal(f"{parameter.label}: {plain(value)} is not among {shown}.", value=given)
        return int(value)

    return read


_LEADS = (
    Choice(2, "two"),
    Choice(3, "three"),
    Choice(4, "four"),
)


def _wiring_fields(place: ChannelPlace) -> tuple[FieldSpec, ...]:
    """What the electrician knows of a channel: its cable and what hangs on it."""
    kind, wiring = place.group.kind, place.group.wiring
    specs = [
        _own(place, "cable", "Cable", "text", section="cabinet"),
        _own(place, "core", "Core", "text", section="cabinet"),
        _own(place, "note", "Note", "text", section="cabinet"),
        _own(place, "length_m", "Length", "number", unit="m", minimum=0, maximum=2000),
        _own(
            place, "area_mm2", "Area", "choice",
            choices=tuple(Choice(area, f"{area} mm²") for area in _AREAS_MM2),
        ),
    ]  # fmt: skip
    if wiring.load_ma or wiring.rating_ma:
        specs.append(
            _own(place, "load_ma", "Draws", "number", unit="mA", minimum=0, maximum=20_000,
                 hint=f"Unless set, {wiring.load_ma} mA once a signal is linked.")
        )  # fmt: skip
    if kind in ("DI", "SI"):
        specs += [
            _own(place, "sensor", "Sensor", "choice", choices=_SENSORS),
            _own(place, "leakage_ma", "Leakage", "number", unit="mA", minimum=0, maximum=20),
        ]
    if kind in ("DO", "SO"):
        specs += [
            _own(place, "common", "Load lies", "choice", choices=_COMMONS),
            _own(place, "min_v", "Needs", "number", unit="V", minimum=0, maximum=60),
        ]
    if wiring.pulses:
        specs += [
            _own(place, "use", "Used as", "choice", choices=_USES),
            _own(place, "frequency_hz", "Up to", "number", unit="Hz", minimum=0, maximum=10_000_000),
        ]
    if any(one.ohm_per_kelvin for one in place.group.ranges):
        specs.append(_own(place, "leads", "Leads", "choice", choices=_LEADS))
    if wiring.burden_ohm is not None:
        specs += [
            _own(place, "transmitter_v", "Transmitter", "number", unit="V", minimum=0, maximum=60,
                 hint="The least voltage at the transmitter; with it the loop's burden is checked."),
            _own(place, "barrier_ohm", "Barrier", "number", unit="Ω", minimum=0, maximum=10_000),
        ]  # fmt: skip
    return tuple(specs)


def _own(place: ChannelPlace, key: str, label: str, kind: Any, section: Any = "wiring", **more: Any) -> FieldSpec:
    empty = {"default": ""} if kind == "text" else {}
    path = f"settings.channels.{place.key}.{key}"
    return FieldSpec(path, label, kind, optional=True, channel=place.key, section=section, **{**empty, **more})
