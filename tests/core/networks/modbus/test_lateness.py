"""What is told of a line's time is what happens on the bench: lateness, transactions, broadcasts, silence for ever."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.networks.line_time import Timing
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Exchange, Network, Port, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.new import new_plant
from highmoor.core.project.remedies import remedy_of
from tests.core.benches import nobody_there

# Rounding to whole nanoseconds, a few hundred times.
_EXACT_MS = 0.001
_PERIODS = (20, 25, 40, 50, 60, 80, 100, 120, 150, 200, 400, 500)


@st.composite
def lines(draw: Any) -> dict[str, Any]:
    """A line with up to four stations and up to four requests each, in chains, by start bits, broadcast."""
    requests = st.fixed_dictionaries(
        {
            "function": st.sampled_from((1, 3, 4, 5, 15, 16, 23)),
            "count": st.integers(1, 30),
            "period_ms": st.sampled_from(_PERIODS),
            "trigger": st.sampled_from(("period", "period", "period", "after", "edge")),
        }
    )
    return {
        "kind": draw(st.sampled_from(("modbus-tcp", "modbus-rtu"))),
        "baud": draw(st.sampled_from((9600, 19200, 115200))),
        "mode": draw(st.sampled_from(("rtu", "rtu", "ascii"))),
        "stations": draw(st.lists(st.lists(requests, min_size=1, max_size=4), min_size=1, max_size=4)),
        "reply_ms": draw(st.sampled_from((0, 1, 5, 7.5))),
        "broadcast": draw(st.booleans()),
    }


def built(line: dict[str, Any], **more: Any) -> Plant:
    """The plant with that line on a controller's port; a signal on every start bit."""
    serial = line["kind"] == "modbus-rtu"
    made = apply(new_plant("Line"), BUILTIN, edits.AddController(type="tarnfell.tf-42", address="10.0.0.1", tag="$c"))
    keys = {p.key: p.id for p in made.plant.all(Port)}
    wanted: list[Any] = [edits.AddNetwork(fieldbus=line["kind"], port=keys["S" if serial else "A"], tag="$n")]
    if serial:
        parity = {"settings.baud": line["baud"], "settings.mode": line["mode"]}
        wanted.append(edits.SetFields(ids=["$n"], values=parity))
    stations = list(line["stations"])
    for n, requests in enumerate(stations, start=1):
        address = str(n) if serial else f"10.0.0.{n + 10}"
        if serial and line["broadcast"] and n == len(stations):
            address = "0"
        wanted.append(edits.AddStation(network="$n", address=address, tag=f"$s{n}", connection_tag=f"$k{n}"))
        ends = {"settings.terminated": True} if serial else {}
        wanted.append(edits.SetFields(ids=[f"$s{n}"], values={"settings.reply_ms": line["reply_ms"], **ends}))
        for k, request in enumerate(requests):
            function = 16 if address == "0" else request["function"]
            count = 1 if function == 5 else request["count"]
            asked = {"function": function, "address": f"@{100 * k}", "count": count, **more}
            wanted.append(
                edits.AddExchange(
                    connection=f"$k{n}", settings={**asked, "period_ms": request["period_ms"]}, tag=f"$x{n}_{k}"
                )
            )
            if request["trigger"] != "period":
                wanted.append(edits.SetFields(ids=[f"$x{n}_{k}"], values={"settings.trigger": request["trigger"]}))
    plant = apply(made.plant, BUILTIN, edits.Batch(edits=wanted)).plant
    starts = [
        edits.AddSignals(controller=made.tags["$c"], pattern=f"Start{n}_{{n}}", place=x.id, key="start")
        for n, x in enumerate(plant.all(Exchange))
        if x.settings.get("trigger") == "edge"
    ]
    return apply(plant, BUILTIN, edits.Batch(edits=starts)).plant if starts else plant


def told_of(plant: Plant) -> Timing:
    timing: Timing = analyse(plant, BUILTIN).result("network.timing", plant.all(Network)[0].id)
    return timing


def measured(plant: Plant, seconds: float) -> Bench:
    """The plant run for a while, its program pulling every start bit as often as it can."""
    bench = Bench(plant, BUILTIN)
    starts = [s.id for s in plant.all(Signal)]
    steps = int(seconds / 0.05) if starts else 1
    for n in range(1, steps + 1):
        bench.run_until(n * seconds / steps)
        for signal in starts:
            bench.signals.write(signal, n % 2)
    return bench


@settings(max_examples=150, deadline=None)
@given(line=lines())
def test_nothing_is_later_than_told(line: dict[str, Any]) -> None:
    plant = built(line, timeout_ms=2000)
    timing = told_of(plant)
    if not timing.whole:
        return
    bench = measured(plant, 6.5)
    for told in timing.exchanges:
        live = bench.exchanges[told.exchange]
        assert live.failures == 0, live.text
        if told.worst_late_ms is not None:
            assert live.late_ns / 1e6 <= told.worst_late_ms + _EXACT_MS


@pytest.mark.parametrize("kind", ["modbus-tcp", "modbus-rtu"])
def test_what_happens_at_one_moment_is_served_in_the_order_given(kind: str) -> None:
    """Both are due together every 200 ms; the second was asked last more recently, and still comes second."""
    requests = [{"function": 3, "count": 20, "trigger": "period", "period_ms": p} for p in (200, 50)]
    line = {"kind": kind, "baud": 19200, "mode": "rtu", "stations": [requests], "reply_ms": 5, "broadcast": False}
    plant = built(line, timeout_ms=1000)
    first, second = (told_of(plant).exchanges[n] for n in (0, 1))
    bench = measured(plant, 4)
    assert (first.worst_late_ms, bench.exchanges[first.exchange].late_ns) == (0, 0)
    assert bench.exchanges[second.exchange].late_ns / 1e6 == pytest.approx(second.worst_late_ms, abs=_EXACT_MS)
    assert second.worst_late_ms == pytest.approx(first.transaction_ms)


@pytest.mark.parametrize("mode", ["rtu", "ascii"])
@pytest.mark.parametrize("everybody", [True, False])
def test_a_line_does_in_a_second_what_its_figures_say(mode: str, everybody: bool) -> None:
    """One request after the other, always due: so many go in a second as the transaction tells, to the last one."""
    requests = [{"function": 16, "count": 10, "trigger": "period", "period_ms": 10}]
    line = {"kind": "modbus-rtu", "baud": 19200, "mode": mode, "stations": [requests, requests], "reply_ms": 3,
            "broadcast": everybody}  # fmt: skip
    plant = built(line, timeout_ms=1000)
    one, other = told_of(plant).exchanges
    bench = measured(plant, 20)
    lives = [bench.exchanges[e.exchange] for e in (one, other)]
    assert abs(lives[0].transactions - lives[1].transactions) <= 1
    both = one.transaction_ms + other.transaction_ms
    assert lives[0].transactions == pytest.approx(20_000 / both, abs=1.01)
    if everybody:
        # The usual rest of 100 ms behind the request's 29 characters, or 59 in ASCII, and no silence more.
        characters = 29 * 11 if mode == "rtu" else 59 * 10
        assert other.transaction_ms == pytest.approx(characters / 19.2 + 100, abs=1e-6)


def test_a_time_out_of_0_is_for_ever_and_its_finding_keeps_its_mend() -> None:
    requests = [{"function": 3, "count": 4, "trigger": "period", "period_ms": 200}]
    line = {"kind": "modbus-rtu", "baud": 19200, "mode": "rtu", "stations": [requests, requests], "reply_ms": 3,
            "broadcast": False}  # fmt: skip
    plant = built(line)
    second = plant.all(Exchange)[1]
    plant = apply(plant, BUILTIN, edits.SetFields(ids=[second.id], values={"settings.timeout_ms": 0})).plant
    timing = told_of(plant)
    assert timing.silent_for_ever
    assert timing.silent == plant.all(Station)[1].name
    assert [e.late_one_silent_ms for e in timing.exchanges] == [None, None]
    assert [e.worst_late_ms for e in timing.exchanges] != [None, None]
    # And so it is: the far end is not there, and nobody is asked any more.
    bench = Bench(plant, BUILTIN, nobody_there(plant))
    bench.run_until(20)
    assert [bench.exchanges[e.exchange].transactions for e in timing.exchanges][1] == 1
    analysis = analyse(plant, BUILTIN)
    found = next(f for f in analysis.findings.values() if f.code == "NET-201")
    remedy = remedy_of(analysis, found)
    assert remedy is not None
    assert remedy.edit is not None
    mended = apply(plant, BUILTIN, remedy.edit).plant
    assert not told_of(mended).silent_for_ever
    told = next(f for f in analysis.findings.values() if f.code == "NET-231")
    assert dict(told.values)["told"] == "is never asked again"


@pytest.mark.parametrize("function", [1, 2, 15])
@pytest.mark.parametrize("count", [1, 3, 8, 13])
def test_bits_behind_the_last_coil_are_0(function: int, count: int) -> None:
    requests = [{"function": function, "count": count, "trigger": "period", "period_ms": 50}]
    line = {"kind": "modbus-tcp", "stations": [requests], "reply_ms": 1, "broadcast": False}
    plant = built(line, timeout_ms=1000)
    exchange = plant.all(Exchange)[0]
    bench = Bench(plant, BUILTIN)
    (controller,) = bench.controllers.values()
    # A program that uses the bits behind the last one for something else.
    controller.image_out[:] = b"\xff" * len(controller.image_out)
    bench.run_until(0.2)
    live = bench.exchanges[exchange.id]
    data = live.request[13:] if function == 15 else live.response[9:]
    assert len(data) == -(-count // 8)
    if function == 15:
        assert data == ((1 << count) - 1).to_bytes(len(data), "little")
    assert int.from_bytes(live.data, "little") < 1 << count
