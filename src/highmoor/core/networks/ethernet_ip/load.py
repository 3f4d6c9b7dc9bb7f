"""What a scanner has to do: packets a second of all its EtherNet/IP networks against what its type can."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.hardware.ports import ports_of
from highmoor.core.networks.line_time import Timing
from highmoor.core.plant.rows import Controller, Network

KIND = "ethernet-ip"
# From this share of its packets on, a scanner has little left for what comes up.
_TIGHT = 0.8


@dataclass(frozen=True, slots=True)
class StationPackets:
    """A station's share, both directions."""

    station: str
    name: str
    packets_per_s: float


@dataclass(frozen=True, slots=True)
class ScannerLoad:
    """All packets a second of a controller, by station, the most first; `limit` is what it can, and it is `tight` when
    little of that is left."""

    packets_per_s: float
    limit: int
    stations: tuple[StationPackets, ...]
    tight: bool
    over: bool


def _load(reader: Reader, root: str) -> ScannerLoad | None:
    """None for a controller that is no scanner."""
    device = reader.type(reader.row(root, Controller).type)
    limit = device.controller.cip_packets_per_s if device and device.controller else 0
    if not limit:
        return None
    shares = []
    for port in ports_of(reader, root):
        for network in reader.referring(Network, "port", port.id):
            if network.kind == KIND:
                timing: Timing = reader.part("network.timing", network.id)
                shares += [StationPackets(lane.id, lane.label, lane.packets_per_s or 0) for lane in timing.lanes]
    shares.sort(key=lambda share: -share.packets_per_s)
    rate = sum(share.packets_per_s for share in shares)
    return ScannerLoad(rate, limit, tuple(shares), rate > _TIGHT * limit, rate > limit)


def _headlines(result: ScannerLoad | None, reader: Reader, root: str) -> Iterator[Headline]:
    if result and result.stations:
        name = reader.row(root, Controller).name
        yield Headline(root, "packets", f"Packets a second of {name}", result.packets_per_s, "/s", result.limit, "less")


PARTS: tuple[Part, ...] = (Part("controller.packets", "controllers", _load, _headlines, shown=ScannerLoad),)
