"""The one stream a browser holds: `/api/stream?plants=KEY:REVISION,…&id=BROWSER`.

A browser that comes back behind the head is told so and fetches the plant anew: one request, whatever it missed.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator
from typing import Any

from asgiref.sync import sync_to_async
from django.contrib.auth import get_user
from django.contrib.sessions.backends.db import SessionStore
from django.http import HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse

from highmoor.server.api.problems import problem
from highmoor.server.live.hub import HUB, Subscriber, encode
from highmoor.server.models import Membership, Project
from highmoor.server.plants import open_plant

# How soon a stream ends after its password was changed or its session ended elsewhere; also its sign of life.
_LOOK_S = 5.0


async def stream(request: HttpRequest) -> HttpResponseBase:
    """Server-sent events for the plants asked for; strangers and others' plants are refused."""
    if request.method != "GET":
        return HttpResponse(status=405)
    told = await sync_to_async(_admitted)(request)
    if isinstance(told, HttpResponse):
        return told
    subscriber, since = told
    response = StreamingHttpResponse(_events(subscriber, since), content_type="text/event-stream")
    response.headers["Cache-Control"] = "no-cache, no-transform"
    response.headers["X-Accel-Buffering"] = "no"
    return response


def _admitted(request: HttpRequest) -> HttpResponse | tuple[tuple[str, str, str], dict[str, int]]:
    if not request.user.is_authenticated:
        return problem(401, "Sign in first", "This needs signing in.")
    since: dict[str, int] = {}
    for item in request.GET.get("plants", "").split(",")[:20]:
        key, _, revision = item.partition(":")
        if key:
            since[key] = int(revision) if revision.isascii() and revision.isdigit() and len(revision) < 16 else 0
    allowed = Membership.objects.filter(user_id=request.user.pk, project__key__in=since).count()
    if allowed != len(since):
        return problem(404, "Not found", "There is nothing here, or nothing for you.")
    who = (request.GET.get("id", "")[:48], request.user.get_username(), request.session.session_key or "")
    return who, since


async def _events(who: tuple[str, str, str], since: dict[str, int]) -> AsyncIterator[bytes]:
    subscriber = Subscriber(*who, set(since), asyncio.get_running_loop())
    HUB.add(subscriber)
    try:
        yield encode("hello", None, {"plants": list(since)})
        for event, event_id, data in await sync_to_async(_behind)(since):
            yield encode(event, event_id, data)
        looked = time.monotonic()
        while not subscriber.closed:
            if time.monotonic() - looked > _LOOK_S:
                looked = time.monotonic()
                if not await sync_to_async(_still_signed_in)(subscriber.session):
                    break
            try:
                await asyncio.wait_for(subscriber.wake.wait(), _LOOK_S)
            except TimeoutError:
                yield encode("alive", None, {})
                continue
            subscriber.wake.clear()
            for event, event_id, data in subscriber.take():
                yield encode(event, event_id, data)
        yield encode("end", None, {})
    finally:
        HUB.remove(subscriber)


def _still_signed_in(session_key: str) -> bool:
    """Whether the session of a stream still is one: a changed password ends it (django.contrib.auth)."""
    request = HttpRequest()
    request.session = SessionStore(session_key)
    return bool(session_key) and get_user(request).is_authenticated


def _behind(since: dict[str, int]) -> list[tuple[str, str | None, Any]]:
    """For each plant that moved on while the browser was away: to which revision."""
    events: list[tuple[str, str | None, Any]] = []
    for key, revision in since.items():
        project = Project.objects.get(key=key)
        held = open_plant(project)
        with held.lock:
            head = held.revision
        if head > revision:
            events.append(("behind", None, {"plant": key, "revision": head}))
    return events
