"""Whether an adapter grants a connection, and if not, with which status: in the order a device looks at a request.

Source: CIP volume 1, 3-5.6 (extended status of a connection request), C-1.4 (segments).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from highmoor.core.errors import HighmoorError
from highmoor.core.figures.cip import HEADER_OCTETS, SEQUENCE_OCTETS
from highmoor.core.networks.ethernet_ip.adapter_facts import AdapterFacts, AdapterPoint
from highmoor.core.networks.ethernet_ip.messages import CLASS_1_CYCLIC, OpenRequest
from highmoor.core.networks.ethernet_ip.paths import ASSEMBLY_CLASS, COMPATIBLE_BIT, ReadPath, read_path
from highmoor.core.networks.ethernet_ip.routes import Hop

_CONNECTION = 0x01


class Refused(HighmoorError):
    """A request that cannot be granted: general status and, for 01, the extended one."""

    def __init__(self, status: int, extended: int | None = None, *more: int, remaining_words: int = 0) -> None:
        super().__init__(f"{status:02X}")
        self.status = status
        self.words = () if extended is None else (extended, *more)
        self.remaining_words = remaining_words


@dataclass(frozen=True, slots=True)
class Granted:
    """A connection as it is held: what was asked, both its points."""

    request: OpenRequest
    out: AdapterPoint
    into: AdapterPoint

    @property
    def listens(self) -> bool:
        return self.out.role == "listen only"


def granted(
    facts: AdapterFacts, now: Sequence[Granted], request: OpenRequest, *, configured: bool
) -> tuple[Granted, bytes]:
    """The connection beside those that are open `now`, and the configuration data that came with it.

    `configured` says whether the device has been configured before. Raises Refused.
    """
    where = read_path(request.path)
    if where is None:
        raise Refused(_CONNECTION, 0x0315)
    arrived(facts, where.hops, (len(request.path) - sum(len(hop.encode()) for hop in where.hops)) // 2)
    _identified(facts, where)
    if request.trigger & 0x0F != CLASS_1_CYCLIC:
        raise Refused(_CONNECTION, 0x0103)
    _possible(facts, request)
    out, into = _points(facts, where)
    wanted = Granted(request, out, into)
    _sized(facts, wanted)
    configuration = _configuration(facts, where, out, configured=configured)
    _owned(now, wanted)
    _room(facts, now, wanted)
    _paced(facts, request)
    return wanted, configuration


def heard_by_others(now: Sequence[Granted], into: AdapterPoint) -> bool:
    """Whether somebody who is no listener has a point's data sent to all."""
    return any(
        held.into.point == into.point and not held.listens and held.request.into.transfer == "multicast" for held in now
    )


def arrived(facts: AdapterFacts, hops: Sequence[Hop], behind_words: int = 0) -> None:
    """Every hop leads out of a port that is there, to where this device stands. Raises Refused, which says how many
    words of the path were left, with the `behind_words` that follow the hops."""
    for n, hop in enumerate(hops):
        left = sum(len(h.encode()) for h in hops[n:]) // 2 + behind_words
        if hop.port != facts.backplane:
            raise Refused(_CONNECTION, 0x0311, remaining_words=left)
        if hop.address != str(facts.slot):
            raise Refused(_CONNECTION, 0x0312, remaining_words=left)


def _identified(facts: AdapterFacts, where: ReadPath) -> None:
    if where.key is None:
        return
    vendor, device_type, product, major_byte, minor = where.key
    own_major, _, own_minor = facts.revision.partition(".")
    if (vendor and vendor != facts.vendor) or (product and product != facts.product):
        raise Refused(_CONNECTION, 0x0114)
    if device_type and device_type != facts.device_type:
        raise Refused(_CONNECTION, 0x0115)
    major, revision = major_byte & ~COMPATIBLE_BIT, (int(own_major or 0), int(own_minor or 0))
    if not major:
        return
    compatible = major_byte & COMPATIBLE_BIT
    if revision[0] != major or (revision[1] < minor if compatible else minor not in (0, revision[1])):
        raise Refused(_CONNECTION, 0x0116)


def _possible(facts: AdapterFacts, request: OpenRequest) -> None:
    reserved = "reserved" in (request.out.transfer, request.into.transfer)
    if reserved or not request.multiplier or (request.redundant and not facts.redundant_owners):
        raise Refused(_CONNECTION, 0x0108)


def _points(facts: AdapterFacts, where: ReadPath) -> tuple[AdapterPoint, AdapterPoint]:
    if where.class_id != ASSEMBLY_CLASS or len(where.points) != 2:
        raise Refused(_CONNECTION, 0x0315)
    out, into = (
        next((p for p in facts.points if p.point == point and p.direction == way), None)
        for point, way in zip(where.points, ("out", "in"), strict=True)
    )
    if out is None or into is None:
        raise Refused(_CONNECTION, 0x0117)
    if facts.config_point is not None and where.instance not in (0, facts.config_point):
        raise Refused(_CONNECTION, 0x0118)
    return out, into


def _sized(facts: AdapterFacts, wanted: Granted) -> None:
    request, out, into = wanted.request, wanted.out, wanted.into
    if request.out.transfer == "null":
        raise Refused(_CONNECTION, 0x0123)
    if request.into.transfer == "null" or (wanted.listens and request.into.transfer != "multicast"):
        raise Refused(_CONNECTION, 0x0124)
    for way, point, wrong in ((request.out, out, 0x0127), (request.into, into, 0x0128)):
        right = point.octets + SEQUENCE_OCTETS + (HEADER_OCTETS if point.header else 0)
        if way.size != right:
            # Behind the status stands the size that would be taken.
            raise Refused(_CONNECTION, 0x0109 if facts.terse else wrong, right)


def _configuration(facts: AdapterFacts, where: ReadPath, out: AdapterPoint, *, configured: bool) -> bytes:
    if out.role != "data":
        return b""
    # Data segments come in whole words.
    if len(where.data) not in (0, facts.config_octets + facts.config_octets % 2):
        raise Refused(_CONNECTION, 0x0126)
    if not where.data and facts.needs_configuration and not configured:
        raise Refused(_CONNECTION, 0x0110)
    return where.data[: facts.config_octets]


def _owned(now: Sequence[Granted], wanted: Granted) -> None:
    if any(held.request.triad == wanted.request.triad for held in now):
        raise Refused(_CONNECTION, 0x0100)
    owners = [held for held in now if held.out.role == "data" and held.out.point == wanted.out.point]
    if wanted.out.role == "data" and any(not (h.request.redundant and wanted.request.redundant) for h in owners):
        raise Refused(_CONNECTION, 0x0106)
    if wanted.listens and not heard_by_others(now, wanted.into):
        raise Refused(_CONNECTION, 0x0119)


def _room(facts: AdapterFacts, now: Sequence[Granted], wanted: Granted) -> None:
    if len(now) >= facts.connections:
        raise Refused(_CONNECTION, 0x0113)
    octets = sum(held.request.out.size + held.request.into.size for held in (*now, wanted))
    if facts.room_octets is not None and octets > facts.room_octets:
        raise Refused(0x02)
    most = wanted.into.consumers
    if most is not None and sum(held.into.point == wanted.into.point for held in now) >= most:
        raise Refused(_CONNECTION, 0x011A)


def _paced(facts: AdapterFacts, request: OpenRequest) -> None:
    intervals = (request.out.rpi_us, request.into.rpi_us)
    if min(intervals) < facts.rpi_least_ms * 1000:
        raise Refused(_CONNECTION, 0x0111)
    if facts.rpi_most_ms is not None and max(intervals) > facts.rpi_most_ms * 1000:
        raise Refused(_CONNECTION, 0x0112, *_acceptable(intervals, round(facts.rpi_most_ms * 1000)))


def _acceptable(intervals: tuple[int, int], most_us: int) -> Iterator[int]:
    """What stands behind 0112: for O→T and T→O whether it was taken (0) or is told at most (3), then both intervals."""
    yield int.from_bytes(bytes(0 if us <= most_us else 3 for us in intervals), "little")
    for us in intervals:
        told = min(us, most_us)
        yield told & 0xFFFF
        yield told >> 16
