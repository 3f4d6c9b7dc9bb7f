"""Sealing over HTTP: who may, by which password, what is told when it is broken, and that it stays."""

from __future__ import annotations

import itertools
import logging
import re
from typing import Any

import pytest
from django.db import connection
from lxml import html

from highmoor.server.models import Entry, Membership, Project
from tests.conftest import Api
from tests.server.api.test_editing import named, set_

_PASSWORD = "only-for-tests"


@pytest.fixture
def eve(users: dict[str, Any], plant: str) -> Api:
    """dan's place is taken by an assessor."""
    Membership.objects.create(project=Project.objects.get(key="demo"), user=users["dan"], role="assessor")
    return Api(users["dan"])


def _hall(api: Api) -> str:
    return str(named(api, "controllers", name="HALL")["id"])


def _seal(api: Api, password: str = _PASSWORD, key: str = "s1") -> tuple[int, Any]:
    body = {"controller": _hall(api), "password": password, "client": api.tab, "client_key": key}
    return api.call("post", "plants/demo/seals", body)


def _told(api: Api) -> Any:
    return api.call("get", f"plants/demo/seals/{_hall(api)}")[1]


def test_an_assessor_seals_and_nobody_else_but_the_owner(eve: Api, ada: Api, ben: Api) -> None:
    status, refused = _seal(ben)
    assert (status, refused["detail"]) == (403, "As engineer you cannot seal: that is for an assessor, or the owner.")
    status, refused = _seal(eve, "guessed")
    assert (status, refused["detail"], refused["field"]) == (422, "The password is not right.", "password")
    assert (_told(eve)["told"]["state"], _told(ben)["may"], _told(eve)["may"]) == ("open", False, True)
    status, made = _seal(eve, key="s2")
    assert status == 200, made
    told = _told(ben)["told"]
    assert (told["state"], told["kept"]["by"], told["kept"]["edited_last"]) == ("whole", "dan", False)
    assert "Aisle field: tested with its test piece, not yet on site" in told["kept"]["open"]
    # Asked again under the same key it is the same seal.
    assert _seal(eve, key="s2")[1]["revision"] == made["revision"]
    assert _seal(ada, key="s3")[1]["detail"] == "It is sealed as it is."


def test_a_broken_seal_names_the_edit_and_what_it_changed(eve: Api, ben: Api) -> None:
    assert _seal(eve)[0] == 200
    scanner = named(ben, "scanners", name="Aisle eye")["id"]
    assert ben.edit("demo", set_(named(ben, "signals", name="Tank1Level"), note="seen"))[0] == 200
    assert _told(ben)["told"]["state"] == "whole"
    _, made = ben.edit("demo", {"kind": "set", "ids": [scanner], "values": {"settings.scans": 3}})
    assert "SAF-401" in {found["code"] for found in made["findings_added"]}
    told = _told(ben)
    lines = {(line["at"], line["label"]): (line["before"], line["now"]) for line in told["differences"]}
    assert lines["", "Scans that confirm"] == ("2", "3")
    assert lines["function Turner aisle", "Response"] == ("199 ms", "239 ms")
    # The note is none of them.
    assert [(one["author"], one["label"], one["rows"]) for one in told["since"]] == [("ben", "set", [scanner])]
    ben.take_back("demo")
    assert _told(ben)["told"]["state"] == "whole"


def test_who_edited_last_and_seals_is_marked(ada: Api, ben: Api) -> None:
    door = named(ada, "safety_parts", name="Hall door 1")["id"]
    assert ada.edit("demo", {"kind": "set", "ids": [door], "values": {"settings.distance_mm": 1600}})[0] == 200
    # What has nothing to do with it does not count.
    assert ben.edit("demo", set_(named(ben, "signals", name="Tank1Level"), note="seen"))[0] == 200
    assert _seal(ada)[0] == 200
    assert _told(ada)["told"]["kept"]["edited_last"] is True


def test_records_stay_whatever_is_taken_back_or_restored(ada: Api) -> None:
    door = named(ada, "safety_parts", name="Hall door 1")["id"]
    before = ada.call("get", "plants/demo")[1]["revision"]
    assert ada.edit("demo", {"kind": "set", "ids": [door], "values": {"settings.distance_mm": 1600}})[0] == 200
    record = {"kind": "add-proof", "of": door, "what": "test", "at": "2026-06-01", "by": "Ada", "result": "passed"}
    assert ada.edit("demo", record)[0] == 200
    assert _seal(ada)[0] == 200
    _, undone = ada.take_back("demo")
    assert [entry["id"] for entry in undone["change"]] == [door]
    assert _told(ada)["told"]["state"] == "broken"
    body = {"client": ada.tab, "client_key": "r1"}
    assert ada.call("post", f"plants/demo/revisions/{before}/restore", body)[0] == 200
    rows = ada.call("get", "plants/demo")[1]["rows"]
    assert len(rows["seals"]) == len([row for row in rows["proofs"] if row["of"] == door]) == 1


def test_a_record_made_together_with_an_edit_outlives_it(ada: Api) -> None:
    door = named(ada, "safety_parts", name="Hall door 1")["id"]
    record = {"kind": "add-proof", "of": door, "what": "test", "at": "2026-06-01", "by": "Ada", "result": "passed"}
    set_it = {"kind": "set", "ids": [door], "values": {"settings.distance_mm": 1600}}
    assert ada.edit("demo", {"kind": "batch", "edits": [set_it, record]})[0] == 200
    _, undone = ada.take_back("demo")
    assert [entry["id"] for entry in undone["change"]] == [door]
    assert [row["of"] for row in ada.call("get", "plants/demo")[1]["rows"]["proofs"]] == [door]
    # With the door it goes, and comes back.
    assert ada.edit("demo", {"kind": "remove", "ids": [door]})[0] == 200
    assert ada.call("get", "plants/demo")[1]["rows"]["proofs"] == []
    assert ada.take_back("demo")[0] == 200
    assert [row["of"] for row in ada.call("get", "plants/demo")[1]["rows"]["proofs"]] == [door]


def test_a_password_is_found_nowhere(eve: Api, caplog: pytest.LogCaptureFixture) -> None:
    caplog.set_level(logging.DEBUG)
    assert _seal(eve, "wrong-pAssw0rd-1")[0] == 422
    assert _seal(eve, key="s2")[0] == 200
    exported = eve.client.get("/api/plants/demo/export").content.decode()
    journal = "".join(str((e.change, e.label, e.asked, e.tags)) for e in Entry.objects.all())
    with connection.cursor() as cursor:
        cursor.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
        tables = [row[0] for row in cursor.fetchall()]
        kept = "".join(str(cursor.execute(f'SELECT * FROM "{name}"').fetchall()) for name in tables)
    for password in ("wrong-pAssw0rd-1", _PASSWORD):
        assert not any(password in text for text in (exported, journal, kept, caplog.text))


def test_too_many_wrong_passwords_and_nothing_is_looked_at(eve: Api) -> None:
    said = [_seal(eve, f"guess {n}", key=f"s{n}") for n in range(11)]
    assert said[0][0] == 422 and said[-1][0] == 403
    assert said[-1][1]["detail"] == "Too many wrong passwords; try again in five minutes."
    assert _seal(eve, key="right")[0] == 403 and _told(eve)["told"]["state"] == "open"


def _report(api: Api) -> Any:
    answer = api.client.get(f"/api/plants/demo/seals/{_hall(api)}/report")
    assert answer.status_code == 200, answer.content
    assert "default-src 'none'" in answer["Content-Security-Policy"]
    return html.document_fromstring(answer.content.decode())


def test_the_report_says_what_was_computed_and_takes_no_name_for_markup(eve: Api, ada: Api) -> None:
    door = named(ada, "safety_parts", name="Hall door 1")["id"]
    name = "Hall <script>alert(1)</script> & door"
    assert ada.edit("demo", {"kind": "set", "ids": [door], "values": {"name": name}})[0] == 200
    assert _seal(eve)[0] == 200
    page = _report(ada)
    text = " ".join(page.text_content().split())
    fingerprint = _told(ada)["told"]["fingerprint"].upper()
    assert "-".join(fingerprint[n : n + 4] for n in range(0, 64, 4)) in text
    assert re.search(r"whole: sealed by dan on \d{4}-\d\d-\d\d \d\d:\d\d UTC, revision", text) and name in text
    assert not page.xpath("//script") and not page.xpath("//*[@src or starts-with(@href, 'http')]")
    wanted = [[part, function["id"]] for function in ada.call("get", "plants/demo")[1]["rows"]["functions"]
              for part in ("function.told",)]  # fmt: skip
    for told in ada.call("post", "plants/demo/parts", {"want": wanted})[1]["parts"]:
        time = told["result"]["time"]
        assert f"Response at worst{time['response_ms']:g} ms" in text.replace("worst ", "worst")
        # The bar is as long as its pieces: to the tenth of a unit each.
        assert time["total_ms"] == pytest.approx(
            sum(one["worst_ms"] for one in time["segments"]) + time["fault_ms"] + time["delay_ms"] + time["stop_ms"]
        )
    bars = page.xpath("//*[@class='bar']")
    assert len(bars) == len(wanted)
    for bar in bars:
        pieces = [(float(r.get("x")), float(r.get("width"))) for r in bar.xpath("./rect")]
        assert all(b[0] == pytest.approx(a[0] + a[1], abs=0.11) for a, b in itertools.pairwise(pieces))
    assert len(page.xpath("//*[@class='plan']")) == 4
    assert "Northward, output 1: not walked on site" in text
    # It is the same of a plant that has been broken since, which it says first.
    assert ada.edit("demo", {"kind": "set", "ids": [door], "values": {"settings.distance_mm": 1600}})[0] == 200
    text = " ".join(_report(ada).text_content().split())
    assert "broken: not as dan sealed it" in text and "Hazard lies behind it1500 mm1600 mm" in text


def test_a_report_of_what_has_no_safety(ada: Api) -> None:
    other = next(one for one in ada.call("get", "plants/demo")[1]["rows"]["controllers"] if one["name"] != "HALL")
    answer = ada.client.get(f"/api/plants/demo/seals/{other['id']}/report")
    assert answer.status_code == 200 and "Seal" in answer.content.decode()
    assert ada.client.get("/api/plants/demo/seals/c999/report").status_code == 422


def test_a_seal_that_cannot_be_computed_is_said_and_breaks_nothing(ada: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    def breaks(*_: Any) -> Any:
        raise ZeroDivisionError

    monkeypatch.setattr("highmoor.core.safety.seal.parts.results_of", breaks)
    path = f"plants/demo/seals/{_hall(ada)}"
    for status, body in (ada.call("get", path), ada.call("get", f"{path}/report"), _seal(ada)):
        assert (status, body["detail"]) == (422, "The seal could not be computed; the findings say where.")
    assert "SAF-190" in {found["code"] for found in ada.call("get", "plants/demo/findings")[1]["findings"]}


def test_the_report_says_which_signals_a_scanner_has_and_what_of_its_device_is_open(ada: Api) -> None:
    scanner = named(ada, "scanners", name="Aisle eye")["id"]
    name = {"kind": "name-scanner", "scanner": scanner, "what": "output", "pattern": "{scanner} warns {zone}"}
    assert ada.edit("demo", name)[0] == 200
    text = " ".join(_report(ada).text_content().split())
    assert "output 2 AisleEyeWarnsD" in text and "Aisle eye: has its factory password" in text
    assert "ISO 13855:2010, field parallel to the floor" in text
