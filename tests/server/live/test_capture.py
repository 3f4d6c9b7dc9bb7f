"""What the bench's Ethernet carried, read by a network analyser that is not ours: whole, and as large as told."""

from __future__ import annotations

import subprocess
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

import pytest

from highmoor.capture import Capture, LineCapture
from highmoor.core.bench.bench import Bench
from highmoor.core.networks.line_time import Timing
from highmoor.core.parts import analyse
from highmoor.core.plant.rows import Connection, Exchange, Network, Station
from highmoor.server.demo import demo_files, demo_with_types
from highmoor.server.library import LIBRARY
from tests.server.test_keeping import run

SECONDS = 6


def read(file: Path, *fields: str, only: str = "", more: Sequence[str] = ()) -> list[list[str]]:
    """Frames as the analyser sees them, a list of fields each."""
    command = ["tshark", "-n", "-r", str(file), "-T", "fields", "-E", "separator=;", "-E", "occurrence=a", *more]
    wanted = [part for name in fields for part in ("-e", name)]
    told = subprocess.run(
        [*command, *wanted, *(["-Y", only] if only else [])], capture_output=True, text=True, check=True
    )
    return [line.split(";") for line in told.stdout.splitlines()]


@pytest.fixture(scope="module")
def bench() -> Bench:
    return Bench(demo_with_types(demo_files()), LIBRARY)


@pytest.fixture(scope="module")
def file(bench: Bench, tmp_path_factory: pytest.TempPathFactory) -> Path:
    made = tmp_path_factory.mktemp("capture") / "demo.pcapng"
    with made.open("wb") as out:
        bench.ethernet.taps.append(Capture(out))
        bench.run_until(SECONDS)
        bench.stop()
    return made


def test_every_frame_is_whole_and_of_a_protocol_the_analyser_knows(file: Path) -> None:
    # Notes and chats tell of the course of a connection; warnings and errors tell of what should not be.
    assert (
        read(file, "frame.number", "_ws.expert.message", only="_ws.malformed || _ws.expert.severity >= 6291456") == []
    )
    kinds = Counter(frame[0].rpartition(":")[2] for frame in read(file, "frame.protocols"))
    profinet = {"pn_io", "pn_dcp", "dcerpc", "arp", "lldp"}
    assert set(kinds) == {"tcp", "modbus", "enip", "cipcm", "cip", "cipio", *profinet}
    assert min(kinds.values()) > 2
    plain = read(file, "tcp.len", only="tcp && !mbtcp && !enip")
    assert {length for (length,) in plain} == {"0"}


def test_what_goes_over_the_wire_is_as_large_as_told(bench: Bench, file: Path) -> None:
    """Octets on the wire: the frame with preamble 8, check sum 4 and gap 12, none below 84."""
    plant, told = bench.plant, {}
    analysis = analyse(plant, LIBRARY)
    for network in plant.all(Network):
        timing: Timing = analysis.result("network.timing", network.id)
        for exchange in timing.exchanges:
            told[exchange.exchange] = exchange
    names = {s.address: s.name for s in plant.all(Station)}
    seen: dict[str, set[int]] = {}
    for source, target, length in read(file, "ip.src", "ip.dst", "frame.len", only="cipio || mbtcp"):
        device = names.get(source) or names.get(target) or source
        seen.setdefault(device, set()).add(max(int(length) + 24, 84))
    checked = 0
    for exchange in plant.all(Exchange):
        connection = plant.tables["connections"][exchange.connection]
        station = plant.tables["stations"][connection.station]
        one = told[exchange.id]
        if (
            bench.exchanges[exchange.id].state != "good"
            # Those have captures of their own.
            or plant.tables["networks"][station.network].kind in ("modbus-rtu", "ethercat", "profibus-dp")
        ):
            continue
        for octets in (one.request_octets, one.response_octets):
            if octets and one.period_ms:
                checked += 1
                assert octets in seen[station.name], (station.name, exchange.name, octets)
    assert checked > 20


def test_packets_bear_the_ids_that_were_agreed_and_no_two_streams_one(file: Path) -> None:
    opened = "cip.rr == 1 && cip.cm.toapi"
    agreed = read(file, "cip.cm.ot_connid", "cip.cm.to_connid", only=opened)
    given = [int(i, 0) for pair in agreed for i in pair if i]
    packets = read(file, "ip.src", "enip.cpf.sai.connid", only="cipio")
    used = {(source, int(number, 0)) for source, number in packets}
    assert {number for _, number in used} <= set(given)
    # O→T ids are each device's own; those the controller chose for T→O it chose once.
    chosen = [number for number in given if number >> 28 == 1]
    assert len(chosen) == len(set(chosen)) > 0
    assert read(file, "frame.number", only="cip.cm.sc == 0x4e && cip.rr == 1")


def test_a_serial_line_is_read_with_good_check_sums_and_the_requests_that_were_made(tmp_path: Path) -> None:
    """The analyser is told that user 0 is Modbus RTU; what it reads is held against what the plant asks."""
    bench = Bench(demo_with_types(demo_files()), LIBRARY)
    (network, line), *_ = bench.lines.items()
    file = tmp_path / "line.pcapng"
    with file.open("wb") as out:
        capture = LineCapture(out)
        line.taps.append(capture)
        bench.run_until(SECONDS)
    rtu = ["-o", 'uat:user_dlts:"User 0 (DLT=147)","mbrtu","0","","0",""', "-o", "mbrtu.crc_verification:TRUE"]
    told = read(file, "frame.number", "mbrtu.unit_id", "modbus.func_code", more=rtu)
    assert len(told) == capture.frames > 100
    assert len(read(file, "frame.number", only="mbrtu.crc16.status == 1", more=rtu)) == capture.frames
    assert read(file, "frame.number", only="_ws.malformed", more=rtu) == []
    asked = {
        (station.address, str(exchange.settings["function"]))
        for station in bench.plant.all(Station) if station.network == network
        for connection in bench.plant.children(Connection, station.id)
        for exchange in bench.plant.children(Exchange, connection.id)
    }  # fmt: skip
    assert {(unit, code) for _, unit, code in told} == asked


def test_a_restart_over_the_network_is_what_the_analyser_takes_it_for(tmp_path: Path) -> None:
    """Service 5 of the identity object, with the kind of reset behind it, and a good answer."""
    bench = Bench(demo_with_types(demo_files()), LIBRARY)
    fan = next(s for s in bench.plant.all(Station) if s.name == "Gallery fan 1")
    file = tmp_path / "reset.pcapng"
    with file.open("wb") as out:
        bench.ethernet.taps.append(Capture(out))
        bench.act(fan.network, fan.address, "factory")
        bench.run_until(2)
    told = read(file, "cip.rr", "cip.class", "cip.reset.type", "cip.genstat", only="cip.sc == 5")
    asked, answered = ([row for row in told if bool(int(row[0], 0)) is back] for back in (False, True))
    assert [(int(kind, 0), int(reset, 0)) for _, kind, reset, _ in asked] == [(1, 2)]
    assert [int(status, 0) for *_, status in answered] == [0]
    assert read(file, "frame.number", only="_ws.malformed") == []


def test_a_plant_file_is_captured_on_the_command_line(tmp_path: Path) -> None:
    out = tmp_path / "out.pcapng"
    told = run(tmp_path, "capture", "--demo", "--seconds", "1", "--out", str(out))
    assert told.returncode == 0, told.stderr
    frames = int(told.stdout.split()[0])
    assert len(read(out, "frame.number")) == frames > 100
    lines = [line.split(" in ") for line in told.stdout.splitlines()[1:]]
    assert [len(read(Path(path), "frame.number")) for _, path in lines] == [int(n.split()[0]) for n, _ in lines] != []
    both = run(tmp_path, "capture", "--seconds", "1", "--out", str(out))
    assert (both.returncode, "--demo" in both.stderr) == (3, True)
