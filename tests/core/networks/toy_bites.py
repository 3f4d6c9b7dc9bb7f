"""The toy fieldbus from an edit to the bench, in an interpreter of its own; prints what came of it as JSON.

A fieldbus has to be known before anything of the analysis is loaded, so this cannot be done within the test itself.
"""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import tests.toy_fieldbus as toy
from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import modules_behind
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    BuiltDevice,
    Connection,
    Exchange,
    Link,
    Module,
    Network,
    Port,
    Rail,
    Signal,
    Station,
)
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.differences import differences
from highmoor.core.project.exchange_format import export_text, parse_plant
from highmoor.core.project.fields import fields_of
from tests.core.plants import hall


def rope() -> Plant:
    """Three masts: one takes flags, one gives five octets, one has a pole with a module, as has the controller."""
    plant = hall("ser-2")
    port = next(p.id for p in plant.all(Port) if p.key == "1")
    steps: list[Any] = [
        edits.AddNetwork(fieldbus=toy.KEY, port=port, tag="$n"),
        edits.AddStation(network="$n", name="North", connection_tag="$k1"),
        edits.AddExchange(connection="$k1", name="Up", settings={"flags": 9}),
        edits.AddExchange(connection="$k1", name="Down", settings={"flags": 2}),
        edits.AddStation(network="$n", name="South", tag="$s2", connection_tag="$k2"),
        edits.SetFields(ids=["$s2"], values={"settings.crest": "lion"}),
        edits.AddExchange(connection="$k2", name="Seen", settings={"flags": 16, "inward": True}),
        edits.AddStation(network="$n", type="toy.mast", name="West", connection_tag="$k3", rail_tag="$r"),
        edits.AddExchange(connection="$k3", name="Hung", settings={"flags": 24, "inward": True}, tag="$x"),
        edits.InsertModules(rail="$r", type="toy.pole"),
        edits.InsertModules(rail=plant.all(Rail)[0].id, type="toy.pole"),
    ]
    plant = apply(plant, BUILTIN, edits.Batch(edits=steps)).plant
    controller = next(iter(plant.tables["controllers"]))
    west = next(s for s in plant.all(Station) if s.name == "West")
    poles = [next(m for m in modules_behind(plant, head) if m.type == "toy.pole") for head in (west.id, controller)]
    rails = [plant.children(Rail, pole.id)[0].id for pole in poles]
    hang = [edits.InsertModules(rail=rail, type="tarnfell.di-16") for rail in rails]
    plant = apply(plant, BUILTIN, edits.Batch(edits=[*hang])).plant
    inner = [plant.children(Module, rail)[0].id for rail in rails]
    hung = next(x.id for x in plant.all(Exchange) if x.name == "Hung")
    up = next(x.id for x in plant.all(Exchange) if x.name == "Up")
    wanted = [
        ("Outer", poles[0].id, "ch1"), ("Inner", inner[0], "ch1"), ("LastBit", hung, "u0.0"), ("Fly", up, "b8"),
        ("OuterHere", poles[1].id, "ch1"), ("InnerHere", inner[1], "ch1"),
    ]  # fmt: skip
    runs: list[Any] = [
        edits.AddSignals(controller=controller, pattern=name, place=place, key=key, type="BOOL")
        for name, place, key in wanted
    ]
    return apply(plant, BUILTIN, edits.Batch(edits=runs)).plant


def main() -> None:
    plant = rope()
    analysis = analyse(plant, BUILTIN)
    network = plant.all(Network)[0].id
    told: dict[str, Any] = {}
    told["positions"] = [u.address for u in analysis.result("network.addresses", network).uses]
    told["address field"] = [s.path for s in fields_of(plant, BUILTIN, plant.all(Station)[0]) if s.path == "address"]
    told["codes"] = sorted(f.code for f in analysis.findings.values())
    told["weight"] = analysis.result("rope.weight", network)
    ids = {s.name: s.id for s in plant.all(Signal)}
    paths = {name: analysis.result("signal.path", i).links[0] for name, i in ids.items()}
    hung = analysis.result("exchange.octets", next(x.id for x in plant.all(Exchange) if x.name == "Hung"))
    told["places"] = {
        name: [(p.octet or 0) - (hung.image_offset if p.area == "in" else 0), p.bit] for name, p in paths.items()
    }  # fmt: skip
    told["round trip"] = export_text(parse_plant(export_text(plant).encode()).plant) == export_text(plant)

    furled = apply(plant, BUILTIN, edits.OnNetwork(network=network, edit="furl", values={"flags": 4})).plant
    told["furled"] = [x.settings["flags"] for x in furled.all(Exchange)]
    told["refused"] = []
    for edit, values in (("furl", {"flags": 0}), ("furl", {}), ("reef", {})):
        try:
            apply(plant, BUILTIN, edits.OnNetwork(network=network, edit=edit, values=values))
        except Refusal as refusal:
            told["refused"].append(refusal.reason)

    south = next(s for s in plant.all(Station) if s.name == "South")
    model = BuiltDevice("bdzz", network, "V", south.id, model="waving", settings={"falls": True})
    built = Plant.of([*plant.rows(), model], plant.counter + 60_000)
    bench = Bench(built, BUILTIN)
    masts = {there.standing.address: there for there in bench.devices.there.values()}
    bench.signals.write(ids["Fly"], 1)
    bench.run_until(1.9)
    heard: list[int] = []
    bench.lines[network].taps.append(lambda _, octets: heard.append(len(octets)))
    bench.run_until(2.05)
    told["heard"] = heard[:4]
    told["states"] = [s["text"] for s in bench.stations.all()]
    told["frame"] = masts["1"].device.sees.hex()
    frames = analysis.result("network.frames", network)
    told["told frames"] = [[f.sender == "", f.octets, f.phase_ms, [p.at for p in f.pieces]] for f in frames]
    names = {x.id: x.name for x in plant.all(Exchange)}
    (lane,) = analysis.result("network.course", network).lanes
    told["rope"] = [[block.kind, block.start_ms, [names[x] for x in block.exchanges]] for block in lane.blocks]
    lines = {plant.get(k.station, Station).name: k.id for k in plant.all(Connection)}
    told["startup"] = {
        name: [[w.reference, w.octets] for w in analysis.result("connection.startup", k).writes]
        for name, k in lines.items()
    }
    told["crests"] = {masts[a].device.name: masts[a].device.crest.hex(" ") for a in masts}
    told["waved"] = bench._masters[network].waved
    seen = next(x for x in plant.all(Exchange) if x.name == "Seen")
    told["moves"] = bench.exchanges[seen.id].transactions > 5
    # A wire at the inner module shows where the outer one's octets lie, and there alone.
    masts["3"].device.shows[1] = 0b10
    bench.run_until(2.5)
    told["wired"] = {name: bool(bench.signals.value(ids[name])[0]) for name in ("Outer", "Inner")}
    told["terminals"] = {
        key.partition(".")[0]: t.octet for key, t in masts["3"].rail.terminals.items() if key.endswith(".ch1")
    }
    told["inside"] = [link.place for link in plant.all(Link) if link.signal in (ids["Outer"], ids["Inner"])]
    here = next(iter(bench.controllers.values())).rail.terminals
    links = {link.signal: link.place for link in plant.all(Link)}
    told["here"] = [here[f"{links[ids[name]]}.ch1"].octet for name in ("OuterHere", "InnerHere")]
    told["here is"] = [paths[name].octet for name in ("OuterHere", "InnerHere")]

    bench.scan(network, "ada", {})
    bench.run_until(3)
    found = [replace(one) for one in bench.scans.shown[network].found]
    told["found"] = sorted((f.address, f.name) for f in found)
    told["differences"] = [d.kind for d in differences(analyse(built, BUILTIN), network, found)]
    bench.rebuilt(apply(built, BUILTIN, edits.SetBuilt(ids=[south.id], values={"cable": False})).plant)
    bench.run_until(4)
    told["fault"] = [s["text"] for s in bench.stations.all()]
    print(json.dumps(told))


if __name__ == "__main__":
    main()
