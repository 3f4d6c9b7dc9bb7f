"""What can be wrong with a master's ports and what is plugged into them."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.networks.carried import AREAS
from highmoor.core.networks.io_link.told import MasterPorts, PortTold, PortWay
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Module, Rail

_WORDS = {"in": "from it", "out": "to it"}


def _plugged(result: MasterPorts | None) -> Iterator[PortTold]:
    for port in result.ports if result else ():
        if port.module:
            yield port


def _octets(count: int) -> str:
    return f"{count} octet{'' if count == 1 else 's'}"


def _nowhere(result: MasterPorts | None, reader: Reader, root: str) -> Iterator[Finding]:
    for port in _plugged(result):
        for area in AREAS:
            way = port.way(area)
            if way.octets and way.first is None:
                yield finding("IOL-101", (port.module, f"settings.{area}_at"), (root, f"settings.{area}_first"),
                              name=port.label, octets=_octets(way.octets), way=_WORDS[area])  # fmt: skip


def _too_big(result: MasterPorts | None, reader: Reader, root: str) -> Iterator[Finding]:
    for port in _plugged(result):
        for area in AREAS:
            way = port.way(area)
            if way.room is not None and way.octets > way.room:
                yield finding("IOL-102", (port.module, "type"), (root, f"settings.{area}_octets"), name=port.label,
                              octets=_octets(way.octets), way=_WORDS[area], room=way.room)  # fmt: skip


def _behind_the_end(result: MasterPorts | None, reader: Reader, root: str) -> Iterator[Finding]:
    for port in _plugged(result):
        for area in AREAS:
            way = port.way(area)
            if way.octets and way.first is not None and way.first + way.octets > way.carried:
                yield finding("IOL-103", (port.module, f"settings.{area}_at"), (root, f"settings.{area}_first"),
                              way.carrier, name=port.label, first=way.first, last=way.first + way.octets - 1,
                              carrier=way.carrier_name, octets=way.carried)  # fmt: skip


def _overlapping(result: MasterPorts | None, reader: Reader, root: str) -> Iterator[Finding]:
    for area in AREAS:
        laid = sorted(
            (
                (way.carrier, way.first, port)
                for port in _plugged(result)
                if (way := port.way(area)).octets and way.first is not None
            ),
            key=_carrier_and_first,
        )
        for one, other in pairwise(laid):
            before: PortWay = one[2].way(area)
            if one[0] == other[0] and other[1] < one[1] + before.octets:
                yield finding("IOL-104", (other[2].module, f"settings.{area}_at"), one[2].module, name=other[2].label,
                              other=one[2].label, octet=other[1], carrier=before.carrier_name)  # fmt: skip


def _carrier_and_first(laid: tuple[str, int, PortTold]) -> tuple[str, int, int]:
    return laid[0], laid[1], laid[2].port


def _too_quick(result: MasterPorts | None, reader: Reader, root: str) -> Iterator[Finding]:
    for port in _plugged(result):
        wanted = reader.row(port.module, Module).settings.get("cycle_ms")
        if isinstance(wanted, int | float) and port.mode == "data" and wanted < port.least_ms:
            yield finding("IOL-105", (port.module, "settings.cycle_ms"), name=port.label, wanted=shown(wanted),
                          least=shown(port.least_ms, 3), cycle=shown(port.cycle_ms, 3))  # fmt: skip


def _nothing_to_compare(result: MasterPorts | None, reader: Reader, root: str) -> Iterator[Finding]:
    for port in _plugged(result):
        row = reader.row(port.module, Module)
        device = reader.type(row.type)
        if port.mode != "data" or device is None or device.io_link or row.settings.get("validation") == "none":
            continue
        if not (row.settings.get("vendor_id") and row.settings.get("device_id")):
            yield finding("IOL-106", (port.module, "settings.device_id"), name=port.label)


def _bit_nowhere(result: MasterPorts | None, reader: Reader, root: str) -> Iterator[Finding]:
    labels = {port.module: port.label for port in _plugged(result)}
    for module, setting in result.wanted_bits if result else ():
        yield finding("IOL-107", module, (root, f"settings.{setting}"), name=labels.get(module, module),
                      pin=setting[3], way=_WORDS["out" if setting.endswith("out") else "in"])  # fmt: skip


def _no_data(result: MasterPorts | None, reader: Reader, root: str) -> Iterator[Finding]:
    for port in _plugged(result):
        row = reader.row(port.module, Module)
        device = reader.type(row.type)
        unsized = port.mode == "data" and device is not None and device.io_link is None
        if unsized and not port.inward.octets and not port.outward.octets:
            yield finding("IOL-108", (port.module, "settings.in_octets"), name=port.label)


def _into_the_bits(result: MasterPorts | None, reader: Reader, root: str) -> Iterator[Finding]:
    """Data of a port that lies where the bits of all ports stand."""
    settings = reader.row(root, Rail).settings
    for port in _plugged(result):
        for bit in port.bits:
            area, _, key = bit.key.partition(".")
            way = port.inward if area == "in" else port.outward
            octet = int(bit.at.partition(".")[0])
            setting = "valid" if key == "valid" else f"{key}_{area}"
            if way.first is None or way.carrier != bit.carrier or not settings.get(setting):
                continue
            if way.first <= octet < way.first + way.octets:
                yield finding("IOL-109", (root, f"settings.{setting}"), port.module, name=port.label, what=bit.label,
                              octet=octet)  # fmt: skip
                return


def _too_much_current(result: MasterPorts | None, reader: Reader, root: str) -> Iterator[Finding]:
    gives = reader.row(root, Rail).settings.get("port_ma")
    for port in _plugged(result):
        draws = reader.row(port.module, Module).settings.get("draws_ma")
        if isinstance(gives, int) and isinstance(draws, int) and draws > gives:
            yield finding("IOL-110", (port.module, "settings.draws_ma"), (root, "settings.port_ma"), name=port.label,
                          draws=draws, gives=gives)  # fmt: skip


def _pin_is_a_supply(result: MasterPorts | None, reader: Reader, root: str) -> Iterator[Finding]:
    for port in _plugged(result):
        second = reader.row(root, Rail).settings.get("class") == "B"
        if second and reader.row(port.module, Module).settings.get("pin2") == "in":
            yield finding("IOL-111", (port.module, "settings.pin2"), (root, "settings.class"), name=port.label)


CHECKS: tuple[Check, ...] = (
    Check(
        "IOL-101", "rail.master", "networks", "error", "Port data that lies nowhere",
        "{name}: nobody says in which of the master's octets the data {way} lies ({octets}).",
        "The master copies each port's data into what it exchanges; its manual says where.", _nowhere, "IEC 61131-9",
    ),
    Check(
        "IOL-102", "rail.master", "networks", "error", "More data than its port has room for",
        "{name}: {octets} {way}, its port has {room}.",
        "A port that is too small carries the first octets alone, or none at all.", _too_big, "IEC 61131-9",
    ),
    Check(
        "IOL-103", "rail.master", "networks", "error", "Port data behind the end",
        "{name}: octets {first}–{last} of {carrier}, which has {octets}.",
        "What lies behind the end is not exchanged.", _behind_the_end,
    ),
    Check(
        "IOL-104", "rail.master", "networks", "error", "Two ports in the same octets",
        "{name} begins at octet {octet} of {carrier}, where the data of {other} lies.",
        "Both would show the same octets, and each would be wrong for one of the two.", _overlapping,
    ),
    Check(
        "IOL-105", "rail.master", "networks", "warning", "Cycle the device cannot keep",
        "{name}: every {wanted} ms is asked, {least} ms is the least; the master takes {cycle} ms.",
        "A master takes no cycle below the device's own, nor one in which its message has no room.", _too_quick,
        "IEC 61131-9, B.1.3",
    ),
    Check(
        "IOL-106", "rail.master", "networks", "note", "Nothing to compare a device with",
        "{name}: what is plugged in is to be checked, but vendor ID and device ID are not known.",
        "Without both the master takes any device, and a wrong one gives wrong numbers.", _nothing_to_compare,
        "IEC 61131-9, 11.2.5",
    ),
    Check(
        "IOL-107", "rail.master", "networks", "error", "Pin of which nobody says where it lies",
        "{name}: pin {pin} {way} stands in no octet that is known.",
        "The pins of all ports stand side by side in an octet or a word; the master's manual says in which.",
        _bit_nowhere,
    ),
    Check(
        "IOL-108", "rail.master", "networks", "warning", "Device without data",
        "{name}: how many octets it gives and takes is not said.",
        "Its manual says it; a description file does too.", _no_data, "IEC 61131-9",
    ),
    Check(
        "IOL-109", "rail.master", "networks", "error", "Bits within a port's data",
        "{what} of the ports is said to stand in octet {octet}, where the data of {name} lies.",
        "One of the two is wrong by the manual.", _into_the_bits,
    ),
    Check(
        "IOL-110", "rail.master", "networks", "error", "More current than its port gives",
        "{name} draws {draws} mA, its port gives {gives} mA.",
        "The port shuts off, or the device starts and falls off again and again.", _too_much_current,
        "IEC 61131-9, 5.5",
    ),
    Check(
        "IOL-111", "rail.master", "networks", "error", "Pin 2 is a supply here",
        "{name}: pin 2 is used as an input, but the ports are of class B.",
        "On a port of class B pins 2 and 5 are a second supply: an input there reads it, or shorts it.",
        _pin_is_a_supply, "IEC 61131-9, 5.5.2",
    ),
)  # fmt: skip
