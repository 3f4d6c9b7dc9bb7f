"""The one page: it names the files of the built front end."""

from __future__ import annotations

import json
import sys
from functools import cache
from secrets import token_urlsafe
from typing import Any

from django.conf import settings
from django.db import OperationalError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.csrf import ensure_csrf_cookie

from highmoor.server.api.problems import problem, unavailable
from highmoor.server.middleware import policy


@cache
def files_of_page() -> dict[str, Any] | None:
    """The built front end's files that the page names; None where it is not built."""
    try:
        manifest = json.loads((settings.WEB_DIST / "manifest.json").read_text())
    except FileNotFoundError:
        return None
    entry = next(item for item in manifest.values() if item.get("isEntry"))
    shared = [manifest[name]["file"] for name in entry.get("imports", ())]
    return {"script": entry["file"], "styles": entry.get("css", []), "preloads": shared}


def broken(request: HttpRequest) -> HttpResponse:
    """What is answered where even a session could not be read or kept."""
    error = sys.exception()
    if isinstance(error, OperationalError):
        return unavailable(error)
    return problem(500, "Something broke", "An error in Highmoor itself; it is in the server's log.")


def refused(request: HttpRequest, exception: Exception) -> HttpResponse:
    """A request that Django itself refuses; a session that could not be kept for want of room is no fault of it."""
    cause: BaseException | None = exception
    while cause is not None:
        if isinstance(cause, OperationalError):
            return unavailable(cause)
        cause = cause.__context__
    return problem(400, "Malformed", "This request cannot be answered. Load the page again.")


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    """The page for every address that is neither API nor file; the front end reads the address."""
    files = files_of_page()
    if files is None:
        return HttpResponse("The front end is not built: run ./highmoor serve or ./highmoor demo.", status=503)
    # What edits text in the page brings styles of its own, known by this answer's nonce.
    nonce = token_urlsafe(16)
    response = render(request, "page.html", {**files, "nonce": nonce})
    response.headers["Content-Security-Policy"] = policy(nonce)
    response.headers["Cache-Control"] = "no-store"
    return response
