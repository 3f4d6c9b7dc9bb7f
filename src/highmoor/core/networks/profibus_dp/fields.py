"""The forms of PROFIBUS DP: the network's rate and bus parameters, and what can be set on its stations."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.figures.profibus_cycle import OCTETS_AT_MOST, RATES
from highmoor.core.figures.profibus_identifier import identifiers_in, parse_hex
from highmoor.core.hardware.parameters import parameter_field
from highmoor.core.networks.fieldbus import Around, FieldsOf
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import is_request, trigger_fields
from highmoor.core.networks.profibus_dp.bus import bus_of, rate_text
from highmoor.core.networks.profibus_dp.requests import OCTETS_USUAL, request_of
from highmoor.core.networks.profibus_dp.settings import (
    BAUD,
    MASTER,
    PRM_HEAD_OCTETS,
    PRM_OCTETS_AT_MOST,
    WATCHDOG_MS,
    is_described,
    station_parameters,
)
from highmoor.core.networks.profibus_dp.telegrams import ACYCLIC_OCTETS_AT_MOST
from highmoor.core.numbers import parse_number
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.rows import Connection, Exchange, Network, Station

_USER_OCTETS_AT_MOST = PRM_OCTETS_AT_MOST - PRM_HEAD_OCTETS


def _network_fields(row: Network, _: Around) -> tuple[FieldSpec, ...]:
    return (
        FieldSpec(
            "settings.baud", "Rate", "choice", default=BAUD,
            choices=tuple(Choice(baud, rate_text(baud)) for baud in RATES),
            hint="One for all; stations find it by themselves where their files say so.",
        ),
        FieldSpec(
            "settings.master", "Master's address", "integer", default=MASTER, minimum=0, maximum=125,
            term="station address", hint="Stations are asked behind it; 0 and 1 are usual.",
        ),
        FieldSpec(
            "settings.cycle_ms", "Not oftener than every", "number", default=0, unit="ms", minimum=0, maximum=1000,
            optional=True, hint="If empty: as often as the slowest station bears.",
        ),
        FieldSpec(
            "settings.auto_clear", "Clear all when one fails", "boolean", default=False, term="auto-clear",
            hint="All outputs go to their safe state as soon as one station is lost.",
        ),
        FieldSpec("settings.terminated", "Terminator at the port", "boolean", default=True, optional=True),
        *_bus_fields(row),
    )  # fmt: skip


def _bus_fields(row: Network) -> Iterator[FieldSpec]:
    """What the bus runs by, where somebody wants it otherwise than it follows."""
    for parameter in bus_of(row, ()).parameters:
        yield FieldSpec(
            f"settings.bus.{parameter.key}", parameter.label, "integer", minimum=parameter.minimum,
            maximum=parameter.maximum, unit=parameter.unit, optional=True, term=parameter.sign, section="bus",
            hint="If empty: as it follows from the rate and the stations.",
        )  # fmt: skip


def _station_fields(row: Station, around: Around) -> tuple[FieldSpec, ...]:
    device = around.device
    if device is not None and device.repeater is not None:
        return (*_cable_fields(repeats=True),)
    return (
        *(() if is_described(device) else _typed_fields()),
        FieldSpec(
            "settings.watchdog_ms", "Watchdog", "number", default=WATCHDOG_MS, unit="ms", minimum=0, maximum=650_250,
            term="WD_Fact_1, WD_Fact_2",
            hint="Not asked for so long it leaves its master, and its outputs go to their safe state. 0: never.",
        ),
        *_group_fields(device),
        *_cable_fields(repeats=False),
        *(_parameter_fields(device) if device and is_described(device) else ()),
    )  # fmt: skip


def _group_fields(device: DeviceType | None) -> Iterator[FieldSpec]:
    yield FieldSpec(
        "settings.group", "Group", "choice", default=0, optional=True,
        choices=(Choice(0, "none"), *(Choice(n, str(n)) for n in range(1, 9))), term="Group_Ident",
        hint="Stations of a group take a command to freeze or to sync together.",
    )  # fmt: skip
    for key, label, fact in (("sync", "Can sync its outputs", "sync_mode_supp"),
                             ("freeze", "Can freeze its inputs", "freeze_mode_supp")):  # fmt: skip
        has = device is None or not is_described(device) or device.facts.get(fact) == 1
        yield FieldSpec(
            f"settings.{key}", label, "boolean", default=False, optional=True,
            hint="" if has else "Its file says that it cannot.",
        )  # fmt: skip


def _cable_fields(*, repeats: bool) -> tuple[FieldSpec, ...]:
    cable = (
        FieldSpec(
            "settings.length_m", "Cable to it", "number", default=0, unit="m", minimum=0, maximum=10_000, optional=True,
            hint="From the one before it on the line.",
        ),
        FieldSpec("settings.cable_tag", "Cable designation", "text", default="", term="IEC 81346", optional=True),
    )  # fmt: skip
    if repeats:
        return (
            *cable,
            FieldSpec(
                "settings.terminated", "Terminator before it", "boolean", default=True, optional=True,
                hint="It ends the segment it hangs on.",
            ),
            FieldSpec(
                "settings.terminated_behind", "Terminator behind it", "boolean", default=True, optional=True,
                hint="It begins the next one.",
            ),
        )  # fmt: skip
    return (
        *cable,
        FieldSpec(
            "settings.stub_m", "Stub", "number", default=0, unit="m", minimum=0, maximum=100, optional=True,
            hint="From the trunk to the device; 0 where the trunk runs through its plug.",
        ),
        FieldSpec(
            "settings.terminated", "Terminator", "boolean", default=False, optional=True,
            hint="In its plug, and fed by the device: without power there it ends nothing.",
        ),
    )  # fmt: skip


def _typed_fields() -> tuple[FieldSpec, ...]:
    """Of a device without a file."""
    return (
        FieldSpec(
            "settings.ident", "Ident number", "integer", minimum=0, maximum=0xFFFF, optional=True,
            show=lambda value: f"16#{value:04X}" if isinstance(value, int) else "",
            hint="In any base; the device's manual gives it.",
        ),
        FieldSpec(
            "settings.identifiers", "Identifiers", "text", default="", optional=True, read=read_identifiers_text,
            term="Cfg_Data", hint="Of its modules in order, in hex: 11 is two octets in, 20 one octet out.",
        ),
        FieldSpec(
            "settings.user_prm", "Parameters", "text", default="", optional=True, read=read_user_prm,
            term="User_Prm_Data", hint="In hex, behind what every station gets.",
        ),
    )  # fmt: skip


def read_identifiers_text(given: Any) -> str:
    """Identifiers in hex, as they are kept. Raises Refusal for what are none, and for more data than a station has."""
    if not str(given).strip():
        return ""
    octets = parse_hex(str(given))
    found = identifiers_in(octets)
    for way in ("in", "out"):
        count = sum(getattr(sizes, f"{way}_octets") for _, sizes in found)
        if count > OCTETS_AT_MOST:
            raise Refusal(f"That is {count} octets {way}; a station has {OCTETS_AT_MOST} at most.", value=given)
    if len(octets) > PRM_OCTETS_AT_MOST:
        raise Refusal(f"{len(octets)} octets of identifiers do not fit into one telegram.", value=given)
    return octets.hex(" ").upper()


def read_user_prm(given: Any) -> str:
    """Parameter octets in hex, as they are kept. Raises Refusal for what are none, and for too many."""
    if not str(given).strip():
        return ""
    octets = parse_hex(str(given))
    if len(octets) > _USER_OCTETS_AT_MOST:
        raise Refusal(f"{len(octets)} octets are too many: {_USER_OCTETS_AT_MOST} fit.", value=given)
    return octets.hex(" ").upper()


def _parameter_fields(device: DeviceType) -> Iterator[FieldSpec]:
    """The station's own parameters, each at the octet it stands in."""
    for key, _, parameter in station_parameters(device):
        if not parameter.hidden:
            yield parameter_field(parameter, f"settings.prm.{key}")


def _connection_fields(row: Connection, around: Around) -> tuple[FieldSpec, ...]:
    line = around.line
    if line is None or not is_request(row):
        return ()
    return (
        FieldSpec("settings.slot", "Slot", "choice", default=0, choices=tuple(_slots(line))),
        FieldSpec(
            "settings.index", "Index", "integer", minimum=0, maximum=255, optional=True, read=_index,
            hint="In any base; its manual gives it.",
        ),
        *trigger_fields(line),
    )  # fmt: skip


def _index(given: Any) -> int | None:
    if not str(given).strip():
        return None
    number = parse_number(str(given))
    if number.denominator != 1 or not 0 <= number <= 255:
        raise Refusal(f"Index {given} is none: they go from 0 to 255.", value=given)
    return number.numerator


def _slots(line: Line) -> Iterator[Choice]:
    yield Choice(0, "the station itself")
    for module in line.modules:
        yield Choice(module.slot, f"slot {module.slot}, {module.type.called}")


def _exchange_fields(row: Exchange, around: Around) -> tuple[FieldSpec, ...]:
    if around.line is None or not is_request(around.line.connection):
        return ()
    hint = "" if request_of(around.line).writes else "The most that can come; a shorter answer leaves the rest."
    return (
        FieldSpec(
            "settings.octets", "Size", "integer", default=OCTETS_USUAL, unit="octets", minimum=0,
            maximum=ACYCLIC_OCTETS_AT_MOST, optional=True, hint=hint,
        ),
    )  # fmt: skip


FIELDS: dict[str, FieldsOf] = {
    "networks": _network_fields,
    "stations": _station_fields,
    "modules": lambda *_: (),
    "connections": _connection_fields,
    "exchanges": _exchange_fields,
}
