"""Steep house: a PROFIBUS line on HALL's master card, two segments with a repeater between; how it really stands."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.demo.builder import Builder
from highmoor.core.demo.standing import held, standing
from highmoor.core.plant.rows import (
    Module,
    Network,
    Port,
    Rail,
    Station,
)
from highmoor.core.project import edits
from highmoor.core.project.built_edits import set_built, swap_built_modules
from highmoor.core.project.draft import Draft

NAME = "Steep house"
REMOTE, ACTUATOR, DRIVE = "profibus-gsd.fa21", "profibus-gsd.fa52", "profibus-gsd.fa33"
DI, DO, AI = "m1", "m2", "m3"
TWO_WORDS = "2 words process data"
# 0–20 mA in the file's own list, of channel 0; 27 648 counts at the upper end, as the module's manual has it.
_CURRENT_FROM_0 = 3
_FULL = 27648
_TENTHS = {"raw_lo": 0, "raw_hi": 1000, "lo": 0, "hi": 100}
_SPEED = {"raw_lo": 0, "raw_hi": 16384, "lo": 0, "hi": 1460, "raw_type": "INT"}
_COUNTS = {"raw_lo": 0, "raw_hi": _FULL, "raw_type": "INT"}


def add_steep_house(build: Builder) -> None:
    """Two remote I/Os whose modules' order matters, four damper actuators, two older drives.

    Nothing where the catalogue has not read their makers' files.
    """
    if REMOTE not in build.types:
        return
    card = build.find(Module, designation="-K11")
    port = build.find(Port, device=card.id, key="P")
    network = build.do(edits.AddNetwork(fieldbus="profibus-dp", port=port.id, name=NAME, tag="$n"))["$n"]
    build.do(edits.SetFields(ids=[network], values={"settings.cycle_ms": 5}))
    _remote(build, "Tank I/O", "=SH1", "Steep house, cabinet +S1", 60, (DI, DO, AI), "SH")
    _station(build, "Damper 1", ACTUATOR, "=SD1", "Steep house, air duct", 22)
    _station(build, "Damper 2", ACTUATOR, "=SD2", "Steep house, air duct", 14)
    _station(build, "Repeater", "", "=SR1", "Steep house, gallery", 30)
    _remote(build, "Drain I/O", "=SH2", "Steep house, cellar", 45, (DI, DO, AI), "DR")
    _station(build, "Damper 3", ACTUATOR, "=SD3", "Steep house, exhaust", 38)
    _station(build, "Damper 4", ACTUATOR, "=SD4", "Steep house, exhaust", 12)
    for nth, metres in ((1, 40), (2, 6)):
        name = f"Steep pump {nth}"
        _station(build, name, DRIVE, f"=SP{nth}", "Steep house, pumps", metres)
        rail = build.find(Rail, head=build.find(Station, name=name).id)
        build.do(edits.InsertModules(rail=rail.id, type=f"{build.types[DRIVE]}/{TWO_WORDS}"))
    _put(build, "Steep pump 2", {"settings.terminated": True})
    _signals(build)


def _station(build: Builder, name: str, key: str, designation: str, location: str, metres: float) -> None:
    network = build.find(Network, name=NAME).id
    add = edits.AddStation(network=network, type=build.types[key] if key else "tarnfell.pr-2", name=name, tag="$s")
    values = {"designation": designation, "location": location, "settings.length_m": metres}
    build.do(edits.Batch(edits=[add, edits.SetFields(ids=["$s"], values=values)]))


def _put(build: Builder, name: str, values: dict[str, Any]) -> None:
    build.do(edits.SetFields(ids=[build.find(Station, name=name).id], values=values))


def _remote(
    build: Builder, name: str, designation: str, location: str, metres: float, modules: tuple[str, ...], letter: str
) -> None:  # fmt: skip
    """Its file puts modules into the first slots: those stand in for its own."""
    _station(build, name, REMOTE, designation, location, metres)
    rail = build.find(Rail, head=build.find(Station, name=name).id)
    build.do(edits.Remove(ids=[module.id for module in build.plant.children(Module, rail.id)]))
    for nth, key in enumerate(modules, start=1):
        values: dict[str, Any] = {"designation": f"-K{nth}{letter}"}
        if key == AI:
            values |= {f"settings.words.i{n}": "4-20ma" for n in (2, 4, 6)} | {"settings.full_counts": _FULL}
            values |= {"settings.words.i0": "0-20ma", "settings.p5_2": _CURRENT_FROM_0}
        insert = edits.InsertModules(rail=rail.id, type=f"{build.types[REMOTE]}/{key}", tag="$m")
        build.do(edits.Batch(edits=[insert, edits.SetFields(ids=["$m"], values=values)]))


def _signals(build: Builder) -> None:
    build.run("HALL", "SteepLid{n}Closed", 8, build.at("-K1SH"), "i0.0", type="BOOL")
    build.run("HALL", "SteepFloat{n}", 4, build.at("-K1SH"), "i1.0", type="BOOL")
    build.run("HALL", "SteepAir{n}Valve", 8, build.at("-K2SH"), "q0.0", type="BOOL")
    conductivity = {**_COUNTS, "lo": 0, "hi": 20}
    build.run("HALL", "SteepConductivity", 1, build.at("-K3SH"), "i0", type="REAL", unit="mS/cm", scaling=conductivity)
    oxygen = {**_COUNTS, "lo": 0, "hi": 15}
    build.run("HALL", "SteepOxygen{n}", 3, build.at("-K3SH"), "i2", type="REAL", unit="mg/l", scaling=oxygen)
    build.run("HALL", "DrainClosed{n}", 8, build.at("-K1DR"), "i0.0", type="BOOL")
    build.run("HALL", "Drain{n}Valve", 8, build.at("-K2DR"), "q0.0", type="BOOL")
    flow = {**_COUNTS, "lo": 0, "hi": 60}
    build.run("HALL", "DrainFlow{n}", 2, build.at("-K3DR"), "i2", type="REAL", unit="m³/h", scaling=flow)
    for n in range(1, 5):
        into, out = (build.way(NAME, f"Damper {n}", way) for way in ("in", "out"))
        build.run("HALL", f"SteepDamper{n}Position", 1, into, "o0", type="REAL", unit="%", scaling=_TENTHS)
        build.run("HALL", f"SteepDamper{n}Target", 1, out, "o0", type="REAL", unit="%",
                  scaling={**_TENTHS, "clamp": True})  # fmt: skip
        build.run("HALL", f"SteepDamper{n}Good", 1, into, "status", type="BOOL")
    for n in (1, 2):
        into, out = (build.way(NAME, f"Steep pump {n}", way) for way in ("in", "out"))
        build.run("HALL", f"SteepPump{n}Status", 1, into, "o0", type="WORD")
        build.run("HALL", f"SteepPump{n}Speed", 1, into, "o2", type="REAL", unit="1/min", scaling=_SPEED)
        build.run("HALL", f"SteepPump{n}Control", 1, out, "o0", type="WORD")
        build.run("HALL", f"SteepPump{n}Wanted", 1, out, "o2", type="REAL", unit="1/min",
                  scaling={**_SPEED, "clamp": True})  # fmt: skip
    for name, station in (("TankIo", "Tank I/O"), ("DrainIo", "Drain I/O")):
        build.run("HALL", f"{name}State", 1, build.way(NAME, station, "in"), "state", type="UINT")
        build.run("HALL", f"{name}Good", 1, build.way(NAME, station, "in"), "status", type="BOOL")


def in_segments(keys: Mapping[str, str], port: str) -> edits.Batch:
    """All the stations that a line can have, on a port: 125, a repeater before every 28th; of the types by these
    keys."""
    steps: list[edits.Edit] = [edits.AddNetwork(fieldbus="profibus-dp", port=port, name="Line", tag="$n")]
    addresses = [0, *range(2, 126)]
    for nth, address in enumerate(addresses):
        if nth and not nth % 28:
            steps.append(edits.AddStation(network="$n", type="tarnfell.pr-2", name=f"R{nth}", tag="$s"))
            steps.append(edits.SetFields(ids=["$s"], values={"settings.length_m": 3}))
        modules = [f"{keys[REMOTE]}/{key}" for key in (DI, DO, AI)] if not nth % 2 else None
        steps.append(
            edits.AddStation(
                network="$n", type=keys[ACTUATOR if nth % 2 else REMOTE], name=f"S{address}", address=str(address),
                modules=modules, tag="$s",
            )
        )  # fmt: skip
        steps.append(edits.SetFields(ids=["$s"], values={"settings.length_m": 3, "settings.watchdog_ms": 1000}))
    steps.append(edits.SetFields(ids=["$s"], values={"settings.terminated": True}))
    return edits.Batch(edits=steps)


# ── as it really stands

# An energy meter of which nobody told: its maker's file is in the inbox. Voltages, currents, power, energy; what its
# current transformers are is a record.
_METER = {
    "ident": 0xFA5E, "identifiers": "40 8B 40 8B 40 83 40 87", "records": {"0/1": "00", "0/2": "00 64"},
}  # fmt: skip
_WIRED: dict[str, dict[str, float]] = {
    "-K1SH": {"i0.0": 1, "i0.1": 1, "i0.2": 1, "i0.4": 1, "i1.0": 1},
    "-K3SH": {"i0": 6.4, "i2": 12.1, "i4": 11.4, "i6": 12.8},
    "-K1DR": {"i0.0": 1, "i0.3": 1},
}


def steep_house_as_built(draft: Draft) -> None:
    """Two modules of the drain's I/O are swapped, and an energy meter stands in the line."""
    network = next((n for n in draft.plant.all(Network) if n.name == NAME), None)
    if network is None:
        return
    stations = {station.name: station for station in draft.plant.children(Station, network.id)}
    for n, position in enumerate((30, 30, 55, 0), start=1):
        standing(draft, network.id, station=stations[f"Damper {n}"].id, model="actuator",
                  settings={"position": 10 * position})  # fmt: skip
    for n in (1, 2):
        standing(draft, network.id, station=stations[f"Steep pump {n}"].id, model="speed-drive")
    swapped = [next(m.id for m in draft.plant.all(Module) if m.designation == at) for at in ("-K1DR", "-K2DR")]
    # Whoever is said something of has a rail of his own from then on.
    set_built(draft, edits.SetBuilt(ids=[swapped[0]], values={"there": True}))
    swap_built_modules(draft, edits.SwapBuiltModules(first=swapped[0], second=swapped[1]))
    standing(draft, network.id, name="Stranger", address="20", facts=_METER, model="meter")
    held(draft, "Steep house field", _WIRED)
