"""Checks of what controllers tell one another (NET-120 … 122), and of devices that two reach (NET-116, 117)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.networks.claims import SharedAddresses, claims_of, clashes
from highmoor.core.networks.fieldbus import Claim
from highmoor.core.plant.rows import Controller, Exchange, Network, Port, Station


def _wrong_address(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    for station in reader.children(Station, root):
        partner: Controller | None = reader.find(station.partner)
        if partner is None:
            continue
        has = [port.address for port in reader.children(Port, partner.id) if port.address]
        if station.address not in has:
            yield finding(
                "NET-120", (station.id, "address"), partner.id, name=station.name, partner=partner.name,
                address=station.address or "no address", has=" and ".join(has) or "none",
            )  # fmt: skip


def _itself(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    network = reader.row(root, Network)
    own = controller_of_port(reader.find, reader.find(network.port))
    for station in reader.children(Station, root):
        if own and station.partner == own.id:
            yield finding("NET-121", (station.id, "partner"), name=station.name, controller=own.name)


def _two_writers(_: Any, reader: Reader, root: str) -> Iterator[Finding]:
    """Data of one controller that two exchanges write, whoever asks, or that one writes and it gives itself."""
    by_kind: dict[str, list[Claim]] = {}
    for station in reader.referring(Station, "partner", root):
        network: Network | None = reader.find(station.network)
        if network is not None:
            by_kind.setdefault(network.kind, []).extend(claims_of(reader, station))
    name = reader.row(root, Controller).name
    for claims in by_kind.values():
        for clash in clashes(claims):
            later, earlier = (reader.row(c.exchange, Exchange) for c in (clash.later, clash.earlier))
            yield finding(
                "NET-122", (later.id, clash.later.field), earlier.id, partner=name, name=later.name,
                other=earlier.name, words=clash.words,
            )  # fmt: skip


def _two_devices(result: SharedAddresses, reader: Reader, root: str) -> Iterator[Finding]:
    for own, other in result.pairs:
        station, elsewhere = reader.row(own, Station), reader.row(other, Station)
        if not _same_device(station, elsewhere):
            yield finding(
                "NET-116", (own, "address"), other, address=station.address, one=station.name, other=elsewhere.name,
                network=reader.row(elsewhere.network, Network).name,
            )  # fmt: skip


def _same_device(one: Station, other: Station) -> bool:
    """Whether two stations of one address may be meant as the same device: anybody's type is no other device."""
    return one.type == other.type or one.type.startswith("generic.") or other.type.startswith("generic.")


def _two_controllers(result: SharedAddresses, reader: Reader, root: str) -> Iterator[Finding]:
    for own, other in result.pairs:
        station, elsewhere = reader.row(own, Station), reader.row(other, Station)
        theirs = claims_of(reader, elsewhere) if _same_device(station, elsewhere) else []
        there = {claim.exchange for claim in theirs}
        for clash in clashes([*theirs, *claims_of(reader, station)]):
            if (clash.earlier.exchange in there) != (clash.later.exchange in there):
                yield finding(
                    "NET-117", (clash.later.exchange, clash.later.field), clash.earlier.exchange,
                    station=station.name, words=clash.words, name=reader.row(clash.later.exchange, Exchange).name,
                    other=reader.row(clash.earlier.exchange, Exchange).name,
                    network=reader.row(elsewhere.network, Network).name,
                )  # fmt: skip


CHECKS: tuple[Check, ...] = (
    Check(
        "NET-120", "network.addresses", "networks", "error", "Partner that is not there",
        "{name} stands for {partner} but has {address}; {partner} has {has}.",
        "Nobody answers at an address that is not theirs.",
        _wrong_address,
    ),
    Check(
        "NET-121", "network.addresses", "networks", "error", "A controller as its own partner",
        "{name} stands for {controller}, which is the controller of this network itself.",
        "A controller need not ask itself over the network for what it already has.",
        _itself,
    ),
    Check(
        "NET-122", "controller.image", "networks", "error", "Two writers of the same data of a controller",
        "{name} and {other} both use {words} of {partner}, and one writes; the later one wins.",
        "What stands there is a matter of chance: two transfers, or a transfer and the controller's own program.",
        _two_writers,
    ),
    Check(
        "NET-116", "network.shared", "networks", "warning", "One address, two devices, two controllers",
        "{one} has {address}, and so has {other} on {network}, which another controller reaches by the same subnet.",
        "Where both networks are one wire, which of the two devices answers is a matter of chance.",
        _two_devices, "RFC 5227",
    ),
    Check(
        "NET-117", "network.shared", "networks", "error", "Two controllers write to one device",
        "{name} and {other} of {network} both use {words} of {station}, and one writes.",
        "Two owners of one output: the device refuses the second one, or the later one wins.",
        _two_controllers, "CIP volume 1, 3-6.4",
    ),
)  # fmt: skip
