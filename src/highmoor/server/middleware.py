"""Headers every answer carries, and the demo user's way in."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from ipaddress import ip_address
from typing import Any, cast

from asgiref.sync import iscoroutinefunction, markcoroutinefunction
from django.conf import settings
from django.contrib.auth import login, logout
from django.contrib.auth.models import User
from django.core.exceptions import DisallowedHost
from django.http import HttpRequest, HttpResponse

DEMO_USER = "demo"
Respond = Callable[[HttpRequest], HttpResponse]


def policy(style_nonce: str = "") -> str:
    """What an answer may bring with it: nothing from elsewhere, no script within, and styles that carry the nonce."""
    styles = f"'self' 'nonce-{style_nonce}'" if style_nonce else "'self'"
    return (
        f"default-src 'self'; script-src 'self'; style-src {styles}; style-src-attr 'unsafe-inline'; "
        "img-src 'self' data:; font-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; "
        "form-action 'self'; frame-ancestors 'none'"
    )


_POLICY = policy()


class KnownHosts:
    """Answers only to the hosts the server was given, whatever is asked for (400 otherwise)."""

    sync_capable = async_capable = True

    def __init__(self, get_response: Any) -> None:
        self.get_response = get_response
        if iscoroutinefunction(get_response):
            markcoroutinefunction(self)

    def __call__(self, request: HttpRequest) -> Any:
        try:
            request.get_host()
        except DisallowedHost:
            return self._refused() if iscoroutinefunction(self) else _unknown_host()
        return self.get_response(request)

    async def _refused(self) -> HttpResponse:
        return _unknown_host()


def _unknown_host() -> HttpResponse:
    return HttpResponse("This server does not answer to this name.", status=400, content_type="text/plain")


class SecureHeaders:
    """A content security policy without inline scripts, and no guessing of content types."""

    sync_capable = async_capable = True

    def __init__(self, get_response: Respond | Callable[[HttpRequest], Awaitable[HttpResponse]]) -> None:
        self.get_response = get_response
        self._is_async = iscoroutinefunction(get_response)
        if self._is_async:
            markcoroutinefunction(self)

    def __call__(self, request: HttpRequest) -> Any:
        if self._is_async:
            return self._later(request)
        return self._with_headers(cast(HttpResponse, self.get_response(request)))

    async def _later(self, request: HttpRequest) -> HttpResponse:
        return self._with_headers(await cast(Awaitable[HttpResponse], self.get_response(request)))

    def _with_headers(self, response: HttpResponse) -> HttpResponse:
        response.headers.setdefault("Content-Security-Policy", _POLICY)
        response.headers.setdefault("Permissions-Policy", "camera=(), microphone=(), geolocation=()")
        response.headers.setdefault("X-Frame-Options", "DENY")
        return response


class DemoUser:
    """In demo mode a loopback visitor of a page is signed in; otherwise the demo user does not exist."""

    def __init__(self, get_response: Respond) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        allowed = settings.DEMO and from_loopback(request)
        signed_in = request.user.is_authenticated
        if signed_in and request.user.get_username() == DEMO_USER and not allowed:
            logout(request)
        elif allowed and not signed_in and _is_page(request):
            user = User.objects.filter(username=DEMO_USER).first()
            if user is not None:
                login(request, user, backend="django.contrib.auth.backends.ModelBackend")
        return self.get_response(request)


def _is_page(request: HttpRequest) -> bool:
    return request.method == "GET" and not request.path.startswith(("/api/", "/static/", "/sign-in"))


def from_loopback(request: HttpRequest) -> bool:
    """Whether the request came over loopback and asked for a loopback name, with no proxy in between."""
    if "HTTP_X_FORWARDED_FOR" in request.META or "HTTP_FORWARDED" in request.META:
        return False
    host = request.get_host().rsplit(":", 1)[0].strip("[]")
    try:
        remote = ip_address(request.META.get("REMOTE_ADDR", ""))
        return remote.is_loopback and (host == "localhost" or ip_address(host).is_loopback)
    except ValueError:
        return False
