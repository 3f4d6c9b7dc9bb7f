"""The devices of a bench as they really stand: made of the plant as built, put up, changed and taken away."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from random import Random
from typing import Any, cast

from highmoor.core.bench.clock import Repeating, VirtualClock
from highmoor.core.bench.io_ports import PortsLive
from highmoor.core.bench.labels import label_of, serial_number
from highmoor.core.bench.media import BenchMedium
from highmoor.core.bench.rail import NS_A_MS, SimulatedRail, Terminal, channel_terminals, module_terminals
from highmoor.core.bench.standing import Standing
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.live import Adaptable, LiveDevice, ModuleData, Octets, Process, RailModule, Seat
from highmoor.core.networks.scanning import Found
from highmoor.core.plant.change import with_value

# What wires lead to: a module's id and a channel.
Terminals = dict[tuple[str, str], tuple[SimulatedRail, str]]


def begin(process: Process, clock: VirtualClock) -> Repeating:
    """A process from now on, in its steps, before whatever reads it at the same time."""
    return clock.every(process.period_ms * NS_A_MS, partial(process.step, process.period_ms / 1000), -1)


@dataclass(slots=True)
class _End:
    """Where the next module's octets begin, in and out."""

    into: int
    out: int

    def go_on(self, data: ModuleData, unit: int) -> None:
        """Past a module, in whole units."""
        self.into += -(-data.in_octets // unit) * unit
        self.out += -(-data.out_octets // unit) * unit


@dataclass(slots=True)
class _There:
    standing: Standing
    device: LiveDevice
    rail: SimulatedRail | None
    running: Repeating | None
    seat: Seat
    ports: PortsLive | None = None
    powered: bool = True


@dataclass(slots=True)
class Devices:
    """All devices of a bench by their node; `terminals` are those of the modules behind them."""

    clock: VirtualClock
    catalogue: Catalogue
    media: dict[str, BenchMedium]
    chance: Random
    there: dict[str, _There] = field(default_factory=dict)
    terminals: Terminals = field(default_factory=dict)
    # Another one whenever what they lead to may be another.
    version: int = 0
    # How often something else came to stand there.
    stood: int = 0
    # What was set in devices for good, by node, since somebody last looked.
    kept: list[tuple[str, Mapping[str, Any]]] = field(default_factory=list)
    _drawn: set[tuple[str, str, str]] = field(default_factory=set)

    def stand(self, standing: Iterator[Standing]) -> None:
        """Bring what is there to what is to stand: what is as it was goes on undisturbed."""
        self.stood += 1
        wanted = {one.node: one for one in standing}
        for node in [n for n, there in self.there.items() if not _same(there.standing, wanted.get(n))]:
            if not self._adapted(self.there[node], wanted.get(node)):
                self._take_away(node)
        for node, one in wanted.items():
            if node not in self.there:
                self._put_up(one)
            self.media[one.network].put(node, plugged=one.plugged, powered=one.powered)
            there = self.there.get(node)
            if (there and (there.ports is None) != (not one.ports)) or (there and there.standing.ports != one.ports):
                self._stand_on_ports(there, one)
            if there and there.powered != one.powered:
                there.powered = one.powered
                if hasattr(there.device, "powered"):
                    cast("Adaptable", there.device).powered(one.powered)
        self.stood += 1

    def lasting(self, find: Callable[[str], Octets | None]) -> Callable[[str], Octets | None]:
        """Octets of exchanges as `find` finds them: they lie where they do until something else stands there."""
        found: dict[str, Octets] = {}
        since = self.stood

        def octets(exchange: str) -> Octets | None:
            nonlocal since
            if since != self.stood:
                found.clear()
                since = self.stood
            there = found.get(exchange)
            if there is None:
                there = find(exchange)
                if there is not None:
                    found[exchange] = there
            return there

        return octets

    def _adapted(self, there: _There, one: Standing | None) -> bool:
        """Whether a device goes on as another one: with other modules, or other facts."""
        if one is None or not hasattr(there.device, "adapt"):
            return False
        if not _same(dataclasses.replace(there.standing, modules=one.modules, facts=one.facts), one):
            return False
        self.terminals = {key: where for key, where in self.terminals.items() if where[0] is not there.rail}
        bus = fieldbus_of(one.fieldbus)
        rail = self._rail(one) if one.modules and bus and bus.lay else None
        if rail is not None and there.rail is not None:
            rail.given_as(there.rail)
        self.version += 1
        there.rail = rail
        there.standing = one
        return cast("Adaptable", there.device).adapt(dataclasses.replace(there.seat, facts=one.facts, rail=rail))

    def _stand_on_ports(self, there: _There, one: Standing) -> None:
        """What is plugged into a master's ports comes and goes without the master."""
        bus, device = fieldbus_of(one.fieldbus), there.device
        ways = {exchange.id: (line, exchange) for line in one.lines for exchange in line.exchanges}

        def octets(exchange: str) -> Octets | None:
            found = ways.get(exchange)
            return bus.live.octets(device, *found) if bus and found else None

        if there.ports is None:
            lasting = self.lasting(octets)
            there.ports = PortsLive(self.clock, self.catalogue, lasting, lambda *kept: self._keep_on_port(there, *kept))
            if bus:
                bus.live.serve_ports(device, dict(one.port_settings), there.ports.asked)
        there.ports.stand(one.ports)
        there.standing = dataclasses.replace(there.standing, ports=one.ports)
        self._lead_to(there)

    def _lead_to(self, there: _There) -> None:
        """Wires lead to what is on the ports now."""
        modules = {port.module for port in there.standing.ports}
        self.terminals = {key: where for key, where in self.terminals.items() if key[0] not in modules}
        self.terminals.update(there.ports.leads if there.ports else {})
        self.version += 1

    def told(self, node: str) -> Sequence[Diagnosis]:
        """What a device tells of itself that is wrong; nothing where none is there."""
        there = self.there.get(node)
        if there is None:
            return ()
        return [*there.device.told(), *(there.ports.told() if there.ports else ())]

    def _keep(self, node: str, values: Mapping[str, Any]) -> None:
        """What a device keeps it has already: that the plant as built is told of it changes nothing here."""
        self.kept.append((node, values))
        there = self.there.get(node)
        for path, value in values.items() if there else ():
            if there and path.startswith("facts."):
                there.standing = with_value(there.standing, path, value)

    def _keep_on_port(self, there: _There, module: str, values: Mapping[str, Any]) -> None:
        """What is in a device on a port, and what its master kept of it, is there already."""
        self.kept.append((module, values))
        own = {path.partition(".")[2]: value for path, value in values.items()}
        ports = (
            dataclasses.replace(one, own={**one.own, **own}) if one.module == module else one
            for one in there.standing.ports
        )  # fmt: skip
        there.standing = dataclasses.replace(there.standing, ports=tuple(ports))
        self._lead_to(there)

    def node_of(self, network: str, found: Found) -> str:
        """Where a device stands that was found on a network, "" where nobody can say."""
        for node, there in self.there.items():
            one = there.standing
            bus = fieldbus_of(one.fieldbus)
            near = one.network == network or (bus is not None and bus.addresses.everywhere)
            if found.mac:
                if near and label_of(node).mac == found.mac:
                    return node
            elif near and one.address == found.address and found.serial in ("", f"{serial_number(node):08X}"):
                return node
        return ""

    def _put_up(self, one: Standing) -> None:
        bus = fieldbus_of(one.fieldbus)
        # Of two that are only drawn with one address, one is there: that they are two is a finding.
        place = _place(one)
        if bus is None or (not one.said and place in self._drawn):
            return
        address = "" if bus.live.by_name else one.address
        medium = self.media[one.network].seat(one.node, address, said=one.said or not address)
        if medium is None:
            return
        if not one.said:
            self._drawn.add(place)
        rail = self._rail(one) if one.modules and bus.lay else None
        seat = Seat(
            self.clock, medium, one.address, one.facts, rail, serial_number(one.node),
            lambda values: self._keep(one.node, values), self.catalogue.find(one.type),
        )  # fmt: skip
        device = bus.live.device(seat)
        make = bus.live.models.get(one.model)
        running = None
        if make:
            running = begin(make(device, one.settings, Random(self.chance.getrandbits(32))), self.clock)
        self.there[one.node] = _There(one, device, rail, running, seat)

    def _take_away(self, node: str) -> None:
        there = self.there.pop(node)
        if there.running:
            there.running.over = True
        gone = there.ports.leads if there.ports else {}
        if there.ports:
            there.ports.end()
        self.terminals = {
            key: where
            for key, where in self.terminals.items() if where[0] is not there.rail and key not in gone
        }  # fmt: skip
        self.version += 1
        one = there.standing
        self._drawn.discard(_place(one))
        self.media[one.network].leave(node)

    def _rail(self, one: Standing) -> SimulatedRail:
        """The modules laid out as their fieldbus does; a module of an unknown type takes no place.

        What hangs on a module lies within its octets, and is not there without it.
        """
        bus = fieldbus_of(one.fieldbus)
        unit = bus.unit_octets if bus else 1
        beside = bus is not None and bus.beside
        ends, slots = {"": _End(0, 0)}, {"": 0}
        terminals: dict[str, Terminal] = {}
        leads: dict[tuple[str, str], str] = {}
        plugged: list[RailModule] = []
        measure = bus.live.module_data if bus else None
        for module in one.modules:
            device = self.catalogue.find(module.type)
            end = ends.get(module.within)
            if device is None or end is None:
                continue
            own = module.ids[0]
            # What is plugged into it goes within it, or behind all there is.
            ends.update({i: end if beside else _End(end.into, end.out) for i in module.ids if i})
            slots.update({i: module.slot for i in module.ids if i})
            data = measure(device, module.settings) if measure else ModuleData(device.in_octets, device.out_octets)
            if device.channels:
                made = module_terminals(own, device, dict(module.settings), end.into, end.out)
            else:
                made = channel_terminals(own, data.channels, end.into, end.out)
            terminals.update(made)
            leads.update({(i, key.removeprefix(f"{own}.")): key for i in module.ids if i for key in made})
            if not module.within or beside:
                carrier = slots.get(module.within, 0)
                plugged.append(RailModule(device, module.settings, end.into, end.out, data, module.slot, carrier))
            end.go_on(data, 1 if module.within else unit)
        head, whole = self.catalogue.find(one.type), ends[""]
        bus_ns = int((head.bus_cycle_ms if head else 0) * NS_A_MS)
        rail = SimulatedRail(self.clock, bytearray(whole.into), bytearray(whole.out), bus_ns, terminals, plugged)
        self.terminals.update({place: (rail, key) for place, key in leads.items()})
        self.version += 1
        return rail


def _place(one: Standing) -> tuple[str, str, str]:
    """Where one device is at most; whoever has no address is where it is alone."""
    bus = fieldbus_of(one.fieldbus)
    alone = not one.address or (bus is not None and bus.live.by_name)
    everywhere = bus is not None and bus.addresses.everywhere
    return one.fieldbus, "" if everywhere else one.network, one.node if alone else one.address


def _same(one: Standing, other: Standing | None) -> bool:
    """Whether a device is the same, its cable, its power and its ports aside, and whether anybody has said so."""
    if other is None:
        return False
    moved: Any = dataclasses.replace(
        one, plugged=other.plugged, powered=other.powered, said=other.said, ports=other.ports
    )
    return bool(moved == other)
