"""Serial Modbus lines: frames against an independent library, the line by hand, each check, the bench as a wire."""

from __future__ import annotations

import itertools
import re
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pymodbus.framer.ascii import FramerAscii
from pymodbus.framer.rtu import FramerRTU

from highmoor.core.analysis.engine import Analysis
from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.networks.line_time import Timing
from highmoor.core.networks.modbus.pdu import ModbusError
from highmoor.core.networks.modbus_rtu.frame import Mode, SerialFrame, crc16, lrc
from highmoor.core.networks.silence import timing_with_silent
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Exchange, Module, Network, Port, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.clips import clip_of
from highmoor.core.project.remedies import remedy_of
from tests.core.benches import as_built, devices
from tests.core.plants import hall

BODY = st.binary(min_size=2, max_size=254)
MODES = st.sampled_from(["rtu", "ascii"])


@given(BODY)
def test_check_sums_as_another_library_makes_them(body: bytes) -> None:
    # That library gives the CRC with its octets the way round they travel.
    assert crc16(body).to_bytes(2, "little") == FramerRTU.compute_CRC(body).to_bytes(2, "big")
    assert lrc(body) == FramerAscii.compute_LRC(body)


@given(BODY, MODES, st.integers(0, 10_000), st.integers(0, 7))
def test_frames_come_back_and_one_wrong_bit_is_seen(body: bytes, mode: Mode, at: int, bit: int) -> None:
    frame = SerialFrame(body[0], body[1:])
    octets = frame.encode(mode)
    assert SerialFrame.decode(octets, mode) == frame
    damaged = bytearray(octets)
    damaged[at % len(octets)] ^= 1 << bit
    try:
        # In ASCII mode a digit's case is no damage.
        assert SerialFrame.decode(bytes(damaged), mode) == frame
        assert mode == "ascii"
        assert bit == 5
    except ModbusError:
        pass


def on_a_line(*stations: dict[str, Any], line: dict[str, Any] | None = None, module: str = "") -> Plant:
    """HALL with a serial line on its own port, or on a card's; each station with one exchange of these settings."""
    plant = hall(*([module] if module else []))
    owner = plant.all(Module)[0].id if module else next(iter(plant.tables["controllers"]))
    port = plant.children(Port, owner)[0 if module else -1]
    steps: list[Any] = [
        edits.AddNetwork(fieldbus="modbus-rtu", port=port.id, name="Line", tag="$n"),
        edits.SetFields(ids=["$n"], values={f"settings.{k}": v for k, v in {"mode": "rtu", **(line or {})}.items()}),
    ]
    for n, given_ in enumerate(stations):
        own = {f"settings.{k}": v for k, v in {"reply_ms": 5, **given_}.items() if k not in _EXCHANGE}
        asked = {k: v for k, v in given_.items() if k in _EXCHANGE}
        steps += [
            edits.AddStation(network="$n", name=f"S{n}", tag=f"$s{n}", connection_tag=f"$k{n}"),
            edits.SetFields(ids=[f"$s{n}"], values=own),
            edits.AddExchange(connection=f"$k{n}", name=f"X{n}", settings={"function": 3, "count": 1, **asked}),
        ]
    return apply(plant, BUILTIN, edits.Batch(edits=steps)).plant


_EXCHANGE = ("function", "address", "count", "period_ms", "timeout_ms", "retries")
GOOD = ({"length_m": 10}, {"length_m": 10, "terminated": True})


def timing_of(plant: Plant) -> Timing:
    told: Timing = analyse(plant, BUILTIN).result("network.course", plant.all(Network)[0].id)
    return told


def test_a_line_by_hand() -> None:
    # 11 000 bit/s is no rate of the line; 9600 8E1: a character of 1.145833 ms.
    asked = {"period_ms": 100, "timeout_ms": 30, "retries": 1, "reply_ms": 5}
    told = timing_of(on_a_line({**asked, "count": 4}, asked, line={"baud": 9600}))
    char = 11000 / 9600
    first = 8 * char + 5 + 13 * char + 3.5 * char
    second = 8 * char + 5 + 7 * char + 3.5 * char
    assert told.cycle_ms == pytest.approx(first + second)
    assert told.load == pytest.approx((first + second) / 100)
    assert [e.worst_late_ms for e in told.exchanges] == pytest.approx([0, first])
    # Its own silence is the second's, because its good transaction is the shorter; two attempts each.
    silent = 2 * (8 * char + 30 + 3.5 * char)
    assert told.silent == "S1"
    assert told.cycle_one_silent_ms == pytest.approx(first + silent)
    assert told.window_ms == 100
    assert {b.kind for b in told.lanes[0].blocks} == {"request", "wait", "response", "gap"}


def without(plant: Plant, name: str) -> Timing:
    """The line while a station does not answer."""
    return timing_with_silent(analyse(plant, BUILTIN), next(s.id for s in plant.all(Station) if s.name == name))


def test_a_silent_station_by_hand() -> None:
    """9600 8E1: S1 is asked twice in vain, 8 characters, 30 ms and the silence each; S0 waits for all of it."""
    asked = {"period_ms": 100, "timeout_ms": 30, "retries": 1}
    told = without(on_a_line(asked, asked, {**asked, "period_ms": 200}, line={"baud": 9600}), "S1")
    char = 11000 / 9600
    good, each = (8 + 7 + 3.5) * char + 5, (8 + 3.5) * char + 30
    lane = next(lane for lane in told.lanes if lane.label == "S1")
    assert [(b.kind, b.label) for b in lane.blocks[:6]] == [
        ("request", "X1"), ("time-out", "X1"), ("gap", "X1"),
        ("request", "X1, retry 1"), ("time-out", "X1, retry 1"), ("gap", "X1, retry 1"),
    ]  # fmt: skip
    ends = [good + 8 * char, good + 8 * char + 30, good + each]
    assert [b.end_ms for b in lane.blocks[:3]] == pytest.approx(ends)
    assert [b.end_ms for b in lane.blocks[3:6]] == pytest.approx([end + each for end in ends])
    # S2, due with them, begins when both attempts are over.
    late = {e.exchange: e.worst_late_ms for e in told.exchanges}
    assert late[told.lanes[2].blocks[0].exchanges[0]] == pytest.approx(good + 2 * each)


_ASKED = st.fixed_dictionaries({
    "period_ms": st.sampled_from([100, 150, 200, 400]), "count": st.integers(1, 8),
    "timeout_ms": st.sampled_from([20, 50]), "retries": st.integers(0, 2),
})  # fmt: skip


@settings(max_examples=40)
@given(st.lists(_ASKED, min_size=2, max_size=5), st.data())
def test_silence_makes_nobody_sooner_and_the_line_carries_one_thing_at_a_time(asked: list[Any], data: Any) -> None:
    plant = on_a_line(*asked, line={"baud": 19200})
    alive = timing_of(plant)
    name = data.draw(st.sampled_from([s.name for s in plant.all(Station)]))
    told = without(plant, name)
    blocks = sorted((b.start_ms, b.end_ms) for lane in told.lanes for b in lane.blocks)
    assert all(end <= start + 1e-6 for (_, end), (start, _) in itertools.pairwise(blocks))
    silent = next(lane for lane in told.lanes if lane.label == name)
    assert {b.kind for b in silent.blocks} <= {"request", "time-out", "gap"}
    before = {e.exchange: e.worst_late_ms for e in alive.exchanges}
    if alive.whole and told.whole:
        assert all(e.worst_late_ms >= before[e.exchange] - 1e-6 for e in told.exchanges)
    # The column of the table and the drawing are one and the same, for the station whose silence costs most.
    if name == alive.silent:
        assert [e.late_one_silent_ms for e in alive.exchanges] == [e.worst_late_ms for e in told.exchanges]


def test_lateness_is_followed_over_the_common_period() -> None:
    """Periods of 70 and 110 ms meet after 770: the later one is late there and nowhere else so much."""
    told = timing_of(on_a_line({"period_ms": 70}, {"period_ms": 110}, line={"baud": 19200}))
    assert told.window_ms == 770
    assert told.whole
    assert sum(len(lane.dues) for lane in told.lanes) == 770 // 70 + 770 // 110
    late = max(d.start_ms - d.due_ms for lane in told.lanes for d in lane.dues)
    assert late == pytest.approx(max(e.worst_late_ms for e in told.exchanges))


def test_a_lateness_that_grows_for_ever_is_said_to() -> None:
    busy = on_a_line({"period_ms": 10}, {"terminated": True})
    assert not timing_of(busy).whole
    # One cause, one finding: the line has too much to do, not its station.
    # What one silent station would add is not told beside it.
    assert {"NET-206", "NET-221", "NET-231"} & net_codes(analyse(busy, BUILTIN)) == {"NET-221"}
    # 150 ms of silence a hundred times in ten seconds would be more than there is.
    stuck = on_a_line({"period_ms": 100, "timeout_ms": 150, "retries": 0}, {"terminated": True})
    told = timing_of(stuck)
    assert (told.whole, told.whole_one_silent, told.silent) == (True, False, "S0")
    assert timing_of(on_a_line(*GOOD)).whole_one_silent


WRONG: list[tuple[str, tuple[dict[str, Any], ...], dict[str, Any]]] = [
    ("NET-221", ({"period_ms": 10, "terminated": True},), {}),
    ("NET-222", ({"baud": 9600}, {"terminated": True}), {}),
    ("NET-222", ({"parity": "odd"}, {"terminated": True}), {}),
    ("NET-223", ({}, {}), {}),
    ("NET-223", GOOD, {"terminated": False}),
    ("NET-224", ({"terminated": True}, {"terminated": True}), {}),
    ("NET-225", GOOD, {"biased": False}),
    ("NET-225", ({"biased": True}, {"terminated": True}), {}),
    ("NET-226", tuple({"terminated": n == 27} for n in range(28)), {}),
    ("NET-227", ({"length_m": 900, "terminated": True},), {"baud": 115200}),
    ("NET-227", ({"length_m": 601, "terminated": True},), {"baud": 9600, "cable": "category-5"}),
    ("NET-227", ({"length_m": 501, "terminated": True},), {"baud": 9600, "cable": "four-as-two"}),
    ("NET-227", ({"length_m": 1001, "terminated": True},), {"baud": 9600}),
    ("NET-228", ({"tap_m": 21, "terminated": True},), {}),
    ("NET-229", GOOD, {"parity": "none"}),
    ("NET-231", ({"period_ms": 100, "timeout_ms": 5}, {"timeout_ms": 150, "terminated": True}), {}),
    ("NET-202", ({"timeout_ms": 10, "reply_ms": 10, "terminated": True},), {}),
    ("NET-204", ({"count": 126, "terminated": True},), {}),
]


@pytest.mark.parametrize(("code", "stations", "line"), WRONG)
def test_each_check_of_a_line(code: str, stations: tuple[dict[str, Any], ...], line: dict[str, Any]) -> None:
    assert code not in net_codes(analyse(on_a_line(*GOOD), BUILTIN))
    plant = on_a_line(*stations, line=line)
    analysis = analyse(plant, BUILTIN)
    found = next(f for f in analysis.findings.values() if f.code == code)
    remedy = remedy_of(analysis, found)
    # What hands, other periods or fewer devices have to mend is not offered as an edit.
    too_long_for_any_rate = stations[0].get("length_m", 0) > 1000
    by_hand = code in ("NET-221", "NET-226", "NET-228") or too_long_for_any_rate
    assert (remedy is None) == by_hand
    if remedy and remedy.edit:
        mended = analyse(apply(plant, BUILTIN, remedy.edit).plant, BUILTIN)
        assert found.key not in mended.findings


def net_codes(analysis: Analysis) -> set[str]:
    return {f.code for f in analysis.findings.values() if f.code.startswith("NET")}


def test_27_stations_fill_a_segment_and_not_one_more() -> None:
    # 27 loads, the port's own and 4 of the bias make 32.
    assert "NET-226" not in net_codes(analyse(on_a_line(*({"terminated": n == 26} for n in range(27))), BUILTIN))


def test_station_numbers_and_ports() -> None:
    plant = on_a_line(*GOOD)
    network = plant.all(Network)[0]
    assert [s.address for s in plant.all(Station)] == ["1", "2"]
    for wrong in ("248", "-1", "1.5", "10.1.0.1"):
        with pytest.raises(Refusal):
            apply(plant, BUILTIN, edits.AddStation(network=network.id, address=wrong))
    everybody = edits.AddStation(network=network.id, name="All", address="0", connection_tag="$k")
    plant = apply(plant, BUILTIN, everybody).plant
    assert net_codes(analyse(plant, BUILTIN)) == set()
    taken = apply(plant, BUILTIN, edits.SetFields(ids=[plant.all(Station)[1].id], values={"address": "1"})).plant
    assert "NET-101" in net_codes(analyse(taken, BUILTIN))
    with pytest.raises(Refusal, match="Line is on this port"):
        apply(plant, BUILTIN, edits.AddNetwork(fieldbus="modbus-rtu", port=network.port))
    with pytest.raises(Refusal, match="needs Ethernet"):
        apply(plant, BUILTIN, edits.AddNetwork(fieldbus="modbus-tcp", port=network.port))


def test_a_line_on_a_card_goes_with_the_card() -> None:
    plant = on_a_line(*GOOD, module="ser-2")
    image = analyse(plant, BUILTIN).result("controller.image", next(iter(plant.tables["controllers"])))
    assert [item.holder for item in image.items.values()][:2] == [x.id for x in plant.all(Exchange)]
    card = plant.all(Module)[0].id
    without = apply(plant, BUILTIN, edits.Remove(ids=[card])).plant
    assert without.all(Network)[0].port is None
    assert "NET-103" in net_codes(analyse(without, BUILTIN))
    # Another card with the same ports keeps the network; one without them does not.
    swapped = apply(plant, BUILTIN, edits.ReplaceModule(id=card, type="tarnfell.di-16")).plant
    assert swapped.all(Network)[0].port is None


def test_stations_move_along_the_cable_and_to_another_network() -> None:
    plant = on_a_line({"length_m": 1}, {"length_m": 2}, {"length_m": 4, "terminated": True})
    first, second, third = (s.id for s in plant.all(Station))
    moved = apply(plant, BUILTIN, edits.MoveStations(ids=[third, first], before=second)).plant
    network = moved.all(Network)[0].id
    assert [s.id for s in moved.children(Station, network)] == [third, first, second]
    # Its resistor came along into the middle, and the new end has none.
    assert net_codes(analyse(moved, BUILTIN)) == {"NET-223", "NET-224"}
    with pytest.raises(Refusal):
        apply(plant, BUILTIN, edits.MoveStations(ids=[first], before=first))
    other = apply(plant, BUILTIN, edits.AddNetwork(fieldbus="modbus-rtu", tag="$o"))
    away = edits.SetFields(ids=[first], values={"network": other.tags["$o"]})
    gone = apply(other.plant, BUILTIN, away).plant
    assert [len(gone.children(Station, n.id)) for n in gone.all(Network)] == [2, 1]
    tcp = apply(plant, BUILTIN, edits.AddNetwork(fieldbus="modbus-tcp", tag="$t"))
    with pytest.raises(Refusal):
        apply(tcp.plant, BUILTIN, edits.SetFields(ids=[first], values={"network": tcp.tags["$t"]}))


def test_a_network_that_goes_to_another_controller_leaves_its_signals_behind() -> None:
    plant = on_a_line(*GOOD)
    exchange, controller = plant.all(Exchange)[0].id, next(iter(plant.tables["controllers"]))
    steps: list[Any] = [
        edits.AddSignals(controller=controller, pattern="Word1", count=1, type="UINT", place=exchange, key="r0"),
        edits.AddController(type="tarnfell.tf-21", name="KILN", tag="$c"),
    ]
    applied = apply(plant, BUILTIN, edits.Batch(edits=steps))
    port = applied.plant.children(Port, applied.tags["$c"])[-1].id
    moved = edits.SetFields(ids=[plant.all(Network)[0].id], values={"port": port})
    there = analyse(apply(applied.plant, BUILTIN, moved).plant, BUILTIN)
    found = next(f for f in there.findings.values() if f.code == "SIG-112")
    assert {"own": "HALL", "other": "KILN"}.items() <= dict(found.values).items()
    assert Bench(there.plant, BUILTIN).value(there.plant.all(Signal)[0].id) == (0, "good")


def test_a_card_is_kept_with_its_ports_wherever_it_is_copied() -> None:
    plant = on_a_line(*GOOD, module="ser-2")
    card = plant.all(Module)[0]
    copied = apply(plant, BUILTIN, edits.Duplicate(id=card.id)).plant
    pasted = apply(copied, BUILTIN, edits.Paste(clip=clip_of(plant, [card.id]), into=card.rail)).plant
    for module in pasted.all(Module):
        assert [port.key for port in pasted.children(Port, module.id)] == ["1", "2"]
    # The line stays where it was: the copies' ports are free.
    assert pasted.all(Network)[0].port == plant.all(Network)[0].port


def built(plant: Plant, *said: dict[str, Any], noise: float = 0, terminated: bool = True) -> Plant:
    line = edits.SetBuilt(
        ids=[plant.all(Network)[0].id], values={"settings.noise": noise, "settings.terminated": terminated}
    )
    return apply(as_built(plant, *said), BUILTIN, line).plant


def states(plant: Plant, *said: dict[str, Any], noise: float = 0, seconds: float = 5) -> list[tuple[str, str]]:
    bench = Bench(plant, BUILTIN, built(plant, *said, noise=noise))
    bench.run_until(seconds)
    told = [(s["text"], [d for d in s["diagnoses"] if not d["place"]]) for s in bench.stations.all()]
    return [(text, ", ".join(d["text"].removeprefix("it counts ") for d in own)) for text, own in told]


FIRST: dict[str, Any] = {"facts.reply_ms": 2}
LAST: dict[str, Any] = {"facts.reply_ms": 2, "facts.terminated": True}


def test_both_ends_matter_on_the_wire() -> None:
    plant = on_a_line({"timeout_ms": 40}, {"timeout_ms": 40, "terminated": True})
    assert [text for text, _ in states(plant, FIRST, LAST)] == ["good", "good"]
    (good, quiet), (text, counted) = states(plant, FIRST, {**LAST, "facts.baud": 9600})
    assert (good, quiet, text) == ("good", "", "no answer within 40 ms, asked 2 times")
    # It hears the other's answers as well as what is asked of it, and understands neither.
    assert re.fullmatch("[1-9][0-9]+ framing errors", counted)
    assert "parity errors" in states(plant, FIRST, {**LAST, "facts.parity": "odd"})[1][1]
    collide = states(plant, FIRST, {**LAST, "address": "1"})
    assert collide[0][0].startswith("the check sum (CRC) is wrong: 2 devices speak at once")
    noisy = states(plant, FIRST, LAST, noise=0.2, seconds=20)
    assert any("check sum" in text or "no answer" in text for text, _ in noisy)


def test_an_open_end_disturbs_only_a_fast_line() -> None:
    def failures(baud: int, *, terminated: bool) -> int:
        fast = {"period_ms": 20, "timeout_ms": 15, "retries": 0}
        plant = on_a_line(fast, {**fast, "terminated": True}, line={"baud": baud})
        bench = Bench(plant, BUILTIN, built(plant, FIRST, LAST, terminated=terminated))
        bench.run_until(20)
        return sum(x["failures"] for s in bench.stations.all() for x in s["exchanges"])

    assert failures(115_200, terminated=True) == 0
    assert failures(115_200, terminated=False) > 0
    assert failures(19_200, terminated=False) == failures(19_200, terminated=True)


def test_a_broadcast_reaches_everybody_and_nobody_answers() -> None:
    plant = on_a_line({"timeout_ms": 50}, {"timeout_ms": 50, "terminated": True})
    network = plant.all(Network)[0].id
    everybody = edits.AddStation(network=network, name="All", address="0", connection_tag="$k")
    write = edits.AddExchange(connection="$k", name="Time", settings={"function": 16, "address": 7, "count": 1})
    plant = apply(plant, BUILTIN, edits.Batch(edits=[everybody, write])).plant
    bench = Bench(plant, BUILTIN, built(plant, FIRST, LAST))
    bench.run_until(3)
    assert [s["exchanges"][0]["text"] for s in bench.stations.all()] == ["good", "good", "sent to everybody"]
    first = devices(bench)[0]
    first.server.areas[4][7] = 99
    bench.run_until(5)
    assert first.server.areas[4].get(7, -1) == 0
    assert "NET-208" not in net_codes(analyse(plant, BUILTIN))
    connection = next(x.connection for x in plant.all(Exchange) if x.name == "Time")
    reading = edits.AddExchange(connection=connection, settings={"function": 3, "count": 1})
    assert "NET-208" in net_codes(analyse(apply(plant, BUILTIN, reading).plant, BUILTIN))


def test_ascii_mode_is_another_wire() -> None:
    plant = on_a_line({"timeout_ms": 100}, {"timeout_ms": 100, "terminated": True}, line={"mode": "ascii"})
    told = timing_of(plant)
    # 7E1 has ten bits; a colon, 2·(1 + 5) digits, two of the LRC, CR LF make 17 characters; the answer 2·(1 + 4) → 15.
    assert (told.exchanges[0].request_octets, told.exchanges[0].response_octets) == (17, 15)
    assert told.exchanges[0].transaction_ms == pytest.approx((17 + 15) * 10 / 19.2 + 5)
    bench = Bench(plant, BUILTIN, built(plant, FIRST, LAST))
    bench.run_until(3)
    assert bytes.fromhex(bench.stations.all()[0]["exchanges"][0]["request"]) == b":010300000001FB\r\n"
    assert [s["text"] for s in bench.stations.all()] == ["good", "good"]
