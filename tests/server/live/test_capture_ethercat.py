"""What went over an EtherCAT line, read by a network analyser that is not ours, against the bench's own log."""

from __future__ import annotations

from collections import Counter
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest

from highmoor.capture import FrameCapture
from highmoor.core.bench.bench import Bench
from highmoor.core.networks.ethercat import datagrams as d
from highmoor.core.networks.ethercat.bring_up import read_object, write_object
from tests.core.networks.ethercat.test_bench import going, master
from tests.core.networks.ethercat.turner import LIBRARY, line, named, write
from tests.server.live.test_capture import read

LOGICAL = {d.LRD, d.LWR, d.LRW}
NUMBERS = ("ecat.cmd", "ecat.idx", "ecat.adp", "ecat.ado", "ecat.lad", "ecat.cnt")


class Log:
    """All that passed, as the bench had it."""

    def __init__(self) -> None:
        self.frames: list[tuple[int, list[d.Sent], bool]] = []

    def __call__(self, time_ns: int, octets: bytes, back: bool) -> None:
        self.frames.append((time_ns, d.decode(octets), back))


@pytest.fixture(scope="module")
def captured(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Log, Bench]:
    plant = line(("TE-1", ("TD-16", "TO-16", "TA-4", "TX-2")), "CS-5", ("PG-3", ()), "AE-1")
    plant = write(plant, named(plant, "S2").id, "16#6065", "0", "39 30 00 00")
    bench, log = Bench(plant, LIBRARY), Log()
    (medium,) = bench.on_the_fly.values()
    file = tmp_path_factory.mktemp("capture") / "line.pcapng"
    with file.open("wb") as out:
        capture = FrameCapture(out)
        medium.taps += [capture, log]
        bench.run_until(0.3)
        asking = master(bench)
        drive: Any = next(one for one in asking.nodes if one.node.id == named(plant, "S2").id)
        for question in (
            lambda: read_object(drive.node, drive.address, 0x1008, 0),
            lambda: read_object(drive.node, drive.address, 0x1018, 9),
            lambda: write_object(drive.node, drive.address, 0x6041, 0, bytes(2)),
            lambda: write_object(drive.node, drive.address, 0x6065, 0, bytes(4)),
        ):
            asking.asker.run(question())
            bench.run_until(bench.seconds + 0.05)
        bench.stop()
    assert capture.frames == len(log.frames) > 1000
    return file, log, bench


def test_nothing_is_malformed_and_all_of_it_is_known(captured: tuple[Path, Log, Bench]) -> None:
    file, log, _ = captured
    assert read(file, "frame.number", only="_ws.malformed || _ws.expert.severity >= 6291456") == []
    kinds = Counter(kind for (kind,) in read(file, "frame.protocols"))
    assert set(kinds) == {"eth:ethertype:ecatf:ecat", "eth:ethertype:ecatf:ecat:ecat_mailbox"}
    assert kinds["eth:ethertype:ecatf:ecat:ecat_mailbox"] > 100
    assert {int(length) for (length,) in read(file, "frame.len")} >= {60}
    assert sum(kinds.values()) == len(log.frames)


def test_commands_addresses_and_counters_are_those_of_the_log(captured: tuple[Path, Log, Bench]) -> None:
    file, log, _ = captured
    told = read(file, "frame.time_epoch", *NUMBERS, "ecat.subframe.length")
    for (time, *columns, lengths), (time_ns, datagrams, _) in zip(told, log.frames, strict=True):
        assert abs(float(time) - time_ns / 1e9) < 2e-6
        numbers = [[int(each, 0) for each in column.split(",") if each] for column in columns]
        physical = [one for one in datagrams if one.command not in LOGICAL]
        assert numbers == [
            [one.command for one in datagrams],
            [one.index for one in datagrams],
            [one.address & 0xFFFF for one in physical],
            [one.address >> 16 for one in physical],
            [one.address for one in datagrams if one.command in LOGICAL],
            [one.counter for one in datagrams],
        ]
        assert [int(each, 0) for each in lengths.split(",")] == [len(one.data) for one in datagrams]


def test_frames_begin_one_behind_the_other(captured: tuple[Path, Log, Bench]) -> None:
    """Out of the port, which is busy with each for as long as it lasts."""
    _, log, _ = captured
    out = [(at, datagrams) for at, datagrams, back in log.frames if not back]
    for (at, datagrams), (later, _) in pairwise(out):
        octets = 16 + sum(12 + len(one.data) for one in datagrams)
        assert later - at >= 80 * max(octets + 24, 84)


def test_start_up_states_and_service_data_are_read_as_they_were_asked(captured: tuple[Path, Log, Bench]) -> None:
    file, _, bench = captured
    requests = "ecat_mailbox.coe.sdoreq && ecat.cnt == 0"
    objects = read(file, "ecat_mailbox.coe.sdoidx", "ecat_mailbox.coe.sdosub", only=requests)
    asked = [(int(idx, 0), int(sub, 0)) for idx, sub in objects]
    # Its own write, the assignment of what it takes, the modules of the gateway; then what was asked by hand.
    assert {(0x6065, 0), (0x1C12, 0), (0x1C12, 1), (0x1C13, 0), (0x1C13, 1), (0xF030, 0), (0xF030, 1)} <= {*asked}
    assert asked[-4:] == [(0x1008, 0), (0x1018, 9), (0x6041, 0), (0x6065, 0)]
    aborted = read(file, "ecat_mailbox.coe.abortcode", only="ecat_mailbox.coe.abortcode && ecat.cnt == 1")
    assert [int(code, 0) for (code,) in aborted] == [0x06090011, 0x06010002]
    wanted = read(file, "ecat.reg.alctrl.ctrl", only="ecat.ado == 0x0120 && ecat.cmd == 5")
    control = [int(state, 0) for (state,) in wanted]
    # Each of eight devices from Init by Pre-Op and Safe-Op to Op; every frame is seen out and back.
    assert Counter(control) == dict.fromkeys((1, 2, 4, 8), 2 * len(master(bench).nodes))


def test_a_device_that_is_swapped_is_seen_to_be_asked_who_it_is(tmp_path: Path) -> None:
    plant = line("CS-5", "AE-1")
    bench = going(plant, 0)
    (medium,) = bench.on_the_fly.values()
    file = tmp_path / "swapped.pcapng"
    with file.open("wb") as out:
        medium.taps.append(FrameCapture(out))
        bench.run_until(0.1)
    words = Counter(int(word, 0) for (word,) in read(file, "ecat.reg.addrl", only="ecat.ado == 0x0504"))
    # Vendor, product, revision of both, each out and back.
    assert words == {0x08: 4, 0x0A: 4, 0x0C: 4}
