"""Reads a file in a child process, which may be stopped and is bounded in time and memory."""

from __future__ import annotations

import base64
import hashlib
import json
import os
import signal
import subprocess
import sys
from dataclasses import dataclass, field
from pathlib import Path
from threading import Lock
from typing import Any

from pydantic import TypeAdapter

from highmoor.core.catalogue.reading.description import Description
from highmoor.core.errors import Refusal
from highmoor.core.project.signal_tables.declared_text import DeclaredText
from highmoor.intake.sheets import Sheet

SECONDS_AT_MOST = 19
_SOURCE = Path(__file__).resolve().parents[2]
_DESCRIPTION = TypeAdapter(Description)
_SHEET = TypeAdapter(Sheet)
_TEXT = TypeAdapter(DeclaredText)


@dataclass(frozen=True, slots=True)
class ReadFile:
    """What became of one file: its description, or why it was refused (with the line where one is known)."""

    name: str
    sha256: str
    octets: bytes
    description: Description | None = None
    raw: dict[str, Any] = field(default_factory=dict)
    refused: str = ""
    line: int = 0


class Reading:
    """One reading under way. `run` and `table` block until it is done; `stop` may be called from another thread."""

    def __init__(self, octets: bytes, name: str) -> None:
        self.octets = octets
        self.name = name
        self._child: subprocess.Popen[bytes] | None = None
        self._stopped = False
        self._guard = Lock()

    def run(self) -> list[ReadFile]:
        """The description files read: one, or those of an archive. Never raises for what is in them."""
        told = self._told("description")
        if "refused" in told:
            return [self._refused(told["refused"])]
        return [self._file(entry) for entry in told["files"]]

    def table(self) -> Sheet:
        """The table of a spreadsheet's file. Raises Refusal with the reason."""
        told = self._told("table")
        if "refused" in told:
            raise Refusal(told["refused"], value=self.name)
        return _SHEET.validate_python(told["sheet"])

    def signals(self) -> Sheet | DeclaredText:
        """The table of signals, or the declarations, in a file. Raises Refusal with the reason."""
        told = self._told("signals")
        if "refused" in told:
            raise Refusal(told["refused"], value=self.name)
        return _SHEET.validate_python(told["sheet"]) if "sheet" in told else _TEXT.validate_python(told["declared"])

    def _told(self, what: str) -> dict[str, Any]:
        """What the child says of the file, read as `what`: why it is refused, if it is."""
        with self._guard:
            if self._stopped:
                return {"refused": "Reading was stopped."}
            self._child = subprocess.Popen(
                [sys.executable, "-m", "highmoor.intake.child", self.name, what],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                env={**os.environ, "PYTHONPATH": str(_SOURCE)},
            )
        child = self._child
        try:
            answer, _ = child.communicate(self.octets, timeout=SECONDS_AT_MOST)
        except subprocess.TimeoutExpired:
            child.kill()
            child.wait()
            return {"refused": f"Reading it takes longer than {SECONDS_AT_MOST} s; it was given up."}
        except BrokenPipeError:
            child.wait()
            answer = b""
        if self._was_stopped():
            return {"refused": "Reading was stopped."}
        return self._answered(answer, child.returncode)

    def _was_stopped(self) -> bool:
        with self._guard:
            return self._stopped

    def stop(self) -> None:
        """Give up; `run` answers that it was stopped."""
        with self._guard:
            self._stopped = True
            if self._child is not None and self._child.poll() is None:
                self._child.kill()

    @staticmethod
    def _answered(answer: bytes, code: int) -> dict[str, Any]:
        try:
            told: dict[str, Any] = json.loads(answer)
        except ValueError:
            what = "more computing time" if -code in (signal.SIGXCPU, signal.SIGKILL) else "more memory or time"
            return {"refused": f"Reading it takes {what} than is allowed; it was given up."}
        return told

    def _file(self, entry: dict[str, Any]) -> ReadFile:
        octets = base64.b64decode(entry["octets"]) if "octets" in entry else self.octets
        if "refused" in entry:
            return ReadFile(entry["name"], entry["sha256"], octets, refused=entry["refused"], line=entry["line"])
        description = _DESCRIPTION.validate_python(entry["description"])
        return ReadFile(entry["name"], entry["sha256"], octets, description, entry["description"])

    def _refused(self, reason: str) -> ReadFile:
        return ReadFile(self.name, hashlib.sha256(self.octets).hexdigest(), self.octets, refused=reason)


def read_file(octets: bytes, name: str) -> list[ReadFile]:
    """Read a file to the end; see `Reading`."""
    return Reading(octets, name).run()
