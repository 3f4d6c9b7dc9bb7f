"""The programs of a controller on the bench: run in their tasks' periods on its signals' values."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any, Literal

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.bench.controller import SignalCode, SimulatedController, Value
from highmoor.core.datatypes import DataType
from highmoor.core.numbers import exact, round_half_away
from highmoor.core.plant.rows import Controller, Program
from highmoor.core.program.compiling import CompiledProgram, Stopped, program_of
from highmoor.core.program.kinds import TIME, held
from highmoor.core.program.syntax import Unsound
from highmoor.core.signals.programs import ControllerScope, own_variable, program_task


@dataclass(slots=True)
class RunningProgram:
    """A program in its controller. `text` says why it does not run, and `line` where."""

    id: str
    controller: str
    state: Literal["running", "not translated", "stopped"] = "running"
    line: int = 0
    text: str = ""
    compiled: CompiledProgram | None = None
    # The signals it reads or writes, by slot.
    reads: tuple[tuple[int, SignalCode], ...] = ()
    writes: tuple[tuple[int, SignalCode], ...] = ()
    own: dict[str, tuple[int, DataType]] = field(default_factory=dict)

    def run(self, controller: SimulatedController) -> bool:
        """Once. False where it could not go on: then all of its controller stops."""
        if self.compiled is None:
            return True
        memory = self.compiled.memory
        for slot, code in self.reads:
            memory[slot] = as_declared(controller.value_for_program(code), code.declared)
        try:
            self.compiled.run(controller.clock.now_ns)
        except Stopped as stopped:
            self.state, self.line, self.text = "stopped", stopped.line, stopped.text
            return False
        for slot, code in self.writes:
            # Another task may be the one that writes it out, and looks only when something changed.
            if controller.program.get(code.id) != memory[slot]:
                controller.put(code.id, memory[slot])
        return True

    def value(self, variable: str) -> Value | None:
        """A variable of its own as it is now, durations in s; None for none."""
        found = self.own.get(variable)
        if found is None or self.compiled is None:
            return None
        slot, kind = found
        value: Value = self.compiled.memory[slot]
        if kind is TIME:
            return value / 1e9
        return value if math.isfinite(value) else None

    def told(self) -> dict[str, Any]:
        """What of it is to be seen, as plain JSON; `marked` are lines in which values left their types, how often."""
        marked = self.compiled.marked if self.compiled else {}
        return {
            "id": self.id, "controller": self.controller, "state": self.state, "line": self.line, "text": self.text,
            "marked": [{"line": line, "times": times} for line, times in sorted(marked.items())[:200]],
        }  # fmt: skip


def as_declared(value: Value, kind: DataType) -> Value:
    """A value of a place as the program has it; for a whole number the nearest that its type holds."""
    if kind.family in ("bool", "real"):
        return held(value, kind)
    whole = round_half_away(exact(value)) if math.isfinite(value) else 0
    return min(max(whole, kind.low or 0), kind.high or 0)


def programs_of(analysis: Analysis, controller: Controller, made: SimulatedController) -> Iterable[RunningProgram]:
    """The programs of a controller, translated, in order; those that cannot be say why."""
    known: ControllerScope = analysis.result("controller.scope", controller.id)
    reader = Reader(analysis)
    for row in analysis.plant.children(Program, controller.id):
        program = _translated(row, known, made)
        task = program_task(reader, row)
        if program.compiled is not None and task is not None:
            made.programs.setdefault(task.id, []).append(program)
        yield program


def _translated(row: Program, known: ControllerScope, made: SimulatedController) -> RunningProgram:
    scope = known.scope()
    program = RunningProgram(row.id, row.controller)
    try:
        compiled = program_of(row.text, scope)
    except Unsound as unsound:
        first = unsound.faults[0]
        program.state, program.line, program.text = "not translated", first.at.line, first.text
        return program
    program.compiled = compiled
    used: dict[bool, dict[int, SignalCode]] = {False: {}, True: {}}
    for use in compiled.uses:
        for slot in use.slots:
            if slot < len(known.signals):
                used[use.writes][slot] = made.signals[known.signals[slot].signal]
    # What it writes here and there only stays as it was elsewhere.
    program.reads = tuple({**used[False], **used[True]}.items())
    program.writes = tuple(used[True].items())
    program.own = {
        own_variable(row.id, name): (slot, scope.kinds[slot])
        for slot, name in enumerate(scope.names)
        if slot >= len(known.signals)
    }
    return program
