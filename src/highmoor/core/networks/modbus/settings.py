"""What can be set on the stations and exchanges of Modbus, whatever carries it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal

from highmoor.core.catalogue.sizes import in_other_units
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.figures.modbus_functions import EXCHANGED, Function
from highmoor.core.hardware.mounting import carries_modules
from highmoor.core.networks.fieldbus import Around
from highmoor.core.networks.line import Line
from highmoor.core.networks.modbus.functions import entered_address, written_address
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.rows import Connection, Exchange, Json, Station

KINDS = ("modbus-tcp", "modbus-rtu")
REPLY_MS = 5.0
WATCHDOG_MS = 1000.0
Trigger = Literal["period", "after", "edge"]
TRIGGERS: dict[str, str] = {
    "period": "every period",
    "after": "when the one before it is over",
    "edge": "when its start bit rises",
}


@dataclass(frozen=True, slots=True)
class ExchangeSettings:
    """An exchange's settings with defaults filled in; times in ms, `address` 0-based."""

    function: Function
    address: int
    count: int
    period_ms: float
    timeout_ms: float
    retries: int
    trigger: Trigger = "period"
    write_address: int = 0
    write_count: int = 0

    @classmethod
    def of(cls, exchange: Exchange) -> ExchangeSettings:
        own = exchange.settings
        fallback = 4 if exchange.direction == "in" else 16
        function = EXCHANGED.get(own.get("function", fallback), EXCHANGED[fallback])
        return cls(
            function,
            own.get("address", 0),
            own.get("count", 1),
            own.get("period_ms", 500),
            own.get("timeout_ms", 1000),
            own.get("retries", 0),
            own["trigger"] if own.get("trigger") in TRIGGERS else "period",
            own.get("write_address", 0),
            own.get("write_count", 1) if function.writes_at_most else 0,
        )


def settings_of(line: Line) -> tuple[tuple[Exchange, ExchangeSettings], ...]:
    """The exchanges of a line with what is set of each."""
    return line.once(_settings)


def _settings(line: Line) -> tuple[tuple[Exchange, ExchangeSettings], ...]:
    return tuple((exchange, ExchangeSettings.of(exchange)) for exchange in line.exchanges)


def in_time(lines: Iterable[Line]) -> list[tuple[Line, Exchange, ExchangeSettings]]:
    """Exchanges in the order they are made, each with its line and the period it has in effect.

    One in a chain is due when the one before it is; one started by its bit has a period of 0: it takes no part in time.
    """
    told = []
    period = 0.0
    for line in lines:
        for exchange, settings in settings_of(line):
            if settings.trigger == "edge":
                period = 0.0
            elif settings.trigger == "period":
                period = max(settings.period_ms, 0.001)
            effective = settings if settings.period_ms == period else replace(settings, period_ms=period)
            told.append((line, exchange, effective))
    return told


def unit_of(station: Station, connection: Connection) -> int:
    """The unit a request names: the station's number on a line, the connection's unit id over TCP; 0 is everybody."""
    own = station.address
    if own.isascii() and own.isdigit() and len(own) < 4:
        return int(own)
    unit: int = connection.settings.get("unit", 255)
    return unit


def reply_ms(station: Station) -> float:
    """The device's reply delay in ms, as its manual gives it."""
    value: float = station.settings.get("reply_ms", REPLY_MS)
    return value


def new_exchange(
    wanted: Mapping[str, Any], _: Line | None = None, more: tuple[FieldSpec, ...] = ()
) -> tuple[Literal["in", "out"], dict[str, Any]]:
    """Direction and settings of an exchange to be made; what is not wanted otherwise gets a usual value.

    `more` are the settings that a carrier adds.
    """
    function = EXCHANGED.get(wanted.get("function", 4))
    if function is None:
        raise Refusal(f"Function {wanted.get('function')} cannot be exchanged cyclically.", field="settings.function")
    settings = {
        "function": function.code,
        "address": 0,
        "count": 1,
        "period_ms": 500,
        "timeout_ms": 1000,
    }
    fields = {spec.path.removeprefix("settings."): spec for spec in (*exchange_fields_for(function), *more)}
    for key, value in wanted.items():
        if key not in fields:
            raise Refusal(f"A Modbus exchange has no setting {key!r}.", field=f"settings.{key}", value=value)
        settings[key] = fields[key].parse(value)
    return function.direction, settings


def watchdog_ms(settings: Json) -> float:
    """How long a coupler waits for the next write, ms; 0 waits for ever."""
    value = settings.get("watchdog_ms")
    return (
        float(value) if isinstance(value, int | float) and not isinstance(value, bool) and value >= 0 else WATCHDOG_MS
    )


def watchdog_fields(device: DeviceType | None) -> tuple[FieldSpec, ...]:
    """The setting, for what has a rail of its own."""
    if device is None or not carries_modules(device):
        return ()
    return (
        FieldSpec(
            "settings.watchdog_ms", "Watchdog of its outputs", "number", default=WATCHDOG_MS, unit="ms", minimum=0,
            maximum=3_600_000, optional=True, window=True, restart=True,
            hint="After this long without a write its outputs do what their modules are set to. 0: they hold for ever.",
        ),
    )  # fmt: skip


def station_fields(_: Station, around: Around) -> tuple[FieldSpec, ...]:
    return (
        FieldSpec(
            "settings.reply_ms",
            "Reply delay",
            "number",
            default=REPLY_MS,
            unit="ms",
            minimum=0,
            maximum=60000,
            optional=True,
            hint="How long the device takes to answer; see its manual, or measure it.",
        ),
        *watchdog_fields(around.device),
    )


def exchange_fields(exchange: Exchange, _: Around) -> tuple[FieldSpec, ...]:
    settings = ExchangeSettings.of(exchange)
    fields = exchange_fields_for(settings.function)
    # A period is asked of what is made every period alone.
    kept = tuple(f for f in fields if f.path != "settings.period_ms" or settings.trigger == "period")
    watched = exchange.settings.get("health") is not None
    return (*kept, _TRIGGER, *((_WATCH,) if watched and exchange.direction == "in" else ()), *((_HEALTH,) * watched))


def exchange_fields_for(function: Function) -> tuple[FieldSpec, ...]:
    same_way = tuple(
        Choice(f.code, f.label, "" if f.direction == function.direction else "the data would go the other way")
        for f in EXCHANGED.values()
    )
    what = "coils" if function.bits == 1 else "registers"
    return (
        FieldSpec(
            "settings.function", "Function", "choice", default=function.code,
            choices=same_way, term="function code",
        ),
        FieldSpec(
            "settings.address",
            "From reference",
            "integer",
            default=0,
            minimum=0,
            maximum=65535,
            term="starting address",
            hint="As the manual writes it: 40101, or @100 for the protocol's own address.",
            read=lambda given: entered_address(str(given) if isinstance(given, str) else f"@{given}", function),
            show=lambda value: written_address(value, function),
        ),
        FieldSpec(
            "settings.count", "Count", "integer", default=1, minimum=0, maximum=65535, unit=what,
            term="quantity", hint=f"1–{function.at_most} in one exchange.",
            show=lambda value: in_other_units(function.data_octets(value), "bits" if function.bits == 1 else "words16"),
        ),
        *(_written_besides(function) if function.writes_at_most else ()),
        FieldSpec(
            "settings.period_ms", "Period", "number", default=500, unit="ms", minimum=1, maximum=3_600_000, window=True,
        ),
        FieldSpec(
            "settings.timeout_ms", "Time-out", "number", default=1000, unit="ms", minimum=0, maximum=3_600_000,
            hint="From the end of the request. 0 waits for ever.", window=True,
        ),
    )  # fmt: skip


def _written_besides(function: Function) -> tuple[FieldSpec, ...]:
    """What a function that does both writes before it reads."""
    return (
        FieldSpec(
            "settings.write_address", "Written from reference", "integer", default=0, minimum=0, maximum=65535,
            read=lambda given: entered_address(str(given) if isinstance(given, str) else f"@{given}", function),
            show=lambda value: written_address(value, function),
        ),
        FieldSpec(
            "settings.write_count", "Written", "integer", default=1, minimum=0, maximum=65535, unit="registers",
            hint=f"1–{function.writes_at_most} in one exchange.",
            show=lambda value: in_other_units(2 * value, "words16"),
        ),
    )  # fmt: skip


_TRIGGER = FieldSpec(
    "settings.trigger", "Asked", "choice", default="period", optional=True,
    choices=tuple(Choice(key, label) for key, label in TRIGGERS.items()),
    hint="A chain continues after a failure, so it never stops for good.",
)  # fmt: skip

_WATCH = FieldSpec(
    "settings.watch_ms", "Alive within", "number", unit="ms", minimum=1, maximum=3_600_000, optional=True, window=True,
    hint="What comes back must change within this time. If not set: four periods.",
)  # fmt: skip

WATCH_LABELS = {"beat": "Heartbeat", "mirror": "Round trip"}
_HEALTH = FieldSpec(
    "settings.health",
    "Watch",
    "choice",
    made=True,
    choices=tuple(Choice(key, label) for key, label in WATCH_LABELS.items()),
)

# What is asked for when an exchange is made: any function, then what it works on.
NEW_EXCHANGE_FIELDS: tuple[FieldSpec, ...] = tuple(
    replace(spec, choices=tuple(Choice(f.code, f.label) for f in EXCHANGED.values()))
    if spec.path == "settings.function"
    else spec
    for spec in exchange_fields_for(EXCHANGED[3])
)
