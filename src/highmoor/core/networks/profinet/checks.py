"""Checks of PROFINET (NET-601 … 616)."""

from __future__ import annotations

from collections.abc import Iterator
from ipaddress import IPv4Address
from typing import Any

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.catalogue.profinet import US_AN_INTERVAL
from highmoor.core.figures.profinet import DATA_UNIT_MOST, name_problem
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.networks.addressing import ipv4_of
from highmoor.core.networks.lines import connection_line, kind_at
from highmoor.core.networks.profinet.overview import PnNetwork, PnStation
from highmoor.core.networks.profinet.settings import (
    DIRECTIONS,
    KIND,
    WATCHDOG_AT_MOST_MS,
    IoDevice,
    LineSettings,
    io_device,
)
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Connection, Network, Station

# The share of a link that cyclic frames may have: up to the first without a thought, above the second too much.
LOOK_ABOVE, TOO_MUCH_ABOVE = 0.2, 0.5
_SHOWN = 40


def _cut(name: str) -> str:
    return name if len(name) <= _SHOWN else f"{name[:_SHOWN]}…"


def _called(reader: Reader, own: PnStation) -> str:
    return reader.row(own.station, Station).name


def _bad_name(result: PnNetwork | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result is None:
        return
    problem = name_problem(result.controller)
    if problem:
        yield finding(
            "NET-601", (root, "settings.controller_name"), whose="the controller", name=_cut(result.controller),
            problem=problem,
        )  # fmt: skip
    for own in result.stations:
        problem = name_problem(own.name)
        if problem:
            yield finding(
                "NET-601", (own.station, "settings.device_name"), whose=_called(reader, own), name=_cut(own.name),
                problem=problem,
            )  # fmt: skip


def _one_name(result: PnNetwork | None, reader: Reader, root: str) -> Iterator[Finding]:
    seen: dict[str, tuple[str, str]] = {result.controller: (root, "the controller")} if result else {}
    for own in result.stations if result else ():
        if own.name in seen:
            place, other = seen[own.name]
            yield finding(
                "NET-602", (own.station, "settings.device_name"), place, name=_cut(own.name), one=_called(reader, own),
                other=other,
            )  # fmt: skip
        seen.setdefault(own.name, (own.station, _called(reader, own)))


def _own(reader: Reader, root: str) -> tuple[IoDevice, LineSettings] | None:
    """The station of a connection with its network's settings; None for another kind, and for what is switched off."""
    line = connection_line(reader, reader.row(root, Connection))
    if line is None or line.parked or kind_at(reader, root) != KIND:
        return None
    return io_device(line), LineSettings.of(reader.row(line.station.network, Network))


def _update_time(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    told = _own(reader, root)
    if told is None or told[1].clock not in told[0].clocks:
        return
    device, own = told
    wanted = device.update_ms(own.clock)
    possible = device.windows(own.clock)
    if wanted not in possible:
        why = (
            f"it bears no less than {shown(device.least_ms)} ms" if wanted < device.least_ms
            else "an update time is the send clock times a power of two that its file lists"
        )  # fmt: skip
        yield finding(
            "NET-603", (device.id, "settings.update_ms"), name=device.called, update=shown(wanted), why=why
        )  # fmt: skip


def _clock(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    told = _own(reader, root)
    if told is not None and told[1].clock not in told[0].clocks:
        device, own = told
        network = reader.value(device.id, Station, "network")
        known = ", ".join(shown(clock * US_AN_INTERVAL / 1000) for clock in device.clocks[:6])
        yield finding(
            "NET-604", (network, "settings.clock"), device.id, name=device.called, clock=shown(own.clock_ms),
            known=known,
        )  # fmt: skip


def _watchdog_long(result: PnNetwork | None, reader: Reader, root: str) -> Iterator[Finding]:
    for own in result.stations if result else ():
        if own.watchdog_ms > WATCHDOG_AT_MOST_MS:
            yield finding(
                "NET-605", (own.station, "settings.watchdog"), name=_called(reader, own),
                watchdog=shown(own.watchdog_ms), most=shown(WATCHDOG_AT_MOST_MS),
            )  # fmt: skip


def _watchdog_one(result: PnNetwork | None, reader: Reader, root: str) -> Iterator[Finding]:
    for own in result.stations if result else ():
        if own.watchdog_ms < 3 * own.update_ms:
            yield finding(
                "NET-606", (own.station, "settings.watchdog"), name=_called(reader, own),
                count=round(own.watchdog_ms / own.update_ms),
            )  # fmt: skip


def _too_much_data(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    told = _own(reader, root)
    if told is None:
        return
    device, facts = told[0], told[0].facts
    limits = {"in": facts.in_octets if facts else None, "out": facts.out_octets if facts else None}
    units = {way: device.unit_octets(way) for way in DIRECTIONS}
    row = next((sub.row for sub in reversed(device.submodules) if sub.row), device.id)
    for way in DIRECTIONS:
        own = limits[way]
        most = DATA_UNIT_MOST if own is None else min(own, DATA_UNIT_MOST)
        if units[way] > most:
            whose = "its file allows" if own is not None and own < DATA_UNIT_MOST else "one frame holds"
            yield finding("NET-607", row, name=device.called, octets=units[way], way=way, whose=whose, most=most)
            return
    both = facts.both_octets if facts else None
    if both is not None and sum(units.values()) > both:
        yield finding(
            "NET-607", row, name=device.called, octets=sum(units.values()), way="both ways", whose="its file allows",
            most=both,
        )  # fmt: skip


def _late(result: PnNetwork | None, reader: Reader, root: str) -> Iterator[Finding]:
    for own in result.stations if result else ():
        arrives = max(frame.arrives_ms for frame in own.frames)
        if arrives > own.update_ms:
            yield finding(
                "NET-608", (own.station, "settings.update_ms"), name=_called(reader, own), arrives=shown(arrives, 3),
                update=shown(own.update_ms), passed=own.passed,
            )  # fmt: skip


def _full(result: PnNetwork | None, reader: Reader, root: str) -> Iterator[Finding]:
    for link in result.links if result else ():
        if link.share > TOO_MUCH_ABOVE:
            yield finding(
                "NET-609", link.station, name=reader.row(link.station, Station).name, percent=shown(100 * link.share, 3)
            )


def _filling(result: PnNetwork | None, reader: Reader, root: str) -> Iterator[Finding]:
    for link in result.links if result else ():
        if LOOK_ABOVE < link.share <= TOO_MUCH_ABOVE:
            yield finding(
                "NET-610", link.station, name=reader.row(link.station, Station).name, percent=shown(100 * link.share, 3)
            )


def _ring(result: PnNetwork | None, reader: Reader, root: str) -> Iterator[Finding]:
    for own in result.stations if result else ():
        if own.ring_ms is not None and own.watchdog_ms <= own.ring_ms:
            yield finding(
                "NET-611", (own.station, "settings.watchdog"), name=_called(reader, own),
                watchdog=shown(own.watchdog_ms), recovery=shown(own.ring_ms),
            )  # fmt: skip


def _outside_range(result: PnNetwork | None, reader: Reader, root: str) -> Iterator[Finding]:
    first, last = (ipv4_of(text) for text in (result.first, result.last)) if result else (None, None)
    for own in result.stations if result else ():
        address = ipv4_of(own.address)
        if address and ((first and address < first) or (last and address > last)):
            assert result is not None
            yield finding(
                "NET-612", (own.station, "address"), (root, "settings.first"), name=_called(reader, own),
                address=own.address, first=result.first or "the first", last=result.last or "the last",
            )  # fmt: skip


def _empty_range(result: PnNetwork | None, reader: Reader, root: str) -> Iterator[Finding]:
    first, last = (ipv4_of(text) for text in (result.first, result.last)) if result else (None, None)
    if result and first and last and IPv4Address(last) < IPv4Address(first):
        yield finding("NET-613", (root, "settings.last"), first=result.first, last=result.last)


def _no_class_1(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    told = _own(reader, root)
    interface = told[0].facts.interface if told and told[0].facts else None
    if told and interface and "RT_CLASS_1" not in interface.classes:
        yield finding("NET-614", told[0].id, name=told[0].called, classes=", ".join(interface.classes))


def _no_identity(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    told = _own(reader, root)
    if told and told[0].facts is None and not (told[0].vendor_id and told[0].device_id):
        field = "vendor" if not told[0].vendor_id else "device"
        yield finding("NET-615", (told[0].id, f"settings.{field}"), name=told[0].called)


def _no_controller(result: PnNetwork | None, reader: Reader, root: str) -> Iterator[Finding]:
    owner = controller_of_port(reader.find, reader.find(reader.row(root, Network).port))
    device = reader.type(owner.type) if owner else None
    if result and result.stations and device and device.controller and not device.controller.profinet_stations:
        yield finding("NET-616", (root, "port"), name=reader.row(root, Network).name, controller=device.name)


_NETWORK, _CONNECTION = "profinet.network", "connection.facts"
CHECKS: tuple[Check, ...] = (
    Check(
        "NET-601", _NETWORK, "networks", "error", "Name that is none",
        "{whose} is called “{name}”: {problem}.",
        "The controller looks for a device by this name; one that is no name is refused by the device.", _bad_name,
        "IEC 61158-6-10, 4.3.1.4.15",
    ),
    Check(
        "NET-602", _NETWORK, "networks", "error", "One name, two devices",
        "{one} is called “{name}”, and so is {other}.",
        "The controller finds two of them and connects to neither.", _one_name, "IEC 61158-6-10, 4.3",
    ),
    Check(
        "NET-603", _CONNECTION, "networks", "error", "Update time the device does not have",
        "{name} is to be updated every {update} ms: {why}.",
        "It refuses the connection.", _update_time, "IEC 61158-6-10, 4.7",
    ),
    Check(
        "NET-604", _CONNECTION, "networks", "error", "Send clock the device does not have",
        "The send clock is {clock} ms; {name} has {known} ms.",
        "It refuses the connection. One send clock holds for the whole network.", _clock, "IEC 61158-6-10, 4.12",
    ),
    Check(
        "NET-605", _NETWORK, "networks", "error", "Watchdog too long",
        "The watchdog of {name} would be {watchdog} ms; {most} ms is the most.",
        "The device refuses the connection.", _watchdog_long, "IEC 61158-6-10, 5.2",
    ),
    Check(
        "NET-606", _NETWORK, "networks", "warning", "Watchdog that bears no lost frame",
        "The watchdog of {name} is {count} update times; three are usual.",
        "A single disturbed frame drops the station.", _watchdog_one,
    ),
    Check(
        "NET-607", _CONNECTION, "networks", "error", "More data than a frame holds",
        "{name} has {octets} octets {way}, with their status; {whose} {most}.",
        "Every submodule adds its data, an octet of its provider's status and one of its consumer's.", _too_much_data,
        "IEC 61158-6-10, 4.7",
    ),
    Check(
        "NET-608", _NETWORK, "networks", "error", "Arrives later than it is sent again",
        "Frames of {name} arrive up to {arrives} ms late, through {passed} that pass them on; its update time is "
        "{update} ms.",
        "The next is under way before the last is there: the watchdog may come in between.", _late,
        "IEEE 802.3; IEEE 802.1Q",
    ),
    Check(
        "NET-609", _NETWORK, "networks", "error", "Too many cyclic frames on a cable",
        "Cyclic frames take {percent} % of the cable to {name}; above 50 % is too much.",
        "What is not cyclic, alarms and connecting among it, no longer gets through in time.", _full, "IEC 61784-1",
    ),
    Check(
        "NET-610", _NETWORK, "networks", "note", "Many cyclic frames on a cable",
        "Cyclic frames take {percent} % of the cable to {name}; up to 20 % is easy.",
        "There is room for what is there, and little for what comes.", _filling, "IEC 61784-1",
    ),
    Check(
        "NET-611", _NETWORK, "networks", "warning", "Watchdog shorter than a ring recovers",
        "The watchdog of {name} is {watchdog} ms; a broken ring carries again after up to {recovery} ms.",
        "Every break of the ring drops the station, though the ring would have carried on.", _ring, "IEC 62439-2",
    ),
    Check(
        "NET-612", _NETWORK, "networks", "warning", "Address outside of the range",
        "{name} has {address}; addresses are handed out from {first} to {last}.",
        "Somebody else may hand it out as well.", _outside_range,
    ),
    Check(
        "NET-613", _NETWORK, "networks", "error", "Range that ends before it begins",
        "Addresses are handed out from {first} to {last}: there is none.",
        "New stations get no address.", _empty_range,
    ),
    Check(
        "NET-614", _CONNECTION, "networks", "error", "Device without RT class 1",
        "{name} runs {classes} alone.",
        "Isochronous real time is not configured here.", _no_class_1, "IEC 61784-2",
    ),
    Check(
        "NET-615", _CONNECTION, "networks", "error", "Device without an identity",
        "Nobody has said vendor and device id of {name}.",
        "The device refuses a connection that names another one.", _no_identity, "IEC 61158-6-10, 4.3",
    ),
    Check(
        "NET-616", _NETWORK, "networks", "error", "No controller of PROFINET",
        "{name} is on a port of {controller}, which is no controller of PROFINET.",
        "Nobody connects to its stations.", _no_controller,
    ),
)  # fmt: skip
