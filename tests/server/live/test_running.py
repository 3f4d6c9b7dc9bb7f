"""The real server: killed in the middle of edits, streamed from, with a bench of its own, stopped."""

from __future__ import annotations

import http.client
import os
import random
import threading
import time
import urllib.error
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.paths import SRC
from tests.server.running import RunningServer, Visitor, events


@pytest.fixture
def server(tmp_path: Path) -> Iterator[RunningServer]:
    running = RunningServer(tmp_path)
    yield running
    running.stop()


def edit_body(revision: int, key: str, signal: str, note: str) -> dict[str, Any]:
    edit = {"kind": "set", "ids": [signal], "values": {"note": note}}
    return {"base": revision, "client": "t", "client_key": key, "label": "note", "edit": edit}


def test_killed_many_times_it_loses_no_answered_edit(server: RunningServer) -> None:
    chance = random.Random(7)
    answered: dict[str, str] = {}
    findings = Visitor(server.url).call("GET", "plants/skelder/findings")["findings"]
    for round_ in range(4):
        visitor = Visitor(server.url)
        plant = visitor.call("GET", "plants/skelder")
        signals = [row["id"] for row in plant["rows"]["signals"]]
        revision = plant["revision"]
        killer = threading.Timer(chance.uniform(0.15, 0.6), server.kill)
        for n in range(100_000):
            signal, note = chance.choice(signals), f"{round_}-{n}"
            try:
                visitor.call("POST", "plants/skelder/edits", edit_body(revision, note, signal, note))
            except (urllib.error.URLError, http.client.HTTPException, OSError):
                break
            answered[signal] = note
            # However slow the machine is: every round has something that could be lost.
            if n == 0:
                killer.start()
        killer.join()
        assert server.process
        assert server.process.poll() is not None
        server.start()
        found = Visitor(server.url).call("GET", "plants/skelder")
        notes = {row["id"]: row["note"] for row in found["rows"]["signals"]}
        # The one edit in flight may have been written without being answered; nothing else may differ.
        lost = [signal for signal, note in answered.items() if notes[signal] != note]
        assert len(lost) <= 1
        assert all(notes[s] == f"{round_}-{n}" for s in lost)
        answered.update({s: notes[s] for s in lost})
        assert Visitor(server.url).call("GET", "plants/skelder/findings")["findings"] == findings
    assert len(answered) >= 4


def test_edits_reach_others_on_the_stream_and_one_who_was_away_is_told(server: RunningServer) -> None:
    visitor = Visitor(server.url)
    plant = visitor.call("GET", "plants/skelder")
    signal = plant["rows"]["signals"][0]["id"]
    with visitor.stream(f"skelder:{plant['revision']}") as response:
        news = events(response)
        assert next(news)[0] == "hello"
        began = time.monotonic()
        visitor.call("POST", "plants/skelder/edits", edit_body(plant["revision"], "k1", signal, "seen"))
        told = next(data for name, data in news if name == "revision")
        assert time.monotonic() - began < 1
        assert (told["revision"], told["author"]) == (plant["revision"] + 1, "demo")
        assert told["change"][0]["after"]["note"] == "seen"
    with visitor.stream(f"skelder:{plant['revision']}") as response:
        told = next(data for name, data in events(response) if name == "behind")
        assert told["revision"] == plant["revision"] + 1


def test_a_live_bench_streams_ten_times_a_second_and_ends_with_the_server(server: RunningServer) -> None:
    visitor = Visitor(server.url)
    plant = visitor.call("GET", "plants/skelder")
    ids = {row["name"]: row["id"] for row in plant["rows"]["signals"]}
    skid = next(row["id"] for row in plant["rows"]["stations"] if row["name"] == "Humidifier")
    assert visitor.call("POST", "plants/skelder/bench")["state"] == "running"
    children = server.children()
    assert children
    followed = [ids["HumidifierPulse"], ids["Tank1Level"], ids["HumidifierGood"]]
    with visitor.stream(f"skelder:{plant['revision']}") as response:
        news = events(response)
        next(news)
        # Two tabs of one browser: what either shows is carried, and the state because one of them shows it.
        for tab, shown in (("one", followed[:2]), ("two", followed[2:])):
            wanted = {"stream": "test-stream", "tab": tab, "signals": shown, "state": tab == "one"}
            visitor.call("POST", "plants/skelder/bench/follow", wanted)
        values: dict[str, Any] = {}
        times: list[float] = []
        states: list[float] = []
        for name, data in news:
            if name == "state":
                states.append(data["bench"]["time_s"])
            if name == "live":
                values.update(zip(data["i"], data["v"], strict=True))
                assert set(data["i"]) <= set(followed)
                times.append(data["t"])
            if len(values) == 3 and len(times) > 25:
                break
        # As it goes, twice a second.
        assert states == sorted(states)
        assert len(states) >= 4
        wanted = {"stream": "test-stream", "tab": "one", "signals": [], "state": False}
        visitor.call("POST", "plants/skelder/bench/follow", wanted)
        assert len(times) / (times[-1] - times[0]) > 10
        assert values[ids["HumidifierGood"]] is True
        pull = {"kind": "set-built", "ids": [skid], "values": {"cable": False}}
        body = {"base": plant["revision"], "client": "c", "client_key": "pull", "label": "Pull", "edit": pull}
        answer = visitor.call("POST", "plants/skelder/edits", body)
        assert (answer["document"], answer["steps"]["plant"]["undo"]) == ("built", None)
        state = next(
            visitor.call("GET", "plants/skelder/bench") for name, data in news if name == "bench" and _bad(visitor)
        )
        assert state["stations"][0]["text"] == "no answer within 400 ms"
        with pytest.raises(urllib.error.HTTPError) as refused:
            body = {"command": "write", "target": ids["Tank1Level"], "value": 1}
            visitor.call("POST", "plants/skelder/bench/command", body)
        assert refused.value.code == 422
    server.kill()
    deadline = time.monotonic() + 5
    while time.monotonic() < deadline and any(_lives(pid) for pid in children):
        time.sleep(0.05)
    assert not any(_lives(pid) for pid in children)
    server.start()


def _bad(visitor: Visitor) -> bool:
    return bool(visitor.call("GET", "plants/skelder/bench")["stations"][0]["state"] == "bad")


def _lives(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().split()[2] != "Z"
    except (FileNotFoundError, ProcessLookupError):
        return False


def test_a_second_server_on_one_folder_and_a_taken_port_are_told_in_a_line(
    server: RunningServer, tmp_path: Path
) -> None:
    import subprocess
    import sys

    def started(port: int, data: Path) -> subprocess.CompletedProcess[str]:
        environment = {**os.environ, "PYTHONPATH": str(SRC)}
        environment.pop("HIGHMOOR_DATA", None)
        command = [sys.executable, "-m", "highmoor.server", "demo", "--port", str(port), "--data", str(data)]
        return subprocess.run(command, capture_output=True, text=True, timeout=30, env=environment, check=False)

    second = started(server.port + 1, server.data)
    assert second.returncode == 3
    assert "another server already works with" in second.stderr
    taken = started(server.port, tmp_path / "other")
    assert taken.returncode == 3
    assert f"port {server.port} is taken" in taken.stderr
    nowhere = started(server.port + 1, Path("/proc/nowhere"))
    assert nowhere.returncode == 3
    assert "/proc/nowhere" in nowhere.stderr
    assert nowhere.stderr.count("\n") == 1
