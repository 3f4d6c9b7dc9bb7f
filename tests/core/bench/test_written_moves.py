"""A move as a generated program: the same as the trial move from the same task on, and a start nobody misses."""

from __future__ import annotations

from typing import Any

import pytest

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Exchange, Move, Program, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.bench.test_axes import RIGHT, Moved
from tests.core.demo import LIBRARY
from tests.core.motion.plain_words import lift_of, plain


def _with_program(plant: Plant, catalogue: Any, **settings: Any) -> Plant:
    made = apply(plant, catalogue, edits.AddMove(axis=lift_of(plant).id, name="Fill", tag="$m"))
    values = {f"settings.{key}": value for key, value in settings.items()}
    plant = apply(made.plant, catalogue, edits.SetFields(ids=[made.tags["$m"]], values=values)).plant
    return apply(plant, catalogue, edits.WriteMoveProgram(move=made.tags["$m"])).plant


def _signal(plant: Plant, name: str) -> str:
    return next(signal.id for signal in plant.all(Signal) if signal.name == name)


def _positions(moved: Moved, seconds: float) -> list[float]:
    """The load's position every 10 ms from now on, from where it is."""
    begin, found = moved.machine.position, []
    for _ in range(round(100 * seconds)):
        moved.after(0.01)
        found.append(moved.machine.position - begin)
    return found


def test_set_points_of_a_program_are_those_of_the_trial_move() -> None:
    plant = _with_program(RIGHT, LIBRARY, to=120, speed=150)
    assert not any(f.code == "SIG-201" for f in analyse(plant, LIBRARY).findings.values())
    by_program = Moved(plant, LIBRARY)
    assert "the program" in by_program.bench.axes.seen(by_program.id)["facts"][1]["text"].lower()
    by_program.bench.signals.write(_signal(plant, "LIFTOn"), True)
    by_program.after(1)
    by_program.bench.signals.write(_signal(plant, "LIFTFillGo"), True)
    told = _positions(by_program, 3)
    by_hand = Moved(RIGHT, LIBRARY)
    by_hand.do("enable")
    by_hand.after(1)
    by_hand.move(120, 150)
    asked = _positions(by_hand, 3)
    assert told[-1] == pytest.approx(120, abs=5e-6)
    assert asked[-1] == pytest.approx(120, abs=5e-6)
    # Started within a task of the same move: never farther apart than what it goes in a run and the exchange's own.
    assert max(abs(one - other) for one, other in zip(told, asked, strict=True)) <= 150 * 0.0121


def test_a_start_is_handed_over_and_taken_away_once_seen() -> None:
    plant = _with_program(plain(), BUILTIN, to=60, speed=100)
    moved = Moved(plant)
    moved.bench.signals.write(_signal(plant, "LIFTOn"), True)
    moved.after(1)
    for n in (1, 2, 3):
        moved.bench.signals.write(_signal(plant, "LIFTFillGo"), True)
        moved.after(2)
        assert moved.machine.position == pytest.approx(60 * n, abs=0.05)
        assert moved.bench.value(_signal(plant, "LIFTStart"))[0] is False
        moved.bench.signals.write(_signal(plant, "LIFTFillGo"), False)
        moved.after(0.2)
    text = plant.all(Program)[0].text
    told = analyse(plant, BUILTIN).result("axis.handover", lift_of(plant).id)
    # 20 ms exchange, a drive that looks every 10 ms, one packet lost: 20·(1 + 1), in tasks of 10 ms.
    assert (told.interval, told.scan, told.task, told.hold) == (20, 10, 10, 40)
    assert f"T#{round(2 * told.hold)}ms" in text
    assert told.seen <= told.hold + told.scan
    assert told.told is not None and told.told <= told.within


def test_how_long_it_waits_follows_the_exchange() -> None:
    plant = plain()
    ids = [exchange.id for exchange in plant.all(Exchange)]
    slow = apply(plant, BUILTIN, edits.SetFields(ids=ids, values={"settings.period_ms": 60})).plant
    plant = _with_program(slow, BUILTIN, to=60, speed=100)
    told = analyse(plant, BUILTIN).result("axis.handover", lift_of(plant).id)
    # 60 · (1 + 1), and twice that.
    assert told.hold == 120 and "T#240ms" in plant.all(Program)[0].text


def test_what_cannot_be_written_is_refused() -> None:
    plant = plain()
    made = apply(plant, BUILTIN, edits.AddMove(axis=lift_of(plant).id, tag="$m"))
    with pytest.raises(Refusal, match="distance"):
        apply(made.plant, BUILTIN, edits.WriteMoveProgram(move=made.tags["$m"]))
    assert not made.plant.all(Program) and len(made.plant.all(Move)) == 1
