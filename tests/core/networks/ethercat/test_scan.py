"""A scan of an EtherCAT line against what is configured, by order: one device more or less is one difference."""

from __future__ import annotations

from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.networks.scanning import Found
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import BuiltDevice, BuiltModule, Link, Module, Network, Rail, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.differences import Difference, Reachable, differences
from tests.core.networks.ethercat.test_bench import IO, built, going, states
from tests.core.networks.ethercat.turner import LIBRARY, PINS, TYPES, do, line, named


def scanned(plant: Plant, seconds: float = 1.0) -> tuple[list[Found], Bench]:
    bench = going(plant, seconds)
    network = plant.all(Network)[0].id
    bench.scan(network, "me", {})
    (told,) = bench.scans.told()
    bench.run_until(bench.seconds + told["takes_s"])
    (told,) = bench.scans.told()
    # It takes no longer than it was told to.
    assert told["state"] == "done"
    assert told["done"] == told["asked"]
    return [one for scan in bench.scans.shown.values() for one in scan.found], bench


def compared(plant: Plant, found: list[Found], reach: tuple[Reachable, ...] = ()) -> list[Difference]:
    return differences(analyse(plant, LIBRARY), plant.all(Network)[0].id, found, within_reach=lambda: reach)


def test_what_is_as_configured_agrees_with_its_modules() -> None:
    plant = line(IO, "CS-5", ("PG-3", ()), "TJ-4", "AE-1")
    found, bench = scanned(plant)
    assert [(one.address, one.name) for one in found] == [
        ("1", "TE-1"), ("6", "CS-5"), ("7", "PG-3"), ("8", "TJ-4"), ("9", "AE-1"),
    ]  # fmt: skip
    assert [len(one.modules or ()) for one in found] == [4, 0, 1, 0, 0]
    assert {one.kind for one in compared(plant, found)} == {"agrees"}
    # Nobody is disturbed by being asked.
    assert states(bench) == ["good"] * 5


def test_one_device_more_is_one_difference_and_is_taken_over_where_it_stands() -> None:
    plant = line(IO, "CS-5", "CS-5")
    network = plant.all(Network)[0].id
    stranger = BuiltDevice("bd1", network, "V", type=TYPES["AE-1"], address="7", name="stranger")
    stands = Plant.of([*plant.rows(), stranger], plant.counter)
    found, _ = scanned(stands)
    assert [one.name for one in found] == ["TE-1", "CS-5", "AE-1", "CS-5"]
    told = compared(stands, found)
    assert [one.kind for one in told] == ["agrees", "agrees", "agrees", "unknown"]
    take = told[-1].acts[0]
    assert take.edit is not None
    after = apply(stands, LIBRARY, take.edit).plant
    assert [s.name for s in after.children(Station, network)] == ["S1", "S2", "AE-1", "S3"]
    assert {one.kind for one in compared(after, found)} == {"agrees"}


def test_a_stranger_without_a_file_tells_what_its_eeprom_tells() -> None:
    plant = line("CS-5")
    network = plant.all(Network)[0].id
    unpinned = Plant.of([r for r in plant.rows() if getattr(r, "key", "") != TYPES["AE-1"]], plant.counter)
    stranger = BuiltDevice("bd1", network, "V", type=TYPES["AE-1"], address="2")
    stands = Plant.of([*unpinned.rows(), stranger], plant.counter)
    found, _ = scanned(stands)
    told = compared(stands, found)[-1]
    assert (told.kind, told.unread) == ("unknown", "vendor 16#FAD4, product 16#9001")
    assert "without its file" in told.acts[0].label
    # The file is in reach: it is taken over with that.
    device = LIBRARY.find(TYPES["AE-1"])
    assert device is not None
    reach = Reachable(device, next(pin for pin in PINS if pin.device == TYPES["AE-1"].partition("@")[0]))
    (first, *_) = compared(stands, found, (reach,))[-1].acts
    assert first.edit is not None
    after = apply(stands, LIBRARY, first.edit).plant
    assert [s.type for s in after.children(Station, network)] == [TYPES["CS-5"], TYPES["AE-1"]]


def test_modules_are_aligned_by_order_and_taken_over_or_put_right() -> None:
    plant = line(IO)
    row, own = named(plant, "S1"), plant.all(Module)
    order = (1, 0, 2, 3)
    device = BuiltDevice("bd1", row.network, "V", row.id, rail="own")
    rows = [BuiltModule(f"bm{n}", "bd1", f"V{n}", own[at].type, own[at].id) for n, at in enumerate(order)]
    stands = Plant.of([*plant.rows(), device, *rows], plant.counter)
    found, _ = scanned(stands)
    (told,) = compared(stands, found)
    assert told.kind == "modules"
    assert told.says == "2 of its modules are not as configured."
    taken = next(act for act in told.acts if act.hand == "in the plant")
    assert taken.edit is not None
    after = apply(stands, LIBRARY, taken.edit).plant
    rail = after.children(Rail, row.id)[0].id
    assert [m.type for m in after.children(Module, rail)] == [own[at].type for at in order]
    assert [one.kind for one in compared(after, found)] == ["agrees"]


@settings(max_examples=30, deadline=None)
@given(st.lists(st.sampled_from(["TD-16", "TO-16", "TA-4", "TX-2"]), max_size=6))
def test_whatever_stands_there_is_taken_over_and_no_signal_is_lost_untold(there: list[str]) -> None:
    """A module that stands elsewhere moves with its signals; those of one that is gone are named before."""
    plant = line(IO)
    for module in plant.all(Module):
        plant = do(plant, edits.NameValues(of=module.id))
    row = named(plant, "S1")
    device = BuiltDevice("bd1", row.network, "V", row.id, rail="own")
    rows = [BuiltModule(f"bm{n}", "bd1", f"V{n}", TYPES[order]) for n, order in enumerate(there)]
    stands = Plant.of([*plant.rows(), device, *rows], plant.counter)
    found, _ = scanned(stands)
    (told,) = compared(stands, found)
    take = next((act for act in told.acts if act.label.startswith("Take them over")), None)
    if told.kind == "agrees":
        assert there == ["TD-16", "TO-16", "TA-4", "TX-2"]
        return
    assert take is not None
    assert take.edit is not None
    after = apply(stands, LIBRARY, take.edit).plant
    rail = after.children(Rail, row.id)[0].id
    assert [m.type for m in after.children(Module, rail)] == [TYPES[order] for order in there]
    linked = {link.signal for link in after.all(Link)}
    assert sorted(take.loses) == sorted(s.name for s in plant.all(Signal) if s.id not in linked)
    # Whoever of a kind stands there still has the signals of one.
    kept = {after.get(link.place, Module).type for link in after.all(Link)}
    assert kept == {TYPES[order] for order in there}


def test_another_revision_is_a_difference_where_the_rule_says_so() -> None:
    plant = line("CS-5", "CS-5")
    stands = built(plant, "S1", facts={"revision": 0x00020003})
    found, _ = scanned(stands)
    told = compared(stands, found)
    # No type of the plant takes it for what is configured: at its place stands another device.
    assert [(one.kind, one.address) for one in told] == [("other", "1"), ("agrees", "2")]
    assert told[0].says.startswith("Revision 2.3 instead of 2.4")


def test_a_scan_stopped_half_way_keeps_what_it_found_and_disturbs_nobody() -> None:
    plant = line(IO, "CS-5", ("PG-3", ()), "TJ-4", "AE-1")
    network = plant.all(Network)[0].id
    bench = going(plant)
    bench.scan(network, "me", {})
    while not any(scan.found for scan in bench.scans.shown.values()):
        bench.run_until(bench.seconds + 0.001)
    bench.stop_scan(network, "me")
    (told,) = bench.scans.told()
    assert told["state"] == "stopped"
    assert 0 < told["done"] < told["asked"]
    found = [one for scan in bench.scans.shown.values() for one in scan.found]
    bench.run_until(bench.seconds + 2)
    assert [one for scan in bench.scans.shown.values() for one in scan.found] == found
    assert states(bench) == ["good"] * 5
    again, _ = scanned(plant)
    assert again[: len(found)] == found
