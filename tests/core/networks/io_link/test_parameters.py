"""Parameters of a device on a port, through its master; what is kept of it, what it tells, what is refused."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.io_link import IoValue
from highmoor.core.errors import Refusal
from highmoor.core.networks.io_link.parameters import Parameters
from highmoor.core.networks.io_link.values import octets_of, said
from highmoor.core.plant.plant import Plant
from highmoor.core.project import edits
from tests.core.networks.io_link.masters import (
    CLIMATE,
    DISTANCE,
    GENERIC,
    LIBRARY,
    described,
    do,
    give,
    named,
    on_port,
    put,
    rail,
    signal,
    station,
    words,
)

DAMPING = "0046:00"


def master(kind: str = CLIMATE, **values: Any) -> Plant:
    """A master whose parameters are asked by class 16#94, with a device on port 2."""
    plant = put(words({2: kind}), rail(words({2: kind})).id, settings__parameter_class=0x94)
    return put(plant, on_port(plant, 2).id, **values) if values else plant


def asked(bench: Bench, plant: Plant, key: str, typed: str | None = None) -> tuple[bool, str, str]:
    """Whether it went well, what is told of it, and what the value is in words."""
    row = on_port(plant, 2).id
    bench.objects.news.clear()
    if typed is None:
        bench.objects.read(row, key)
    else:
        bench.objects.write(row, key, typed)
    bench.run_until(bench.seconds + 6)
    told = bench.objects.news[-1]
    return told["good"], told["text"], told["forms"]["text"] if told["forms"] else ""


def running(plant: Plant, built: Plant | None = None) -> Bench:
    bench = Bench(plant, LIBRARY, built)
    bench.run_until(1)
    return bench


def remembered(plant: Plant, bench: Bench) -> Plant:
    """The plant as built with what devices have kept."""
    for row, values in bench.devices.kept:
        plant = do(plant, edits.KeepInDevice(id=row, values=dict(values)))
    bench.devices.kept.clear()
    return plant


def test_a_parameter_is_read_and_written_in_its_unit() -> None:
    plant = master()
    bench = running(plant)
    assert asked(bench, plant, DAMPING) == (True, "read", "2 s")
    assert asked(bench, plant, DAMPING, "12.5 s") == (True, "written", "12.5 s")
    assert asked(bench, plant, DAMPING) == (True, "read", "12.5 s")
    assert asked(bench, plant, "0012:00") == (True, "read", "CT-3")
    for typed, why in (("0.05", "steps of 0.1 s"), ("61", "It can be 0 … 60"), ("long", "not a number")):
        with pytest.raises(Refusal, match=why):
            bench.objects.write(on_port(plant, 2).id, DAMPING, typed)
    # What the device refuses, it refuses by its own code; one that no file describes is asked in octets.
    assert asked(bench, plant, "0012:00", "Mine")[:2] == (False, "Access denied (16#8023)")
    assert asked(bench, plant, "0999:00")[:2] == (False, "Index not available (16#8011)")
    assert asked(bench, plant, "0046:01")[:2] == (False, "Subindex not available (16#8012)")
    bench.objects.read(on_port(plant, 2).id)
    bench.run_until(bench.seconds + 10)
    assert not bench.objects.under_way()


def test_a_part_of_a_record_is_written_and_the_rest_stays() -> None:
    plant = master(DISTANCE)
    bench = running(plant)
    # Counts of 0.1 mm and of 1 mm.
    assert asked(bench, plant, "0041:01", "30.5 mm") == (True, "written", "30.5 mm")
    assert asked(bench, plant, "0041:02") == (True, "read", "2 m")
    bench.objects.read(on_port(plant, 2).id, "0041:00")
    bench.objects.news.clear()
    bench.run_until(bench.seconds + 1)
    assert bench.objects.news[-1]["forms"]["octets"] == "01 31 07 D0"


@pytest.mark.parametrize(
    ("values", "says"),
    [
        ({"settings__parameter_class": None}, "nobody says by which class"),
        # The master of the bench is as configured here: another service is none it has.
        ({"settings__read_service": 0x0E}, "refused"),
    ],
)
def test_who_cannot_be_asked_says_why(values: dict[str, Any], says: str) -> None:
    plant = put(master(), rail(master()).id, **values)
    good, text, _ = asked(running(plant), plant, DAMPING)
    assert not good and says in text
    elsewhere = do(plant, edits.SetBuilt(ids=[on_port(plant, 2).id], values={"there": False}))
    if "class" not in says:
        plant = master()
        good, text, _ = asked(running(plant, elsewhere), plant, DAMPING)
        assert (good, text) == (False, "No device operates on this port (16#1000)")


@pytest.mark.parametrize(("storage", "left"), [("both", "12.5 s"), ("restore", "2 s"), ("off", "2 s")])
def test_a_device_that_replaces_another_works_as_that_did(storage: str, left: str) -> None:
    plant = master(settings__storage=storage)
    bench = running(plant)
    assert asked(bench, plant, DAMPING, "12.5")[0]
    built = remembered(plant, bench)
    # What was written outlives the bench.
    again = running(plant, built)
    assert asked(again, plant, DAMPING)[2] == ("12.5 s" if storage != "restore" else "2 s")
    replaced = do(built, edits.SetBuilt(ids=[on_port(plant, 2).id], values={"settings.replaced": 1}))
    bench.rebuilt(replaced)
    bench.run_until(bench.seconds + 1)
    assert asked(bench, plant, DAMPING)[2] == left
    # Its serial number is another one.
    assert asked(bench, plant, "0015:00")[2] != asked(again, plant, "0015:00")[2]


def test_only_the_very_device_is_taken_where_its_serial_number_counts() -> None:
    plant = signal(master(), "Good", on_port(master(), 2).id, "valid", "BOOL")
    serial = asked(running(plant), plant, "0015:00")[2]
    plant = put(plant, on_port(plant, 2).id, settings__validation="identical")
    plant = put(plant, on_port(plant, 2).id, settings__serial=serial)
    assert running(plant).value(named(plant, "Good").id)[0] is True
    other = do(plant, edits.SetBuilt(ids=[on_port(plant, 2).id], values={"settings.replaced": 1}))
    bench = running(plant, other)
    assert bench.value(named(plant, "Good").id)[0] is False
    told = bench.devices.told(station(plant).id)
    assert [one.text.partition(", serial")[0] for one in told] == ["port 2: another one of its type"]
    assert told[0].place == on_port(plant, 2).id


def test_an_event_is_told_with_its_text_and_goes() -> None:
    plant = master()
    bench = running(plant)
    dirty = do(plant, edits.SetBuilt(ids=[on_port(plant, 2).id], values={"settings.event": 36010}))
    bench.rebuilt(dirty)
    (told,) = bench.devices.told(station(plant).id)
    assert told.text == "port 2: Filter wet. Dry the filter cap, or change it" and told.code == "16#8CAA"
    assert told.severity == "warning"
    bench.rebuilt(do(dirty, edits.SetBuilt(ids=[on_port(plant, 2).id], values={"settings.event": None})))
    assert bench.devices.told(station(plant).id) == []
    with pytest.raises(Refusal):
        do(plant, edits.SetBuilt(ids=[on_port(plant, 2).id], values={"settings.event": 1}))


def test_another_device_is_told_by_both_identities() -> None:
    plant = master()
    other = do(plant, edits.SetBuilt(ids=[on_port(plant, 2).id], values={"type": DISTANCE}))
    (told,) = running(plant, other).devices.told(station(plant).id)
    assert told.text == "port 2: another device is plugged in, vendor ID 64017, device ID 5261 instead of 64017, 3117"


def test_what_is_written_in_a_device_decides_what_it_gives() -> None:
    """Set to a level it gives a real number of metres, and who takes it for a distance reads nonsense."""
    plant = master(DISTANCE)
    plant = signal(plant, "Level", on_port(plant, 2).id, "bits 0–31", "REAL")
    bench = running(plant)
    assert asked(bench, plant, "0040:00", "Level")[0]
    give(bench, on_port(plant, 2), "g0.32", 3.25)
    bench.run_until(bench.seconds + 1)
    # Its count is hundredths above −5 m.
    assert bench.value(named(plant, "Level").id)[0] == pytest.approx(825)
    assert asked(bench, plant, "0040:00", "Distance")[0]
    give(bench, on_port(plant, 2), "g8.24", 4321.7)
    bench.run_until(bench.seconds + 1)
    assert master_octets(bench)[:3] == (43217).to_bytes(3, "big")
    # As it is configured it is put into service: what is chosen is set in it.
    plant = put(plant, on_port(plant, 2).id, settings__variant="PD_Level")
    assert asked(running(plant), plant, "0040:00")[2] == "Level"


def master_octets(bench: Bench) -> bytes:
    device = next(iter(bench.devices.there.values())).device
    return bytes(device.inputs[101][44:48])  # type: ignore[attr-defined]


VALUES = (
    IoValue("UINT", 12, (), ((0, 4000),), 0.1, -5, "bar"),
    IoValue("INT", 16, ((32767, "no sensor"),), (), 0.1, 0, "°C"),
    IoValue("BOOL", 1, ((1, "on"), (0, "off"))), IoValue("STRING", 64), IoValue("OCTETS", 32), IoValue("REAL", 32),
)  # fmt: skip


@given(value=st.sampled_from(VALUES), octets=st.binary(min_size=1, max_size=8))
def test_what_is_read_can_be_written_again(value: IoValue, octets: bytes) -> None:
    """What a value is said to be, typed again, is the same value."""
    wanted = (value.bits + 7) // 8
    octets = octets[:wanted].rjust(wanted, b"\0") if value.kind != "STRING" else b"abc"
    if value.kind in ("UINT", "INT", "BOOL"):
        octets = (int.from_bytes(octets, "big") & (1 << value.bits) - 1).to_bytes(wanted, "big")
    text = said(value, octets)
    try:
        again = octets_of(value, text)
    except Refusal:
        # Beyond its ranges, or no number at all.
        assert value.ranges or value.choices or value.kind == "REAL"
        return
    assert said(value, again) == text
    if value.kind != "REAL":
        assert again == octets


def test_factory_settings_come_back_by_its_command() -> None:
    device = LIBRARY.find(DISTANCE)
    assert device is not None and device.io_link is not None
    there = Parameters(device.io_link)
    assert there.write(64, 0, b"\x01").error == 0 and there.counts()[64, 0] == 1
    assert there.write(64, 0, b"\x02").error == 0x8030 and there.write(64, 0, b"\0\0").error == 0x8033
    assert there.write(65, 0, b"\0").error == 0x8034 and there.read(2, 0).error == 0x8023
    assert there.write(2, 0, bytes([130])).error == 0 and there.counts()[64, 0] == 0
    # Left out of data storage by its file: index 65.
    assert set(there.stored()) == {64}


def test_over_another_fieldbus_it_is_said_that_they_are_not_reached() -> None:
    from tests.core.networks.io_link.masters import ETHERCAT_MASTER

    plant = described(ETHERCAT_MASTER, {1: DISTANCE})
    bench = Bench(plant, LIBRARY)
    with pytest.raises(Refusal, match="not reached yet"):
        bench.objects.read(on_port(plant, 1).id, "0040:00")
    # One that no file describes has no parameters that are known; its octets can be asked for.
    generic = put(words({2: GENERIC}), rail(words({2: GENERIC})).id, settings__parameter_class=0x94)
    generic = put(generic, on_port(generic, 2).id, settings__in_octets=2)
    assert asked(running(generic), generic, "0010:00")[0] is False


def test_a_device_with_more_data_than_its_port_leaves_the_next_port_alone() -> None:
    """As built another, larger device is taken: what its port has no room for goes nowhere."""
    plant = put(words({2: GENERIC, 3: GENERIC}), rail(words({2: GENERIC, 3: GENERIC})).id, settings__in_octets=2)
    for port in (2, 3):
        plant = put(plant, on_port(plant, port).id, settings__in_octets=2, settings__validation="none")
    plant = signal(plant, "Next", on_port(plant, 3).id, "bits 0–15", "UINT")
    bench = running(plant, do(plant, edits.SetBuilt(ids=[on_port(plant, 2).id], values={"type": DISTANCE})))
    assert (on_port(plant, 2).id, "g8.24") not in bench.devices.terminals
    give(bench, on_port(plant, 3), "g0.16", 4660)
    bench.run_until(bench.seconds + 1)
    assert bench.value(named(plant, "Next").id)[0] == 4660
