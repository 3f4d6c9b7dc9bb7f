"""What a signal's path is told to take at worst is not exceeded on the bench, in, out, and handed on between places."""

from __future__ import annotations

from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Exchange, Module, Port, Signal, Task
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.signals.path import SignalPath
from tests.core.benches import devices
from tests.core.plants import hall

# Rounding to whole nanoseconds at each hop.
_EXACT_S = 1e-6
POINTS = {"in": 100, "out": 150}
KINDS = ("modbus-tcp", "modbus-rtu", "ethernet-ip", "rail")


@st.composite
def wholes(draw: Any) -> dict[str, Any]:
    """A controller with a value in and one out, by its rail or a network, among other exchanges of the same line."""
    return {
        "from": draw(st.sampled_from(KINDS)),
        "to": draw(st.sampled_from(KINDS)),
        "task_ms": draw(st.sampled_from((1, 4, 10, 25, 100))),
        "every_ms": draw(st.sampled_from((5, 12, 20, 50, 130))),
        "filter_ms": draw(st.sampled_from((0.1, 1, 3, 10))),
        "reply_ms": draw(st.sampled_from((0, 2, 7))),
        "others": draw(st.integers(0, 3)),
        "at": draw(st.lists(st.floats(0.0001, 0.4), min_size=3, max_size=6)),
    }


def _network(kind: str, port: str, told: dict[str, Any]) -> list[Any]:
    n, s, k = (f"${letter}{KINDS.index(kind)}" for letter in "nsk")
    steps: list[Any] = [
        edits.AddNetwork(fieldbus=kind, port=port, tag=n),
        edits.AddStation(network=n, name=kind, tag=s, connection_tag=k),
    ]
    if kind == "ethernet-ip":
        return steps
    steps.append(edits.SetFields(ids=[s], values={"settings.reply_ms": told["reply_ms"]}))
    asked = {"period_ms": told["every_ms"], "timeout_ms": 2000, "count": 1}
    for way, function in (("in", 4), ("out", 16)):
        settings_ = {**asked, "function": function}
        steps.append(edits.AddExchange(connection=k, name=f"{kind} {way}", settings=settings_))
    for other in range(told["others"]):
        steps.append(edits.AddExchange(connection=k, name=f"Other {other}", settings={**asked, "function": 3}))
    return steps


def made(told: dict[str, Any]) -> Plant:
    """The plant: In is read, Out is written, Both is read where In is and written to the word behind Out's."""
    plant = hall("di-16", "do-16")
    ports = {kind: plant.all(Port)[-1 if kind == "modbus-rtu" else 0].id for kind in KINDS[:3]}
    kinds = dict.fromkeys(kind for kind in (told["from"], told["to"]) if kind != "rail")
    steps = [step for kind in kinds for step in _network(kind, ports[kind], told)]
    steps += [edits.SetFields(ids=[task.id], values={"period_ms": told["task_ms"]}) for task in plant.all(Task)]
    steps.append(edits.SetFields(ids=[plant.all(Module)[0].id], values={"settings.filter_ms": told["filter_ms"]}))
    plant = apply(plant, BUILTIN, edits.Batch(edits=steps)).plant
    for exchange in plant.all(Exchange):
        if exchange.name in ("From it", "To it"):
            values = {"point": POINTS[exchange.direction], "octets": 2, "rpi_ms": told["every_ms"]}
            named = {f"settings.{key}": value for key, value in values.items()}
            plant = apply(plant, BUILTIN, edits.SetFields(ids=[exchange.id], values=named)).plant
    controller = plant.all(Controller)[0].id
    for name, way, kind in (("In", "in", told["from"]), ("Out", "out", told["to"]), ("Both", "in", told["from"])):
        place, key = _place(plant, kind, way)
        run = edits.AddSignals(controller=controller, pattern=name, type="BOOL", place=place, key=key)
        plant = apply(plant, BUILTIN, run).plant
    both = next(s.id for s in plant.all(Signal) if s.name == "Both")
    place, _ = _place(plant, told["to"], "out")
    return apply(plant, BUILTIN, edits.LinkSignal(signal=both, place=place, key=_SECOND[told["to"]], also=True)).plant


_FIRST = {"rail": "ch0", "ethernet-ip": "w0.0", "modbus-tcp": "w0.0", "modbus-rtu": "w0.0"}
_SECOND = {kind: key.replace("0", "1") if kind == "rail" else "w0.1" for kind, key in _FIRST.items()}


def _place(plant: Plant, kind: str, way: str) -> tuple[str, str]:
    if kind == "rail":
        return plant.all(Module)[0 if way == "in" else 1].id, "ch0"
    name = {"in": "From it", "out": "To it"}[way] if kind == "ethernet-ip" else f"{kind} {way}"
    return next(x.id for x in plant.all(Exchange) if x.name == name), _FIRST[kind]


class _Field:
    """What is outside: a value given, and what has arrived there, by any of the ways."""

    def __init__(self, bench: Bench, plant: Plant) -> None:
        self.bench, self.plant = bench, plant
        self.adapter: Any = next(iter(devices(bench, "ethernet-ip")), None)
        modbus = ("modbus-tcp", "modbus-rtu")
        self.servers: dict[str, Any] = {k: d.server for k in modbus for d in reversed(devices(bench, k))}
        self.rail: Any = next(iter(bench.controllers.values())).rail

    def give(self, kind: str, value: int) -> None:
        if kind == "rail":
            self.rail.give(f"{self.plant.all(Module)[0].id}.ch0", float(value))
        elif kind == "ethernet-ip":
            self.adapter.inputs[POINTS["in"]][0] = value
        else:
            self.servers[kind].areas[3][0] = value

    def arrived(self, kind: str, bit: int) -> int:
        if kind == "rail":
            return int(self.rail.take(f"{self.plant.all(Module)[1].id}.ch{bit}"))
        if kind == "ethernet-ip":
            return int(self.adapter.outputs[POINTS["out"]][0]) >> bit & 1
        return int(self.servers[kind].areas[4].get(0, 0)) >> bit & 1


@settings(max_examples=60, deadline=None)
@given(told=wholes())
def test_no_signal_is_later_than_its_path_says(told: dict[str, Any]) -> None:
    plant = made(told)
    analysis = analyse(plant, BUILTIN)
    ids = {signal.name: signal.id for signal in plant.all(Signal)}
    paths: dict[str, SignalPath] = {name: analysis.result("signal.path", i) for name, i in ids.items()}
    timings = [analysis.result("network.timing", network) for network in plant.tables["networks"]]
    if not all(timing.whole for timing in timings):
        return
    bench = Bench(plant, BUILTIN)
    bench.run_until(1)
    outside = _Field(bench, plant)
    # Asked past the bench's own question, because nothing is wired to the rail of this plant.
    controller = next(iter(bench.controllers.values()))
    read, written = (next(w for w in paths["Both"].ways if w.link == link.link) for link in paths["Both"].links)
    assert paths["Both"].worst_ms == max(read.worst_ms, written.worst_ms)
    for n, wait in enumerate(told["at"]):
        value = (n + 1) % 2
        bench.run_until(bench.seconds + wait)
        outside.give(told["from"], value)
        bench.signals.write(ids["Out"], value)
        now = bench.seconds
        seen = [
            (paths["In"].worst_ms, lambda: int(controller.value(controller.signals[ids["In"]]))),
            (paths["Out"].worst_ms, lambda: outside.arrived(told["to"], 0)),
            (written.worst_ms, lambda: outside.arrived(told["to"], 1)),
        ]
        for worst_ms, arrived in sorted(seen, key=lambda one: one[0]):
            bench.run_until(now + worst_ms / 1000 + _EXACT_S)
            assert arrived() == value
