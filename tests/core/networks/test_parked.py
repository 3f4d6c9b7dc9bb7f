"""What is switched off is kept and left alone: on the wire, in the time, among the findings."""

from __future__ import annotations

from typing import Any

import pytest

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Controller, Exchange, Network, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.networks.modbus_rtu.test_modbus_rtu import GOOD, on_a_line, timing_of


def set_on(plant: Plant, row: Any, path: str, value: Any) -> Plant:
    return apply(plant, BUILTIN, edits.SetFields(ids=[row.id], values={path: value})).plant


def told(plant: Plant) -> set[tuple[str, str]]:
    return {(f.code, f.places[0].id) for f in analyse(plant, BUILTIN).findings.values()}


def images(plant: Plant) -> dict[str, Any]:
    analysis = analyse(plant, BUILTIN)
    return {c.id: analysis.result("controller.image", c.id) for c in plant.all(Controller)}


def test_a_station_switched_off_is_not_asked_costs_no_time_and_is_no_error() -> None:
    plant = on_a_line(*GOOD)
    first, second = plant.all(Station)
    wrong = set_on(plant, plant.all(Exchange)[1], "settings.count", 126)
    assert ("NET-204", plant.all(Exchange)[1].id) in told(wrong)
    off = set_on(wrong, second, "settings.parked", True)
    assert told(off) == {("NET-130", second.id)} | told(plant)
    whole, alone = timing_of(plant), timing_of(off)
    assert [e.exchange for e in alone.exchanges] == [whole.exchanges[0].exchange]
    assert alone.cycle_ms == pytest.approx(whole.exchanges[0].transaction_ms)
    bench = Bench(off, BUILTIN)
    bench.run_until(3)
    by_name = {s["name"]: s for s in bench.stations.all()}
    assert (by_name[second.name]["state"], by_name[second.name]["text"]) == ("waiting", "switched off")
    assert [x["transactions"] for x in by_name[second.name]["exchanges"]] == [0]
    assert by_name[first.name]["state"] == "good"
    assert [by_name[s.name]["parked"] for s in (first, second)] == [False, True]
    # On again, everything is as it was.
    on = set_on(off, second, "settings.parked", None)
    assert told(on) == told(wrong)
    assert timing_of(on).exchanges == timing_of(wrong).exchanges


def test_one_connection_of_several_is_switched_off_and_the_only_one_goes_with_its_station() -> None:
    plant = on_a_line(*GOOD)
    station = plant.all(Station)[0]
    only = plant.children(Connection, station.id)[0]
    with pytest.raises(Refusal):
        set_on(plant, only, "settings.parked", True)


def test_every_part_of_the_demo_goes_on_with_any_station_switched_off() -> None:
    plant = demo_plant()
    before = told(plant)
    for network in plant.all(Network):
        for station in plant.children(Station, network.id)[:3]:
            try:
                off = set_on(plant, station, "settings.parked", True)
            except Refusal:
                continue
            assert told(off) - before == {("NET-130", station.id)}
            # Nothing moves in the image: switched on again, it is where it was.
            assert images(off) == images(plant)
            bench = Bench(off, BUILTIN)
            bench.run_until(0.3)
            assert next(s for s in bench.stations.all() if s["id"] == station.id)["text"] == "switched off"
