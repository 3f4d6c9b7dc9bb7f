"""PROFINET as a network analyser reads it that is not ours: naming, connecting, records, data, alarms, neighbours."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import Any

import pytest

from highmoor.capture import Capture
from highmoor.core.bench.bench import Bench
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Network
from tests.core.networks.profinet import bagging as of
from tests.server.live.test_capture import read

PLANT = of.bagging(("TR-40", [of.DI, of.DO, of.AI]), ("TR-40", [of.AI]), "PW-6")


class Log:
    """What the bench itself saw of plain frames and calls."""

    def __init__(self) -> None:
        self.passed: list[Any] = []

    def __call__(self, passed: Any) -> None:
        self.passed.append(passed)


@pytest.fixture(scope="module")
def seen(tmp_path_factory: pytest.TempPathFactory) -> tuple[Bench, Path, Log]:
    """A blank weigher, another module, a pull and a plug, an error that comes and goes, a scan, a record of a port."""
    file = tmp_path_factory.mktemp("capture") / "bagging.pcapng"
    second = of.modules(PLANT, "S1")[1]
    blank = of.as_built(PLANT, "S3", facts__name="")
    other = of.built(blank, second.id, type=of.modules(PLANT, "S1")[2].type)
    bench, log = Bench(PLANT, of.LIBRARY, other), Log()

    def on(plant: Plant) -> None:
        bench.rebuilt(plant)
        bench.run_until(bench.seconds + 0.5)

    with file.open("wb") as out:
        bench.ethernet.taps += [Capture(out), log]
        bench.run_until(7)
        mac = next(s["mac"] for s in bench.stations.all() if s["name"] == "S3")
        for act, value in (("blink", ""), ("name", "s3"), ("address", "10.2.0.9")):
            bench.act(PLANT.all(Network)[0].id, mac, act, value)
            bench.run_until(bench.seconds + 0.5)
        on(blank)
        on(of.built(blank, second.id, there=False))
        on(of.as_built(blank, "S1", facts__errors="3.1 2 6, 3.1 1 9/7"))
        on(of.as_built(blank, "S1", facts__bad="3.1"))
        on(blank)
        bench.scan(PLANT.all(Network)[0].id, "me", {})
        bench.objects.read(of.named(PLANT, "S1").id, "00000001:AFF0")
        bench.run_until(bench.seconds + 2)
        bench.act(PLANT.all(Network)[0].id, mac, "reset", "")
        bench.run_until(bench.seconds + 1)
        bench.stop()
    return bench, file, log


def test_every_frame_is_whole_and_understood(seen: tuple[Bench, Path, Log]) -> None:
    _, file, log = seen
    assert (
        read(file, "frame.number", "_ws.expert.message", only="_ws.malformed || _ws.expert.severity >= 6291456") == []
    )
    kinds = Counter(frame[0].rpartition(":")[2] for frame in read(file, "frame.protocols"))
    assert set(kinds) == {"lldp", "pn_dcp", "pn_io", "dcerpc", "arp"}
    assert sum(kinds.values()) == len(log.passed)
    # Nothing is left over that the analyser takes for plain data, but records that only their file describes.
    assert read(file, "frame.number", only="data || pn.undecoded_data || pn_io.iocr_type.unknown") == []
    assert read(file, "frame.number", only="pn.user_data && pn_io.block_type != 0x0008") == []


FILTERS = {
    # Who is there, by name, by place, all; names and addresses; blink; reset.
    "pn_dcp.service_id == 5 && pn_dcp.service_type == 0": 6,
    "pn_dcp.suboption_device_aliasname": 2,
    "pn_dcp.suboption_device_nameofstation == \"s3\" && pn_dcp.service_id == 4": 1,
    "pn_dcp.suboption_control_signal_value": 1,
    "pn_dcp.suboption_ip_ip == 10.2.0.9 && pn_dcp.service_id == 4": 1,
    # Connecting with what differs, records, end of parameters, ready, release.
    "pn_io.block_type == 0x0101": 3,
    "pn_io.block_type == 0x8104": 1,
    "pn_io.block_type == 0x0008": 5,
    "pn_io.block_type == 0x8008": 5,
    "pn_io.block_type == 0x0110": 3,
    "pn_io.block_type == 0x0112": 3,
    "pn_io.block_type == 0x0114": 2,
    "arp.opcode == 1": 3,
    "pn_io.block_type == 0x0111": 1,
    "pn_io.block_type == 0x0113": 1,
    # Alarms: pull, plug, another one plugged, diagnosis comes and goes, return.
    "pn_io.alarm_type == 0x0003": 2,
    "pn_io.alarm_type == 0x0004": 1,
    "pn_io.alarm_type == 0x0001": 2,
    "pn_io.alarm_type == 0x000c": 2,
    "pn_io.alarm_type == 0x000b": 1,
    # Who each really is, who is at the other end of a port, what its label says.
    "pn_io.block_type == 0x0013": 2,
    "pn_io.block_type == 0x020f": 6,
    "pn_io.block_type == 0x0020": 1,
    "lldp.port.id == \"port-001\"": 3,
    "pn_rt.frame_id >= 0x8000 && pn_rt.frame_id < 0xbc00 && vlan.priority == 6": 100,
}  # fmt: skip


@pytest.mark.parametrize("only", FILTERS)
def test_each_kind_of_frame_is_found(seen: tuple[Bench, Path, Log], only: str) -> None:
    assert len(read(seen[1], "frame.number", only=only)) >= FILTERS[only]


def test_what_the_analyser_reads_is_what_was_sent(seen: tuple[Bench, Path, Log]) -> None:
    bench, file, log = seen
    cyclic = [one for one in log.passed if one.ethertype == 0x8892 and 0x80 <= one.octets[0] < 0xBC]
    only = "pn_rt.frame_id >= 0x8000 && pn_rt.frame_id < 0xbc00"
    told = read(file, "pn_rt.frame_id", "pn_rt.cycle_counter", "pn_rt.ds", "frame.len", only=only)
    assert [(int(a, 0), int(n), int(s, 0), int(size)) for a, n, s, size in told] == [
        (
            int.from_bytes(one.octets[:2], "big"), int.from_bytes(one.octets[-4:-2], "big"), one.octets[-2],
            len(one.octets) + 18,
        )
        for one in cyclic
    ]  # fmt: skip
    # Each record as it is written: slot, subslot, index, octets.
    wanted = {
        (sub.slot, sub.subslot, record.number, octets.hex())
        for live in bench._masters[PLANT.all(Network)[0].id].stations
        for sub in live.wanted.device.submodules
        for record, octets in sub.records
    }
    fields = ("pn_io.slot_nr", "pn_io.subslot_nr", "pn_io.index", "pn_io.record_data_length")
    written = read(file, *fields, only="pn_io.block_type == 0x0008")
    places = {(int(a, 0), int(s, 0), int(i, 0), int(n)) for a, s, i, n in written}
    assert places == {(slot, sub, index, len(octets) // 2) for slot, sub, index, octets in wanted}
    # The place of each submodule's data and status: the analyser finds them in the frames by what was connected.
    device = next(live.wanted.device for live in bench._masters[PLANT.all(Network)[0].id].stations)
    connecting = "pn_io.block_type == 0x0101 && ip.dst == 10.2.0.2"
    data, consumers = read(file, "pn_io.io_data_object.frame_offset", "pn_io.iocs_frame_offset", only=connecting)[0]
    begun: dict[tuple[str, str], int] = {}
    for way in ("in", "out"):
        for piece in device.unit(way):
            if piece.what != "consumer":
                begun.setdefault((way, f"{piece.submodule.slot}.{piece.submodule.subslot}"), piece.at)
    assert [int(at) for at in data.split(",")] == list(begun.values())
    assert [int(at) for at in consumers.split(",")] == [
        piece.at for way in ("in", "out") for piece in device.unit(way) if piece.what == "consumer"
    ]
