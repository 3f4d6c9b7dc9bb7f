"""The demo's Steep house: what it says of itself, what the bench and a scan find, and how each is put right."""

from __future__ import annotations

from typing import Any

import pytest

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.demo.plant import demo_plant
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Link, Module, Network, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.differences import Difference, Reachable, differences

from .steep import LIBRARY, PINS, TYPES, do, line, named, network

METER = next(pin for pin in PINS if pin.file.startswith("inbox"))
READ = [pin for pin in PINS if pin != METER]
DEMO = demo_plant(LIBRARY, {pin.device: pinned_key(pin.device, pin.sha256, pin.reader) for pin in READ}, READ)
NETWORK = next(row.id for row in DEMO.all(Network) if row.name == "Steep house")


def scanned(bench: Bench, plant: Plant, where: str = NETWORK) -> dict[str, Difference]:
    """The differences, by the name or the address of whom they are of."""
    bench.scan(where, "me", {})
    told_s = bench.scans.told()[-1]["takes_s"]
    bench.run_until(bench.seconds + told_s)
    assert not bench.scans.told()[-1].get("running"), "no longer than told"
    found = [one for scan in bench.scans.shown.values() for one in scan.found]
    device = LIBRARY.find(TYPES["EM-310"])
    assert device is not None
    pinned = {row.device for row in plant.tables["types"].values()}
    reach = () if METER.device in pinned else (Reachable(device, METER),)
    told = differences(analyse(plant, LIBRARY), where, found, within_reach=lambda: reach)
    return {plant.get(d.station, Station).name if d.station else d.address: d for d in told if d.kind != "agrees"}


def running(plant: Plant) -> Bench:
    """The bench a second after it was downloaded."""
    bench = Bench(plant, LIBRARY)
    bench.run_until(1)
    return bench


def states(bench: Bench) -> dict[str, str]:
    here = {station.name for station in bench.plant.children(Station, NETWORK)}
    return {s["name"]: s["state"] for s in bench.stations.all() if s["name"] in here}


def test_it_is_configured_without_a_finding() -> None:
    own = {row.id for row in (DEMO.get(NETWORK), *DEMO.children(Station, NETWORK))}
    found = [f.code for f in analyse(DEMO, LIBRARY).findings.values() if own & {place.id for place in f.places}]
    assert found == []


def test_swapped_modules_fail_at_that_station_alone_and_a_stranger_is_heard() -> None:
    bench = running(DEMO)
    assert {name for name, state in states(bench).items() if state != "good"} == {"Drain I/O"}
    facts = next(one["facts"] for one in bench.stations.networks() if one["id"] == NETWORK)
    assert "somebody answers at 20" in [fact["text"] for fact in facts]


def test_a_scan_finds_both_and_the_meter_is_taken_over_with_the_modules_its_identifiers_allow() -> None:
    told = scanned(running(DEMO), DEMO)
    assert set(told) == {"Drain I/O", "20"}
    meter = told["20"]
    assert meter.kind == "unknown"
    act = next(act for act in meter.acts if act.edit and METER.file in act.label)
    assert "with 4 modules" in act.label
    assert act.edit is not None
    plant = do(DEMO, act.edit)
    station = next(s for s in plant.children(Station, NETWORK) if s.address == "20")
    kinds = [plant_name(m) for m in behind(plant, station)]
    # 40 8B is that of three modules, 40 83 of four: the first of each is taken, and can be changed.
    assert kinds == ["Voltages L1-L3", "Voltages L1-L3", "Active power, sum", "Energy imported"]
    bench = running(plant)
    assert states(bench)[station.name] == "good"
    assert set(scanned(bench, plant)) == {"Drain I/O"}


def behind(plant: Plant, station: Station) -> list[Module]:
    """The modules of a station."""
    return [m for m in plant.all(Module) if plant.find(m.rail).head == station.id]


def plant_name(module: Module) -> str:
    device = LIBRARY.find(module.type)
    assert device is not None
    return device.name


@pytest.mark.parametrize("hand", ["in the plant", "by hand"])
def test_swapped_modules_are_put_right_either_way_and_keep_their_links(hand: str) -> None:
    bench = running(DEMO)
    act = next(act for act in scanned(bench, DEMO)["Drain I/O"].acts if act.hand == hand)
    assert act.edit is not None
    assert not act.loses
    plant = do(DEMO, act.edit)
    if hand == "by hand":
        bench.rebuilt(plant)
        bench.run_until(bench.seconds + 1)
    else:
        bench = running(plant)
    assert states(bench)["Drain I/O"] == "good"
    assert {link.id for link in DEMO.all(Link)} == {link.id for link in plant.all(Link)}


def test_without_its_file_the_meter_is_taken_over_by_what_it_tells() -> None:
    bench = running(DEMO)
    act = next(a for a in scanned(bench, DEMO)["20"].acts if a.edit and "without its file" in a.label)
    assert act.edit is not None
    plant = do(DEMO, act.edit)
    station = next(s for s in plant.children(Station, NETWORK) if s.address == "20")
    bench = running(plant)
    told = scanned(bench, plant)[station.name]
    agree = next(a for a in told.acts if a.hand == "in the plant" and a.edit)
    assert agree.edit is not None
    plant = do(plant, agree.edit)
    assert states(running(plant))[station.name] == "good"


def test_what_the_wires_bring_is_seen() -> None:
    bench = running(DEMO)
    ids = {signal.name: signal.id for signal in DEMO.all(Signal)}
    value: dict[str, Any] = {name: bench.value(ids[name])[0] for name in ("SteepConductivity", "SteepLid1Closed")}
    assert value["SteepConductivity"] == pytest.approx(6.4, abs=0.01), "0 … 20 mA, 6.4 mA, 0 … 20 mS/cm"
    assert value["SteepLid1Closed"] is True


# ── the address of delivery


def test_a_new_device_at_126_is_given_its_address_over_the_bus() -> None:
    plant = line("DA-20", "DA-20")
    plant = do(plant, edits.SetBuilt(ids=[named(plant, "S2").id], values={"address": "126"}))
    where = network(plant).id
    bench = Bench(plant, LIBRARY)
    bench.run_until(0.5)
    told = scanned(bench, plant, where)
    act = next(act for act in told["S2"].acts if act.hand == "over the network")
    assert act.deed is not None
    bench.act(where, act.deed.at, act.deed.act, act.deed.value)
    bench.run_until(bench.seconds + 0.5)
    assert bench.deeds[-1].good, bench.deeds[-1].text
    assert {s["name"]: s["state"] for s in bench.stations.all()} == {"S1": "good", "S2": "good"}
    # It keeps it: the plant as built knows.
    assert [values for _, values in bench.devices.kept] == [{"address": "4"}]


def test_one_that_cannot_be_given_an_address_says_so() -> None:
    plant = line(("TR-16", ["m1"]))
    plant = do(plant, edits.SetBuilt(ids=[named(plant, "S1").id], values={"address": "126"}))
    bench = Bench(plant, LIBRARY)
    bench.run_until(0.3)
    for at, words in (("126", "it is set at the device"), ("77", "nobody answers at 77")):
        bench.act(network(plant).id, at, "address", "3")
        bench.run_until(bench.seconds + 0.3)
        assert words in bench.deeds[-1].text
        assert bench.deeds[-1].good is False


def test_a_scan_can_be_stopped_half_way() -> None:
    bench = running(DEMO)
    bench.scan(NETWORK, "me", {})
    bench.run_until(bench.seconds + 0.2)
    bench.stop_scan(NETWORK, "me")
    before = [one for scan in bench.scans.shown.values() for one in scan.found]
    bench.run_until(bench.seconds + 3)
    assert [one for scan in bench.scans.shown.values() for one in scan.found] == before
