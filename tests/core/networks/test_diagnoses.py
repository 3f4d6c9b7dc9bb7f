"""What is told of what is wrong: by whom, since when, which settings it speaks of; and what is done to a device."""

from __future__ import annotations

from typing import Any

from highmoor.core.bench.bench import Bench
from highmoor.core.bench.diagnoses import DiagnosisLog
from highmoor.core.bench.labels import label_of, mac_of
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.networks import FIELDBUSES
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.live import Direction
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import BuiltDevice, Connection, Exchange, Network, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.fields import fields_of
from highmoor.core.project.likely import likely_settings
from tests.core.networks.ethercat import turner
from tests.core.networks.ethernet_ip.test_ethernet_ip import BY_HAND, LIBRARY, cell, on
from tests.core.networks.modbus_rtu.test_modbus_rtu import on_a_line
from tests.core.networks.profibus_dp import wrong as profibus
from tests.core.networks.profinet import wrong as profinet


def told(bench: Bench, n: int = 0) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = bench.stations.all()[n]["diagnoses"]
    return found


def done(bench: Bench, edit: edits.Edit, catalogue: Any = LIBRARY) -> None:
    bench.rebuilt(apply(bench.built, catalogue, edit).plant)


def test_a_diagnosis_comes_once_and_goes_with_what_it_said_last() -> None:
    log = DiagnosisLog()
    one, other = Diagnosis("a", "1 error"), Diagnosis("b", "cold")
    assert [n.came_s for n in log.now(1, "s1", [one])] == [1]
    assert [n.came_s for n in log.now(2, "s1", [Diagnosis("a", "2 errors"), other])] == [1, 2]
    # Of another station nothing goes by it.
    log.now(3, "s2", [])
    assert log.gone == []
    log.now(4, "s1", [other])
    assert [(n.diagnosis.text, n.came_s, n.went_s) for n in log.gone] == [("2 errors", 1, 4)]
    assert [n.came_s for n in log.now(5, "s1", [one])] == [5]
    for second in range(6, 400):
        log.now(second, "s1", [one] * (second % 2))
    assert len(log.gone) == 100
    assert log.gone[-1].came_s == 397


def test_a_cable_that_is_out_is_told_from_when_to_when() -> None:
    plant = cell(BY_HAND)
    station = plant.all(Station)[0].id
    bench = on(plant)
    bench.run_until(1)
    assert told(bench) == []
    done(bench, edits.SetBuilt(ids=[station], values={"cable": False}))
    bench.run_until(3)
    wrong = told(bench)
    assert {plant.get(d["place"], Exchange).direction for d in wrong} == {"in", "out"}
    assert all(d["came_s"] == 3 and d["went_s"] is None and d["severity"] == "error" for d in wrong)
    done(bench, edits.SetBuilt(ids=[station], values={"cable": True}))
    bench.run_until(20)
    assert told(bench) == []
    assert [(d["came_s"], d["went_s"]) for d in bench.stations.gone()] == [(3, 20)] * 2


def test_a_refusal_leads_to_the_settings_it_speaks_of() -> None:
    plant = cell({"type": "cv7", "s": {"identity": "exact"}})
    bench = on(plant, revision="9.9")
    bench.run_until(2)
    first = told(bench)[0]
    assert first["code"] == "0116"
    found = list(likely_settings(plant, LIBRARY, first["station"], first["place"], first["settings"], {}))
    assert [(one.field, one.label) for one in found] == [
        ("settings.identity", "Another device"), ("settings.revision", "Revision asked for"),
    ]  # fmt: skip
    assert {one.id for one in found} == {plant.all(Station)[0].id}


def test_a_device_on_another_rate_tells_that_it_hears_no_frames() -> None:
    plant = on_a_line({"timeout_ms": 40}, {"timeout_ms": 40, "terminated": True})
    slow = apply(plant, BUILTIN, edits.SetBuilt(ids=[plant.all(Station)[0].id], values={"facts.baud": 9600})).plant
    bench = Bench(plant, BUILTIN, slow)
    bench.run_until(5)
    assert told(bench, 1) == []
    of_exchange, own = told(bench)
    assert own["key"] == "framing"
    assert own["severity"] == "warning"
    network = plant.all(Network)[0].id
    for diagnosis in (of_exchange, own):
        found = likely_settings(plant, BUILTIN, diagnosis["station"], diagnosis["place"], diagnosis["settings"], {})
        assert (network, "settings.baud") in {(one.id, one.field) for one in found}


def test_whatever_a_code_speaks_of_is_a_setting_of_some_form() -> None:
    """Of the demo plant's rows and two by hand: a name that no form has leads nowhere."""
    forms: set[str] = set()
    by_hand = cell({**BY_HAND, "k": {"config_point": 151}})
    for plant, catalogue in ((demo_plant(), BUILTIN), (by_hand, LIBRARY), (cell({"type": "cv7"}), LIBRARY)):
        for kind, table in ((Network, "networks"), (Station, "stations"), (Connection, "connections"),
                            (Exchange, "exchanges")):  # fmt: skip
            forms |= {f"{table}.{s.path}" for row in plant.all(kind) for s in fields_of(plant, catalogue, row)}
    for bus in FIELDBUSES:
        codes = [*range(0x100), *range(0x100, 0x400)]
        ways: tuple[Direction, ...] = ("in", "out")
        named = {setting for code in codes for way in ways for setting in bus.live.likely(code, way)}
        assert named, bus.key
        assert named <= forms | turner.forms() | profibus.forms() | profinet.forms(), named - forms - profinet.forms()


def test_labels_are_of_one_device_each_and_locally_administered() -> None:
    bench = Bench(demo_plant(), BUILTIN)
    labels = {s["mac"]: s["serial"] for s in bench.stations.all()}
    assert len(labels) == len(set(labels.values())) == len(bench.stations.all())
    # The second-lowest bit of the first octet: locally administered; the lowest: to a group (IEEE 802, 8.2).
    assert {bytes.fromhex(mac.replace("-", ""))[0] & 3 for mac in labels} == {2}
    assert label_of("s1").mac == mac_of("s1").hex("-").upper()


def acted(bench: Bench, plant: Plant, act: str, seconds: float, value: str = "") -> tuple[bool | None, str]:
    bench.act(plant.all(Network)[0].id, plant.all(Station)[0].address, act, value)
    bench.run_until(bench.seconds + seconds)
    return bench.deeds[-1].good, bench.deeds[-1].text


def test_a_device_that_restarts_is_away_and_comes_back() -> None:
    plant = cell({"type": "cv7"})
    bench = on(plant)
    bench.run_until(1)
    assert acted(bench, plant, "restart", 0.5) == (True, "it restarts")
    assert bench.stations.all()[0]["state"] == "bad"
    # While it is away it answers nobody; two seconds later it does.
    good, text = acted(bench, plant, "restart", 2.5)
    assert (good, text) == (False, "no answer within 2000 ms")
    bench.run_until(bench.seconds + 15)
    assert bench.stations.all()[0]["state"] == "good"


def test_factory_settings_forget_what_was_written_and_last() -> None:
    plant = cell({"type": "cv7"})
    station = plant.all(Station)[0].id
    bench = on(plant)
    bench.run_until(1)
    device: Any = bench.devices.there[station].device
    path = next(iter(device.attributes))
    usual = device.attributes[path]
    key = next(p.key for p in LIBRARY.find(plant.get(station, Station).type).parameters  # type: ignore[union-attr]
               if p.path and bytes.fromhex(p.path) == path)  # fmt: skip
    bench.parameter(station, key, 7)
    bench.run_until(2)
    assert device.attributes[path] != usual
    kept = bench.devices.kept
    done(bench, edits.Batch(edits=[edits.KeepInDevice(id=n, values=dict(v)) for n, v in kept]))
    # What it keeps is no news to it: it is the same device, and goes on.
    assert bench.devices.there[station].device is device
    assert bench.built.all(BuiltDevice)[0].facts["kept"]
    bench.devices.kept = []
    assert acted(bench, plant, "factory", 0.5)[0] is True
    assert device.attributes[path] == usual
    ((node, values),) = bench.devices.kept
    done(bench, edits.KeepInDevice(id=node, values=dict(values)))
    assert not bench.built.all(BuiltDevice)[0].facts.get("kept")
    again = Bench(plant, LIBRARY, bench.built)
    again.run_until(1)
    found: Any = again.devices.there[station].device
    assert found.attributes[path] == usual
