"""Fixtures shared by the tests of the server and the browser."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from hypothesis import settings

# What is asked of the code is whether it is right; how quick it is, the benchmarks tell, and a machine may be slow.
settings.register_profile("any machine", deadline=None)
settings.load_profile("any machine")


@pytest.fixture(autouse=True)
def _no_plant_held_open() -> Iterator[None]:
    yield
    from highmoor.server.plants import forget

    forget()


@dataclass(frozen=True)
class Upload:
    """A file sent as a form sends it."""

    name: str
    octets: bytes


class Api:
    """The API as one signed-in user sees it; answers are (status, body)."""

    def __init__(self, user: Any) -> None:
        from django.test import Client

        self.user = user
        self.client = Client()
        if user is not None:
            self.client.force_login(user)
        self.tab = f"tab-{user}"
        self._keys = 0

    def call(self, method: str, path: str, body: Any = None) -> tuple[int, Any]:
        send = getattr(self.client, method)
        more: dict[str, Any] = {}
        if isinstance(body, Upload):
            more = {"data": {"file": SimpleUploadedFile(body.name, body.octets)}}
        elif body is not None:
            more = {"data": json.dumps(body), "content_type": "application/json"}
        response = send(f"/api/{path}", **more)
        text = response.content
        return response.status_code, json.loads(text) if text else None

    def edit(self, key: str, edit: Any, *, base: int | None = None, client_key: str = "") -> tuple[int, Any]:
        if base is None:
            base = self.call("get", f"plants/{key}")[1]["revision"]
        self._keys += 1
        body = {
            "base": base,
            "client": self.tab,
            "client_key": client_key or f"{self.tab}-{self._keys}",
            "label": edit["kind"],
            "edit": edit,
        }
        return self.call("post", f"plants/{key}/edits", body)

    def take_back(
        self, key: str, what: str = "undo", *, rest: bool = False, document: str = "plant"
    ) -> tuple[int, Any]:
        self._keys += 1
        body = {"client": self.tab, "client_key": f"{self.tab}-{self._keys}", "rest": rest, "document": document}
        return self.call("post", f"plants/{key}/{what}", body)


@pytest.fixture
def users(db: Any, settings: Any) -> dict[str, Any]:
    """ada owns the plant, ben is an engineer, cleo reads, dan is a stranger."""
    from django.contrib.auth.models import User

    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    return {name: User.objects.create_user(name, password="only-for-tests") for name in ("ada", "ben", "cleo", "dan")}


@pytest.fixture
def plant(users: dict[str, Any]) -> str:
    """The demo plant, kept under the key `demo`."""
    from highmoor.core.demo.plant import demo_plant
    from highmoor.server.models import Membership
    from highmoor.server.store import create_project

    project = create_project(demo_plant(), users["ada"], "The demo plant", key="demo")
    for name, role in (("ben", "engineer"), ("cleo", "reader")):
        Membership.objects.create(project=project, user=users[name], role=role)
    return "demo"


@pytest.fixture
def ada(users: dict[str, Any], plant: str) -> Api:
    return Api(users["ada"])


@pytest.fixture
def ben(users: dict[str, Any], plant: str) -> Api:
    return Api(users["ben"])
