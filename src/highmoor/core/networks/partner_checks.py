"""Checks of what controllers exchange with one another (NET-120 … 122)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.networks.modbus.settings import ExchangeSettings
from highmoor.core.plant.rows import Connection, Controller, Exchange, Network, Port, Station

MODBUS = "modbus-tcp"


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
    """Registers of one controller that two exchanges write, whoever asks, or that one writes and it gives itself."""
    taken: list[tuple[int, int, int, Exchange, bool]] = []
    for station in reader.referring(Station, "partner", root):
        network: Network | None = reader.find(station.network)
        if network is None or network.kind != MODBUS:
            continue
        for connection in reader.children(Connection, station.id):
            for exchange in reader.children(Exchange, connection.id):
                settings = ExchangeSettings.of(exchange)
                area, first = settings.function.area, settings.address
                taken.append((area, first, first + settings.count, exchange, exchange.direction == "out"))
                if settings.write_count:
                    first = settings.write_address
                    taken.append((area, first, first + settings.write_count, exchange, True))
    name = reader.row(root, Controller).name
    for n, (area, first, end, exchange, writes) in enumerate(taken):
        for other_area, other_first, other_end, other, other_writes in taken[:n]:
            same = area == other_area and first < other_end and other_first < end
            # Two that read the same do each other no harm; one that reads back what it writes knows what it does.
            if same and (writes or other_writes) and exchange.id != other.id:
                yield finding(
                    "NET-122", (exchange.id, "settings.address"), other.id, partner=name, name=exchange.name,
                    other=other.name, first=max(first, other_first), last=min(end, other_end) - 1,
                )  # fmt: skip


CHECKS: tuple[Check, ...] = (
    Check(
        "NET-120", "network.addresses", "networks", "error", "Partner that is not there",
        "{name} stands for {partner} but has {address}; {partner} has {has}.",
        "Whoever is asked at an address that is not its own does not answer.",
        _wrong_address,
    ),
    Check(
        "NET-121", "network.addresses", "networks", "error", "A controller as its own partner",
        "{name} stands for {controller}, which is the controller of this network itself.",
        "What a controller knows already it need not ask itself.",
        _itself,
    ),
    Check(
        "NET-122", "controller.image", "networks", "error", "Two writers of one register",
        "{name} and {other} both use registers {first}–{last} of {partner}, and one writes; the later one wins.",
        "What stands there is a matter of chance: two transfers, or a transfer and the controller's own program.",
        _two_writers,
    ),
)  # fmt: skip
