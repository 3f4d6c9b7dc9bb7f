"""A fieldbus unlike the others, through every part of the seam, without a line of it anywhere else."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from typing import Any

import pytest

from tests.paths import ROOT


@pytest.fixture(scope="module")
def told() -> dict[str, Any]:
    paths = os.pathsep.join([str(ROOT / "src"), str(ROOT)])
    done = subprocess.run(
        [sys.executable, "-m", "tests.core.networks.toy_bites"], capture_output=True, text=True, check=False, cwd=ROOT,
        env={**os.environ, "PYTHONPATH": paths},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def test_where_its_stations_stand_follows_and_is_not_entered(told: dict[str, Any]) -> None:
    assert told["positions"] == ["1", "2", "3"]
    assert told["address field"] == []
    assert "NET-104" not in told["codes"]


def test_its_parts_and_checks_are_asked_and_its_plants_kept(told: dict[str, Any]) -> None:
    assert told["weight"] == 9 + 2 + 16 + 24
    assert told["codes"].count("TOY-101") == 3
    assert told["round trip"]


def test_places_within_places_are_found_and_bits_counted_from_the_last_octet(told: dict[str, Any]) -> None:
    # Modules begin at the exchange's second octet, what hangs on the pole where the pole does.
    assert told["places"]["Outer"] == told["places"]["Inner"] == [1, 1]
    # Of 24 flags bit 0 is the lowest of the third octet.
    assert told["places"]["LastBit"] == [2, 0]


def test_what_hangs_on_a_module_is_wired_where_the_module_is(told: dict[str, Any]) -> None:
    assert [told["terminals"][module] for module in told["inside"]] == [0, 0]
    # On a controller's own rail as well.
    assert told["here"] == told["here is"]
    assert len(set(told["here"])) == 1


def test_one_frame_serves_all_and_a_device_speaks_first(told: dict[str, Any]) -> None:
    assert told["states"] == ["good", "good", "good"]
    # The ninth flag of the first mast.
    assert told["frame"] == "000100"
    # Told as it goes over: a letter, two octets of flags and one, then each answer behind its mast's letter.
    assert told["told frames"] == [
        [True, 4, 0, [1, 3]], [False, 2, 10, []], [False, 3, 20, [1]], [False, 4, 30, [1]],
    ]  # fmt: skip
    assert told["heard"] == [4, 2, 3, 4]
    # Drawn on one lane: the frame is of all who take flags from it.
    assert told["rope"] == [["request", 0, ["Up", "Down"]], ["response", 20, ["Seen"]], ["response", 30, ["Hung"]]]
    assert told["waved"] == [2]
    assert told["moves"]
    assert told["wired"] == {"Outer": True, "Inner": True}


def test_what_is_written_at_the_start_is_what_the_device_has(told: dict[str, Any]) -> None:
    assert told["startup"] == {"North": [], "South": [["crest", "6C 69 6F 6E"]], "West": []}
    assert told["crests"] == {"North": "", "South": "6c 69 6f 6e", "West": ""}


def test_it_brings_an_edit_of_its_own(told: dict[str, Any]) -> None:
    assert told["furled"] == [4, 4, 4, 4]
    assert told["refused"] == [
        "flags: Input should be greater than 0.", "flags: Field required.", "Flag rope has no edit 'reef'.",
    ]  # fmt: skip


def test_it_is_scanned_and_a_fault_is_seen_where_it_is(told: dict[str, Any]) -> None:
    assert told["found"] == [["1", "North"], ["2", "South"], ["3", "West"]]
    assert told["differences"] == ["agrees", "agrees", "agrees"]
    assert told["fault"] == ["good", "no flags from mast 2", "good"]
