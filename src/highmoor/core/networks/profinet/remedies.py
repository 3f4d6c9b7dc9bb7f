"""What mends the findings of PROFINET (NET-601 … 615)."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.catalogue.profinet import US_AN_INTERVAL
from highmoor.core.figures.profinet import NAME_OCTETS_AT_MOST, mended_name
from highmoor.core.networks.fieldbus import Mend
from highmoor.core.networks.lines import plant_lines
from highmoor.core.networks.profinet.overview import PnNetwork, PnStation
from highmoor.core.networks.profinet.settings import (
    CLOCKS,
    WATCHDOG_AT_MOST_MS,
    IoDevice,
    LineSettings,
    io_device,
    io_device_of,
)
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Network, Station

_Maker = Callable[[Analysis, Finding], Mend | None]


def _network(analysis: Analysis, row: str) -> Network:
    found: Any = analysis.plant.get(row, object)
    return found if isinstance(found, Network) else analysis.plant.get(found.network, Network)


def _told(analysis: Analysis, station: str) -> tuple[PnNetwork, PnStation] | None:
    network: PnNetwork | None = analysis.result("profinet.network", _network(analysis, station).id)
    own = next((one for one in network.stations if one.station == station), None) if network else None
    return (network, own) if network and own else None


def _device(analysis: Analysis, station: str) -> IoDevice | None:
    row = analysis.plant.get(station, Station)
    lines = plant_lines(analysis.plant, analysis.catalogue, row)
    return io_device(lines[0]) if lines else None


def _names(analysis: Analysis, network: Network, but: str) -> set[str]:
    told = {LineSettings.of(network).name} if but != network.id else set()
    for station in analysis.plant.children(Station, network.id):
        if station.id != but:
            told.add(io_device_of(station, analysis.catalogue.find(station.type)).name)
    return told


def _free(name: str, taken: set[str]) -> str:
    """The name, counted up where somebody has it."""
    if name not in taken:
        return name
    return next(
        free for n in range(2, 10_000) if (free := f"{name[: NAME_OCTETS_AT_MOST - 6].rstrip('-.')}-{n}") not in taken
    )


def _mended_name(analysis: Analysis, found: Finding) -> Mend:
    place = found.places[0]
    network = _network(analysis, place.id)
    given = (
        LineSettings.of(network).name if place.id == network.id
        else io_device_of(analysis.plant.get(place.id, Station), None).name
    )  # fmt: skip
    name = _free(mended_name(given), _names(analysis, network, place.id))
    return Mend(f"Call it {name if len(name) <= 40 else name[:40] + '…'}", place.id, {place.field: name}, tried=True)


def _other_name(analysis: Analysis, found: Finding) -> Mend:
    station = analysis.plant.get(found.places[0].id, Station)
    own = io_device_of(station, None).name
    name = _free(own, _names(analysis, _network(analysis, station.id), station.id))
    return Mend(f"Call it {name}", station.id, {"settings.device_name": name}, tried=True)


def _update_time(analysis: Analysis, found: Finding) -> Mend | None:
    """The first that is no shorter than wanted, else the longest it has."""
    device = _device(analysis, found.places[0].id)
    if device is None:
        return None
    clock = LineSettings.of(_network(analysis, device.id)).clock
    return _updated(device, device.windows(clock), device.update_ms(clock))


def _updated(device: IoDevice, possible: list[float], wanted: float) -> Mend | None:
    fitting = [time for time in possible if time >= wanted] or possible[-1:]
    if not fitting:
        return None
    return Mend(
        f"Update it every {shown(fitting[0])} ms", device.id, {"settings.update_ms": plain_ms(fitting[0])}, tried=True
    )


def plain_ms(time: float) -> int | float:
    """A time as it is kept."""
    return int(time) if time == int(time) else time


def _later(analysis: Analysis, found: Finding) -> Mend | None:
    """An update time that its frames arrive within."""
    station = found.places[0].id
    told, device = _told(analysis, station), _device(analysis, station)
    if told is None or device is None:
        return None
    clock = LineSettings.of(_network(analysis, station)).clock
    return _updated(device, device.windows(clock), max(frame.arrives_ms for frame in told[1].frames))


def _clock_all_have(analysis: Analysis, found: Finding) -> Mend | None:
    network = analysis.plant.get(found.places[0].id, Network)
    can = set(CLOCKS)
    for station in analysis.plant.children(Station, network.id):
        device = analysis.catalogue.find(station.type)
        if device and device.profinet:
            can &= set(io_device_of(station, device).clocks)
    if not can:
        return None
    # The nearest to what is wanted, the quicker of two.
    wanted = LineSettings.of(network).clock
    clock = min(can, key=lambda one: (abs(one - wanted), one))
    return Mend(
        f"Send every {shown(clock * US_AN_INTERVAL / 1000)} ms", network.id, {"settings.clock": clock}, tried=True
    )


def _watchdog(analysis: Analysis, found: Finding) -> Mend | None:
    """As many update times as fit into the longest there is."""
    told = _told(analysis, found.places[0].id)
    if told is None:
        return None
    factor = int(WATCHDOG_AT_MOST_MS / told[1].update_ms)
    return _factor(told[1], factor) if factor else None


def _longer_watchdog(least: float) -> _Maker:
    """So many update times, or longer than a ring takes."""

    def make(analysis: Analysis, found: Finding) -> Mend | None:
        told = _told(analysis, found.places[0].id)
        if told is None:
            return None
        longer = int((told[1].ring_ms or 0) / told[1].update_ms) + 1
        return _factor(told[1], int(max(least, longer if told[1].ring_ms else 0)))

    return make


def _factor(own: PnStation, factor: int) -> Mend:
    return Mend(
        f"Let its watchdog be {factor} update times, {shown(factor * own.update_ms)} ms", own.station,
        {"settings.watchdog": factor}, tried=True,
    )  # fmt: skip


def _whole_subnet(_: Analysis, found: Finding) -> Mend:
    return Mend("Hand out up to the subnet's end", found.places[0].id, {"settings.last": None}, tried=True)


MENDS: Mapping[str, _Maker] = {
    "NET-601": _mended_name,
    "NET-602": _other_name,
    "NET-603": _update_time,
    "NET-604": _clock_all_have,
    "NET-605": _watchdog,
    "NET-606": _longer_watchdog(3),
    "NET-608": _later,
    "NET-611": _longer_watchdog(0),
    "NET-613": _whole_subnet,
}
