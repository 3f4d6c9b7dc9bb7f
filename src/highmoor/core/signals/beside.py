"""What an exchange tells the program of itself, and what starts it: places beside its data."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Literal

from highmoor.core.networks.wire import WireLayout
from highmoor.core.plant.rows import Way


@dataclass(frozen=True, slots=True)
class Beside:
    """A bit or word of the controller's image that belongs to an exchange; `always` where no signal need ask for it.

    Words are of the controller's own making: they stand high octet first.
    """

    key: Way
    label: str
    help: str = field(compare=False)
    area: Literal["in", "out"]
    bits: int
    data_type: str
    always: bool = False


STATUS = Beside("status", "status bit", "true while it is good", "in", 1, "BOOL", always=True)
CODE = Beside("code", "error code", "0 while it is good", "in", 16, "UINT")
RUNNING = Beside("running", "running bit", "true from the question to its answer", "in", 1, "BOOL")
LENGTH = Beside("length", "length", "octets of data the last time, 0 after a failure", "in", 16, "UINT")
FAILURES = Beside("failures", "failures", "how often it stopped being good since the start", "in", 16, "UINT")
STATE = Beside("state", "state", "", "in", 16, "UINT")
START = Beside("start", "start bit", "asks once each time it rises", "out", 1, "BOOL", always=True)

# In the order in which they lie behind the data.
ALL: tuple[Beside, ...] = (STATUS, CODE, RUNNING, LENGTH, FAILURES, STATE, START)
BY_KEY: dict[str, Beside] = {beside.key: beside for beside in ALL}


def beside_of(wire: WireLayout) -> Iterator[Beside]:
    """Those an exchange has: what is asked can be running, what is started has a bit for it, and not every fieldbus has
    states."""
    there = {RUNNING.key: wire.asked, START.key: wire.started, STATE.key: bool(wire.states)}
    for beside in ALL:
        if there.get(beside.key, True):
            yield replace(beside, help=wire.states) if beside is STATE else beside
