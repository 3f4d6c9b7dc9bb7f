"""How a value goes through a program: in which run after it changed what is written first depends on it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from highmoor.core.program.checking import Checked
from highmoor.core.program.steps import Choose, Leave, Loop, Put, Run, Step, Typed

# Through more runs than this nothing is followed.
_RUNS_AT_MOST = 50
_Ages = list[int | None]


@dataclass(frozen=True, slots=True)
class Reaction:
    """From the run on that sees a change, how many runs pass until what is written can differ for it: 0 for the same.

    `waits`: the way goes through a function block, which may take its time.
    """

    runs: int
    waits: bool


def reaction(checked: Checked, source: int, target: int) -> Reaction | None:
    """From one slot to another, through all that the program computes; None where nothing of it gets there."""
    runs = _runs(_Flow(checked, source), target)
    if runs is None:
        return None
    return Reaction(runs, _runs(_Flow(checked, source, blocks=False), target) != runs)


def _runs(flow: _Flow, target: int) -> int | None:
    checked, source = flow.checked, flow.source
    ages: _Ages = [None] * len(checked.scope.initial)
    for _ in range(_RUNS_AT_MOST):
        before = [None if age is None or age >= _RUNS_AT_MOST else age + 1 for age in ages]
        before[source] = 0
        after = flow.run(before)
        if after == ages:
            break
        ages = after
    return ages[target]


class _Flow:
    """One run over, told of each slot by how many runs what it depends on is old; None for what does not depend."""

    def __init__(self, checked: Checked, source: int, *, blocks: bool = True) -> None:
        self.checked = checked
        self.source = source
        self._blocks = blocks
        self._ages: _Ages = []
        # On what it depends whether a run gets to where it is now.
        self._got_here: int | None = None

    def run(self, before: _Ages) -> _Ages:
        self._ages, self._got_here = list(before), None
        self._steps(self.checked.steps, None, sure=True)
        # What comes from outside stays as new as it was.
        self._ages[self.source] = 0
        return self._ages

    def _steps(self, steps: Iterable[Step], within: int | None, *, sure: bool) -> None:
        for step in steps:
            match step:
                case Put():
                    self._put(step, within, sure)
                case Run():
                    self._block(step, within)
                case Choose():
                    self._choose(step, within)
                case Loop():
                    self._loop(step, within)
                case Leave():
                    # Whether what stands behind it is done depends on what led here.
                    self._got_here, sure = _least(self._got_here, within), False

    def _put(self, step: Put, within: int | None, sure: bool) -> None:
        age = _least(self._age(step.value), within, self._got_here, self._age(step.index) if step.index else None)
        for slot in [slot for _, slot in step.slots] or [step.slot]:
            kept = None if sure and not step.slots else self._ages[slot]
            self._ages[slot] = _least(age, kept)

    def _block(self, step: Run, within: int | None) -> None:
        """What it gives depends on what it takes, now or before."""
        if not self._blocks:
            return
        block, slots = self.checked.scope.block_types[step.block]
        age = _least(within, self._got_here, *(self._ages[slots[port.name]] for port in block.inputs))
        for port in block.outputs:
            self._ages[slots[port.name]] = _least(age, self._ages[slots[port.name]])

    def _choose(self, step: Choose, within: int | None) -> None:
        for condition, _ in step.branches:
            within = _least(within, self._age(condition))
        begins = self._ages
        ends = []
        for body in (*(body for _, body in step.branches), step.otherwise):
            self._ages = list(begins)
            self._steps(body, within, sure=True)
            ends.append(self._ages)
        written = self._written(step)
        self._ages = [
            _least(*ages, within if slot in written else None) for slot, ages in enumerate(zip(*ends, strict=True))
        ]

    def _written(self, step: Step) -> set[int]:
        """The slots that a step may write: which branch is taken tells of the condition in all of them."""
        match step:
            case Put():
                return {slot for _, slot in step.slots} or {step.slot}
            case Choose():
                inner = [s for _, body in step.branches for s in body] + list(step.otherwise)
                return {slot for one in inner for slot in self._written(one)}
            case Loop():
                return {step.slot, *(slot for one in step.body for slot in self._written(one))}
            case Run():
                block, slots = self.checked.scope.block_types[step.block]
                return {slots[port.name] for port in block.outputs}
            case _:
                return set()

    def _loop(self, step: Loop, within: int | None) -> None:
        within = _least(within, *(self._age(value) for value in (step.first, step.last, step.by)))
        self._ages[step.slot] = within
        # Round by round it reaches farther, at most through all that there is.
        for _ in range(_RUNS_AT_MOST):
            before = list(self._ages)
            self._steps(step.body, within, sure=False)
            self._ages = [_least(*pair) for pair in zip(before, self._ages, strict=True)]
            if self._ages == before:
                break

    def _age(self, value: Typed) -> int | None:
        ages = [self._age(one) for one in value.args]
        if value.op == "var":
            ages.append(self._ages[value.told])
        elif value.op == "element":
            ages += [self._ages[slot] for _, slot in value.told]
        return _least(*ages)


def _least(*ages: int | None) -> int | None:
    return min((age for age in ages if age is not None), default=None)
