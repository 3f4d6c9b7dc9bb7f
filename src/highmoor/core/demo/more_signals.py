"""What else hangs on the rails of Skelder Maltings: lamps, feedback, dampers, meters; and what it is malted by."""

from __future__ import annotations

from highmoor.core.demo.builder import Builder
from highmoor.core.plant.rows import Signal
from highmoor.core.project import edits

_MILLIAMPS = {"raw_lo": 0, "raw_hi": 30000}
_TENTHS = {"raw_lo": -2000, "raw_hi": 8500, "lo": -200, "hi": 850}
# Controller, pattern, count, module, first channel.
_BITS = (
    ("HALL", "ConveyorRunning{n}", 2, "-K1", 12),
    ("HALL", "TurnerReset", 1, "-K1", 14),
    ("HALL", "TurnerStart", 1, "-K1", 15),
    ("HALL", "Bed{n}DrainOpen", 6, "-K2", 10),
    ("STEEP", "Tank{n}AirOpen", 4, "-K1S", 6),
    ("STEEP", "Pump{n}Tripped", 6, "-K1S", 10),
    ("STEEP", "Tank{n}AirValve", 4, "-K2S", 6),
    ("STEEP", "SteepHeater{n}", 2, "-K2S", 10),
    ("STEEP", "SteepLamp{n}", 4, "-K2S", 12),
    ("KILN", "KilnDamper{n}Open", 4, "-K1N", 2),
    ("KILN", "KilnDamper{n}Shut", 4, "-K1N", 6),
    ("KILN", "KilnFan{n}Ready", 2, "-K1N", 10),
    ("KILN", "Elevator{n}Running", 4, "-K1N", 12),
    ("KILN", "KilnDamper{n}Drive", 4, "-K2N", 1),
    ("KILN", "Elevator{n}Start", 4, "-K2N", 5),
    ("KILN", "KilnLamp{n}", 4, "-K2N", 9),
    ("KILN", "KilnHorn", 1, "-K2N", 13),
    ("KILN", "KilnFan{n}Release", 2, "-K2N", 14),
    ("HALL", "WellPump{n}Tripped", 2, "-K1W", 3),
    ("HALL", "WellFilter{n}Blocked", 4, "-K1W", 5),
    ("HALL", "WellDoorClosed", 1, "-K1W", 9),
    ("HALL", "WellValve{n}Open", 4, "-K1W", 10),
    ("HALL", "WellFlood{n}", 2, "-K1W", 14),
    ("HALL", "WellValve{n}Drive", 4, "-K3W", 2),
    ("HALL", "WellLamp{n}", 2, "-K3W", 6),
)
# The same, with the ends of what is measured or set, and its unit.
_SCALED = (
    ("HALL", "ExhaustDamper", 1, "-K6", 3, 0, 100, "%"),
    ("STEEP", "PumpPressure{n}", 4, "-K3S", 4, 0, 6, "bar"),
    ("KILN", "KilnHumidity{n}", 2, "-K3N", 2, 0, 100, "%"),
    ("KILN", "AirFlow{n}", 2, "-K3N", 4, 0, 80000, "m³/h"),
    ("KILN", "GasFlow", 1, "-K3N", 6, 0, 250, "m³/h"),
    ("KILN", "FuelPressure", 1, "-K3N", 7, 0, 100, "mbar"),
    ("KILN", "KilnDamper{n}Position", 3, "-K5N", 1, 0, 100, "%"),
)


def add_more_signals(build: Builder) -> None:
    """The rest of the local rails, channel by channel."""
    for controller, pattern, count, module, first in _BITS:
        build.run(controller, pattern, count, build.at(module), f"ch{first}", type="BOOL")
    for controller, pattern, count, module, first, low, high, unit in _SCALED:
        scaling = {**_MILLIAMPS, "lo": low, "hi": high, "clamp": module in ("-K6", "-K5N")}
        place = build.at(module)
        build.run(controller, pattern, count, place, f"ch{first}", type="REAL", unit=unit, scaling=scaling)
    build.run("STEEP", "SteepAirTemp{n}", 2, build.at("-K4S"), "ch2", type="REAL", unit="°C", scaling=_TENTHS)


_RECIPE = (
    ("SteepHours", "REAL", "h", "Until casting"),
    ("SteepTemp", "REAL", "°C", "Of the steep water"),
    ("AirOn", "INT", "min", "Air through the steep"),
    ("AirOff", "INT", "min", "Rest between"),
    ("BedTemp", "REAL", "°C", "Of the germinating bed"),
    ("Moisture", "REAL", "%", "Of the malt at the end"),
)
_MALTS = ((42, 14, 15, 45, 16, 4.5), (46, 15, 20, 40, 17.5, 4), (38, 13.5, 15, 60, 15.5, 5))


def add_recipes(build: Builder) -> None:
    """Three malts, each a structure of the program with what it begins with."""
    members = [edits.StructureMember(name=name, type=kind, unit=unit, note=note) for name, kind, unit, note in _RECIPE]
    build.do(edits.SetStructure(name="MaltRecipe", members=members))
    build.run("HALL", "Recipes", 1, None, None, type=f"ARRAY[1..{len(_MALTS)}] OF MaltRecipe")
    values = {
        build.find(Signal, name=f"Recipes[{n}].{name}").id: {"initial": str(value)}
        for n, malt in enumerate(_MALTS, start=1)
        for (name, *_), value in zip(_RECIPE, malt, strict=True)
    }
    build.do(edits.SetEach(values=values))
