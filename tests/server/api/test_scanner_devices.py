"""A scanner's device over HTTP: sent to by its password alone, compared, taken over; the password is found nowhere."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from typing import Any

import pytest
from django.db import connection

from highmoor.server import device_passwords
from highmoor.server.device_passwords import Tries
from highmoor.server.models import DevicePassword, Entry
from tests.conftest import Api
from tests.server.api.test_editing import named

FACTORY, OWN = "wyndrake", "gate-4-north"


class Clock:
    def __init__(self) -> None:
        self.now = 1000.0


@pytest.fixture
def clock(monkeypatch: pytest.MonkeyPatch) -> Iterator[Clock]:
    made = Clock()
    monkeypatch.setattr(device_passwords, "TRIES", Tries(lambda: made.now))
    yield made


@pytest.fixture
def eye(plant: str, clock: Clock, ada: Api) -> str:
    return str(named(ada, "scanners", name="Aisle eye")["id"])


_COUNT = iter(range(10_000))


def _do(api: Api, eye: str, do: str = "send", password: str = OWN, new: str = "") -> tuple[int, Any]:
    body = {"do": do, "password": password, "new_password": new, "client": api.tab, "client_key": f"k{next(_COUNT)}"}
    return api.call("post", f"plants/demo/scanners/{eye}/device", body)


def _told(api: Api, eye: str) -> Any:
    return api.call("get", f"plants/demo/scanners/{eye}/device")[1]


def _open(api: Api) -> list[str]:
    hall = named(api, "controllers", name="HALL")["id"]
    return [line for line in api.call("get", f"plants/demo/seals/{hall}")[1]["open"] if line.startswith("Aisle eye: ")]


def test_the_factory_password_goes_with_the_first_that_is_sent(ada: Api, eye: str) -> None:
    told = _told(ada, eye)
    assert (told["state"], told["factory"], told["differences"]) == ("assumed", FACTORY, [])
    assert _open(ada) == ["Aisle eye: has its factory password"]
    status, refused = _do(ada, eye, password=FACTORY)
    assert (status, refused["field"]) == (422, "new_password") and "has to go" in refused["detail"]
    for new in ("short", FACTORY, FACTORY.upper(), "Aisle eye", "x" * 129):
        assert _do(ada, eye, password=FACTORY, new=new)[1]["field"] == "new_password"
    assert _told(ada, eye)["factory"] == FACTORY
    assert _do(ada, eye, password=FACTORY, new=OWN)[0] == 200
    told = _told(ada, eye)
    assert (told["state"], told["factory"], told["by"], told["differences"]) == ("sent", "", "ada", [])
    assert _open(ada) == []
    # From now on it is asked each time, and the factory one is wrong.
    assert _do(ada, eye, password="")[1]["field"] == _do(ada, eye, password=FACTORY)[1]["field"] == "password"
    assert _do(ada, eye)[0] == 200
    assert _do(ada, eye, "password", new="another-one")[0] == 200
    assert _do(ada, eye)[0] == 422 and _do(ada, eye, password="another-one")[0] == 200


def test_what_differs_is_told_and_sent_or_taken_over(ada: Api, ben: Api, eye: str) -> None:
    assert _do(ada, eye, password=FACTORY, new=OWN)[0] == 200
    assert ben.edit("demo", {"kind": "set", "ids": [eye], "values": {"settings.scans": 4}})[0] == 200
    (line,) = _told(ben, eye)["differences"]
    assert (line["label"], line["before"], line["now"]) == ("Scans that confirm", "2", "4")
    assert _open(ben) == ["Aisle eye: 1 thing is not as configured in the device"]
    status, made = ben.edit("demo", {"kind": "scanner-from-device", "scanner": eye})
    assert status == 200 and [row["id"] for row in made["change"]] == [eye]
    assert _told(ben, eye)["differences"] == []
    ben.take_back("demo")
    assert len(_told(ben, eye)["differences"]) == 1
    status, made = _do(ben, eye)
    assert status == 200 and [row["table"] for row in made["change"]] == ["built_scanners"]
    told = _told(ben, eye)
    assert (told["differences"], told["by"]) == ([], "ben")
    # What was sent is not taken back: it is sent again.
    status, refused = ben.call("post", "plants/demo/undo", {"client": ben.tab, "client_key": "u1", "document": "built"})
    assert (status, refused["detail"]) == (422, "You have nothing to undo.")


def test_what_is_set_as_usual_is_no_difference(ada: Api, eye: str) -> None:
    assert _do(ada, eye, password=FACTORY, new=OWN)[0] == 200
    assert ada.edit("demo", {"kind": "set", "ids": [eye], "values": {"settings.tolerance": 100}})[0] == 200
    assert _told(ada, eye)["differences"] == []


def test_a_reset_takes_all_that_is_in_it_and_its_password(ada: Api, eye: str) -> None:
    assert _do(ada, eye, password=FACTORY, new=OWN)[0] == 200
    assert _do(ada, eye, "reset", password="")[0] == 200
    told = _told(ada, eye)
    assert (told["state"], told["factory"]) == ("empty", FACTORY)
    assert {"there"} == {line["now"] for line in told["differences"] if not line["label"] and line["now"]}
    status, refused = ada.edit("demo", {"kind": "scanner-from-device", "scanner": eye})
    assert status == 422 and "was reset" in refused["detail"]
    assert _do(ada, eye, password=OWN)[0] == 422 and _do(ada, eye, password=FACTORY, new=OWN)[0] == 200


def test_five_wrong_ones_lock_it_for_a_minute_for_the_right_one_too(ada: Api, ben: Api, eye: str, clock: Clock) -> None:
    assert _do(ada, eye, password=FACTORY, new=OWN)[0] == 200
    said = [_do(ben, eye, password=f"guess {n}")[1]["detail"] for n in range(4)]
    assert "4 more" in said[0] and "1 more" in said[3]
    # A right one between begins the count anew.
    assert _do(ada, eye)[0] == 200
    said = [_do(ben, eye, password=f"guess {n}")[1]["detail"] for n in range(5)]
    assert said[4] == "The password is not right. It takes none for 60 s now."
    assert _told(ada, eye)["locked_s"] == 60
    clock.now += 59
    status, refused = _do(ada, eye)
    assert (status, refused["detail"]) == (422, "Too many wrong passwords: it takes none for another 1 s.")
    # It was not looked at, and neither makes it longer nor counts.
    clock.now += 1
    assert (_told(ada, eye)["locked_s"], _do(ada, eye)[0]) == (0, 200)


def test_who_may_not_edit_may_not_send_and_one_that_is_silent_asks_for_no_password(
    ada: Api, users: dict[str, Any], eye: str
) -> None:
    assert _do(Api(users["cleo"]), eye, password=FACTORY, new=OWN)[0] == 403
    assert _told(Api(users["cleo"]), eye)["state"] == "assumed"
    station = named(ada, "scanners", name="Aisle eye")["device"]
    assert ada.edit("demo", {"kind": "set-built", "ids": [station], "values": {"powered": False}})[0] == 200
    for do in ("send", "password"):
        status, refused = _do(ada, eye, do, password=FACTORY, new=OWN)
        assert (status, refused["detail"]) == (422, "Aisle eye does not answer: it has no power.")
    assert _told(ada, eye)["silent"] == "it has no power"
    assert _do(ada, eye, "reset")[0] == 200
    assert not DevicePassword.objects.exists()


def test_a_retry_after_a_lost_answer_does_nothing_again_and_asks_nothing(ada: Api, eye: str) -> None:
    body = {"do": "send", "password": FACTORY, "new_password": OWN, "client": ada.tab, "client_key": "once"}
    first = ada.call("post", f"plants/demo/scanners/{eye}/device", body)
    again = ada.call("post", f"plants/demo/scanners/{eye}/device", body)
    assert first[0] == again[0] == 200 and first[1]["revision"] == again[1]["revision"]


def test_a_device_password_is_found_nowhere(ada: Api, eye: str, caplog: pytest.LogCaptureFixture) -> None:
    caplog.set_level(logging.DEBUG)
    assert _do(ada, eye, password="wrong-pAssw0rd-1")[0] == 422
    assert _do(ada, eye, password=FACTORY, new=OWN)[0] == 200
    assert _do(ada, eye)[0] == 200
    views = str((_told(ada, eye), ada.call("get", "plants/demo")[1]))
    exported = ada.client.get("/api/plants/demo/export").content.decode()
    journal = "".join(str((e.change, e.label, e.asked, e.tags)) for e in Entry.objects.all())
    with connection.cursor() as cursor:
        cursor.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
        tables = [row[0] for row in cursor.fetchall()]
        kept = "".join(str(cursor.execute(f'SELECT * FROM "{name}"').fetchall()) for name in tables)
    (hashed,) = (one.hash for one in DevicePassword.objects.all())
    for password in ("wrong-pAssw0rd-1", OWN):
        assert not any(password in text for text in (views, exported, journal, kept, caplog.text))
    # The hash is with the bench alone.
    assert kept.count(hashed) == 1 and not any(hashed in text for text in (views, exported, journal, caplog.text))
