"""The plants of the benchmarks, stored, and a client that edits them through the API."""

from __future__ import annotations

import json
from collections.abc import Callable
from functools import cache
from typing import Any

from highmoor.core.plant.plant import Plant
from highmoor.server.benchmarks.table import p95, timed

_EDITS = 60
_NAME = "bench"


@cache
def client() -> Any:
    """Somebody who is signed in."""
    from django.contrib.auth.models import User
    from django.test import Client

    user, _ = User.objects.get_or_create(username=_NAME)
    made = Client()
    made.force_login(user)
    return made


def stored(plant: Plant) -> str:
    """The key of a new project with this plant."""
    from django.contrib.auth.models import User

    from highmoor.server.store import create_project

    client()
    return create_project(plant, User.objects.get(username=_NAME), "benchmark").key


def post(path: str, body: Any) -> Any:
    """The answer of the API. Raises RuntimeError when it is not a good one."""
    response = client().post(path, json.dumps(body), content_type="application/json")
    if response.status_code != 200:
        raise RuntimeError(response.content.decode())
    return response.json()


class Edited:
    """A stored plant, opened, that is edited again and again."""

    def __init__(self, plant: Plant) -> None:
        self.plant = plant
        self.key = stored(plant)
        self.open()

    def open(self) -> None:
        """Ask for the plant as a browser does."""
        self.revision = int(client().get(f"/api/plants/{self.key}").json()["revision"])

    def edit(self, edit: dict[str, Any]) -> float:
        """How long one edit takes, saved and answered, ms."""
        body = {"base": self.revision, "client": "b", "client_key": f"{self.key}-{self.revision}", "label": "b"}
        took = timed(lambda: post(f"/api/plants/{self.key}/edits", {**body, "edit": edit}))
        self.revision += 1
        return took

    def edits(self, make: Callable[[int], dict[str, Any]], count: int = _EDITS) -> float:
        """Of many edits in turn, `make(n)` each, the one that one in twenty is slower than, ms."""
        return p95([self.edit(make(self.revision)) for _ in range(count)])
