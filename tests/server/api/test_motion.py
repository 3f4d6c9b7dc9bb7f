"""Trial moves and the tape through the API: as typed, drawn, refused in words."""

from __future__ import annotations

from typing import Any

import pytest

from tests.conftest import Api


def _rows(api: Api, table: str) -> Any:
    return api.call("get", "plants/demo")[1]["rows"][table]


def _axis(api: Api, name: str) -> str:
    return str(next(row["id"] for row in _rows(api, "axes") if row["name"] == name))


def _lift(api: Api) -> str:
    """A lift of 4 : 1 and 10 mm."""
    hall = next(row["id"] for row in _rows(api, "controllers") if row["name"] == "HALL")
    assert api.edit("demo", {"kind": "add-axis", "controller": hall, "name": "HOIST"})[0] == 200
    axis = _axis(api, "HOIST")
    links = {row["kind"]: row["id"] for row in _rows(api, "chain_links") if row["axis"] == axis}
    for row_id, values in (
        (links["motor"], {"settings.counts": 4096}), (links["gear"], {"settings.motor_turns": 4}),
        (links["screw"], {"settings.lead_mm": 10}), (axis, {"settings.speed": 200, "settings.acceleration": 500}),
    ):  # fmt: skip
        assert api.edit("demo", {"kind": "set", "ids": [row_id], "values": values})[0] == 200
    return axis


def test_a_move_is_drawn_as_it_is_typed(ada: Api) -> None:
    lift = _lift(ada)
    status, proposed = ada.call("post", f"plants/demo/axes/{lift}/trial", {})
    assert (status, proposed["curve"]["distance"]) == (200, proposed["proposal"]["distance"])
    status, told = ada.call(
        "post", f"plants/demo/axes/{lift}/trial", {"distance": "20 cm", "speed": "0.1 m/s", "acceleration": "500"}
    )
    assert status == 200
    assert (told["curve"]["distance"], told["curve"]["time"], told["curve"]["says"]) == (200, 2.2, "")
    assert sum(piece["lasts"] for piece in told["curve"]["pieces"]) == pytest.approx(2.2)
    assert told["lead"] == 0
    screw = next(row["id"] for row in _rows(ada, "chain_links") if row["axis"] == lift and row["kind"] == "screw")
    assert ada.edit("demo", {"kind": "set", "ids": [screw], "values": {"settings.play_mm": 0.3}})[0] == 200
    # Twice the play, as somebody would type it.
    assert ada.call("post", f"plants/demo/axes/{lift}/trial", {})[1]["lead"] == 1


def test_what_is_no_move_is_refused(ada: Api) -> None:
    lift, fan = _lift(ada), _axis(ada, "FAN1")
    for typed, why in (({"speed": "0"}, "speed"), ({"distance": "3 s"}, "mm"), ({"distance": "x"}, "number")):
        status, told = ada.call("post", f"plants/demo/axes/{lift}/trial", typed)
        assert (status, why in told["detail"]) == (422, True), told
    assert ada.call("post", f"plants/demo/axes/{fan}/trial", {})[1] == {"proposal": None, "lead": 0, "curve": None}
    assert ada.call("post", "plants/demo/axes/a9zzz/trial", {})[0] == 422


def test_the_tape_offers_edits_that_can_be_made(ada: Api) -> None:
    lift = _lift(ada)
    body: dict[str, Any] = {"moves": [{"asked": "100", "measured": "8 cm"}]}
    status, told = ada.call("post", f"plants/demo/axes/{lift}/tape", body)
    assert (status, told["right"]) == (200, False)
    suspect = told["classes"][0]["suspects"][0]
    assert suspect["label"] == "Set gear 5 : 1"
    status, answer = ada.edit("demo", suspect["edit"])
    assert status == 200, answer
    # By the mended chain the same 80 mm would have been asked for as 80.
    assert ada.call("post", f"plants/demo/axes/{lift}/tape", {"moves": [{"asked": "80", "measured": "80"}]})[1]["right"]
    for moves, why in (([{"asked": "0", "measured": "1"}], "0"), ([{"asked": "1", "measured": ""}], "number")):
        status, told = ada.call("post", f"plants/demo/axes/{lift}/tape", {"moves": moves})
        assert (status, why in told["detail"]) == (422, True)


def test_four_wires_are_paired_and_words_taken_apart(ada: Api) -> None:
    status, told = ada.call("post", "coils", {"ohms": ["", "4,1", "open", "", "4.0 ohm", ""]})
    assert (status, told) == (200, {"pairs": [[1, 3], [2, 4]]})
    assert ada.call("post", "coils", {"ohms": ["4"] * 6})[1] == {"pairs": []}
    assert ada.call("post", "coils", {"ohms": ["x"] * 6})[0] == 422
    status, told = ada.call("get", "decode?kind=cia402-status&word=0x0637")
    assert (status, told["state"], told["word"]) == (200, "operation enabled", 0x637)
    for word in ("65536", "1.5", "x"):
        assert ada.call("get", f"decode?kind=zsw1&word={word}")[0] == 422


def test_an_axis_on_the_bench_is_refused_without_one(ada: Api, users: dict[str, Any]) -> None:
    fan = _axis(ada, "FAN1")
    for who in (ada, Api(users["cleo"])):
        status, told = who.call("get", f"plants/demo/bench/axes/{fan}")
        assert (status >= 400, "download" in told["detail"]) == (True, True)


def test_nothing_is_enabled_under_an_error(ada: Api) -> None:
    lift = _lift(ada)
    motor = next(row["id"] for row in _rows(ada, "chain_links") if row["axis"] == lift and row["kind"] == "motor")
    status, told = ada.call("post", f"plants/demo/bench/axes/{lift}", {"do": "enable"})
    assert "download" in told["detail"]
    # 200 mm/s are 4800 1/min behind 4 : 1 on 10 mm.
    assert ada.edit("demo", {"kind": "set", "ids": [motor], "values": {"settings.rated_rpm": 3000}})[0] == 200
    status, told = ada.call("post", f"plants/demo/bench/axes/{lift}", {"do": "enable"})
    assert (status, "Not before this is mended" in told["detail"]) == (422, True)


def test_copies_are_told_and_made_alike(ada: Api) -> None:
    fan = _axis(ada, "FAN1")
    copies = f"plants/demo/axes/{fan}/copies"
    assert ada.call("get", copies)[1] == {"differing": [], "alike": 18, "downloaded": False}
    assert ada.edit("demo", {"kind": "drive-copies", "axis": fan, "do": "save"})[0] == 200
    assert ada.edit("demo", {"kind": "set", "ids": [fan], "values": {"settings.speed": 1200}})[0] == 200
    told = ada.call("get", copies)[1]["differing"]
    assert [(one["key"], one["project"], one["controller"], one["drive"]) for one in told] == [
        ("speed", 20, None, pytest.approx(1460 / 60))
    ]
    assert ada.call("get", "plants/demo/copies")[1] == {fan: 1}
    assert ada.edit("demo", {"kind": "drive-copies", "axis": fan, "do": "take", "keys": ["speed"]})[0] == 200
    assert ada.call("get", copies)[1]["differing"] == []
    status, said = ada.edit("demo", {"kind": "drive-copies", "axis": fan, "do": "write", "keys": ["no"]})
    assert (status, "no parameter" in said["detail"]) == (422, True)
    # Of an axis without a drive nothing can stand in one.
    assert ada.edit("demo", {"kind": "drive-copies", "axis": _lift(ada), "do": "save"})[0] == 422


def test_a_robot_on_the_bench_says_what_it_lacks_and_nothing_has_power_under_an_error(ada: Api) -> None:
    hall = next(row["id"] for row in _rows(ada, "controllers") if row["name"] == "HALL")
    assert ada.edit("demo", {"kind": "add-robot", "controller": hall, "robot": "arms-200-460", "name": "P"})[0] == 200
    (robot,) = (row["id"] for row in _rows(ada, "robots"))
    at = f"plants/demo/bench/robots/{robot}"
    assert "download first" in ada.call("get", at)[1]["detail"]
    assert ada.call("post", "plants/demo/bench", {})[0] == 200
    try:
        status, told = ada.call("get", at)
        assert (status, told["state"], told["place"], told["trace"]) == (200, "off", None, [])
        assert [step["state"] for step in told["steps"]] == ["open"] * 8
        status, told = ada.call("post", at, {"do": "go"})
        assert (status, told["detail"]) == (422, "Not now: initialise it first.")
        assert ada.call("post", at, {"do": "initialise"})[0] == 200
        assert ada.call("post", "plants/demo/bench/robots/z9zzz", {"do": "stop"})[0] == 422
        # A motor that lacks its counts is an error of the axis: the robot is not even tried.
        add = {"kind": "add-axis", "controller": hall, "axis": "rotary", "name": "A1", "tag": "$a"}
        named = {"kind": "set", "ids": ["$a"], "values": {"robot": robot, "arm": "arm1"}}
        assert ada.edit("demo", {"kind": "batch", "edits": [add, named]})[0] == 200
        status, told = ada.call("post", at, {"do": "initialise"})
        assert (status, "before this is mended" in told["detail"]) == (422, True)
    finally:
        ada.call("delete", "plants/demo/bench")
