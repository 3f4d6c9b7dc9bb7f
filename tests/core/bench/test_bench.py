"""The bench: what is seen has been through real octets, and time is virtual."""

from __future__ import annotations

from typing import Any

import pytest

from highmoor.core.bench.bench import Bench
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Exchange, Module, Network, Port, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.remedies import remedy_of
from tests.core.benches import cable, devices
from tests.core.plants import hall

PLANT = demo_plant()
IDS = {s.name: s.id for s in PLANT.all(Signal)}
STATIONS = {s.name: s.id for s in PLANT.all(Station)}


def bench(plant: Plant = PLANT) -> Bench:
    return Bench(plant, BUILTIN)


def value(on: Bench, name: str) -> float:
    got = on.value(IDS[name])[0]
    assert got is not None
    return float(got)


def test_time_is_totally_ordered() -> None:
    clock, seen = VirtualClock(), []
    clock.at(5, lambda: seen.append("later"))
    clock.at(5, lambda: seen.append("first"), priority=-1)
    clock.at(1, lambda: clock.at(0, lambda: seen.append(f"past is now, {clock.now_ns}")))
    clock.run_until(5)
    assert seen == ["past is now, 1", "first", "later"]


def test_values_come_over_the_wire_with_real_octets() -> None:
    on = bench()
    on.run_until(2.05)
    skid = next(s for s in on.stations.all() if s["name"] == "Humidifier")
    measured = next(x for x in skid["exchanges"] if x["name"] == "Measured")
    request = bytes.fromhex(measured["request"])
    assert request[2:] == bytes.fromhex("0000 0006 FF 04 0000 0009")
    response = bytes.fromhex(measured["response"])
    assert response[:2] == request[:2]
    humidity = int.from_bytes(response[9:11], "big")
    assert value(on, "HumidifierHumidity") == humidity / 10
    assert value(on, "HumidifierHours") == int.from_bytes(response[17:21], "big") == 4123
    assert value(on, "HumidifierGood") == 1


def test_the_same_seed_gives_the_same_course() -> None:
    def course() -> list[float]:
        on = bench()
        on.signals.write(IDS["HumidifierStart"], True)
        result = []
        for second in range(1, 20):
            on.run_until(second)
            result += [value(on, n) for n in ("Tank1Level", "HumidifierHumidity", "CompressorPressure")]
        return result

    assert course() == course()


def test_renaming_anything_changes_nothing_on_the_bench() -> None:
    """What is built is tied to what is configured by ids, never by what somebody calls it."""
    renamed = PLANT
    for table in ("controllers", "stations", "networks", "signals", "exchanges"):
        for n, row in enumerate(PLANT.tables[table].values()):
            edit = edits.SetFields(ids=[row.id], values={"name": f"{table[:2].capitalize()}{n}"})
            renamed = apply(renamed, BUILTIN, edit).plant
    for n, module in enumerate(PLANT.all(Module)):
        edit = edits.SetFields(ids=[module.id], values={"designation": f"-Z{n}"})
        renamed = apply(renamed, BUILTIN, edit).plant

    def course(plant: Plant) -> list[Any]:
        on = bench(plant)
        on.signals.write(IDS["HumidifierStart"], True)
        told: list[Any] = []
        for second in range(1, 8):
            on.run_until(second)
            told += [on.value(signal) for signal in IDS.values()]
        return [*told, *((s["state"], s["text"]) for s in on.stations.all())]

    assert course(renamed) == course(PLANT)


def test_an_output_written_once_changes_what_the_skid_does() -> None:
    on = bench()
    on.run_until(5)
    before = value(on, "HumidifierHumidity")
    on.signals.write(IDS["HumiditySetpoint"], "85,5")
    on.signals.write(IDS["HumidifierStart"], True)
    on.run_until(40)
    assert value(on, "HumidifierRunning") == 1
    assert value(on, "HumidifierHumidity") > before + 5
    commands = next(x for s in on.stations.all() for x in s["exchanges"] if x["name"] == "Commands")
    assert bytes.fromhex(commands["request"])[13:17] == bytes.fromhex("0357 0001")


def test_a_tank_fills_through_terminal_channel_and_scaling() -> None:
    on = bench()
    on.run_until(1)
    before = value(on, "Tank1Level")
    assert before == pytest.approx(1.42, abs=0.01)
    on.signals.force(IDS["Tank1FillValve"], 1)
    on.run_until(21)
    # 0.05 m³/s into 4 m² for 20 s.
    assert value(on, "Tank1Level") - before == pytest.approx(0.25, abs=0.01)
    on.signals.release(IDS["Tank1FillValve"])
    on.signals.force(IDS["Tank1Level"], 9.5)
    assert on.value(IDS["Tank1Level"]) == (9.5, "forced")
    on.signals.release(IDS["Tank1Level"])
    on.run_until(22)
    assert value(on, "Tank1Level") < 3


def test_a_pulled_cable_is_seen_within_the_time_out_and_recovers() -> None:
    on = bench()
    on.run_until(10)
    cable(on, STATIONS["Humidifier"], plugged=False)
    # Two exchanges share the connection: at worst one time-out is waited for before the other's begins.
    on.run_until(10 + 0.2 + 2 * 0.4 + 0.1 + 0.05)
    assert on.value(IDS["HumidifierGood"]) == (False, "good")
    assert on.value(IDS["HumidifierHumidity"])[1] == "old"
    told = next(s for s in on.stations.all() if s["name"] == "Humidifier")
    assert (told["state"], told["text"], told["cable"]) == ("bad", "no answer within 400 ms", False)
    assert on.value(IDS["CompressorGood"]) == (True, "good")
    cable(on, STATIONS["Humidifier"], plugged=True)
    on.run_until(12.5)
    assert on.value(IDS["HumidifierGood"]) == (True, "good")


def test_a_wrong_reference_is_answered_with_the_exception() -> None:
    measured = next(x for x in PLANT.all(Exchange) if x.name == "Measured")
    wrong = apply(PLANT, BUILTIN, edits.SetFields(ids=[measured.id], values={"settings.count": 20})).plant
    on = bench(wrong)
    on.run_until(3)
    told = next(x for s in on.stations.all() for x in s["exchanges"] if x["name"] == "Measured")
    assert told["state"] == "bad"
    assert told["text"].startswith("exception 02: illegal data address")


@pytest.mark.parametrize(
    ("signal", "given", "says"),
    [("Tank1Level", 1, "cannot be written"), ("HumidifierStart", 2, "0 or 1"),
     ("HumiditySetpoint", "wet", "not a number")],
)  # fmt: skip
def test_what_cannot_be_written(signal: str, given: object, says: str) -> None:
    with pytest.raises(Refusal, match=says):
        bench().signals.write(IDS[signal], given)


def test_a_plant_without_as_built_data_is_built_as_configured() -> None:
    on = Bench(PLANT, BUILTIN, Plant.of([r for r in PLANT.rows() if not r.id.startswith("b")], PLANT.counter))
    on.signals.write(IDS["HumiditySetpoint"], 50)
    on.run_until(3)
    assert all(s["state"] == "good" for s in on.stations.all())
    assert Bench(Plant.of([r for r in PLANT.rows() if r.id.startswith("p")], 1), BUILTIN).stations.all() == []


@pytest.mark.parametrize("bus", ["modbus-tcp", "modbus-rtu"])
def test_chains_and_start_bits(bus: str) -> None:
    """One every 200 ms, one behind it, one behind that, and one when its bit rises; silence stops none."""
    plant = hall()
    port = plant.all(Port)[0 if bus == "modbus-tcp" else -1].id
    asked = {"function": 3, "period_ms": 200, "timeout_ms": 30, **({"retries": 0} if bus == "modbus-rtu" else {})}
    steps: list[Any] = [
        edits.AddNetwork(fieldbus=bus, port=port, tag="$n"),
        edits.AddStation(network="$n", connection_tag="$k", tag="$s"),
        *(edits.AddExchange(connection="$k", name=f"X{n}", settings=asked, tag=f"$x{n}") for n in range(4)),
        *(
            edits.SetFields(ids=[f"$x{n}"], values={"settings.trigger": trigger})
            for n, trigger in ((1, "after"), (2, "after"), (3, "edge"))
        ),
    ]
    plant = apply(plant, BUILTIN, edits.Batch(edits=steps)).plant
    last = next(x.id for x in plant.all(Exchange) if x.name == "X3")
    controller = next(iter(plant.tables["controllers"]))
    start = edits.AddSignals(controller=controller, pattern="Go", place=last, key="start", type="BOOL")
    plant = apply(plant, BUILTIN, start).plant
    told = analyse(plant, BUILTIN).result("network.timing", plant.all(Network)[0].id)
    assert [e.period_ms for e in sorted(told.exchanges, key=lambda e: e.exchange)] == [200, 200, 200, 0]
    on = Bench(plant, BUILTIN)

    def counts() -> list[int]:
        return [x["transactions"] for s in on.stations.all() for x in s["exchanges"]]

    on.run_until(1.19)
    assert counts() == [6, 6, 6, 0]
    for wanted in (1, 0, 1):
        on.signals.write(plant.all(Signal)[0].id, wanted)
        on.run_until(on.seconds + 0.4)
    assert counts()[3] == 2
    cable(on, plant.all(Station)[0].id, plugged=False)
    before = counts()
    on.run_until(on.seconds + 2)
    assert [n - b for n, b in zip(counts(), before, strict=True)] == [10, 10, 10, 0]


def test_a_chain_needs_a_beginning() -> None:
    first = next(x for x in PLANT.all(Exchange) if x.name == "Measured")
    broken = apply(PLANT, BUILTIN, edits.SetFields(ids=[first.id], values={"settings.trigger": "after"})).plant
    analysis = analyse(broken, BUILTIN)
    found = next(f for f in analysis.findings.values() if f.code == "NET-213")
    remedy = remedy_of(analysis, found)
    assert remedy is not None
    assert remedy.edit is not None
    mended = analyse(apply(broken, BUILTIN, remedy.edit).plant, BUILTIN)
    assert found.key not in mended.findings


def watched(watch: str, read: int = 40011) -> tuple[Plant, str]:
    """A station whose register 40011 is written, and one of whose registers is read, every 100 ms."""
    plant = hall()
    steps: list[Any] = [
        edits.AddNetwork(fieldbus="modbus-tcp", port=plant.all(Port)[0].id, tag="$n"),
        edits.AddStation(network="$n", name="Skid 1", connection_tag="$k"),
        edits.AddWatch(connection="$k", watch=watch, write=40011, read=read, period_ms=100, tag="$w"),
    ]
    made = apply(plant, BUILTIN, edits.Batch(edits=steps))
    return made.plant, made.tags["$w"]


@pytest.mark.parametrize(
    ("watch", "name", "text"), [("beat", "Skid1Alive", "alive, at "), ("mirror", "Skid1Mirrored", "round trip ")]
)
def test_a_far_end_that_answers_is_alive_and_one_that_stands_still_is_not(watch: str, name: str, text: str) -> None:
    plant, reading = watched(watch)
    assert [s.name for s in plant.all(Signal)] == [name]
    on = Bench(plant, BUILTIN)
    on.run_until(2)
    assert on.exchanges[reading].text.startswith(text)
    assert on.value(plant.all(Signal)[0].id)[0] is True
    # It answers as before, but what it gives does not change any more.
    plant, reading = watched(watch, read=40051)
    on = Bench(plant, BUILTIN)
    on.run_until(2)
    assert on.exchanges[reading].text.startswith("stands still for ")
    assert on.value(plant.all(Signal)[0].id)[0] is False


def test_a_round_trip_is_what_the_exchanges_make_it() -> None:
    """The bit is written with one period and read back with the next: a period and two answers at most."""
    plant, reading = watched("mirror")
    on = Bench(plant, BUILTIN)
    on.run_until(5)
    trip = float(on.exchanges[reading].text.split()[2])
    assert 5 < trip <= 100 + 2 * 5.1


def test_a_watch_shorter_than_the_beat_is_found_and_mended() -> None:
    plant, reading = watched("beat")
    short = apply(plant, BUILTIN, edits.SetFields(ids=[reading], values={"settings.watch_ms": 150})).plant
    analysis = analyse(short, BUILTIN)
    found = next(f for f in analysis.findings.values() if f.code == "NET-214")
    remedy = remedy_of(analysis, found)
    assert remedy is not None
    assert remedy.edit is not None
    assert found.key not in analyse(apply(short, BUILTIN, remedy.edit).plant, BUILTIN).findings
    assert "NET-214" not in {f.code for f in analyse(plant, BUILTIN).findings.values()}
    with pytest.raises(Refusal):
        apply(plant, BUILTIN, edits.AddWatch(connection="k9zz", watch="beat", write=1, read=1))


@pytest.mark.parametrize("bus", ["modbus-tcp", "modbus-rtu"])
def test_what_an_exchange_tells_of_itself(bus: str) -> None:
    """Code: 0 while good, the protocol's own exception, FF for silence; running from question to answer; octets read.

    They take octets only where a signal asks for them.
    """
    plant = hall()
    port = plant.all(Port)[0 if bus == "modbus-tcp" else -1].id
    settings = {"function": 3, "count": 5, "period_ms": 400, "timeout_ms": 50}
    settings |= {"retries": 0} if bus == "modbus-rtu" else {}
    steps: list[Any] = [
        edits.AddNetwork(fieldbus=bus, port=port, tag="$n"),
        edits.AddStation(network="$n", connection_tag="$k", tag="$s"),
        edits.AddExchange(connection="$k", settings=settings, tag="$x"),
    ]
    made = apply(plant, BUILTIN, edits.Batch(edits=steps))
    controller = next(iter(plant.tables["controllers"]))
    without = analyse(made.plant, BUILTIN).result("controller.image", controller).in_octets
    exchange, asked = made.tags["$x"], ("code", "running", "length", "failures")
    asking = [
        edits.AddSignals(controller=controller, pattern=key.title(), place=exchange, key=key, type=kind)
        for key, kind in zip(asked, ("UINT", "BOOL", "UINT", "UINT"), strict=True)
    ]
    plant = apply(made.plant, BUILTIN, edits.Batch(edits=asking)).plant
    image = analyse(plant, BUILTIN).result("controller.image", controller)
    seats = [image.beside[f"{exchange}.{key}"] for key in asked]
    step = image.alignment
    assert [(seat.octet, seat.bit) for seat in seats] == [(without + n * step, 0) for n in range(4)]
    assert image.in_octets == without + 4 * step
    on, signals = Bench(plant, BUILTIN), [signal.id for signal in plant.all(Signal)]

    def told(seconds: float) -> list[tuple[Any, str]]:
        on.run_until(seconds)
        return [on.value(signal) for signal in signals]

    assert told(1.1) == [(0, "good"), (False, "good"), (10, "good"), (0, "good")]
    devices(on)[0].server.present = {}
    assert told(1.5) == [(2, "good"), (False, "good"), (0, "good"), (1, "good")]
    assert on.signals.beside(signals[0])[1].startswith("illegal data address")
    cable(on, made.tags["$s"], plugged=False)
    # Asked at 1.6 s, given up 50 ms after the request has gone.
    assert [told(t)[1][0] for t in (1.59, 1.62, 1.65, 1.75)] == [False, True, True, False]
    assert told(1.9) == [(0xFF, "good"), (False, "good"), (0, "good"), (1, "good")]
    assert on.signals.beside(signals[0]) == (None, "nobody answered in time")
