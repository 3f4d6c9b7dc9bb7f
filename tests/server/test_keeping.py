"""What is kept: a copy before a migration, members, names that follow."""

from __future__ import annotations

import sqlite3
import subprocess
import sys
from pathlib import Path
from typing import Any

from tests.conftest import Api
from tests.paths import SRC


def run(data: Path, *args: str, given: str = "") -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "highmoor.server", *args, "--data", str(data)]
    environment = {"PYTHONPATH": str(SRC), "PATH": "/usr/bin:/bin"}
    return subprocess.run(command, capture_output=True, text=True, input=given, env=environment, check=False)


def test_the_database_is_copied_before_a_migration(tmp_path: Path) -> None:
    with sqlite3.connect(tmp_path / "highmoor.sqlite3") as database:
        database.execute("CREATE TABLE kept (word TEXT)")
        database.execute("INSERT INTO kept VALUES ('before')")
    assert run(tmp_path, "adduser", "ada", given="correct horse battery\n").returncode == 0
    (copy,) = tmp_path.glob("highmoor.before-*.sqlite3")
    with sqlite3.connect(copy) as database:
        assert database.execute("SELECT word FROM kept").fetchall() == [("before",)]
        assert len(database.execute("SELECT * FROM sqlite_master").fetchall()) == 1


def test_plants_go_in_and_out_on_the_command_line(tmp_path: Path) -> None:
    weak = run(tmp_path, "adduser", "ada", given="1234\n")
    assert (weak.returncode, "too short" in weak.stderr) == (3, True)
    assert run(tmp_path, "adduser", "ada", given="correct horse battery\n").returncode == 0
    demo = subprocess.run(
        [sys.executable, "-m", "highmoor.server", "export", "--demo"],
        capture_output=True, text=True, check=True, env={"PYTHONPATH": str(SRC), "HIGHMOOR_DATA": str(tmp_path)},
    ).stdout  # fmt: skip
    file = tmp_path / "plant.json"
    file.write_text(demo)
    made = run(tmp_path, "import", str(file), "--owner", "ada")
    assert made.returncode == 0, made.stderr
    assert run(tmp_path, "export", made.stdout.strip()).stdout == demo
    check = subprocess.run(
        [sys.executable, "-m", "highmoor.cli", "check", str(file)],
        capture_output=True, text=True, check=False, env={"PYTHONPATH": str(SRC)},
    )  # fmt: skip
    assert check.returncode == 0
    assert "HW-102" in check.stdout
    file.write_text(demo.replace('"rail": "r', '"rail": "q', 1))
    refused = run(tmp_path, "import", str(file), "--owner", "ada")
    assert refused.returncode == 3
    assert "modules[" in refused.stderr
    assert run(tmp_path, "export", "nothing").returncode == 3


def test_members_are_taken_in_and_out_and_an_owner_stays(ada: Api, users: dict[str, Any]) -> None:
    dan = Api(users["dan"])
    assert dan.call("get", "plants/demo")[0] == 404
    assert ada.call("put", "plants/demo/members/dan", {"role": "reader"})[0] == 200
    assert dan.call("get", "plants/demo")[1]["role"] == "reader"
    assert ada.call("delete", "plants/demo/members/dan")[0] == 204
    assert dan.call("get", "plants/demo")[0] == 404
    assert "needs an owner" in ada.call("delete", "plants/demo/members/ada")[1]["detail"]
    assert "needs an owner" in ada.call("put", "plants/demo/members/ada", {"role": "reader"})[1]["detail"]
    assert "no user called" in ada.call("put", "plants/demo/members/eve", {"role": "reader"})[1]["detail"]


def test_renaming_a_plant_is_an_edit_like_any_other(ada: Api) -> None:
    edit = {"kind": "set", "ids": ["p0"], "values": {"name": "Skelder, west"}}
    assert ada.edit("demo", edit)[0] == 200
    assert [p["name"] for p in ada.call("get", "plants")[1]] == ["Skelder, west"]
    assert ada.take_back("demo")[0] == 200
    assert [p["name"] for p in ada.call("get", "plants")[1]] == ["Skelder Maltings"]


def test_a_copy_is_a_plant_of_its_own(ada: Api) -> None:
    copy = ada.call("post", "plants", {"name": "Copy", "copy_of": "demo"})[1]["key"]
    first = ada.call("get", f"plants/{copy}")[1]["rows"]["modules"][0]["id"]
    assert ada.edit(copy, {"kind": "remove", "ids": [first]})[0] == 200
    assert len(ada.call("get", "plants/demo")[1]["rows"]["modules"]) == 32
    assert ada.call("delete", f"plants/{copy}")[0] == 204
    assert ada.call("get", f"plants/{copy}")[0] == 404
    assert ada.call("get", "plants/demo")[0] == 200
