"""Bagging: PROFINET on KILN's port, a star off a switch with a line behind; how it really stands."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.demo.builder import Builder
from highmoor.core.demo.standing import held, standing
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    Controller,
    Module,
    Network,
    Port,
    Rail,
    Station,
)
from highmoor.core.project import edits
from highmoor.core.project.built_edits import set_built
from highmoor.core.project.draft import Draft

NAME = "Bagging"
REMOTE, WEIGHER, PRINTER = (
    "profinet-gsdml.fad0.0040.TR-40", "profinet-gsdml.fad2.0600.PW-6", "profinet-gsdml.fad4.0300.AL-3",
)  # fmt: skip
DI, DO, AI, AO = "DI8", "DO8", "AI4", "AO2"
_COUNTS = {"raw_lo": 0, "raw_hi": 27648, "raw_type": "INT"}
_GRAMS = {"raw_lo": 0, "raw_hi": 1000, "lo": 0, "hi": 1}


def add_bagging(build: Builder) -> None:
    """Two remote I/Os, a weigher, a label printer; nothing where the catalogue has not read their makers' files."""
    if REMOTE not in build.types:
        return
    kiln = build.find(Controller, name="KILN")
    port = next(port for port in build.plant.children(Port, kiln.id) if port.address)
    network = build.do(edits.AddNetwork(fieldbus="profinet", port=port.id, name=NAME, tag="$n"))["$n"]
    span = {"settings.first": "10.20.4.100", "settings.last": "10.20.4.119"}
    build.do(edits.SetFields(ids=[network], values=span))
    place = "Bagging, under the malt silo"
    _station(build, "Bagging switch", "", {"location": place, "settings.length_m": 60})
    _station(build, "Bag weigher", WEIGHER, {
        "designation": "=BW1", "location": place, "upstream": "Bagging switch", "settings.length_m": 12,
        "settings.update_ms": 16,
    })  # fmt: skip
    _station(build, "Bagging I/O", REMOTE, {
        "designation": "=BG1", "location": place, "upstream": "Bagging switch", "settings.length_m": 3,
        "settings.device_name": "bagging-io",
    })  # fmt: skip
    _station(build, "Pallet I/O", REMOTE, {
        "designation": "=BG2", "location": "Bagging, palletiser", "upstream": "Bagging I/O",
        "settings.length_m": 25, "settings.device_name": "pallet-io",
    })  # fmt: skip
    _station(build, "Label printer", PRINTER, {
        "designation": "=BL1", "location": "Bagging, palletiser", "upstream": "Pallet I/O", "settings.length_m": 4,
        "settings.update_ms": 32,
    })  # fmt: skip
    _plug(build, "Bagging I/O", ((1, DI, "-K1BG"), (2, DO, "-K2BG"), (3, AI, "-K3BG")))
    _plug(build, "Pallet I/O", ((1, DI, "-K1PA"), (2, DO, "-K2PA")))
    _plug(build, "Label printer", ((1, "PRINT", "-K1BL"), (2, "TEXT32", "-K2BL")))
    scale = {"settings.terminals": "4-20ma", "settings.full_counts": 27648}
    build.do(edits.SetFields(ids=[build.at("-K3BG")], values=scale))
    _signals(build)


def _station(build: Builder, name: str, key: str, values: dict[str, Any]) -> None:
    network = build.find(Network, name=NAME).id
    add = edits.AddStation(
        network=network, type=build.types[key] if key else "tarnfell.es-8", name=name, tag="$s"
    )  # fmt: skip
    upper = values.get("upstream")
    own = {**values, "upstream": build.find(Station, name=upper).id if upper else None}
    build.do(edits.Batch(edits=[add, edits.SetFields(ids=["$s"], values=own)]))


def _plug(build: Builder, station: str, modules: tuple[tuple[int, str, str], ...]) -> None:
    """What its file puts there by itself stays, with its designation."""
    head = build.find(Station, name=station)
    rail = build.find(Rail, head=head.id)
    there = {module.slot: module.id for module in build.plant.children(Module, rail.id)}
    for slot, key, designation in modules:
        named = {"designation": designation}
        if slot in there:
            build.do(edits.SetFields(ids=[there[slot]], values=named))
            continue
        insert = edits.InsertModules(rail=rail.id, type=f"{head.type}/{key}", slot=slot, tag="$m")
        build.do(edits.Batch(edits=[insert, edits.SetFields(ids=["$m"], values=named)]))


def _signals(build: Builder) -> None:
    build.run("KILN", "BagClamp{n}Closed", 4, build.at("-K1BG"), "i0.0", type="BOOL")
    build.run("KILN", "SpoutOpen{n}", 4, build.at("-K1BG"), "i0.4", type="BOOL")
    build.run("KILN", "BagClamp{n}", 4, build.at("-K2BG"), "q0.0", type="BOOL")
    build.run("KILN", "SpoutValve{n}", 4, build.at("-K2BG"), "q0.4", type="BOOL")
    level = {**_COUNTS, "lo": 0, "hi": 6.5}
    build.run("KILN", "SiloLevel{n}", 2, build.at("-K3BG"), "i0", type="REAL", unit="m", scaling=level)
    build.run("KILN", "PalletSeen{n}", 8, build.at("-K1PA"), "i0.0", type="BOOL")
    build.run("KILN", "Conveyor{n}Run", 8, build.at("-K2PA"), "q0.0", type="BOOL")
    into, out = (build.way(NAME, "Bag weigher", way) for way in ("in", "out"))
    build.run("KILN", "BagWeight", 1, into, "o4", type="REAL", unit="kg", scaling={**_GRAMS, "raw_type": "DINT"})
    build.run("KILN", "BagFilled", 1, into, "o9.5", type="BOOL")
    build.run("KILN", "BagFill", 1, out, "o1.3", type="BOOL")
    build.run("KILN", "BagFillTo", 1, out, "o2", type="REAL", unit="kg", scaling={**_GRAMS, "raw_type": "DINT"})
    into, out = (build.way(NAME, "Label printer", way) for way in ("in", "out"))
    build.run("KILN", "LabelReady", 1, into, "o1.0", type="BOOL")
    build.run("KILN", "LabelsPrinted", 1, into, "o2", type="UDINT")
    build.run("KILN", "LabelPrint", 1, out, "o1.0", type="BOOL")
    for name, station in (("Bagging", "Bagging I/O"), ("Pallet", "Pallet I/O"), ("Weigher", "Bag weigher")):
        build.run("KILN", f"{name}State", 1, build.way(NAME, station, "in"), "state", type="UINT")
        build.run("KILN", f"{name}Good", 1, build.way(NAME, station, "in"), "status", type="BOOL")


_ON_A_SWITCH, _IN_A_LINE = 112, 8


def stars_of_lines(keys: Mapping[str, str], port: str, count: int = 256) -> edits.Batch:
    """So many stations on a port, and their switches, of the types by these keys; `hung_up` gives them their cables."""
    steps: list[edits.Edit] = [edits.AddNetwork(fieldbus="profinet", port=port, name="Stars", tag="$n")]
    for nth in range(-(-count // _ON_A_SWITCH)):
        steps.append(edits.AddStation(network="$n", type="tarnfell.es-16s", name=f"W{nth}"))
    for nth in range(count):
        remote = nth % 2 == 0
        steps.append(
            edits.AddStation(
                network="$n", type=keys[REMOTE if remote else PRINTER], name=f"S{nth}",
                modules=[f"{keys[REMOTE]}/{key}" for key in (DI, DO, AI)] if remote else None,
            )
        )  # fmt: skip
    return edits.Batch(edits=steps)


def hung_up(plant: Plant) -> edits.Batch:
    """Eight in a line behind each socket of a switch, switches one behind the other; every one updated every 32 ms."""
    ids = {station.name: station.id for station in plant.all(Station)}
    stations = [name for name in ids if name.startswith("S")]
    steps: list[edits.Edit] = [
        edits.SetFields(ids=[ids[name] for name in stations], values={"settings.update_ms": 32})
    ]  # fmt: skip
    for name in ids:
        nth = int(name[1:])
        above = f"W{nth - 1}" if name.startswith("W") else f"S{nth - 1}" if nth % _IN_A_LINE else ""
        upper = ids.get(above or f"W{nth // _ON_A_SWITCH}")
        if upper:
            steps.append(edits.SetFields(ids=[ids[name]], values={"upstream": upper}))
    return edits.Batch(edits=steps)


# ── as it really stands

_WIRED: dict[str, dict[str, float]] = {
    "-K1BG": {"i0.0": 1, "i0.1": 1, "i0.4": 1},
    "-K3BG": {"i0": 13.2, "i2": 7.4},
    "-K1PA": {"i0.0": 1, "i0.5": 1},
}


def bagging_as_built(draft: Draft) -> None:
    """The weigher came without a name, and a module with analogue outputs is in the pallet I/O's slot 2."""
    network = next((n for n in draft.plant.all(Network) if n.name == NAME), None)
    if network is None:
        return
    stations = {station.name: station for station in draft.plant.children(Station, network.id)}
    standing(draft, network.id, station=stations["Bag weigher"].id, model="weigher", facts={"name": ""})
    standing(draft, network.id, station=stations["Label printer"].id, model="printer")
    second = next(m for m in draft.plant.all(Module) if m.designation == "-K2PA")
    other = f"{stations['Pallet I/O'].type}/{AO}"
    set_built(draft, edits.SetBuilt(ids=[second.id], values={"type": other}))
    held(draft, "Bagging field", _WIRED)
