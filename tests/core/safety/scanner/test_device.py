"""What a scanner has in itself: compared, taken over, sent anew, and what the bench does by it."""

from __future__ import annotations

import json
from typing import Any

import pytest

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import BuiltScanner, PlanShape, Scanner, Situation, Zone, ZoneUse
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.draft import Draft
from highmoor.core.project.exchange_format import BadFile, export_plant, parse_plant
from highmoor.core.project.scanner_device import as_delivered, device_of, differences, into_device
from highmoor.core.project.seal_words import in_words
from tests.core.demo import DEMO, LIBRARY
from tests.core.safety.functions import analysed, do, put
from tests.core.safety.scanner.aisle import aisle, one, scanner, shaped, with_shape


def sent(plant: Plant) -> Plant:
    draft = Draft(plant, BUILTIN)
    into_device(draft, one(plant, Scanner), at="2026-11-30T14:05Z", by="anna")
    return draft.plant


def reset(plant: Plant) -> Plant:
    draft = Draft(plant, BUILTIN)
    as_delivered(draft, one(plant, Scanner), at="2026-11-30T14:05Z", by="anna")
    return draft.plant


def unlike(plant: Plant) -> list[tuple[str, str, str, str]]:
    eye = one(plant, Scanner)
    built = device_of(plant, eye.id)
    assert built
    return [(each.at, each.field, each.before, each.now) for each in differences(plant, BUILTIN, eye, built)]


def taken(plant: Plant) -> Plant:
    return do(plant, edits.ScannerFromDevice(scanner=one(plant, Scanner).id))


def shape_of(plant: Plant) -> Any:
    return one(plant, Zone).settings["shape"]


# What is done after sending, and which fields are another then, by place.
DONE: list[tuple[Any, set[tuple[str, str]]]] = [
    (lambda p: scanner(p, scans=3), {("", "settings.scans")}),
    (lambda p: scanner(p, x=40), {("", "settings.x")}),
    (lambda p: put(p, one(p, Scanner).id, type="ws-5"), {("", "type"), ("type", "safety")}),
    (lambda p: shaped(p, depth=2000), {("zone A", "settings.shape.depth")}),
    (lambda p: put(p, one(p, Zone).id, kind="warning"), {("zone A", "kind")}),
    (lambda p: put(p, one(p, Situation).id, select="0100"), {("situation Always", "select")}),
    (lambda p: put(p, one(p, Situation).id, settings__lead_ms=900), {("situation Always", "settings.lead_ms")}),
    (lambda p: do(p, edits.UseZone(situation=one(p, Situation).id, output=1, zone=None)),
     {("situation Always, output 1", "output"), ("situation Always, output 1", "zone")}),
    (lambda p: put(p, p.all(PlanShape)[0].id, settings__points=[[-1900, -1500], [-1900, 9000]]),
     {("wall 1", "settings.points"), ("wall 2", "settings.points"), ("wall 3", "settings.points")}),
    (lambda p: do(p, edits.Remove(ids=[one(p, Zone).id])),
     {("zone A", "kind"), ("zone A", "letter"), ("zone A", "settings.shape.kind"), ("zone A", "settings.shape.x"),
      ("zone A", "settings.shape.y"), ("zone A", "settings.shape.width"), ("zone A", "settings.shape.depth"),
      ("situation Always, output 1", "zone")}),
]  # fmt: skip
# What a device has nothing of.
IDLE: list[Any] = [
    lambda p: p,
    lambda p: put(p, one(p, Scanner).id, name="Other"),
    lambda p: put(p, one(p, Scanner).id, note="Behind the press."),
    lambda p: put(p, next(s for s in p.all(PlanShape) if s.kind == "hazard").id,
                  settings__points=[[0, 0], [10, 0], [10, -10]]),
    lambda p: with_shape(p, "open", [[0, 8000], [10, 8000]]),
]  # fmt: skip


@pytest.mark.parametrize(("done", "fields"), DONE)
def test_what_was_changed_since_is_told_and_taking_over_takes_it_back(done: Any, fields: set[tuple[str, str]]) -> None:
    before = sent(aisle())
    after = done(before)
    assert {(at, field) for at, field, *_ in unlike(after)} <= fields and unlike(after)
    assert [each for each in unlike(taken(after)) if not each[0].startswith("wall")] == []
    assert unlike(sent(after)) == []
    # What was taken over is as it was, but for ids that are not used again.
    kinds = (Zone, Situation, ZoneUse)
    assert [len(taken(after).all(kind)) for kind in kinds] == [len(before.all(kind)) for kind in kinds]
    assert one(taken(after), Scanner) == one(before, Scanner) and shape_of(taken(after)) == shape_of(before)


@pytest.mark.parametrize("done", IDLE)
def test_what_a_device_has_nothing_of_makes_no_difference(done: Any) -> None:
    assert unlike(done(sent(aisle()))) == []


def test_the_device_is_before_and_what_is_configured_is_now() -> None:
    assert unlike(scanner(sent(scanner(aisle(), scans=3)), scans=4)) == [("", "settings.scans", "3", "4")]


def test_a_situation_that_is_gone_comes_back_with_the_zones_it_watches() -> None:
    plant = sent(aisle())
    plant = taken(do(plant, edits.Remove(ids=[one(plant, Situation).id, one(plant, Zone).id])))
    (use,) = plant.all(ZoneUse)
    assert (use.situation, use.zone) == (one(plant, Situation).id, one(plant, Zone).id)


def test_one_to_which_nothing_was_sent_and_one_that_was_reset_have_nothing_to_take_over() -> None:
    with pytest.raises(Refusal, match="Nothing was sent"):
        taken(aisle())
    plant = reset(sent(aisle()))
    assert {("zone A", "letter"), ("situation Always", "name")} <= {(at, field) for at, field, *_ in unlike(plant)}
    with pytest.raises(Refusal, match="was reset"):
        taken(plant)


def test_what_is_said_as_built_is_forgotten_with_all_the_rest() -> None:
    plant = sent(aisle())
    assert not do(plant, edits.AsConfigured(ids=[one(plant, Scanner).id])).all(BuiltScanner)
    assert do(plant, edits.AsConfigured(ids=["s1"])).all(BuiltScanner)


class _Aisle:
    """The aisle on the bench; what is sent to its scanner after that comes by what is built."""

    def __init__(self, plant: Plant, built: Plant | None = None) -> None:
        self.bench = Bench(plant, BUILTIN, built)
        self.eye = next(iter(next(iter(self.bench.safety.of.values())).scanners.values()))
        self.wait()

    def wait(self) -> None:
        self.bench.run_until(self.bench.seconds + 1)

    def seen_at(self, y: float) -> bool:
        self.eye.hold((0, y), 35)
        self.wait()
        seen = not self.eye.outputs[1].on
        self.eye.leave()
        self.wait()
        return seen


def test_the_bench_goes_by_what_is_in_the_device() -> None:
    before = sent(aisle())
    here = _Aisle(shaped(before, depth=1000))
    # Nobody at 2.4 m is in what is configured; in the device he is.
    assert (here.seen_at(2400), here.seen_at(2700)) == (True, False)
    here.bench.rebuilt(sent(shaped(before, depth=1000)))
    assert not here.eye.outputs[1].on
    here.wait()
    assert (here.seen_at(2400), here.seen_at(900)) == (False, True)
    here.bench.rebuilt(reset(before))
    here.wait()
    assert not here.eye.outputs[1].on and not here.eye.situations


def test_the_bench_begins_with_one_that_is_empty_and_runs_once_something_is_sent() -> None:
    empty = reset(aisle())
    here = _Aisle(empty)
    assert not here.eye.outputs[1].on
    here.bench.rebuilt(sent(empty))
    here.wait()
    assert here.eye.outputs[1].on and here.seen_at(2400)


def test_zones_in_the_device_go_with_it_where_it_is_moved() -> None:
    moved = scanner(sent(aisle()), y=500)
    here = _Aisle(moved)
    assert (here.seen_at(2900), here.seen_at(3200)) == (True, False)


def test_walls_that_stand_now_end_what_it_sees_and_those_of_then_its_zones() -> None:
    plant = sent(aisle())
    nearer = put(plant, plant.all(PlanShape)[0].id, settings__points=[[-1000, -1500], [-1000, 9000]])
    here = _Aisle(nearer)
    here.eye.hold((-1500, 1500), 35)
    here.wait()
    assert here.eye.outputs[1].on
    # Without that wall nobody in what it was clipped by is seen, though a wider field is drawn there.
    wide = sent(shaped(aisle(), x=-3000, width=6000))
    away = put(wide, wide.all(PlanShape)[0].id, settings__points=[[-5000, -1500], [-5000, 9000]])
    there = _Aisle(away)
    there.eye.hold((-2500, 1500), 35)
    there.wait()
    assert there.eye.outputs[1].on


def test_a_device_that_does_not_answer_is_neither_sent_to_nor_taken_from() -> None:
    draft = Draft(DEMO, LIBRARY)
    eye = one(DEMO, Scanner)
    into_device(draft, eye, at="2026-11-30T14:05Z", by="anna")
    for field, why in (("there", "not mounted"), ("powered", "no power"), ("cable", "not plugged")):
        plant = apply(draft.plant, LIBRARY, edits.SetBuilt(ids=[eye.device], values={field: False})).plant
        with pytest.raises(Refusal, match=f"{eye.name} does not answer: .*{why}"):
            apply(plant, LIBRARY, edits.ScannerFromDevice(scanner=eye.id))
        with pytest.raises(Refusal, match=why):
            into_device(Draft(plant, LIBRARY), eye, at="", by="")
        # By hand, at the device itself.
        as_delivered(Draft(plant, LIBRARY), eye, at="", by="")


def test_a_plant_file_brings_what_is_in_devices_and_is_not_believed() -> None:
    plant = sent(aisle())
    file = export_plant(plant)
    assert parse_plant(json.dumps(file).encode()).plant.all(BuiltScanner) == plant.all(BuiltScanner)
    (row,) = plant.all(BuiltScanner)
    texts = row.copy["rows"]
    eye, situation, *_ = texts
    wrong: list[Any] = [
        {"rows": 3}, {"rows": [["Scanner"]]}, {"rows": [["Plant", "{}"]]}, {"rows": [["Scanner", "["]]},
        {"rows": [["Scanner", "{}"]]}, {"rows": [situation]}, {"rows": [eye, eye]}, {"rows": texts, "more": 1},
        {"rows": [eye, ["Situation", situation[1].replace('"rank": "', '"rank": "!')]]},
        {"rows": [eye, ["Situation", situation[1].replace('"select": "1000"', '"select": "2000"')]]},
        {"rows": [["Scanner", eye[1].replace('"settings": {}', '"settings": {"x": "far"}')]]},
        {"rows": [["Scanner", eye[1].replace('"settings": {}', '"settings": {"x": NaN}')]]},
        {"rows": [eye, *([situation] * 2000)]}, {"rows": [eye, *(t for t in texts if t[0] == "ZoneUse")]},
        {"rows": [eye, *(["PlanShape", t[1].replace('"wall"', '"hazard"')] for t in texts if t[0] == "PlanShape")]},
    ]  # fmt: skip
    for copy in wrong:
        assert copy != row.copy
        forged = {**file, "built_scanners": [{**file["built_scanners"][0], "copy": copy}]}
        with pytest.raises(BadFile) as bad:
            parse_plant(json.dumps(forged).encode())
        assert bad.value.faults[0].place.startswith("built_scanners[0]"), copy


def test_two_kinds_of_a_zone_that_are_another_are_told_apart_in_words() -> None:
    plant = sent(aisle())
    plant = put(shaped(plant, **{"kind": "sector", "from": -60, "to": 60, "radius": 2500}), one(plant, Zone).id,
                kind="warning")  # fmt: skip
    built = device_of(plant, one(plant, Scanner).id)
    assert built
    found = in_words(analysed(plant), differences(plant, BUILTIN, one(plant, Scanner), built))
    lines = {(line.at, line.label): (line.before, line.now) for line in found}
    assert len(lines) == len(found)
    assert lines["zone A", "Kind"] == ("protective: shuts off", "warning: only tells")
    assert lines["zone A", "Drawn as"] == ("rectangle", "sector")
    assert lines["zone A", "Radius"] == ("", "2500 mm")
