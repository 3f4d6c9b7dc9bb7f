"""Signals at a scanner: what they can be, made by a pattern, and on the bench what drives its inputs and is read."""

from __future__ import annotations

from random import Random
from typing import Any

import pytest

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Link, SafetyPart, Scanner, Signal, Situation, Task, Use, Zone
from highmoor.core.project import edits
from highmoor.core.safety.scanner.signals import ScannerSignals
from highmoor.core.safety.seal.plain import PlainSight
from highmoor.core.safety.seal.tree import Covering
from tests.core.safety.functions import DI, analysed, at, do, of, put
from tests.core.safety.scanner.aisle import aisle, named, one, situation, with_outputs
from tests.core.safety.scanner.wrong import WRONG


def two(select: str = "0100") -> Plant:
    """Two situations in one of which output 1 answers to a small zone, output 2 to a warning zone in both."""
    plant = do(aisle(), edits.AddSituation(scanner=one(aisle(), Scanner).id, name="Near"))
    eye = one(plant, Scanner).id
    near, wide = ({"kind": "rectangle", "x": -900, "y": 0, "width": 1800, "depth": d} for d in (800, 4000))
    plant = do(plant, edits.AddZone(scanner=eye, shape=near), edits.AddZone(scanner=eye, zone="warning", shape=wide))
    small, warning = plant.all(Zone)[1:]
    always, other = plant.all(Situation)
    plant = do(
        plant, edits.UseZone(situation=other.id, output=1, zone=small.id),
        edits.UseZone(situation=always.id, output=2, zone=warning.id),
        edits.UseZone(situation=other.id, output=2, zone=warning.id),
    )  # fmt: skip
    return with_outputs(put(plant, other.id, select=select), "-A1")


def uses(plant: Plant) -> dict[str, tuple[str, str]]:
    """By role the signal's name, and the channel it is linked to."""
    found = {}
    for use in plant.children(Use, one(plant, Scanner).id):
        links = plant.children(Link, use.signal)
        found[use.role] = (plant.get(use.signal, Signal).name, links[0].key if links else "")
    return found


def told(plant: Plant) -> ScannerSignals:
    result: ScannerSignals = analysed(plant).result("scanner.signals", one(plant, Scanner).id)
    return result


def test_signals_are_made_by_a_pattern_at_channels_that_are_free() -> None:
    plant = do(two(), edits.AddSignals(controller=of(two(), "HALL"), pattern="Lamp", place=at(two(), "-A1"), key="ch1"))
    plant = named(plant, "select", "-A1", "ch0")
    assert uses(plant) == {
        "select1": ("Eye1Always", "ch0"), "select2": ("Eye2Near", "ch2"), "select3": ("Eye3Input3", "ch3"),
        "select4": ("Eye4Input4", "ch4"),
    }  # fmt: skip
    plant = named(plant, "enable", pattern="{scanner} take it")
    assert uses(plant)["enable"] == ("EyeTakeIt", "")
    # What a safe input reads has its own.
    plant = named(plant, "output", DI, "ch5", "{scanner} warns {zone}")
    assert {role: use for role, use in uses(plant).items() if role.startswith("output")} == {
        "output2": ("EyeWarnsC", "ch5")
    }
    with pytest.raises(Refusal, match="All of them have a signal"):
        named(plant, "select")
    inputs = told(plant).inputs
    assert [(one.number, len(one.situations)) for one in inputs] == [(1, 1), (2, 1), (3, 0), (4, 0)]


@pytest.mark.parametrize(
    ("edit", "why"),
    [
        (lambda p: named(p, "select", pattern="{input}"), "not understood; there are {scanner}, {n}"),
        (lambda p: named(p, "select", DI, "ch4"), "driven by outputs"),
        (lambda p: named(p, "output", "-A1", "ch4"), "driven by outputs"),
        (lambda p: named(p, "select", "-A1", "ch14"), "Behind ch14 there are not as many"),
        (lambda p: named(p, "select", "-A1", ""), "Which channel"),
        (lambda p: use(p, "select5", "Start"), "“select5” is nothing"),
        (lambda p: use(p, "select0", "Start"), "“select0” is nothing"),
        (lambda p: use(p, "output3", "Start"), "“output3” is nothing"),
        (lambda p: use(p, "reset", "Start"), "“reset” is nothing"),
        (lambda p: use(put(p, of(p, "Start"), type="INT"), "select1", "Start"), "Start is INT"),
    ],
)
def test_what_cannot_be_is_refused(edit: Any, why: str) -> None:
    with pytest.raises(Refusal, match=why):
        edit(two())


def use(plant: Plant, role: str, signal: str) -> Plant:
    return do(plant, edits.UseSignal(of=one(plant, Scanner).id, role=role, signal=of(plant, signal)))


def test_a_situation_is_selected_so_much_sooner_as_its_signals_need() -> None:
    assert situation(two()).lead_ms == 380
    plant = named(two(), "select", "-A1", "ch0")
    late = told(plant).select_ms
    assert 100 < late < 110 and situation(plant).lead_ms == 380 + late
    # All in one image: none is later than another.
    assert told(plant).apart_ms == 0
    other = with_outputs(named(two(), "select", "-A1", "ch0"), "-A2")
    link = next(row for row in other.all(Link) if row.signal == of(other, "Eye2Near"))
    other = do(other, edits.Remove(ids=[link.id]),
               edits.LinkSignal(signal=link.signal, place=at(other, "-A2"), key="ch0"))  # fmt: skip
    assert told(other).apart_ms == told(other).select_ms == late
    # An enable that comes later than all of them is what it waits for.
    slow = named(plant, "enable", "-A1", "ch9", "Take")
    assert told(slow).select_ms == late and told(slow).enable == of(slow, "Take")
    slow = put(slow, next(task.id for task in slow.all(Task) if task.name == "Slow"), period_ms=300)
    fast = next(task.id for task in slow.all(Task) if task.name == "Fast")
    for name in ("Eye1Always", "Eye2Near", "Eye3Input3", "Eye4Input4"):
        slow = put(slow, of(slow, name), task=fast)
    assert told(slow).select_ms > 300


class Running:
    """The aisle's scanner on the bench, its inputs written by the program."""

    def __init__(self, plant: Plant) -> None:
        self.plant, self.bench = plant, Bench(plant, BUILTIN)
        self.safety = next(iter(self.bench.safety.of.values()))
        self.eye = next(iter(self.safety.scanners.values()))

    def wait(self, ms: float) -> None:
        self.bench.run_until(self.bench.seconds + ms / 1e3)

    def write(self, **values: bool) -> None:
        for name, value in values.items():
            self.bench.signals.write(of(self.plant, name), value)

    @property
    def called(self) -> str:
        there = self.eye.situation
        return self.plant.get(there.id, Situation).name if there else ""


def test_the_program_selects_and_one_wire_alone_selects_nothing() -> None:
    here = Running(named(two(), "select", "-A1", "ch0"))
    here.wait(1000)
    # Nothing is written yet, so that nothing is selected.
    assert (here.eye.pattern, here.called, here.eye.outputs[1].on) == ("0000", "", False)
    here.write(Eye1Always=True)
    here.wait(1000)
    assert (here.eye.pattern, here.called, here.eye.outputs[1].on) == ("1000", "Always", True)
    here.write(Eye1Always=False, Eye2Near=True)
    here.wait(1000)
    assert (here.called, here.eye.outputs[1].on) == ("Near", True)
    # Somebody in the large zone stops nothing now; in the small one he does.
    here.eye.hold((0, 2000), 35)
    here.wait(500)
    assert (here.eye.outputs[1].on, here.eye.outputs[2].on) == (True, False)
    here.write(Eye1Always=True)
    here.wait(100 + 200 + 40)
    assert here.called == ""


def test_what_is_told_of_how_long_it_takes_to_select_is_what_happens() -> None:
    """From the program's decision, at any phase of its task: to the situation, and to the output that only the new
    situation's zone shuts off."""
    plant, chance = named(two(), "select", "-A1", "ch0"), Random(20)
    selected, off, here = 0.0, 0.0, Running(plant)
    here.eye.hold((0, 2000), 35)
    for _ in range(40):
        here.write(Eye1Always=False, Eye2Near=True)
        here.wait(600 + chance.uniform(0, 140))
        assert here.called == "Near" and here.eye.outputs[1].on
        began = here.bench.seconds
        here.write(Eye1Always=True, Eye2Near=False)
        while here.called != "Always":
            here.wait(0.2)
        selected = max(selected, (here.bench.seconds - began) * 1e3)
        while here.eye.outputs[1].on:
            here.wait(0.2)
        off = max(off, (here.bench.seconds - began) * 1e3)
    late = told(plant).select_ms
    assert late - 15 <= selected <= late
    # Nothing is lost in switching over here: all at once leaves what that may take.
    lead = situation(plant).lead_ms
    assert lead - 200 - 80 <= off <= lead


def test_inputs_come_apart_by_no_more_than_is_told() -> None:
    plant, chance = _by_two_tasks(), Random(20)
    here, most = Running(plant), 0.0
    for n in range(60):
        here.wait(300 + chance.uniform(0, 250))
        on = n % 2 == 0
        here.write(Sel1=on, Sel2=on)
        came: dict[int, float] = {}
        while len(came) < 2:
            here.wait(0.2)
            came |= {k: here.bench.seconds for k in (0, 1) if k not in came and (here.eye.pattern[k] == "1") == on}
        most = max(most, abs(came[0] - came[1]) * 1e3)
    assert told(plant).apart_ms - 40 <= most <= told(plant).apart_ms


def _by_two_tasks() -> Plant:
    plant = WRONG["SAF-317"]()[1]
    fast = next(task.id for task in plant.all(Task) if task.name == "Fast")
    return put(plant, of(plant, "Sel2"), task=fast)


def test_with_an_enable_it_takes_its_inputs_only_while_that_is_on() -> None:
    plant = named(named(two(), "select", "-A1", "ch0"), "enable", "-A1", "ch9", "Take")
    here = Running(plant)
    here.write(Eye1Always=True)
    here.wait(500)
    assert here.called == "Always" and here.eye.pattern == "1000"
    here.write(Take=True)
    here.wait(500)
    here.write(Take=False, Eye1Always=False)
    # No pattern for a long time, and it holds.
    here.wait(2000)
    assert here.called == "Always" and here.eye.outputs[1].on
    here.write(Eye2Near=True, Take=True)
    here.wait(500)
    assert here.called == "Near"


def test_a_warning_is_read_as_a_plain_signal_before_what_it_warns_of() -> None:
    here = Running(named(two(), "output", DI, "ch5", "Warned"))
    here.wait(1000)
    warned, seen = of(here.plant, "Warned"), here.bench.value
    assert seen(warned)[0] is True
    here.eye.walk((0, 4500), (0, 100))
    while seen(warned)[0]:
        here.wait(5)
    # Nobody is in the zone that shuts off yet.
    person = here.eye.person
    assert person and person.at(here.bench.clock.now_ns)[1] > 2600 and here.eye.outputs[1].on
    assert f"{at(here.plant, DI)}.ch5" in here.bench.signals.touched


def test_what_drives_it_is_sealed_and_what_only_names_it_is_not() -> None:
    def covered(plant: Plant) -> set[tuple[str, str]]:
        items = Covering(PlainSight(plant, BUILTIN)).of_scanner(one(plant, Scanner))
        return {(item.at, item.value) for item in items}

    plant = named(two(), "select", "-A1", "ch0")
    more = {where for where, _ in covered(plant) - covered(two())}
    assert more == {f"select{n} by signal {name}" for n, name in
                    enumerate(("Eye1Always", "Eye2Near", "Eye3Input3", "Eye4Input4"), start=1)}  # fmt: skip


def test_inputs_at_one_module_by_two_tasks_come_apart() -> None:
    apart = WRONG["SAF-317"]()[1]
    assert told(apart).apart_ms > 200
    here = WRONG["SAF-318"]()[0]
    assert told(here).apart_ms == 0
    # Its controller's slowest task is what refreshes one that is given to none.
    assert told(put(here, of(here, "Sel2"), task=None)).apart_ms == 0
    fast = next(task.id for task in here.all(Task) if task.name == "Fast")
    assert told(put(here, of(here, "Sel2"), task=fast)).apart_ms > 200


def test_a_part_has_the_output_of_a_scanner_that_is_wired_there_or_the_next() -> None:
    plant = do(aisle(), edits.AddSafetyFunction(controller=of(aisle(), "HALL"), name="Other side"))
    eye, function = one(plant, Scanner).id, of(plant, "Other side")
    field = next(part for part in plant.all(SafetyPart) if part.name == "Field")
    for key, output in ((field.key, 1), ("ch6", 2), ("ch6", 2), ("", 1)):
        place = field.place if key else None
        add = edits.AddSafetyPart(function=function, role="sensor", block="espe", device=eye, place=place, key=key)
        plant = do(plant, add)
        part = plant.children(SafetyPart, function)[-1]
        assert part.settings.get("output", 1) == output
