"""What mends the findings of EtherCAT (NET-401 … 415)."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from fractions import Fraction
from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.networks.ethercat.ruler import EthercatRuler
from highmoor.core.networks.ethercat.settings import NodeSettings
from highmoor.core.networks.fieldbus import Mend
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Exchange, Network, Station, Task

_Maker = Callable[[Analysis, Finding], Mend | None]
# Cycles that are usual, ms.
_USUAL_MS: tuple[float, ...] = (0.0625, 0.125, 0.25, 0.5, 1, 2, 4, 5, 8, 10, 20, 50, 100)
_ENOUGH = 0.8


def _longer_cycle(analysis: Analysis, found: Finding) -> Mend | None:
    """The shortest of the usual cycles of which a fifth is left."""
    network = found.places[0].id
    ruler: EthercatRuler = analysis.result("ethercat.ruler", network)
    wanted = next((ms for ms in _USUAL_MS if 1000 * ms * _ENOUGH >= ruler.back_us and 1000 * ms > ruler.cycle_us), None)
    if wanted is None:
        return None
    return Mend(f"Let the cycle be {shown(wanted)} ms", network, {"settings.cycle_ms": wanted}, tried=True)


def _cleared(words: str) -> _Maker:
    """Take back what was set, so that the file's choice holds."""
    return lambda _, found: Mend(words, found.places[0].id, {found.places[0].field: None}, tried=True)


def _left_out(_: Analysis, found: Finding) -> Mend:
    place = found.places[0]
    return Mend(f"Leave out PDO 16#{place.field.rpartition('.')[2]}", place.id, {place.field: False}, tried=True)


def _free_alias(analysis: Analysis, found: Finding) -> Mend:
    """The next number that nobody has."""
    station = analysis.plant.get(found.places[0].id, Station)
    siblings = analysis.plant.children(Station, station.network)
    taken = {NodeSettings.of(other.settings).alias for other in siblings}
    alias = next(n for n in range(1, 0x10000) if n not in taken)
    return Mend(f"Give it the alias {alias}", station.id, {"settings.alias": alias})


def _clocks_on(_: Analysis, found: Finding) -> Mend:
    return Mend("Switch the clocks on", found.places[1].id, {"settings.clocks": True})


def _follow(analysis: Analysis, found: Finding) -> Mend:
    """The next whole number of cycles."""
    task = analysis.plant.get(found.places[0].id, Task)
    network = analysis.plant.get(found.places[1].id, Network)
    cycle = Fraction(str(network.settings.get("cycle_ms") or 1))
    period = math.ceil(Fraction(str(task.period_ms)) / cycle) * cycle
    value = int(period) if period.denominator == 1 else float(period)
    return Mend(f"Run {task.name} every {shown(value)} ms", task.id, {"period_ms": value}, tried=True)


def _plugged_behind(_: Analysis, found: Finding) -> Mend | None:
    """What has no socket left hangs on the one before it instead."""
    if len(found.places) < 2:
        return None
    return Mend("Plug the last cable in at the device before it", found.places[1].id, {"upstream": None}, tried=True)


def _its_size(analysis: Analysis, found: Finding) -> Mend | None:
    """As many octets as the object has by its file; nothing for what no size would mend."""
    row: Any = analysis.plant.get(found.places[0].id)
    if not isinstance(row, Exchange) or row.settings.get("octets") is None:
        return None
    return Mend("As many octets as the object has", row.id, {"settings.octets": None}, tried=True)


MENDS: Mapping[str, _Maker] = {
    "NET-401": _longer_cycle,
    "NET-402": _longer_cycle,
    "NET-404": _left_out,
    "NET-405": _cleared("Leave this write out"),
    "NET-406": _cleared("Leave the write by hand out"),
    "NET-407": _free_alias,
    "NET-408": _clocks_on,
    "NET-410": _cleared("Let Sync0 follow the cycle"),
    "NET-411": _follow,
    "NET-413": _plugged_behind,
    "NET-415": _its_size,
}
