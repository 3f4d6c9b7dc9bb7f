"""What a current loop says of itself, in figures and on the bench."""

from __future__ import annotations

from fractions import Fraction

import pytest

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.types import AnalogueRange
from highmoor.core.plant.rows import Controller, Module, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.signals.electrical import electrical_at, raw_at
from highmoor.core.signals.ne43 import loop_state
from tests.core.plants import hall

LOOP = AnalogueRange("a", "4–20 mA", "mA", 4, 20, 0, 30000, -7500, 32767)


@pytest.mark.parametrize(
    ("current", "state"),
    [
        ("0", "fault"), ("3.6", "fault"), ("3.601", "out of range"), ("3.8", "out of range"), ("3.801", "good"),
        ("4", "good"), ("20.499", "good"), ("20.5", "out of range"), ("20.999", "out of range"), ("21", "fault"),
    ],
)  # fmt: skip
def test_each_current_says_what_ne_43_says(current: str, state: str) -> None:
    raw = raw_at(LOOP, Fraction(current))
    assert electrical_at(LOOP, raw) == Fraction(current)
    assert loop_state(LOOP, raw) == state


def test_no_other_signal_tells_a_break() -> None:
    assert loop_state(AnalogueRange("b", "0–20 mA", "mA", 0, 20, 0, 30000, 0, 32767), 0) == "good"
    assert loop_state(None, -7500) == "good"


def test_a_broken_wire_shows_where_it_is_supervised() -> None:
    plant = hall("ai-8")
    module = plant.all(Module)[-1].id
    add = edits.AddSignals(controller=plant.all(Controller)[0].id, pattern="L{n}", count=2, type="INT", place=module,
                           key="ch0")  # fmt: skip
    off = edits.SetFields(ids=[module], values={"settings.channels.ch1.supervise": False})
    for edit in (add, off):
        plant = apply(plant, BUILTIN, edit).plant
    bench = Bench(plant, BUILTIN)
    controller = next(iter(bench.controllers.values()))
    watched, unwatched = sorted(plant.all(Signal), key=lambda s: s.name)
    bench.signals.wired |= {f"{module}.ch0", f"{module}.ch1"}
    for current, state in ((12.0, "good"), (3.7, "out of range"), (0.0, "fault"), (21.5, "fault"), (4.0, "good")):
        for channel in ("ch0", "ch1"):
            controller.rail.give(f"{module}.{channel}", current)
        bench.run_until(bench.seconds + 1)
        assert bench.signals.value(watched.id)[1] == state
        assert bench.signals.value(unwatched.id)[1] == "good"
    bench.signals.force(watched.id, 5)
    controller.rail.give(f"{module}.ch0", 0.0)
    bench.run_until(bench.seconds + 1)
    assert bench.signals.value(watched.id) == (5, "forced")
