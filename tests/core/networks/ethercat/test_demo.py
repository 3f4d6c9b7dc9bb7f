"""The demo's network Turner: what it says of itself, what the bench and a scan find, and how each is put right."""

from __future__ import annotations

from typing import Any

import pytest

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.networks.ethercat.slave import Slave
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import BuiltDevice, Exchange, Link, Module, Network, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.differences import Difference, Reachable, differences
from tests.core.networks.ethercat.turner import LIBRARY, PINS, TYPES, do, line, named

STRANGER = next(pin for pin in PINS if pin.file.startswith("inbox"))
READ = [pin for pin in PINS if pin != STRANGER]
DEMO = demo_plant(LIBRARY, {pin.device: pinned_key(pin.device, pin.sha256, pin.reader) for pin in READ}, READ)
NETWORK = next(network.id for network in DEMO.all(Network) if network.name == "Turner")


def scanned(bench: Bench, plant: Plant) -> dict[str, Difference]:
    """The differences, by the name or the address of whom they are of."""
    bench.scan(NETWORK, "me", {})
    bench.run_until(bench.seconds + bench.scans.told()[-1]["takes_s"])
    found = [one for scan in bench.scans.shown.values() for one in scan.found]
    device = LIBRARY.find(TYPES["AE-1"])
    assert device is not None
    reach = (
        ()
        if STRANGER.device in {row.device for row in plant.tables["types"].values()}
        else (Reachable(device, STRANGER),)
    )
    told = differences(analyse(plant, LIBRARY), NETWORK, found, within_reach=lambda: reach)
    return {plant.get(d.station, Station).name if d.station else d.address: d for d in told if d.kind != "agrees"}


def states(bench: Bench) -> dict[str, str]:
    on = {s.id: s.name for s in bench.plant.all(Station) if s.network == NETWORK}
    return {on[s["id"]]: s["state"] for s in bench.stations.all() if s["id"] in on}


def value(bench: Bench, name: str) -> Any:
    signal = next(s for s in bench.plant.all(Signal) if s.name == name)
    return bench.signals.value(signal.id)[0]


def put_right(plant: Plant, told: dict[str, Difference], whom: str, hand: str, label: str = "") -> Plant:
    act = next(act for act in told[whom].acts if act.hand == hand and label in act.label)
    assert act.edit is not None
    return do(plant, act.edit)


def test_faults_stay_where_they_are_and_a_scan_finds_and_mends_each() -> None:
    bench = Bench(DEMO, LIBRARY)
    bench.run_until(1.5)
    assert {name for name, state in states(bench).items() if state == "bad"} == {"Turner I/O", "AUGERS"}
    told = scanned(bench, DEMO)
    # A newer revision is taken as the file's rule says: that is no difference.
    assert {whom: one.kind for whom, one in told.items()} == {"Turner I/O": "modules", "16": "unknown"}
    # The stranger with its file and its modules, the module's order by hand, the clock in the plant.
    plant = put_right(DEMO, told, "16", "in the plant")
    plant = put_right(plant, told, "Turner I/O", "by hand")
    augers = named(plant, "AUGERS")
    plant = do(plant, edits.SetBuilt(ids=[augers.id], values={"facts.clock_runs": True}))
    bench = Bench(plant, LIBRARY)
    bench.run_until(1.5)
    assert scanned(bench, plant) == {}
    assert {name for name, state in states(bench).items() if state not in ("good", "waiting")} == set()


def test_who_is_taken_over_is_linked_and_lives() -> None:
    bench = Bench(DEMO, LIBRARY)
    bench.run_until(1)
    plant = put_right(DEMO, scanned(bench, DEMO), "16", "in the plant")
    encoder = plant.all(Station)[-1]
    assert encoder.type == TYPES["AE-1"]
    ways = {x.direction: x.id for x in plant.all(Exchange) if plant.get(x.connection, object).station == encoder.id}  # type: ignore[attr-defined]
    hall = next(s for s in plant.all(Signal) if s.name == "BatchNumber").controller
    plant = do(
        plant,
        edits.AddSignals(controller=hall, pattern="TapePosition", type="UDINT", place=ways["in"], key="Position value"),
        edits.AddSignals(controller=hall, pattern="TapeLamp", type="BOOL", place=ways["out"], key="Lamp"),
    )
    bench = Bench(plant, LIBRARY)
    bench.run_until(3)
    assert states(bench)["AE-1"] == "good"
    before = value(bench, "TapePosition")
    lamp = next(s for s in plant.all(Signal) if s.name == "TapeLamp")
    bench.signals.write(lamp.id, 1)
    bench.run_until(4)
    assert before != value(bench, "TapePosition") > 0
    (slave,) = bench.on_the_fly[NETWORK].stops[encoder.id].chain
    assert isinstance(slave, Slave)
    assert slave.takes[0] == 1
    # It stands there once: what is done at it now is said of the station.
    after = do(plant, edits.SetBuilt(ids=[encoder.id], values={"powered": False}))
    assert len(after.all(BuiltDevice)) == len(plant.all(BuiltDevice))


@pytest.mark.parametrize(
    ("module", "key", "count", "last"),
    [
        ("TD-16", "i6000:01", 16, "i60F0:01"),
        ("TD-16", "Input 9", 8, "i60F0:01"),
        ("TA-4", "i6000:11", 4, "i6030:11"),
        ("TX-2", "channel 1", 2, "i7010:01"),
    ],
)
def test_values_of_a_module_are_linked_one_behind_the_other(module: str, key: str, count: int, last: str) -> None:
    plant = line(("TE-1", ("TD-16", "TO-16", "TA-4", "TX-2")))
    at = next(m for m in plant.all(Module) if m.type == TYPES[module])
    controller = _controller(plant)
    run = {"controller": controller, "pattern": "V{n}", "place": at.id, "key": key, "type": "INT"}
    after = do(plant, edits.AddSignals(**run, count=count))
    assert after.all(Link)[-1].key == last
    assert {link.access for link in after.all(Link)} == {"writes" if module[1] == "X" else "reads"}
    with pytest.raises(Refusal, match="the run is longer"):
        do(plant, edits.AddSignals(**run, count=17))


def _controller(plant: Plant) -> str:
    return next(iter(plant.tables["controllers"]))
