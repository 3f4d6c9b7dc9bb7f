"""Signing in and out, who I am, and whether the server lives."""

from __future__ import annotations

from django.conf import settings
from django.contrib.auth import login, logout
from django.db import connection
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Router
from ninja.utils import check_csrf
from pydantic import Field

from highmoor.server.api.problems import Forbidden
from highmoor.server.api.shapes import Shape
from highmoor.server.live.hub import HUB
from highmoor.server.middleware import from_loopback
from highmoor.server.signing_in import TooMany, signed_in

router = Router(tags=["session"])


class Me(Shape):
    """Who is signed in; `name` is empty for a stranger. `demo` says that a demo user is to be had here."""

    name: str
    demo: bool
    csrf: str


class Credentials(Shape):
    name: str = Field(max_length=150)
    password: str = Field(max_length=500)


class Health(Shape):
    status: str


def _me(request: HttpRequest) -> Me:
    name = request.user.get_username() if request.user.is_authenticated else ""
    return Me(name=name, demo=settings.DEMO and from_loopback(request), csrf=get_token(request))


@router.get("/health", response=Health, auth=None, operation_id="health")
def health(request: HttpRequest) -> Health:
    """Whether the server answers and its database can be read."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")
    return Health(status="good")


@router.get("/session", response=Me, auth=None, operation_id="me")
def me(request: HttpRequest) -> Me:
    """Who I am."""
    return _me(request)


@router.post("/session", response=Me, auth=None, operation_id="sign_in")
def sign_in(request: HttpRequest, credentials: Credentials) -> Me:
    """Sign in. After ten failures for one name from one place there is a pause of five minutes."""
    if check_csrf(request, sign_in) is not None:
        raise Forbidden("Open the page again: its token has run out.")
    try:
        user = signed_in(request, credentials.name, credentials.password)
    except TooMany:
        raise Forbidden("Too many wrong passwords for this name; try again in five minutes.") from None
    if user is None:
        raise Forbidden("Name or password is not right.")
    login(request, user, backend=settings.PASSWORD_BACKEND)
    return _me(request)


@router.delete("/session", response=Me, operation_id="sign_out")
def sign_out(request: HttpRequest) -> Me:
    """Sign out; streams of this session end."""
    HUB.end_session(request.session.session_key or "")
    logout(request)
    return _me(request)
