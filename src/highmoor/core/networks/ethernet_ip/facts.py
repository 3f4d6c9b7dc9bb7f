"""What follows from a connection of EtherNet/IP: its request, its packets, its time-outs."""

from __future__ import annotations

from highmoor.core.errors import Refusal
from highmoor.core.figures.cip import packet, spelled
from highmoor.core.networks.ethernet_ip.paths import application_path, key_segment
from highmoor.core.networks.ethernet_ip.requests import SERVICES, path_problem, request_of
from highmoor.core.networks.ethernet_ip.settings import Agreement, Way, agreement
from highmoor.core.networks.fieldbus import Fact
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import is_request
from highmoor.core.numbers import shown

OPEN = "Forward_Open, service 54"
LARGE_OPEN = "Large_Forward_Open, service 5B"


def facts(line: Line) -> tuple[Fact, ...]:
    """Lines to be read beside a connection, as the standard's own octets and figures."""
    if is_request(line.connection):
        return _request(line)
    told = agreement(line)
    key = spelled(key_segment(told.identity))
    return (
        Fact("Opened with", LARGE_OPEN if is_large(told) else OPEN, told.application),
        *_way_there(told),
        Fact("Identity asked for", key or "none", "electronic key"),
        Fact("Path", spelled(application_path(told)), "config, O→T, T→O" + (", data" if told.configuration else "")),
        *(_sizes(told, way) for way in told.ways),
    )


def _way_there(told: Agreement) -> tuple[Fact, ...]:
    if not told.route:
        return ()
    octets = spelled(b"".join(hop.encode() for hop in told.route))
    return (Fact("By way of", octets, "port/link address " + ", ".join(str(hop) for hop in told.route)),)


def is_large(told: Agreement) -> bool:
    """Whether one of both sizes passes what the ordinary request can say."""
    return any(size is not None and size > 511 for size in (connection_size(told.out), connection_size(told.into)))


def connection_size(way: Way) -> int | None:
    """The size in the connection request; None where one frame does not hold it."""
    try:
        return packet(way.octets, run_idle_header=way.header).connection_size
    except Refusal:
        return None


def _sizes(told: Agreement, way: Way) -> Fact:
    size = connection_size(way)
    header = " + 4 header" if way.header else ""
    # A heartbeat is the sequence count alone.
    made = f"size {size} = {way.octets} data + 2 count{header}" if size is not None else "more than one frame holds"
    who = "device" if way.direction == "out" else "controller"
    waits = f"the {who} gives up after {shown(told.timeout_ms(way))} ms"
    sent = "multicast" if way.transfer == "multicast" else "to one"
    return Fact("O→T" if way.direction == "out" else "T→O", made, f"{sent}; {waits}")


def _request(line: Line) -> tuple[Fact, ...]:
    request = request_of(line)
    problem = path_problem(request)
    octets = "" if problem else spelled(request.path)
    return (
        Fact("Service", f"{request.service:02X}", SERVICES.get(request.service, "by its number")),
        Fact("Path", problem or octets, "class, instance, attribute"),
        Fact("Gives up after", f"{shown(request.timeout_ms)} ms", "unconnected, TCP port 44818"),
    )
