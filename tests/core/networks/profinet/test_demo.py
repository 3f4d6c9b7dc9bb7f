"""The demo's Bagging: what it says of itself, what the bench and a scan find, and how each is put right."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from typing import Any

import pytest

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.demo.plant import demo_plant
from highmoor.core.networks.address_plan import address_plan
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import BuiltDevice, Link, Module, Network, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.differences import Act, Difference, differences
from highmoor.core.project.feasible import feasible_window
from highmoor.core.project.network_edits import next_address

from .bagging import AI, DI, DO, LIBRARY, PINS, TYPES, as_built, bagging, built, do, modules, named, network, put

DEMO = demo_plant(LIBRARY, {pin.device: pinned_key(pin.device, pin.sha256, pin.reader) for pin in PINS}, PINS)
NETWORK = next(row.id for row in DEMO.all(Network) if row.name == "Bagging")


def scanned(bench: Bench, plant: Plant, where: str = NETWORK) -> dict[str, Difference]:
    """The differences, by the name of whom they are of, or of what was found."""
    bench.scan(where, "me", {})
    begun, told_s = bench.seconds, bench.scans.told()[-1]["takes_s"]
    while bench.scans.told()[-1]["state"] == "running":
        bench.run_until(bench.seconds + 0.1)
        assert bench.seconds < begun + told_s + 0.1, "no longer than told"
    scan = bench.scans.shown[where]
    found = [dataclasses.replace(one, node=bench.devices.node_of(where, one)) for one in scan.found]
    told = differences(analyse(plant, LIBRARY), where, found)
    return {
        plant.get(d.station, Station).name if d.station else found[d.found or 0].name: d
        for d in told
        if d.kind != "agrees"
    }


def running(plant: Plant) -> Bench:
    """The bench a second after it was downloaded."""
    bench = Bench(plant, LIBRARY)
    bench.run_until(1)
    return bench


def act_of(told: Difference, hand: str, label: str = "") -> Act:
    """What can be done by a hand."""
    return next(act for act in told.acts if act.hand == hand and act.label.startswith(label))


def over_network(bench: Bench, where: str, act: Act) -> None:
    """It is done, and its outcome waited for."""
    assert act.deed is not None
    bench.act(where, act.deed.at, act.deed.act, act.deed.value)
    bench.run_until(bench.seconds + 0.6)
    assert bench.deeds[-1].good, bench.deeds[-1].text


def states(bench: Bench, where: str = NETWORK) -> dict[str, str]:
    here = {station.name for station in bench.plant.children(Station, where)}
    return {s["name"]: s["text"] for s in bench.stations.all() if s["name"] in here}


def test_it_is_configured_without_a_finding() -> None:
    own = {row.id for row in (DEMO.get(NETWORK), *DEMO.children(Station, NETWORK))}
    found = [f.code for f in analyse(DEMO, LIBRARY).findings.values() if own & {place.id for place in f.places}]
    assert found == []


def test_the_weigher_without_a_name_is_found_and_named() -> None:
    bench = running(DEMO)
    assert states(bench)["Bag weigher"] == "nobody on the network is called bag-weigher"
    told = scanned(bench, DEMO)
    assert set(told) == {"Bag weigher", "Pallet I/O"}
    weigher = told["Bag weigher"]
    assert weigher.says.startswith(
        "Nobody is called bag-weigher; a device of its type has no name, on its label is 02-"
    )
    over_network(bench, NETWORK, act_of(weigher, "over the network"))
    # It keeps it: the plant as built knows.
    (node, kept), *_ = bench.devices.kept
    after = do(DEMO, edits.KeepInDevice(id=node, values=dict(kept)))
    bench.rebuilt(after)
    bench.run_until(bench.seconds + 2)
    assert states(bench)["Bag weigher"] == "good"
    assert set(scanned(bench, after)) == {"Pallet I/O"}
    weight = next(s for s in DEMO.all(Signal) if s.name == "BagWeight")
    before = bench.value(weight.id)[0]
    bench.run_until(bench.seconds + 0.7)
    value, quality = bench.value(weight.id)
    assert quality == "good"
    assert isinstance(value, float)
    assert 0 < value <= 25
    assert value != before


@pytest.mark.parametrize("hand", ["in the plant", "by hand"])
def test_another_module_in_slot_2_is_told_and_put_right_either_way(hand: str) -> None:
    bench = running(DEMO)
    assert states(bench)["Pallet I/O"] == "exchanges, a submodule is bad"
    told = scanned(bench, DEMO)["Pallet I/O"]
    assert [(tie.configured, tie.found) for tie in told.modules if not tie.same] == [("-K2PA DO-8", "AO-2")]
    act = act_of(told, hand)
    assert act.edit is not None
    after = do(DEMO, act.edit)
    again = running(after)
    assert states(again)["Pallet I/O"] == "good"
    assert "Pallet I/O" not in scanned(again, after)
    lost = {link.signal for link in DEMO.all(Link)} - {link.signal for link in after.all(Link)}
    assert bool(act.loses) == bool(lost) == (hand == "in the plant")


def test_swapped_modules_are_taken_over_with_what_is_linked_to_them() -> None:
    plant = bagging(("TR-40", [DI, "", DO]))
    first, second = modules(plant, "S1")
    swapped = built(built(plant, first.id, type=second.type), second.id, type=first.type)
    bench = running(swapped)
    told = scanned(bench, plant, network(plant).id)["S1"]
    act = act_of(told, "in the plant")
    assert act.edit is not None
    after = do(swapped, act.edit)
    assert {m.id: m.slot for m in after.all(Module) if m.id in (first.id, second.id)} == {first.id: 3, second.id: 1}
    assert act.loses == ()


def _stranger(plant: Plant, name: str) -> Plant:
    """A weigher more than the plant knows."""
    draft = edits.AddBuiltDevice(network=network(plant).id, type=TYPES["PW-6"], name="New one")
    plant = do(plant, draft)
    made = plant.all(BuiltDevice)[-1]
    return do(plant, edits.SetBuilt(ids=[made.id], values={"facts.name": name})) if name else plant


def test_a_stranger_with_a_name_is_taken_over_and_is_then_that_station() -> None:
    plant = _stranger(bagging(("TR-40", [AI])), "scale-9")
    where = network(plant).id
    told = scanned(running(plant), plant, where)
    assert told["scale-9"].says == "scale-9 answers; the plant knows nobody of that name."
    act = act_of(told["scale-9"], "in the plant", "Take it over as PW-6")
    assert act.edit is not None
    after = do(plant, act.edit)
    bench = running(after)
    bench.run_until(3)
    assert states(bench, where) == {"S1": "good", "scale-9": "good"}
    assert len(bench.devices.there) == 2
    assert scanned(bench, after, where) == {}


def test_a_stranger_without_a_name_gets_one_first() -> None:
    plant = _stranger(bagging(("TR-40", [AI])), "")
    where = network(plant).id
    bench = running(plant)
    told = scanned(bench, plant, where)["PW-6"]
    assert told.says.endswith("on its label, has no name yet.")
    assert told.acts == ()


def test_two_of_one_name_are_found_and_one_is_reset() -> None:
    plant = bagging(("TR-40", [DI]), ("TR-40", [DI]))
    bench = Bench(plant, LIBRARY, as_built(plant, "S2", facts__name="s1"))
    bench.run_until(1)
    where = network(plant).id
    told = scanned(bench, plant, where)
    assert told["S1"].says == "2 devices are called s1."
    over_network(bench, where, act_of(told["S1"], "over the network"))
    bench.run_until(bench.seconds + 12)
    # Without a name it gets its own, by the cable it hangs on.
    assert states(bench, where) == {"S1": "good", "S2": "good"}


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda plant: as_built(plant, "S1", there=False), "Nobody is called s1."),
        (lambda plant: as_built(plant, "S1", facts__name="elsewhere"),
         "Nobody is called s1; a device of its type is called elsewhere."),
    ],
)  # fmt: skip
def test_who_is_not_there_is_said(change: Callable[[Plant], Any], says: str) -> None:
    plant = bagging("PW-6")
    bench = Bench(plant, LIBRARY, change(plant))
    bench.run_until(1)
    assert scanned(bench, plant, network(plant).id)["S1"].says == says
    assert named(plant, "S1")


def test_a_second_one_of_a_type_is_counted_and_its_types_number_is_not() -> None:
    plant = bagging("PW-6")
    for _ in range(2):
        plant = do(plant, edits.AddStation(network=network(plant).id, type=TYPES["TR-40"], name="TR-40"))
    assert [station.name for station in plant.all(Station)] == ["S1", "TR-40", "TR-40 2"]


def test_addresses_are_handed_out_of_a_span_that_the_address_plan_shows() -> None:
    plant = put(bagging("PW-6"), network(bagging("PW-6")).id, settings__first="10.2.0.50", settings__last="10.2.0.52")
    for _ in range(3):
        plant = do(plant, edits.AddStation(network=network(plant).id, type=TYPES["TR-40"]))
    assert [station.address for station in plant.all(Station)][1:] == ["10.2.0.50", "10.2.0.51", "10.2.0.52"]
    # Where the span is used up nobody gets one, and that is said.
    fuller = do(plant, edits.AddStation(network=network(plant).id, type=TYPES["TR-40"]))
    last = fuller.all(Station)[-1]
    assert last.address == ""
    assert any(last.id in {p.id for p in f.places} for f in analyse(fuller, LIBRARY).findings.values())
    # One in the middle that is free again is given, also behind the last.
    gap = put(plant, plant.all(Station)[2].id, address="10.2.0.99")
    assert next_address(gap, network(gap), "10.2.0.52") == "10.2.0.51"
    (field,) = address_plan(plant, 1)
    assert [(one.network, one.low, one.high) for one in field.handed_out] == [("Bagging", 50, 52)]


def test_how_far_times_may_go() -> None:
    plant = bagging(("TR-40", [DI]), "AL-3")
    analysis = analyse(plant, LIBRARY)
    first, second = named(plant, "S1").id, named(plant, "S2").id
    told = [
        tuple(part for end in (window.low, window.high) for part in (end.label or end.value, end.title))
        for row, path in (
            (network(plant).id, "settings.clock"), (second, "settings.update_ms"), (first, "settings.watchdog"),
        )
        for window in [feasible_window(analysis, row, path)]
        if window.low and window.high
    ]  # fmt: skip
    no_clock = "Send clock the device does not have"
    assert told == [
        ("1 ms", no_clock, "1 ms", no_clock),
        ("8 ms", None, "512 ms", None),
        (3, "Watchdog that bears no lost frame", 240, "Watchdog too long"),
    ]
