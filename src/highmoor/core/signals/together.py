"""Two signals used together: an input and the output it moves, or two inputs that are not of one moment."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Literal

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.errors import Refusal
from highmoor.core.figures.sampling import skew
from highmoor.core.numbers import exact
from highmoor.core.plant.rows import Program, Signal
from highmoor.core.program.checking import check
from highmoor.core.program.flow import reaction
from highmoor.core.signals.hops import Hop, delay_ms
from highmoor.core.signals.path import SignalPath, Way
from highmoor.core.signals.programs import ControllerScope, ProgramTold, program_task


@dataclass(frozen=True, slots=True)
class Together:
    """What is to be said of two signals of one program.

    A `reaction` is from an input to an output: its hops, typical and worst ms; through `program`, where one hands it
    on, in the run that sees it or so many `runs` later. `waits`: it goes through a function block, which takes time.
    For `moments` of two inputs `skew_ms`
    is how far apart they may be taken; with a rate of change, `error` is what that comes to, in the unit of the signal.
    """

    kind: Literal["reaction", "moments"]
    other: str
    hops: tuple[Hop, ...]
    typical_ms: float
    worst_ms: float
    skew_ms: float | None = None
    error: float | None = None
    unit: str = ""
    program: str = ""
    runs: int = 0
    waits: bool = False


def together(analysis: Analysis, signal_id: str, other_id: str, per_s: Fraction | None = None) -> Together:
    """What two signals have to do with each other in time; `per_s` is how fast what is measured changes.

    Raises Refusal for two of different programs, for one twice, and where neither is an input.
    """
    one, other = (analysis.plant.get(i, Signal) for i in (signal_id, other_id))
    if one.id == other.id:
        raise Refusal("Choose another signal than this one.", field="other")
    if one.controller != other.controller:
        raise Refusal(f"{other.name} is another controller's: its program uses it at its own pace.", field="other")
    ways = {signal.id: _way(analysis, signal) for signal in (one, other)}
    inputs = [signal for signal in (one, other) if _inward(analysis, signal)]
    if len(inputs) == 2:
        return _moments(one, other, ways[one.id].hops, ways[other.id].hops, per_s)
    if not inputs:
        raise Refusal("Both are written: one of the two has to be read from somewhere.", field="other")
    source = inputs[0]
    target = other if source is one else one
    before, after = ways[source.id].hops, ways[target.id].hops
    through = _through(analysis, source, target)
    between = through.hops if through else ()
    task = next((hop.place for hop in reversed(before) if hop.kind == "task"), "")
    for hop in (*between, *after):
        # A task that reads, hands on or writes does what follows in the same run.
        if hop.kind != "task" or hop.place != task:
            before = (*before, hop)
        task = hop.place if hop.kind == "task" else task
    hops = (*before, *through.later) if through else before
    typical, worst = delay_ms(hops)
    name, runs, waits = (through.name, through.runs, through.waits) if through else ("", 0, False)
    other_one = target.id if source is one else source.id
    return Together("reaction", other_one, hops, typical, worst, program=name, runs=runs, waits=waits)


@dataclass(frozen=True, slots=True)
class _Through:
    """The program that hands a value on: its task, and what passes where it does so in a later run."""

    name: str
    runs: int
    waits: bool
    hops: tuple[Hop, ...]
    later: tuple[Hop, ...]


def _through(analysis: Analysis, source: Signal, target: Signal) -> _Through | None:
    """The quickest program that writes one by what it has of the other; None where none does."""
    known: ControllerScope = analysis.result("controller.scope", source.controller)
    slots = {one.signal: slot for slot, one in enumerate(known.signals)}
    reader, found = Reader(analysis), []
    for program in analysis.plant.children(Program, source.controller):
        text, scope = analysis.result("program.read", program.id), known.scope()
        told: ProgramTold = analysis.result("program.checked", program.id)
        task = program_task(reader, program)
        if told.faults or task is None or source.id not in told.reads or target.id not in told.writes:
            continue
        way = reaction(check(text, scope), slots[source.id], slots[target.id])
        if way:
            hop: Hop = analysis.result("task.hop", task.id)
            label = f"{program.name}: {way.runs} run{'s' if way.runs > 1 else ''} later"
            wait = replace(hop, label=label, period_ms=0.0, transit_ms=way.runs * task.period_ms)
            typical, worst = delay_ms((wait,))
            later = (replace(wait, typical_ms=typical, worst_ms=worst),) if way.runs else ()
            found.append((worst, _Through(program.name, way.runs, way.waits, (hop,), later)))
    return min(found, key=lambda pair: pair[0])[1] if found else None


def _way(analysis: Analysis, signal: Signal) -> Way:
    path: SignalPath = analysis.result("signal.path", signal.id)
    if not path.ways:
        raise Refusal(f"{signal.name} is linked to nothing: it comes from nowhere and goes nowhere.", field="other")
    return path.ways[0]


def _inward(analysis: Analysis, signal: Signal) -> bool:
    path: SignalPath = analysis.result("signal.path", signal.id)
    return bool(path.links) and path.links[0].area == "in"


def _moments(
    one: Signal, other: Signal, hops: tuple[Hop, ...], others: tuple[Hop, ...], per_s: Fraction | None
) -> Together:
    mine, theirs = list(hops), list(others)
    # What both come by last, they come by together.
    while mine and theirs and (mine[-1].kind, mine[-1].place) == (theirs[-1].kind, theirs[-1].place):
        mine.pop()
        theirs.pop()
    apart = skew(_delays(mine), _delays(theirs))
    typical, worst = delay_ms(hops)
    error = float(per_s * apart / 1000) if per_s is not None else None
    return Together("moments", other.id, (), typical, worst, float(apart), error, one.unit)


def _delays(hops: list[Hop]) -> tuple[Fraction, Fraction]:
    """At best nothing is waited for; at worst everything."""
    least = sum((exact(hop.transit_ms) for hop in hops), Fraction(0))
    return least, sum((exact(hop.worst_ms) for hop in hops), Fraction(0))
