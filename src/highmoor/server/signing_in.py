"""Trying a name and a password: counted before it is worked on, few at once, remembered over a restart.

The counting is django-axes, in the database. It counts when a password has been found wrong; so that a hundred tries
sent together are not all begun before the first is counted, tries for one name go one after the other here.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from axes.handlers.proxy import AxesProxyHandler
from django.contrib.auth import authenticate
from django.contrib.auth.models import User
from django.http import HttpRequest

from highmoor.server.middleware import DEMO_USER

# A hash takes a core for a tenth of a second: beside them there must be room for those who are in.
_AT_ONCE = 2
_WAIT_S = 5.0
_NAMES_AT_MOST = 64


class Busy(Exception):
    """More are trying to sign in than are worked on; nothing was looked at."""


class TooMany(Exception):
    """Too many wrong passwords for this name from there."""


class _Turns:
    """Names being tried, each by one at a time."""

    def __init__(self) -> None:
        self._guard = threading.Condition()
        self._names: set[str] = set()
        self._waiting = 0

    @contextmanager
    def taken(self, name: str) -> Iterator[None]:
        """Wait for a turn. Raises Busy when there is none in time, or too many wait already."""
        with self._guard:
            if self._waiting >= _NAMES_AT_MOST:
                raise Busy
            self._waiting += 1
            try:
                if not self._guard.wait_for(
                    lambda: name not in self._names and len(self._names) < _AT_ONCE, timeout=_WAIT_S
                ):
                    raise Busy
            finally:
                self._waiting -= 1
            self._names.add(name)
        try:
            yield
        finally:
            with self._guard:
                self._names.discard(name)
                self._guard.notify_all()


_TURNS = _Turns()


def signed_in(request: HttpRequest, name: str, password: str) -> User | None:
    """The user, None for a wrong name or password. Raises TooMany or Busy."""
    credentials = {"username": name}
    with _TURNS.taken(name.lower()):
        if not AxesProxyHandler.is_allowed(request, credentials):
            raise TooMany
        user = authenticate(request, username=name, password=password) if name != DEMO_USER else None
        if user is None and not AxesProxyHandler.is_allowed(request, credentials):
            raise TooMany
    return user if isinstance(user, User) else None
