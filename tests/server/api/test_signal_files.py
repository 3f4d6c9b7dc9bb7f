"""Files of signals read in through the API: laid beside the plant, taken by an edit, nothing kept of the rest."""

from __future__ import annotations

from typing import Any

from tests.conftest import Api, Upload


def read(api: Api, text: str | bytes, name: str = "signals.csv") -> tuple[int, dict[str, Any]]:
    content = text if isinstance(text, bytes) else text.encode()
    return api.call("post", "plants/demo/signals/files", Upload(name, content))


def names(api: Api) -> set[str]:
    return {row["name"] for row in api.call("get", "plants/demo")[1]["rows"]["signals"]}


def test_each_file_that_goes_out_comes_in_without_a_difference(ada: Api, plant: str) -> None:
    for form in ("csv", "xlsx", "st"):
        status, told = read(ada, ada.client.get(f"/api/plants/demo/signals.{form}").content, f"signals.{form}")
        assert status == 200, told
        assert (told["signals"], told["refused"], told["absent"], told["unknown"]) == ([], [], 0, [])
        assert told["same"] == len(ada.call("get", "plants/demo")[1]["rows"]["signals"])


def test_what_differs_is_taken_by_an_edit_and_taken_back_by_undo(ada: Api, plant: str) -> None:
    before = names(ada)
    text = "TYPE PumpData : STRUCT Run : BOOL; END_STRUCT; END_TYPE\nVAR_GLOBAL Pump9 : PumpData; Odd : NOPE; END_VAR"
    status, told = read(ada, text, "pumps.st")
    assert status == 200
    assert [(one["key"].rpartition(".")[2], one["kind"]) for one in told["signals"]] == [("Run", "new")]
    assert [one["rows"] for one in told["refused"]] == [[2]]
    made = [{"kind": "set-structure", "of": None, **one} for one in told["structures"]]
    for one in made:
        del one["row"]
    wanted = [one["wanted"] for one in told["signals"]]
    edit = {"kind": "batch", "edits": [*made, {"kind": "take-signals", "signals": wanted}]}
    assert ada.edit("demo", edit)[0] == 200
    assert names(ada) - before == {"Pump9.Run"}


def test_what_is_no_file_of_signals_is_refused_with_its_row_or_line(ada: Api, plant: str) -> None:
    before = names(ada)
    for content, why in (
        (b"PK\x03\x04", "The workbook is damaged"),
        ("VAR_GLOBAL\n A : ;\nEND_VAR", "Line 2: “;” is not understood"),
        ("Name;Kind\nA;B\n", "No row has the heading Signal"),
        (b"Signal;Type\n" + b"A;INT\n" * 20_001, "Row 20001: It has more than 20000 lines"),
        ("TYPE " * 200_000 + "END_TYPE", "Line 1"),
    ):
        status, told = read(ada, content)
        assert (status, why in told["detail"]) == (422, True), told["detail"]
    assert names(ada) == before
