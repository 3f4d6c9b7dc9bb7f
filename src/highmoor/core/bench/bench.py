"""The bench of one plant: compiled at download from a revision and the plant as built, then driven in virtual time."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from random import Random
from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.bench.axes.of_plant import AxesLive
from highmoor.core.bench.axes.robots import RobotsLive
from highmoor.core.bench.cabling import Cable
from highmoor.core.bench.clock import Repeating, VirtualClock
from highmoor.core.bench.compiling import compiled_controller
from highmoor.core.bench.controller import SimulatedController, Value
from highmoor.core.bench.devices import Devices, Terminals, begin
from highmoor.core.bench.ethernet import Ethernet
from highmoor.core.bench.labels import label_of
from highmoor.core.bench.media import BenchMedium, LineMedium, Media
from highmoor.core.bench.objects import ObjectsInDevices
from highmoor.core.bench.on_the_fly import OnTheFly
from highmoor.core.bench.processes import PROCESSES
from highmoor.core.bench.programs import RunningProgram, programs_of
from highmoor.core.bench.rail import NS_A_MS, SimulatedRail
from highmoor.core.bench.safety.live import SafetyLive
from highmoor.core.bench.scans import NetworkScans
from highmoor.core.bench.segmented_line import SegmentedMedium
from highmoor.core.bench.serial_line import SerialLine
from highmoor.core.bench.serving import serve_partners
from highmoor.core.bench.signal_hands import SignalHands
from highmoor.core.bench.standing import is_switch, standing_devices
from highmoor.core.bench.station_states import StationStanding, StationStates
from highmoor.core.bench.switches import tell_neighbours
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import is_ports, root_of
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.alive import ExchangeLive, ParameterTold
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.networks.io_link.access import PORT_OBJECTS, PortReach
from highmoor.core.networks.io_link.parameters import PortAnswer, PortAsk
from highmoor.core.networks.line import BenchLine, Line
from highmoor.core.networks.lines import plant_line, plant_lines
from highmoor.core.networks.live import Live, NetworkTold, ObjectAccess
from highmoor.core.networks.positions import addressed, positions
from highmoor.core.networks.rings import RECOVERY_MS, rings_of
from highmoor.core.networks.scanning import Found, ScanSeat
from highmoor.core.networks.strangers import built_of
from highmoor.core.networks.topology import beyond_of, topology
from highmoor.core.parts import analyse
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    BuiltDevice,
    BuiltLine,
    BuiltProcess,
    BuiltWire,
    ClosingCable,
    Connection,
    Controller,
    Exchange,
    Module,
    Network,
    PinnedType,
    Port,
    Rail,
    Station,
)
from highmoor.core.project.scanner_device import as_devices_have_it

_LAST_WORDS_NS = 100 * NS_A_MS
_SEED = 42


@dataclass(slots=True)
class Deed:
    """Something done in a device over its network, and what came of it (None: not known yet)."""

    network: str
    at: str
    text: str
    good: bool | None = None


class _Wires:
    """A process's ends, tied to terminals; ends without a wire, or whose module is not there, give and take 0."""

    def __init__(self, ends: Mapping[str, tuple[str, str]], devices: Devices, own: Terminals) -> None:
        self._ends, self._devices, self._own = ends, devices, own
        self._inward: dict[str, tuple[SimulatedRail, str]] = {}
        self._outward: dict[str, tuple[SimulatedRail, str]] = {}
        self._known_at = -1

    @property
    def version(self) -> int:
        return self._devices.version

    def _look(self) -> None:
        """Where the wires lead, as long as no device comes or goes."""
        self._known_at = self._devices.version
        self._inward, self._outward = {}, {}
        for wire, end in self._ends.items():
            where = self._own.get(end) or self._devices.terminals.get(end)
            if where:
                inward = where[0].terminals[where[1]].inward
                (self._inward if inward else self._outward)[wire] = where

    def give(self, wire: str, value: float) -> None:
        if self._known_at != self._devices.version:
            self._look()
        where = self._inward.get(wire)
        if where:
            where[0].give(where[1], value)

    def take(self, wire: str) -> float:
        if self._known_at != self._devices.version:
            self._look()
        where = self._outward.get(wire)
        return where[0].take(where[1]) if where else 0.0


def _ended(exchanges: Iterable[ExchangeLive]) -> None:
    """Nobody asks for them any more."""
    for one in exchanges:
        one.refresh()
        one.refresh = lambda: None
        one.state, one.text = "bad", "its controller has stopped"


class Bench:
    """A plant alive. Nothing here knows of real time; whoever drives it says how far to go.

    `built` is the plant whose as-built tables say what stands there, the same one unless given.
    """

    def __init__(self, plant: Plant, catalogue: Catalogue, built: Plant | None = None) -> None:
        self.plant, self.catalogue = plant, catalogue
        self.built = built or plant
        self._said: dict[str, BuiltDevice] = {}
        self.clock = VirtualClock()
        self.ethernet = Ethernet(self.clock)
        self._chance = Random(_SEED)
        analysis = analyse(plant, catalogue)
        self.controllers: dict[str, SimulatedController] = {
            controller.id: compiled_controller(analysis, controller, self.clock) for controller in plant.all(Controller)
        }
        self.programs: dict[str, RunningProgram] = {
            program.id: program
            for controller in plant.all(Controller)
            for program in programs_of(analysis, controller, self.controllers[controller.id])
        }
        self.exchanges: dict[str, ExchangeLive] = {}
        self.signals = SignalHands(plant, self.controllers, self.exchanges)
        self._media: dict[str, BenchMedium] = self._laid()
        self.devices = Devices(self.clock, catalogue, self._media, self._own_chance())
        self._running: list[Repeating] = []
        self.axes = AxesLive(plant, catalogue, self.clock, self.devices, self.exchanges, self._own_chance())
        self._stand()
        serve_partners(analysis, self.controllers, self.clock, self._hosts)
        self._masters = {network.id: self._connect(analysis, network) for network in plant.all(Network)}
        self.axes.begin(analysis, self.controllers)
        self.safety = SafetyLive(plant, catalogue, self.clock, self.controllers, self.axes, self.signals.touched,
                                 as_devices_have_it(plant, self.built, catalogue))  # fmt: skip
        self.safety.begin(analysis)
        self.robots = RobotsLive(plant, self.axes, self.clock)
        self.robots.begin(analysis)
        self.scans = NetworkScans(self.clock, self._scan_seat, self.devices.node_of)
        self.deeds: list[Deed] = []
        self.objects = ObjectsInDevices(self.clock, self._reached)
        self.stations = StationStates(
            plant, catalogue, self.clock, self.exchanges, self._code, self._standing, self._told_of
        )

    def run_until(self, seconds: float) -> None:
        """Let virtual time pass up to `seconds` after the start."""
        self.clock.run_until(int(seconds * 1e9))
        self.axes.show()

    def stop(self) -> None:
        """Every controller stops: what it has open it ends, and that goes out."""
        for controller in self.controllers.values():
            controller.stop()
        self.clock.run_until(self.clock.now_ns + _LAST_WORDS_NS)
        self.axes.show()

    @property
    def lines(self) -> dict[str, SerialLine]:
        """The serial lines by their networks' ids."""
        return {
            key: medium.line for key, medium in self._media.items() if isinstance(medium, LineMedium | SegmentedMedium)
        }

    @property
    def on_the_fly(self) -> dict[str, OnTheFly]:
        """The media whose nodes alter passing frames, by their networks' ids."""
        return {key: medium for key, medium in self._media.items() if isinstance(medium, OnTheFly)}

    @property
    def seconds(self) -> float:
        """Virtual time since the start."""
        return self.clock.now_ns / 1e9

    def rebuilt(self, built: Plant) -> None:
        """The plant as built has changed: what is as it was goes on undisturbed."""
        before, self.built = self.built, built
        self._stand()
        tables = ("built_processes", "built_wires")
        if any(before.tables[name] != built.tables[name] for name in tables):
            self._begin_processes()
        if before.tables["built_scanners"] != built.tables["built_scanners"]:
            self.safety.devices_changed(as_devices_have_it(self.plant, built, self.catalogue))

    def parameter(self, station: str, key: str, value: Any = None) -> None:
        """Read a parameter in a device, or write it. Raises Refusal for what cannot be reached or is no value."""
        row = self.plant.get(station, Station)
        self.stations.parameter(self._media[row.network].master(), station, key, value)

    def scan(self, network: str, by: str, wanted: Mapping[str, Any]) -> None:
        """Scan a network for somebody, with what is wanted as its fieldbus reads it. Raises Refusal."""
        row = self.plant.get(network, Network)
        live = self._live(network)
        fields = {spec.path.partition(".")[2]: spec for spec in self.scan_fields(row)}
        unknown = next((key for key in wanted if key not in fields), None)
        if unknown is not None:
            raise Refusal(f"A scan of {row.name} has no setting {unknown!r}.", place=network, field=unknown)
        usual = {key: spec.default for key, spec in fields.items()}
        given = {key: fields[key].parse(value) for key, value in wanted.items()}
        self.scans.want(live, network, by, {**usual, **given})

    def stop_scan(self, network: str, by: str) -> None:
        """End a scan, or take back one's own that waits. Raises Refusal where there is none."""
        self.scans.stop(self._live(network), network, by)

    def act(self, network: str, at: str, key: str, value: str = "") -> None:
        """Do something to a device over its network; what came of it is told among the deeds. Raises Refusal."""
        row = self.plant.get(network, Network)
        bus, medium = fieldbus_of(row.kind), self._media[network].master()
        act = bus.live.act(key) if bus else None
        if bus is None or act is None or medium is None:
            raise Refusal("That cannot be done over this network; it is done at the device.", place=network)
        given = (act.reads or bus.addresses.read)(value) if act.asks else ""
        deed = Deed(network, at, f"{act.label}: asked")
        self.deeds = [*self.deeds[-9:], deed]

        def done(told: ParameterTold) -> None:
            deed.text, deed.good = told.text, told.good

        act.run(self.clock, medium, self._masters.get(network), at, given, done)

    def scan_fields(self, network: Network) -> tuple[FieldSpec, ...]:
        """What can be wanted of a scan of a network."""
        bus = fieldbus_of(network.kind)
        if bus is None or bus.live.scans is None:
            return ()
        port: Port | None = self.plant.find(network.port)
        return bus.live.scans.fields(network, port)

    def _live(self, network: str) -> Live | None:
        row: Network | None = self.plant.find(network)
        bus = fieldbus_of(row.kind) if row else None
        return bus.live if bus else None

    def _lines(self, network: Network) -> list[Line]:
        stations = self.plant.children(Station, network.id)
        return [line for station in stations for line in plant_lines(self.plant, self.catalogue, station)]

    def _scan_seat(
        self, network: str, wanted: Mapping[str, Any], find: Callable[[Found], None], over: Callable[[], None]
    ) -> ScanSeat:
        row = self.plant.get(network, Network)
        medium = self._media[network].master() if network in self._media else None
        if medium is not None and controller_of_port(self.plant.find, self.plant.find(row.port)) is None:
            medium = None
        return ScanSeat(
            self.clock, medium, self._masters.get(network), row, self._lines(row), wanted, self._types, find, over
        )

    def _types(self) -> list[DeviceType]:
        """Those built in, and those that the plant has from files."""
        pinned = (self.catalogue.find(pin.key) for pin in self.plant.all(PinnedType))
        return [*self.catalogue.types.values(), *(device for device in pinned if device)]

    # ── media, and what stands there

    def _own_chance(self) -> Random:
        return Random(self._chance.getrandbits(32))

    def _lay_in_order(self, bus: Fieldbus, medium: OnTheFly, stations: list[Station]) -> None:
        at = positions(bus, self.plant, self.catalogue.find, stations)
        for node in topology(bus.medium, stations).nodes:
            medium.lay(node.station, node.upstream, node.length_m or 0.0, int(at.get(node.station, "0")))

    def _laid(self) -> dict[str, BenchMedium]:
        """Every network's medium, and on Ethernet its cables."""
        media = Media(self.clock, self.ethernet)
        laid = {}
        drawn: dict[str, str] = {}
        for network in self.plant.all(Network):
            bus = fieldbus_of(network.kind)
            if bus is None:
                continue
            port: Port | None = self.plant.find(network.port)
            laid[network.id] = media.medium(bus.medium, port, self._own_chance())
            stations = self.plant.children(Station, network.id)
            medium = laid[network.id]
            if isinstance(medium, OnTheFly):
                self._lay_in_order(bus, medium, stations)
                continue
            self._lay_cables(bus, network, stations)
            for station in stations:
                partner = self._partner_port(station)
                if partner:
                    self.ethernet.cabling.join(station.id, partner.id)
                elif bus.addresses.everywhere and station.address and not bus.live.by_name:
                    # Two stations with one address are one device, which is on both networks.
                    self.ethernet.cabling.join(drawn.setdefault(station.address, station.id), station.id)
            if port:
                self.ethernet.cabling.join(network.id, port.id)
        for controller in self.plant.all(Controller):
            for port in self.plant.children(Port, controller.id):
                media.put_port(port)
        self._hosts = media.ports
        return laid

    def _lay_cables(self, bus: Fieldbus, network: Network, stations: list[Station]) -> None:
        """Each station's cable, and those that close rings which somebody keeps shut."""
        cabling = self.ethernet.cabling
        laid = topology(bus.medium, stations, self.plant.children(ClosingCable, network.id))
        rows = {station.id: station for station in stations}
        types = {station.id: self.catalogue.find(station.type) for station in stations}
        for node in laid.nodes:
            upper = node.upstream or network.id
            cabling.lay(node.station, upper, node.entry, node.socket, node.length_m or 0.0)
            device = types[node.station]
            if device and device.switch:
                cabling.passing_ns[node.station] = round(device.switch.delay_us * 1000)
                if device.switch.ring:
                    host = self.ethernet.attach(node.station, "")
                    called = bus.live.called
                    row = rows[node.station]
                    tell_neighbours(self.clock, host, called(row) if called else row.name)
        shut = {ring.cable for ring in rings_of(laid, rows, types) if ring.opened}
        for closing in laid.closings:
            if closing.cable in shut:
                cable = Cable(
                    closing.one, closing.other, closing.one_socket, closing.other_socket, closing.length_m or 0.0
                )
                cabling.close(cable, RECOVERY_MS * NS_A_MS)

    def _partner_port(self, station: Station) -> Port | None:
        """The port of a partner at which its station's cable is."""
        ports = self.plant.children(Port, station.partner) if station.partner else []
        return next((p for p in ports if p.address == station.address), ports[0] if ports else None)

    def _stand(self) -> None:
        """What stands there, as the plant as built says now."""
        for row in self.built.all(BuiltDevice):
            if row.network in self._media and row.id not in self.ethernet.cabling.above:
                self.ethernet.cabling.lay(row.id, row.network)
        self.devices.stand(standing_devices(self.plant, self.built, self.catalogue))
        for network, medium in self._media.items():
            if isinstance(medium, SegmentedMedium):
                medium.arrange(station.id for station in self.plant.children(Station, network))
        said = self._said = built_of(self.plant, self.built, self.catalogue)
        self.axes.stand(said)
        for station in self.plant.all(Station):
            if station.partner or is_switch(self.catalogue, station):
                built = said.get(station.id)
                if station.network in self._media:
                    plugged, powered = (built.cable, built.powered) if built else (True, True)
                    self._media[station.network].put(station.id, plugged=plugged, powered=powered)
        lines = {row.network: row.settings for row in self.built.all(BuiltLine)}
        for network, medium in self._media.items():
            medium.disturb(lines.get(network, {}))
        if not self._running:
            self._begin_processes()

    def _begin_processes(self) -> None:
        for running in self._running:
            running.over = True
        self._running = []
        self.signals.wired.clear()
        own: Terminals = {
            (module, channel): (controller.rail, key)
            for controller in self.controllers.values()
            for key in controller.rail.terminals
            for module, _, channel in [key.rpartition(".")]
        }
        for row in self.built.all(BuiltProcess):
            make = PROCESSES.get(row.model)
            if make is None:
                continue
            wires = self.built.children(BuiltWire, row.id)
            ends = {wire.end: (wire.module, wire.channel) for wire in wires}
            self.signals.wired |= {f"{module}.{channel}" for module, channel in ends.values()}
            process = make(_Wires(ends, self.devices, own), row.settings, self._own_chance())
            self._running.append(begin(process, self.clock))

    def _code(self, exchange: str) -> int:
        return next((c.codes[exchange] for c in self.controllers.values() if exchange in c.codes), 0)

    def _standing(self, station: str) -> StationStanding:
        row = self._said.get(station)
        plugged, powered = (row.cable, row.powered) if row else (True, True)
        return StationStanding(plugged, powered, self.devices.told(station), label_of(station), station)

    def _reached(self, row_id: str) -> tuple[ObjectAccess, Any] | None:
        row = self.plant.find(row_id)
        rail: Rail | None = self.plant.find(row.rail) if isinstance(row, Module) else None
        station = root_of(self.plant.find, rail).row if rail else row
        network: Network | None = self.plant.find(station.network) if isinstance(station, Station) else None
        bus = fieldbus_of(network.kind) if network else None
        if network and bus and isinstance(row, Module) and is_ports(rail) and isinstance(station, Station):
            return self._reached_on_port(network, bus, station, row)
        master = self._masters.get(network.id) if network else None
        return (bus.live.objects, master) if bus and bus.live.objects and master is not None else None

    def _reached_on_port(
        self, network: Network, bus: Fieldbus, station: Station, row: Module
    ) -> tuple[ObjectAccess, Any] | None:
        """The device on a port of a master, by way of that."""
        ask, medium = bus.live.ask_port, self._media[network.id].master()
        if ask is None or medium is None:
            raise Refusal(f"Over {bus.name} parameters of devices on ports are not reached yet.", place=row.id)
        device, rail = self.catalogue.find(row.type), self.plant.get(row.rail, Rail)

        def asked(one: PortAsk, done: Callable[[PortAnswer | str], None]) -> None:
            ask(self.clock, medium, station, rail.settings, one, done)

        return PORT_OBJECTS, PortReach(row.slot or 0, device.io_link if device else None, asked)

    def _told_of(self, network: Network) -> NetworkTold | None:
        bus, master = fieldbus_of(network.kind), self._masters.get(network.id)
        return bus.live.told(master) if bus and bus.live.told and master is not None else None

    # ── the controllers' side

    def _connect(self, analysis: Analysis, network: Network) -> Any:
        """The network's master, running; None where it has none."""
        bus = fieldbus_of(network.kind)
        owner = controller_of_port(self.plant.find, self.plant.find(network.port))
        if bus is None or owner is None:
            return None
        lines = list(self._bench_lines(analysis, network, owner))
        medium = self._media[network.id]
        carried = [live for line in lines for live in line.live.values()]
        master = bus.live.master(self.clock, self.controllers[owner.id], medium.master(), network, lines)
        self.controllers[owner.id].at_fault.append(lambda: _ended(carried))
        # What is drawn of the port holds unless the plant as built says otherwise.
        medium.disturb({row.network: row.settings for row in self.built.all(BuiltLine)}.get(network.id, {}))
        return master

    def _bench_lines(self, analysis: Analysis, network: Network, owner: Controller) -> Iterator[BenchLine]:
        image = analysis.result("controller.image", owner.id)
        other = {"in": "out", "out": "in"}
        bus = fieldbus_of(network.kind)
        stations = self.plant.children(Station, network.id)
        beyond = beyond_of(bus.medium, stations, self.plant.children(ClosingCable, network.id)) if bus else {}
        for station in addressed(bus, self.plant, self.catalogue.find, stations):
            for connection in self.plant.children(Connection, station.id):
                exchanges = tuple(self.plant.children(Exchange, connection.id))
                line = plant_line(self.plant, self.catalogue, station, connection)
                live = {x.id: ExchangeLive(x.id, x.name) for x in exchanges}
                self.exchanges.update(live)
                if line.parked:
                    for one in live.values():
                        # Nobody waits for it, as for one that is made when the program wants it.
                        one.text, one.on_demand = "switched off", True
                    continue
                items = {x.id: image.item(x.id, x.direction) for x in exchanges}
                gone = {x.id: image.item(x.id, other[x.direction]) for x in exchanges}
                offsets = {key: item.offset for key, item in items.items() if item}
                back = {key: item.offset for key, item in gone.items() if item}
                yield BenchLine(line, offsets, live, back, beyond.get(station.id, ()))

    # ── signals

    def value(self, signal: str) -> tuple[Value | None, str]:
        """A signal's value and whether it is good, old (its exchange fails), forced, or of an input not wired.

        A program's own variable is good while its controller runs the program, and then old.
        """
        program, mark, _ = signal.partition(".")
        if mark:
            own = self.programs.get(program)
            if own is None:
                return None, "old"
            runs = own.state == "running" and not self.controllers[own.controller].stopped
            return own.value(signal), "good" if runs else "old"
        return self.signals.value(signal)
