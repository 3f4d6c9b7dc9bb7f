"""Checks of EtherNet/IP connections (NET-301 … 318)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.figures.cip import HEADER_OCTETS, PACKET_OVERHEAD_OCTETS, TIMEOUT_AT_LEAST_MS
from highmoor.core.networks.ethernet_ip.facts import connection_size, is_large
from highmoor.core.networks.ethernet_ip.load import ScannerLoad
from highmoor.core.networks.ethernet_ip.settings import Agreement, Way
from highmoor.core.networks.line import Line
from highmoor.core.networks.line_time import Timing
from highmoor.core.networks.tree import NetworkTree
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Connection, Controller, Exchange, Network, Station

_TERMS = {"in": "T→O", "out": "O→T"}
_FULL_FRAME_OCTETS = 1538


def cyclic(reader: Reader, root: str) -> tuple[Line, Agreement] | None:
    """A connection that exchanges cyclically, with what is agreed; None for a request on demand."""
    found: tuple[Line, Agreement] | None = reader.part("connection.agreed", root)
    return found


def _ways(reader: Reader, root: str) -> Iterator[tuple[Line, Agreement, Way, str]]:
    """Each direction that has a row, with that row's name."""
    found = cyclic(reader, root)
    for way in found[1].ways if found else ():
        if found and way.exchange:
            yield *found, way, reader.row(way.exchange, Exchange).name


def _one_missing(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    found = cyclic(reader, root)
    for way in found[1].ways if found else ():
        if found and not way.exchange:
            yield finding("NET-301", root, station=found[0].station.name, term=_TERMS[way.direction])


def _no_point(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    for line, _told, way, name in _ways(reader, root):
        if way.point is None:
            yield finding(
                "NET-302", (way.exchange, "settings.point"),
                name=name, station=line.station.name, term=_TERMS[way.direction],
            )  # fmt: skip


def _wrong_size(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    for line, _told, way, name in _ways(reader, root):
        span = way.offered.octets if way.offered and not way.heartbeat else None
        if span is None or span.maximum is None or (span.minimum or 0) <= way.octets <= span.maximum:
            continue
        off = way.octets - (span.default if span.default is not None else span.maximum)
        allowed = str(span.maximum) if span.minimum == span.maximum else f"{span.minimum or 0}–{span.maximum}"
        yield finding(
            "NET-303", (way.exchange, "settings.octets"), name=name, station=line.station.name,
            octets=way.octets, allowed=allowed, term=_TERMS[way.direction], likely=_likely(off),
        )  # fmt: skip


def _likely(off: int) -> str:
    """What a difference of just so many octets usually is."""
    told = {
        HEADER_OCTETS: "; that is 4 too many, and the run/idle header is not part of the data",
        2: "; that is 2 too many, and the sequence count is not part of the data",
        HEADER_OCTETS + 2: "; that is 6 too many, and neither header nor sequence count is part of the data",
    }
    return told.get(off, "")


def _wrong_header(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    for line, _told, way, name in _ways(reader, root):
        offered = way.offered
        if offered is None or way.heartbeat or offered.format not in ("header-32", "modeless"):
            continue
        wanted = offered.format == "header-32"
        if way.header != wanted:
            yield finding(
                "NET-304", (way.exchange, "settings.header"), name=name, station=line.station.name,
                term=_TERMS[way.direction], has="with" if way.header else "without", wants="with" if wanted
                else "without",
            )  # fmt: skip


def _wrong_interval(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    for line, _told, way, name in _ways(reader, root):
        span = way.offered.interval_us if way.offered else None
        low, high = (span.minimum, span.maximum) if span else (None, None)
        if low is None and line.device:
            low = line.device.limits.min_interval_us
        asked = way.rpi_ms * 1000
        beyond = (low is not None and asked < low - 1e-6) or (high is not None and asked > high + 1e-6)
        if beyond:
            texts = [shown(us / 1000) if us is not None else "" for us in (low, high)]
            allowed = (
                texts[0] if texts[0] == texts[1] else f"{texts[0] or 0}–{texts[1]}" if texts[1] else f"≥ {texts[0]}"
            )
            yield finding(
                "NET-305", (way.exchange, "settings.rpi_ms"), name=name, station=line.station.name,
                interval=shown(way.rpi_ms), allowed=allowed,
            )  # fmt: skip


def _too_long(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    for _line, _told, way, name in _ways(reader, root):
        if connection_size(way) is None:
            most = _FULL_FRAME_OCTETS - PACKET_OVERHEAD_OCTETS - (HEADER_OCTETS if way.header else 0)
            yield finding("NET-306", (way.exchange, "settings.octets"), name=name, octets=way.octets, most=most)


def _large(wanted: str, code: str) -> Any:
    def found(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
        told = cyclic(reader, root)
        if told and is_large(told[1]) and told[0].station.settings.get("large", "unknown") == wanted:
            size = max(connection_size(way) or 0 for way in told[1].ways)
            yield finding(code, (told[0].station.id, "settings.large"), root, station=told[0].station.name, size=size)

    return found


def _several(reader: Reader, station: Station) -> list[tuple[Line, Agreement]]:
    """A station's cyclic connections where there is more than one; most have one, and 256 of them are not worth it."""
    return _cyclic_of(reader, station) if len(reader.children(Connection, station.id)) > 1 else []


def _cyclic_of(reader: Reader, station: Station) -> list[tuple[Line, Agreement]]:
    found = (cyclic(reader, connection.id) for connection in reader.children(Connection, station.id))
    return [told for told in found if told and not told[0].parked]


def _two_owners(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    for station in reader.children(Station, root):
        owners: dict[int, str] = {}
        for line, told in _several(reader, station):
            if told.application != "exclusive owner" or told.out.point is None:
                continue
            if told.out.point in owners:
                yield finding(
                    "NET-309", line.connection.id, owners[told.out.point], station=station.name, point=told.out.point
                )
            owners.setdefault(told.out.point, line.connection.id)


def _nobody_to_listen_to(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    found = cyclic(reader, root)
    if found is None or found[1].application != "listen only":
        return
    line, told = found
    others = [
        other for at, other in _cyclic_of(reader, line.station)
        if at.connection.id != root and other.application != "listen only"
        and other.into.point == told.into.point and other.into.transfer == "multicast"
    ]  # fmt: skip
    if not others:
        point = "its point" if told.into.point is None else f"point {told.into.point}"
        yield finding("NET-310", root, station=line.station.name, point=point)


def _listens_alone(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    found = cyclic(reader, root)
    if found and found[1].application == "listen only" and found[1].into.transfer != "multicast":
        place = (found[1].into.exchange or root, "settings.transfer")
        yield finding("NET-311", place, station=found[0].station.name)


def _device_connections(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    for station in reader.children(Station, root):
        device = reader.type(station.type)
        limit = device.limits.cyclic_connections if device else None
        opened = [line.connection.id for line, _told in _several(reader, station)] if limit is not None else []
        if limit is not None and len(opened) > limit:
            yield finding(
                "NET-312", station.id, opened[limit], station=station.name, opened=len(opened), limit=limit
            )  # fmt: skip


def _device_packets(result: Timing, reader: Reader, root: str) -> Iterator[Finding]:
    for lane in result.lanes:
        device = reader.type(reader.row(lane.id, Station).type)
        bears = device.limits.packets_per_s if device else None
        # Where the file does not say what it bears, a busy lane is a full link, which is another finding.
        if bears and lane.packets_per_s and lane.packets_per_s > bears:
            yield finding(
                "NET-313", lane.id, station=lane.label, packets=shown(lane.packets_per_s, 5), limit=bears
            )  # fmt: skip


def _scanner(code: str, low: float, high: float) -> Any:
    def found(result: ScannerLoad | None, reader: Reader, root: str) -> Iterator[Finding]:
        if result and low < result.packets_per_s / result.limit <= high:
            yield finding(
                code, root, name=reader.row(root, Controller).name, packets=shown(result.packets_per_s, 6),
                limit=result.limit, first=result.stations[0].name,
            )  # fmt: skip

    return found


def _short_timeout(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    found = cyclic(reader, root)
    if found is None:
        return
    line, told = found
    shortest = min(told.timeout_ms(way) for way in told.ways)
    if shortest < float(TIMEOUT_AT_LEAST_MS):
        yield finding(
            "NET-316", (root, "settings.multiplier"), station=line.station.name, timeout=shown(shortest),
            least=shown(TIMEOUT_AT_LEAST_MS),
        )  # fmt: skip


def _configuration_size(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    found = cyclic(reader, root)
    config = found[1].choice.configuration if found and found[1].choice else None
    if found is None or config is None or config.octets.maximum is None:
        return
    line, told = found
    size, low, high = len(told.configuration), config.octets.minimum or 0, config.octets.maximum
    if not low <= size <= high:
        yield finding(
            "NET-317", (root, "settings.config_data"), station=line.station.name, octets=size,
            allowed=str(high) if low == high else f"{low}–{high}",
        )  # fmt: skip


def _unknown_choice(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    found = cyclic(reader, root)
    wanted = found[0].connection.settings.get("choice") if found else None
    if found and found[1].choice and isinstance(wanted, str) and found[1].choice.key != wanted:
        yield finding(
            "NET-318", (root, "settings.choice"), station=found[0].station.name, wanted=wanted[:60],
            first=found[1].choice.label,
        )  # fmt: skip


def _flooded(result: NetworkTree | None, reader: Reader, root: str) -> Iterator[Finding]:
    """Multicast of others that comes to a device which has no use for it, more than it is built for."""
    if result is None:
        return
    for node in result.nodes:
        station = reader.row(node.station, Station)
        device = reader.type(station.type)
        bears = device.limits.packets_per_s if device else None
        too_much = node.packets_s + node.flood_packets_s > bears if bears else node.flood_packets_s > _FLOOD_PACKETS_S
        if node.flood_packets_s and too_much and not node.switch:
            yield finding(
                "NET-319", root, node.station, network=reader.row(root, Network).name, station=station.name,
                packets=shown(node.flood_packets_s, 5),
            )  # fmt: skip
            return


# A device of the field is built for the few hundred packets a second that are meant for it.
_FLOOD_PACKETS_S = 500

CHECKS: tuple[Check, ...] = (
    Check(
        "NET-301", "connection.facts", "networks", "error", "One direction missing",
        "{station}: the connection has no exchange {term}.",
        "A connection is opened for both directions; even one without data has its heartbeat.",
        _one_missing, "CIP volume 1, 3-5.4",
    ),
    Check(
        "NET-302", "connection.facts", "networks", "error", "Connection point missing",
        "{name}: nobody has said yet which point of {station} is meant ({term}).",
        "The device is asked for data by the number of its assembly; it is in the manual, or in its description file.",
        _no_point, "CIP volume 1, 3-5.4.1.10",
    ),
    Check(
        "NET-303", "connection.facts", "networks", "error", "Size the device does not have",
        "{name}: {octets} octets {term}; {station} has {allowed}{likely}.",
        "Both ends must agree on the size: otherwise the device refuses with 01/0127 or 01/0128, wrong size.",
        _wrong_size, "CIP volume 1, 3-5.6",
    ),
    Check(
        "NET-304", "connection.facts", "networks", "error", "Header counted at one end only",
        "{name} is sent {has} the 4-octet header; {station} wants it {wants} ({term}).",
        "The size in the request is off by 4, and the device refuses it as a wrong size.",
        _wrong_header, "CIP volume 1, 3-6.1",
    ),
    Check(
        "NET-305", "connection.facts", "networks", "error", "Interval the device cannot keep",
        "{name} asks for a packet every {interval} ms; {station} takes {allowed} ms.",
        "The device refuses the connection with 01/0111, or sends at its own interval.",
        _wrong_interval, "CIP volume 1, 3-5.6",
    ),
    Check(
        "NET-306", "connection.facts", "networks", "error", "More than one frame holds",
        "{name}: {octets} octets of data; one frame holds {most}.",
        "A class 1 packet is one Ethernet frame and is never split.",
        _too_long, "CIP volume 2, 3-2",
    ),
    Check(
        "NET-307", "connection.facts", "networks", "error", "Large connection the device does not take",
        "{station} takes no large connections, and a size of {size} passes 511.",
        "The ordinary request has 9 bits for the size; the device answers the large one with 08, service not there.",
        _large("no", "NET-307"), "CIP volume 1, 3-5.4.2",
    ),
    Check(
        "NET-308", "connection.facts", "networks", "warning", "Large connection: does the device take it?",
        "A size of {size} passes 511, and nobody has said whether {station} takes large connections.",
        "Not every device knows the large request; its manual names it, service 5B.",
        _large("unknown", "NET-308"), "CIP volume 1, 3-5.4.2",
    ),
    Check(
        "NET-309", "network.timing", "networks", "error", "Two owners of one output",
        "Two connections own point {point} of {station}; the second is refused.",
        "Outputs have one owner: the device answers 01/0106, ownership conflict.",
        _two_owners, "CIP volume 1, 3-6.5",
    ),
    Check(
        "NET-310", "connection.facts", "networks", "error", "Nobody to listen to",
        "{station}: no other connection is sent {point} by multicast, so there is nothing to listen to.",
        "A listener opens nothing by itself and dies with the connection it listens to; the device answers 01/0119.",
        _nobody_to_listen_to, "CIP volume 1, 3-6.5.3",
    ),
    Check(
        "NET-311", "connection.facts", "networks", "error", "A listener needs multicast",
        "{station}: listen only is asked to be sent to this controller alone.",
        "What is sent to one cannot be listened to by another; the device answers 01/0124.",
        _listens_alone, "CIP volume 1, 3-6.5.3",
    ),
    Check(
        "NET-312", "network.timing", "networks", "error", "More connections than the device can take",
        "{station} would hold {opened} cyclic connections; {limit} are the most.",
        "The last is refused with 01/0113, and which one is the last changes with every start.",
        _device_connections, "CIP volume 1, 7-3.6.14",
    ),
    Check(
        "NET-313", "network.timing", "networks", "error", "More packets than the device can take",
        "{station} would have to handle {packets} packets a second; {limit} is its limit.",
        "Packets are lost or late, and the connection times out now and then.",
        _device_packets, "CIP volume 1, 7-3.6.14",
    ),
    Check(
        "NET-314", "controller.packets", "networks", "error", "More packets than the controller can take",
        "{name} would have to handle {packets} packets a second; {limit} is its limit. "
        "{first} accounts for most of them.",
        "Packets are lost or late, and connections time out now and then.",
        _scanner("NET-314", 1, float("inf")),
    ),
    Check(
        "NET-315", "controller.packets", "networks", "warning", "Little room for more packets",
        "{name} handles {packets} of its {limit} packets a second. {first} accounts for most of them.",
        "Requests on demand and reopened connections need room as well; 20 % is the usual reserve.",
        _scanner("NET-315", 0.8, 1),
    ),
    Check(
        "NET-316", "connection.facts", "networks", "warning", "One late packet breaks the connection",
        "{station} counts as lost after {timeout} ms without a packet; {least} ms are usual at least.",
        "A switch that learns anew is silent for longer, and everything stops for nothing.",
        _short_timeout, "CIP volume 1, 3-4.5.2",
    ),
    Check(
        "NET-317", "connection.facts", "networks", "error", "Wrong size of the configuration data",
        "{station} is sent {octets} octets of configuration data; its file wants {allowed}.",
        "The device refuses the connection with 01/0126.",
        _configuration_size, "CIP volume 1, 3-5.6",
    ),
    Check(
        "NET-318", "connection.facts", "networks", "error", "Connection the file does not have",
        "{station}: its file has no connection {wanted}; {first} is taken instead.",
        "The type was changed, or the plant comes from elsewhere. Choose what is meant.",
        _unknown_choice,
    ),
    Check(
        "NET-319", "network.tree", "networks", "warning", "Multicast floods the network",
        "{network}: {packets} multicast packets a second come to {station}, which has no use for them.",
        "A switch that does not snoop sends them out of every socket; a device must look at all, and may be too slow.",
        _flooded, "RFC 4541",
    ),
)  # fmt: skip
