"""Every route refuses a stranger, a member of another plant, and a role too low."""

from __future__ import annotations

import re
from typing import Any

import pytest
from django.test import Client

from highmoor.server.api import api
from tests.conftest import Api, Upload

OPEN = {"/health", "/session"}
VALUES = {
    "key": "demo",
    "name": "ben",
    "row_id": "c1",
    "rail": "r7",
    "revision": "1",
    "code": "HW-101",
    "number": "1",
    "area": "in",
}
UPLOAD = Upload("x.eds", b"x")
WRITES = {"post", "put", "delete", "patch"}
# Reading without changing anything, though the request has a body.
HARMLESS = {"preview", "issue", "parts", "follow", "compare", "clip", "replicas", "plan", "check", "trial", "tape"}
# Sent as a form with a file, not as JSON.
UPLOADS = {"files", "import", "lists"}


def routes() -> list[tuple[str, str]]:
    schema = api.get_openapi_schema()
    return [
        (method, path.removeprefix("/api"))
        for path, operations in schema["paths"].items()
        for method in operations
        if method in WRITES | {"get"}
    ]


def filled(path: str) -> str:
    return re.sub(r"\{(\w+)\}", lambda m: VALUES.get(m[1], "x"), path).lstrip("/")


@pytest.mark.parametrize(("method", "path"), routes())
def test_a_stranger_is_refused_everywhere(method: str, path: str, plant: str) -> None:
    if path in OPEN and method != "delete":
        return
    status, body = Api(None).call(method, filled(path), {} if method in WRITES else None)
    assert status == 401, body
    assert body["title"] == "Sign in first"


@pytest.mark.parametrize(("method", "path"), [r for r in routes() if "{key}" in r[1]])
def test_a_plant_does_not_exist_for_others(method: str, path: str, plant: str, users: dict[str, Any]) -> None:
    sent = (SENDS.get(path.rsplit("/", 1)[-1]) or {"role": "reader"}) if method in WRITES else None
    if path.rsplit("/", 1)[-1] in UPLOADS:
        sent = UPLOAD
    status, body = Api(users["dan"]).call(method, filled(path) + "?finding=x&name=x", sent)
    assert status in (404, 400), body
    if status == 400:
        pytest.fail(f"the body sent to {method} {path} is malformed, so nothing was proved: {body}")


SENDS: dict[str, Any] = {
    "edits": {"base": 1, "client": "x", "client_key": "x", "label": "x", "edit": {"kind": "remove", "ids": ["m1"]}},
    "preview": {"edit": {"kind": "remove", "ids": ["m1"]}},
    "undo": {"client": "x", "client_key": "x"},
    "redo": {"client": "x", "client_key": "x"},
    "restore": {"client": "x", "client_key": "x"},
    "mark": {"mark": "x"},
    "seals": {"controller": "c1", "password": "x", "client": "x", "client_key": "x"},
    "device": {"do": "send", "password": "x", "client": "x", "client_key": "x"},
    "compare": {"types": ["tarnfell.di-16"]},
    "issue": {"name": "x", "headings": [{"text": "Tag", "key": "tag"}], "rows": []},
    "clip": {"ids": ["m1"]},
    "replicas": {"id": "m1"},
    "sheets": {"model": "x", "fieldbus": "modbus-tcp", "exchanges": []},
    "parts": {"want": []},
    "check": {"text": "x := 1;"},
    "follow": {"stream": "x", "signals": []},
    "command": {"command": "release", "target": "g1"},
    "trial": {"distance": "1"},
    "tape": {"moves": [{"asked": "1", "measured": "1"}]},
    "{axis_id}": {"do": "stop"},
    "{robot_id}": {"do": "stop"},
    "{controller_id}": {"row": "c1", "do": "restart"},
    "act": {"at": "10.0.0.1", "act": "address", "value": "10.0.0.2"},
}


@pytest.mark.parametrize(("method", "path"), [r for r in routes() if "{key}" in r[1] and r[0] in WRITES])
def test_a_reader_changes_nothing(method: str, path: str, plant: str, users: dict[str, Any]) -> None:
    last = path.rsplit("/", 1)[-1]
    sent = UPLOAD if last in UPLOADS else SENDS.get(last) or {"role": "reader"}
    status, body = Api(users["cleo"]).call(method, filled(path), sent)
    assert status in ((200, 204, 422) if last in HARMLESS else (403,)), body


def test_the_stream_refuses_strangers_and_others(users: dict[str, Any], plant: str) -> None:
    assert Client().get("/api/stream?plants=demo:1").status_code == 401
    assert Api(users["dan"]).client.get("/api/stream?plants=demo:1").status_code == 404


def test_a_forged_request_is_refused(users: dict[str, Any], plant: str) -> None:
    client = Client(enforce_csrf_checks=True)
    client.force_login(users["ada"])
    assert client.post("/api/plants", data="{}", content_type="application/json").status_code == 403


def test_pages_carry_a_policy_without_inline_scripts(users: dict[str, Any]) -> None:
    policy = Client().get("/api/health").headers["Content-Security-Policy"]
    assert "script-src 'self';" in policy


def test_guessing_passwords_is_slowed(users: dict[str, Any]) -> None:
    from axes.models import AccessAttempt

    stranger = Api(None)
    wrong = {"name": "ada", "password": "guess"}
    for _ in range(9):
        assert stranger.call("post", "session", wrong)[1]["detail"] == "Name or password is not right."
    assert "Too many" in stranger.call("post", "session", wrong)[1]["detail"]
    right = {"name": "ada", "password": "only-for-tests"}
    assert "Too many" in stranger.call("post", "session", right)[1]["detail"]
    # Kept in the database: a server that is started anew knows it.
    assert AccessAttempt.objects.get(username="ada").failures_since_start == 10
    AccessAttempt.objects.all().delete()
    assert stranger.call("post", "session", right)[1]["name"] == "ada"


def test_the_demo_user_exists_only_in_demo_mode_and_on_loopback(users: dict[str, Any], settings: Any) -> None:
    from django.contrib.auth.models import User

    demo = User.objects.create_user("demo")
    assert Api(demo).call("get", "plants")[0] == 401
    settings.DEMO = True
    visitor = Client(HTTP_HOST="127.0.0.1:8000")
    visitor.get("/")
    assert visitor.get("/api/session").json()["name"] == "demo"
    for more in ({"REMOTE_ADDR": "10.1.2.3"}, {"HTTP_X_FORWARDED_FOR": "10.1.2.3"}, {"HTTP_HOST": "testserver"}):
        stranger = Client(**{"HTTP_HOST": "127.0.0.1", **more})
        stranger.get("/")
        assert stranger.get("/api/session").json()["name"] == ""
        assert visitor.get("/api/plants", **more).status_code == 401
        visitor.get("/")
