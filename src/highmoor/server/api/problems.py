"""Errors as problem documents (RFC 9457)."""

from __future__ import annotations

import json
import logging
from typing import Any

from django.core.exceptions import RequestDataTooBig
from django.db import OperationalError
from django.http import Http404, HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from highmoor.core.errors import HighmoorError, Refusal
from highmoor.core.project.exchange_format import BadFile
from highmoor.server.plants import Conflict
from highmoor.server.signing_in import Busy
from highmoor.server.store import Outdated

_log = logging.getLogger(__name__)


_BROKEN = "An error in Highmoor itself; it is in the server's log. Open the plant again to see what holds."


class Forbidden(Exception):
    """Signed in, a member, but not with a role that may do this."""


def problem(status: int, title: str, detail: str, **more: Any) -> HttpResponse:
    """A problem document; further members carry what a program may want to show beside a field."""
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail, **more}
    return HttpResponse(json.dumps(body, default=str), status=status, content_type="application/problem+json")


def unavailable(error: OperationalError) -> HttpResponse:
    """The answer where the database could not do what was asked; a transaction that fails leaves nothing behind."""
    if "full" in str(error) or "disk I/O" in str(error):
        return problem(507, "The disk is full", "Nothing was changed: the server's disk is full.")
    return problem(503, "Try again", "The database is busy; nothing was changed. Try again.")


def install(api: NinjaAPI) -> None:
    """Teach the API to answer every error as a problem."""

    @api.exception_handler(Refusal)
    def refused(request: HttpRequest, error: Refusal) -> HttpResponse:
        value = error.value if isinstance(error.value, str | int | float | bool | None) else None
        return problem(422, "Refused", error.reason, place=error.place, field=error.field, value=value)

    @api.exception_handler(BadFile)
    def bad_file(request: HttpRequest, error: BadFile) -> HttpResponse:
        faults = [{"place": fault.place, "reason": fault.reason} for fault in error.faults]
        return problem(422, "The file is not taken", str(error), faults=faults)

    @api.exception_handler(HighmoorError)
    def other(request: HttpRequest, error: HighmoorError) -> HttpResponse:
        return problem(422, "Not possible", str(error))

    @api.exception_handler(Conflict)
    def conflict(request: HttpRequest, error: Conflict) -> HttpResponse:
        return problem(409, "Changed meanwhile", str(error), overlaps=error.overlaps)

    @api.exception_handler(Outdated)
    def outdated(request: HttpRequest, error: Outdated) -> HttpResponse:
        return problem(503, "Try again", "The plant was reloaded; nothing was changed. Try again.")

    @api.exception_handler(Forbidden)
    def forbidden(request: HttpRequest, error: Forbidden) -> HttpResponse:
        return problem(403, "Not allowed", str(error))

    @api.exception_handler(AuthenticationError)
    def stranger(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
        return problem(401, "Sign in first", "This needs signing in.")

    @api.exception_handler(Http404)
    def missing(request: HttpRequest, error: Http404) -> HttpResponse:
        return problem(404, "Not found", "There is nothing here, or nothing for you.")

    @api.exception_handler(ValidationError)
    def malformed(request: HttpRequest, error: ValidationError) -> HttpResponse:
        first = error.errors[0] if error.errors else {}
        loc = [str(part) for part in first.get("loc", ())]
        # "body", then the parameter's own name where the whole body is one object.
        where = ".".join(loc[2:] if loc[:1] == ["body"] else loc[1:])
        detail = f"{where}: {first.get('msg', '')}" if where else str(first.get("msg", "Malformed"))
        return problem(422, "Malformed", detail[:1000], field=where)

    @api.exception_handler(HttpError)
    def http(request: HttpRequest, error: HttpError) -> HttpResponse:
        return problem(error.status_code, "Not possible", str(error))

    @api.exception_handler(RequestDataTooBig)
    def large(request: HttpRequest, error: RequestDataTooBig) -> HttpResponse:
        return problem(413, "Too large", "What was sent is larger than this server takes.")

    @api.exception_handler(OperationalError)
    def database(request: HttpRequest, error: OperationalError) -> HttpResponse:
        _log.error("the database refused in %s: %s", request.path, error)
        return unavailable(error)

    @api.exception_handler(Busy)
    def busy(request: HttpRequest, error: Busy) -> HttpResponse:
        return problem(503, "Try again", "Many are signing in at this moment. Try again.")

    @api.exception_handler(Exception)
    def broken(request: HttpRequest, error: Exception) -> HttpResponse:
        _log.exception("unexpected error in %s", request.path)
        return problem(500, "Something broke", _BROKEN)
