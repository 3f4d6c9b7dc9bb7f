"""Checks of PROFIBUS DP (NET-501 … 523)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.figures.profibus_cycle import OCTETS_AT_MOST
from highmoor.core.hardware.ports import port_spec
from highmoor.core.networks.line import Line
from highmoor.core.networks.lines import asked_lines, connection_line, kind_at
from highmoor.core.networks.on_demand import is_request
from highmoor.core.networks.on_demand_checks import Judged, comes_to_nothing
from highmoor.core.networks.profibus_dp.bus import rate_text
from highmoor.core.networks.profibus_dp.requests import problem, record_text, request_of
from highmoor.core.networks.profibus_dp.settings import (
    DELIVERY_ADDRESS,
    KIND,
    PRM_HEAD_OCTETS,
    PRM_OCTETS_AT_MOST,
    DpStation,
    dp_station,
)
from highmoor.core.networks.profibus_dp.strip import DpLine
from highmoor.core.networks.profibus_dp.wiring import (
    APART_AT_LEAST_M,
    ON_A_SEGMENT,
    REPEATERS_IN_A_ROW,
    STUB_RATE,
    STUBS_AT_MOST_M,
    OnSegment,
    Segment,
)
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Connection, Network, Port, Station

# A watchdog should outlast so many cycles, or a single disturbance drops the station.
CYCLES_IN_A_WATCHDOG = 3


def _where(node: OnSegment, root: str) -> tuple[str, str]:
    return (node.row or root, node.setting)


def _name(node: OnSegment) -> str:
    return node.name or "the port"


def _between(segment: Segment) -> str:
    return f"from {_name(segment.nodes[0])} to {_name(segment.nodes[-1])}"


def _too_long(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    for segment in result.segments if result else ():
        if result and segment.length_m > segment.at_most_m:
            # The longest of its cables is the place that is to be looked at.
            last = segment.nodes[-1]
            yield finding(
                "NET-501", (last.row or root, "settings.length_m"), (root, "settings.baud"),
                between=_between(segment), length=shown(segment.length_m), most=shown(segment.at_most_m),
                rate=rate_text(result.baud),
            )  # fmt: skip


def _too_many(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    for segment in result.segments if result else ():
        if len(segment.nodes) > ON_A_SEGMENT:
            beyond = segment.nodes[ON_A_SEGMENT]
            yield finding("NET-502", beyond.row or root, between=_between(segment), count=len(segment.nodes))


def _alone(segment: Segment) -> bool:
    """A port with nothing behind it, or a repeater with nothing: no segment yet."""
    return len(segment.nodes) < 2


def _unterminated(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    for segment in result.segments if result else ():
        for node in segment.nodes if not _alone(segment) else ():
            if node.at_end and not node.terminated:
                yield finding("NET-503", _where(node, root), between=_between(segment), name=_name(node))


def _terminated_inside(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    for segment in result.segments if result else ():
        for node in segment.nodes:
            if node.terminated and not node.at_end:
                yield finding("NET-504", _where(node, root), between=_between(segment), name=_name(node))


def _stubs(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result is None or result.baud < STUB_RATE:
        return
    most = STUBS_AT_MOST_M if result.baud == STUB_RATE else 0.0
    for segment in result.segments:
        if segment.stubs_m > most:
            longest = max(segment.nodes, key=lambda node: node.stub_m)
            yield finding(
                "NET-505", (longest.row or root, "settings.stub_m"), between=_between(segment),
                stubs=shown(segment.stubs_m), most=shown(most) if most else "0", rate=rate_text(result.baud),
            )  # fmt: skip


def _too_near(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result is None or result.baud < STUB_RATE:
        return
    for segment in result.segments:
        for one, other in zip(segment.nodes, segment.nodes[1:], strict=False):
            # 0 m stands for a length that nobody has said yet.
            apart = other.at_m - one.at_m
            if 0 < apart < APART_AT_LEAST_M:
                yield finding(
                    "NET-506", (other.row, "settings.length_m"), one=_name(one), other=_name(other), apart=shown(apart),
                    rate=rate_text(result.baud),
                )  # fmt: skip


def _repeaters(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and len(result.segments) > REPEATERS_IN_A_ROW + 1:
        tenth = result.segments[REPEATERS_IN_A_ROW].nodes[-1]
        yield finding("NET-507", tenth.row, count=len(result.segments) - 1, most=REPEATERS_IN_A_ROW)


def _own(reader: Reader, root: str) -> DpStation | None:
    """The station of a connection that is asked in every cycle; None for any other, and for what is switched off."""
    line = connection_line(reader, reader.row(root, Connection))
    if line is None or line.parked or is_request(line.connection) or kind_at(reader, root) != KIND:
        return None
    return dp_station(line)


def _too_much_data(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    station = _own(reader, root)
    if station is None:
        return
    limits = station.device.limits if station.device else None
    told = (
        (station.in_octets, limits.in_octets if limits else None, "in"),
        (station.out_octets, limits.out_octets if limits else None, "out"),
    )
    for octets, own, way in told:
        most = min(own if own is not None else OCTETS_AT_MOST, OCTETS_AT_MOST)
        if octets > most:
            whose = "its file allows" if own is not None and own < OCTETS_AT_MOST else "one telegram holds"
            yield finding(
                "NET-508", _last_module(station), name=station.name, octets=f"{octets} octets {way}", whose=whose,
                most=most,
            )  # fmt: skip
            return
    whole = limits.data_octets if limits else None
    if whole is not None and station.in_octets + station.out_octets > whole:
        yield finding(
            "NET-508", _last_module(station), name=station.name,
            octets=f"{station.in_octets + station.out_octets} octets both ways", whose="its file allows", most=whole,
        )  # fmt: skip


def _last_module(station: DpStation) -> str:
    """What is to be taken out first; the station where its identifiers are typed."""
    return next((module.id for module in reversed(station.modules) if module.id), station.id)


def _too_many_parameters(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    station = _own(reader, root)
    if station is None:
        return
    limits = station.device.limits if station.device else None
    most = PRM_OCTETS_AT_MOST - PRM_HEAD_OCTETS
    own = limits.parameter_octets if limits else None
    whose = "its file allows" if own is not None and own < most else "one telegram holds"
    most = min(own, most) if own is not None else most
    if len(station.user_prm) > most:
        yield finding(
            "NET-509", _last_module(station), name=station.name, octets=len(station.user_prm), whose=whose, most=most
        )


def _nothing(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    station = _own(reader, root)
    if station is not None and not station.in_octets and not station.out_octets:
        described = station.device is not None and bool(station.device.modules)
        why = "no module is plugged behind it" if described else "nobody has said its identifiers"
        yield finding(
            "NET-510", (station.id, "" if described else "settings.identifiers"), name=station.name, why=why
        )  # fmt: skip


def _no_ident(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    station = _own(reader, root)
    if station is not None and not station.ident:
        yield finding("NET-511", (station.id, "settings.ident"), name=station.name)


def _rate(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    for own in result.stations if result else ():
        device = reader.type(reader.value(own.station, Station, "type"))
        can = device.limits.baud_rates if device else ()
        if result and can and result.baud not in can:
            known = ", ".join(rate_text(rate) for rate in sorted(can)[-3:])
            yield finding(
                "NET-512", own.station, (root, "settings.baud"), name=reader.row(own.station, Station).name,
                rate=rate_text(result.baud), known=known,
            )  # fmt: skip


def _watchdog_short(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    for own in result.stations if result else ():
        if result and 0 < own.watchdog_ms <= result.round_ms:
            yield finding(
                "NET-513", (own.station, "settings.watchdog_ms"), name=reader.row(own.station, Station).name,
                watchdog=shown(own.watchdog_ms), rotation=shown(result.round_ms, 3),
            )  # fmt: skip


def _watchdog_near(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    for own in result.stations if result else ():
        if result and result.round_ms < own.watchdog_ms < CYCLES_IN_A_WATCHDOG * result.worst_ms:
            yield finding(
                "NET-514", (own.station, "settings.watchdog_ms"), name=reader.row(own.station, Station).name,
                watchdog=shown(own.watchdog_ms), cycle=shown(result.worst_ms, 3), count=CYCLES_IN_A_WATCHDOG,
            )  # fmt: skip


def _watchdog_off(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    for own in result.stations if result else ():
        if not own.watchdog_ms and own.out_octets:
            yield finding("NET-515", (own.station, "settings.watchdog_ms"), name=reader.row(own.station, Station).name)


def _rotation_short(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and result.rotation_ms < result.bits_ms:
        yield finding(
            "NET-517", (root, "settings.bus.rotation"), name=reader.row(root, Network).name,
            rotation=shown(result.rotation_ms, 3), cycle=shown(result.bits_ms, 3),
        )  # fmt: skip


def _slot_short(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    slot = next((p.value for p in result.parameters if p.key == "slot"), 0) if result else 0
    if result and slot < result.slot_needed:
        yield finding(
            "NET-518", (root, "settings.bus.slot"), name=reader.row(root, Network).name, slot=slot,
            needed=result.slot_needed,
        )  # fmt: skip


def _cannot(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    station = _own(reader, root)
    if station is None or station.device is None or not station.device.modules:
        return
    for wanted, fact, key, words in (
        (station.own.sync, "sync_mode_supp", "sync", "sync its outputs"),
        (station.own.freeze, "freeze_mode_supp", "freeze", "freeze its inputs"),
    ):  # fmt: skip
        if wanted and station.fact(fact) != 1:
            yield finding("NET-519", (station.id, f"settings.{key}"), name=station.name, what=words)


def _master_full(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    port: Port | None = reader.find(reader.row(root, Network).port)
    spec = port_spec(reader.find, reader.type, port)
    if result is None or spec is None:
        return
    sums = (sum(own.in_octets for own in result.stations), sum(own.out_octets for own in result.stations))
    if spec.stations is not None and len(result.stations) > spec.stations:
        yield _full(reader, root, f"{len(result.stations)} stations", f"{spec.stations}")
    for octets, way in zip(sums, ("in", "out"), strict=True):
        if spec.octets is not None and octets > spec.octets:
            yield _full(reader, root, f"{octets} octets {way}", f"{spec.octets}")
            return


def _full(reader: Reader, root: str, has: str, most: str) -> Finding:
    return finding("NET-520", (root, "port"), name=reader.row(root, Network).name, has=has, most=most)


def _judged(line: Line) -> Judged:
    request = request_of(line)
    return Judged(request, record_text(request), *problem(request))


def _delivery(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    for line in asked_lines(reader, root):
        if line.station.address == str(DELIVERY_ADDRESS) and not is_request(line.connection):
            yield finding("NET-522", (line.station.id, "address"), name=line.station.name)


def _cycle_wanted(result: DpLine | None, reader: Reader, root: str) -> Iterator[Finding]:
    network = reader.row(root, Network)
    wanted = network.settings.get("cycle_ms")
    if result and isinstance(wanted, int | float) and 0 < wanted < max(result.bits_ms, result.interval_ms):
        least = max(result.bits_ms, result.interval_ms)
        yield finding(
            "NET-516", (root, "settings.cycle_ms"), name=network.name, wanted=shown(wanted), cycle=shown(least, 3)
        )


_LINE, _CONNECTION = "profibus.line", "connection.facts"
CHECKS: tuple[Check, ...] = (
    Check(
        "NET-501", _LINE, "networks", "error", "Segment too long for the rate",
        "The segment {between} is {length} m long; at {rate} it may be {most} m.",
        "Telegrams are damaged, the more the longer it is, and stations drop out now and then.", _too_long,
        "IEC 61158-2, 22",
    ),
    Check(
        "NET-502", _LINE, "networks", "error", "Too many on a segment",
        "{count} hang on the segment {between}, repeaters counted; 32 may.",
        "A driver cannot hold the levels for more; the farthest are heard badly.", _too_many, "IEC 61158-2, 22",
    ),
    Check(
        "NET-503", _LINE, "networks", "error", "Terminator missing",
        "The segment {between} is not terminated at {name}.",
        "What reaches an open end comes back and spoils what is sent, the more the higher the rate.", _unterminated,
        "IEC 61158-2, 22",
    ),
    Check(
        "NET-504", _LINE, "networks", "error", "Terminator in the middle",
        "{name} has a terminator and is not an end of the segment {between}.",
        "A third resistor takes the levels down; and many plugs cut off what is behind a terminator.",
        _terminated_inside, "IEC 61158-2, 22",
    ),
    Check(
        "NET-505", _LINE, "networks", "error", "Stubs too long",
        "Stubs on the segment {between} are {stubs} m together; at {rate} {most} m may be.",
        "A stub is an open end of its own.", _stubs, "IEC 61784-5-3",
    ),
    Check(
        "NET-506", _LINE, "networks", "warning", "Stations too near to one another",
        "Between {one} and {other} lie {apart} m of cable; at {rate} it should be 1 m.",
        "Their plugs side by side reflect as one big one.", _too_near, "IEC 61784-5-3",
    ),
    Check(
        "NET-507", _LINE, "networks", "error", "Too many repeaters in a row",
        "{count} repeaters stand between the port and the last station; {most} may.",
        "Each shifts the edges of what it passes on a little.", _repeaters, "IEC 61158-2, 22",
    ),
    Check(
        "NET-508", _CONNECTION, "networks", "error", "More data than a station has",
        "{name} exchanges {octets}; {whose} {most}.",
        "The station refuses its configuration and exchanges nothing.", _too_much_data, "IEC 61158-6-3, Cfg_Data",
    ),
    Check(
        "NET-509", _CONNECTION, "networks", "error", "More parameters than fit",
        "{name} gets {octets} octets of parameters; {whose} {most}.",
        "The station reports a parameter fault.", _too_many_parameters, "IEC 61158-6-3, Set_Prm",
    ),
    Check(
        "NET-510", _CONNECTION, "networks", "warning", "Station that exchanges nothing",
        "{name} exchanges nothing: {why}.",
        "It is asked in every cycle all the same.", _nothing,
    ),
    Check(
        "NET-511", _CONNECTION, "networks", "error", "Ident number missing",
        "{name} has no description file, and nobody has said its ident number.",
        "The station compares it with its own and reports a parameter fault.", _no_ident, "IEC 61158-6-3, Set_Prm",
    ),
    Check(
        "NET-512", _LINE, "networks", "error", "Rate that a station has not",
        "{name} cannot {rate}; the highest of its file are {known}.",
        "It never finds the rate, and never answers.", _rate,
    ),
    Check(
        "NET-513", _LINE, "networks", "error", "Watchdog shorter than a rotation",
        "The watchdog of {name} ends after {watchdog} ms, and the token may take {rotation} ms to come round.",
        "The station leaves its master although nothing is wrong.", _watchdog_short, "IEC 61158-6-3, Set_Prm",
    ),
    Check(
        "NET-514", _LINE, "networks", "warning", "Watchdog near the cycle",
        "The watchdog of {name} ends after {watchdog} ms, less than {count} cycles of {cycle} ms.",
        "Two disturbed telegrams in a row then drop the station.", _watchdog_near,
    ),
    Check(
        "NET-515", _LINE, "networks", "warning", "Watchdog off",
        "{name} has outputs and no watchdog.",
        "When its master or the cable fails, its outputs stay as they are.", _watchdog_off, "IEC 61158-6-3, Set_Prm",
    ),
    Check(
        "NET-517", _LINE, "networks", "error", "Target rotation time too short",
        "{name}: the target rotation time is {rotation} ms, a cycle takes up to {cycle} ms.",
        "The master counts every rotation as late and leaves out what can wait: diagnoses, requests, the gap.",
        _rotation_short, "IEC 61158-4-3, 5.1",
    ),
    Check(
        "NET-518", _LINE, "networks", "error", "Slot time too short",
        "{name}: the slot time is {slot} bit; the line with its repeaters, and the slowest answer, need {needed}.",
        "The master asks again while the answer is still under way.", _slot_short, "IEC 61158-4-3, 5.1",
    ),
    Check(
        "NET-519", _CONNECTION, "networks", "error", "Asked for what it cannot",
        "{name} is to {what}; its file says that it cannot.",
        "It reports “not supported” and exchanges nothing.", _cannot, "IEC 61158-6-3, Set_Prm",
    ),
    Check(
        "NET-520", _LINE, "networks", "error", "More than the master can",
        "{name} has {has}; its master can {most}.",
        "The master refuses what is beyond.", _master_full,
    ),
    Check(
        "NET-521", _CONNECTION, "networks", "error", "Request that comes to nothing",
        "A request {does} {object} of {station}: {problem}.",
        "The station answers with an error or not at all; the program waits for something in vain.",
        comes_to_nothing("NET-521", KIND, _judged),
        "IEC 61158-6-3, DP-V1",
    ),
    Check(
        "NET-522", _LINE, "networks", "error", "Address of delivery",
        "{name} is at 126, where every new device is.",
        "At 126 nobody exchanges data: it is there to be given an address.", _delivery, "IEC 61158-6-3, Set_Slave_Add",
    ),
    Check(
        "NET-516", _LINE, "networks", "warning", "Cycle longer than wanted",
        "{name} is to be asked every {wanted} ms; at worst a cycle takes {cycle} ms.",
        "It then goes as often as it can.", _cycle_wanted,
    ),
)  # fmt: skip
