"""What can be set on a serial Modbus line and its stations: what both ends must share is entered once, on the line."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, Literal, cast

from highmoor.core.figures.modbus_rtu import BROADCAST_TURNAROUND_MS, PARITIES, Character, Parity
from highmoor.core.networks.fieldbus import Around, FieldsOf
from highmoor.core.networks.line import Line
from highmoor.core.networks.modbus.settings import NEW_EXCHANGE_FIELDS, exchange_fields, station_fields
from highmoor.core.networks.modbus.settings import new_exchange as modbus_exchange
from highmoor.core.networks.modbus_rtu.frame import Mode
from highmoor.core.numbers import shown
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.rows import Connection, Exchange, Network, Station

BAUDS = (1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200)
_LINE_DEFAULTS: dict[str, Any] = {"mode": "rtu", "baud": 19200, "parity": "even", "stop_bits": 1}


@dataclass(frozen=True, slots=True)
class LineCable:
    """A kind of cable for a line; metres of trunk at most, up to 9600 bit/s."""

    key: str
    label: str
    trunk_at_most_m: float


LINE_CABLES = (
    LineCable("pair", "AWG 26 or thicker", 1000),
    LineCable("category-5", "category 5", 600),
    LineCable("four-as-two", "four wires as two", 500),
)


def line_cable(network: Network) -> LineCable:
    """The cable of a line; a pair unless something else is set."""
    return next((cable for cable in LINE_CABLES if cable.key == network.settings.get("cable")), LINE_CABLES[0])


@dataclass(frozen=True, slots=True)
class LineSettings:
    """What octets look like on a line."""

    mode: Mode
    baud: int
    parity: Parity
    stop_bits: int

    @property
    def character(self) -> Character:
        """A character: 8 data bits in RTU, 7 in ASCII mode."""
        return Character(Fraction(self.baud), self.parity, self.stop_bits, 8 if self.mode == "rtu" else 7)

    @property
    def octet_ms(self) -> Fraction:
        """How long a character takes."""
        return self.character.ms

    @property
    def written(self) -> str:
        """As the trade writes it: "19200 8E1"."""
        return f"{self.baud} {self.character.data_bits}{self.parity[0].upper()}{self.stop_bits}" + (
            " ASCII" if self.mode == "ascii" else ""
        )


def line_settings(network: Network, station: Station | None = None) -> LineSettings:
    """What the line is set to, or what a station of it is set to where that differs."""
    given = {**_LINE_DEFAULTS, **network.settings}
    if station is not None:
        given |= {key: station.settings[key] for key in _LINE_DEFAULTS if station.settings.get(key) is not None}
    baud = given["baud"] if given["baud"] in BAUDS else 19200
    parity = given["parity"] if given["parity"] in PARITIES else "even"
    mode: Mode = "ascii" if given["mode"] == "ascii" else "rtu"
    return LineSettings(mode, baud, cast("Parity", parity), 2 if given["stop_bits"] == 2 else 1)


@dataclass(frozen=True, slots=True)
class StationWiring:
    """How a station hangs on the line: metres of cable from the one before and of its tap, its share of 32 loads."""

    length_m: float
    tap_m: float
    unit_load: float
    terminated: bool
    biased: bool

    @classmethod
    def of(cls, station: Station) -> StationWiring:
        own = station.settings
        return cls(
            own.get("length_m") or 0,
            own.get("tap_m") or 0,
            own.get("unit_load") or 1,
            bool(own.get("terminated", False)),
            bool(own.get("biased", False)),
        )


def turnaround_ms(network: Network) -> float:
    """How long the line rests after a broadcast."""
    value: float = network.settings.get("turnaround_ms", float(BROADCAST_TURNAROUND_MS))
    return value


def port_terminated(network: Network) -> bool:
    """Whether the resistor at the controller's own port is in."""
    return bool(network.settings.get("terminated", True))


def port_biased(network: Network) -> bool:
    """Whether the controller's port holds the idle line at a defined level."""
    return bool(network.settings.get("biased", True))


def agreed_fields(own: Literal["own", "line"], network: Network | None) -> tuple[FieldSpec, ...]:
    """The four things both ends must agree on; at a station the line's are what holds unless set."""
    line = {**_LINE_DEFAULTS, **(network.settings if network and own == "line" else {})}
    optional = own == "line"
    hint = "What is set at the device, where it is not what the line has." if optional else ""
    return (
        FieldSpec(
            "settings.baud", "Rate", "choice", default=line["baud"], unit="bit/s", optional=optional, source=own,
            choices=tuple(Choice(b, str(b)) for b in BAUDS), hint=hint,
        ),
        FieldSpec(
            "settings.parity", "Parity", "choice", default=line["parity"], optional=optional, source=own,
            choices=tuple(Choice(p, p) for p in PARITIES),
        ),
        FieldSpec(
            "settings.stop_bits", "Stop bits", "choice", default=line["stop_bits"], optional=optional, source=own,
            choices=(Choice(1, "1"), Choice(2, "2")), hint="Without parity the standard requires two.",
        ),
        FieldSpec(
            "settings.mode", "Mode", "choice", default=line["mode"], optional=optional, source=own,
            choices=(Choice("rtu", "RTU"), Choice("ascii", "ASCII")), term="transmission mode",
        ),
    )  # fmt: skip


def _network_fields(row: Network, _: Around) -> tuple[FieldSpec, ...]:
    return (
        *agreed_fields("own", None),
        FieldSpec(
            "settings.turnaround_ms", "Rest after a broadcast", "number", default=100, unit="ms", minimum=0,
            maximum=10_000, optional=True, term="turnaround delay", hint="100–200 ms are usual.",
        ),
        FieldSpec(
            "settings.cable", "Cable", "choice", default=LINE_CABLES[0].key, optional=True,
            choices=tuple(Choice(cable.key, cable.label) for cable in LINE_CABLES),
            hint=f"At most {shown(line_cable(row).trunk_at_most_m)} m of it up to 9600 bit/s.",
        ),
        FieldSpec("settings.terminated", "Terminating resistor at the port", "boolean", default=True, optional=True),
        FieldSpec(
            "settings.biased", "Bias at the port", "boolean", default=True, optional=True,
            term="line polarization", hint="At exactly one point of the line.",
        ),
    )  # fmt: skip


def _station_fields(row: Station, around: Around) -> tuple[FieldSpec, ...]:
    return (
        *station_fields(row, around),
        FieldSpec(
            "settings.length_m", "Cable to it", "number", default=0, unit="m", minimum=0, maximum=10_000, optional=True,
            hint="From the station before it on the line.",
        ),
        FieldSpec("settings.cable_tag", "Cable designation", "text", default="", term="IEC 81346", optional=True),
        FieldSpec(
            "settings.tap_m", "Tap line", "number", default=0, unit="m", minimum=0, maximum=1000, optional=True,
            hint="From the trunk to the device; 0 where the trunk runs through it.",
        ),
        FieldSpec("settings.terminated", "Terminating resistor", "boolean", default=False, optional=True),
        FieldSpec("settings.biased", "Bias", "boolean", default=False, optional=True, term="line polarization"),
        FieldSpec(
            "settings.unit_load", "Unit load", "choice", default=1, optional=True,
            choices=(Choice(1, "1"), Choice(0.5, "1/2"), Choice(0.25, "1/4"), Choice(0.125, "1/8")),
            hint="A segment takes 32 of them.",
        ),
        *agreed_fields("line", around.network),
    )  # fmt: skip


def _connection_fields(row: Connection, _: Around) -> tuple[FieldSpec, ...]:
    return ()


_RETRIES = FieldSpec(
    "settings.retries", "Retries", "integer", default=1, minimum=0, maximum=10, optional=True,
    hint="How many times it is asked again before it counts as silent.",
)  # fmt: skip


def _exchange_fields(row: Exchange, around: Around) -> tuple[FieldSpec, ...]:
    return (*exchange_fields(row, around), replace(_RETRIES, default=0))


def new_exchange(wanted: Any, line: Line) -> tuple[Literal["in", "out"], dict[str, Any]]:
    """An exchange of a line: as any of Modbus, with a retry and times that suit a line."""
    usual = {"timeout_ms": 200, "period_ms": 1000, "retries": 1}
    return modbus_exchange({**usual, **wanted}, line, (_RETRIES,))


FIELDS: dict[str, FieldsOf] = {
    "networks": _network_fields,
    "stations": _station_fields,
    "connections": _connection_fields,
    "exchanges": _exchange_fields,
}
NEW_FIELDS: tuple[FieldSpec, ...] = (
    *(
        replace(spec, default={"settings.timeout_ms": 200, "settings.period_ms": 1000}[spec.path])
        if spec.path in ("settings.timeout_ms", "settings.period_ms")
        else spec
        for spec in NEW_EXCHANGE_FIELDS
    ),
    _RETRIES,
)
