"""Seals: what they cover, that nothing else breaks them, and that they say by name what did."""

from __future__ import annotations

import json
import unicodedata
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.change import Change
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import TABLES, ChainLink, Controller, Module, Rail, Seal, Task, table_of
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.exchange_format import BadFile, export_text, parse_plant
from highmoor.core.project.seal_words import in_words
from highmoor.core.project.sealing import seal
from highmoor.core.safety.seal.bearing import BEARING, Bears
from highmoor.core.safety.seal.canonical import canonical, digest, grouped
from highmoor.core.safety.seal.parts import SealTold
from tests.core.demo import DEMO, LIBRARY
from tests.core.safety.seals import covered, hall, inputs, made_otherwise, sealed


def test_every_field_of_every_table_is_told_to_bear_or_not() -> None:
    assert {name: set(fields) for name, fields in BEARING.items()} == {
        name: set(table.fields) for name, table in TABLES.items()
    }
    assert all(one.why for fields in BEARING.values() for one in fields.values())


def test_what_means_the_same_is_written_the_same() -> None:
    assert canonical(100) == canonical(100.0) == "100"
    assert canonical({"b": 1, "a": None, "c": ""}) == canonical({"b": 1.0}) == '{"b":1}'
    assert canonical("Tür") == canonical(unicodedata.normalize("NFD", "Tür"))
    assert canonical(True) != canonical(1) and canonical("1") != canonical(1) and canonical(0.1) == "0.1"
    assert digest(["ab", "c"]) != digest(["a", "bc"])
    # SHA-256 of the seven octets ["abc"], by another program.
    assert digest(["abc"]) == "02f393ea9358560882c1fe797bf99d600aa4643a68276d8e3d714d1c4f19aecc"
    assert grouped("3f9c71a0" * 8, 2) == "3F9C-71A0" and len(grouped("3f9c71a0" * 8)) == 79


@pytest.mark.parametrize("seed", range(4))
def test_the_same_plant_made_otherwise_has_the_same_seal(seed: int) -> None:
    other = made_otherwise(DEMO, seed)
    assert other != DEMO and covered(other).fingerprint() == covered(DEMO).fingerprint()
    assert covered(other).devices() == covered(DEMO).devices()


_COVERED = inputs(DEMO)
_ROWS = sorted({item.row for item in _COVERED.items if item.row})


def _other(value: Any, name: str, row: Any) -> Any:
    """Another value of the same kind."""
    table = table_of(row)
    if name in table.refs:
        own = table_of(DEMO.get(value, object)).name if value else table.refs[name].tables[0]
        return next((other for other in DEMO.tables[own] if other not in (value, row.id)), None)
    if isinstance(value, bool):
        return not value
    if isinstance(value, int | float):
        return value + 1
    if value is None:
        return 3
    return f"{value}9"


def _changes(row: Any, name: str) -> list[tuple[bool, Any]]:
    """The row with another value of a field, and whether that bears; of settings, one by one."""
    bears, value = BEARING[table_of(row).name][name], getattr(row, name)
    if not isinstance(value, dict):
        return [(isinstance(bears, Bears), replace(row, **{name: _other(value, name, row)}))]
    changes = []
    for key, one in {**value, "of_another_kind": 1}.items():
        other = {**value, key: json.loads(json.dumps(one).replace("0", "7")) if isinstance(one, dict | list) else
                 _other(one, "", row)}  # fmt: skip
        of_it = isinstance(bears, Bears) and (not bears.keys or key in bears.keys)
        if other != value:
            changes.append((of_it, replace(row, **{name: other})))
    return changes


# Where a module sits, and what it hangs on, shows in its path alone.
_BY_PATH = {("modules", "rank"), ("modules", "slot"), ("modules", "rail")}


@given(st.sampled_from(_ROWS), st.data())
def test_a_seal_is_of_what_bears_and_of_nothing_else(row_id: str, data: st.DataObject) -> None:
    row = DEMO.get(row_id, object)
    table = table_of(row)
    names = [n for n in table.fields if n not in ("id", table.owner) and (table.name, n) not in _BY_PATH]
    name = data.draw(st.sampled_from(names))
    for bears, other in _changes(row, name):
        changed = DEMO.patched(Change({(table.name, row_id): (row, other)}))
        assert (inputs(changed).fingerprint() != _COVERED.fingerprint()) == bears, (table.name, name, other)


@given(st.sampled_from(sorted(TABLES)), st.data())
def test_what_has_nothing_to_do_with_a_safety_function_is_not_sealed(table: str, data: st.DataObject) -> None:
    rows = [row for row_id, row in sorted(DEMO.tables[table].items()) if row_id not in set(_ROWS)]
    # What would become safe, or be used by what is, comes into the seal by that.
    owners = {"uses", "safety_parts", "zone_uses", "signals", "links", "rails", "controllers"}
    if not rows or table in owners:
        return
    row: Any = data.draw(st.sampled_from(rows))
    names = [n for n in TABLES[table].fields if n != "id" and n not in TABLES[table].refs]
    if table in ("modules", "stations", "exchanges"):
        names = [n for n in names if n != "rank"]
    name = data.draw(st.sampled_from(names))
    for _, other in _changes(row, name):
        changed = DEMO.patched(Change({(table, row.id): (row, other)}))
        assert inputs(changed).fingerprint() == _COVERED.fingerprint(), (table, name)


def _id(plant: Plant, name: str) -> str:
    """A row by its name, its designation or, of a zone, its letter; by its table as well where that is needed."""
    table, _, name = name.rpartition("/")
    for rows in [plant.tables[table]] if table else plant.tables.values():
        for row in rows.values():
            if name in (getattr(row, "name", ""), getattr(row, "designation", ""), getattr(row, "letter", "")):
                return str(row.id)
    raise AssertionError(name)


def _set(name: str, /, **values: Any) -> Callable[[Plant], edits.Edit]:
    paths = {path.replace("__", "."): value for path, value in values.items()}
    return lambda plant: edits.SetFields(ids=[_id(plant, name)], values=paths)


def _part(name: str, /, **values: Any) -> Callable[[Plant], edits.Edit]:
    paths = {path.replace("__", "."): value for path, value in values.items()}
    return lambda plant: edits.SetFields(
        ids=[row.id for row in plant.tables["safety_parts"].values() if row.name == name][:1], values=paths
    )


def _use_zone(plant: Plant) -> edits.Edit:
    return edits.UseZone(situation=_id(plant, "Northward"), output=2, zone=_id(plant, "A"))


def _chain(plant: Plant) -> edits.Edit:
    load = next(link for link in plant.children(ChainLink, _id(plant, "axes/CARRIAGE")) if link.kind == "load")
    return edits.SetFields(ids=[load.id], values={"settings.mass_kg": 2500})


def _first_module(plant: Plant) -> str:
    """One before the safe ones."""
    rail = plant.get(_id(plant, "-K7"), Module).rail
    return plant.children(Module, rail)[0].id


def _a_task(plant: Plant) -> str:
    return [one.id for one in plant.all(Task) if one.controller == hall(plant).id][-1]


_BREAKS: dict[str, Callable[[Plant], edits.Edit]] = {
    "input delay of a pair": _set("-K7", settings__pairs__ch0__filter_ms=10),
    "discrepancy of a pair": _set("-K7", settings__pairs__ch4__discrepancy_ms=400),
    "cross circuits not looked for": _set("-K7", settings__pairs__ch0__cross_circuit=False),
    "its watchdog": _set("-K8", settings__safe_watchdog_ms=30),
    "a safe module in another place": lambda plant: edits.Remove(ids=[_first_module(plant)]),
    "the safe part's longest cycle": _set("HALL", settings__safe_longest_ms=3),
    "its firmware": _set("HALL", firmware="3.3"),
    "level asked": _set("Hall doors", asked="PL e"),
    "standstill asked": _set("Hall doors", asked_ms=700),
    "stop category": _set("Hall doors", settings__stop_category=1),
    "starts by itself": _set("Hall doors", settings__restart="self"),
    "demands": _set("Hall doors", settings__demand_per_h=3),
    "stop time reckoned with": _part("CARRIAGE", settings__stop_ms=421),
    "contacts": _part("Emergency stop 1", settings__b10d=200_000),
    "channel of a sensor": _part("Hall door 1", key="ch2"),
    "confirmations": _set("Aisle eye", settings__scans=3),
    "resolution": _set("Aisle eye", settings__resolution=70),
    "where it stands": _set("Aisle eye", settings__x=10),
    "what selects a situation": _set("Northward", select="0011"),
    "the zone of an output": _use_zone,
    "address of its device": _set("Aisle scanner", address="10.20.4.51"),
    "ramp of an axis": _set("axes/CARRIAGE", settings__quick_ramp=300),
    "what is moved": _chain,
    "name of a safe signal": _set("HallDoorSafe1", name="HallDoorGood1"),
}  # fmt: skip
_NEUTRAL: dict[str, Callable[[Plant], edits.Edit]] = {
    "a note of the plant": lambda plant: edits.SetFields(ids=[next(iter(plant.tables["facts"]))], values={"note": "x"}),
    "the plant's name": lambda plant: edits.SetFields(ids=[next(iter(plant.tables["facts"]))], values={"name": "x"}),
    "a note of the controller": _set("HALL", note="seen"),
    "its cabinet": _set("HALL", location="+F2"),
    "a note of a function": _set("Hall doors", note="seen"),
    "a note of the scanner": _set("Aisle eye", note="seen"),
    "a safe module's designation": _set("-K7", designation="-K71"),
    "its cabinet too": _set("-K7", location="+F2"),
    "where its octets lie": lambda plant: edits.SetFields(ids=[_id(plant, "-K7")], values={"pin_in": 700}),
    "name of a network": _set("Hall cell", name="Hall"),
    "a plain signal's name": _set("Tank1Level", name="Tank1Depth"),
    "unit of a safe signal": _set("HallDoorSafe1", unit="°C"),
    "note of a safe signal": _set("HallDoorSafe1", note="door"),
    "task of a safe signal": lambda plant: edits.SetFields(
        ids=[_id(plant, "HallDoorSafe1")], values={"task": _a_task(plant)}),
    "soft limits": _set("axes/CARRIAGE", settings__soft_plus=11_000),
    "position gain": _set("axes/CARRIAGE", settings__gain=30),
    "how home is found": _set("axes/LIFT", settings__home_slow=2),
    "a drive's cabinet": lambda plant: edits.SetFields(
        ids=[one.id for one in plant.tables["stations"].values() if one.name == "CARRIAGE"],
        values={"location": "+M3"}),
    "another drive's address": _set("Gallery fan 1", note="x"),
    "spares": lambda plant: edits.SetSpare(type="tarnfell.si-8", count=3),
    "the period of a task": lambda plant: edits.SetFields(ids=[_a_task(plant)], values={"execution_ms": 2}),
    "a device of another fieldbus": _set("Weigh head", note="new"),
    "a record": lambda plant: edits.AddProof(
        of=_id(plant, "Emergency stop 1"), what="test", at="2026-11-30", by="Ada", result="passed"),
}  # fmt: skip


@pytest.mark.parametrize("what", [*_BREAKS, *_NEUTRAL])
def test_what_breaks_a_seal_and_what_does_not_by_hand(what: str) -> None:
    before = covered(DEMO).fingerprint()
    edit = {**_BREAKS, **_NEUTRAL}[what](DEMO)
    after = apply(DEMO, LIBRARY, edit).plant
    assert after != DEMO
    assert (covered(after).fingerprint() != before) == (what in _BREAKS)


def _told(plant: Plant) -> SealTold:
    told: SealTold = analyse(plant, LIBRARY).result("controller.seal", hall(plant).id)
    return told


def test_a_broken_seal_says_by_name_what_broke_it() -> None:
    plant = sealed()
    assert (_told(DEMO).state, _told(plant).state, _told(plant).differences) == ("open", "whole", ())
    # One confirmation more is one turn of the beam: 40 ms, and 64 mm at 1600 mm/s; the distances go up to 2258.4.
    plant = apply(plant, LIBRARY, edits.SetFields(ids=[_id(plant, "Aisle eye")], values={"settings.scans": 3})).plant
    analysis = analyse(plant, LIBRARY)
    told: SealTold = analysis.result("controller.seal", hall(plant).id)
    lines = {(one.at, one.label): (one.before, one.now, one.follows) for one in in_words(analysis, told.differences)}
    assert lines["", "Scans that confirm"] == ("2", "3", False)
    assert lines["function Turner aisle", "Response"] == ("189 ms", "229 ms", True)
    assert lines["situation Northward, output 1", "Distance needed"] == ("2195 mm", "2259 mm", True)
    assert {one.name for one in told.devices if one.state == "broken"} == {"controller HALL", "scanner Aisle eye"}
    finding = analysis.findings[f"SAF-401:{hall(plant).id}"]
    assert dict(finding.values)["by"] == "anna"
    # What is taken back is whole again.
    plant = apply(plant, LIBRARY, edits.SetFields(ids=[_id(plant, "Aisle eye")], values={"settings.scans": None})).plant
    assert _told(plant).state == "whole"


def test_what_came_and_what_went_is_told_in_a_line_each() -> None:
    plant = sealed()
    door = _id(plant, "Hall door 2")
    plant = apply(plant, LIBRARY, edits.Remove(ids=[door])).plant
    add = edits.AddSafetyPart(function=_id(plant, "Hall doors"), role="sensor", block="guard", name="Hatch",
                              place=_id(plant, "-K7"), key="ch6")  # fmt: skip
    plant = apply(plant, LIBRARY, add).plant
    lines = {one.at: one for one in in_words(analyse(plant, LIBRARY), _told(plant).differences) if ", sensor" in one.at}
    assert {at.split(", ")[1]: (one.before, one.now, bool(one.row)) for at, one in lines.items()} == {
        "sensor Hall door 2": ("there", "", False), "sensor Hatch": ("", "there", True),
    }  # fmt: skip


def test_something_plain_breaks_a_seal_by_the_function_it_makes_later() -> None:
    """A hatch on a safe module behind a coupler: its telegrams go as often as the coupler is asked."""
    rail = DEMO.children(Rail, _id(DEMO, "Well house"))[0].id
    plant = apply(DEMO, LIBRARY, edits.InsertModules(rail=rail, type="tarnfell.si-8", tag="$m")).plant
    safe = next(one for one in plant.children(Module, rail) if one.type == "tarnfell.si-8")
    hatch = edits.AddSafetyPart(function=_id(plant, "Hall doors"), role="sensor", block="guard", name="Hatch",
                                place=safe.id, key="ch0", tag="$p")  # fmt: skip
    worst = edits.SetFields(ids=["$p"], values={"settings.worst_ms": 0})
    longer = edits.SetFields(ids=[_id(plant, "Rail in")], values={"settings.count": 20})
    # The failure that costs most is of the output: what the hatch's telegrams take counts in full.
    watched = edits.SetFields(ids=[safe.id], values={"settings.safe_watchdog_ms": 5000})
    more = edits.SetFields(ids=[_id(plant, "-K8")], values={"settings.safe_watchdog_ms": 9000})
    plant = apply(plant, LIBRARY, edits.Batch(edits=[hatch, worst, longer, watched, more])).plant
    before = {(i.at, i.field): i.value for i in covered(plant).items}
    later = apply(
        plant, LIBRARY, edits.SetFields(ids=[_id(plant, "Rail in")], values={"settings.period_ms": 900})
    ).plant
    after = {(i.at, i.field): i.value for i in covered(later).items}
    assert inputs(later).fingerprint() == inputs(plant).fingerprint()
    changed = {place for place in before.keys() | after.keys() if before.get(place) != after.get(place)}
    assert ("function Hall doors", "result.response_ms") in changed
    assert {field for _, field in changed} <= {"result.response_ms", "result.standstill_ms"}
    moved = apply(plant, LIBRARY, edits.SetFields(ids=[_id(plant, "Well house")], values={"location": "+M7"})).plant
    assert covered(moved).fingerprint() == covered(plant).fingerprint()


def test_who_seals_is_told_why_not() -> None:
    with pytest.raises(Refusal, match="sealed as it is"):
        sealed(sealed())
    twice = apply(DEMO, LIBRARY, edits.SetFields(ids=[_id(DEMO, "Hall door 2")], values={"name": "Hall door 1"})).plant
    with pytest.raises(Refusal, match=r"called alike.*sensor Hall door 1"):
        sealed(twice)
    wrong = apply(DEMO, LIBRARY, _BREAKS["channel of a sensor"](DEMO)).plant
    near = edits.SetFields(ids=[_id(wrong, "Hall door 1")], values={"settings.distance_mm": 10})
    with pytest.raises(Refusal, match=r"Not before this is mended: .*Hall door 1"):
        sealed(apply(wrong, LIBRARY, near).plant)
    other = next(one for one in DEMO.all(Controller) if one.name != "HALL")
    with pytest.raises(Refusal, match="no safety functions"):
        seal(analyse(DEMO, LIBRARY), other.id, at="", by="", revision=1, edited_last=False)


def test_a_seal_says_what_was_not_proved_and_comes_with_a_file_as_a_stranger() -> None:
    (made,) = sealed().all(Seal)
    assert "Aisle field: tested with its test piece, not yet on site" in made.data["open"]
    assert "Northward, output 1: not walked on site" in made.data["open"]
    (brought,) = parse_plant(export_text(sealed(), LIBRARY.find).encode()).plant.all(Seal)
    assert brought.data == {**made.data, "brought": True} and "brought" not in made.data
    for field, value in (("fingerprint", "3F9C"), ("at", "yesterday"), ("at", "2026-02-30T10:00Z")):
        data = json.loads(export_text(sealed(), LIBRARY.find))
        data["seals"][0][field] = value
        with pytest.raises(BadFile, match=r"seals\[0\]"):
            parse_plant(json.dumps(data).encode())
    data["seals"][0] |= {"at": made.at, "data": {"items": [["a", 1]]}}
    with pytest.raises(BadFile, match="five texts"):
        parse_plant(json.dumps(data).encode())


def test_a_seal_that_came_with_a_file_can_be_made_here() -> None:
    brought = parse_plant(export_text(sealed(), LIBRARY.find).encode()).plant
    assert _told(brought).state == "whole" and len(sealed(brought).all(Seal)) == 2
