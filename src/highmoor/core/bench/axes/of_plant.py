"""All axes of a plant on the bench: put up with their drives, changed as the plant as built is, commanded."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from random import Random
from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.bench.axes.by_profile import HANDS
from highmoor.core.bench.axes.commander import Commanded, Commander
from highmoor.core.bench.axes.fleet import AT_LEAST, Fleet, follows, formed
from highmoor.core.bench.axes.hands import WordHand
from highmoor.core.bench.axes.live import (
    LOOKS_EVERY,
    STEP_MS,
    AxisLive,
    Reached,
    facts_in_drive,
    made_axis,
    made_stepper,
    only_copies_differ,
)
from highmoor.core.bench.axes.ports import PulsePort, PulseWords, SignalPort
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.controller import SimulatedController
from highmoor.core.bench.devices import Devices
from highmoor.core.bench.rail import NS_A_MS
from highmoor.core.catalogue.types import Catalogue, PulsePair
from highmoor.core.errors import Refusal
from highmoor.core.motion.chain import chain_of
from highmoor.core.motion.copies import in_drive, values_of
from highmoor.core.motion.home_search import SWITCHES, Switch
from highmoor.core.motion.homing import HomingTold, method_of
from highmoor.core.motion.scale import words_a_unit
from highmoor.core.motion.settings import bounds_of
from highmoor.core.motion.speeds import speed_counts
from highmoor.core.motion.trial import uncertainty_of
from highmoor.core.motion.units import unit_of
from highmoor.core.motion.words import Carried, CommandsTold
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.alive import ExchangeLive
from highmoor.core.networks.lines import plant_lines
from highmoor.core.networks.live import Octets
from highmoor.core.numbers import fraction_at, number_at
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    Axis,
    BuiltDevice,
    ChainLink,
    CommandProfile,
    Module,
    Network,
    Program,
    Station,
    Task,
)
from highmoor.core.signals.programs import ProgramTold

# In how many steps it is looked at who can go with others.
_FORMS_EVERY = 4


@dataclass(slots=True, repr=False)
class AxesLive:
    """The axes of a bench by id, and their controllers' hands on them."""

    plant: Plant
    catalogue: Catalogue
    clock: VirtualClock
    devices: Devices
    exchanges: Mapping[str, ExchangeLive]
    chance: Random
    axes: dict[str, AxisLive] = field(default_factory=dict)
    commanders: dict[str, Commander] = field(default_factory=dict)
    # So many of one kind go together.
    at_least: int = AT_LEAST
    _said: dict[str, Any] = field(default_factory=dict)
    _ports: dict[str, PulsePort] = field(default_factory=dict)
    # Of which axes the supply is taken, and by what.
    _without: dict[str, set[str]] = field(default_factory=dict)
    _turn: int = 0
    _fleets: list[Fleet] = field(default_factory=list)
    # Those that go alone, and those that rest, by the turn in which each of them looks at its words.
    _alone: list[AxisLive] = field(default_factory=list)
    _resting: list[list[AxisLive]] = field(default_factory=list)

    def begin(self, analysis: Analysis, controllers: Mapping[str, SimulatedController]) -> None:
        """Drives step on their own, commanders once in the task that refreshes their words."""
        together: dict[tuple[str, float], list[Commander]] = {}
        for axis in self.plant.all(Axis):
            commander = self._commander(analysis, axis, controllers[axis.controller])
            if commander is not None:
                self.commanders[axis.id] = commander
                together.setdefault((axis.controller, commander.period_s), []).append(commander)
        if self.axes or self.plant.all(Axis):
            self.clock.every(STEP_MS * NS_A_MS, self._step, -1)
        for those in together.values():
            self._run_with(those)

    def _run_with(self, commanders: list[Commander]) -> None:
        def run() -> None:
            for commander in commanders:
                commander.run()

        # Before the task that sends out what is decided.
        self.clock.every(int(commanders[0].period_s * 1e9), run, 1)

    def stand(self, said: Mapping[str, BuiltDevice]) -> None:
        """Bring the machines to what stands there: one that became another goes on from where it is."""
        self.show()
        self._fleets = []
        for axis in self.plant.all(Axis):
            built = said.get(axis.drive or "")
            told = dict(built.settings) if built else {}
            there, before = self.axes.get(axis.id), self._said.get(axis.id)
            if there is not None and before == told:
                continue
            if there is not None and before is not None and only_copies_differ(axis.id, before, told):
                # Written into a drive that goes on.
                there.set_to(facts_in_drive(self.plant, axis, told))
                self._said[axis.id] = told
                continue
            made = self._made(axis, built, at=there.machine.position if there else None)
            if made is not None:
                self.axes[axis.id], self._said[axis.id] = made, told
                made.machine.torque_off = bool(self._without.get(axis.id))
        self._regard()

    def _step(self) -> None:
        self._turn += 1
        if [axis for fleet in self._fleets for axis in fleet.step(self.clock.now_ns / 1e9)]:
            self._regard()
        others = False
        for axis in self._alone:
            axis.step()
            others = others or axis.drive.settled
        for axis in self._resting[self._turn % LOOKS_EVERY]:
            axis.step()
            others = others or not axis.drive.settled
        if others:
            self._regard()
        if self._turn % _FORMS_EVERY == 0:
            self._form()

    def _form(self) -> None:
        """Let those go together who can, if any of them does not yet."""
        alone = sum(follows(axis.drive) for axis in self._alone)
        if alone and alone + sum(len(fleet.axes) for fleet in self._fleets) >= self.at_least:
            self.show()
            fit = [axis for axis in self.axes.values() if follows(axis.drive)]
            self._fleets = formed(fit, STEP_MS / 1000, self.at_least)
            self._regard()

    def _regard(self) -> None:
        """Who goes alone now, and who rests."""
        along = {id(axis) for fleet in self._fleets for axis in fleet.axes}
        self._alone, self._resting = [], [[] for _ in range(LOOKS_EVERY)]
        for n, axis in enumerate(self.axes.values()):
            if axis.drive.settled:
                # They do not look at their words all in the same step.
                self._resting[-n % LOOKS_EVERY].append(axis)
            elif id(axis) not in along:
                self._alone.append(axis)

    def show(self) -> None:
        """All drives and machines as they are now: while time passes, those that go together are not."""
        for fleet in self._fleets:
            fleet.show()

    def take_torque(self, axis: str, by: str, *, off: bool) -> None:
        """The motor's supply goes, or comes back once nothing else has taken it; `by` says what takes it."""
        taken = self._without.setdefault(axis, set())
        (taken.add if off else taken.discard)(by)
        there = self.axes.get(axis)
        if there is None or there.machine.torque_off == bool(taken):
            return
        self._alone_from_now(there)
        there.machine.torque_off = bool(taken)
        if taken and there.drive.powered:
            there.drive.stop_safely()
        self._regard()

    def brake_safely(self, axis: str) -> None:
        """A drive brakes before its supply goes."""
        there = self.axes.get(axis)
        if there is not None and there.drive.powered:
            self._alone_from_now(there)
            there.drive.stop_safely()
            self._regard()

    def _alone_from_now(self, axis: AxisLive) -> None:
        """Whoever goes with others is told as it is, and goes alone."""
        if any(axis in fleet.axes for fleet in self._fleets):
            self.show()
            self._fleets = []

    def _made(self, axis: Axis, built: BuiltDevice | None, at: float | None = None) -> AxisLive | None:
        station = self.plant.find(axis.drive)
        pair = self._pulses(axis)
        if pair is not None:
            port = self._ports.setdefault(axis.id, PulsePort())
            return made_stepper(self.plant, axis, pair.max_hz, PulseWords(port), self.clock, at)
        network: Network | None = self.plant.find(station.network) if isinstance(station, Station) else None
        bus = fieldbus_of(network.kind) if network else None
        if bus is None or not isinstance(station, Station):
            return None
        lines = plant_lines(self.plant, self.catalogue, station)
        ways = {exchange.id: (line, exchange) for line in lines for exchange in line.exchanges}
        carried = [Carried(x.id, x.direction, bus.layout(x, line)) for line, x in ways.values()]
        if built is not None and built.model:
            # The process behind it has a motor of its own.
            return None
        node, live = station.id, bus.live

        def octets(exchange: str) -> Octets | None:
            there, found = self.devices.there.get(node), ways.get(exchange)
            return live.octets(there.device, *found) if there and found else None

        def device() -> Any:
            there = self.devices.there.get(node)
            return there.device if there else None

        reached = Reached(device, live.exchanging)
        return made_axis(self.plant, axis, built, carried, self.devices.lasting(octets), self.clock, reached, at)

    def _pulses(self, axis: Axis) -> PulsePair | None:
        """The output that gives an axis its pulses; None for one of a drive on a network."""
        module = self.plant.find(axis.drive)
        device = self.catalogue.find(module.type) if isinstance(module, Module) else None
        pairs = (pair for group in (device.channels if device else ()) for pair in group.wiring.pulses)
        return next((pair for pair in pairs if f"ch{pair.pulse}" == axis.key), None)

    def _stepping(self, axis: Axis, controller: SimulatedController) -> Commander | None:
        """The hand on an axis of a pulse output, in its controller's quickest task."""
        there, port = self.axes.get(axis.id), self._ports.get(axis.id)
        if there is None or port is None:
            return None
        counts = there.drive.facts.counts
        periods = [float(task.period_ms) for task in self.plant.children(Task, axis.controller)]
        of = Commanded(axis, unit_of(axis.kind, axis.unit), bounds_of(axis), counts, counts, 2.0)
        return Commander(of, WordHand(), controller.clock, port, "", min(periods, default=100.0) / 1000, lambda: True)

    def _commander(self, analysis: Analysis, axis: Axis, controller: SimulatedController) -> Commander | None:
        if self._pulses(axis) is not None:
            return self._stepping(axis, controller)
        told: CommandsTold | None = analysis.result("axis.commands", axis.id)
        unit = unit_of(axis.kind, axis.unit)
        chain = chain_of(self.plant.children(ChainLink, axis.id), linear=unit.linear)
        counts = words_a_unit(axis.settings, chain, unit)
        profile: CommandProfile | None = self.plant.find(axis.profile)
        if told is None or profile is None or not told.whole or counts is None or told.base not in HANDS:
            return None
        a_turn = float(chain.travel.value / unit.size)
        speeds = speed_counts(profile, float(counts.value), a_turn, number_at(chain.motor, "rated_rpm"))
        signals = {w.role: controller.signals[w.signal] for w in told.words if w.signal in controller.signals}
        if not signals:
            # All of its words are another controller's.
            return None
        sign = -1 if axis.settings.get("reversed") else 1
        of = Commanded(
            axis, unit, bounds_of(axis), sign * float(counts.value), sign * speeds,
            self._seeks_for_s(analysis, axis.id), method_of(axis.settings) is not None,
        )  # fmt: skip
        target = signals.get("target") or next(iter(signals.values()))
        task: Task | None = self.plant.find(target.task)
        period = task.period_ms if task else 100
        carriers = {word.exchange for word in told.words if word.exchange}
        lives = [self.exchanges[x] for x in carriers if x in self.exchanges]

        def good() -> bool:
            # Asked of every axis in every task: a generator costs more than the looking.
            for live in lives:  # noqa: SIM110
                if live.state != "good":
                    return False
            return True

        return Commander(
            of, HANDS[told.base](frozenset(signals)), controller.clock, SignalPort(controller, signals),
            self._holder(analysis, axis, told),
            float(period) / 1000,
            good,
        )  # fmt: skip

    def _seeks_for_s(self, analysis: Analysis, axis: str) -> float:
        """How long its drive may take to find home: twice the longest way there is."""
        told: HomingTold | None = analysis.result("axis.homing", axis)
        return 2 * max((path.takes for path in told.paths), default=0.0) + 2 if told else 2.0

    def _holder(self, analysis: Analysis, axis: Axis, told: CommandsTold) -> str:
        """The program that writes any of the words, "" for none."""
        out = {word.signal for word in told.words if word.way == "out" and word.signal}
        for program in self.plant.children(Program, axis.controller):
            read: ProgramTold = analysis.result("program.checked", program.id)
            if out & set(read.writes):
                return program.name
        return ""

    # ── what somebody asks of one

    def command(self, axis: str, key: str, value: Mapping[str, Any]) -> None:
        """Enable, disable, reset, move, jog, stop. Raises Refusal."""
        commander = self.commanders.get(axis)
        if commander is None:
            raise Refusal("This axis is not commanded: its chain, its words or its speeds are not whole.", place=axis)
        if key not in _COMMANDS:
            raise Refusal(f"An axis has no command {key!r}.", place=axis)
        _COMMANDS[key](commander, value)

    def acting(self, axis: Axis) -> Mapping[str, float | None]:
        """What counts in the drive of an axis now, by parameter."""
        unit = unit_of(axis.kind, axis.unit)
        chain = chain_of(self.plant.children(ChainLink, axis.id), linear=unit.linear)
        return in_drive(axis.id, values_of(axis, chain, unit), self._said.get(axis.id) or {}).acting

    def tape(self, axis: str) -> float:
        """Where the load really is, as a tape held to it reads: off by chance within what it can be read to."""
        there = self.axes.get(axis)
        if there is None:
            raise Refusal("Nothing stands there that could be measured.", place=axis)
        off = float(uncertainty_of(unit_of(there.axis.kind, there.axis.unit)))
        return there.machine.position + self.chance.uniform(-off, off) / 2

    def seen(self, axis: str) -> dict[str, Any]:
        """An axis as it is now, as plain JSON: its state, what stands in the way, its latest move. Raises Refusal."""
        there, commander = self.axes.get(axis), self.commanders.get(axis)
        if commander is None:
            raise Refusal("This axis is not commanded: its chain, its words or its speeds are not whole.", place=axis)
        # A process of its own behind the drive tells nothing of a machine.
        machine = there.machine if there else None
        minus, plus, home = (machine is not None and machine.switch(which) for which in SWITCHES)
        return {
            **commander.told(), "facts": [{"text": text, "good": good} for text, good in _facts(there, commander)],
            "limits": [minus, plus], "home": home, "torque": machine.torque if machine else None,
            "trace": commander.trace, "fault": there.drive.fault if there else 0,
            "safely_held": machine.torque_off if machine else False,
        }  # fmt: skip

    def told(self) -> list[dict[str, Any]]:
        """Every axis that is commanded, as plain JSON."""
        return [commander.told() for commander in self.commanders.values()]


def _move(commander: Commander, value: Mapping[str, Any]) -> None:
    distance, speed, rate = (float(value[key]) for key in ("distance", "speed", "acceleration"))
    commander.move(distance, speed, rate, absolute=bool(value.get("absolute", False)))


# What somebody asks of an axis, with the numbers that belong to it.
_COMMANDS: dict[str, Callable[[Commander, Mapping[str, Any]], None]] = {
    "enable": lambda commander, _: commander.enable(),
    "disable": lambda commander, _: commander.disable(),
    "reset": lambda commander, _: commander.reset(),
    "stop": lambda commander, _: commander.stop(),
    "quick-stop": lambda commander, _: commander.stop(quick=True),
    "home": lambda commander, value: commander.home(float(value["distance"])),
    "jog": lambda commander, value: commander.jog(float(value["speed"])),
    "run": lambda commander, value: commander.run_at(float(value["speed"])),
    "move": _move,
}


def _facts(there: AxisLive | None, commander: Commander) -> Iterator[tuple[str, bool]]:
    """What has to be so before it moves, each said whether it is."""
    good = commander.good()
    yield ("Its drive answers" if good else "Its drive does not answer: look at it under Live", good)
    held = commander.held_by
    yield f"The program {held} writes its words: stop it first" if held else "No program writes its words", not held
    if there is None:
        return
    off = there.machine.torque_off
    yield "Its safe stop holds it: reset and start it under Safety" if off else "No safe stop holds it", not off
    fault = there.drive.fault
    yield (f"The drive is in fault, 16#{fault:04X}: reset it" if fault else "The drive has no fault", not fault)
    at = commander.feedback
    ends: tuple[tuple[Switch, int, str], ...] = (("minus", -1, "−"), ("plus", 1, "+"))
    for name, way, sign in ends:
        end = fraction_at(there.axis.settings, f"soft_{name}")
        if end is not None and (at - float(end)) * way > 1e-6:
            yield f"It stands beyond soft limit {sign}: it moves only inwards", False
        if there.machine.switch(name):
            yield f"Switch {sign} is held: it moves only away from it", False
    if all(there.machine.switch(name) for name, _, _ in ends):
        yield "Both limit switches are held: look at their wiring, nothing moves either way", False
