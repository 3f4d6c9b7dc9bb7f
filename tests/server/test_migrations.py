"""A database of an older version is brought up to date with nothing lost."""

from __future__ import annotations

import os
import sqlite3
import subprocess
import sys
from contextlib import closing
from pathlib import Path
from typing import Any

SRC = Path(__file__).parents[2] / "src"
# A link's key as it was, and key, way and end as they are.
KEYS = {
    "r0": ("r0", "data", "own"),
    "fr2.0": ("r2.0", "data", "partner"),
    "wr1": ("r1", "back", "own"),
    "fwo3.4": ("o3.4", "back", "partner"),
    "status": ("", "status", "own"),
    "start": ("", "start", "own"),
    "ch3": ("ch3", "data", "own"),
}


def migrated(data: Path, to: str) -> sqlite3.Connection:
    code = f"import django; django.setup(); from django.core.management import call_command as c; c('migrate', {to})"
    more = {"PYTHONPATH": str(SRC), "HIGHMOOR_DATA": str(data), "DJANGO_SETTINGS_MODULE": "highmoor.server.settings"}
    subprocess.run([sys.executable, "-c", code], env={**os.environ, **more}, check=True, capture_output=True)
    return sqlite3.connect(next(data.glob("*.sqlite3")))


def put(to: sqlite3.Connection, table: str, key: str, **known: Any) -> None:
    """A row of a table with whatever its columns take, and before it the rows it refers to."""
    refers = {row[3]: row[2] for row in to.execute(f"PRAGMA foreign_key_list({table})")}
    values: list[Any] = []
    for _, name, kind, needed, _, own in to.execute(f"PRAGMA table_info({table})").fetchall():
        number = "int" in kind.lower() or "bool" in kind.lower()
        if name in refers and needed and not own:
            above = 1 if number else "p.1"
            if not to.execute(f"SELECT 1 FROM {refers[name]} LIMIT 1").fetchone():
                put(to, refers[name], above)
            values.append(above)
        else:
            usual = (1 if number else key) if needed else None
            values.append(known.get(name, (1 if number else key) if own else usual))
    to.execute(f"INSERT INTO {table} VALUES ({', '.join('?' * len(values))})", values)


def test_letters_before_a_links_key_become_columns(tmp_path: Path) -> None:
    with closing(migrated(tmp_path, "'highmoor', '0006'")) as old, old:
        for n, key in enumerate(KEYS):
            put(old, "highmoor_link", f"p.l{n}", place_key=key)
    with closing(migrated(tmp_path, "'highmoor', '0007'")) as new:
        told = new.execute('SELECT place_key, way, "end" FROM highmoor_link ORDER BY rowid').fetchall()
    assert told == list(KEYS.values())
