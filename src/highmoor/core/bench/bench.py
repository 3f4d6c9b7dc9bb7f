"""The bench of one plant: compiled at download from a revision and the plant as built, then driven in virtual time."""

from __future__ import annotations

import dataclasses
import math
from dataclasses import replace
from random import Random
from typing import Any, Literal

from highmoor.core.analysis.engine import Analysis
from highmoor.core.bench.adapters import ADAPTER_MODELS
from highmoor.core.bench.as_built import AsBuilt, BuiltDevice, BuiltLine
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.compiling import compiled_controller
from highmoor.core.bench.controller import SignalCode, SimulatedController, Value
from highmoor.core.bench.couplers import SimulatedCoupler, rail_as_configured, simulated_coupler
from highmoor.core.bench.ethernet import Ethernet, EthernetWire
from highmoor.core.bench.partners import partners_serving
from highmoor.core.bench.processes import DEVICE_MODELS, PROCESSES, Process
from highmoor.core.bench.rail import NS_A_MS, SimulatedRail
from highmoor.core.bench.serial_line import SerialDevice, SerialLine
from highmoor.core.catalogue.meaning import meaning
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.hardware.parameters import parameter_field
from highmoor.core.hardware.ports import controller_of_port, port_label
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.alive import ExchangeLive, ParameterTold
from highmoor.core.networks.ethernet_ip.adapter import Adapter
from highmoor.core.networks.ethernet_ip.adapter_facts import AdapterFacts
from highmoor.core.networks.ethernet_ip.as_configured import adapter_as_configured
from highmoor.core.networks.fieldbus import BenchLine, Line
from highmoor.core.networks.lines import plant_lines
from highmoor.core.networks.modbus.server import RegisterServer
from highmoor.core.networks.modbus.settings import reply_ms
from highmoor.core.networks.modbus_rtu.settings import line_settings, port_terminated
from highmoor.core.networks.modbus_tcp.bench import TcpServer
from highmoor.core.networks.parked import is_parked
from highmoor.core.numbers import exact, parse_number, plain, shown
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Controller, Exchange, Module, Network, Port, Rail, Signal, Station
from highmoor.core.signals.conversion import Conversion

_STEP_NS = 50 * NS_A_MS
_LAST_WORDS_NS = 100 * NS_A_MS
_PARAMETERS_AT_MOST = 200
Quality = Literal["good", "old", "forced", "not wired"]


class _Wires:
    """A process's ends, tied to the terminals that the as-built plan names; ends without a wire give and take 0."""

    def __init__(self, wires: dict[str, tuple[SimulatedRail, str]]) -> None:
        self._wires = {end: wire for end, wire in wires.items() if wire[1] in wire[0].terminals}

    def give(self, wire: str, value: float) -> None:
        rail, terminal = self._wires.get(wire, (None, ""))
        if rail and rail.terminals[terminal].inward:
            rail.give(terminal, value)

    def take(self, wire: str) -> float:
        rail, terminal = self._wires.get(wire, (None, ""))
        return rail.take(terminal) if rail and not rail.terminals[terminal].inward else 0.0


class Bench:
    """A plant alive. Nothing here knows of real time; whoever drives it says how far to go."""

    def __init__(self, plant: Plant, catalogue: Catalogue, as_built: AsBuilt | None = None) -> None:
        self.plant = plant
        self.clock = VirtualClock()
        self.ethernet = Ethernet(self.clock)
        self._catalogue = catalogue
        self.couplers: list[SimulatedCoupler] = []
        self._random = Random(as_built.seed if as_built else 1)
        analysis = analyse(plant, catalogue)
        self.controllers = {
            controller.id: compiled_controller(analysis, controller, self.clock) for controller in plant.all(Controller)
        }
        self._owner = {code: c for c in self.controllers.values() for code in c.signals}
        self.exchanges: dict[str, ExchangeLive] = {}
        self.parameters: dict[str, dict[str, tuple[ParameterTold, int]]] = {}
        # Terminals of inputs to which the plant as built has a wire; what stands at others is nothing, not 0.
        self._wired: set[str] = set()
        built = as_built or as_configured(plant, catalogue)
        self.lines = self._lines(built)
        self._build(built)
        self.ethernet.devices.update(partners_serving(analysis, self.controllers, self.clock))
        for network in plant.all(Network):
            self.ethernet.lay(plant.children(Station, network.id))
            self._connect(analysis, network)

    def run_until(self, seconds: float) -> None:
        """Let virtual time pass up to `seconds` after the start."""
        self.clock.run_until(int(seconds * 1e9))

    def stop(self) -> None:
        """Every controller stops: what it has open it ends, and that goes out."""
        for controller in self.controllers.values():
            controller.stop()
        self.clock.run_until(self.clock.now_ns + _LAST_WORDS_NS)

    @property
    def seconds(self) -> float:
        """Virtual time since the start."""
        return self.clock.now_ns / 1e9

    def _lines(self, built: AsBuilt) -> dict[str, SerialLine]:
        """A serial line for each network of that medium, by the label of the port it is on."""
        laid = {line.port: line for line in built.lines}
        lines = {}
        for network in self.plant.all(Network):
            bus = fieldbus_of(network.kind)
            port: Port | None = self.plant.find(network.port)
            if bus and port and bus.medium == "rs-485":
                label = port_label(self.plant.find, port)
                told = laid.get(label, BuiltLine(port=label, terminated=port_terminated(network)))
                lines[label] = SerialLine(self.clock, self._own_random(), told.noise, told.terminated)
        return lines

    def _line_of(self, network: Network) -> SerialLine | None:
        port: Port | None = self.plant.find(network.port)
        return self.lines.get(port_label(self.plant.find, port)) if port else None

    def _on_line(self, device: BuiltDevice) -> None:
        """A device onto its serial line, set as it is set at the device."""
        network = next((n for n in self.plant.all(Network) if self._line_of(n) is self.lines.get(device.line)), None)
        if device.line not in self.lines or network is None or not device.address.isdigit():
            return
        agreed = {**network.settings, **device.set_to}
        on = line_settings(dataclasses.replace(network, settings=agreed))
        server = RegisterServer(device.reply_ms)
        self.lines[device.line].devices.append(SerialDevice(int(device.address), on, server, device.terminated))
        model = DEVICE_MODELS.get(device.model)
        if model:
            self._go_on(model(server, device.settings, self._own_random()))

    def _build(self, built: AsBuilt) -> None:
        for device in built.devices:
            if device.line:
                self._on_line(device)
                continue
            if device.adapter:
                self._on_ethernet_ip(device, device.adapter)
                continue
            if device.rail:
                made = simulated_coupler(device, self._catalogue, self.clock)
                self.couplers.append(made)
                self.ethernet.devices["modbus-tcp", device.address] = TcpServer(made.server)
                continue
            server = RegisterServer(device.reply_ms)
            self.ethernet.devices["modbus-tcp", device.address] = TcpServer(server)
            model = DEVICE_MODELS.get(device.model)
            if model:
                self._go_on(model(server, device.settings, self._own_random()))
        for process in built.processes:
            controller = self._controller_named(process.controller)
            make = PROCESSES.get(process.model)
            if controller and make:
                ends = {end: self._terminal(controller, where) for end, where in process.wires.items()}
                self._wired |= {terminal for _, terminal in ends.values()}
                self._go_on(make(_Wires(ends), process.settings, self._own_random()))

    def _on_ethernet_ip(self, device: BuiltDevice, facts: AdapterFacts) -> None:
        adapter = Adapter(facts, self.clock, device.reply_ms, device.address)
        self.ethernet.devices["ethernet-ip", device.address] = adapter
        model = ADAPTER_MODELS.get(device.model)
        if model:
            self._go_on(model(adapter, device.settings, self._own_random()))

    def _own_random(self) -> Random:
        return Random(self._random.getrandbits(32))

    def _go_on(self, process: Process) -> None:
        self.clock.every(_STEP_NS, lambda: process.step(_STEP_NS / 1e9), priority=-1)

    def _controller_named(self, name: str) -> SimulatedController | None:
        found = next((c for c in self.plant.all(Controller) if c.name == name), None)
        return self.controllers.get(found.id) if found else None

    def _terminal(self, controller: SimulatedController, where: str) -> tuple[SimulatedRail, str]:
        """`-K4:ch0` as a rail and the key of a terminal on it; "" when no module bears that designation."""
        designation, _, channel = where.rpartition(":")
        for rail in self.plant.children(Rail, controller.id):
            for module in self.plant.children(Module, rail.id):
                if module.designation == designation:
                    return controller.rail, f"{module.id}.{channel}"
        for made in self.couplers:
            if designation in made.modules:
                return made.rail, f"{made.modules[designation]}.{channel}"
        return controller.rail, ""

    def _connect(self, analysis: Analysis, network: Network) -> None:
        bus = fieldbus_of(network.kind)
        port: Port | None = self.plant.find(network.port)
        owner = controller_of_port(self.plant.find, port)
        if bus is None or owner is None:
            return
        controller = self.controllers[owner.id]
        image = analysis.result("controller.image", owner.id)
        lines = []
        for station in self.plant.children(Station, network.id):
            for connection in self.plant.children(Connection, station.id):
                exchanges = tuple(self.plant.children(Exchange, connection.id))
                line = Line(station, connection, exchanges, self._catalogue.find(station.type))
                live = {x.id: ExchangeLive(x.id, x.name) for x in line.exchanges}
                items = {x.id: image.item(x.id, x.direction) for x in line.exchanges}
                offsets = {key: item.offset for key, item in items.items() if item}
                self.exchanges.update(live)
                other = {"in": "out", "out": "in"}
                gone = {x.id: image.item(x.id, other[x.direction]) for x in line.exchanges}
                back = {key: item.offset for key, item in gone.items() if item}
                if line.parked:
                    for one in live.values():
                        # Nobody waits for it, as for one that is made when the program wants it.
                        one.text, one.on_demand = "switched off", True
                    continue
                lines.append(BenchLine(line, offsets, live, back))
        wired = bus.medium == "ethernet" and port is not None
        medium = EthernetWire(self.ethernet, bus.key, port.address) if wired and port else self._line_of(network)
        bus.bench(self.clock, controller, medium, network, lines)

    # ── what is seen

    def value(self, signal: str) -> tuple[Value | None, Quality]:
        """A signal's value and whether it is good, old (its exchange fails) or forced."""
        controller = self._owner.get(signal)
        if controller is None:
            return None, "old"
        code = controller.signals[signal]
        if signal in controller.forces:
            return controller.forces[signal], "forced"
        old = code.area == "in" and code.holder in self.exchanges and not controller.status_good(code.holder)
        if code.area == "in" and code.terminal and code.terminal not in self._wired:
            return None, "not wired"
        return controller.value(code), "old" if old else "good"

    def beside(self, signal: str) -> tuple[int | float | None, str]:
        """What stands beside a value: its counts, and what is at its terminals or what it means, in words.

        None and "" for neither.
        """
        controller = self._owner.get(signal)
        code = controller.signals[signal] if controller else None
        if controller is None or code is None or not code.area or code.declared.bits == 1:
            return None, ""
        if code.words is not None:
            number = int(controller.value(code))
            return None, code.words(number) if number else ""
        if code.channel is None and code.scaling is None:
            return None, ""
        image = controller.image_out if code.area == "out" else controller.seen.get(code.task, controller.image_in)
        raw = replace(code, scaling=None).read(image)
        if code.channel is None:
            return raw, ""
        electrical = Conversion(code.channel, None, True).of_raw(exact(raw)).electrical
        return raw, f"{shown(electrical or 0, 5)} {code.channel.unit}"

    def stations(self) -> list[dict[str, Any]]:
        """Each station with its exchanges: state, words, last octets both ways."""
        told = []
        for network in self.plant.all(Network):
            for station in self.plant.children(Station, network.id):
                lives = [
                    self.exchanges[x.id]
                    for connection in self.plant.children(Connection, station.id)
                    for x in self.plant.children(Exchange, connection.id)
                    if x.id in self.exchanges
                ]
                told.append(self._station(network, station, lives))
        return told

    def _station(self, network: Network, station: Station, lives: list[ExchangeLive]) -> dict[str, Any]:
        line = self._line_of(network)
        there = [d for d in line.devices if str(d.station) == station.address] if line else []
        bad = [live for live in lives if live.state == "bad"]
        cyclic = [live for live in lives if not live.on_demand]
        waiting = any(live.state == "waiting" for live in cyclic) or not any(live.state == "good" for live in lives)
        plugged = self._plugged(line, station)
        state = "bad" if bad else "waiting" if waiting else "good"
        unasked = "nothing asked yet" if cyclic else "asked when the program wants it" if lives else "nothing to ask"
        text = bad[0].text if bad else unasked if waiting else "good"
        device = self._catalogue.find(station.type)
        if is_parked(station):
            state, text = "waiting", "switched off"
        elif device and device.kind == "switch":
            state, text = ("good", "passes on") if plugged else ("bad", "its cable is out")
        return {
            "id": station.id,
            "name": station.name,
            "address": station.address,
            "state": state,
            "text": text,
            "cable": plugged,
            # A broadcast goes to everybody: it is nobody whose cable could be pulled.
            "parked": is_parked(station),
            "everybody": line is not None and station.address == "0",
            "parameters": self._parameters(network, station, device),
            "hears": "; ".join(device.told for device in there if device.told),
            "exchanges": [
                {
                    "id": live.exchange,
                    "name": live.name,
                    "state": live.state,
                    "text": live.text,
                    "request": live.request.hex(" ").upper(),
                    "response": live.response.hex(" ").upper(),
                    "data": live.data.hex(" ").upper(),
                    "last_good_s": None if live.last_good_ns is None else live.last_good_ns / 1e9,
                    "transactions": live.transactions,
                    "failures": live.failures,
                }
                for live in lives
            ],
        }

    def _parameters(self, network: Network, station: Station, device: DeviceType | None) -> list[dict[str, Any]]:
        """A device's parameters that can be reached over its network, with what was last read of each."""
        bus = fieldbus_of(network.kind)
        if bus is None or bus.parameters is None or device is None or device.kind != "device":
            return []
        seen = self.parameters.get(station.id, {})
        told = []
        for parameter in [p for p in device.parameters if p.path][:_PARAMETERS_AT_MOST]:
            last, at_ns = seen.get(parameter.key, (ParameterTold(True, ""), 0))
            told.append(
                {
                    "key": parameter.key,
                    "label": parameter.label,
                    "path": parameter.path,
                    "usual": meaning(parameter, parameter.default) or str(parameter.default),
                    "writable": parameter.access != "read",
                    "good": last.good,
                    "text": last.text,
                    "value": last.value,
                    "meaning": meaning(parameter, last.value),
                    "octets": last.octets.hex(" ").upper(),
                    "at_s": at_ns / 1e9 if last.text else None,
                }
            )
        return told

    def forces(self) -> dict[str, Value]:
        """All forces by signal."""
        return {signal: value for c in self.controllers.values() for signal, value in c.forces.items()}

    # ── what is done

    def write(self, signal: str, value: Any) -> None:
        """Write an output once, as the program would. Raises Refusal for what cannot be written."""
        controller, code = self._code(signal)
        if code.area == "in":
            raise Refusal("What comes from the field cannot be written; it can be forced.", place=signal)
        controller.program[signal] = self._within(code, _fitting(code.declared.family, value))

    def force(self, signal: str, value: Any) -> None:
        """Impose a value until it is released."""
        controller, code = self._code(signal)
        # What comes in may be forced beyond what its channel could bring, but not beyond what it can be.
        bounds = replace(code, least=code.declared.low, most=code.declared.high) if code.area == "in" else code
        controller.forces[signal] = self._within(bounds, _fitting(code.declared.family, value))

    def _within(self, code: SignalCode, value: Value) -> Value:
        """A value that its type and its place can hold. Raises Refusal for one beyond."""
        row: Signal | None = self.plant.find(code.id)
        too_low = code.least is not None and value < code.least
        if too_low or (code.most is not None and value > code.most):
            low, high = (shown(end) if end is not None else "…" for end in (code.least, code.most))
            name, unit = (row.name, f" {row.unit}" if row.unit else "") if row else (code.id, "")
            raise Refusal(f"{name} goes from {low} to {high}{unit}; {shown(value)} is beyond.", value=value)
        return value

    def release(self, signal: str) -> None:
        """End a force; an output goes back to what the program has."""
        controller, _ = self._code(signal)
        controller.forces.pop(signal, None)

    def parameter(self, station: str, key: str, value: Any = None) -> None:
        """Read a parameter in a device, or write it. Raises Refusal for what cannot be reached or is no value."""
        row = self.plant.get(station, Station)
        network = self.plant.get(row.network, Network)
        bus, device = fieldbus_of(network.kind), self._catalogue.find(row.type)
        parameter = next((p for p in device.parameters if p.key == key), None) if device else None
        if bus is None or bus.parameters is None or parameter is None:
            raise Refusal(f"{row.name} has no parameter {key} that can be reached here.", place=station)
        raw = None if value is None else parameter_field(replace(parameter, access="read-write"), key).parse(value)

        def done(told: ParameterTold) -> None:
            self.parameters.setdefault(station, {})[key] = (told, self.clock.now_ns)

        self.parameters.setdefault(station, {})[key] = (ParameterTold(True, "asked"), self.clock.now_ns)
        port: Port | None = self.plant.find(network.port)
        wire = EthernetWire(self.ethernet, bus.key, port.address if port else "")
        bus.parameters(self.clock, wire, row, parameter, raw, done)

    def cable(self, station: str, *, plugged: bool) -> None:
        """Pull a station's cable, or plug it back."""
        row = self.plant.get(station, Station)
        line = self._line_of(self.plant.get(row.network, Network))
        if line is None:
            (self.ethernet.pulled.discard if plugged else self.ethernet.pulled.add)(row.id)
        elif row.address.isdigit():
            (line.pulled.discard if plugged else line.pulled.add)(int(row.address))

    def _plugged(self, line: SerialLine | None, station: Station) -> bool:
        if line is None:
            return station.id not in self.ethernet.pulled
        return not (station.address.isdigit() and int(station.address) in line.pulled)

    def _code(self, signal: str) -> tuple[SimulatedController, Any]:
        controller = self._owner.get(signal)
        if controller is None:
            row: Signal | None = self.plant.find(signal)
            raise Refusal(
                f"{row.name if row else signal} was not there when this revision was downloaded.", place=signal
            )
        return controller, controller.signals[signal]


def _fitting(family: str, value: Any) -> Value:
    if family == "bool":
        if isinstance(value, bool) or value in (0, 1, "0", "1"):
            return bool(int(value))
        raise Refusal(f"A BOOL is 0 or 1, not {value!r}.", value=value)
    number = plain(parse_number(value)) if isinstance(value, str) else value
    if isinstance(number, bool) or not isinstance(number, int | float) or not math.isfinite(number):
        raise Refusal(f"{value!r} is not a number.", value=value)
    if family != "real" and number != int(number):
        raise Refusal(f"A whole number is expected, not {value}.", value=value)
    return number


def as_configured(plant: Plant, catalogue: Catalogue) -> AsBuilt:
    """Where nothing is known of the plant as built, it is built as configured: servers that hold what is written."""
    devices: dict[tuple[str, str, str], BuiltDevice] = {}
    for station in plant.all(Station):
        network = plant.get(station.network, Network)
        bus = fieldbus_of(network.kind)
        port: Port | None = plant.find(network.port)
        line = port_label(plant.find, port) if bus and port and bus.medium == "rs-485" else ""
        device = catalogue.find(station.type)
        if (device and device.kind == "switch") or station.partner:
            continue
        if not station.address or (bus and bus.medium == "rs-485" and not (line and station.address.isdigit())):
            continue
        made = BuiltDevice(
            address=station.address, type=station.type, line=line, rail=rail_as_configured(plant, station),
            settings={k: v for k, v in station.settings.items() if k == "watchdog_ms"}, reply_ms=reply_ms(station),
            terminated=bool(station.settings.get("terminated", False)),
            adapter=adapter_as_configured(plant_lines(plant, catalogue, station), catalogue.find(station.type))
            if network.kind == "ethernet-ip" else None,
        )  # fmt: skip
        # Who speaks two fieldbuses at one address is asked by either.
        devices.setdefault((network.kind, line, station.address), made)
    return AsBuilt(devices=[made for made in devices.values() if made.address != "0"])
