"""Signals on the bench: their values with what stands beside them, and what is written, forced, released."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from highmoor.core.bench.controller import SignalCode, SimulatedController, Value
from highmoor.core.errors import Refusal
from highmoor.core.networks.alive import ExchangeLive
from highmoor.core.numbers import exact, parse_number, plain, shown
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Signal
from highmoor.core.signals.conversion import Conversion
from highmoor.core.signals.ne43 import is_loop, loop_state

Quality = Literal["good", "old", "forced", "not wired", "fault", "out of range"]
"""`fault` and `out of range` are what a watched current loop says of itself (NAMUR NE 43)."""


@dataclass(slots=True)
class SignalHands:
    """The signals of all controllers. `wired` are terminals of inputs to which the plant as built has a wire; what
    stands at others is nothing, not 0."""

    plant: Plant
    controllers: dict[str, SimulatedController]
    exchanges: dict[str, ExchangeLive]
    wired: set[str] = field(default_factory=set)
    # Terminals that contacts of safety functions are at, and buttons that were pressed by hand.
    touched: set[str] = field(default_factory=set)
    _owner: dict[str, SimulatedController] = field(init=False)

    def __post_init__(self) -> None:
        self._owner = {code: c for c in self.controllers.values() for code in c.signals}

    def value(self, signal: str) -> tuple[Value | None, Quality]:
        """A signal's value and whether it is good, old (its exchange fails) or forced."""
        controller = self._owner.get(signal)
        if controller is None:
            return None, "old"
        code = controller.signals[signal]
        if signal in controller.forces:
            return controller.forces[signal], "forced"
        live = self.exchanges.get(code.holder) if code.area == "in" else None
        old = live is not None and (
            not controller.status_good(code.holder)
            or any(first <= code.octet < end for first, end in live.doubtful)
        )  # fmt: skip
        if code.area == "in" and code.terminal and not (code.terminal in self.wired or code.terminal in self.touched):
            return None, "not wired"
        return controller.value(code), "old" if old or controller.stopped else self._loop(controller, code)

    def _loop(self, controller: SimulatedController, code: SignalCode) -> Quality:
        """What a current loop says of itself, where it is watched."""
        if not code.supervised or code.area != "in" or not is_loop(code.channel):
            return "good"
        raw = replace(code, scaling=None).read(controller.seen.get(code.task, controller.image_in))
        return loop_state(code.channel, raw)

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

    def forces(self) -> dict[str, Value]:
        """All forces by signal."""
        return {signal: value for c in self.controllers.values() for signal, value in c.forces.items()}

    def write(self, signal: str, value: Any) -> None:
        """Write an output once, as the program would. Raises Refusal for what cannot be written."""
        controller, code = self._code(signal)
        if code.area == "in":
            raise Refusal("What comes from the field cannot be written; it can be forced.", place=signal)
        controller.put(signal, self._within(code, _fitting(code.declared.family, value)))

    def force(self, signal: str, value: Any) -> None:
        """Impose a value until it is released."""
        controller, code = self._code(signal)
        # What comes in may be forced beyond what its channel could bring, but not beyond what it can be.
        bounds = replace(code, least=code.declared.low, most=code.declared.high) if code.area == "in" else code
        controller.force(signal, self._within(bounds, _fitting(code.declared.family, value)))

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
        controller.force(signal, None)

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
