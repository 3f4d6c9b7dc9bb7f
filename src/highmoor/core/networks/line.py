"""A connection with all that hangs on it, as a fieldbus is given it: by the analysis, and on the bench."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, TypeVar

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.alive import ExchangeLive
from highmoor.core.networks.blocks import SeatedModule
from highmoor.core.networks.parked import is_parked
from highmoor.core.networks.topology import Beyond
from highmoor.core.plant.rows import Connection, Exchange, Station

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Line:
    """One agreement on a network with all it holds: the input of layout, timing and bench.

    `device` is the station's type, None where the catalogue has none. `modules` are those behind it, where its fieldbus
    wants them in the line.
    """

    station: Station
    connection: Connection
    exchanges: tuple[Exchange, ...]
    device: DeviceType | None = None
    modules: tuple[SeatedModule, ...] = ()
    _told: dict[Any, Any] = field(default_factory=dict, compare=False, repr=False)

    def once(self, work_out: Callable[[Line], T]) -> T:
        """What follows from the line, worked out when it is first asked for: a line never changes."""
        if work_out not in self._told:
            self._told[work_out] = work_out(self)
        told: T = self._told[work_out]
        return told

    def together(self, lines: Sequence[Line], what: Any, work_out: Callable[[], T]) -> T:
        """What follows from these very lines, of which this is the first, and from nothing beside but `what`."""
        held = self._told.get(what)
        if held is None or held[0] is not lines:
            held = self._told[what] = lines, work_out()
        told: T = held[1]
        return told

    @property
    def parked(self) -> bool:
        """Whether it is switched off, itself or with its station."""
        return is_parked(self.station) or is_parked(self.connection)


@dataclass(frozen=True, slots=True)
class BenchLine:
    """One line to bring to life: offsets are octets of the controller's image by exchange, `back` of what goes back;
    `beyond` are the cables of its station."""

    line: Line
    offsets: Mapping[str, int]
    live: Mapping[str, ExchangeLive]
    back: Mapping[str, int] = field(default_factory=dict)
    beyond: Sequence[Beyond] = ()
