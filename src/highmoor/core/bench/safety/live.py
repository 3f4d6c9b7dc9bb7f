"""The safety of a bench: by controller, with what hands can do to it, and as it is seen."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.bench.axes.of_plant import AxesLive
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.controller import SimulatedController
from highmoor.core.bench.rail import NS_A_MS
from highmoor.core.bench.safety.contacts import WIRE_FAULTS, Contacts
from highmoor.core.bench.safety.controller import ControllerSafety, InputModule, OutputModule
from highmoor.core.bench.safety.scanner import SimulatedScanner
from highmoor.core.bench.safety.stopping import STOPS, TenStops
from highmoor.core.bench.safety.telegrams import Telegrams
from highmoor.core.bench.safety.trying import PiecesTried
from highmoor.core.bench.safety.walking import SCANNER_DEEDS, scanner_seen
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import modules_behind
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Module, SafetyPart, Signal, Use
from highmoor.core.safety.settings import is_safe

# A hand is slower than any task that looks at a button.
_HAND_NS = 250 * NS_A_MS


@dataclass(slots=True, repr=False)
class SafetyLive:
    """The safety of a bench, by controller."""

    plant: Plant
    catalogue: Catalogue
    clock: VirtualClock
    controllers: Mapping[str, SimulatedController]
    axes: AxesLive
    # Terminals at which something is: contacts, and buttons that were pressed.
    touched: set[str]
    # As every scanner has it in itself.
    in_devices: Plant
    of: dict[str, ControllerSafety] = field(default_factory=dict)
    # By the actuators whose stops are measured.
    ten: dict[str, TenStops] = field(default_factory=dict)
    tried: dict[str, PiecesTried] = field(default_factory=dict)

    def begin(self, analysis: Analysis) -> None:
        """Put up what there is, and let it begin."""
        for row in self.plant.all(Controller):
            device = self.catalogue.find(row.type)
            safe = device is not None and device.safety is not None
            if device and safe and any(self._safe_modules(row)):
                made = self.of[row.id] = ControllerSafety(
                    analysis, self.clock, self.controllers[row.id], self.axes, row, device, self.in_devices
                )
                self.touched |= made.sensed
                made.begin()

    def devices_changed(self, in_devices: Plant) -> None:
        """Something was sent to scanners, or they were reset: those begin anew with what they have now."""
        self.in_devices = in_devices
        for one in self.of.values():
            one.devices_changed(in_devices)

    def _safe_modules(self, row: Controller) -> Iterator[Module]:
        return (m for m in modules_behind(self.plant, row.id) if is_safe(self.catalogue.find(m.type)))

    def _with(self, row_id: str) -> ControllerSafety:
        """Whose a part, a module, a function or a signal is. Raises Refusal for anything else."""
        row = self.plant.find(row_id)
        owner = row.controller if isinstance(row, Signal) else row_id
        for one in self.of.values():
            known = (
                *one.contacts,
                *one.actuators,
                *one.scanners,
                *one.inputs,
                *one.outputs,
                *(f.id for f in one.part.functions),
            )
            if row_id in known or owner == one.row.id:
                return one
        raise Refusal("That is nothing of safety on the bench.", place=row_id)

    def seen(self, controller: str) -> dict[str, Any]:
        """A controller's safety as it is now. Raises Refusal for one that has none."""
        one = self._with(controller)
        walks = {key: {**scanner_seen(one, key), "tried": self._tried(key)} for key in one.scanners}
        return {**seen(one), "stops": dict(self._stops(one)), "scanners": walks}

    def _stops(self, one: ControllerSafety) -> Iterator[tuple[str, dict[str, Any]]]:
        for part, watch in one.stops.items():
            ten = self.ten.get(part)
            yield (
                part,
                {
                    "measuring": ten is not None and ten.running,
                    "problem": ten.problem if ten else "",
                    "seen": [{"ms": stop.ms, "speed": stop.speed} for stop in watch.seen[-STOPS:]],
                },
            )

    def command(self, row_id: str, do: str, value: Any = None) -> None:
        """Something done by hand: a demand, a fault, a reset pressed, a link cut. Raises Refusal."""
        one = self._with(row_id)
        contacts, actuator = one.contacts.get(row_id), one.actuators.get(row_id)
        module: InputModule | OutputModule | None = one.inputs.get(row_id) or one.outputs.get(row_id)
        link = module.link if module else None
        if contacts is not None and do in _SENSOR_DEEDS:
            _SENSOR_DEEDS[do](contacts, value)
        elif actuator is not None and do == "weld":
            actuator[1].welded = value is True
        elif link is not None and do in _LINK_DEEDS:
            _LINK_DEEDS[do](link, value)
        elif row_id in one.scanners and do == "try":
            self._try(one.scanners[row_id], row_id, value)
        elif row_id in one.scanners and do in SCANNER_DEEDS:
            self._end_trying(row_id)
            SCANNER_DEEDS[do](one.scanners[row_id], value)
        elif row_id in one.stops and do == "measure":
            self._measure(one, row_id, begin=value is not False)
        elif do == "press":
            self._press(one, row_id, value is True)
        elif do == "restart" and row_id == one.row.id:
            self.restart(row_id)
        elif do == "burden" and row_id == one.row.id:
            one.part.burden = round(_number(value, 0, 1000) * NS_A_MS)
        else:
            raise Refusal("That cannot be done here.", place=row_id, value=do)

    def restart(self, controller: str) -> None:
        """All that was acknowledged, reset and started by hand, one after the other, as somebody at the panel does it:
        each button of a controller's functions pressed and let go. Raises Refusal for a controller without safety."""
        one = self._with(controller)
        functions = [run.id for run in one.part.functions]
        uses = [use for function in functions for use in self.plant.children(Use, function)]
        resets, starts = (dict.fromkeys(use.signal for use in uses if use.role == role) for role in ("reset", "start"))
        at = self.clock.now_ns
        # Once to acknowledge, once to reset.
        for signals in (resets, resets, starts):
            for pressed in (True, False):
                for signal in signals:
                    self.clock.at(at, lambda signal=signal, pressed=pressed: self._press(one, signal, pressed))  # type: ignore[misc]
                at += _HAND_NS

    def _measure(self, one: ControllerSafety, part: str, *, begin: bool) -> None:
        """Ten stops of an axis in turn by an actuator's function, or no more of them."""
        ten = self.ten.get(part)
        if not begin:
            if ten is not None:
                ten.end()
            return
        function = self.plant.get(part, SafetyPart).function
        sensors = (row for row in self.plant.children(SafetyPart, function) if row.id in one.contacts)
        first = next(sensors, None)
        if first is None:
            raise Refusal("Its function has no sensor on the bench that could stop it.", place=part)
        if ten is None:
            restart, demand = partial(self.restart, one.row.id), one.contacts[first.id].move
            ten = self.ten[part] = TenStops(self.clock, self.axes, one.stops[part], restart, demand)
        ten.begin()

    def _try(self, scanner: SimulatedScanner, row_id: str, value: Any) -> None:
        """A test piece held at places one after the other: `situation`, `output`, `piece_mm`, `places`."""
        held = self.tried.setdefault(row_id, PiecesTried(self.clock, scanner))
        held.begin(value["situation"], value["output"], value["piece_mm"], [(x, y) for x, y in value["places"]])

    def _end_trying(self, row_id: str) -> None:
        if row_id in self.tried:
            self.tried[row_id].end()

    def _tried(self, row_id: str) -> dict[str, Any] | None:
        held = self.tried.get(row_id)
        if held is None:
            return None
        return {"situation": held.situation, "output": held.output, "running": held.running,
                "places": [{"x": x, "y": y, "seen": seen} for (x, y), seen in
                           zip(held.places, held.seen, strict=False)],
                "of": len(held.places)}  # fmt: skip

    def _press(self, one: ControllerSafety, signal: str, pressed: bool) -> None:
        """A button at the terminal that a signal is read from."""
        rail, at = one.controller.rail, one.terminal(signal, inward=True)
        if at is None or at in rail.safe:
            raise Refusal("This signal is read from no plain input of its controller.", place=signal)
        self.touched.add(at)
        rail.give(at, float(pressed))


def seen(one: ControllerSafety) -> dict[str, Any]:
    """All of a controller's safety as it is now, for those who look; times in ms."""
    part, now = one.part, one.clock.now_ns
    return {
        "controller": one.row.id,
        "run_ms": part.run_ns / NS_A_MS,
        "longest_ms": part.longest_ns / NS_A_MS,
        "warning_ms": float(part.facts.warning),
        "allowed_ms": float(part.facts.longest),
        "cycle_ms": float(part.facts.cycle),
        "stopped": part.stopped,
        "functions": {
            run.id: {"good": run.state.good, "released": run.state.released} for run in part.functions
        },
        "sensors": {key: _sensor(one, contacts) for key, contacts in one.contacts.items()},
        "actuators": {
            key: {"on": actuator.supplied, "since_ms": (now - actuator.since) / NS_A_MS, "welded": actuator.welded}
            for key, (_, actuator) in one.actuators.items()
        },
        "modules": {
            **{key: _module(module.link, held=module.heard.held) for key, module in one.inputs.items()},
            **{key: _module(module.link, held=module.channels.held) for key, module in one.outputs.items()},
        },
        "feedback_faults": [feedback.part for feedback in part.feedbacks if feedback.state.fault],
    }  # fmt: skip


def _sensor(one: ControllerSafety, contacts: Contacts) -> dict[str, Any]:
    pair = contacts.pair
    module = next(module for module in one.inputs.values() if pair in module.pairs.values())
    return {
        "demand": contacts.demand,
        "skew_ms": contacts.skew / NS_A_MS,
        "faults": [contacts.faults[n] for n in contacts.at],
        "crossed": contacts.crossed,
        "channels": [(pair.state.first, pair.state.second)[n] for n in contacts.at],
        "value": module.heard.value(pair.pair.channels[contacts.at[0]]),
        "fault": pair.fault,
    }


def _module(link: Telegrams[dict[str, bool]], *, held: bool) -> dict[str, Any]:
    return {"held": held, "cut": link.cut}


def _number(value: Any, low: float, high: float) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        raise Refusal(f"A number of {low:g}–{high:g} is needed.", value=value)
    return float(value)


def _fault(channel: int) -> Callable[[Contacts, Any], None]:
    def put(contacts: Contacts, value: Any) -> None:
        if value not in WIRE_FAULTS:
            raise Refusal(f"There are {', '.join(WIRE_FAULTS[1:])}.", value=value)
        contacts.set_fault(_own(contacts, channel), value)

    return put


def _own(contacts: Contacts, channel: int) -> int:
    """A sensor's channel, 0 its first; raises Refusal for one it does not have."""
    if channel >= len(contacts.at):
        raise Refusal("This sensor has one channel: its pair is taken each channel alone.")
    return contacts.at[channel]


def _skew(contacts: Contacts, value: Any) -> None:
    contacts.skew = round(_number(value, 0, 60_000) * NS_A_MS)


def _cross(contacts: Contacts, value: Any) -> None:
    _own(contacts, 1)
    contacts.cross(value is True)


_SENSOR_DEEDS: dict[str, Callable[[Contacts, Any], None]] = {
    "demand": lambda contacts, value: contacts.move(value is True),
    "skew": _skew,
    "fault-a": _fault(0),
    "fault-b": _fault(1),
    "cross": _cross,
}
_LINK_DEEDS: dict[str, Callable[[Telegrams[dict[str, bool]], Any], None]] = {
    "cut": lambda link, value: link.disconnect(),
    "connect": lambda link, value: link.connect(),
    "lose": lambda link, value: link.lose(int(_number(value, 1, 1000))),
}
