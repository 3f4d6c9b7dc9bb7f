"""A database of an older version is brought up to date with nothing lost."""

from __future__ import annotations

import json
import os
import sqlite3
import subprocess
import sys
from contextlib import closing
from pathlib import Path
from typing import Any

from tests.paths import SRC

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
    subprocess.run([sys.executable, "-c", code], env={**os.environ, **more}, check=True, capture_output=True, text=True)
    return sqlite3.connect(next(data.glob("*.sqlite3")))


def put(to: sqlite3.Connection, table: str, key: str | int, /, **known: Any) -> None:
    """A row of a table with whatever its columns take, and before it the rows it refers to."""
    refers = {row[3]: row[2] for row in to.execute(f"PRAGMA foreign_key_list({table})")}
    values: list[Any] = []
    for _, name, kind, needed, _, own in to.execute(f"PRAGMA table_info({table})").fetchall():
        number = "int" in kind.lower() or "bool" in kind.lower()
        if name in refers and needed and not own and name not in known:
            above = 1 if number else "p.1"
            if not to.execute(f"SELECT 1 FROM {refers[name]} LIMIT 1").fetchone():
                put(to, refers[name], above)
            values.append(above)
        else:
            usual = ("{}" if name in ("settings", "as_built", "wiring") else 1 if number else key) if needed else None
            values.append(known.get(name, (1 if number else key) if own else usual))
    to.execute(f"INSERT INTO {table} VALUES ({', '.join('?' * len(values))})", values)


def test_letters_before_a_links_key_become_columns(tmp_path: Path) -> None:
    with closing(migrated(tmp_path, "'highmoor', '0006'")) as old, old:
        for n, key in enumerate(KEYS):
            put(old, "highmoor_link", f"p.l{n}", place_key=key)
    with closing(migrated(tmp_path, "'highmoor', '0007'")) as new:
        told = new.execute('SELECT place_key, way, "end" FROM highmoor_link ORDER BY rowid').fetchall()
    assert told == list(KEYS.values())


AS_BUILT = {
    "seed": 42,
    "lines": [{"port": "KILN S", "noise": 0.01, "terminated": True}],
    "devices": [
        {"address": "12", "line": "KILN S", "set_to": {"baud": 9600}, "terminated": True, "model": "moisture",
         "reply_ms": 4, "settings": {"moisture": 11.5}},
        {"address": "10.0.0.59", "adapter": {"vendor": 7, "points": []}, "model": "fan drive", "reply_ms": 3},
        {"address": "10.0.0.30", "model": "registers", "reply_ms": 8,
         "rail": [{"type": "di-16", "designation": "-K2", "settings": {}}]},
    ],
    "processes": [{"model": "tank", "controller": "KILN", "wires": {"level": "-K1:ch3", "full": "-K9:ch0"}}],
}  # fmt: skip


def test_what_was_kept_as_built_becomes_rows_that_name_ids(tmp_path: Path) -> None:
    with closing(migrated(tmp_path, "'highmoor', '0008'")) as old, old:
        put(old, "highmoor_project", 1, key="p", as_built=json.dumps(AS_BUILT), counter=100)
        put(old, "highmoor_controller", "p.c1", name="KILN")
        put(old, "highmoor_port", "p.o1", device="c1", name_key="S")
        for key, kind, port in (("n1", "modbus-rtu", "p.o1"), ("n2", "ethernet-ip", None), ("n3", "modbus-tcp", None)):
            put(old, "highmoor_network", f"p.{key}", kind=kind, port_id=port, name=key)
        for key, network, name, address in (
            ("s1", "n1", "Moisture 2", "12"), ("s2", "n2", "Gallery fan 1", "10.0.0.21"),
            ("s3", "n2", "Scanner", "10.0.0.50"), ("s4", "n3", "Well house", "10.0.0.30"),
        ):  # fmt: skip
            put(old, "highmoor_station", f"p.{key}", network_id=f"p.{network}", name=name, address=address, type="t")
        for key, designation in (("m1", "-K1"), ("m2", "-K2")):
            put(old, "highmoor_module", f"p.{key}", designation=designation)
    with closing(migrated(tmp_path, "'highmoor', '0009'")) as new:
        devices = new.execute(
            "SELECT network, station, address, facts, model, rail FROM highmoor_builtdevice ORDER BY rank"
        )
        assert [(*row[:3], json.loads(row[3]), *row[4:]) for row in devices] == [
            ("n1", "s1", "", {"reply_ms": 4, "baud": 9600, "terminated": True}, "moisture", "configured"),
            ("n3", "s4", "", {"reply_ms": 8}, "", "own"),
            # Nobody is drawn at this address; there is one drawn fan that nobody was found for.
            ("n2", "s2", "10.0.0.59", {"vendor": 7, "points": [], "reply_ms": 3}, "fan drive", "configured"),
        ]  # fmt: skip
        assert new.execute("SELECT type, module FROM highmoor_builtmodule").fetchall() == [("di-16", "m2")]
        assert new.execute("SELECT network FROM highmoor_builtline").fetchall() == [("n1",)]
        wires = new.execute('SELECT "end", module, channel FROM highmoor_builtwire').fetchall()
        assert wires == [("level", "m1", "ch3")]
        assert new.execute("SELECT counter FROM highmoor_project").fetchone()[0] == 100 + 3 + 1 + 1 + 1 + 1


def test_a_use_names_what_it_is_of_by_its_plain_id(tmp_path: Path) -> None:
    with closing(migrated(tmp_path, "'highmoor', '0014'")) as old, old:
        put(old, "highmoor_axis", "p.a7", name="LIFT")
        put(old, "highmoor_use", "p.h9", of_id="p.a7", role="control")
    with closing(migrated(tmp_path, "'highmoor', '0015'")) as new:
        assert new.execute('SELECT "key", "of", role FROM highmoor_use').fetchall() == [("p.h9", "a7", "control")]
        assert new.execute("SELECT settings FROM highmoor_controller").fetchall() == [("{}",)]
