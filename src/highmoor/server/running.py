"""Running the server: database brought up to date with a copy kept, one process a database, clean ends."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import socket
import sqlite3
import sys
from pathlib import Path
from typing import IO

import uvicorn
from django.conf import settings
from django.core.management import call_command
from django.db import connection
from django.db.migrations.executor import MigrationExecutor

from highmoor.core.errors import HighmoorError
from highmoor.server.live.bench_host import BENCHES
from highmoor.server.live.hub import HUB
from highmoor.server.middleware import DEMO_USER


class CannotRun(HighmoorError):
    """Why the server does not start, in one line."""


def private(folder: Path) -> None:
    """The data folder, made where it is not, with what is in it for nobody else to read. Raises OSError."""
    os.umask(0o077)
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    for file in (folder, *folder.glob("highmoor*.sqlite3*"), folder / "secret-key", folder / "server.lock"):
        # What belongs to somebody else is theirs to guard.
        with contextlib.suppress(PermissionError, FileNotFoundError):
            file.chmod(0o700 if file == folder else 0o600)


def prepare_database() -> None:
    """Make or migrate the database; before a migration the file is copied beside itself."""
    file = Path(str(settings.DATABASES["default"]["NAME"]))
    try:
        private(file.parent)
        existed = file.exists()
        executor = MigrationExecutor(connection)
        plan = executor.migration_plan(executor.loader.graph.leaf_nodes())
        if not plan:
            return
        if existed:
            _keep_copy(file, plan[0][0].name)
        call_command("migrate", verbosity=0, interactive=False)
    except (OSError, sqlite3.Error) as error:
        raise CannotRun(f"{file.parent}: {_reason(error)}") from None


def _reason(error: Exception) -> str:
    if isinstance(error, OSError) and error.errno == errno.ENOSPC:
        return "the disk is full"
    return str(getattr(error, "strerror", None) or error)


def _keep_copy(file: Path, migration: str) -> None:
    """A whole copy through SQLite itself, so that what is still in the log is in it too."""
    copy = file.with_suffix(f".before-{migration}.sqlite3")
    with sqlite3.connect(file) as source, sqlite3.connect(copy) as target:
        source.backup(target)


def serve(host: str, port: int, *, demo: bool = False, reset: bool = False) -> int:
    """Serve until told to stop."""
    if len(settings.SECRET_KEY) < settings.SECRET_KEY_AT_LEAST:
        raise CannotRun(
            f"the secret key has {len(settings.SECRET_KEY)} characters; {settings.SECRET_KEY_AT_LEAST} are needed. "
            "Take away the file secret-key in the data folder (everybody signs in anew), or set a longer one."
        )
    data = Path(settings.DATA)
    lease = _lease(data)
    bound = _bound(host, port)
    # Whatever may fail has been tried by now: nothing is deleted for a server that does not start.
    if reset:
        for file in data.glob("highmoor.sqlite3*"):
            file.unlink()
    prepare_database()
    if demo:
        _ensure_demo()
    _say_hello(host, bound.getsockname()[1], demo)
    config = uvicorn.Config(
        "highmoor.server.asgi:application",
        lifespan="off",
        log_level="warning",
        timeout_graceful_shutdown=2,
        server_header=False,
        proxy_headers=settings.HTTPS,
    )
    server = _Server(config)
    server.run(sockets=[bound])
    lease.close()
    return 0


class _Server(uvicorn.Server):
    """Ends the streams first, so that a stop does not wait for browsers."""

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        HUB.close_all()
        BENCHES.stop_all()
        await super().shutdown(sockets)


def _lease(data: Path) -> IO[str]:
    """Hold the data folder: a second server on it would not see the first one's edits."""
    try:
        private(data)
        file = (data / "server.lock").open("a+")
    except OSError as error:
        raise CannotRun(f"{data}: {_reason(error)}") from None
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        raise CannotRun(f"another server already works with {data}; use --data for a second one") from None
    return file


def _bound(host: str, port: int) -> socket.socket:
    bound = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET)
    bound.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        bound.bind((host, port))
        bound.listen(128)
    except (OSError, OverflowError) as error:
        if getattr(error, "errno", None) == errno.EADDRINUSE:
            raise CannotRun(f"port {port} is taken; choose another with --port") from None
        raise CannotRun(f"port {port}: {_reason(error)}") from None
    return bound


def _ensure_demo() -> None:
    from django.contrib.auth.models import User

    from highmoor.server.demo import create_demo
    from highmoor.server.models import Membership

    user, made = User.objects.get_or_create(username=DEMO_USER)
    if made:
        user.set_unusable_password()
        user.save()
    if made and not Membership.objects.filter(user=user).exists():
        create_demo(user, key="skelder")


def _say_hello(host: str, port: int, demo: bool) -> None:
    what = "The demo plant is" if demo else "Highmoor is"
    shown = f"[{host}]" if ":" in host else host
    print(f"{what} at http://{shown}:{port} (Ctrl+C stops it)", flush=True)
    if not demo and host not in ("127.0.0.1", "::1", "localhost"):
        print("Reachable from other machines: put TLS in front and set HIGHMOOR_ALLOWED_HOSTS.", file=sys.stderr)
