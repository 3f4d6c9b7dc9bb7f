"""The catalogue through the API: reading files in, revisions, moving stations, deleting, demands, copies."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User

from highmoor.server.library import within_reach
from highmoor.server.models import Project
from tests.conftest import Api, Upload
from tests.paths import DEMO


def read(api: Api, name: str, octets: bytes | None = None, plant: str = "demo") -> dict[str, Any]:
    content = (DEMO / name).read_bytes() if octets is None else octets
    status, body = api.call("post", f"plants/{plant}/files", Upload(Path(name).name, content))
    assert status == 200, body
    (file,) = body
    return dict(file)


def taken_in(api: Api, file: dict[str, Any], plant: str = "demo") -> str:
    status, body = api.edit(plant, {"kind": "add-types", "types": [device["pin"] for device in file["devices"]]})
    assert status == 200, body
    return str(file["devices"][0]["key"])


def types(api: Api, plant: str = "demo") -> dict[str, Any]:
    return {line["key"]: line for line in api.call("get", f"plants/{plant}/catalogue")[1]["types"]}


def test_a_file_from_the_inbox_is_read_with_its_problems_and_joins_the_plant(ada: Api) -> None:
    file = read(ada, "inbox/em310.gsd")
    assert [problem["line"] for problem in file["problems"]] == [82, 90]
    assert file["devices"][0]["state"] == "new"
    key = taken_in(ada, file)
    line = types(ada)[key]
    assert (line["name"], line["in_octets"], line["family"], line["used"]) == (
        "EM-310 energy meter",
        96,
        "profibus-gsd",
        0,
    )
    # Its modules are types of the plant as well, each with its own octets.
    modules = {t["name"]: t for t in types(ada).values() if t["head"] == key}
    assert modules["Energy imported"]["in_octets"] == 8
    status, text = ada.call("get", f"plants/demo/files/{file['sha256']}?first=89&count=3")
    assert (status, text["text"][1], text["lines"]) == (200, 'Module = "Maximum demand" 0x40', 96)
    assert read(ada, "inbox/em310.gsd")["devices"][0]["state"] == "same"


def test_a_refused_file_says_why_and_leaves_nothing(ada: Api) -> None:
    before = len(types(ada))
    file = read(ada, "bad.eds", b"nothing of use")
    assert "not a kind of description file" in file["refused"]
    assert file["devices"] == []
    assert len(types(ada)) == before


def test_a_new_revision_names_what_differs_and_moves_stations(ada: Api) -> None:
    first = taken_in(ada, read(ada, "humidifier.csv"))
    rows = ada.call("get", "plants/demo")[1]["rows"]
    station = next(s for s in rows["stations"] if s["name"] == "Humidifier")
    assert ada.edit("demo", {"kind": "change-type", "ids": [station["id"]], "type": first})[0] == 200
    newer = (
        (DEMO / "humidifier.csv")
        .read_text()
        .replace("revision: 2.0", "revision: 2.1")
        .replace("INT,read,0.1,0,%,0,100", "UINT,read,0.1,0,%,0,100")
    )
    file = read(ada, "humidifier.csv", newer.encode())
    (device,) = file["devices"]
    assert device["state"] == "revision"
    (older,) = device["older"]
    assert [use["label"] for use in older["used_at"]] == ["Utilities, Humidifier"]
    assert {row["label"]: row["values"] for row in older["differences"]} == {
        "Revision": ["2.0", "2.1"],
        "30001 Relative humidity": ["INT %", "UINT %"],
    }
    batch = {"kind": "batch", "edits": [
        {"kind": "add-types", "types": [device["pin"]]},
        {"kind": "change-type", "ids": [station["id"]], "type": device["key"]},
    ]}  # fmt: skip
    assert ada.edit("demo", batch)[0] == 200
    assert types(ada)[device["key"]]["used"] == 1
    # The old reading is kept, may go while nobody uses it, and comes back by undo.
    pin = types(ada)[first]["pin"]
    assert ada.edit("demo", {"kind": "remove", "ids": [pin]})[0] == 200
    assert first not in types(ada)
    assert ada.take_back("demo")[0] == 200
    assert first in types(ada)


def test_a_type_in_use_is_not_deleted_and_says_where(ada: Api) -> None:
    key = taken_in(ada, read(ada, "humidifier.csv"))
    rows = ada.call("get", "plants/demo")[1]["rows"]
    station = next(s for s in rows["stations"] if s["name"] == "Humidifier")
    ada.edit("demo", {"kind": "change-type", "ids": [station["id"]], "type": key})
    status, body = ada.edit("demo", {"kind": "remove", "ids": [types(ada)[key]["pin"]]})
    assert status == 422
    assert "Humidifier" in body["detail"]


def test_types_travel_with_the_plant_and_are_nobody_elses(ada: Api, users: dict[str, Any]) -> None:
    key = taken_in(ada, read(ada, "cv7.eds"))
    exported = ada.client.get("/api/plants/demo/export").content
    assert key in json.loads(exported)["readings"]
    dan = Api(users["dan"])
    other = dan.call("post", "plants", {"name": "Other"})[1]["key"]
    assert key not in types(dan, other)
    assert dan.call("get", f"plants/{other}/type?name={key}")[0] in (404, 422)
    imported = dan.call("post", "plants/import", Upload("p.json", exported))[1]["key"]
    assert types(dan, imported)[key]["name"] == "CV-7 fan drive"
    # The file itself did not come along, and stays with those it was read by.
    assert dan.call("get", f"plants/{imported}/files/{types(dan, imported)[key]['sha256']}")[0] == 404


def test_types_of_ones_other_plants_are_within_reach_and_bring_their_file(ada: Api, users: dict[str, Any]) -> None:
    file = read(ada, "cv7.eds")
    key = taken_in(ada, file)

    def reached(plant: str, user: str) -> list[str]:
        there = within_reach(Project.objects.get(key=plant), User.objects.get(username=user))
        return [one.device.key for one in there]

    dan = Api(users["dan"])
    strange = dan.call("post", "plants", {"name": "Strange"})[1]["key"]
    other = ada.call("post", "plants", {"name": "Other"})[1]["key"]
    assert key in reached(other, "ada")
    assert key not in reached("demo", "ada")
    assert key not in reached(strange, "dan")
    text = f"files/{file['sha256']}"
    assert ada.call("get", f"plants/{other}/{text}")[0] == 404
    taken_in(ada, file, other)
    assert ada.call("get", f"plants/{other}/{text}")[0] == 200
    assert key not in reached(other, "ada")
    # Whoever knows the pin alone does not get the file by it.
    assert taken_in(dan, file, strange) == key
    assert dan.call("get", f"plants/{strange}/{text}")[0] == 404


def test_a_place_says_what_it_asks(ada: Api) -> None:
    rows = ada.call("get", "plants/demo")[1]["rows"]
    hall = next(c["id"] for c in rows["controllers"] if c["name"] == "HALL")
    rail = next(r["id"] for r in rows["rails"] if r["head"] == hall)
    told = ada.call("get", f"plants/demo/demand?place={rail}")[1]
    verdicts = {line["type"]: line for line in told["verdicts"]}
    assert [c["label"] for c in told["conditions"]][:3] == ["TF-42 rail", "4 places left", "≤ 20 mA"]
    assert (verdicts["tarnfell.ai-8"]["fails"], verdicts["tarnfell.ai-8"]["left"]) == (["power"], -290)
    assert (verdicts["tarnfell.fi-12"]["fails"], verdicts["tarnfell.fi-12"]["left"]) == ([], 20)
    assert verdicts["tarnfell.tf-21"]["fails"] == ["rail"]


def test_a_device_entered_by_hand_is_a_type_like_any_other(ada: Api) -> None:
    exchanges = [
        {"direction": "in", "size": 9, "unit": "words16"},
        {"direction": "out", "size": "20", "unit": "bits"},
    ]
    sheet = {"model": "Weigh head", "maker": "Ashgill Process", "fieldbus": "modbus-tcp", "exchanges": exchanges}
    status, (file,) = ada.call("post", "plants/demo/sheets", sheet)
    assert status == 200
    key = taken_in(ada, file)
    assert (types(ada)[key]["in_octets"], types(ada)[key]["out_octets"]) == (18, 3)
    sizes = ada.call("get", f"plants/demo/type?name={key}")[1]["sizes"]
    assert sizes["in"] == {"bits": 144, "octets": 18, "words16": 9, "words32": 4.5}
    status, body = ada.call("post", "plants/demo/sheets", {**sheet, "exchanges": [{"direction": "in", "size": "x"}]})
    assert status == 200
    assert body[0]["refused"]


def test_three_types_side_by_side(ada: Api) -> None:
    keys = ["tarnfell.di-16", "tarnfell.do-16", "tarnfell.ai-8"]
    lines = {row["label"]: row["values"] for row in ada.call("post", "plants/demo/compare", {"types": keys})[1]}
    assert lines["Internal supply drawn"] == ["90 mA", "140 mA", "310 mA"]
    assert "Maker" not in lines


@pytest.mark.parametrize("kind", ["modules", "rail"])
def test_a_clip_is_pasted_into_another_plant(ada: Api, kind: str) -> None:
    rows = ada.call("get", "plants/demo")[1]["rows"]
    module = next(m for m in rows["modules"] if m["designation"] == "-K4")
    ids = [module["id"]] if kind == "modules" else [module["rail"]]
    clip = ada.call("post", "plants/demo/clip", {"ids": ids})[1]
    other = ada.call("post", "plants", {"name": "Other"})[1]["key"]
    ada.edit(other, {"kind": "add-controller", "type": "tarnfell.tf-42", "places": 12})
    rail = ada.call("get", f"plants/{other}")[1]["rows"]["rails"][0]["id"]
    status, body = ada.edit(other, {"kind": "paste", "clip": clip, "into": rail})
    assert status == 200, body
    pasted = ada.call("get", f"plants/{other}")[1]["rows"]["modules"]
    assert len(pasted) == (1 if kind == "modules" else 12)
    clip["rows"][0]["values"]["places" if kind == "rail" else "slot"] = "many"
    assert ada.edit(other, {"kind": "paste", "clip": clip, "into": rail})[0] == 422


def test_a_template_is_kept_placed_and_forgotten(ada: Api, ben: Api) -> None:
    rows = ada.call("get", "plants/demo")[1]["rows"]
    clip = ada.call("post", "plants/demo/clip", {"ids": [rows["stations"][0]["id"]]})[1]
    status, made = ada.call("post", "templates", {"name": "Skid", "clip": clip})
    assert status == 200
    assert ada.call("post", "templates", {"name": "Skid", "clip": clip})[0] == 422
    network = rows["networks"][0]["id"]
    kept = ada.call("get", "templates")[1][0]
    assert ada.edit("demo", {"kind": "paste", "clip": kept["clip"], "into": network})[0] == 200
    stations = ada.call("get", "plants/demo")[1]["rows"]["stations"]
    made_now = {s["name"] for s in stations} - {s["name"] for s in rows["stations"]}
    assert made_now == {"Humidifier2"}
    # A controller that two networks reach has one address on both.
    assert len({(s["network"], s["address"]) for s in stations}) == len(stations)
    assert ben.call("get", "templates")[1] == []
    assert ben.call("delete", f"templates/{made['id']}")[0] == 404
    assert ada.call("delete", f"templates/{made['id']}")[0] == 204


def test_replicas_are_planned_with_names_limits_and_collisions(ada: Api) -> None:
    rows = ada.call("get", "plants/demo")[1]["rows"]
    station = next(s["id"] for s in rows["stations"] if s["name"] == "Humidifier")
    plan = ada.call("post", "plants/demo/replicas", {"id": station, "count": 3})[1]
    named = {row["original"]: [cell["text"] for cell in row["cells"]] for row in plan["rows"]}
    assert named["Humidifier"] == ["Humidifier2", "Humidifier3", "Humidifier4"]
    assert named["HumidifierRunning"] == ["Humidifier2Running", "Humidifier3Running", "Humidifier4Running"]
    assert named["10.20.9.20"] == ["10.20.9.23", "10.20.9.24", "10.20.9.25"]
    assert any(course["label"].startswith("Image") or course["limit"] for course in plan["courses"])
    taken = {"kind": "replicate", "id": station, "count": 1, "names": {f"{station}.1": "Compressor"}}
    assert ada.edit("demo", taken)[0] == 422
    assert ada.edit("demo", {"kind": "replicate", "id": station, "count": 3})[0] == 200
    after = ada.call("get", "plants/demo")[1]
    assert len(after["rows"]["stations"]) == len(rows["stations"]) + 3
    assert {s["name"] for s in after["rows"]["signals"]} >= {"Humidifier4Start", "Humidifier3Pulse"}
    assert ada.take_back("demo")[0] == 200
    assert len(ada.call("get", "plants/demo")[1]["rows"]["stations"]) == len(rows["stations"])


def test_room_for_more_and_what_stops_it(ada: Api) -> None:
    rows = ada.call("get", "plants/demo")[1]["rows"]
    module = next(m["id"] for m in rows["modules"] if m["designation"] == "-K6")
    told = ada.call("get", f"plants/demo/room/{module}")[1]
    assert told["more"] == 0
    assert told["limits"][0]["label"].startswith("Internal supply")
    quantity = {q["name"]: q for q in ada.call("get", "plants/demo/quantities")[1]}
    assert quantity["AI-8"]["fitted"] == 4
    ada.edit("demo", {"kind": "set-spare", "type": "tarnfell.ai-8", "count": 2})
    assert {q["name"]: q["total"] for q in ada.call("get", "plants/demo/quantities")[1]}["AI-8"] == 6


def test_the_catalogue_says_what_its_schema_says(ada: Api) -> None:
    from highmoor.server.api.catalogue import CatalogueOut

    taken_in(ada, read(ada, "tr16.gsd"))
    told = ada.call("get", "plants/demo/catalogue")[1]
    assert CatalogueOut.model_validate(told).model_dump(mode="json") == told


def test_a_mended_reader_offers_to_read_anew(ada: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    from highmoor.server import library
    from highmoor.server.api import catalogue

    old = taken_in(ada, read(ada, "cv3.gsd"))
    assert not types(ada)[old]["outdated"]
    monkeypatch.setattr(catalogue, "reader_version", lambda family: 99)
    monkeypatch.setattr(library, "reader_version", lambda family: 99)
    line = types(ada)[old]
    assert line["outdated"]
    status, (file,) = ada.call("post", f"plants/demo/files/{line['sha256']}/anew", {})
    assert (status, file["devices"][0]["state"]) == (200, "revision")
    new = taken_in(ada, file)
    assert new != old
    assert not types(ada)[new]["outdated"]
    assert ada.call("post", f"plants/demo/files/{'0' * 64}/anew", {})[0] == 404


def test_an_archive_brings_several_types(ada: Api) -> None:
    import io
    import zipfile

    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w") as made:
        for name in ("ws3.eds", "da20.gse"):
            made.writestr(f"folder/{name}", (DEMO / name).read_bytes())
    files = ada.call("post", "plants/demo/files", Upload("both.zip", stream.getvalue()))[1]
    assert [(f["name"], f["family"]) for f in files] == [("ws3.eds", "EtherNet/IP EDS"), ("da20.gse", "PROFIBUS GSD")]
    # Each is kept by itself, so that its lines can be looked at.
    assert ada.call("get", f"plants/demo/files/{files[1]['sha256']}?count=1")[1]["text"][0].startswith("; Ashgill")


def test_a_plant_without_its_readings_says_so_until_the_file_is_read(ada: Api) -> None:
    from highmoor.server.library import LIBRARY
    from highmoor.server.models import DescriptionFile, StoredReading

    text = (DEMO / "humidifier.csv").read_text().replace("HU-6 humidifier skid", "HU-7 humidifier skid")
    key = taken_in(ada, read(ada, "hu7.csv", text.encode()))
    rows = ada.call("get", "plants/demo")[1]["rows"]
    station = next(s["id"] for s in rows["stations"] if s["name"] == "Humidifier")
    ada.edit("demo", {"kind": "change-type", "ids": [station], "type": key})
    exported = json.loads(ada.client.get("/api/plants/demo/export").content)
    del exported["readings"]
    # As if it came from another installation, where nobody here has read the file.
    StoredReading.objects.all().delete()
    DescriptionFile.objects.all().delete()
    LIBRARY._loaded.clear()
    other = ada.call("post", "plants/import", Upload("p.json", json.dumps(exported).encode()))[1]["key"]
    missing = {f["code"] for f in ada.call("get", f"plants/{other}/findings")[1]["findings"]}
    assert "NET-106" in missing
    assert key not in types(ada, other)
    read(ada, "hu7.csv", text.encode(), plant=other)
    assert key in types(ada, other)
    assert "NET-106" not in {f["code"] for f in ada.call("get", f"plants/{other}/findings")[1]["findings"]}
