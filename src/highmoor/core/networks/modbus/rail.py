"""How a coupler's modules stand in its registers, and what is wrong with who asks for them.

Each module begins at a whole register: what the modules give stands in input registers from address 0, what they take
in holding registers from address 0. A register's low octet is the module's first.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from highmoor.core.analysis.engine import Analysis, Part, Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.figures.modbus_functions import EXCHANGED
from highmoor.core.figures.modbus_reference import AREAS, Reference
from highmoor.core.networks.blocks import Block, SeatedModule, Spot, exchanges_of, seated
from highmoor.core.networks.carried import Area, Carried
from highmoor.core.networks.fieldbus import Mend
from highmoor.core.networks.line import Line
from highmoor.core.networks.lines import kind_at
from highmoor.core.networks.modbus.rail_data import UNIT_OCTETS, ModuleStretch, StationData, rail_data
from highmoor.core.networks.modbus.settings import ExchangeSettings
from highmoor.core.plant.rows import Connection, Exchange, Rail, Station

# The register area of each direction, and the function that is offered for it.
_KIND = "modbus-tcp"
_AREAS: dict[Area, int] = {"in": 3, "out": 4}
_USUAL = {"in": EXCHANGED[4], "out": EXCHANGED[16]}


def _carried(exchange: Exchange) -> Carried | None:
    settings = ExchangeSettings.of(exchange)
    function = settings.function
    if function.direction != exchange.direction or function.area != _AREAS[exchange.direction]:
        return None
    return Carried(exchange.direction, 2 * settings.address, 2 * max(settings.count, 0))


def _words(stretch: Carried) -> str:
    area = _AREAS[stretch.area]
    first, last = stretch.first // 2, max(-(-stretch.end // 2) - 1, stretch.first // 2)
    name = AREAS[area]
    if first == last:
        return f"{name.removesuffix('s')} {Reference(area, first + 1).text}"
    return f"{name} {Reference(area, first + 1).text}–{Reference(area, last + 1).text}"


def lay(modules: Sequence[SeatedModule], lines: Sequence[Line]) -> Iterator[Block]:
    """Each module's octets in the registers of the exchange that brings them: of two the second travels first."""
    data = rail_data(modules, [exchange for line in lines for exchange in line.exchanges], _carried)
    for stretch in data.modules.values():
        spots = (_spot(data, stretch, n) for n in range(stretch.octets))
        yield Block(stretch.module, stretch.area, tuple(spots), _words(stretch))


def _spot(data: StationData, stretch: ModuleStretch, octet: int) -> Spot | None:
    at = stretch.first + octet
    register = at - at % UNIT_OCTETS
    carrier = data.carrier(stretch.area, register, UNIT_OCTETS)
    return Spot(carrier.exchange, (at ^ 1) - carrier.stretch.first) if carrier else None


def _station_data(reader: Reader, root: str) -> StationData | None:
    """None for a station without a rail of its own, or of another fieldbus."""
    if not reader.children(Rail, root) or kind_at(reader, root) != _KIND:
        return None
    station = reader.row(root, Station)
    return rail_data(list(seated(reader, station.id)), exchanges_of(reader, station), _carried)


PARTS: tuple[Part, ...] = (Part("station.data", "stations", _station_data),)


def _unasked(area: Area, code: str) -> Callable[[Any, Any, str], Iterator[Finding]]:
    def found(result: StationData | None, reader: Reader, root: str) -> Iterator[Finding]:
        told: set[str] = set()
        for gap in result.missing if result else ():
            if gap.area != area or result is None:
                continue
            inside = [m for m in result.modules.values() if m.area == area and m.first < gap.end]
            first = next(m for m in inside if m.end > gap.first)
            # Two gaps within one module would be one finding: they have the same place.
            if first.module in told:
                continue
            told.add(first.module)
            yield finding(code, first.module, root, station=reader.row(root, Station).name, stretch=_words(gap))

    return found


def _beyond(result: StationData | None, reader: Reader, root: str) -> Iterator[Finding]:
    for carrier in result.carriers if result else ():
        stretch = carrier.stretch
        there = result.octets(stretch.area) if result else 0
        begin = max(there, stretch.first)
        if stretch.end > there:
            yield finding(
                "NET-212", (carrier.exchange, "settings.count"), root,
                name=reader.row(carrier.exchange, Exchange).name,
                stretch=_words(Carried(stretch.area, begin, stretch.end - begin)),
                station=reader.row(root, Station).name,
            )  # fmt: skip


def carry(analysis: Analysis, found: Finding) -> Mend | None:
    """Lengthen the exchange that ends where the gap begins, or make one, as far as one function goes."""
    station = found.places[1].id
    data: StationData = analysis.result("station.data", station)
    area: Area = "in" if found.code == "NET-210" else "out"
    first = data.stretch(found.places[0].id, area)
    gap = next(g for g in data.missing if g.area == area and first and first.first < g.end)
    for carrier in data.carriers:
        settings = ExchangeSettings.of(analysis.plant.get(carrier.exchange, Exchange))
        count = (gap.end - carrier.stretch.first) // 2
        if carrier.stretch.area == area and carrier.stretch.end == gap.first and count <= settings.function.at_most:
            name = analysis.plant.get(carrier.exchange, Exchange).name
            return Mend(f"Lengthen {name} to {count} registers", carrier.exchange, {"settings.count": count})
    connections = analysis.plant.children(Connection, station)
    if not connections:
        return None
    function = _USUAL[area]
    count = min((gap.end - gap.first) // 2, function.at_most)
    settings_wanted = {"function": function.code, "address": gap.first // 2, "count": count}
    what = f"{'Read' if area == 'in' else 'Write'} {_words(Carried(area, gap.first, 2 * count))}"
    return Mend(what, connections[0].id, settings_wanted, new_exchange="Rail in" if area == "in" else "Rail out")


def shorten(analysis: Analysis, found: Finding) -> Mend | None:
    """As many registers as there are; None where the exchange begins behind the last."""
    data: StationData = analysis.result("station.data", found.places[1].id)
    carrier = next(c for c in data.carriers if c.exchange == found.places[0].id)
    count = (data.octets(carrier.stretch.area) - carrier.stretch.first) // 2
    return Mend(f"Set the count to {count}", carrier.exchange, {"settings.count": count}) if count > 0 else None


CHECKS: tuple[Check, ...] = (
    Check(
        "NET-210", "station.data", "networks", "warning", "Inputs that nobody reads",
        "{station}: no exchange reads {stretch}, where its rail has inputs.",
        "What the modules see stays in the station; signals on their channels get no value.",
        _unasked("in", "NET-210"),
    ),
    Check(
        "NET-211", "station.data", "networks", "warning", "Outputs that nobody writes",
        "{station}: no exchange writes {stretch}, where its rail has outputs.",
        "The modules keep their safe state; signals on their channels move nothing.",
        _unasked("out", "NET-211"),
    ),
    Check(
        "NET-212", "station.data", "networks", "error", "More than the rail has",
        "{name} asks {station} for {stretch}, which its rail does not have.",
        "The station refuses the whole request with exception 02, so nothing of it arrives.",
        _beyond, "Modbus Application Protocol 1.1b3, 7",
    ),
)  # fmt: skip
