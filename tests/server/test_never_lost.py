"""What is answered, what is in memory and what is in the database are one, whatever fails on the way."""

from __future__ import annotations

import json
import os
import random
import sqlite3
import stat
import threading
from pathlib import Path
from typing import Any

import pytest
from django.db import OperationalError, connection
from django.utils import timezone

from highmoor.core.analysis.engine import Analysis, Delta
from highmoor.core.analysis.findings import Finding
from highmoor.core.demo.plant import demo_plant
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import TABLES
from highmoor.core.project.exchange_format import export_text, parse_plant
from highmoor.server import plants, store
from highmoor.server.demo import demo_files, demo_with_types
from highmoor.server.library import LIBRARY
from highmoor.server.models import Entry, Project, StoredReading
from highmoor.server.plants import forget, open_plant
from highmoor.server.settings import kept_key
from tests.conftest import Api, Upload
from tests.server.api.test_editing import named, set_


def _in_database() -> str:
    return export_text(store.load_plant(Project.objects.get(key="demo")))


def _note(api: Api, text: str, **more: Any) -> tuple[int, Any]:
    return api.edit("demo", set_(named(api, "signals", name="Tank1Level"), note=text), **more)


def test_an_edit_that_is_tried_is_not_disturbed_by_who_asks_for_the_analysis(
    ada: Api, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whoever asks lets the day pass, which must not happen while what was tried is still to be taken back."""
    held = open_plant(Project.objects.get(key="demo"))
    before, findings = held.analysis, dict(held.analysis.findings)
    others: list[threading.Thread] = []
    settle = Analysis._settle

    def asked_meanwhile(self: Analysis) -> Delta:
        if not others:
            others.append(threading.Thread(target=lambda: held.analysis))
            others[0].start()
            others[0].join(0.2)
            assert others[0].is_alive()
        return settle(self)

    monkeypatch.setattr(Analysis, "_settle", asked_meanwhile)
    rail = named(ada, "rails", head=named(ada, "controllers", name="HALL")["id"])["id"]
    edit = {"kind": "insert-modules", "rail": rail, "type": "tarnfell.ai-8", "count": 8}
    assert ada.call("post", "plants/demo/preview", {"edit": edit})[0] == 200
    others[0].join(5)
    assert not others[0].is_alive()
    assert held.analysis is before and before.findings == findings == analyse_today(held.plant)


def analyse_today(plant: Plant) -> dict[str, Finding]:
    fresh = analyse(plant, open_plant(Project.objects.get(key="demo")).catalogue)
    fresh.pass_to(timezone.localdate().isoformat())
    return fresh.findings


@pytest.mark.parametrize("at", ["analysis", "rendering", "database", "full"])
def test_an_edit_that_fails_on_the_way_is_nowhere(ada: Api, monkeypatch: pytest.MonkeyPatch, at: str) -> None:
    before = _in_database()
    ada.client.raise_request_exception = False

    def breaks(*_: Any, **__: Any) -> Any:
        raise OperationalError("database or disk is full") if at == "full" else ZeroDivisionError

    with monkeypatch.context() as patched:
        if at == "analysis":
            patched.setattr("highmoor.core.analysis.engine.Analysis.advance", breaks)
        elif at == "rendering":
            patched.setattr(plants, "render", breaks)
        else:
            patched.setattr(store, "save_step", breaks)
        rail = named(ada, "rails", head=named(ada, "controllers", name="HALL")["id"])["id"]
        status, _ = ada.edit("demo", {"kind": "insert-modules", "rail": rail, "type": "tarnfell.ai-8"})
        assert status == (507 if at == "full" else 500)
    assert _in_database() == before
    assert export_text(open_plant(Project.objects.get(key="demo")).plant) == before
    assert _note(ada, "goes on")[0] == 200
    forget()
    assert named(ada, "signals", name="Tank1Level")["note"] == "goes on"


def test_a_step_that_nobody_can_be_told_of_is_answered_all_the_same(ada: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    def deaf(*_: Any) -> None:
        raise RuntimeError

    monkeypatch.setattr(plants, "_listeners", [deaf])
    assert _note(ada, "kept")[0] == 200
    assert named(ada, "signals", name="Tank1Level")["note"] == "kept"


def test_who_still_holds_a_plant_that_was_let_go_of_cannot_write_to_it(ada: Api) -> None:
    held = open_plant(Project.objects.get(key="demo"))
    forget(held.project.pk)
    with pytest.raises(store.Outdated), held.lock:
        pass
    assert open_plant(Project.objects.get(key="demo")) is not held


def test_a_paste_that_no_edit_could_have_made_is_refused_and_the_plant_opens(ada: Api) -> None:
    station = named(ada, "stations", name="Humidifier")
    clip = ada.call("post", "plants/demo/clip", {"ids": [station["id"]]})[1]
    exchange = next(row for row in clip["rows"] if row["table"] == "exchanges")
    for field, value in (("period_ms", 0), ("timeout_ms", "x"), ("count", 10**30), ("address", None)):
        damaged = json.loads(json.dumps(clip))
        next(r for r in damaged["rows"] if r == exchange)["values"]["settings"][field] = value
        edit = {"kind": "paste", "clip": damaged, "into": station["network"]}
        status, problem = ada.edit("demo", edit)
        # A null is a setting that is not set.
        assert status == (200 if value is None else 422), problem
        if status == 422:
            assert field in problem["field"] or field in problem["detail"]
    forget()
    assert ada.call("get", "plants/demo")[0] == 200


def test_a_plant_that_cannot_be_opened_can_be_deleted(ada: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    def breaks(*_: Any) -> Any:
        raise ZeroDivisionError

    forget()
    monkeypatch.setattr(store, "load_plant", breaks)
    assert ada.call("delete", "plants/demo")[0] == 204
    assert not Project.objects.filter(key="demo").exists()


def test_a_key_is_one_edit_of_one_user(ada: Api, ben: Api) -> None:
    assert _note(ada, "one", client_key="k")[0] == 200
    assert _note(ada, "one", base=1, client_key="k")[1]["repeated"]
    status, problem = _note(ada, "two", client_key="k")
    assert (status, problem["field"]) == (422, "client_key")
    assert "revision 2" in problem["detail"]
    status, answer = _note(ben, "three", client_key="k")
    assert (status, answer["repeated"]) == (200, False)
    for key in ("", "x" * 65):
        body = {"base": 1, "client": "t", "client_key": key, "label": "", "edit": set_({"id": "p0"}, name="x")}
        status, problem = ada.call("post", "plants/demo/edits", body)
        assert (status, problem["field"]) == (422, "client_key")
    # Two keys that begin alike are two keys.
    assert _note(ada, "four", client_key="y" * 63 + "a")[0] == 200
    assert not _note(ada, "five", client_key="y" * 63 + "b")[1]["repeated"]


def test_two_users_under_one_clients_name_meet_each_other(ada: Api, ben: Api) -> None:
    ben.tab = ada.tab
    assert _note(ben, "bens", base=1)[0] == 200
    status, problem = _note(ada, "adas", base=1)
    assert (status, problem["overlaps"][0]["author"]) == (409, "ben")


def _forged(name: str) -> dict[str, Any]:
    data: dict[str, Any] = json.loads(export_text(demo_with_types(demo_files()), LIBRARY.find))
    key = next(key for key in data["readings"] if key.startswith(name))
    data["readings"][key]["name"] = "Forged"
    data["types"] = [row for row in data["types"] if row["key"] == key]
    data["readings"] = {key: data["readings"][key]}
    return {**data, **{name: [] for name in TABLES if name not in ("facts", "types")}}


def test_a_reading_that_came_with_a_plant_is_nobody_elses_and_gives_way_to_the_file(ada: Api, ben: Api) -> None:
    file = next(f for f in demo_files() if f.name == "cv7.eds")
    assert file.description
    data = _forged(file.description.devices[0].key)
    LIBRARY._loaded.clear()
    (key,) = data["readings"]
    told = ada.client.post("/api/plants/import", {"file": _file("x.json", json.dumps(data).encode())})
    plant = told.json()["key"]

    def name_seen(api: Api, where: str) -> str | None:
        found = open_plant(Project.objects.get(key=where)).analysis.catalogue.find(key)
        return found.name if found else None

    assert name_seen(ada, plant) == "Forged"
    assert name_seen(ben, "demo") is None
    copy = ada.call("post", "plants", {"name": "Copy", "copy_of": plant})[1]["key"]
    assert name_seen(ada, copy) == "Forged"
    # Ben reads the maker's file in another plant: it is true everywhere from now on, and after a restart.
    assert ben.call("post", "plants/demo/files", Upload("cv7.eds", file.octets))[0] == 200
    for where in (plant, copy, "demo"):
        assert name_seen(ada, where) == file.description.devices[0].name
    forget()
    LIBRARY._loaded.clear()
    assert name_seen(ada, plant) == file.description.devices[0].name
    assert list(StoredReading.objects.filter(type_key=key).values_list("project", flat=True)) == [None]


def _file(name: str, octets: bytes) -> Any:
    from django.core.files.uploadedfile import SimpleUploadedFile

    return SimpleUploadedFile(name, octets)


@pytest.mark.parametrize("name", ["n" * 4000 + ".json", "nul\x00.json", "a\nb.json"])
def test_file_names_of_any_kind(ada: Api, name: str) -> None:
    text = export_text(demo_plant()).encode()
    assert ada.client.post("/api/plants/import", {"file": _file(name, text)}).status_code == 200
    ada.client.raise_request_exception = False
    assert ada.client.post("/api/plants/demo/files", {"file": _file(name, b"[File]\n")}).status_code == 200


_TEXTS = ["\ud800", "a\x00b", "x" * 30_000, None, 5, [], {}]


@pytest.mark.parametrize("text", _TEXTS, ids=lambda t: str(type(t).__name__) + str(len(str(t))))
def test_texts_of_any_kind_are_refused_with_the_field_and_never_break(ada: Api, text: Any) -> None:
    ada.client.raise_request_exception = False
    before = _in_database()
    rows = ada.call("get", "plants/demo")[1]["rows"]
    first = {name: found[0]["id"] for name, found in rows.items() if found}
    made = [
        {"kind": "set", "ids": [first["facts"]], "values": {"name": text}},
        {"kind": "set", "ids": [first["signals"]], "values": {"name": text}},
        {"kind": "set", "ids": [first["stations"]], "values": {"name": text}},
        {"kind": "add-controller", "type": "tarnfell.tf-21", "name": text or "\ud801"},
        {"kind": "add-network", "fieldbus": "modbus-tcp", "name": text or "\ud801"},
        {"kind": "add-station", "network": first["networks"], "name": text or "\ud801"},
        {"kind": "add-signals", "controller": first["controllers"], "pattern": "A{n}", "unit": text, "note": text},
        {"kind": "set-spare", "type": text, "count": 1},
    ]
    for edit in made:
        status, problem = ada.edit("demo", edit)
        assert status == 422, (edit["kind"], status, problem)
        assert problem["detail"]
    assert _in_database() == before
    # A note that is not required may be cleared, but never hold what is no text.
    status, _ = ada.edit("demo", {"kind": "set", "ids": [first["signals"]], "values": {"note": text}})
    assert status == (200 if text is None else 422)
    for path, body in (
        ("plants", {"name": text}), ("templates", {"name": text, "clip": {}}),
        ("plants/demo/revisions/1/mark", {"mark": text}),
    ):  # fmt: skip
        assert ada.call("post", path, body)[0] == 422


@pytest.mark.parametrize("number", ["9" * 5000, str(2**63), "-1", "x"])
def test_revisions_of_any_size(ada: Api, number: str) -> None:
    ada.client.raise_request_exception = False
    for path in (f"plants/demo/revisions/{number}", f"plants/demo/history?before={number}"):
        assert ada.client.get(f"/api/{path}").status_code in (404, 422), path
    body = f'{{"base": {number}, "client": "t", "client_key": "k", "label": "", "edit": {{}}}}'
    answer = ada.client.post("/api/plants/demo/edits", data=body, content_type="application/json")
    assert answer.status_code in (400, 422)
    assert ada.client.get(f"/api/stream?plants=demo:{number}").status_code == 200


@pytest.mark.django_db(transaction=True)
def test_a_full_disk_is_said_and_costs_nothing(ada: Api) -> None:
    ada.client.raise_request_exception = False
    before = _in_database()
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA page_count")
        pages = cursor.fetchone()[0]
        cursor.execute(f"PRAGMA max_page_count = {pages}")
        try:
            statuses = {_note(ada, f"{n % 10}" * 3000)[0] for n in range(12)}
            # Signing in writes as well, outside the API.
            stranger = Api(None)
            stranger.client.raise_request_exception = False
            for _ in range(40):
                statuses.add(stranger.call("post", "session", {"name": "ada", "password": "only-for-tests"})[0])
                stranger = Api(None)
                stranger.client.raise_request_exception = False
            assert 507 in statuses
            assert statuses <= {200, 507}
        finally:
            cursor.execute("PRAGMA max_page_count = 1073741823")
    forget()
    assert _in_database().count("\n") == before.count("\n")
    assert _note(ada, "room again")[0] == 200


def test_the_secret_key_is_whole_or_not_there(tmp_path: Path) -> None:
    file = tmp_path / "new" / "secret-key"
    keys: set[str] = set()
    threads = [threading.Thread(target=lambda: keys.add(kept_key(file))) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert keys == {file.read_text()}
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    assert stat.S_IMODE(file.parent.stat().st_mode) == 0o700
    assert [p.name for p in file.parent.iterdir()] == ["secret-key"]


@pytest.mark.django_db(transaction=True)
def test_what_is_read_at_once_is_of_one_moment(ada: Api) -> None:
    """Another connection writes between two tables: the reader sees none of it."""
    project = Project.objects.get(key="demo")
    file = str(connection.settings_dict["NAME"])
    with store.snapshot():
        first = project.entries.count()
        with sqlite3.connect(file) as other:
            other.execute("UPDATE highmoor_signal SET note = 'torn'")
        assert not any(s.note == "torn" for s in store.load_plant(project).tables["signals"].values())
        assert project.entries.count() == first
    assert all(s.note == "torn" for s in store.load_plant(project).tables["signals"].values())


def test_more_plants_than_memory_holds_are_let_go_of_one_at_a_time(ada: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    keys = [ada.call("post", "plants", {"name": f"P{n}", "demo": True})[1]["key"] for n in range(6)]
    size = open_plant(Project.objects.get(key=keys[0])).size
    monkeypatch.setattr(plants, "_ROWS_AT_MOST", 2 * size)
    loads = 0
    loaded = plants._loaded

    def counted(project: Project) -> Any:
        nonlocal loads
        loads += 1
        return loaded(project)

    monkeypatch.setattr(plants, "_loaded", counted)
    # Who goes is drawn by lot: always the same lots here.
    monkeypatch.setattr(plants, "random", random.Random(1))
    for _ in range(8):
        for key in keys:
            with open_plant(Project.objects.get(key=key)).lock:
                pass
    # Whoever works in turn finds most of them still there: the oldest first would find none.
    assert sum(held.size for held in plants._open.values()) <= 4 * size
    assert loads < 42


def test_conflicting_imports_leave_nothing(ada: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    before = Project.objects.count(), Entry.objects.count()

    def breaks(*_: Any) -> Any:
        raise OperationalError("database or disk is full")

    monkeypatch.setattr("highmoor.server.api.plants.keep_readings", breaks)
    answer = ada.client.post("/api/plants/import", {"file": _file("x.json", export_text(demo_plant()).encode())})
    assert answer.status_code == 507
    assert (Project.objects.count(), Entry.objects.count()) == before
    assert parse_plant(export_text(demo_plant()).encode())
    assert os.environ["HIGHMOOR_SECRET_KEY"]
