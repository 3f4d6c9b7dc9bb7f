"""All of one controller that is safe: its safe modules with their links, its safe part, sensors and actuators."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.bench.axes.of_plant import AxesLive
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.controller import SimulatedController
from highmoor.core.bench.rail import NS_A_MS
from highmoor.core.bench.safety.contacts import Contacts
from highmoor.core.bench.safety.driven import DrivenInputs
from highmoor.core.bench.safety.inputs import InputPair
from highmoor.core.bench.safety.outputs import Actuator, OutputChannels
from highmoor.core.bench.safety.part import NEVER, At, Bit, FeedbackRun, FunctionRun, Heard, SafePartRun
from highmoor.core.bench.safety.scanner import ScannerOutput, SimulatedScanner
from highmoor.core.bench.safety.set_up import rows_of, set_up
from highmoor.core.bench.safety.stopping import StopWatch
from highmoor.core.bench.safety.telegrams import Telegrams
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.hardware.mounting import modules_behind
from highmoor.core.hardware.safe_pairs import Pair, pair_at, pairs_of
from highmoor.core.numbers import Settings, fraction_at, number_at
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    Controller,
    Link,
    Module,
    SafetyFunction,
    SafetyPart,
    Scanner,
    Use,
)
from highmoor.core.safety.logic import Feedback, FunctionState, OutputState
from highmoor.core.safety.scanner.signals import ENABLE, OUTPUT, SELECT
from highmoor.core.safety.settings import BRAKING, TORQUE_BLOCKS, is_safe, safe_part_of, watchdog_of
from highmoor.core.signals.path import SignalPath


def _ns(settings: Settings, key: str, usual: float = 0.0) -> int:
    return round(number_at(settings, key, usual) * NS_A_MS)


@dataclass(slots=True)
class InputModule:
    """A safe input module with what the safe part has of it."""

    pairs: dict[str, InputPair]
    link: Telegrams[dict[str, bool]]
    heard: Heard


@dataclass(slots=True)
class OutputModule:
    """A safe output module with its link."""

    channels: OutputChannels
    link: Telegrams[dict[str, bool]]


@dataclass(slots=True)
class ControllerSafety:
    """All of one controller that is safe."""

    analysis: Analysis
    clock: VirtualClock
    controller: SimulatedController
    axes: AxesLive
    row: Controller
    device: DeviceType
    # The plant with every scanner as it has it in itself.
    in_devices: Plant
    inputs: dict[str, InputModule] = field(default_factory=dict)
    outputs: dict[str, OutputModule] = field(default_factory=dict)
    contacts: dict[str, Contacts] = field(default_factory=dict)
    # The terminals that contacts are at.
    sensed: set[str] = field(default_factory=set)
    # Actuators by their parts' ids, each with the output it hangs on.
    actuators: dict[str, tuple[At, Actuator]] = field(default_factory=dict)
    scanners: dict[str, SimulatedScanner] = field(default_factory=dict)
    # By their scanners, inputs that outputs of the controller drive.
    driven: dict[str, DrivenInputs] = field(default_factory=dict)
    # Of actuators that stop an axis, how long that took.
    stops: dict[str, StopWatch] = field(default_factory=dict)
    part: SafePartRun = field(init=False)
    # What reads plain signals, by their ids: as they are, and as buttons.
    _bits: dict[str, Bit] = field(default_factory=dict)
    _buttons: dict[str, Bit] = field(default_factory=dict)

    @property
    def plant(self) -> Plant:
        """As it was downloaded."""
        return self.analysis.plant

    @property
    def catalogue(self) -> Catalogue:
        """Of its device types."""
        return self.analysis.catalogue

    def __post_init__(self) -> None:
        for module in modules_behind(self.plant, self.row.id):
            device = self.catalogue.find(module.type)
            if device is not None and is_safe(device):
                self._put_up(module, device)
        parts = [part for one in self._functions() for part in self.plant.children(SafetyPart, one.id)]
        for part in parts:
            self._wire(part)
        for row in self.plant.children(Scanner, self.row.id):
            self.scanners[row.id] = self._scanner(row)
            self._at_plain_channels(row, self.scanners[row.id])
        outputs = {(module, pair) for module, one in self.outputs.items() for pair in one.channels.on}
        runs = [self._run_of(one) for one in self._functions()]
        starts = {at for run in runs if run.start for at in run.outputs}
        self.part = SafePartRun(
            self.clock, safe_part_of(self.row.settings), {key: one.heard for key, one in self.inputs.items()}, runs,
            {at: OutputState(waits=at in starts) for at in sorted(outputs)}, list(self._feedbacks(parts)),
            lambda module: self.outputs[module].link.changed(), self._acknowledge, self._ended,
        )  # fmt: skip

    def begin(self) -> None:
        """From power-up on."""
        for module in self.inputs.values():
            module.link.begin()
        for output in self.outputs.values():
            output.link.begin()
        self.part.begin()
        for scanner in self.scanners.values():
            scanner.begin()
        for inputs in self.driven.values():
            inputs.begin(self.clock)

    # ── putting up

    def _functions(self) -> list[SafetyFunction]:
        return self.plant.children(SafetyFunction, self.row.id)

    def _put_up(self, module: Module, device: DeviceType) -> None:
        pairs = pairs_of(device, module.settings)
        if any(pair.inward for pair in pairs):
            self._put_up_inputs(module, device, pairs)
        else:
            self._put_up_outputs(module, device, pairs)

    def _link(
        self, module: Module, says: Callable[[], dict[str, bool]], heard: Callable[[dict[str, bool]], None],
        late: Callable[[], None],
    ) -> Telegrams[dict[str, bool]]:  # fmt: skip
        facts = self.device.safety
        assert facts is not None
        period, transit = round(facts.telegram_ms * NS_A_MS), round(facts.transit_ms * NS_A_MS)
        watchdog = round(watchdog_of(module.settings) * NS_A_MS)
        return Telegrams(self.clock, max(period, 1), transit, watchdog, says, heard, late)

    def _put_up_inputs(self, module: Module, device: DeviceType, pairs: tuple[Pair, ...]) -> None:
        assert device.safety is not None
        made: dict[str, InputPair] = {}
        heard = Heard(any(pair.by_hand for pair in pairs))

        def says() -> dict[str, bool]:
            return {key: on for one in made.values() for key, on in zip(one.pair.channels, one.given, strict=True)}

        def hear(values: dict[str, bool]) -> None:
            heard.hear(values)
            self._show(module.id, heard)

        def late() -> None:
            heard.late()
            self._show(module.id, heard)

        link = self._link(module, says, hear, late)
        for pair in pairs:
            one = made[pair.key] = InputPair.of(pair, device.safety, self.clock, link.changed)
            for n, channel in enumerate(pair.channels):
                self.controller.rail.safe[f"{module.id}.{channel}"] = lambda on, one=one, n=n: one.take(n, on)  # type: ignore[misc]
        self.inputs[module.id] = InputModule(made, link, heard)

    def _show(self, module: str, heard: Heard) -> None:
        """What the safe part has of a module stands in the image, for all to read."""
        rail = self.controller.rail
        for key in heard.values:
            terminal = rail.terminals.get(f"{module}.{key}")
            if terminal:
                terminal.put(rail.image_in, int(heard.value(key)))

    def _put_up_outputs(self, module: Module, device: DeviceType, pairs: tuple[Pair, ...]) -> None:
        assert device.safety is not None
        by_key = {pair.key: pair for pair in pairs}
        keys = [key for pair in pairs for key in (pair.channels if not pair.together else (pair.key,))]

        def switched(key: str, on: bool) -> None:
            self._switched(module.id, by_key.get(key), key, on)

        channels = OutputChannels(
            self.clock, round(device.safety.worst_ms * NS_A_MS), switched, any(pair.by_hand for pair in pairs),
            dict.fromkeys(keys, False),
        )  # fmt: skip

        def says() -> dict[str, bool]:
            return {key: self.part.told.get((module.id, key), False) for key in keys}

        self.outputs[module.id] = OutputModule(channels, self._link(module, says, channels.hear, channels.late))

    def _switched(self, module: str, pair: Pair | None, key: str, on: bool) -> None:
        """An output went on or off: at its terminals, in the signals that are linked to it, for what it switches."""
        rail = self.controller.rail
        for channel in pair.channels if pair and pair.together else (key,):
            terminal = rail.terminals.get(f"{module}.{channel}")
            if terminal:
                terminal.put(rail.image_out, int(on))
        for link in (self.plant.get(i, Link) for i in self.plant.referring("links", "place", module)):
            if link.key == key and link.signal in self.controller.signals:
                self.controller.put(link.signal, on)
        for at, actuator in self.actuators.values():
            if at == (module, key):
                actuator.switch(on)

    def _wire(self, part: SafetyPart) -> None:
        module = self.plant.find(part.place)
        if not isinstance(module, Module):
            return
        pair = pair_at(self.catalogue.find(module.type), module.settings, part.key)
        if pair is None or (pair.together and part.key != pair.key):
            return
        if part.role == "sensor" and module.id in self.inputs and pair.inward:
            at = tuple(n for n, key in enumerate(pair.channels) if pair.together or key == part.key)
            for channel in (pair.channels[n] for n in at):
                # Its contacts alone move these terminals.
                self.controller.rail.safe[f"{module.id}.{channel}"] = lambda on: None
                self.sensed.add(f"{module.id}.{channel}")
            own = part.settings.get("pulsed") is True
            there = self.inputs[module.id].pairs[pair.key]
            # Several functions can have one sensor.
            known = next((one for one in self.contacts.values() if one.pair is there and one.at == at), None)
            self.contacts[part.id] = known or Contacts(self.clock, there, own, at)
        elif part.role == "actuator" and module.id in self.outputs and not pair.inward:
            delay = _ns(part.settings, "delay_ms") if part.block in BRAKING else 0
            made = Actuator(self.clock, _ns(part.settings, "worst_ms"), delay, _ns(part.settings, "drop_out_ms", 20))
            made.feedback = self._feedback_contact(part)
            made.feedback(True)
            if part.device in self.axes.axes and part.block in TORQUE_BLOCKS:
                self._at_drive(part, made, part.device)
            self.actuators[part.id] = ((module.id, part.key), made)

    def _scanner(self, row: Scanner) -> SimulatedScanner:
        """A scanner with what it has in itself, and what its outputs are wired to."""
        of, walls, situations = set_up(self.in_devices, self.plant, row)
        outputs = {n: ScannerOutput() for n in range(1, of.outputs + 1)}
        for part in (self.plant.get(i, SafetyPart) for i in self.plant.referring("safety_parts", "device", row.id)):
            contacts, output = self.contacts.get(part.id), outputs.get(part.settings.get("output", 1))
            if contacts is not None and output is not None:
                contacts.move(demand=True, by=row.id)
                before = output.changed

                def changed(on: bool, contacts: Contacts = contacts, before: Any = before) -> None:
                    before(on)
                    contacts.move(demand=not on, by=row.id)

                output.changed = changed
        return SimulatedScanner(self.clock, of, walls, situations, outputs)

    def _at_plain_channels(self, row: Scanner, scanner: SimulatedScanner) -> None:
        """Its inputs at outputs of the controller, its outputs at plain inputs: where their signals are linked."""
        uses = {use.role: use.signal for use in self.plant.children(Use, row.id)}
        rail = self.controller.rail
        for n, output in scanner.outputs.items():
            there = self.terminal(uses.get(f"{OUTPUT}{n}"), inward=True)
            if there is None or there in rail.safe:
                continue
            self.sensed.add(there)
            before = output.changed

            def changed(on: bool, there: str = there, before: Any = before) -> None:
                before(on)
                rail.give(there, float(on))

            output.changed = changed
        at = {n: self.terminal(uses.get(f"{SELECT}{n}"), inward=False) for n in range(1, scanner.of.inputs + 1)}
        terminals = {n: there for n, there in at.items() if there is not None}
        if terminals:
            self.driven[row.id] = DrivenInputs(scanner, rail, terminals, self.terminal(uses.get(ENABLE), inward=False))

    def terminal(self, signal: str | None, *, inward: bool) -> str | None:
        """Where a signal is linked to a channel of the controller's own."""
        links = (self.plant.get(i, Link) for i in self.plant.referring("links", "signal", signal or ""))
        keys = (f"{link.place}.{link.key}" for link in links)
        terminals = self.controller.rail.terminals
        return next((key for key in keys if key in terminals and terminals[key].inward == inward), None)

    def devices_changed(self, in_devices: Plant) -> None:
        """What scanners have in themselves is another now: those begin anew."""
        before, self.in_devices = self.in_devices, in_devices
        for key, scanner in self.scanners.items():
            if rows_of(before, key) != rows_of(in_devices, key):
                scanner.restart(*set_up(in_devices, self.plant, self.plant.get(key, Scanner)))

    def _at_drive(self, part: SafetyPart, actuator: Actuator, axis: str) -> None:
        """It takes the supply of an axis's motor, from power-up on."""
        watch = self.stops[part.id] = StopWatch(self.clock, self.axes, axis)

        def supply(on: bool) -> None:
            if not on:
                watch.begin()
            self.axes.take_torque(axis, part.id, off=not on)

        def brake() -> None:
            watch.begin()
            self.axes.brake_safely(axis)

        def stands() -> bool:
            self.axes.show()
            there = self.axes.axes.get(axis)
            return there is not None and not there.machine.speed

        actuator.supply, actuator.brakes = supply, brake
        if part.block == "ss1-r":
            actuator.stands = stands
        supply(False)

    def _feedback_contact(self, part: SafetyPart) -> Callable[[bool], None]:
        """What moves the terminal that the feedback's signal is read from."""
        use = next((use for use in self.plant.children(Use, part.id) if use.role == "feedback"), None)
        rail = self.controller.rail
        terminal = self.terminal(use.signal if use else None, inward=True)
        return (lambda closed: rail.give(terminal, float(closed))) if terminal else lambda closed: None

    def _run_of(self, function: SafetyFunction) -> FunctionRun:
        parts = self.plant.children(SafetyPart, function.id)
        wired = [part for part in parts if part.id in self.contacts or part.id in self.actuators]
        uses = {use.role: use.signal for use in self.plant.children(Use, function.id)}
        sensors = tuple(dict.fromkeys((str(p.place), p.key) for p in wired if p.role == "sensor"))
        # One that is wired to nothing is never good.
        whole = all(part in wired for part in parts if part.role == "sensor")
        by_hand = function.settings.get("restart", "hand") == "hand"
        return FunctionRun(
            function.id, FunctionState(by_hand), sensors if whole else (),
            tuple(dict.fromkeys((str(p.place), p.key) for p in wired if p.role == "actuator")),
            self._button(uses.get("reset")), self._button(uses["start"]) if "start" in uses else None,
            self._bit(uses.get("stop")),
        )  # fmt: skip

    def _bit(self, signal: str | None) -> Bit:
        """A plain signal as the controller has it; one for all who read it."""
        code = self.controller.signals.get(signal or "")
        if code is None:
            return NEVER
        return self._bits.setdefault(code.id, lambda: bool(self.controller.value(code)))

    def _button(self, signal: str | None) -> Bit:
        """A button counts as pressed until it was surely read once: one that is held at power-up must not seem to be
        pressed only then."""
        code = self.controller.signals.get(signal or "")
        if code is None or signal is None:
            return NEVER
        path: SignalPath = self.analysis.result("signal.path", signal)
        read = self.clock.now_ns + round(path.worst_ms * NS_A_MS)
        pressed = lambda: self.clock.now_ns <= read or bool(self.controller.value(code))  # noqa: E731
        return self._buttons.setdefault(signal, pressed)

    def _feedbacks(self, parts: list[SafetyPart]) -> Iterator[FeedbackRun]:
        for part in parts:
            within = fraction_at(part.settings, "feedback_ms")
            signal = next((use.signal for use in self.plant.children(Use, part.id) if use.role == "feedback"), None)
            if part.id in self.actuators and within is not None and signal is not None:
                output = self.actuators[part.id][0]
                yield FeedbackRun(part.id, output, Feedback(float(within)), self._bit(signal))

    # ── going on

    def _acknowledge(self) -> None:
        for module in self.inputs.values():
            module.heard.acknowledge()
            for pair in module.pairs.values():
                if pair.pair.by_hand:
                    pair.acknowledge()
        for output in self.outputs.values():
            output.channels.acknowledge()

    def _ended(self) -> None:
        """The safe part has stopped: its outputs hear nothing any more."""
        for output in self.outputs.values():
            output.link.disconnect()
