"""Requests on demand: how they are set, asked, answered and chained, and parameters read by path."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from highmoor.core.bench.bench import Bench
from highmoor.core.errors import Refusal
from highmoor.core.networks.ethernet_ip import FIELDBUS
from highmoor.core.networks.ethernet_ip.remedies import line_at
from highmoor.core.networks.ethernet_ip.requests import request_of
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Exchange, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.benches import cable, devices
from tests.core.networks.ethernet_ip.test_ethernet_ip import LIBRARY, cell, on, put, signal

REQUEST = {"class": 15, "instance": 7, "attribute": 1}


def asking(**told: Any) -> Plant:
    """A drive, asked for its ramp."""
    asked = {"kind": "request", "k": {**REQUEST, **told}, "into": {"octets": 2}}
    return cell({"type": "cv7", "more": [asked]})


def ramp(bench: Bench) -> dict[str, Any]:
    return next(x for s in bench.stations.all() for x in s["exchanges"] if x["name"] == "Answer")


def test_a_request_is_made_once_when_its_bit_rises() -> None:
    plant = asking()
    answer = next(x for x in plant.all(Exchange) if x.name == "Answer")
    controller = next(iter(plant.tables["controllers"]))
    told = (("Ask", "start", "BOOL"), ("Ramp", "o0", "UINT"), ("Told", "status", "BOOL"), ("Octets", "length", "UINT"))
    for name, key, kind in told:
        run = edits.AddSignals(controller=controller, pattern=name, place=answer.id, key=key, type=kind)
        plant = apply(plant, LIBRARY, run).plant
    assert "SIG-107" not in {f.code for f in analyse(plant, LIBRARY).findings.values()}
    bench = on(plant)
    bench.run_until(1)
    assert (ramp(bench)["transactions"], ramp(bench)["state"]) == (0, "waiting")
    bench.signals.write(signal(plant, "Ask"), 1)
    bench.run_until(3)
    assert ramp(bench)["transactions"] == 1
    assert ramp(bench)["request"].endswith("0E 03 20 0F 24 07 30 01")
    assert [bench.value(signal(plant, name))[0] for name in ("Ramp", "Told", "Octets")] == [100, True, 2]
    bench.signals.write(signal(plant, "Ask"), 0)
    bench.run_until(3.5)
    bench.signals.write(signal(plant, "Ask"), 1)
    bench.run_until(4)
    assert ramp(bench)["transactions"] == 2


def test_a_request_that_only_sends_has_the_start_bit_at_what_it_sends() -> None:
    plant = asking()
    request, answer = plant.all(Connection)[1], next(x for x in plant.all(Exchange) if x.name == "Answer")
    steps: list[Any] = [
        edits.AddExchange(connection=request.id, name="Sent", settings={"direction": "out", "octets": 2}, tag="$s"),
        edits.Remove(ids=[answer.id]),
        edits.SetFields(ids=[request.id], values={"settings.service": 0x10}),
    ]
    made = apply(plant, LIBRARY, edits.Batch(edits=steps))
    plant, controller = made.plant, next(iter(made.plant.tables["controllers"]))
    for name, key, kind in (("Ask", "start", "BOOL"), ("Wanted", "o0", "UINT"), ("Octets", "length", "UINT")):
        run = edits.AddSignals(controller=controller, pattern=name, place=made.tags["$s"], key=key, type=kind)
        plant = apply(plant, LIBRARY, run).plant
    # Bit 0 of what is sent and the start bit are two places.
    assert "SIG-106" not in {f.code for f in analyse(plant, LIBRARY).findings.values()}
    bench = on(plant)
    bench.signals.write(signal(plant, "Wanted"), 250)
    bench.signals.write(signal(plant, "Ask"), 1)
    bench.run_until(1)
    sent = next(x for s in bench.stations.all() for x in s["exchanges"] if x["name"] == "Sent")
    assert (sent["state"], sent["request"][-29:]) == ("good", "10 03 20 0F 24 07 30 01 FA 00")
    assert bench.value(signal(plant, "Octets"))[0] == 2


@pytest.mark.parametrize(
    ("told", "text"),
    [
        ({"instance": 99}, "refused, 05: "),
        ({"attribute": 9}, "refused, 14: "),
        ({"service": 0x4B}, "refused, 08: "),
        ({"service": 0x10}, "refused, 13: "),
        ({"service": 0x0E, "class": 1, "instance": 1}, "answered with 2 octets"),
        ({"service": 0x01, "class": 1, "instance": 1}, "octets beyond its room"),
    ],
)
def test_requests_are_answered_with_statuses_in_words(told: dict[str, Any], text: str) -> None:
    plant = asking()
    request = plant.all(Connection)[1]
    settings = {**request.settings, "trigger": "period", "period_ms": 500, **told}
    rows = [replace(row, settings=settings) if row.id == request.id else row for row in plant.rows()]
    bench = on(Plant.of(rows, plant.counter), attributes={"20 0F 24 07 30 01": "6400"})
    bench.run_until(1)
    assert text in ramp(bench)["text"]


@pytest.mark.parametrize(
    ("typed", "service"),
    [(75, 75), ("16#4B", 75), ("127", 127), ("get one attribute", 14), ("reset (16#05)", 5), ("14", 14)],
)
def test_a_service_is_typed_by_name_or_number(typed: Any, service: int) -> None:
    assert (
        put(asking(), asking().all(Connection)[1].id, {"service": typed}).all(Connection)[1].settings["service"]
        == service
    )


@pytest.mark.parametrize(("typed", "says"), [("142", "reply, here to service 14"), (128, "reply\\."), (0, "below 1")])
def test_a_reply_is_no_service_to_ask_for(typed: Any, says: str) -> None:
    with pytest.raises(Refusal, match=says):
        put(asking(), asking().all(Connection)[1].id, {"service": typed})


@pytest.mark.parametrize(
    ("service", "attribute", "path"),
    [
        (0x0E, None, "20 04 24 01 30 01"),
        (0x0E, 3, "20 04 24 01 30 03"),
        (0x01, 3, "20 04 24 01"),
        (0x05, None, "20 04 24 01"),
        (0x4B, None, "20 04 24 01"),
        (0x4B, 3, "20 04 24 01 30 03"),
    ],
)
def test_an_attribute_is_named_where_the_service_takes_one(service: int, attribute: int | None, path: str) -> None:
    told = {"service": service, "class": 4, "instance": 1, "attribute": attribute}
    plant = cell({"type": "cv7", "more": [{"kind": "request", "k": told}]})
    request = request_of(line_at(analyse(plant, LIBRARY), plant.all(Connection)[1].id))
    assert request.path.hex(" ") == path
    assert plant.all(Connection)[1].settings.get("attribute") == attribute


def test_a_chain_goes_on_when_the_one_before_it_is_answered() -> None:
    chain = [
        {"kind": "request", "k": {**REQUEST, "trigger": "period", "period_ms": 400}, "into": {"octets": 2}},
        {"kind": "request", "k": {**REQUEST, "instance": 8, "trigger": "after"}, "into": {"octets": 2}},
    ]
    bench = on(cell({"type": "cv7", "more": chain}))
    bench.run_until(2.1)
    counts = [x["transactions"] for s in bench.stations.all() for x in s["exchanges"] if x["name"] == "Answer"]
    assert counts[0] == counts[1] == 6


def test_parameters_are_read_and_written_by_their_paths() -> None:
    plant = cell({"type": "cv7"})
    station_id = plant.all(Station)[0].id
    bench = on(plant)
    known = {p["key"]: p for p in bench.stations.all()[0]["parameters"]}
    assert (known["param7"]["path"], known["param7"]["usual"], known["param7"]["value"]) == (
        "20 0F 24 07 30 01", "10.0 s", None,
    )  # fmt: skip

    def last(key: str) -> dict[str, Any]:
        return next(p for p in bench.stations.all()[0]["parameters"] if p["key"] == key)

    bench.parameter(station_id, "param7")
    assert last("param7")["text"] == "asked"
    bench.run_until(0.5)
    assert (last("param7")["meaning"], last("param7")["octets"]) == ("10.0 s", "64 00")
    bench.parameter(station_id, "param7", "250")
    bench.run_until(1)
    assert (last("param7")["text"], last("param7")["meaning"]) == ("written", "25.0 s")
    # The device keeps it: with that as built, another bench begins with it.
    assert bench.devices.kept == [(station_id, {"facts.kept.20 0F 24 07 30 01": "fa00"})]
    keep = edits.KeepInDevice(id=station_id, values=bench.devices.kept[0][1])
    later = Bench(plant, LIBRARY, apply(plant, LIBRARY, keep).plant)
    assert devices(later)[0].attributes[bytes.fromhex("20 0F 24 07 30 01")].hex() == "fa00"
    bench.parameter(station_id, "param9", "coast")
    bench.parameter(station_id, "param7")
    bench.run_until(1.5)
    assert (last("param9")["meaning"], last("param7")["value"]) == ("coast", 250)
    for key, value in (("param7", "70000"), ("param7", "fast"), ("nonsense", None)):
        with pytest.raises(Refusal):
            bench.parameter(station_id, key, value)
    cable(bench, station_id, plugged=False)
    bench.parameter(station_id, "param7")
    bench.run_until(4)
    assert (last("param7")["good"], last("param7")["text"]) == (False, "no answer within 2000 ms")


@pytest.mark.parametrize(
    ("code", "says"),
    [
        (0x05, "the path leads nowhere"),
        (0xFF, "status 16#FF"),
        (0x0100, "this connection is open already"),
        (0x0117, "a connection point is wrong"),
        (0x010117, "a connection point is wrong"),
        (0x01FFFF, "refused with extended status 16#FFFF"),
    ],
)
def test_an_error_code_reads_as_its_status(code: int, says: str) -> None:
    assert FIELDBUS.explain(code).startswith(says)
