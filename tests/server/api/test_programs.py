"""A program's text over HTTP: checked while it is written, kept, too long, hostile; never a 500, nothing lost."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import Api


def service(ada: Api) -> dict[str, Any]:
    rows = ada.call("get", "plants/demo")[1]["rows"]["programs"]
    found: dict[str, Any] = next(row for row in rows if row["name"] == "Service")
    return found


def checked(ada: Api, text: str) -> Any:
    program = service(ada)["id"]
    status, body = ada.call("post", f"plants/demo/programs/{program}/check", {"text": text})
    assert status == 200, body
    return body


def test_a_text_is_checked_in_the_place_of_the_program_s_own_and_nothing_is_kept(ada: Api) -> None:
    before = service(ada)
    told = checked(ada, "WellLamp1 := WaterTankFul;\nWellLamp2 := TRUE;")
    assert [(one["line"], one["column"], one["text"]) for one in told["faults"]] == [
        (1, 14, "WaterTankFul is not known here.")
    ]
    # The line that means something is told all the same.
    assert [(use["line"], use["name"]) for use in told["uses"]] == [(1, "WellLamp1"), (2, "WellLamp2")]
    assert told["faults"][0]["mend"] == {
        "label": "Write “WaterTankFull” for “WaterTankFul”",
        "fix": {"line": 1, "column": 14, "letters": 12, "by": "WaterTankFull"},
    }
    sound = checked(ada, "WellLamp1 := WaterTankFull;")
    assert (sound["faults"], [use["name"] for use in sound["uses"]]) == ([], ["WellLamp1", "WaterTankFull"])
    assert service(ada) == before


def test_what_can_be_written_is_told_with_the_words_of_the_language(ada: Api) -> None:
    status, told = ada.call("get", f"plants/demo/programs/{service(ada)['id']}/names")
    assert status == 200
    names = {one["name"]: one for one in told["names"]}
    assert (names["WaterTankFull"]["writable"], names["WellLamp1"]["writable"]) == (False, True)
    words = {one["word"]: one for one in told["words"]}
    assert words["TON"] == {"word": "TON", "kind": "block", "told": "IN, PT → Q, ET"}
    assert {words[word]["kind"] for word in ("IF", "INT", "LIMIT")} == {"keyword", "type", "function"}


def test_a_text_that_is_too_long_is_refused_and_the_old_one_stays(ada: Api) -> None:
    before = service(ada)
    told = checked(ada, "x := 1;\n" * 125_000)
    assert "at most 400000 are read" in told["faults"][0]["text"]
    edit = {"kind": "set", "ids": [before["id"]], "values": {"text": "x := 1;\n" * 125_000}}
    body = {"base": 1, "client": "x", "client_key": "x", "label": "x", "edit": edit}
    status, answer = ada.call("post", "plants/demo/edits", body)
    assert (status, "at most 400000 is kept" in answer["detail"]) == (422, True)
    assert service(ada) == before


@pytest.mark.parametrize(
    "text",
    [
        "(" * 50_000, "x := " + "(" * 3000 + "1" + ")" * 3000 + ";", "x := " + "NOT " * 5000 + "y;",
        "IF a THEN " * 3000, "x" + "[1" * 3000, "VAR x : " + "ARRAY[1..2] OF " * 200 + "INT; END_VAR",
        "VAR " + "".join(f"x{n} : ARRAY[1..9999] OF INT; " for n in range(9000)) + "END_VAR",
        "VAR x : ARRAY[0..999999999] OF INT; END_VAR", "x := 1" + "0" * 10_000 + ";", "x := 2 ** 2 ** 2;",
        "CASE 1 OF " + "1..5, " * 5000 + "7: ; END_CASE;", "\x00", "x := T#" + "9" * 400 + "d;", "“”ß漢字 := 1;",
        "x := 16#" + "F" * 5000 + ";", "x := 1.0" + "0" * 5000 + ";",
    ],
)  # fmt: skip
def test_no_text_is_too_much_for_it(ada: Api, text: str) -> None:
    assert checked(ada, text)["faults"]


def test_an_array_that_is_used_ten_thousand_times_is_one(ada: Api) -> None:
    told = checked(ada, "VAR i : INT; x : ARRAY[1..9999] OF INT; END_VAR\n" + "x[i] := x[i] + 1;\n" * 10_000)
    assert told["faults"] == []


@settings(max_examples=60, suppress_health_check=list(HealthCheck), deadline=None)
@given(text=st.text("abWel1x :=;()[]IFTHENORDV.,*+-/#\n", max_size=80))
def test_whatever_is_typed_there_is_an_answer(ada: Api, text: str) -> None:
    checked(ada, text)


def test_one_that_is_gone_says_so(ada: Api) -> None:
    status, answer = ada.call("post", "plants/demo/programs/y9zzz/check", {"text": ""})
    assert (status, answer["place"]) == (422, "y9zzz")
