"""A little program in each controller: what shows that data flows, over which networks it may."""

from __future__ import annotations

from highmoor.core.demo.builder import Builder
from highmoor.core.plant.rows import Controller, Exchange, Signal
from highmoor.core.project import edits

_HALL = """\
VAR
  Hold : TP;
  Beat, Silent : TON;
  LastBeat, SteepIsThere : BOOL;
END_VAR

// A command that stands longer than two intervals of the exchange it goes by.
Hold(IN := HumidifierAlarm, PT := T#1200ms, Q => HumidifierReset);

// Heartbeat: STEEP gives back what it gets; for 3 s no change, and it is gone.
Beat(IN := NOT Beat.Q, PT := T#1s);
IF Beat.Q THEN
  BeatToSteep := NOT BeatToSteep;
END_IF;
Silent(IN := BeatOfSteep = LastBeat, PT := T#3s);
LastBeat := BeatOfSteep;
SteepIsThere := NOT Silent.Q;
"""

_TURNER = """
// From one network to another: a switch of the turner on a lamp in the well
// house, the level of the tank there as the pressure to spray with at the turner.
WellLamp1 := TurnerSwitch1;
SprayPressure := LIMIT(0.0, WaterTankLevel / 3.2 * 100.0, 100.0);
"""

_GATES = """\
VAR
  Ask, Wait : TON;
END_VAR

// The name of the light gates, every 10 s. After 2 s it has come or does not.
Ask(IN := NOT GatesAskName, PT := T#10s);
IF Ask.Q THEN
  GatesAskName := TRUE;
END_IF;
Wait(IN := GatesAskName, PT := T#2s);
IF Wait.Q THEN
  GatesAskName := FALSE;
  TurnerLamp2 := NOT GatesNameKnown OR GatesNameCode <> 0;
END_IF;
"""

_STEEP = """\
VAR
  Silent : TON;
  LastBeat : BOOL;
END_VAR

// Heartbeat: what HALL tells goes back to it; a lamp tells when it is silent.
BeatToHall := BeatOfHall;
Silent(IN := BeatOfHall = LastBeat, PT := T#3s, Q => SteepLamp4);
LastBeat := BeatOfHall;
"""

_KILN = """\
VAR
  Start, Stop : R_TRIG;
  Long : TON;
END_VAR

// The last conveyor runs from a pallet's coming to its leaving, at most 5 s.
Start(CLK := PalletSeen7);
Stop(CLK := PalletSeen8);
Long(IN := Conveyor5Run, PT := T#5s);
IF Start.Q THEN
  Conveyor5Run := TRUE;
END_IF;
IF Stop.Q OR Long.Q THEN
  Conveyor5Run := FALSE;
END_IF;
"""


def add_programs(build: Builder) -> None:
    """The signals they need besides, then one in each."""
    to, from_ = (build.find(Exchange, name=f"{way} STEEP").id for way in ("To", "From"))
    build.run("HALL", "BeatToSteep", 1, to, "r2.1", type="BOOL")
    build.run("STEEP", "BeatOfHall", 1, to, "fr2.1", type="BOOL")
    build.run("STEEP", "BeatToHall", 1, from_, "fr1.1", type="BOOL")
    build.run("HALL", "BeatOfSteep", 1, from_, "r1.1", type="BOOL")
    # The modules of the turner and of the bagging, and the gateway, are known by their files alone.
    there = {signal.name for signal in build.plant.all(Signal)}
    programs = [
        ("HALL", "Service", _HALL + (_TURNER if "TurnerSwitch1" in there else "")),
        ("STEEP", "Beat", _STEEP),
    ]
    if "PalletSeen7" in there:
        programs.append(("KILN", "Pallets", _KILN))
    asked = next((x for x in build.plant.all(Exchange) if x.name == "Device name"), None)
    if asked:
        build.run("HALL", "GatesNameCode", 1, asked.id, "code", type="UINT")
        programs.append(("HALL", "Gates", _GATES))
    for controller, called, text in programs:
        owner = build.find(Controller, name=controller).id
        build.do(edits.AddProgram(controller=owner, name=called, text=text))
