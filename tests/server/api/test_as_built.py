"""The plant as built as a document: edited, undone and kept beside what is configured, and felt by a running bench."""

from __future__ import annotations

import time
import urllib.error
from collections.abc import Callable, Iterator
from typing import Any

import pytest

from tests.conftest import Api
from tests.server.running import RunningServer, Visitor


def rows(api: Api) -> dict[str, list[dict[str, Any]]]:
    found: dict[str, list[dict[str, Any]]] = api.call("get", "plants/demo")[1]["rows"]
    return found


def station(api: Api, name: str) -> dict[str, Any]:
    return next(s for s in rows(api)["stations"] if s["name"] == name)


def built(api: Api, of: str) -> dict[str, Any] | None:
    return next((d for d in rows(api)["built_devices"] if d["station"] == of), None)


def said(of: str, **values: Any) -> dict[str, Any]:
    return {"kind": "set-built", "ids": [of], "values": {key.replace("__", "."): v for key, v in values.items()}}


def test_each_document_is_undone_by_itself_and_restoring_leaves_what_is_built(ada: Api) -> None:
    skid = station(ada, "Humidifier")
    ada.edit("demo", {"kind": "set", "ids": [skid["id"]], "values": {"note": "first"}})
    status, answer = ada.edit("demo", said(skid["id"], cable=False))
    assert (status, answer["document"]) == (200, "built")
    assert answer["findings_added"] == answer["stale"] == []
    assert (answer["steps"]["plant"]["undo"]["label"], answer["steps"]["built"]["undo"]["label"]) == (
        "set",
        "set-built",
    )
    plant = ada.call("get", "plants/demo")[1]
    assert (plant["revision"], plant["configured"]) == (3, 2)
    assert ada.take_back("demo")[1]["document"] == "plant"
    now = station(ada, "Humidifier"), built(ada, skid["id"])
    assert (now[0]["note"], now[1] and now[1]["cable"]) == ("", False)
    assert ada.take_back("demo")[1]["title"] != ""
    assert ada.take_back("demo", document="built")[0] == 200
    device = built(ada, skid["id"])
    assert device is not None
    assert device["cable"] is True
    ada.edit("demo", said(skid["id"], powered=False))
    ada.call("post", "plants/demo/revisions/2/restore", {"client": "x", "client_key": "restore"})
    device = built(ada, skid["id"])
    assert (station(ada, "Humidifier")["note"], device and device["powered"]) == ("first", False)


def test_a_station_that_goes_leaves_its_device_behind_and_back_again_finds_it(ada: Api) -> None:
    skid = station(ada, "Humidifier")
    ada.edit("demo", said(skid["id"], address="10.20.9.99"))
    ada.edit("demo", {"kind": "remove", "ids": [skid["id"]]})
    assert built(ada, skid["id"]) is not None
    ada.take_back("demo")
    assert station(ada, "Humidifier")["id"] == skid["id"]


@pytest.mark.parametrize(
    ("values", "says"),
    [({"address": "x"}, "IPv4"), ({"facts.reply_ms": -1}, "below 0"), ({"facts.nonsense": 1}, "cannot be set"),
     ({"model": "x"}, "cannot be set"), ({"cable": "perhaps"}, "")],
)  # fmt: skip
def test_what_cannot_be_built(ada: Api, values: dict[str, Any], says: str) -> None:
    skid = station(ada, "Humidifier")["id"]
    status, problem = ada.edit("demo", {"kind": "set-built", "ids": [skid], "values": values})
    assert status == 422
    assert says in problem["detail"]
    nonsense = {"kind": "keep-in-device", "id": skid, "values": {"facts.port": "many"}}
    assert ada.edit("demo", nonsense)[0] == 422
    both = {
        "kind": "batch",
        "edits": [said(skid, cable=False), {"kind": "set", "ids": [skid], "values": {"note": "x"}}],
    }
    assert "one after the other" in ada.edit("demo", both)[1]["detail"]


def test_a_module_taken_out_stays_out_until_all_is_as_configured(ada: Api) -> None:
    coupler = station(ada, "Well house")
    rail = next(r for r in rows(ada)["rails"] if r["head"] == coupler["id"])
    first, second, _ = (m["id"] for m in rows(ada)["modules"] if m["rail"] == rail["id"])
    ada.edit("demo", said(first, there=False))
    swap = {"kind": "swap-built-modules", "first": first, "second": second}
    assert ada.edit("demo", swap)[0] == 200
    device = built(ada, coupler["id"])
    assert device is not None
    assert device["rail"] == "own"
    there = sorted((m for m in rows(ada)["built_modules"]), key=lambda m: m["rank"])
    assert [(m["module"], m["there"]) for m in there[:2]] == [(second, True), (first, False)]
    assert ada.edit("demo", {"kind": "as-configured", "ids": [coupler["id"]], "what": "modules"})[0] == 200
    device = built(ada, coupler["id"])
    assert (rows(ada)["built_modules"], device and device["rail"]) == ([], "configured")
    ada.edit("demo", {"kind": "as-configured"})
    # What has a model behind it keeps that, and nothing else.
    assert all(d["model"] and not d["facts"] and not d["address"] for d in rows(ada)["built_devices"])


# ── on a bench that runs


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[RunningServer]:
    running = RunningServer(tmp_path_factory.mktemp("built") / "data")
    yield running
    running.stop()


def until(look: Callable[[], Any], seconds: float = 15) -> Any:
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        if found := look():
            return found
        time.sleep(0.1)
    raise AssertionError("it did not come about")


def test_a_scan_finds_the_moved_drive_and_what_is_set_in_it_outlives_the_bench(server: RunningServer) -> None:
    visitor = Visitor(server.url)
    plant = visitor.call("GET", "plants/skelder")
    cell = next(n["id"] for n in plant["rows"]["networks"] if n["name"] == "Hall cell")
    fan = next(s["id"] for s in plant["rows"]["stations"] if s["name"] == "Gallery fan 2")
    path = f"plants/skelder/networks/{cell}/scan"
    assert visitor.call("POST", f"{path}/plan", {})["takes_s"] > 1
    with pytest.raises(urllib.error.HTTPError):
        visitor.call("POST", path, {})
    visitor.call("POST", "plants/skelder/bench")
    visitor.call("POST", path, {})

    def compared() -> Any:
        told = visitor.call("GET", path)
        return told if told["scan"] and told["scan"]["state"] == "done" else None

    kinds = {d["station"]: d for d in until(compared)["differences"]}
    assert kinds[fan]["kind"] == "elsewhere"
    assert [act["hand"] for act in kinds[fan]["acts"]] == ["in the plant", "over the network", "by hand"]
    wanted = {"at": "10.20.4.59", "act": "address", "value": "10.20.4.22"}
    visitor.call("POST", f"plants/skelder/networks/{cell}/act", wanted)

    def kept() -> bool:
        devices = visitor.call("GET", "plants/skelder")["rows"]["built_devices"]
        return any(d["station"] == fan and d["address"] == "10.20.4.22" for d in devices)

    def answers() -> bool:
        stations = visitor.call("GET", "plants/skelder/bench")["stations"]
        return any(s["id"] == fan and s["state"] == "good" for s in stations)

    assert until(kept)
    assert until(answers)
    steps = visitor.call("GET", "plants/skelder/steps")
    assert (steps["plant"]["undo"], steps["built"]["undo"]["label"]) == (None, "Set in the device over the network")
