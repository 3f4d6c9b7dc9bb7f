"""The real server against those who are not in: hosts, uploads, guessed passwords, sessions that ended elsewhere."""

from __future__ import annotations

import http.client
import json
import select
import socket
import sqlite3
import stat
import threading
import time
import urllib.error
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from highmoor.core.plant.plant import base36
from tests.server.running import RunningServer, Visitor, events
from tests.server.test_keeping import run


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[RunningServer]:
    folder = tmp_path_factory.mktemp("data")
    folder.chmod(0o755)
    assert run(folder, "adduser", "ada", given="correct horse battery\n").returncode == 0
    running = RunningServer(folder)
    yield running
    running.stop()


def asked(server: RunningServer, path: str, **headers: str) -> int:
    line = http.client.HTTPConnection("127.0.0.1", server.port, timeout=10)
    line.request("GET", path, headers=headers)
    return line.getresponse().status


@pytest.mark.parametrize("path", ["/", "/api/health", "/api/stream?plants=skelder:1", "/static/app/manifest.json"])
def test_only_the_hosts_it_was_given_are_answered_to(server: RunningServer, path: str) -> None:
    assert asked(server, path, Host="evil.example") == 400
    assert asked(server, path, Host=f"localhost:{server.port}") != 400


def test_what_is_kept_is_for_nobody_else_to_read(server: RunningServer) -> None:
    assert stat.S_IMODE(server.data.stat().st_mode) == 0o700
    modes = {f.name: stat.S_IMODE(f.stat().st_mode) for f in server.data.iterdir()}
    assert set(modes.values()) == {0o600}, modes


def test_cookies_are_told_apart_by_port(server: RunningServer) -> None:
    names = {cookie.name for cookie in Visitor(server.url)._jar}
    assert names == {f"highmoor-session-{server.port}", f"highmoor-csrf-{server.port}"}


@pytest.mark.parametrize("chunked", [False, True])
def test_an_upload_of_a_stranger_is_refused_before_it_is_taken(server: RunningServer, chunked: bool) -> None:
    with socket.create_connection(("127.0.0.1", server.port), timeout=10) as line:
        length = "Transfer-Encoding: chunked" if chunked else f"Content-Length: {60 * 2**20}"
        head = f"POST /api/plants/import HTTP/1.1\r\nHost: 127.0.0.1\r\n{length}\r\n\r\n"
        line.sendall(head.encode())
        if chunked:
            # Far less than the bound of those who are in.
            for _ in range(20):
                if select.select([line], [], [], 0.05)[0]:
                    break
                line.sendall(b"1000\r\n" + b"x" * 4096 + b"\r\n")
        answer = line.recv(4096)
    assert answer.startswith(b"HTTP/1.1 401")


def test_what_comes_in_pieces_is_taken_whole(server: RunningServer) -> None:
    visitor = Visitor(server.url)
    cookies = "; ".join(f"{c.name}={c.value}" for c in visitor._jar)
    body = json.dumps({"name": "In pieces"}).encode()
    with socket.create_connection(("127.0.0.1", server.port), timeout=10) as line:
        head = f"POST /api/plants HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: {cookies}\r\nX-CSRFToken: {visitor._token}\r\n"
        line.sendall(f"{head}Content-Type: application/json\r\nTransfer-Encoding: chunked\r\n\r\n".encode())
        for piece in (body[:7], body[7:], b""):
            line.sendall(f"{len(piece):x}\r\n".encode() + piece + b"\r\n")
        assert line.recv(4096).startswith(b"HTTP/1.1 200")
    (made,) = [plant["key"] for plant in visitor.call("GET", "plants") if plant["name"] == "In pieces"]
    visitor.call("DELETE", f"plants/{made}")


def test_an_upload_larger_than_any_is_refused_by_its_length(server: RunningServer) -> None:
    visitor = Visitor(server.url)
    cookies = "; ".join(f"{c.name}={c.value}" for c in visitor._jar)
    with socket.create_connection(("127.0.0.1", server.port), timeout=10) as line:
        head = f"POST /api/plants/import HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: {cookies}\r\n"
        line.sendall(f"{head}Content-Length: {2**30}\r\n\r\n".encode())
        assert line.recv(4096).startswith(b"HTTP/1.1 413")


def signing_in(server: RunningServer, name: str, password: str) -> tuple[int, Any, Visitor]:
    visitor = Visitor(server.url)
    visitor.call("DELETE", "session")
    visitor._token = visitor.call("GET", "session")["csrf"]
    try:
        told = visitor.call("POST", "session", {"name": name, "password": password})
    except urllib.error.HTTPError as error:
        return error.code, json.loads(error.read()), visitor
    visitor._token = told["csrf"]
    return 200, told, visitor


def test_many_guesses_at_once_are_no_more_than_a_few_one_by_one(server: RunningServer) -> None:
    assert run(server.data, "adduser", "ben", given="another long password\n").returncode == 0
    told: list[tuple[int, Any]] = []

    def guess(n: int) -> None:
        told.append(signing_in(server, "ben", f"guess {n}")[:2])

    threads = [threading.Thread(target=guess, args=(n,)) for n in range(24)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    # On a slow machine some are told to come again: then they do.
    assert {status for status, _ in told} <= {403, 503}
    while not any("Too many" in body["detail"] for _, body in told):
        guess(len(told))
    with sqlite3.connect(server.data / "highmoor.sqlite3") as database:
        counted = database.execute("SELECT failures_since_start FROM axes_accessattempt WHERE username = 'ben'")
        assert counted.fetchone() == (10,)
    assert sum("is not right" in body["detail"] for _, body in told) == 9
    server.stop()
    server.start()
    assert "Too many" in signing_in(server, "ben", "another long password")[1]["detail"]


def test_a_stream_ends_when_its_password_is_changed(server: RunningServer) -> None:
    status, _, visitor = signing_in(server, "ada", "correct horse battery")
    assert status == 200
    key = visitor.call("POST", "plants", {"name": "Hers"})["key"]
    with visitor.stream(f"{key}:1") as response:
        news = events(response)
        assert next(news)[0] == "hello"
        assert run(server.data, "adduser", "ada", given="a new long password\n").returncode == 0
        began = time.monotonic()
        assert [name for name, _ in news if name == "end"] == ["end"]
        assert time.monotonic() - began < 15
    assert signing_in(server, "ada", "correct horse battery")[0] == 403


@pytest.mark.parametrize(
    ("name", "password", "says"),
    [
        ("", "correct horse battery", "is not a name"),
        ("a b", "correct horse battery", "is not a name"),
        ("x" * 151, "correct horse battery", "is not a name"),
        ("Demo", "correct horse battery", "demo user"),
        ("eve", "short", "too short"),
        ("eve", "password123", "too common"),
        ("eve", "2718281828459045", "entirely numeric"),
        ("evelyn.marsh", "evelyn.marsh1", "too similar"),
    ],
)
def test_who_may_be_added(tmp_path: Path, name: str, password: str, says: str) -> None:
    refused = run(tmp_path, "adduser", name, given=f"{password}\n")
    assert refused.returncode == 3
    assert says in refused.stderr


def test_a_short_key_is_refused_and_a_reset_deletes_nothing_for_a_server_that_cannot_start(tmp_path: Path) -> None:
    import subprocess
    import sys

    from tests.paths import SRC

    assert run(tmp_path, "adduser", "ada", given="correct horse battery\n").returncode == 0
    (tmp_path / "secret-key").write_text("cut")
    short = run(tmp_path, "serve", "--port", "0")
    assert (short.returncode, "32 are needed" in short.stderr) == (3, True)
    (tmp_path / "secret-key").unlink()
    database = tmp_path / "highmoor.sqlite3"
    before = database.read_bytes()
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        command = [sys.executable, "-m", "highmoor.server", "demo", "--reset", "--data", str(tmp_path), "--port"]
        told = subprocess.run(
            [*command, str(taken.getsockname()[1])], capture_output=True, text=True, check=False, timeout=30,
            env={"PYTHONPATH": str(SRC), "PATH": "/usr/bin:/bin"},
        )  # fmt: skip
    assert (told.returncode, "is taken" in told.stderr) == (3, True)
    assert database.read_bytes() == before


def test_the_largest_file_taken_stays_within_bounds(server: RunningServer) -> None:
    visitor = Visitor(server.url)
    data = visitor.call("GET", "plants/skelder/export")
    signal, count = data["signals"][0], data["counter"]
    more = 90_000
    data["signals"] += [
        {**signal, "id": f"g{base36(count + n)}", "name": f"Many{n}", "rank": f"z{n:06}1", "note": f"{n} " * 60}
        for n in range(1, more)
    ]
    data["counter"] = count + more
    octets = json.dumps(data).encode()
    assert 55 * 2**20 < len(octets) < 64 * 2**20
    key = json.loads(visitor.send_file("plants/import", "large.json", octets))["key"]
    assert server.process
    status = Path(f"/proc/{server.process.pid}/status").read_text()
    peak = int(next(line for line in status.splitlines() if line.startswith("VmHWM")).split()[1]) / 1024
    assert peak < 600, f"{peak:.0f} MB"
    visitor.call("DELETE", f"plants/{key}")
    assert len(visitor.call("GET", "plants")) == 1
