"""Error codes in words, and which settings each speaks of: by table, and only of settings that there are."""

from __future__ import annotations

from typing import Any

import pytest

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.networks import FIELDBUSES, fieldbus_of
from highmoor.core.networks.ethernet_ip.explain import EXTENDED, GENERAL, told
from highmoor.core.networks.modbus.explain import DAMAGED, SILENT
from highmoor.core.networks.modbus.pdu import EXCEPTIONS
from highmoor.core.plant.rows import Connection, Exchange, Network, Station, table_of
from highmoor.core.project.fields import fields_of
from tests.core.networks.ethercat import turner
from tests.core.networks.profibus_dp import wrong as profibus
from tests.core.networks.profinet import wrong as profinet

LINE = ("networks.settings.baud", "networks.settings.parity")
COUNTED = ("exchanges.settings.address", "exchanges.settings.count")
SIZES = ("exchanges.settings.octets", "exchanges.settings.header")
IDENTITY = ("stations.settings.identity", "stations.settings.revision")
SPEAKS_OF: list[tuple[str, int, str, tuple[str, ...]]] = [
    ("modbus-tcp", 0x01, "in", ("exchanges.settings.function",)),
    ("modbus-tcp", 0x02, "in", COUNTED),
    ("modbus-tcp", 0x03, "out", ("exchanges.settings.count",)),
    ("modbus-tcp", 0x04, "in", ()),
    ("modbus-tcp", 0x0B, "in", ("connections.settings.unit",)),
    ("modbus-tcp", SILENT, "in", ("stations.address", "exchanges.settings.timeout_ms")),
    ("modbus-tcp", DAMAGED, "in", ()),
    # On a line nobody is heard either when both ends do not agree on how it is spoken.
    ("modbus-rtu", SILENT, "in", ("stations.address", "exchanges.settings.timeout_ms", *LINE)),
    ("modbus-rtu", DAMAGED, "in", (*LINE, "stations.settings.terminated")),
    ("modbus-rtu", 0x02, "out", COUNTED),
    ("ethernet-ip", 0x0106, "out", ("connections.settings.application",)),
    ("ethernet-ip", 0x010106, "out", ("connections.settings.application",)),
    ("ethernet-ip", 0x0115, "in", IDENTITY),
    # A wrong size is of one direction alone, and its other has no part in it.
    ("ethernet-ip", 0x010127, "out", SIZES),
    ("ethernet-ip", 0x010127, "in", ()),
    ("ethernet-ip", 0x010128, "in", SIZES),
    ("ethernet-ip", 0x010128, "out", ()),
    ("ethernet-ip", 0x0123, "out", ("exchanges.settings.transfer",)),
    ("ethernet-ip", 0x0124, "out", ()),
    ("ethernet-ip", 0x0204, "in", ("stations.address",)),
    ("ethernet-ip", 0x0312, "in", ("stations.settings.route",)),
    ("ethernet-ip", 0x01, "in", ()),
    ("ethercat", 0x001B, "out", ("stations.settings.watchdog_ms", "modules.settings.watchdog_ms")),
    ("ethercat", 0x001D, "in", ("stations.settings.pdos", "modules.settings.pdos")),
    ("ethercat", 0x0070, "in", ()),
]


@pytest.mark.parametrize(("kind", "code", "direction", "settings"), SPEAKS_OF)
def test_the_settings_that_a_code_speaks_of(kind: str, code: int, direction: Any, settings: tuple[str, ...]) -> None:
    bus = fieldbus_of(kind)
    assert bus is not None
    assert bus.live.likely(code, direction) == settings


PLANT = demo_plant()


def of_kind(kind: str) -> list[Any]:
    """The demo's networks of a kind, with all that hangs on them."""
    networks = [network for network in PLANT.all(Network) if network.kind == kind]
    stations = [station for network in networks for station in PLANT.children(Station, network.id)]
    connections = [connection for station in stations for connection in PLANT.children(Connection, station.id)]
    exchanges = [exchange for connection in connections for exchange in PLANT.children(Exchange, connection.id)]
    return [*networks, *stations, *connections, *exchanges]


@pytest.mark.parametrize("bus", FIELDBUSES, ids=lambda bus: bus.key)
def test_whatever_a_code_speaks_of_is_a_setting_that_somebody_can_make(bus: Any) -> None:
    known = {f"{table_of(row).name}.{spec.path}" for row in of_kind(bus.key) for spec in fields_of(PLANT, BUILTIN, row)}
    by_hand = {"ethercat": turner.forms, "profibus-dp": profibus.forms, "profinet": profinet.forms}.get(bus.key)
    known = by_hand() if by_hand else known
    codes = [*range(0x400), *range(0xB000, 0xB300), *range(0x010000, 0x010400)]
    spoken = {path for code in codes for way in ("in", "out") for path in bus.live.likely(code, way)}
    assert spoken
    # On a serial line the unit is the station's own address: what a form does not have is not offered there.
    assert spoken - {"connections.settings.unit"} <= known


@pytest.mark.parametrize("bus", FIELDBUSES, ids=lambda bus: bus.key)
def test_every_code_is_a_sentence(bus: Any) -> None:
    for code in (*range(0x100), *range(0x0100, 0x0330), 0x010127, 0x01FFFF):
        text = bus.explain(code)
        assert text
        assert not text[0].isupper() or text[1].isupper() or text.startswith(("O→T", "T→O"))
        assert not text.endswith(".")


def test_codes_that_the_standards_name_are_named() -> None:
    modbus, ethernet_ip = fieldbus_of("modbus-tcp"), fieldbus_of("ethernet-ip")
    assert modbus is not None
    assert ethernet_ip is not None
    assert all(modbus.explain(code) == text for code, text in EXCEPTIONS.items())
    assert modbus.explain(0x09) == "exception 9, which the standard does not name"
    assert all(ethernet_ip.explain(code) == text for code, text in GENERAL.items())
    assert all(ethernet_ip.explain(0x010000 | code) == text for code, text in EXTENDED.items())
    assert ethernet_ip.explain(0x0199) == "refused with extended status 16#0199, which the standard leaves open"
    assert ethernet_ip.explain(0xE7) == "status 16#E7, which the standard leaves open"


@pytest.mark.parametrize(
    ("status", "extended", "begins"),
    [(0x01, 0x0127, "01/0127: wrong size O→T"), (0x08, None, "08: "), (0x08, 0x0127, "08: "), (0x01, None, "01: ")],
)
def test_a_refusal_is_told_with_its_numbers(status: int, extended: int | None, begins: str) -> None:
    assert told(status, extended).startswith(begins)
