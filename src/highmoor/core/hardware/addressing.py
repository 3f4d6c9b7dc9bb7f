"""Checks of a controller's own addresses (HW-2xx). Source: RFC 950, RFC 1122 3.3.1, RFC 3927."""

from __future__ import annotations

from collections.abc import Iterator
from ipaddress import AddressValueError, IPv4Address

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.errors import Refusal
from highmoor.core.hardware.ethernet import (
    host_in_network_problem,
    interface,
    parse_address,
    parse_mask,
)
from highmoor.core.hardware.parts import ControllerPorts
from highmoor.core.hardware.ports import port_spec, ports_of
from highmoor.core.plant.rows import Network, Port


def _bad_entry(result: ControllerPorts, reader: Reader, root: str) -> Iterator[Finding]:
    for port in ports_of(reader, root):
        for field, read in (("address", parse_address), ("mask", parse_mask), ("gateway", parse_address)):
            value = getattr(port, field)
            try:
                if value:
                    read(value)
            except Refusal as refusal:
                yield finding("HW-201", (port.id, field), problem=refusal.reason.rstrip("."))


def _missing(result: ControllerPorts, reader: Reader, root: str) -> Iterator[Finding]:
    for port in ports_of(reader, root):
        used = reader.referring(Network, "port", port.id)
        if used and port.method == "static" and not port.address and _is_ethernet(reader, port):
            yield finding("HW-202", (port.id, "address"), port=port.key, network=used[0].name)


def _is_ethernet(reader: Reader, port: Port) -> bool:
    spec = port_spec(reader.find, reader.type, port)
    return spec is None or spec.on.has_ip


def _in_subnet(result: ControllerPorts, reader: Reader, root: str) -> Iterator[Finding]:
    for port in ports_of(reader, root):
        own = interface(port.address, port.mask)
        problem = host_in_network_problem(own.ip, own.network) if own else ""
        if problem:
            yield finding("HW-203", (port.id, "address"), problem=problem)


def _gateway(result: ControllerPorts, reader: Reader, root: str) -> Iterator[Finding]:
    for port in ports_of(reader, root):
        own = interface(port.address, port.mask)
        if own is None or not port.gateway:
            continue
        try:
            gateway = IPv4Address(port.gateway)
        except AddressValueError:
            continue
        problem = host_in_network_problem(gateway, own.network)
        if gateway == own.ip:
            problem = f"{gateway} is the port itself"
        if problem:
            yield finding("HW-204", (port.id, "gateway"), port=port.key, problem=problem)


def _overlap(result: ControllerPorts, reader: Reader, root: str) -> Iterator[Finding]:
    ports = [(port, own) for port in ports_of(reader, root) if (own := interface(port.address, port.mask))]
    for n, (port, own) in enumerate(ports):
        for other, others in ports[:n]:
            if own.network.overlaps(others.network):
                yield finding(
                    "HW-205", (port.id, "address"), other.id, port=port.key, one=str(own.network),
                    with_=other.key, other=str(others.network),
                )  # fmt: skip


def _assigned(result: ControllerPorts, reader: Reader, root: str) -> Iterator[Finding]:
    for port in ports_of(reader, root):
        if port.method != "static":
            yield finding("HW-206", (port.id, "method"), port=port.key, method=port.method.upper())


def _link_local(result: ControllerPorts, reader: Reader, root: str) -> Iterator[Finding]:
    for port in ports_of(reader, root):
        own = interface(port.address, port.mask)
        if own is not None and own.ip.is_link_local:
            yield finding("HW-207", (port.id, "address"), port=port.key, address=port.address)


CHECKS: tuple[Check, ...] = (
    Check(
        "HW-201", "controller.ports", "hardware", "error", "Address entry that cannot be",
        "{problem}.", "The controller would refuse it.", _bad_entry, "RFC 791, RFC 950",
    ),
    Check(
        "HW-202", "controller.ports", "hardware", "error", "Port without an address",
        "Port {port} carries {network} but has no address.",
        "Without an address of its own the controller can ask nobody there.", _missing,
    ),
    Check(
        "HW-203", "controller.ports", "hardware", "error", "No host's address",
        "{problem}.", "No host can have the address of a network or of everybody in it.", _in_subnet,
        "RFC 1122, 3.2.1.3",
    ),
    Check(
        "HW-204", "controller.ports", "hardware", "error", "Gateway that cannot be reached",
        "Gateway of port {port}: {problem}.",
        "A gateway must be another host of the port's own subnet.", _gateway, "RFC 1122, 3.3.1",
    ),
    Check(
        "HW-205", "controller.ports", "hardware", "error", "Two ports in overlapping subnets",
        "Port {port} in {one} and port {with_} in {other} overlap.",
        "The controller cannot tell by which port to reach a host that lies in both.", _overlap, "RFC 1122, 3.3.1",
    ),
    Check(
        "HW-206", "controller.ports", "hardware", "warning", "Address that may change",
        "Port {port} gets its address by {method}.",
        "After a restart it may be another one, and devices that expect the old one stay silent.", _assigned,
        "RFC 2131",
    ),
    Check(
        "HW-207", "controller.ports", "hardware", "warning", "Link-local address",
        "Port {port} has {address}, from the range hosts give themselves when nobody answers.",
        "Such an address is meant to be temporary and may change.", _link_local, "RFC 3927",
    ),
)  # fmt: skip
