"""The standard function blocks. Source: IEC 61131-3:2013, 6.6.3.5 (tables 43 to 46)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from highmoor.core.datatypes import DATA_TYPES, DataType
from highmoor.core.program.kinds import BOOL, INT, TIME

Memory = list[Any]
# What a block remembers of its last run, in whatever way it likes.
State = dict[str, Any]


@dataclass(frozen=True, slots=True)
class Port:
    """An input or an output of a block, with what it has before the first run."""

    name: str
    kind: DataType
    initial: Any


@dataclass(frozen=True, slots=True)
class BlockType:
    """A block by name. `run(inputs, state, now)` gives its outputs in order; `now` in ns."""

    name: str
    inputs: tuple[Port, ...]
    outputs: tuple[Port, ...]
    run: Callable[[Sequence[Any], State, int], Sequence[Any]]


def _bools(*names: str) -> tuple[Port, ...]:
    return tuple(Port(name, BOOL, False) for name in names)


def _ton(inputs: Sequence[Any], state: State, now: int) -> Sequence[Any]:
    """On only after it has been asked for so long."""
    on, after = inputs
    if not on:
        state.pop("since", None)
        return False, 0
    gone = now - state.setdefault("since", now)
    return gone >= after, max(min(gone, after), 0)


def _tof(inputs: Sequence[Any], state: State, now: int) -> Sequence[Any]:
    """Off only after it has not been asked for so long."""
    on, after = inputs
    if on:
        state.pop("since", None)
        state["was"] = True
        return True, 0
    if not state.get("was"):
        return False, 0
    gone = now - state.setdefault("since", now)
    if gone >= after:
        return False, max(after, 0)
    return True, gone


def _tp(inputs: Sequence[Any], state: State, now: int) -> Sequence[Any]:
    """On for so long from each edge on, whatever comes meanwhile."""
    on, lasts = inputs
    began = state.get("since")
    if began is None and on and not state.get("last"):
        began = state["since"] = now
    state["last"] = on
    if began is None:
        return False, 0
    gone = now - began
    if gone < lasts:
        return True, gone
    if on:
        return False, max(lasts, 0)
    del state["since"]
    return False, 0


def _r_trig(inputs: Sequence[Any], state: State, now: int) -> Sequence[Any]:
    rises = inputs[0] and not state.get("last", False)
    state["last"] = inputs[0]
    return (rises,)


def _f_trig(inputs: Sequence[Any], state: State, now: int) -> Sequence[Any]:
    """By the standard's own text its memory begins as FALSE, of the turned signal: at the first run a low one falls."""
    falls = not inputs[0] and not state.get("last", False)
    state["last"] = not inputs[0]
    return (falls,)


def _ctu(inputs: Sequence[Any], state: State, now: int) -> Sequence[Any]:
    counts, reset, until = inputs
    value = state.get("value", 0)
    if reset:
        value = 0
    elif counts and not state.get("last", False) and value < (INT.high or 0):
        value += 1
    state["last"], state["value"] = counts, value
    return value >= until, value


def _ctd(inputs: Sequence[Any], state: State, now: int) -> Sequence[Any]:
    counts, load, begins = inputs
    value = state.get("value", 0)
    if load:
        value = begins
    elif counts and not state.get("last", False) and value > (INT.low or 0):
        value -= 1
    state["last"], state["value"] = counts, value
    return value <= 0, value


def _sr(inputs: Sequence[Any], state: State, now: int) -> Sequence[Any]:
    """Set wins."""
    sets, resets = inputs
    state["q"] = sets or (state.get("q", False) and not resets)
    return (state["q"],)


def _rs(inputs: Sequence[Any], state: State, now: int) -> Sequence[Any]:
    """Reset wins."""
    sets, resets = inputs
    state["q"] = not resets and (sets or state.get("q", False))
    return (state["q"],)


_TIMER_IN, _TIMER_OUT = (*_bools("IN"), Port("PT", TIME, 0)), (*_bools("Q"), Port("ET", TIME, 0))
_COUNT = Port("CV", DATA_TYPES["INT"], 0)
_UNTIL = Port("PV", DATA_TYPES["INT"], 0)
BLOCKS: dict[str, BlockType] = {
    block.name: block
    for block in (
        BlockType("TON", _TIMER_IN, _TIMER_OUT, _ton),
        BlockType("TOF", _TIMER_IN, _TIMER_OUT, _tof),
        BlockType("TP", _TIMER_IN, _TIMER_OUT, _tp),
        BlockType("R_TRIG", _bools("CLK"), _bools("Q"), _r_trig),
        BlockType("F_TRIG", _bools("CLK"), _bools("Q"), _f_trig),
        BlockType("CTU", (*_bools("CU", "R"), _UNTIL), (*_bools("Q"), _COUNT), _ctu),
        BlockType("CTD", (*_bools("CD", "LD"), _UNTIL), (*_bools("Q"), _COUNT), _ctd),
        BlockType("SR", _bools("S1", "R"), _bools("Q1"), _sr),
        BlockType("RS", _bools("S", "R1"), _bools("Q1"), _rs),
    )
}
