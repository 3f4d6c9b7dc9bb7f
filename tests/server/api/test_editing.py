"""Edits over the API: kept, undone, rebased, refused; and what two people do to each other."""

from __future__ import annotations

from typing import Any

import pytest

from highmoor.core.demo.plant import demo_plant
from highmoor.core.plant.rows import TABLES
from highmoor.core.project.exchange_format import export_text
from highmoor.server.api import views
from highmoor.server.models import RENAMED, ROW_MODELS, Entry, Project
from highmoor.server.plants import forget, open_plant
from highmoor.server.store import column_of, load_plant
from tests.conftest import Api


def named(api: Api, table: str, **values: Any) -> dict[str, Any]:
    rows = api.call("get", "plants/demo")[1]["rows"][table]
    return next(r for r in rows if all(r[k] == v for k, v in values.items()))


def set_(row: dict[str, Any], **values: Any) -> dict[str, Any]:
    return {"kind": "set", "ids": [row["id"]], "values": {k.replace("__", "."): v for k, v in values.items()}}


def rail_of(api: Api, controller: str) -> str:
    owner = named(api, "controllers", name=controller)["id"]
    return str(named(api, "rails", head=owner)["id"])


@pytest.mark.parametrize("name", list(TABLES))
def test_the_database_keeps_each_table_as_the_core_defines_it(name: str) -> None:
    table, model = TABLES[name], ROW_MODELS[name]
    columns = {f.attname: f for f in model._meta.concrete_fields}
    expected = {column_of(table, field) for field in table.fields if field != "id"} | {"key", "project_id"}
    assert set(columns) == expected
    for field in table.fields:
        if field == "id":
            continue
        column = columns[column_of(table, field)]
        optional = "None" in str(table.row.__annotations__[field])
        assert column.null == optional, field
        if column.is_relation:
            target = ROW_MODELS[table.refs[field].tables[0]]
            assert column.related_model is target
    assert all(field in TABLES[table_name].fields for table_name, field in RENAMED)


def test_what_is_stored_is_what_was_edited(ada: Api) -> None:
    rail = rail_of(ada, "HALL")
    status, answer = ada.edit("demo", {"kind": "insert-modules", "rail": rail, "type": "tarnfell.ai-8", "tag": "$m"})
    assert status == 200, answer
    assert answer["tags"]["$m"]
    assert {f["code"] for f in answer["findings_added"]} == {"HW-101", "HW-102"}
    assert ["rail.power", rail] in answer["stale"]
    project = Project.objects.get(key="demo")
    held = open_plant(project)
    assert export_text(load_plant(project)) == export_text(held.plant)
    forget()
    findings = ada.call("get", "plants/demo/findings")[1]["findings"]
    assert "HW-101" in {f["code"] for f in findings}


def test_a_retry_is_not_applied_twice(ada: Api) -> None:
    edit = {"kind": "insert-modules", "rail": rail_of(ada, "HALL"), "type": "tarnfell.di-16"}
    first = ada.edit("demo", edit, client_key="once")[1]
    again = ada.edit("demo", edit, client_key="once")[1]
    assert again["repeated"]
    assert again["revision"] == first["revision"]
    assert Entry.objects.count() == 2


def test_an_edit_on_an_older_revision_is_run_again_unless_it_meets_another(ada: Api, ben: Api) -> None:
    module, other = named(ada, "modules", designation="-K4"), named(ada, "modules", designation="-K5")
    assert ben.edit("demo", set_(module, location="Cabinet 2"), base=1)[0] == 200
    # Another object, and another field of the same object: both go through.
    assert ada.edit("demo", set_(other, location="Cabinet 1"), base=1)[0] == 200
    assert ada.edit("demo", set_(module, note="spare inside"), base=1)[0] == 200
    status, problem = ada.edit("demo", set_(module, location="Cabinet 9"), base=1)
    assert status == 409
    (overlap,) = problem["overlaps"]
    assert (overlap["theirs"], overlap["yours"], overlap["author"]) == ("Cabinet 2", "Cabinet 9", "ben")
    assert overlap["field"] == "location"
    assert named(ada, "modules", designation="-K4")["location"] == "Cabinet 2"
    # Keys within one settings object are fields of their own.
    assert ben.edit("demo", set_(module, settings__channels__ch0__range="0-20mA"), base=1)[0] == 200
    assert ada.edit("demo", set_(module, settings__channels__ch1__range="0-20mA"), base=1)[0] == 200


def test_an_edit_of_what_is_gone_says_who_removed_it(ada: Api, ben: Api) -> None:
    module = named(ada, "modules", designation="-K9")
    assert ben.edit("demo", {"kind": "remove", "ids": [module["id"]]}, base=1)[0] == 200
    status, problem = ada.edit("demo", set_(module, note="x"), base=1)
    assert status == 409
    assert problem["overlaps"][0]["author"] == "ben"
    assert problem["overlaps"][0]["label"] == "-K9"


def test_undo_takes_back_my_own_latest_and_never_anothers(ada: Api, ben: Api) -> None:
    module = named(ada, "modules", designation="-K4")
    ada.edit("demo", set_(module, location="One"))
    ada.edit("demo", set_(module, note="Mine", location="Two"))
    ben.edit("demo", set_(module, location="Bens"))
    status, problem = ada.take_back("demo")
    assert status == 409
    assert [o["field"] for o in problem["overlaps"]] == ["location"]
    assert problem["overlaps"][0]["author"] == "ben"
    status, answer = ada.take_back("demo", rest=True)
    assert status == 200
    row = named(ada, "modules", designation="-K4")
    assert (row["note"], row["location"]) == ("", "Bens")
    assert answer["steps"]["plant"]["undo"]["label"] == "set"
    assert ben.take_back("demo")[0] == 200
    assert named(ada, "modules", designation="-K4")["location"] == "Two"


def test_undo_and_redo_walk_the_whole_way(ada: Api) -> None:
    texts = [export_text(demo_plant())]
    rail = rail_of(ada, "HALL")
    steps = [
        {"kind": "insert-modules", "rail": rail, "type": "tarnfell.di-16"},
        {"kind": "remove", "ids": [rail]},
        {"kind": "add-controller", "type": "tarnfell.tf-21"},
    ]
    project = Project.objects.get(key="demo")

    def rows() -> str:
        # The counter goes on; everything else must come back.
        return export_text(load_plant(Project.objects.get(pk=project.pk))).split("\n", 4)[-1]

    texts = [rows()]
    for step in steps:
        assert ada.edit("demo", step)[0] == 200
        texts.append(rows())
    for text in reversed(texts[:-1]):
        assert ada.take_back("demo")[0] == 200
        assert rows() == text
    assert ada.take_back("demo")[0] == 422
    for text in texts[1:]:
        assert ada.take_back("demo", "redo")[0] == 200
        assert rows() == text


def test_undo_of_making_something_others_have_built_upon(ada: Api, ben: Api) -> None:
    made = ada.edit("demo", {"kind": "add-controller", "type": "tarnfell.tf-21", "name": "MILL", "rail_tag": "$r"})[1]
    ben.edit("demo", {"kind": "insert-modules", "rail": made["tags"]["$r"], "type": "tarnfell.di-16"})
    status, problem = ada.take_back("demo")
    assert status == 409
    assert problem["overlaps"][0]["author"] == "ben"


def test_history_an_earlier_revision_and_going_back(ada: Api) -> None:
    module = named(ada, "modules", designation="-K4")
    ada.edit("demo", set_(module, location="One"))
    ada.edit("demo", {"kind": "remove", "ids": [module["id"]]})
    history = ada.call("get", f"plants/demo/history?of={module['id']}")[1]
    assert [entry["revision"] for entry in history] == [3, 2]
    earlier = ada.call("get", "plants/demo/revisions/2")[1]["rows"]["modules"]
    assert next(r for r in earlier if r["id"] == module["id"])["location"] == "One"
    assert ada.call("post", "plants/demo/revisions/2/mark", {"mark": "before"})[0] == 204
    status, answer = ada.call("post", "plants/demo/revisions/2/restore", {"client": "a", "client_key": "r"})
    assert (status, answer["revision"]) == (200, 4)
    assert named(ada, "modules", designation="-K4")["location"] == "One"
    assert named(ada, "links", place=module["id"])


@pytest.mark.parametrize(
    ("edit", "field", "says"),
    [
        ({"name": "9th"}, "name", "begins with a digit"),
        ({"name": "Bed Temp"}, "name", "contains “ ”"),
        ({"type": "FLOAT"}, "type", "cannot be “FLOAT”"),
        ({"asked_ms": "2 kg"}, "asked_ms", "a number in ms is expected"),
        ({"asked_ms": -1}, "asked_ms", "is below 0 ms"),
        ({"nonsense": 1}, "nonsense", "no field"),
        ({"settings.x": 1}, "settings.x", "no field"),
    ],
)
def test_refusals_name_field_reason_and_value(ada: Api, edit: dict[str, Any], field: str, says: str) -> None:
    signal = named(ada, "signals", name="Tank1Level")
    status, problem = ada.edit("demo", {"kind": "set", "ids": [signal["id"]], "values": edit})
    assert status == 422
    assert (problem["place"], problem["field"]) == (signal["id"], field)
    assert says in problem["detail"]
    assert ada.call("get", "plants/demo")[1]["revision"] == 1


@pytest.mark.parametrize(
    ("typed", "stored"),
    [("0,2 s", 200), ("0.2 s", 200), ("16#C8", 200), ("0xC8 ms", 200), ("2#11", 3), ("1 500", 1500), ("12.5", 12.5)],
)
def test_numbers_as_engineers_type_them(ada: Api, typed: str, stored: float) -> None:
    exchange = named(ada, "exchanges", name="Measured")
    assert ada.edit("demo", set_(exchange, settings__period_ms=typed))[0] == 200
    assert named(ada, "exchanges", name="Measured")["settings"]["period_ms"] == stored


def test_a_remedy_mends_its_finding(ada: Api) -> None:
    rail = rail_of(ada, "HALL")
    ada.edit("demo", {"kind": "insert-modules", "rail": rail, "type": "tarnfell.ai-8"})
    found = {f["code"]: f["key"] for f in ada.call("get", "plants/demo/findings")[1]["findings"]}
    for code in ("HW-101", "SIG-108"):
        remedies = ada.call("get", f"plants/demo/remedies?finding={found[code]}")[1]["remedies"]
        remedy = remedies[found[code]]
        assert remedy["hand"] == "in the project"
        preview = ada.call("post", "plants/demo/preview", {"edit": remedy["edit"]})[1]
        assert found[code] in [f["key"] for f in preview["gone"]]
        answer = ada.edit("demo", remedy["edit"])[1]
        assert found[code] in answer["findings_gone"]


def test_a_bad_file_is_refused_and_nothing_stored(ada: Api) -> None:
    from django.core.files.uploadedfile import SimpleUploadedFile

    before = Project.objects.count()
    for octets in (b"{", b'{"format":"highmoor-plant","schema":7}', b"\x00" * 1000):
        response = ada.client.post("/api/plants/import", {"file": SimpleUploadedFile("x.json", octets)})
        assert response.status_code == 422
        assert response.json()["faults"]
    assert Project.objects.count() == before
    good = SimpleUploadedFile("x.json", export_text(demo_plant()).encode())
    assert ada.client.post("/api/plants/import", {"file": good}).status_code == 200
    assert Project.objects.count() == before + 1


def test_figures_over_http_answer_as_on_the_command_line(ada: Api) -> None:
    case = {"raw": 15000, "raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 3.2, "clamp": False}
    assert ada.call("post", "compute/scale", case) == (200, {"value": 1.6})
    assert ada.call("post", "compute/scale", [case, {}])[1][0] == {"value": 1.6}
    assert ada.call("post", "compute/scale", {})[0] == 422


def test_parts_and_forms_can_be_asked_for_every_object(ada: Api) -> None:
    from highmoor.core.parts import PARTS
    from highmoor.server.api.views import PUBLISHED

    body = ada.call("get", "plants/demo")[1]
    want = [[part.key, row["id"]] for part in PARTS if part.key in PUBLISHED for row in body["rows"][part.table][:24]]
    status, answer = ada.call("post", "plants/demo/parts", {"want": want})
    assert status == 200, answer
    # A serial line has no tree, a network of which no cable is asked no route, an exchange with a device no far end,
    # a backplane has no ports.
    nothing = {part["part"] for part in answer["parts"] if part["result"] is None}
    of_others = {key for key in PUBLISHED if key.startswith(("ethercat.", "profibus.", "profinet."))}
    elsewhere = {
        "network.route",
        "network.tree",
        "exchange.far-octets",
        "exchange.back-octets",
        "rail.master",
        "axis.commands",
        "axis.handover",
        "axis.stepper",
        "axis.home",
        "axis.homing",
        "module.port",
        "module.port-parameters",
    }
    assert nothing == of_others | elsewhere
    assert len(answer["parts"]) == len(want)
    for rows in filter(None, body["rows"].values()):
        status, form = ada.call("get", f"plants/demo/fields/{rows[0]['id']}")
        assert status == 200, form
    # What is made with a row is not offered to be set.
    request = next(k for k in body["rows"]["connections"] if k["settings"].get("kind") == "request")
    form = ada.call("get", f"plants/demo/fields/{request['id']}")[1]
    paths = {field["path"] for field in form["fields"]}
    assert "settings.service" in paths
    assert "settings.kind" not in paths


def test_an_edit_has_its_turn_while_a_window_is_looked_for_and_ends_it(ada: Api, monkeypatch: Any) -> None:
    """Between two values the plant is free: what is saved then is answered, and the window is of no use any more."""
    exchange = named(ada, "exchanges", name="Measured")
    path = f"plants/demo/windows/{exchange['id']}?path=settings.period_ms"
    whole = ada.call("get", path)[1]["window"]
    assert whole["low"]["value"] < whole["high"]["value"]
    turns: list[str] = []

    def with_an_edit_between(analysis: Any, row: str, field: str, turn: Any) -> Any:
        with turn():
            turns.append("a value")
        assert ada.edit("demo", set_(exchange, settings__period_ms=150))[0] == 200
        with turn():
            turns.append("another")

    monkeypatch.setattr(views, "feasible_window", with_an_edit_between)
    assert ada.call("get", path) == (200, {"window": None})
    assert turns == ["a value"]
    monkeypatch.undo()
    assert ada.call("get", path)[1]["window"]["now"] == 150
