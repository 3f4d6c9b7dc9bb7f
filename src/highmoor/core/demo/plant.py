"""Skelder Maltings as configured: a floor-less malting house, written as the edits an engineer would make."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.datatypes import SAFE_TYPE
from highmoor.core.demo.as_built import with_as_built
from highmoor.core.demo.axes import add_axes
from highmoor.core.demo.bagging import add_bagging
from highmoor.core.demo.builder import Builder
from highmoor.core.demo.hall_cell import add_hall_cell
from highmoor.core.demo.house import add_house
from highmoor.core.demo.listed import add_list
from highmoor.core.demo.more_signals import add_more_signals, add_recipes
from highmoor.core.demo.programs import add_programs
from highmoor.core.demo.safety import add_safety
from highmoor.core.demo.steep_house import add_steep_house
from highmoor.core.demo.turner import add_turner
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Exchange, Module, Network, Port, Rail, Signal, Station, Task
from highmoor.core.project import edits

MILLIAMPS = {"raw_lo": 0, "raw_hi": 30000}
TENTHS = {"raw_lo": -2000, "raw_hi": 8500, "lo": -200, "hi": 850}


def demo_plant(
    catalogue: Catalogue = BUILTIN, types: Mapping[str, str] | None = None, pins: Sequence[edits.TypePin] = ()
) -> Plant:
    """The demo plant, built anew; equal every time.

    `pins` are readings the catalogue has, `types` the pinned key of each device, by its key and by its file; a
    station whose file is not there is generic, with what its file would say entered by hand.
    """
    build = Builder(catalogue, types or {})
    if pins:
        build.do(edits.AddTypes(types=list(pins)))
    _controllers(build)
    _hall_signals(build)
    _steep_and_kiln_signals(build)
    _utilities(build)
    _well_house(build)
    _burner(build)
    add_hall_cell(build)
    add_house(build)
    add_turner(build)
    add_steep_house(build)
    add_bagging(build)
    add_more_signals(build)
    add_recipes(build)
    _asked(build)
    add_list(build)
    add_programs(build)
    add_axes(build)
    add_safety(build)
    return with_as_built(build.plant, catalogue)


def _controllers(build: Builder) -> None:
    build.controller(
        "HALL", "tarnfell.tf-42", "10.20.4.10", 16,
        [
            ("di-16", "-K1"), ("di-16", "-K2"), ("do-16", "-K3"), ("ai-8", "-K4"), ("ai-4t", "-K5"), ("si-8", "-K7"),
            ("fi-12", "-K10"), ("ao-4", "-K6"), ("si-8", "-K12"), ("so-4", "-K8"), ("ser-2", "-K9"), ("pb-1", "-K11"),
        ],
    )  # fmt: skip
    hall_b = build.find(Port, device=build.find(Controller, name="HALL").id, key="B")
    build.do(edits.SetFields(ids=[hall_b.id], values={"address": "10.20.9.1"}))
    build.controller(
        "STEEP", "tarnfell.tf-21", "10.20.4.11", 8,
        [("di-16", "-K1S"), ("do-16", "-K2S"), ("ai-8", "-K3S"), ("ai-4t", "-K4S")],
    )  # fmt: skip
    build.controller(
        "KILN", "tarnfell.tf-21", "10.20.4.12", 8,
        [("di-16", "-K1N"), ("do-16", "-K2N"), ("ai-8", "-K3N"), ("ai-4t", "-K4N"), ("ao-4", "-K5N")],
    )  # fmt: skip
    ao = build.find(Module, designation="-K5N")
    build.do(edits.SetFields(ids=[ao.id], values={"slot": 7}))
    for name, where in (("HALL", "Germination hall"), ("STEEP", "Steep house"), ("KILN", "Kiln")):
        controller = build.find(Controller, name=name)
        build.do(edits.SetFields(ids=[controller.id], values={"location": where, "designation": f"+{name}"}))


def _hall_signals(build: Builder) -> None:
    first, second, out = build.at("-K1"), build.at("-K2"), build.at("-K3")
    build.run("HALL", "Tank{n}Full", 4, first, "ch0", type="BOOL")
    build.run("HALL", "Bed{n}DoorClosed", 6, first, "ch4", type="BOOL")
    build.run("HALL", "GalleryFan{n}Ready", 2, first, "ch10", type="BOOL")
    build.run("HALL", "TurnerLimit{n}", 4, second, "ch0", type="BOOL")
    build.run("HALL", "Bed{n}TurnerSeen", 6, second, "ch4", type="BOOL")
    build.run("HALL", "Tank{n}FillValve", 4, out, "ch0", type="BOOL")
    build.run("HALL", "Tank{n}DrainValve", 4, out, "ch4", type="BOOL")
    build.run("HALL", "Bed{n}SprayValve", 6, out, "ch8", type="BOOL")
    level = {**MILLIAMPS, "lo": 0, "hi": 3.2}
    build.run("HALL", "Tank{n}Level", 4, build.at("-K4"), "ch0", type="REAL", unit="m", scaling=level)
    # A cone of 0.8 m below, 4 m² above it: what stands in it, m³, over its level.
    strapped = {**level, "kind": "table", "points": "0 0; 0.2 0.017; 0.4 0.133; 0.6 0.45; 0.8 1.067; 3.2 10.667"}
    build.run("HALL", "Tank{n}Volume", 4, build.at("-K4"), "ch0", type="REAL", unit="m³", scaling=strapped)
    co2 = {**MILLIAMPS, "lo": 0, "hi": 5}
    build.run("HALL", "Bed{n}Co2", 4, build.at("-K4"), "ch4", type="REAL", unit="%", scaling=co2)
    build.run("HALL", "Tank{n}Temp", 4, build.at("-K5"), "ch0", type="REAL", unit="°C", scaling=TENTHS)
    percent = {**MILLIAMPS, "lo": 0, "hi": 100, "clamp": True}
    build.run("HALL", "FreshAirDamper{n}", 3, build.at("-K6"), "ch0", type="REAL", unit="%", scaling=percent)
    # Of two channels taken together, the value lies at the first.
    build.run("HALL", "EmergencyStop{n}", 2, build.at("-K7"), "ch0", type=SAFE_TYPE, stride=2)
    build.run("HALL", "HallDoorSafe{n}", 2, build.at("-K7"), "ch4", type=SAFE_TYPE, stride=2)
    build.run("HALL", "AisleClear{n}", 2, build.at("-K12"), "ch0", type=SAFE_TYPE, stride=2)
    build.run("HALL", "TurnerNorthward", 1, build.at("-K12"), "ch4", type=SAFE_TYPE)
    build.run("HALL", "TurnerSouthward", 1, build.at("-K12"), "ch6", type=SAFE_TYPE)
    build.run("HALL", "TurnerRelease{n}", 2, build.at("-K8"), "ch0", type=SAFE_TYPE, stride=2)
    build.run("HALL", "BatchNumber", 1, None, None, type="UDINT")


def _steep_and_kiln_signals(build: Builder) -> None:
    build.run("STEEP", "Pump{n}Running", 6, build.at("-K1S"), "ch0", type="BOOL")
    build.run("STEEP", "Pump{n}Start", 6, build.at("-K2S"), "ch0", type="BOOL")
    # Differential pressure over an orifice: the transmitter leaves the root to the program.
    flow = {**MILLIAMPS, "lo": 0, "hi": 45, "kind": "root", "cutoff": 5}
    build.run("STEEP", "SteepFlow{n}", 4, build.at("-K3S"), "ch0", type="REAL", unit="m³/h", scaling=flow)
    build.run("STEEP", "SteepWaterTemp{n}", 2, build.at("-K4S"), "ch0", type="REAL", unit="°C", scaling=TENTHS)
    build.run("KILN", "KilnDoorClosed{n}", 2, build.at("-K1N"), "ch0", type="BOOL")
    build.run("KILN", "KilnFanStart", 1, build.at("-K2N"), "ch0", type="BOOL")
    draught = {**MILLIAMPS, "lo": -2.5, "hi": 2.5}
    build.run("KILN", "KilnDraught", 1, build.at("-K3N"), "ch0", type="REAL", unit="mbar", scaling=draught)
    moisture = {**MILLIAMPS, "lo": 0, "hi": 50}
    build.run("KILN", "MaltMoisture", 1, build.at("-K3N"), "ch1", type="REAL", unit="%", scaling=moisture)
    build.run("KILN", "AirOnTemp{n}", 2, build.at("-K4N"), "ch0", type="REAL", unit="°C", scaling=TENTHS)
    build.run("KILN", "AirOffTemp{n}", 2, build.at("-K4N"), "ch2", type="REAL", unit="°C", scaling=TENTHS)
    speed = {**MILLIAMPS, "lo": 0, "hi": 100, "clamp": True}
    build.run("KILN", "KilnFanSpeed", 1, build.at("-K5N"), "ch0", type="REAL", unit="%", scaling=speed)


def _utilities(build: Builder) -> None:
    hall = build.find(Controller, name="HALL")
    port = build.find(Port, device=hall.id, key="B")
    build.do(
        edits.Batch(
            edits=[
                edits.AddNetwork(fieldbus="modbus-tcp", port=port.id, name="Utilities", tag="$n"),
                edits.AddStation(
                    network="$n", name="Humidifier", address="10.20.9.20", tag="$s", connection_tag="$k",
                    type=build.types.get("humidifier.csv"),
                ),
                edits.SetFields(
                    ids=["$s"],
                    values={"settings.reply_ms": 8, "designation": "=HU1", "location": "Germination hall, air plant"},
                ),
                edits.AddExchange(
                    connection="$k", name="Measured",
                    settings={"function": 4, "address": 0, "count": 9, "period_ms": 200, "timeout_ms": 400},
                ),
                edits.AddExchange(
                    connection="$k", name="Commands",
                    settings={"function": 16, "address": 100, "count": 3, "period_ms": 500, "timeout_ms": 400},
                ),
                edits.AddStation(
                    network="$n", name="Compressor", address="10.20.9.21", tag="$s2", connection_tag="$k2"
                ),
                edits.SetFields(ids=["$s2"], values={"designation": "=CP1", "location": "Plant room"}),
                edits.AddExchange(
                    connection="$k2", name="Air",
                    settings={"function": 3, "address": 0, "count": 4, "period_ms": 1000, "timeout_ms": 500},
                ),
            ]
        )
    )  # fmt: skip
    measured, commands, air = (build.find(Exchange, name=n).id for n in ("Measured", "Commands", "Air"))
    tenth = {"raw_lo": 0, "raw_hi": 1000, "lo": 0, "hi": 100}
    build.run("HALL", "HumidifierHumidity", 1, measured, "r0", type="REAL", unit="%", scaling=tenth)
    build.run("HALL", "HumidifierSupply", 1, measured, "r1", type="REAL", unit="bar",
              scaling={"raw_lo": 0, "raw_hi": 1000, "lo": 0, "hi": 10})  # fmt: skip
    build.run("HALL", "HumidifierState", 1, measured, "r2", type="WORD")
    build.run("HALL", "HumidifierRunning", 1, measured, "r3.0", type="BOOL")
    build.run("HALL", "HumidifierAlarm", 1, measured, "r3.1", type="BOOL")
    build.run("HALL", "HumidifierHours", 1, measured, "r4", type="UDINT", unit="h")
    build.run("HALL", "HumidifierWater", 1, measured, "r6", type="REAL", unit="l")
    build.run("HALL", "HumidifierPulse", 1, measured, "r8", type="UINT")
    build.run("HALL", "HumidifierGood", 1, measured, "status", type="BOOL")
    build.run("HALL", "HumiditySetpoint", 1, commands, "r0", type="REAL", unit="%", scaling={**tenth, "clamp": True})
    build.run("HALL", "HumidifierStart", 1, commands, "r1.0", type="BOOL")
    build.run("HALL", "HumidifierReset", 1, commands, "r1.1", type="BOOL")
    build.run("HALL", "CompressorPressure", 1, air, "r0", type="REAL", unit="bar",
              scaling={"raw_lo": 0, "raw_hi": 16000, "lo": 0, "hi": 16})  # fmt: skip
    build.run("HALL", "CompressorGood", 1, air, "status", type="BOOL")


def _well_house(build: Builder) -> None:
    """A coupler in the well house: process water on a remote rail, brought by two exchanges."""
    utilities = build.find(Network, name="Utilities")
    build.do(
        edits.Batch(
            edits=[
                edits.AddStation(
                    network=utilities.id, type="tarnfell.tc-16", name="Well house", address="10.20.9.22",
                    tag="$s", connection_tag="$k",
                ),
                edits.SetFields(ids=["$s"], values={"designation": "=WW1", "location": "Well house"}),
                edits.AddExchange(
                    connection="$k", name="Rail in",
                    settings={"function": 4, "address": 0, "count": 9, "period_ms": 200, "timeout_ms": 400},
                ),
                edits.AddExchange(
                    connection="$k", name="Rail out",
                    settings={"function": 16, "address": 0, "count": 1, "period_ms": 200, "timeout_ms": 400},
                ),
            ]
        )
    )  # fmt: skip
    rail = build.find(Rail, head=build.find(Station, name="Well house").id)
    build.do(edits.SetFields(ids=[rail.id], values={"places": 4}))
    for module, designation in (("di-16", "-K1W"), ("ai-8", "-K2W"), ("do-8n", "-K3W")):
        insert = edits.InsertModules(rail=rail.id, type=f"tarnfell.{module}", tag="$m")
        build.do(edits.Batch(edits=[insert, edits.SetFields(ids=["$m"], values={"designation": designation})]))
    unused = {f"settings.channels.ch{n}.supervise": False for n in range(2, 8)}
    build.do(edits.SetFields(ids=[build.at("-K2W")], values=unused))
    build.run("HALL", "WellPump{n}Running", 2, build.at("-K1W"), "ch0", type="BOOL")
    build.run("HALL", "WaterTankFull", 1, build.at("-K1W"), "ch2", type="BOOL")
    level = {**MILLIAMPS, "lo": 0, "hi": 3.2}
    build.run("HALL", "WaterTankLevel", 1, build.at("-K2W"), "ch0", type="REAL", unit="m", scaling=level)
    pressure = {**MILLIAMPS, "lo": 0, "hi": 10}
    build.run("HALL", "WaterPressure", 1, build.at("-K2W"), "ch1", type="REAL", unit="bar", scaling=pressure)
    build.run("HALL", "WellPump{n}Start", 2, build.at("-K3W"), "ch0", type="BOOL")


def _burner(build: Builder) -> None:
    """The kiln's serial line: a burner controller asked often, four moisture meters in the malt."""
    kiln = build.find(Controller, name="KILN")
    port = build.find(Port, device=kiln.id, key="S")
    line = {
        "settings.numbering": "10 + n",
        "settings.baud": 19200,
        "settings.parity": "even",
        "settings.stop_bits": 1,
        "settings.mode": "rtu",
    }
    batch: list[Any] = [
        edits.AddNetwork(fieldbus="modbus-rtu", port=port.id, name="Burner", tag="$n"),
        edits.SetFields(ids=["$n"], values=line),
        edits.AddStation(network="$n", name="Burner control", address="1", tag="$b", connection_tag="$k"),
        edits.SetFields(
            ids=["$b"], values={"designation": "=BR1", "location": "Kiln", "settings.length_m": 12},
        ),
        edits.AddExchange(
            connection="$k", name="State",
            settings={"function": 4, "address": 0, "count": 6, "period_ms": 120, "timeout_ms": 30, "retries": 0},
        ),
        edits.AddExchange(
            connection="$k", name="Demand",
            settings={"function": 16, "address": 0, "count": 2, "period_ms": 240, "timeout_ms": 30, "retries": 0},
        ),
    ]  # fmt: skip
    for n in range(1, 5):
        station = {"designation": f"=MM{n}", "location": "Kiln floor", "settings.length_m": 18 if n == 1 else 6}
        last = {"settings.terminated": True} if n == 4 else {}
        batch += [
            edits.AddStation(
                network="$n", name=f"Moisture {n}", address=str(10 + n), tag=f"$m{n}", connection_tag=f"$k{n}"
            ),
            edits.SetFields(ids=[f"$m{n}"], values={**station, **last}),
            edits.AddExchange(
                connection=f"$k{n}", name=f"Malt {n}",
                settings={"function": 4, "address": 0, "count": 2, "period_ms": 400, "timeout_ms": 30, "retries": 0},
            ),
        ]  # fmt: skip
    build.do(edits.Batch(edits=batch))
    state, demand = (build.find(Exchange, name=name).id for name in ("State", "Demand"))
    tenth = {"raw_lo": 0, "raw_hi": 1000, "lo": 0, "hi": 100}
    build.run("KILN", "BurnerState", 1, state, "r0", type="WORD")
    build.run("KILN", "BurnerOutput", 1, state, "r1", type="REAL", unit="%", scaling=tenth)
    build.run("KILN", "GasPressure", 1, state, "r2", type="REAL", unit="mbar", scaling=tenth)
    build.run("KILN", "BurnerFlame", 1, state, "r3.0", type="BOOL")
    build.run("KILN", "BurnerFault", 1, state, "r3.1", type="BOOL")
    build.run("KILN", "BurnerGood", 1, state, "status", type="BOOL")
    build.run("KILN", "BurnerDemand", 1, demand, "r0", type="REAL", unit="%", scaling={**tenth, "clamp": True})
    build.run("KILN", "BurnerRelease", 1, demand, "r1.0", type="BOOL")
    hundredth = {"raw_lo": 0, "raw_hi": 10000, "lo": 0, "hi": 100}
    for n in range(1, 5):
        malt = build.find(Exchange, name=f"Malt {n}").id
        build.run("KILN", f"KilnMoisture{n}", 1, malt, "r0", type="REAL", unit="%", scaling=hundredth)
        build.run("KILN", f"KilnMaltTemp{n}", 1, malt, "r1", type="REAL", unit="°C", scaling=tenth)


def _asked(build: Builder) -> None:
    """What the process asks of some signals, and which task serves them."""
    hall = build.find(Controller, name="HALL")
    fast = build.find(Task, controller=hall.id, name="Fast")
    for begins, asked_ms in (("TurnerLimit", 20), ("HallDoorSafe", 30)):
        quick = [s.id for s in build.plant.children(Signal, hall.id) if s.name.startswith(begins)]
        build.do(edits.SetFields(ids=quick, values={"task": fast.id, "asked_ms": asked_ms}))
    humidity = build.find(Signal, name="HumidifierHumidity")
    build.do(edits.SetFields(ids=[humidity.id], values={"asked_ms": 200, "task": fast.id}))
