"""Checks of EtherCAT (NET-401 … 415)."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations
from typing import Any

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.catalogue.media import ETHERCAT
from highmoor.core.figures.ethercat import DATA_AT_MOST
from highmoor.core.networks.ethercat.requests import object_text, problem, request_of, write_problem
from highmoor.core.networks.ethercat.ruler import EthercatRuler, sync0_of
from highmoor.core.networks.ethercat.settings import KIND, LineSettings, Node, SlotModule, excluded, nodes_of, write_key
from highmoor.core.networks.ethercat.startup import Write, reference, writes_of
from highmoor.core.networks.line import Line
from highmoor.core.networks.lines import asked_lines
from highmoor.core.networks.on_demand_checks import Judged, comes_to_nothing
from highmoor.core.networks.parked import is_parked
from highmoor.core.networks.topology import Topology
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Exchange, Module, Network, Station

_FULL = 0.8


def name_of(reader: Reader, node: Node | SlotModule) -> str:
    """What people call it: a station by its name, a module by its designation or its type."""
    row: Any = reader.find(node.id)
    if isinstance(row, Station):
        return row.name
    device = reader.type(row.type) if isinstance(row, Module) else None
    return str(row.designation) or (device.name if device else "") if isinstance(row, Module) else node.id


def _load(low: float, high: float | None, code: str) -> Any:
    def found(result: EthercatRuler | None, reader: Reader, root: str) -> Iterator[Finding]:
        load = result.back_us / result.cycle_us if result else 0.0
        if result and low < load and (high is None or load <= high):
            yield finding(
                code, (root, "settings.cycle_ms"), name=reader.row(root, Network).name,
                takes=shown(result.back_us, 4), cycle=shown(result.cycle_us, 4), percent=shown(100 * load, 3),
            )  # fmt: skip

    return found


def _too_much(result: tuple[Node, ...], reader: Reader, root: str) -> Iterator[Finding]:
    for node in result:
        most = max(node.in_octets, node.out_octets)
        if most > DATA_AT_MOST:
            yield finding("NET-403", node.id, name=name_of(reader, node), octets=most, most=DATA_AT_MOST)


def _excluded(result: tuple[Node, ...], reader: Reader, root: str) -> Iterator[Finding]:
    for node in result:
        for one, other in combinations(node.own_pdos, 2):
            if excluded(one, other):
                # What can be left out is the place that is to be looked at.
                loose = one if other.mandatory else other
                yield finding(
                    "NET-404", (node.id, f"settings.pdos.{loose.idx:04X}"), name=name_of(reader, node),
                    one=f"{one.label} (16#{one.idx:04X})", other=f"{other.label} (16#{other.idx:04X})",
                )  # fmt: skip


def _unwritable(result: tuple[Node, ...], reader: Reader, root: str) -> Iterator[Finding]:
    for node in result:
        if not node.facts.dictionary:
            continue
        for own in node.own.writes:
            problem = write_problem(node, own.idx, own.sub, len(own.octets))
            if problem:
                yield finding(
                    "NET-405", (node.id, f"settings.writes.{write_key(own.idx, own.sub)}"), name=name_of(reader, node),
                    object=reference(own.idx, own.sub), problem=problem,
                )  # fmt: skip


def _twice(result: tuple[Node, ...], reader: Reader, root: str) -> Iterator[Finding]:
    for node in result:
        by_object: dict[tuple[str, int, int], Write] = {}
        for write in writes_of(node):
            key = write.transition, write.idx, write.sub
            before = by_object.get(key)
            if write.source == "own" and before is not None:
                where = f"settings.writes.{write_key(write.idx, write.sub)}"
                yield finding(
                    "NET-406", (node.id, where), name=name_of(reader, node),
                    object=reference(write.idx, write.sub), reason=before.reason,
                )  # fmt: skip
            by_object[key] = write


def _one_alias(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    seen: dict[int, str] = {}
    for line in asked_lines(reader, root):
        alias = next((node.own.alias for node in nodes_of(line)), None)
        if alias is None:
            continue
        if alias in seen:
            other = reader.row(seen[alias], Station).name
            yield finding(
                "NET-407", (line.station.id, "settings.alias"), seen[alias], one=line.station.name, other=other,
                alias=alias,
            )  # fmt: skip
        seen.setdefault(alias, line.station.id)


def _nodes(reader: Reader, root: str) -> Iterator[Node]:
    for line in asked_lines(reader, root):
        yield from nodes_of(line)


def _clock_off(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    own = LineSettings.of(reader.row(root, Network))
    for node in _nodes(reader, root) if not own.clocks else ():
        mode = node.clock
        if mode is not None and mode.on:
            yield finding("NET-408", node.id, (root, "settings.clocks"), name=name_of(reader, node), mode=mode.label)


def _no_reference(result: EthercatRuler | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and result.clocks and not any(node.reference for node in result.nodes):
        yield finding("NET-409", root, name=reader.row(root, Network).name)


def _does_not_divide(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    own = LineSettings.of(reader.row(root, Network))
    cycle_ns = round(own.cycle_ms * 1_000_000)
    for node in _nodes(reader, root):
        sync0 = sync0_of(node, own.cycle_ms)
        if sync0 is None or not sync0.every_ns or not cycle_ns:
            continue
        if sync0.every_ns % cycle_ns and cycle_ns % sync0.every_ns:
            yield finding(
                "NET-410", (node.id, "settings.sync0_ns"), (root, "settings.cycle_ms"), name=name_of(reader, node),
                sync0=shown(sync0.every_ns / 1000), cycle=shown(cycle_ns / 1000),
            )  # fmt: skip


def _does_not_follow(result: EthercatRuler | None, reader: Reader, root: str) -> Iterator[Finding]:
    for task in result.tasks if result and result.clocks else ():
        if not task.whole:
            yield finding(
                "NET-411", (task.task, "period_ms"), (root, "settings.cycle_ms"), task=task.name,
                period=shown(task.period_ms), cycle=shown(result.cycle_us / 1000) if result else "",
                network=reader.row(root, Network).name,
            )  # fmt: skip


def _no_data(result: tuple[Node, ...], reader: Reader, root: str) -> Iterator[Finding]:
    for node in result[:1]:
        unknown = node.device is not None and node.device.ethercat is None
        station = reader.row(node.station, Station)
        if unknown and not node.in_octets and not node.out_octets and not is_parked(station):
            where = [(x.id, "settings.octets") for x in reader.children(Exchange, root)]
            yield finding("NET-412", node.station, *where[:1], name=station.name)


def _few_sockets(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    laid: Topology = reader.part("network.topology", root)
    at = laid.cables_at()
    for cabled in laid.nodes:
        station = reader.row(cabled.station, Station)
        device = reader.type(station.type)
        sockets = device.sockets if device else None
        if sockets is not None and at[cabled.station] > sockets:
            last = next((n.station for n in reversed(laid.nodes) if n.upstream == cabled.station), "")
            yield finding(
                "NET-413", cabled.station, *([(last, "upstream")] if last else []), name=station.name,
                cables=at[cabled.station], sockets=sockets,
            )  # fmt: skip


def _too_long(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    most = ETHERCAT.cables[0].length_at_most_m
    laid: Topology = reader.part("network.topology", root)
    for cabled in laid.nodes:
        if cabled.length_m is not None and cabled.length_m > most:
            yield finding(
                "NET-414", (cabled.station, "settings.length_m"), name=reader.row(cabled.station, Station).name,
                length=shown(cabled.length_m), most=shown(most),
            )  # fmt: skip


def _judged(line: Line) -> Judged:
    request = request_of(line)
    return Judged(request, object_text(request), *problem(request))


CHECKS: tuple[Check, ...] = (
    Check(
        "NET-401", "ethercat.ruler", "networks", "error", "Frames longer than the cycle",
        "{name}: its frames are back after {takes} µs, {percent} % of a cycle of {cycle} µs.",
        "The next cycle begins before the last one is over; inputs are never of the cycle they seem to be of.",
        _load(1.0, None, "NET-401"),
    ),
    Check(
        "NET-402", "ethercat.ruler", "networks", "warning", "Little left of the cycle",
        "{name}: its frames are back after {takes} µs, {percent} % of a cycle of {cycle} µs.",
        "Service data and the tasks share what is left; above 80 % neither is certain to find room.",
        _load(_FULL, 1.0, "NET-402"),
    ),
    Check(
        "NET-403", "ethercat.nodes", "networks", "error", "More data than a datagram holds",
        "{name} has {octets} octets one way; a datagram holds {most}.",
        "A device's data is not split, so it cannot be exchanged at all.", _too_much, "ETG.1000.4, 5.4",
    ),
    Check(
        "NET-404", "ethercat.nodes", "networks", "error", "PDOs that exclude one another",
        "{name} is to send or take both {one} and {other}; its file excludes that.",
        "The device refuses the assignment and stays in Pre-Op.", _excluded, "ETG.2000, Exclude",
    ),
    Check(
        "NET-405", "ethercat.nodes", "networks", "error", "Start-up write that will be refused",
        "{name}: {object} cannot be written at the start: {problem}.",
        "The device answers with an abort and does not go on to Safe-Op.", _unwritable, "ETG.1000.6, 5.6.2",
    ),
    Check(
        "NET-406", "ethercat.nodes", "networks", "note", "Written twice at the start",
        "{name}: {object} is written by hand, and before that for {reason}.",
        "The last one counts. That may be meant; it is easily forgotten.", _twice,
    ),
    Check(
        "NET-407", "ethercat.ruler", "networks", "error", "Two devices with one alias",
        "{one} and {other} both have the alias {alias}.",
        "Whoever is looked for by it may be either of the two.", _one_alias, "ETG.1000.4, 6.1.2",
    ),
    Check(
        "NET-408", "ethercat.ruler", "networks", "error", "Clock needed and off",
        "{name} runs by a clock ({mode}), and the network's clocks are off.",
        "Without Sync0 the device refuses to go to Safe-Op (16#002D).", _clock_off, "ETG.1000.4, 9",
    ),
    Check(
        "NET-409", "ethercat.ruler", "networks", "error", "Nobody's clock can be followed",
        "{name}: clocks are on, but no device of it can be the reference.",
        "All clocks then run by themselves, and drift apart.", _no_reference, "ETG.1000.4, 9",
    ),
    Check(
        "NET-410", "ethercat.ruler", "networks", "error", "Sync0 does not fit the cycle",
        "{name}: Sync0 comes every {sync0} µs, the cycle every {cycle} µs; neither is a whole number of the other.",
        "The device works at another moment of each cycle, on data that is now old and now new.", _does_not_divide,
        "ETG.1000.4, 9",
    ),
    Check(
        "NET-411", "ethercat.ruler", "networks", "warning", "Task that does not follow the cycle",
        "{task} runs every {period} ms, {network} every {cycle} ms; that is no whole number of cycles.",
        "How old its inputs are changes from run to run, which axes feel as vibration.", _does_not_follow,
    ),
    Check(
        "NET-412", "ethercat.nodes", "networks", "warning", "Device that exchanges nothing",
        "{name} has no description file, and nobody has said how many octets it exchanges.",
        "It is passed and not used.", _no_data,
    ),
    Check(
        "NET-413", "ethercat.ruler", "networks", "error", "More cables than sockets",
        "{name} takes {cables} cables and has {sockets} sockets.",
        "One of the cables can be plugged in nowhere.", _few_sockets,
    ),
    Check(
        "NET-414", "ethercat.ruler", "networks", "error", "Cable too long",
        "{length} m of cable lead to {name}; {most} m are the most.",
        "Beyond that frames are damaged now and then, and nobody knows where.", _too_long, "ISO/IEC 11801-1, 8",
    ),
    Check(
        "NET-415", "connection.facts", "networks", "error", "Request that comes to nothing",
        "A request {does} {object} of {station}: {problem}.",
        "The device answers with an abort, or the answer is thrown away; the program waits for something in vain.",
        comes_to_nothing("NET-415", KIND, _judged), "ETG.1000.6, 5.6.2",
    ),
)  # fmt: skip
