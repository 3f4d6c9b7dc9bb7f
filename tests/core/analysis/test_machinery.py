"""What must hold of every edit, whatever it is."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.change import Change
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.ranks import is_rank, rank_between, ranks_between
from highmoor.core.plant.rows import (
    Axis,
    BuiltScanner,
    ChainLink,
    ClosingCable,
    Controller,
    Link,
    ListLine,
    Module,
    Move,
    PlanShape,
    Program,
    Proof,
    Robot,
    SafetyFunction,
    SafetyPart,
    Scanner,
    Seal,
    Signal,
    Situation,
    Zone,
    ZoneUse,
)
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.consequences import preview
from highmoor.core.project.exchange_format import (
    SCHEMA_VERSION,
    BadFile,
    export_plant,
    export_text,
    parse_plant,
    plant_file,
)
from highmoor.core.project.fields import fields_of
from highmoor.core.project.remedies import remedy_of
from highmoor.core.project.reporting import rendered
from tests.core.plants import LIBRARY, an_edit, hall
from tests.paths import DEMO, ROOT

SLOW = settings(max_examples=60, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])


def same_state(incremental: Any, scratch: Any) -> None:
    """Every part's result, every finding and every headline are as computed from nothing."""
    assert incremental.findings == scratch.findings
    for part in incremental.parts.values():
        for root in scratch.plant.tables[part.table]:
            # What is computed only when asked for is asked for, and so has to be renewed from here on.
            assert incremental.result(part.key, root) == scratch.result(part.key, root), (part.key, root)
    assert set(incremental._entries) == set(scratch._entries)
    for key, entry in scratch._entries.items():
        assert incremental._entries[key].headlines == entry.headlines, key


@SLOW
@given(st.data())
def test_incremental_analysis_equals_from_scratch_under_edits_and_undo(data: Any) -> None:
    plant = hall("di-16", "ai-8", "do-16") if data.draw(st.booleans()) else demo_plant()
    analysis = analyse(plant, LIBRARY)
    done: list[Change] = []
    for _ in range(data.draw(st.integers(1, 7))):
        if done and data.draw(st.integers(0, 3)) == 0:
            change = done.pop().inverse()
            after = plant.patched(change)
        else:
            try:
                applied = apply(plant, LIBRARY, an_edit(data.draw, plant))
            except Refusal:
                continue
            change, after = applied.change, applied.plant
            done.append(change)
            before = dict(analysis.findings)
            analysis.preview(after, change)
            assert analysis.findings == before
        analysis.advance(after, change)
        plant = after
        assert plant.index == Plant.of(plant.rows(), plant.counter).index
    same_state(analysis, analyse(plant, LIBRARY))
    # Whatever the plant has come to, everything about it can be said, mended, exported and read again.
    rendered(analysis)
    for found in list(analysis.findings.values()):
        remedy = remedy_of(analysis, found)
        if remedy and remedy.edit:
            mended, _ = preview(analysis, remedy.edit)
            # Of a text the next fault is told under the same key.
            left = analyse(mended.plant, LIBRARY).findings.get(found.key)
            assert left != found and (left is None or found.code in ("HW-101", "SIG-201"))
    for row in plant.rows():
        fields_of(plant, LIBRARY, row)
    assert export_text(parse_plant(export_text(plant).encode()).plant) == export_text(plant)


@SLOW
@given(st.data())
def test_undo_restores_every_row_and_the_journal_keeps_the_change(data: Any) -> None:
    plant = demo_plant()
    edit = an_edit(data.draw, plant)
    try:
        applied = apply(plant, LIBRARY, edit)
    except Refusal:
        return
    back = applied.plant.patched(applied.change.inverse())
    assert back.tables == plant.tables
    assert back.index == plant.index
    stored = json.loads(json.dumps(applied.change.to_json()))
    assert Change.from_json(stored) == applied.change
    assert applied.plant.counter >= plant.counter
    for (table, row_id), (before, after) in applied.change.items():
        assert before != after
        assert row_id in applied.plant.tables[table] or after is None


def test_ids_are_never_used_again() -> None:
    from highmoor.core.plant.rows import Rail
    from highmoor.core.project import edits

    plant = hall()
    rail = plant.all(Rail)[0].id
    first = apply(plant, BUILTIN, edits.InsertModules(rail=rail, type="tarnfell.di-16", tag="$m"))
    gone = apply(first.plant, BUILTIN, edits.Remove(ids=[first.tags["$m"]]))
    again = apply(gone.plant, BUILTIN, edits.InsertModules(rail=rail, type="tarnfell.di-16", tag="$m"))
    assert again.tags["$m"] != first.tags["$m"]


_RANK = st.text("012ABXYZabz", min_size=1, max_size=6).filter(is_rank)


@given(_RANK, _RANK, st.integers(1, 40))
def test_there_is_always_a_rank_between(one: str, other: str, count: int) -> None:
    low, high = sorted((one, other))
    ends = [(low, ""), ("", high)] + ([(low, high)] if low < high else [])
    for before, after in ends:
        ranks = ranks_between(before, after, count)
        assert len(ranks) == count
        assert ranks == sorted(set(ranks))
        assert all(is_rank(r) and before < r and (not after or r < after) for r in ranks)


def test_ranks_stay_short_when_always_appending() -> None:
    rank = ""
    for _ in range(300):
        rank = rank_between(rank, "")
    assert len(rank) < 70


@settings(max_examples=150)
@given(st.data())
def test_a_damaged_plant_file_is_refused_with_a_place_and_nothing_else_happens(data: Any) -> None:
    file = export_plant(hall("di-16", "ai-8"))
    junk = st.none() | st.booleans() | st.integers(-9, 10**20) | st.text(max_size=5) | st.just([]) | st.just({"a": 1})
    table = data.draw(st.sampled_from([k for k, v in file.items() if isinstance(v, list) and v]))
    row = data.draw(st.integers(0, len(file[table]) - 1))
    field = data.draw(st.sampled_from([*file[table][row], "nonsense"]))
    file[table][row][field] = data.draw(junk)
    try:
        plant = plant_file(json.loads(json.dumps(file))).plant
    except BadFile as error:
        assert error.faults[0].place.startswith(table) or error.faults[0].reason
    else:
        analyse(plant, BUILTIN)


@pytest.mark.parametrize(
    ("octets", "says"),
    [
        (b"", "not JSON"),
        (b"\xff\xfe\x00", "not UTF-8"),
        (b"[" * 100_000, "nested too deeply"),
        (b'{"format": "highmoor-plant", "schema": 99}', "Update it"),
        (b'{"format": "other"}', "does not say"),
        (b'{"format": "highmoor-plant", "schema": 1, "counter": 1, "facts": [], "facts": []}', "twice"),
        (b'{"format": "highmoor-plant", "schema": 1, "counter": NaN}', "not a number"),
        (b'{"format": "highmoor-plant", "schema": 1, "counter": 0}', "exactly one row"),
        (b" " * (64 * 2**20 + 1), "MB are allowed"),
    ],
)
def test_files_that_are_no_plants(octets: bytes, says: str) -> None:
    with pytest.raises(BadFile, match=says):
        parse_plant(octets)


def test_references_and_ids_of_a_file_are_checked() -> None:
    file = export_plant(hall("di-16"))
    file["modules"][0]["rail"] = "r999"
    with pytest.raises(BadFile, match=r"modules\[0\].rail: there is no r999"):
        plant_file(file)
    file = export_plant(hall("di-16"))
    file["modules"].append(dict(file["modules"][0]))
    with pytest.raises(BadFile, match="already"):
        plant_file(file)
    file = export_plant(hall("di-16"))
    file["modules"][0]["rail"] = file["controllers"][0]["id"]
    with pytest.raises(BadFile, match="not of rails"):
        plant_file(file)


def test_a_file_of_each_version_there_was_can_still_be_read() -> None:
    """One kept file a version: later programs bring it up to date through the chain of upgrades."""

    there = (ROOT / "tests" / "core" / "project" / "fixtures").glob("plant-v*.json")
    files = sorted(there, key=lambda file: int(file.stem.removeprefix("plant-v")))
    assert [f.stem for f in files] == [f"plant-v{n}" for n in range(1, SCHEMA_VERSION + 1)]
    plants = [parse_plant(file.read_bytes()).plant for file in files]
    for plant in plants:
        assert len(plant.all(Signal)) == 104
        assert len(plant.all(Module)) == 20
        assert plant.tables["links"] == plants[-1].tables["links"]
    assert {link.way for link in plants[0].all(Link)} == {"data", "status"}
    built = plants[4].of_document("built")
    assert {name: len(rows) for name, rows in built.items()} == {
        "built_lines": 1, "built_devices": 2, "built_modules": 0, "built_scanners": 0, "built_processes": 1,
        "built_wires": 1,
    }  # fmt: skip
    assert not any(plants[3].of_document("built").values())
    assert [len(plant.all(ClosingCable)) for plant in plants] == [0, 0, 0, 0, 0, *[1] * 9]
    (line,) = plants[6].all(ListLine)
    assert (line.left, plants[6].get(line.signal or "", Signal).area) == ({"core": True}, "Hall")
    assert not any(plant.all(ListLine) for plant in plants[:6])
    assert [program.text for program in plants[7].all(Program)] == ["Tank1Full := Tank1Level > 3.0;"]
    assert [link.kind for link in plants[8].all(ChainLink)] == ["motor", "gear", "screw", "load"]
    assert [move.settings for move in plants[8].all(Move)] == [{"to": 400}]
    assert [(robot.type, robot.settings) for robot in plants[9].all(Robot)] == [("own", {"upper_arm": 200})]
    assert [axis.arm for axis in plants[9].all(Axis)] == ["", "arm1"] and not plants[8].all(Robot)
    assert [(one.asked, one.settings) for one in plants[10].all(SafetyFunction)] == [("PL d", {"demand_per_h": 2})]
    assert [(part.key, part.block) for part in plants[10].all(SafetyPart)] == [("ch4", "emergency-stop")]
    assert plants[10].all(Controller)[0].settings == {"safe_cycle_ms": 6} and not plants[9].all(SafetyFunction)
    assert [(one.kind, one.voided) for one in plants[11].all(Proof)] == [("stop-time", ""), ("test", "Another button.")]
    assert not plants[10].all(Proof) and not plants[10].all(Scanner)
    assert [one.kind for one in plants[12].all(Proof)][2:] == ["walk", "fault"] and not plants[11].all(Seal)
    (sealed,) = plants[12].all(Seal)
    assert sealed.data["brought"] is True and sealed.revision == 7
    (sent,) = plants[13].all(BuiltScanner)
    assert (sent.scanner, sent.by) == (plants[13].all(Scanner)[0].id, "anna") and not plants[12].all(BuiltScanner)
    assert [(one.name, one.select) for one in plants[11].all(Situation)] == [("North", "1000")]
    assert [one.zone for one in plants[11].all(ZoneUse)] == [zone.id for zone in plants[11].all(Zone)]
    assert [(one.kind, one.situation) for one in plants[11].all(PlanShape)] == [
        ("hazard", plants[11].all(Situation)[0].id)
    ]


def test_an_older_file_goes_through_the_chain_of_upgrades(monkeypatch: pytest.MonkeyPatch) -> None:
    from highmoor.core.project import exchange_format

    def renamed(row: dict[str, Any]) -> dict[str, Any]:
        return {**row, "note": row["note"] + "upgraded"}

    monkeypatch.setattr(exchange_format, "UPGRADES", {1: {}, SCHEMA_VERSION: {"modules": renamed}})
    monkeypatch.setattr(exchange_format, "SCHEMA_VERSION", SCHEMA_VERSION + 1)
    file = {**export_plant(hall("di-16")), "schema": SCHEMA_VERSION}
    assert [m.note for m in plant_file(file).plant.all(Module)] == ["upgraded"]


def test_a_plant_file_brings_the_readings_of_its_own_types_and_no_others() -> None:
    from dataclasses import replace

    from highmoor.core.catalogue.pins import pinned_key
    from highmoor.core.catalogue.reading.families import read_octets
    from highmoor.core.catalogue.types import Catalogue

    octets = (DEMO / "tr16.gsd").read_bytes()
    device = read_octets(octets, "tr16.gsd").devices[0]
    key = pinned_key(device.key, "a" * 64, 1)
    catalogue = Catalogue(BUILTIN.types, lambda wanted: replace(device, key=key) if wanted == key else None)
    pin = edits.TypePin(device=device.key, sha256="a" * 64, reader=1, file="tr16.gsd")
    plant = apply(hall("di-16"), catalogue, edits.AddTypes(types=[pin])).plant
    text = export_text(plant, catalogue.find)
    back = parse_plant(text.encode())
    assert back.catalogue.find(key) == replace(device, key=key)
    assert export_text(back.plant, back.catalogue.find) == text
    # A module of the file is a type by itself, with its own octets and parameters.
    module = back.catalogue.find(f"{key}/m3")
    assert module is not None
    assert (module.in_octets, [p.key for p in module.parameters]) == (8, ["p5_2", "p5_3", "p5_4", "p5_5", "p6_6"])
    data = json.loads(text)
    for damage in ({"stranger@aaaaaaaaaaaaaaaa-1": data["readings"][key]}, {key: {"key": 1}}, [1]):
        with pytest.raises(BadFile, match="readings"):
            parse_plant(json.dumps({**data, "readings": damage}).encode())
