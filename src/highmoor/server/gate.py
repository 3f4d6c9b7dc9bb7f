"""Before a body is taken: large ones from strangers are refused, and whatever is larger than anything needed.

Django takes a request's whole body before it looks at who sent it; this stands in front and looks first.
"""

from __future__ import annotations

import json
from collections.abc import Awaitable, Callable, MutableMapping
from http.cookies import CookieError, SimpleCookie
from typing import Any

from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth import BACKEND_SESSION_KEY, SESSION_KEY
from django.contrib.sessions.backends.db import SessionStore

Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
App = Callable[[Scope, Receive, Send], Awaitable[None]]

# Nothing a stranger has to say is longer.
_OF_A_STRANGER = 16 * 1024


class TooLarge(Exception):
    """More came than was said, or than is ever taken."""


class Gate:
    """An ASGI application in front of another."""

    def __init__(self, app: App) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["method"] in ("GET", "HEAD", "OPTIONS"):
            await self._app(scope, receive, send)
            return
        headers = {name.lower(): value for name, value in scope["headers"]}
        length = _length(headers)
        most = settings.DATA_UPLOAD_MAX_MEMORY_SIZE
        if length is None or length > _OF_A_STRANGER:
            if not await sync_to_async(_signed_in)(headers.get(b"cookie", b"")):
                most = _OF_A_STRANGER
            if length is not None and length > most:
                stranger = most == _OF_A_STRANGER
                await _refuse(send, *(_SIGN_IN if stranger else _TOO_LARGE))
                return
        if length is None:
            # The threads that answer take a body by its length: one that comes in pieces is put together first.
            body = await _together(receive, most)
            if body is None:
                await _refuse(send, *(_SIGN_IN if most == _OF_A_STRANGER else _TOO_LARGE))
                return
            kept = [(name, value) for name, value in scope["headers"] if name.lower() != b"transfer-encoding"]
            scope = {**scope, "headers": [*kept, (b"content-length", str(len(body)).encode())]}
            receive = _again(body, receive)
        await self._bounded(scope, receive, send, most)

    async def _bounded(self, scope: Scope, receive: Receive, send: Send, most: int) -> None:
        """The application with a body that ends where it grows beyond what is taken."""
        taken, begun = 0, False

        async def counted() -> MutableMapping[str, Any]:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > most:
                raise TooLarge
            return message

        async def noted(message: MutableMapping[str, Any]) -> None:
            nonlocal begun
            begun = True
            await send(message)

        try:
            await self._app(scope, counted, noted)
        except TooLarge:
            if not begun:
                await _refuse(send, *(_SIGN_IN if most == _OF_A_STRANGER else _TOO_LARGE))


async def _together(receive: Receive, most: int) -> bytes | None:
    """A body that comes in pieces; None for one that grows beyond what is taken, or whose sender has gone."""
    body = bytearray()
    while True:
        message = await receive()
        body += message.get("body", b"")
        if len(body) > most or message["type"] != "http.request":
            return None
        if not message.get("more_body"):
            return bytes(body)


def _again(body: bytes, receive: Receive) -> Receive:
    """What gives a body that was taken already, and then whatever comes."""
    waiting = [{"type": "http.request", "body": body, "more_body": False}]

    async def given() -> MutableMapping[str, Any]:
        return waiting.pop() if waiting else await receive()

    return given


_SIGN_IN = (401, "Sign in first", "This needs signing in.")
_TOO_LARGE = (413, "Too large", "What was sent is larger than this server takes.")


def _length(headers: dict[bytes, bytes]) -> int | None:
    """What the request says of its length; None for one that comes in pieces."""
    text = headers.get(b"content-length", b"" if b"transfer-encoding" in headers else b"0").decode("latin-1")
    return int(text) if text.isascii() and text.isdigit() and len(text) < 16 else None


def _signed_in(cookie: bytes) -> bool:
    """Whether the cookies name a session of somebody; whether it still holds is looked at later, as always."""
    try:
        found = SimpleCookie(cookie.decode("latin-1")).get(settings.SESSION_COOKIE_NAME)
    except CookieError:
        return False
    if found is None:
        return False
    session = SessionStore(found.value)
    return SESSION_KEY in session and BACKEND_SESSION_KEY in session


async def _refuse(send: Send, status: int, title: str, detail: str) -> None:
    body = json.dumps({"type": "about:blank", "title": title, "status": status, "detail": detail}).encode()
    headers = [(b"content-type", b"application/problem+json"), (b"connection", b"close")]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
