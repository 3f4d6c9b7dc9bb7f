"""The process that reads one file: octets on standard input, the outcome as JSON on standard output.

It bounds its own memory and time before it looks at a single octet, so that a hostile file can cost no more.
"""

from __future__ import annotations

import base64
import dataclasses
import hashlib
import json
import resource
import sys
from collections.abc import Callable
from typing import Any

from pydantic import TypeAdapter

from highmoor.core.catalogue.reading.description import Description, Unreadable
from highmoor.core.catalogue.reading.families import read_octets
from highmoor.core.catalogue.reading.iolink_iodd import with_languages
from highmoor.core.catalogue.reading.text import decoded
from highmoor.core.project.signal_tables.declared_text import is_declarations, read_declarations
from highmoor.intake.archives import is_archive, members
from highmoor.intake.sheets import ROWS_AT_MOST, read_sheet

MEMORY_AT_MOST = 480 * 2**20
SECONDS_AT_MOST = 18
# Ten thousand signals, some with several links.
SIGNAL_LINES_AT_MOST = 20_000
_DESCRIPTION = TypeAdapter(Description)


def main() -> int:
    """Read standard input; the first argument is the file's name, the second what it is read as."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_AT_MOST, MEMORY_AT_MOST))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS_AT_MOST, SECONDS_AT_MOST + 1))
    name = sys.argv[1] if len(sys.argv) > 1 else ""
    try:
        answer = _READ[sys.argv[2] if len(sys.argv) > 2 else "description"](sys.stdin.buffer.read(), name)
        text = json.dumps(answer)
    except MemoryError:
        answer = {}
        text = json.dumps({"refused": f"Reading it takes more than {MEMORY_AT_MOST // 2**20} MB of memory."})
    sys.stdout.write(text)
    return 0


def _table(octets: bytes, name: str, most: int = ROWS_AT_MOST) -> dict[str, Any]:
    """A table of a spreadsheet, or why there is none."""
    try:
        return {"sheet": dataclasses.asdict(read_sheet(octets, most))}
    except Unreadable as unreadable:
        where = f"Row {unreadable.line}: " if unreadable.line else ""
        return {"refused": f"{where}{unreadable.reason}"}


def _signals(octets: bytes, name: str) -> dict[str, Any]:
    """A table of signals, or a program's declarations, or why it is neither."""
    if is_archive(octets):
        return _table(octets, name, SIGNAL_LINES_AT_MOST)
    text, _ = decoded(octets)
    if not is_declarations(text):
        return _table(octets, name, SIGNAL_LINES_AT_MOST)
    try:
        return {"declared": dataclasses.asdict(read_declarations(text))}
    except Unreadable as unreadable:
        return {"refused": f"Line {unreadable.line}: {unreadable.reason}"}


_READ: dict[str, Callable[[bytes, str], dict[str, Any]]] = {
    "description": lambda octets, name: {"files": outcomes(octets, name)},
    "table": _table,
    "signals": _signals,
}


def outcomes(octets: bytes, name: str) -> list[dict[str, Any]]:
    """What became of a file, or of each file of an archive."""
    if not is_archive(octets):
        return [_outcome(name, octets)]
    try:
        found = []
        for label, content in with_languages(list(members(octets))):
            outcome = _outcome(label, content)
            if "description" in outcome:
                outcome["octets"] = base64.b64encode(content).decode("ascii")
            found.append(outcome)
    except Unreadable as unreadable:
        return [_refused(name, octets, unreadable)]
    if not found:
        return [_refused(name, octets, Unreadable("The archive holds no file that could be a description."))]
    return found


def _outcome(name: str, octets: bytes) -> dict[str, Any]:
    try:
        description = read_octets(octets, name)
    except Unreadable as unreadable:
        return _refused(name, octets, unreadable)
    return {"name": name, "sha256": _digest(octets), "description": _DESCRIPTION.dump_python(description, mode="json")}


def _refused(name: str, octets: bytes, unreadable: Unreadable) -> dict[str, Any]:
    return {"name": name, "sha256": _digest(octets), "refused": unreadable.reason, "line": unreadable.line}


def _digest(octets: bytes) -> str:
    return hashlib.sha256(octets).hexdigest()


if __name__ == "__main__":
    sys.exit(main())
