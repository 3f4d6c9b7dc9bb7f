"""The real server in a process of its own, on a free port, against a folder of its own."""

from __future__ import annotations

import http.cookiejar
import json
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path
from typing import Any

from tests.paths import SRC


def free_port() -> int:
    """A port nobody listens on now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class RunningServer:
    """`highmoor demo` as a user would start it; `module` is another one that does the same with something added.

    With `soon` it may not answer yet: whoever needs it waits for it.
    """

    def __init__(self, data: Path, module: str = "highmoor.server", *, soon: bool = False) -> None:
        self.data = data
        self.module = module
        self.port = free_port()
        self.process: subprocess.Popen[str] | None = None
        self.launch()
        if not soon:
            self.until_it_answers()

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        """Start, and wait until it answers."""
        self.launch()
        self.until_it_answers()

    def launch(self) -> None:
        """Start, and go on at once."""
        environment = {k: v for k, v in os.environ.items() if not k.startswith(("HIGHMOOR_", "DJANGO_"))}
        environment["PYTHONPATH"] = os.pathsep.join([str(SRC), str(SRC.parent)])
        command = [sys.executable, "-m", self.module, "demo", "--port", str(self.port), "--data", str(self.data)]
        self.process = subprocess.Popen(
            command, env=environment, text=True, stderr=subprocess.PIPE, stdout=subprocess.PIPE
        )

    def until_it_answers(self) -> None:
        """Wait until it does. Raises AssertionError where it ends instead, or takes too long."""
        assert self.process
        deadline = time.monotonic() + 30
        while time.monotonic() < deadline:
            if self.process.poll() is not None:
                raise AssertionError(self.process.communicate()[1])
            try:
                urllib.request.urlopen(f"{self.url}/api/health", timeout=1).read()
                return
            except (urllib.error.URLError, ConnectionError, TimeoutError):
                # Polling for the server to come up is waiting for a condition, not for a time.
                time.sleep(0.05)
        raise AssertionError("the server did not answer within 30 s")

    def kill(self) -> None:
        """SIGKILL: no goodbye of any kind."""
        assert self.process
        self.process.send_signal(signal.SIGKILL)
        self.process.communicate()

    def stop(self) -> None:
        """As Ctrl+C does."""
        assert self.process
        if self.process.poll() is None:
            self.process.send_signal(signal.SIGINT)
            self.process.communicate(timeout=15)

    def children(self) -> list[int]:
        """Processes this server has started."""
        assert self.process
        found = subprocess.run(["pgrep", "-P", str(self.process.pid)], capture_output=True, text=True, check=False)
        return [int(pid) for pid in found.stdout.split()]


class Visitor:
    """A browser's session without a browser: the demo user over HTTP."""

    def __init__(self, url: str) -> None:
        self.url = url
        self._jar = http.cookiejar.CookieJar()
        self._opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self._jar))
        try:
            self._opener.open(url + "/", timeout=10)
        except urllib.error.HTTPError as error:
            # Without a built front end the page says so (503), but the visitor is signed in all the same.
            if error.code != 503:
                raise
        self._token = self.call("GET", "session")["csrf"]

    def call(self, method: str, path: str, body: Any = None) -> Any:
        headers = {"Content-Type": "application/json", "X-CSRFToken": getattr(self, "_token", "")}
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(f"{self.url}/api/{path}", data=data, method=method, headers=headers)
        with self._opener.open(request, timeout=20) as response:
            text = response.read()
        return json.loads(text) if text else None

    def download(self, path: str) -> bytes:
        """A file as it is given out."""
        with self._opener.open(f"{self.url}/api/{path}", timeout=60) as response:
            return bytes(response.read())

    def send_file(self, path: str, name: str, octets: bytes) -> bytes:
        """A file as a form sends it; the answer's octets."""
        edge = "----highmoor-tests"
        head = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'
        request = urllib.request.Request(
            f"{self.url}/api/{path}", data=head.encode() + octets + f"\r\n--{edge}--\r\n".encode(), method="POST",
            headers={"Content-Type": f"multipart/form-data; boundary={edge}", "X-CSRFToken": self._token},
        )  # fmt: skip
        with self._opener.open(request, timeout=120) as response:
            return bytes(response.read())

    def stream(self, plants: str) -> Any:
        """The event stream as an open response."""
        return self._opener.open(f"{self.url}/api/stream?plants={plants}&id=test-stream", timeout=20)


def events(response: Any) -> Any:
    """Server-sent events as (name, data), as they come."""
    name = ""
    for raw in response:
        line = raw.decode().rstrip("\n")
        if line.startswith("event: "):
            name = line[7:]
        elif line.startswith("data: "):
            yield name, json.loads(line[6:])
