"""Stations with modules behind them, as they really stand there."""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.bench.as_built import BuiltDevice, BuiltModule
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.rail import NS_A_MS, SimulatedRail, Terminal, module_terminals
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.networks.modbus.rail import RAIL
from highmoor.core.networks.modbus.server import RegisterServer, coupler
from highmoor.core.networks.modbus.settings import watchdog_ms
from highmoor.core.networks.station_data import padded
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Module, Rail, Station


@dataclass(frozen=True, slots=True)
class SimulatedCoupler:
    """A coupler's server and rail; `modules` gives each terminal's first part by designation."""

    server: RegisterServer
    rail: SimulatedRail
    modules: dict[str, str]


def simulated_coupler(built: BuiltDevice, catalogue: Catalogue, clock: VirtualClock) -> SimulatedCoupler:
    """The modules laid out as its fieldbus does; a module of an unknown type takes no place."""
    ends = {"in": 0, "out": 0}
    terminals: dict[str, Terminal] = {}
    for n, module in enumerate(built.rail):
        device = catalogue.find(module.type)
        if device is None:
            continue
        terminals.update(module_terminals(str(n), device, module.settings, ends["in"], ends["out"]))
        ends["in"] += padded(device.in_octets, RAIL.unit_octets)
        ends["out"] += padded(device.out_octets, RAIL.unit_octets)
    image_in, image_out = bytearray(ends["in"]), bytearray(ends["out"])
    head = catalogue.find(built.type)
    rail = SimulatedRail(clock, image_in, image_out, int((head.bus_cycle_ms if head else 0) * NS_A_MS), terminals)
    server = coupler(built.reply_ms, image_in, image_out)
    if waits := watchdog_ms(built.settings):
        server.written = _Watchdog(clock, rail, int(waits * NS_A_MS)).fed
    named = {module.designation: str(n) for n, module in enumerate(built.rail) if module.designation}
    return SimulatedCoupler(server, rail, named)


@dataclass(slots=True)
class _Watchdog:
    """Lets go of a rail's outputs when nobody has written for a time, ns."""

    clock: VirtualClock
    rail: SimulatedRail
    waits_ns: int
    _fed_ns: int = 0

    def fed(self) -> None:
        """Somebody wrote: the time begins anew."""
        self._fed_ns = self.clock.now_ns
        self.clock.at(self._fed_ns + self.waits_ns, self._look)

    def _look(self) -> None:
        if self.clock.now_ns >= self._fed_ns + self.waits_ns:
            self.rail.let_go()


def rail_as_configured(plant: Plant, station: Station) -> list[BuiltModule]:
    """The station's modules as the configuration has them."""
    return [
        BuiltModule(type=module.type, designation=module.designation, settings=dict(module.settings))
        for rail in plant.children(Rail, station.id)
        for module in plant.children(Module, rail.id)
    ]
