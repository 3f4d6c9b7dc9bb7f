"""Turner: the malt turner's EtherCAT network on HALL's third port, and how it really stands."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.catalogue.ethercat import entry_key
from highmoor.core.demo.builder import Builder
from highmoor.core.demo.on_ports import add_lift_sensors
from highmoor.core.demo.standing import standing
from highmoor.core.motion.chain import chain_of
from highmoor.core.motion.copies import InDrive, as_said, values_of
from highmoor.core.motion.units import unit_of
from highmoor.core.plant.rows import (
    Axis,
    ChainLink,
    Controller,
    Exchange,
    Module,
    Network,
    Port,
    Rail,
    Station,
)
from highmoor.core.project import edits
from highmoor.core.project.built_edits import set_built, swap_built_modules
from highmoor.core.project.draft import Draft

COUPLER, JUNCTION = "ethercat-esi.fad0.00001001.00020000", "ethercat-esi.fad0.00001104.00010000"
DIGITAL_IN, DIGITAL_OUT = "ethercat-esi.fad0.00002010.00010000", "ethercat-esi.fad0.00002110.00010000"
ANALOGUE_IN, ANALOGUE_OUT = "ethercat-esi.fad0.00003004.00010002", "ethercat-esi.fad0.00004002.00010000"
SERVO_OLDER, SERVO = "ethercat-esi.fad1.00005005.00020003", "ethercat-esi.fad1.00005005.00020004"
ARM, GATEWAY = "ethercat-esi.fad1.00005102.00010001", "ethercat-esi.fad2.00007003.00010000"
LIGHT_GATE = "m0000a116"
PORT_MASTER, PORT_4_4, PORT_2 = "ethercat-esi.fad2.00007004.00010000", "m00006203", "m00006201"

_TEN_VOLTS = {"raw_lo": 0, "raw_hi": 32767, "raw_type": "INT"}
# Group by group, so that who is absent leaves the others good.
_DIGITAL, _DRIVES, _AUGERS, _ARMS, _GATES, _ANALOGUE = range(6)
_ON_BOARD = (
    (DIGITAL_IN, "-K1T", _DIGITAL), (DIGITAL_OUT, "-K2T", _DIGITAL), (ANALOGUE_IN, "-K3T", _ANALOGUE),
    (ANALOGUE_OUT, "-K4T", _ANALOGUE),
)  # fmt: skip
_DRIVEN = (
    ("CARRIAGE", SERVO, "=TD1", "Turner, north trolley", 14, _DRIVES),
    ("LIFT", SERVO_OLDER, "=TD2", "Turner, lift", 6, _DRIVES),
    ("AUGERS", SERVO, "=TD3", "Turner, auger gear", 3, _AUGERS),
)
_ARMS_OF_TABLE = ("Arm 1", "Arm 2", "Arm 3", "Wrist")


def add_turner(build: Builder) -> None:
    """I/O, three drives, a gateway of light gates, and behind a junction the arms of the sample table.

    Nothing where the catalogue has not read their makers' files: what such a device exchanges stands nowhere else.
    """
    if COUPLER not in build.types:
        return
    hall = build.find(Controller, name="HALL")
    port = build.find(Port, device=hall.id, key="E")
    network = build.do(edits.AddNetwork(fieldbus="ethercat", port=port.id, name="Turner", tag="$n"))["$n"]
    build.do(edits.SetFields(ids=[network], values={"settings.cycle_ms": 2}))
    _station(build, "Turner I/O", COUPLER, "=TT1", "Turner, cabinet +T1", 42)
    rail = build.find(Rail, head=build.find(Station, name="Turner I/O").id)
    for key, designation, group in _ON_BOARD:
        values: dict[str, Any] = {"settings.group": group} if group else {}
        values |= {"settings.terminals": "0-10v"} if key in (ANALOGUE_IN, ANALOGUE_OUT) else {}
        _module(build, rail.id, build.types[key], designation, values)
    for name, key, designation, location, metres, group in _DRIVEN:
        _station(build, name, key, designation, location, metres, group=group)
    _station(build, "Light gates", GATEWAY, "=LG1", "Turner, sack chute", 8, group=_GATES)
    gates = build.find(Rail, head=build.find(Station, name="Light gates").id)
    # Its first slot has its module already.
    for slot in (2, 3):
        _module(build, gates.id, f"{build.types[GATEWAY]}/{LIGHT_GATE}", "", {"slot": slot})
    for slot, module in enumerate(build.plant.children(Module, gates.id), start=1):
        build.do(edits.SetFields(ids=[module.id], values={"designation": f"-B{slot}T"}))
    _station(build, "Sample table", JUNCTION, "=ST1", "Sample table", 11)
    table = build.find(Station, name="Sample table").id
    for nth, name in enumerate(_ARMS_OF_TABLE, start=1):
        _station(build, name, ARM, f"=SA{nth}", "Sample table", 2, group=_ARMS)
        if nth < 4:
            build.do(edits.SetFields(ids=[build.find(Station, name=name).id], values={"upstream": table}))
    _station(build, "Lift sensors", PORT_MASTER, "=LS1", "Turner, lift", 9, group=_GATES)
    ports = build.find(Rail, head=build.find(Station, name="Lift sensors").id)
    # Its first slot has a port of 4 octets in already.
    for n, (slot, kind) in enumerate(((1, PORT_4_4), (2, PORT_2))):
        there = build.plant.children(Module, ports.id)
        if n < len(there):
            build.do(edits.ReplaceModule(id=there[n].id, type=f"{build.types[PORT_MASTER]}/{kind}"))
        else:
            _module(build, ports.id, f"{build.types[PORT_MASTER]}/{kind}", "", {"slot": slot})
    _thresholds(build, network)
    _signals(build)
    _name_read(build)
    add_lift_sensors(build)


def _station(
    build: Builder, name: str, key: str, designation: str, location: str, metres: float, **settings: Any
) -> None:
    network = build.find(Network, name="Turner").id
    values = {"designation": designation, "location": location, "settings.length_m": metres}
    values |= {f"settings.{setting}": value for setting, value in settings.items()}
    add = edits.AddStation(network=network, type=build.types[key], name=name, tag="$s")
    build.do(edits.Batch(edits=[add, edits.SetFields(ids=["$s"], values=values)]))


def _module(build: Builder, rail: str, key: str, designation: str, values: dict[str, Any]) -> None:
    insert = edits.InsertModules(rail=rail, type=key, tag="$m")
    put = edits.SetFields(ids=["$m"], values={"designation": designation, **values})
    build.do(edits.Batch(edits=[insert, put]))


def _thresholds(build: Builder, network: str) -> None:
    """250 for the first light gate, where it came with 200."""
    gateway = build.find(Station, name="Light gates").id
    values = {"node": gateway, "index": "16#8000", "subindex": "1", "value": "250"}
    build.do(edits.OnNetwork(network=network, edit="write", values=values))


def _signals(build: Builder) -> None:
    gives, takes, level = build.at("-K1T"), build.at("-K2T"), build.at("-K3T")
    build.run("HALL", "TurnerSwitch{n}", 16, gives, entry_key(0x6000, 1), type="BOOL")
    build.run("HALL", "TurnerLamp{n}", 8, takes, entry_key(0x7000, 1), type="BOOL")
    height = {**_TEN_VOLTS, "lo": 0, "hi": 1200}
    build.run("HALL", "BedHeight{n}", 2, level, entry_key(0x6000, 0x11), type="REAL", unit="mm", scaling=height)
    percent = {**_TEN_VOLTS, "lo": 0, "hi": 100, "clamp": True}
    build.run("HALL", "SprayPressure", 1, build.at("-K4T"), entry_key(0x7000, 1), type="REAL", unit="%",
              scaling=percent)  # fmt: skip
    # 100 increments a millimetre.
    metres = {"raw_lo": 0, "raw_hi": 1_535_351_693, "lo": 0, "hi": 46, "raw_type": "DINT"}
    for name, station in (("Carriage", "CARRIAGE"), ("Lift", "LIFT"), ("Augers", "AUGERS")):
        into, out = build.way("Turner", station, "in"), build.way("Turner", station, "out")
        build.run("HALL", f"{name}Status", 1, into, entry_key(0x6041, 0), type="WORD")
        build.run("HALL", f"{name}Control", 1, out, entry_key(0x6040, 0), type="WORD")
        scale = {"unit": "m", "type": "REAL", "scaling": metres} if name == "Carriage" else {"type": "DINT"}
        build.run("HALL", f"{name}Position", 1, into, entry_key(0x6064, 0), **scale)
        build.run("HALL", f"{name}Target", 1, out, entry_key(0x607A, 0), **scale)
        build.run("HALL", f"{name}Good", 1, into, "status", type="BOOL")
    for slot in range(3):
        gate = build.at(f"-B{slot + 1}T")
        build.run("HALL", f"Gate{slot + 1}Sack", 1, gate, f"{entry_key(0x6000 + 16 * slot, 1)}.0", type="BOOL")
        build.run("HALL", f"Gate{slot + 1}Level", 1, gate, entry_key(0x6000 + 16 * slot, 2), type="UINT")


def _name_read(build: Builder) -> None:
    """What the gateway calls itself, when the program wants to know."""
    gateway = build.find(Station, name="Light gates").id
    asks = build.do(edits.AddConnection(station=gateway, connection="read", tag="$c"))["$c"]
    value = build.find(Exchange, connection=asks)
    build.do(edits.SetFields(ids=[asks], values={"settings.index": "16#1008"}))
    build.do(edits.SetFields(ids=[value.id], values={"name": "Device name"}))
    build.run("HALL", "GatesAskName", 1, value.id, "start", type="BOOL")
    build.run("HALL", "GatesNameKnown", 1, value.id, "status", type="BOOL")


def on_the_fly(keys: Mapping[str, str], port: str, couplers: int, drives: int, cycle_ms: float) -> edits.Batch:
    """A long line on a port: couplers of 48 modules each, then drives; of the types by these keys."""
    steps: list[edits.Edit] = [edits.AddNetwork(fieldbus="ethercat", port=port, name="Line", tag="$n")]
    for nth in range(couplers):
        steps.append(edits.AddStation(network="$n", type=keys[COUPLER], name=f"C{nth + 1}", rail_tag=f"$r{nth}"))
        for kind in (DIGITAL_IN, DIGITAL_OUT, ANALOGUE_IN):
            steps.append(edits.InsertModules(rail=f"$r{nth}", type=keys[kind], count=16))
    steps += [edits.AddStation(network="$n", type=keys[SERVO], name=f"D{nth + 1}") for nth in range(drives)]
    steps.append(edits.SetFields(ids=["$n"], values={"settings.cycle_ms": cycle_ms}))
    return edits.Batch(edits=steps)


# ── as it really stands

# In the inbox is its maker's file.
_STRANGER = {"vendor": 0xFAD4, "product": 0x9001, "revision": 0x00010000, "name": "AE-1", "plain_in": 5, "plain_out": 1}


def _gear_of(draft: Draft, drive: str) -> str:
    """The gear in the chain of a drive's axis, "" where there is none."""
    for axis in draft.plant.referring("axes", "drive", drive):
        gear = next((link.id for link in draft.plant.children(ChainLink, axis) if link.kind == "gear"), "")
        if gear:
            return gear
    return ""


def _never_told_of_a_gear(draft: Draft, drive: str) -> dict[str, Any]:
    """What stands in the drive of an axis that was set up offline only: all but the gear ratio."""
    axis = next(axis for axis in draft.plant.all(Axis) if axis.drive == drive)
    unit = unit_of(axis.kind, axis.unit)
    chain = chain_of(draft.plant.children(ChainLink, axis.id), linear=unit.linear)
    has = {**values_of(axis, chain, unit), "gear": 1.0}
    return {axis.id: as_said(InDrive(has, has, has))}


def turner_as_built(draft: Draft) -> None:
    """LIFT is one revision newer; its gear is 5 : 1, that of AUGERS 3 : 1, whose clock is off and whose gear ratio was
    never saved in its drive. A limit switch of CARRIAGE closes. Two modules are swapped, and an encoder stands at the
    end."""
    stations = {station.name: station for station in draft.plant.all(Station)}
    if "Turner I/O" not in stations:
        return
    drives: dict[str, dict[str, Any]] = {
        "CARRIAGE": {}, "LIFT": {"revision": 0x00020004}, "AUGERS": {"clock_runs": False},
        **{arm: {} for arm in _ARMS_OF_TABLE},
    }  # fmt: skip
    turns = {"LIFT": 5, "AUGERS": 3}
    for name, facts in drives.items():
        gear = _gear_of(draft, stations[name].id) if name in turns else ""
        settings: dict[str, Any] = {"chain": {gear: {"motor_turns": turns[name]}}} if gear else {}
        if name == "CARRIAGE":
            settings["limit_plus_closes"] = True
        if name == "AUGERS":
            settings["copies"] = _never_told_of_a_gear(draft, stations[name].id)
        standing(draft, stations[name].network, station=stations[name].id, facts=dict(facts), settings=settings)
    gates = stations["Light gates"]
    standing(draft, gates.network, station=gates.id, model="light gates")
    swapped = [next(m.id for m in draft.plant.all(Module) if m.designation == at) for at in ("-K3T", "-K4T")]
    # Whoever is said something of has a rail of his own from then on.
    set_built(draft, edits.SetBuilt(ids=[swapped[0]], values={"there": True}))
    swap_built_modules(draft, edits.SwapBuiltModules(first=swapped[0], second=swapped[1]))
    network = stations["Turner I/O"].network
    behind = 1 + len(_ON_BOARD) + len(_DRIVEN) + 3 + len(_ARMS_OF_TABLE)
    standing(draft, network, name="Stranger", address=str(behind + 1), facts=_STRANGER, model="tape encoder")
