"""A DP line on the bench: start-up, data both ways, what goes wrong and how it is told; told times held to measured."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.networks.profibus_dp import telegrams as t
from highmoor.core.networks.profibus_dp.strip import DpLine
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Signal, Station
from highmoor.core.project import edits

from . import steep
from .steep import AI, DI, DO, EMPTY, TWO_WORDS, do, line, modules, named, network, put
from .tapped import tapped


def house() -> Plant:
    """Remote I/O, an actuator, a drive."""
    return line(("TR-16", [DI, DO, AI]), "DA-20", ("CV-3", [TWO_WORDS]))


def states(bench: Bench) -> dict[str, tuple[str, str]]:
    """Each station's state and words."""
    return {station["name"]: (station["state"], station["text"]) for station in bench.stations.all()}


def told(bench: Bench, name: str) -> list[str]:
    """What is wrong at a station, in words."""
    station = next(s for s in bench.stations.all() if s["name"] == name)
    return [diagnosis["text"] for diagnosis in station["diagnoses"]]


def swapped(plant: Plant, name: str, one: int, other: int) -> Plant:
    """Two modules behind a station swapped as built."""
    there = modules(plant, name)
    return do(plant, edits.SwapBuiltModules(first=there[one].id, second=there[other].id))


def test_start_up_telegram_by_telegram() -> None:
    plant = line(("TR-16", [DI, DO]))
    _, log = tapped(plant, 0.01)
    to_it = [octets for _, octets in log if octets[0] == t.SD2 and octets[4] in (0x83, 0x03)][:5]
    prm = bytes.fromhex("88 14 01 0B FA 21 00 00 00 00 10 11 02 21 00")
    assert [octets.hex(" ").upper() for octets in to_it] == [
        t.to_point(3, 1, t.FIRST, t.SLAVE_DIAG).hex(" ").upper(),
        t.to_point(3, 1, t.COUNTED, t.SET_PRM, prm).hex(" ").upper(),
        t.to_point(3, 1, t.COUNTED_ON, t.CHK_CFG, bytes((0x11, 0x21))).hex(" ").upper(),
        t.to_point(3, 1, t.COUNTED, t.SLAVE_DIAG).hex(" ").upper(),
        t.data_request(3, 1, t.COUNTED_ON, bytes(2)).hex(" ").upper(),
    ]


def signals(plant: Plant) -> tuple[Plant, dict[str, str]]:
    """One input area of sixteen by bit, octet, word and double word; an analogue value; an output; a state."""
    owner = steep.controller(plant).id
    di, do_, ai = modules(plant, "S1")
    into = steep.exchange(plant, "S1", "in").id
    wanted = [
        ("OneBit", "BOOL", di.id, "i1.2"), ("Octet", "USINT", di.id, "i0"), ("Both", "UINT", di.id, "i0.0"),
        ("Double", "UDINT", into, "o0"), ("Level", "INT", ai.id, "i2"), ("Out", "BOOL", do_.id, "q1.7"),
        ("State", "UINT", into, "state"), ("Good", "BOOL", into, "status"),
    ]  # fmt: skip
    for name, kind, place, key in wanted:
        plant = do(plant, edits.AddSignals(controller=owner, pattern=name, count=1, type=kind, place=place, key=key))
    return plant, {signal.name: signal.id for signal in plant.all(Signal)}


@pytest.mark.parametrize("listening", [False, True])
def test_signals_by_bit_octet_word_and_double_word(listening: bool) -> None:
    plant, ids = signals(house())
    bench = tapped(plant, 0.05)[0] if listening else Bench(plant, steep.LIBRARY)
    bench.run_until(0.05)
    device = bench.devices.there[named(plant, "S1").id].device
    device.gives[:4] = bytes.fromhex("12 34 56 78")  # type: ignore[attr-defined]
    bench.run_until(0.3)
    value = {name: bench.value(signal)[0] for name, signal in ids.items()}
    assert value["Octet"] == 0x12
    assert value["Both"] == 0x1234
    assert value["Double"] == 0x12345678
    assert value["OneBit"] is True, "0x34 has bit 2"
    assert value["State"] == 3
    assert value["Good"] is True
    bench.signals.write(ids["Out"], True)
    bench.run_until(0.5)
    assert device.takes[:2] == bytes((0x00, 0x80))  # type: ignore[attr-defined]


def test_what_a_wire_brings_is_a_word_high_octet_first() -> None:
    plant, ids = signals(house())
    ai = modules(plant, "S1")[2]
    plant = put(plant, ai.id, settings__words__i2="0-20ma", settings__full_counts=27648)
    bench = Bench(plant, steep.LIBRARY)
    rail, key = bench.devices.terminals[ai.id, "i2"]
    rail.give(key, 10)
    bench.run_until(0.3)
    assert bench.value(ids["Level"])[0] == 13824


def parameterised(value: int) -> Plant:
    ai = modules(house(), "S1")[2]
    return put(house(), ai.id, settings__p5_2=value)


def test_a_channels_kind_is_an_octet_of_the_parameters() -> None:
    # 0-20 mA is 3 in the file's list; channel 0 stands at octet 2 of the module's eight.
    plant = parameterised(3)
    analysis = analyse(plant, steep.LIBRARY)
    connection = steep.exchange(plant, "S1", "in").connection
    prm = analysis.result("connection.startup", connection).writes[0].octets
    usual = analysis_of(house(), "S1")
    changed = [n for n, (one, other) in enumerate(zip(prm.split(), usual.split(), strict=True)) if one != other]
    assert changed == [7 + 4 + 2 + 2 + 2]
    assert prm.split()[changed[0]] == "03"


def analysis_of(plant: Plant, name: str) -> str:
    analysis = analyse(plant, steep.LIBRARY)
    told: str = analysis.result("connection.startup", steep.exchange(plant, name, "in").connection).writes[0].octets
    return told


# ── what goes wrong: what is done, at whom, what is said; and that the others go on


def _ident(plant: Plant) -> Plant:
    return do(plant, edits.SetBuilt(ids=[named(plant, "S1").id], values={"facts.ident": 0xFA99}))


def _gone(plant: Plant) -> Plant:
    return do(plant, edits.SetBuilt(ids=[named(plant, "S1").id], values={"powered": False}))


def _parameters(plant: Plant) -> Plant:
    row = named(plant, "S1").id
    return do(plant, edits.KeepInDevice(id=row, values={"facts.prm": 3}))


WRONG: dict[str, tuple[Callable[[Plant], Plant], str]] = {
    "modules swapped": (lambda plant: swapped(plant, "S1", 0, 1), "configuration fault"),
    "another ident number": (_ident, "another device stands there"),
    "other parameters": (_parameters, "parameter fault"),
    "without power": (_gone, "it does not answer"),
}


@pytest.mark.parametrize("listening", [False, True])
@pytest.mark.parametrize("what", WRONG)
def test_what_is_wrong_is_told_at_that_station_alone(what: str, listening: bool) -> None:
    plant = house()
    wrong, words = WRONG[what]
    there = wrong(plant)
    bench = Bench(plant, steep.LIBRARY, there)
    if listening:
        bench.lines[network(plant).id].taps.append(lambda *_: None)
    bench.run_until(0.3)
    seen = states(bench)
    assert seen["S1"][0] == "bad"
    assert any(words in text for text in told(bench, "S1")), told(bench, "S1")
    assert seen["S2"] == seen["S3"] == ("good", "good")
    # Put right, it exchanges again.
    bench.rebuilt(plant)
    bench.run_until(0.6)
    assert states(bench)["S1"] == ("good", "good")


def test_which_modules_are_not_as_configured_is_told() -> None:
    plant = house()
    bench = Bench(plant, steep.LIBRARY, swapped(plant, "S1", 0, 1))
    bench.run_until(0.3)
    said = told(bench, "S1")
    assert any("slot 1 (DI-16 24 V)" in text for text in said)
    assert any("slot 2 (DO-16 24 V 0.5 A)" in text for text in said)
    assert not any("slot 3" in text for text in said)


def test_empty_places_count_as_modules() -> None:
    plant = line(("TR-16", [DI, EMPTY, DO]))
    bench = Bench(plant, steep.LIBRARY)
    bench.run_until(0.2)
    assert states(bench)["S1"] == ("good", "good")
    there = modules(plant, "S1")[1]
    short = do(plant, edits.Remove(ids=[there.id]))
    assert short.find(there.id) is None
    bench = Bench(short, steep.LIBRARY, plant)
    bench.run_until(0.2)
    assert states(bench)["S1"][0] == "good", "the plant as built is of the plant"


def test_a_watchdog_ends_the_exchange_and_the_outputs() -> None:
    plant, ids = signals(house())
    bench = Bench(plant, steep.LIBRARY)
    bench.run_until(0.1)
    bench.signals.write(ids["Out"], True)
    bench.run_until(0.3)
    slave = bench.devices.there[named(plant, "S1").id].device.slave  # type: ignore[attr-defined]
    assert slave.takes[1] == 0x80
    # The master's own plug is pulled.
    line_ = bench.lines[network(plant).id]
    line_.ends[0].plugged = False
    line_.forget()  # type: ignore[attr-defined]
    bench.run_until(0.3 + 0.15)
    assert slave.state == "exchange"
    bench.run_until(0.3 + 0.25)
    assert slave.state == "wait-prm"
    assert slave.takes[1] == 0


def test_clear_takes_outputs_to_their_safe_state_and_operate_brings_them_back() -> None:
    plant, ids = signals(house())
    bench = Bench(plant, steep.LIBRARY)
    bench.run_until(0.1)
    bench.signals.write(ids["Out"], True)
    bench.run_until(0.3)
    slave = bench.devices.there[named(plant, "S1").id].device.slave  # type: ignore[attr-defined]
    for key, expected in (("clear", 0), ("operate", 0x80)):
        bench.act(network(plant).id, "", key)
        bench.run_until(bench.seconds + 0.1)
        assert slave.takes[1] == expected, key
        assert states(bench)["S1"] == ("good", "good")


def test_auto_clear_when_one_is_lost() -> None:
    plant, ids = signals(put(house(), network(house()).id, settings__auto_clear=True))
    bench = Bench(plant, steep.LIBRARY)
    bench.run_until(0.1)
    bench.signals.write(ids["Out"], True)
    bench.run_until(0.3)
    slave = bench.devices.there[named(plant, "S1").id].device.slave  # type: ignore[attr-defined]
    bench.rebuilt(do(plant, edits.SetBuilt(ids=[named(plant, "S2").id], values={"cable": False})))
    bench.run_until(0.6)
    assert slave.takes[1] == 0


@pytest.mark.parametrize(
    ("baud", "good"), [(93_750, True), (1_500_000, False), (12_000_000, False)], ids=["93.75k", "1.5M", "12M"]
)
def test_a_missing_terminator_damages_the_more_the_higher_the_rate(baud: int, good: bool) -> None:
    plant = line(("TR-16", [DI, DO]), ("TR-16", [DI, DO]), baud=baud)
    there = do(plant, edits.SetBuilt(ids=[named(plant, "S2").id], values={"facts.terminated": False}))
    bench = Bench(plant, steep.LIBRARY, there)
    bench.run_until(2)
    failures = [fact for fact in bench.stations.networks()[0]["facts"] if fact["label"] == "In vain"]
    assert (not failures) is good


def test_a_terminator_is_fed_by_its_device() -> None:
    plant = line(("TR-16", [DI, DO]), ("TR-16", [DI, DO]))
    bench = Bench(plant, steep.LIBRARY)
    line_ = bench.lines[network(plant).id]
    assert line_.straight  # type: ignore[attr-defined]
    bench.rebuilt(do(plant, edits.SetBuilt(ids=[named(plant, "S2").id], values={"powered": False})))
    assert not line_.straight  # type: ignore[attr-defined]


def test_behind_a_repeater_without_power_nobody_answers() -> None:
    plant = line(("TR-16", [DI, DO]), "repeater", ("TR-16", [DI, DO]))
    plant = put(plant, named(plant, "S1").id, settings__length_m=5)
    bench = Bench(plant, steep.LIBRARY)
    bench.run_until(0.2)
    assert {n: s for n, (s, _) in states(bench).items()} == {"S1": "good", "S2": "good", "S3": "good"}
    bench.rebuilt(do(plant, edits.SetBuilt(ids=[named(plant, "S2").id], values={"powered": False})))
    bench.run_until(0.5)
    assert states(bench)["S3"][0] == "bad"


def test_two_at_one_address_are_not_understood() -> None:
    plant = line(("TR-16", [DI, DO]), ("TR-16", [DI, DO]))
    there = do(plant, edits.SetBuilt(ids=[named(plant, "S2").id], values={"address": "3"}))
    bench = Bench(plant, steep.LIBRARY, there)
    bench.run_until(0.3)
    assert {name: state for name, (state, _) in states(bench).items()} == {"S1": "bad", "S2": "bad"}


def test_what_it_reports_is_asked_for_and_told_with_the_files_texts() -> None:
    plant = house()
    bench = Bench(plant, steep.LIBRARY)
    bench.run_until(0.2)
    assert not told(bench, "S1")
    # A channel of module 3 (counted from 1 in this file): input, channel 2, a line break; and two bits of its own.
    there = do(plant, edits.SetBuilt(ids=[named(plant, "S1").id], values={"facts.reports": "83 42 A7 03 02 09"}))
    bench.rebuilt(there)
    bench.run_until(0.5)
    said = told(bench, "S1")
    assert "slot 3 (AI-4), input channel 2: Above the upper limit (word)" in said
    assert "Supply of the field missing; check fuse F2" in said
    assert "parameters refused" in said
    assert states(bench)["S1"] == ("good", "good"), "it goes on exchanging"


# ── told and measured


def cycles(log: list[tuple[int, bytes]]) -> list[float]:
    """How far apart tokens are, ms."""
    at = [begun for begun, octets in log if octets[0] == t.SD4]
    return [(other - one) / 1e6 for one, other in itertools.pairwise(at)]


_DEVICE = st.one_of(
    st.lists(st.sampled_from((DI, DO, AI, EMPTY)), min_size=1, max_size=5).map(lambda keys: ("TR-16", keys)),
    st.just("DA-20"),
    st.just(("CV-3", [TWO_WORDS])),
)


@settings(max_examples=25, deadline=None)
@given(st.lists(_DEVICE, min_size=1, max_size=6), st.sampled_from((19_200, 187_500, 1_500_000)), st.integers(11, 150))
def test_a_cycle_is_never_longer_than_told(stations: list[Any], baud: int, tsdr: int) -> None:
    plant = line(*stations, baud=baud)
    told: DpLine = analyse(plant, steep.LIBRARY).result("profibus.line", network(plant).id)
    slow = min(tsdr, next(p.value for p in told.parameters if p.key == "max_tsdr"))
    there = do(plant, edits.SetBuilt(ids=[s.id for s in plant.all(Station)], values={"facts.tsdr": slow}))
    seconds = 40 * told.worst_ms / 1000
    bench, log = tapped(plant, seconds, there)
    assert all(state == "good" for state, _ in states(bench).values())
    # Once all exchange: before that each is asked for more than its data.
    begun = max(live.exchanging_since_ns or 0 for live in bench._masters[network(plant).id].cycle.stations)
    measured = cycles([entry for entry in log if entry[0] > begun])
    assert measured
    assert max(measured) <= told.worst_ms + 0.002
    if slow == 11:
        assert min(measured) >= told.typical_ms - bench_gap_ms(told) - 0.002
    # Asked straight, cycles are as long as telegram by telegram.
    straight = Bench(plant, steep.LIBRARY, there)
    straight.run_until(seconds)
    assert abs(straight._masters[network(plant).id].cycle_ns / 1e6 - measured[-1]) <= bench_gap_ms(told) + 0.002


def bench_gap_ms(told: DpLine) -> float:
    """A request into the gap, which not every cycle has."""
    gap = sum(stretch.bits for stretch in told.stretches if stretch.kind in ("gap", "slot"))
    return 1000 * (gap + told.idle) / told.baud


def test_a_dead_station_costs_what_is_told() -> None:
    plant = house()
    analysis = analyse(plant, steep.LIBRARY)
    timing = analysis.result("network.timing", network(plant).id)
    there = do(plant, edits.SetBuilt(ids=[named(plant, timing.silent).id], values={"there": False}))
    _, log = tapped(plant, 0.3, there)
    measured = cycles(log)[-20:]
    assert max(measured) <= timing.cycle_one_silent_ms + 0.002


def test_lengths_on_the_wire_are_those_told() -> None:
    plant = house()
    frames = analyse(plant, steep.LIBRARY).result("network.frames", network(plant).id)
    _, log = tapped(plant, 0.2)
    sizes = {(octets[5], octets[4]): len(octets) for _, octets in log[-200:] if octets[0] == t.SD2 and octets[4] < 0x80}
    numbers = {station.id: int(station.address) for station in plant.all(Station)}
    for frame in frames:
        way = (numbers[frame.sender], 1) if frame.sender else (1, numbers[frame.receivers[0]])
        assert sizes[way] == frame.octets


@settings(max_examples=25, deadline=None)
@given(
    st.lists(_DEVICE, min_size=1, max_size=5), st.sampled_from((93_750, 1_500_000)), st.booleans(), st.booleans(),
    st.lists(st.floats(0.0, 1.0), min_size=6, max_size=6), st.integers(0, 30),
)  # fmt: skip
def test_what_changes_is_in_the_image_no_later_than_told(
    stations: list[Any], baud: int, listening: bool, silent: bool, when: list[float], held_ms: int
) -> None:
    plant = line(*stations, baud=baud)
    if held_ms:
        plant = put(plant, network(plant).id, settings__cycle_ms=held_ms)
    timing = analyse(plant, steep.LIBRARY).result("network.timing", network(plant).id)
    there = plant
    if silent:
        rows = plant.all(Station)
        n = next(n for n, station in enumerate(rows) if station.name == timing.silent)
        there = do(plant, edits.SetBuilt(ids=[rows[n].id], values={"there": False}))
        # Whoever is the last now has to end the line.
        last = [*rows[:n], *rows[n + 1 :]][-1:]
        for one in last:
            there = do(there, edits.SetBuilt(ids=[one.id], values={"facts.terminated": True}))
    bench = Bench(plant, steep.LIBRARY, there)
    if listening:
        bench.lines[network(plant).id].taps.append(lambda *_: None)
    bench.run_until(20 * (timing.cycle_one_silent_ms + 1) / 1000)
    master = bench._masters[network(plant).id]
    image = bench.controllers[steep.controller(plant).id].image_in
    told_ms = {one.exchange: one for one in timing.exchanges}
    for n, part in enumerate(when, start=1):
        for live in master.cycle.stations:
            if live.into is None or not live.station.in_octets or live.state != "exchange":
                continue
            told = next(told_ms[one.exchange] for one in live.lives)
            late = told.late_one_silent_ms if silent else told.worst_late_ms
            most_ms = told.period_ms + late + told.transaction_ms
            bench.run_until(bench.seconds + part * told.period_ms / 1000)
            device = bench.devices.there[live.station.id].device
            device.gives[0] = n  # type: ignore[attr-defined]
            bench.run_until(bench.seconds + most_ms / 1000 + 1e-6)
            assert image[live.into] == n, (live.station.name, most_ms)
