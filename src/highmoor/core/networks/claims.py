"""Who uses which data of one device: two that write the same, from one controller or from two.

Networks of one fieldbus whose ports lie in one subnet are taken to be one wire.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from ipaddress import IPv4Network

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.hardware.ethernet import interface
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.fieldbus import Claim
from highmoor.core.networks.lines import station_lines
from highmoor.core.plant.rows import Network, Port, Station


@dataclass(frozen=True, slots=True)
class Clash:
    """Two claims to the same data, at least one of which writes; `words` is what both use."""

    later: Claim
    earlier: Claim

    @property
    def words(self) -> str:
        """As the trade writes it: "registers 100–103", "point O→T 150"."""
        first, last = max(self.later.first, self.earlier.first), min(self.later.end, self.earlier.end) - 1
        return f"{self.later.space} {first}" + (f"–{last}" if last > first else "")


def claims_of(reader: Reader, station: Station) -> list[Claim]:
    """Everything that is used of the device a station stands for."""
    network: Network | None = reader.find(station.network)
    bus = fieldbus_of(network.kind) if network else None
    if bus is None:
        return []
    return [claim for line in station_lines(reader, station) if not line.parked for claim in bus.claims(line)]


def clashes(claims: Iterable[Claim]) -> Iterator[Clash]:
    """Every pair that uses the same data while one of them writes; within one exchange it is meant."""
    seen: dict[str, list[Claim]] = {}
    for claim in claims:
        for other in seen.setdefault(claim.space, []):
            overlap = claim.first < other.end and other.first < claim.end
            together = claim.together and other.together
            if overlap and (claim.writes or other.writes) and not together and claim.exchange != other.exchange:
                yield Clash(claim, other)
        seen[claim.space].append(claim)


@dataclass(frozen=True, slots=True)
class SharedAddresses:
    """Stations that have the address of one on a network made before, over the same wire: (own, other)."""

    pairs: tuple[tuple[str, str], ...]


def _shared(reader: Reader, root: str) -> SharedAddresses:
    network = reader.row(root, Network)
    own = _subnet(reader, network)
    pairs: list[tuple[str, str]] = []
    for other in sorted(reader.all(Network), key=_age) if own else ():
        if other.id == root:
            break
        net = _subnet(reader, other) if other.kind == network.kind else None
        if net is not None and own is not None and net.overlaps(own):
            there = {s.address: s.id for s in reader.children(Station, other.id) if s.address and not s.partner}
            here = (s for s in reader.children(Station, root) if s.address in there and not s.partner)
            pairs += [(station.id, there[station.address]) for station in here]
    return SharedAddresses(tuple(pairs))


def _age(network: Network) -> tuple[int, str]:
    """Ids are counted upwards."""
    return len(network.id), network.id


def _subnet(reader: Reader, network: Network) -> IPv4Network | None:
    """The subnet of a network's port; None for what has no such address."""
    port: Port | None = reader.find(network.port)
    net = interface(port.address, port.mask) if port else None
    return net.network if net else None


PARTS: tuple[Part, ...] = (Part("network.shared", "networks", _shared),)
