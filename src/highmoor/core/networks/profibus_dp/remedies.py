"""What mends the findings of PROFIBUS DP (NET-501 … 522)."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.catalogue.media import PROFIBUS
from highmoor.core.figures.profibus_cycle import RATES
from highmoor.core.networks.fieldbus import Mend
from highmoor.core.networks.lines import plant_lines
from highmoor.core.networks.profibus_dp.bus import rate_text
from highmoor.core.networks.profibus_dp.checks import CYCLES_IN_A_WATCHDOG
from highmoor.core.networks.profibus_dp.settings import LineSettings, dp_station
from highmoor.core.networks.profibus_dp.strip import DpLine
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Connection, Exchange, Network, Station

_Maker = Callable[[Analysis, Finding], Mend | None]


def _line(analysis: Analysis, network: str) -> DpLine | None:
    told: DpLine | None = analysis.result("profibus.line", network)
    return told


def _network_of(analysis: Analysis, row: str) -> Network:
    found: Any = analysis.plant.get(row, object)
    return found if isinstance(found, Network) else analysis.plant.get(found.network, Network)


def _slower(analysis: Analysis, found: Finding) -> Mend | None:
    """The highest rate at which every segment is short enough."""
    network = _network_of(analysis, found.places[-1].id)
    told = _line(analysis, network.id)
    longest = max((segment.length_m for segment in told.segments), default=0.0) if told else 0.0
    fitting = [baud for baud in RATES if PROFIBUS.segment_at_most_m(baud) >= longest]
    return _at(network, max(fitting)) if fitting else None


def _at(network: Network, baud: int) -> Mend:
    return Mend(f"Run {network.name} at {rate_text(baud)}", network.id, {"settings.baud": baud}, tried=True)


def _rate_all_have(analysis: Analysis, found: Finding) -> Mend | None:
    """The highest rate that every station has."""
    network = _network_of(analysis, found.places[1].id)
    can = set(RATES)
    for station in analysis.plant.children(Station, network.id):
        device = analysis.catalogue.find(station.type)
        if device and device.limits.baud_rates:
            can &= set(device.limits.baud_rates)
    return _at(network, max(can)) if can else None


def _set(words: str, value: Any) -> _Maker:
    """The value at the place that the finding names first."""
    return lambda _, found: Mend(words, found.places[0].id, {found.places[0].field: value}, tried=True)


def _no_stubs(analysis: Analysis, found: Finding) -> Mend:
    """The trunk through the plugs of all on its segment."""
    network = _network_of(analysis, found.places[0].id)
    told = _line(analysis, network.id)
    segment = next(s for s in told.segments if any(n.row == found.places[0].id for n in s.nodes)) if told else None
    rows = [node.row for node in segment.nodes if node.stub_m and node.row != found.places[0].id] if segment else []
    more = tuple((row, {"settings.stub_m": 0}) for row in rows)
    return Mend(
        "Lead the cable through the plugs: no stubs", found.places[0].id, {"settings.stub_m": 0}, more=more, tried=True
    )


def _longer_watchdog(analysis: Analysis, found: Finding) -> Mend | None:
    """As long as three cycles, and longer than a rotation; in tens of milliseconds."""
    station = analysis.plant.get(found.places[0].id, Station)
    told = _line(analysis, station.network)
    if told is None:
        return None
    wanted = max(CYCLES_IN_A_WATCHDOG * told.worst_ms, told.round_ms + 1, 20)
    value = 10 * -int(-wanted // 10)
    return Mend(f"Let its watchdog be {value} ms", station.id, {"settings.watchdog_ms": value}, tried=True)


def _free_address(analysis: Analysis, found: Finding) -> Mend | None:
    station = analysis.plant.get(found.places[0].id, Station)
    network = analysis.plant.get(station.network, Network)
    used = {s.address for s in analysis.plant.children(Station, network.id)} | {str(LineSettings.of(network).master)}
    free = next((n for n in range(3, 126) if str(n) not in used), None)
    if free is None:
        return None
    return Mend(f"Give it the address {free}", station.id, {"address": str(free)}, tried=True)


def _needed_slot(analysis: Analysis, found: Finding) -> Mend | None:
    told = _line(analysis, found.places[0].id)
    if told is None:
        return None
    return Mend(
        f"Let the slot time be {told.slot_needed} bit", found.places[0].id, {"settings.bus.slot": told.slot_needed},
        tried=True,
    )  # fmt: skip


def _as_long_as_it_takes(analysis: Analysis, found: Finding) -> Mend | None:
    told = _line(analysis, found.places[0].id)
    if told is None:
        return None
    least = max(told.bits_ms, told.interval_ms)
    value = -int(-10 * least // 1) / 10
    return Mend(f"Ask every {shown(value)} ms", found.places[0].id, {"settings.cycle_ms": value}, tried=True)


def _its_size(analysis: Analysis, found: Finding) -> Mend | None:
    """As many octets as its file allows; nothing for what no size would mend."""
    row: Any = analysis.plant.find(found.places[0].id)
    if not isinstance(row, Exchange):
        return None
    station = analysis.plant.get(analysis.plant.get(row.connection, Connection).station, Station)
    lines = plant_lines(analysis.plant, analysis.catalogue, station)
    most = dp_station(lines[0]).fact("c1_max_data_len") if lines else None
    if not isinstance(most, int):
        return None
    return Mend(f"{most} octets, as its file allows", row.id, {"settings.octets": most}, tried=True)


MENDS: Mapping[str, _Maker] = {
    "NET-501": _slower,
    "NET-503": _set("Switch the terminator in", True),
    "NET-504": _set("Switch the terminator out", False),
    "NET-505": _no_stubs,
    "NET-506": _set("Lay 1 m of cable", 1),
    "NET-512": _rate_all_have,
    "NET-513": _longer_watchdog,
    "NET-514": _longer_watchdog,
    "NET-515": _set("Switch its watchdog on, 200 ms", 200),
    "NET-517": _set("Let the rotation time follow from the stations", None),
    "NET-518": _needed_slot,
    "NET-519": _set("Do not ask for it", False),
    "NET-521": _its_size,
    "NET-522": _free_address,
    "NET-516": _as_long_as_it_takes,
}
