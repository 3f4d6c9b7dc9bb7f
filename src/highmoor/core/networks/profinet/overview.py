"""What is seen of a PROFINET network: who is called how, where, how often asked, when its frames arrive at worst.

A frame waits at each who passes it on for one full frame at worst, is sent again there, and on some link meets each
other cyclic frame of its direction once. Source: IEC 61784-1; IEEE 802.3, 802.1Q.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.networks.lines import asked_lines
from highmoor.core.networks.profinet.settings import KIND, Direction, IoDevice, LineSettings, io_device
from highmoor.core.networks.profinet.timing import Sent, phases, streams
from highmoor.core.networks.rings import RECOVERY_MS, Ring
from highmoor.core.networks.topology import CableWay
from highmoor.core.networks.tree import LINK_MBIT_S, NetworkTree
from highmoor.core.plant.rows import Network


@dataclass(frozen=True, slots=True)
class PnFrame:
    """One direction of a station: octets of its data unit, of a frame on the wire, when that arrives at worst, ms.

    Of what that is made: its own time and that of all others on the controller's link (`together_ms`), itself sent
    again by each that passes it on (`again_ms`), a full frame in its way at each (`waits_ms`), cable and passing
    (`delay_ms`).
    """

    direction: Direction
    data_octets: int
    unit_octets: int
    wire_octets: int
    together_ms: float
    again_ms: float
    waits_ms: float
    delay_ms: float
    arrives_ms: float


@dataclass(frozen=True, slots=True)
class PnStation:
    """A station as its controller has it. `named` says that its name is set and does not follow from what it is called;
    `passed` is how many pass its frames on, `ring` the longest break it may meet, ms, None outside of rings."""

    station: str
    name: str
    named: bool
    address: str
    update_ms: float
    watchdog_ms: float
    ratio: int
    phase: int
    passed: int
    frames: tuple[PnFrame, ...]
    ring_ms: float | None


@dataclass(frozen=True, slots=True)
class PnLink:
    """A cable's share of cyclic frames, 0 to 1, in its fuller direction; by the station it leads to."""

    station: str
    share: float


@dataclass(frozen=True, slots=True)
class PnNetwork:
    """All of it. Send clock in ms; addresses as they are handed out, "" for the whole subnet."""

    clock_ms: float
    controller: str
    first: str
    last: str
    stations: tuple[PnStation, ...]
    links: tuple[PnLink, ...]
    latest_ms: float


def overview(reader: Reader, root: str) -> PnNetwork | None:
    """None for a network of another kind."""
    network = reader.row(root, Network)
    if network.kind != KIND:
        return None
    own, lines = LineSettings.of(network), asked_lines(reader, root)
    devices = [io_device(line) for line in lines]
    phase = phases(devices, own.clock)
    ways: dict[str, CableWay] = reader.part("network.ways", root)
    rings: tuple[Ring, ...] = reader.part("network.rings", root)
    ringed = {station for ring in rings if ring.opened for station in ring.stations}
    behind = {station for station in ways if set(ways[station].passed) & ringed} | ringed
    sent = streams(network, lines)
    whole = {way: sum(s.wire_ms for s in sent if s.direction == way) for way in ("in", "out")}
    stations = []
    for n, device in enumerate(devices):
        way = ways.get(device.id, CableWay((), 0.0))
        hops = len(way.passed)
        frames = tuple(
            _frame(device, one, whole[one.direction], way) for one in sent[2 * n : 2 * n + 2]
        )  # fmt: skip
        stations.append(
            PnStation(
                device.id, device.name, bool(device.own.name), device.address, device.real_update_ms(own.clock),
                device.watchdog_ms(own.clock), device.ratio(own.clock), phase[device.id], hops, frames,
                RECOVERY_MS if device.id in behind else None,
            )
        )  # fmt: skip
    latest = max((frame.arrives_ms for station in stations for frame in station.frames), default=0.0)
    tree: NetworkTree | None = reader.part("network.tree", root)
    return PnNetwork(
        own.clock_ms, own.name, own.first, own.last, tuple(stations), tuple(_links(tree)), latest
    )  # fmt: skip


def _frame(device: IoDevice, one: Sent, together_ms: float, way: CableWay) -> PnFrame:
    again = len(way.passed) * one.wire_ms
    return PnFrame(
        one.direction, device.octets(one.direction), device.unit_octets(one.direction), one.wire_octets, together_ms,
        again, way.waits_ms, way.delay_ms, together_ms + again + way.waits_ms + way.delay_ms,
    )  # fmt: skip


def _links(tree: NetworkTree | None) -> Iterator[PnLink]:
    for node in tree.nodes if tree else ():
        share = max(node.in_mbit_s, node.out_mbit_s) / LINK_MBIT_S
        if share:
            yield PnLink(node.station, share)


def _headlines(result: PnNetwork | None, reader: Reader, root: str) -> Sequence[Headline]:
    if result is None or not result.stations:
        return ()
    name = reader.row(root, Network).name
    return (Headline(root, "arrival", f"Latest arrival on {name}", result.latest_ms, "ms", None, "less"),)


PARTS: tuple[Part, ...] = (Part("profinet.network", "networks", overview, _headlines, shown=PnNetwork),)
