"""Plants and random edits for the tests of the core."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Any

from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.reading.families import read_octets
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import modules_behind
from highmoor.core.motion.links import LINK_KINDS
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    Axis,
    BuiltDevice,
    BuiltModule,
    ChainLink,
    ClosingCable,
    Connection,
    Controller,
    DataStructure,
    Exchange,
    IoList,
    Link,
    Module,
    Move,
    Network,
    PinnedType,
    Port,
    Program,
    Proof,
    Rail,
    Robot,
    SafetyFunction,
    SafetyPart,
    Scanner,
    Signal,
    Situation,
    Station,
    Task,
    Zone,
)
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.clips import clip_of
from highmoor.core.project.lists.comparing import compare
from highmoor.core.project.new import new_plant
from tests.paths import DEMO

MODULES = [t.key for t in BUILTIN.of_kind("module", "feed-in", "cover")]
TYPES = ["BOOL", "INT", "REAL", "UDINT", "NOPE"]


PINS: list[edits.TypePin] = []
KEYS: dict[str, str] = {}
"""The pinned key of each file's device, by the file's name."""
LIBRARY = Catalogue(BUILTIN.types)


def _learn(file: str, reader: int, order_number: str = "", **limits: Any) -> str:
    devices = read_octets((DEMO / file).read_bytes(), file).devices
    device = next(one for one in devices if order_number in ("", one.order_number))
    pin = edits.TypePin(device=device.key, sha256="0" * 64, reader=reader, file=file)
    key = pinned_key(pin.device, pin.sha256, pin.reader)
    PINS.append(pin)
    LIBRARY.learn(key, replace(device, key=key, limits=replace(device.limits, **limits)))
    KEYS.setdefault(file.partition(".")[0], key)
    return key


for _file in ("cv7.eds", "pm8.eds", "ws3.eds", "humidifier.csv"):
    _learn(_file, 1)
# Another reading of the same file, by which it bears less.
_learn("cv7.eds", 2, connections=1, packets_per_s=10)
# Couplers, drives and devices with slots; modules that answer for themselves.
_LINE = [_learn("tarnfell_io.xml", 1, "TE-1"), _learn("corvane_servo.xml", 1, "CS-5"),
         _learn("pellmar_gateway.xml", 1, "PG-3"), "generic.ethercat"]  # fmt: skip
# Modular and compact slaves of PROFIBUS, a repeater; modules of the first.
_SLAVES = [_learn("tr16.gsd", 1), _learn("da20.gse", 1), _learn("cv3.gsd", 1), "tarnfell.pr-2", "generic.profibus-dp"]
_IN_SLOTS = [f"{_SLAVES[0]}/m{n}" for n in (1, 2, 3, 6)]
# Remote I/O, weigher and printer of PROFINET; modules of the first, one of which takes others, and one of those.
_NAMED = [_learn("tr40.xml", 1), _learn("pw6.xml", 1), _learn("al3.xml", 1), "generic.profinet", "tarnfell.es-8s"]
_PLUGGED = [f"{_NAMED[0]}/{key}" for key in ("DI8", "DO8", "AI4", "CARRIER", "CARRIER/FR1")]
# What hangs on ports of IO-Link masters.
_ON_PORTS = [_learn("pd20_iodd.xml", 1, "PD-20-M12"), "generic.io-link", "generic.port-di", "generic.port-do"]
_BEHIND = [_learn("tarnfell_io.xml", 1, number) for number in ("TD-16", "TO-16", "TA-4")]


def built(*steps: edits.Edit) -> Plant:
    """A new plant after these edits."""
    plant = new_plant("Test")
    for step in steps:
        plant = apply(plant, BUILTIN, step).plant
    return plant


def hall(*modules: str, places: int = 12) -> Plant:
    """A TF-42 called HALL with these modules."""
    return built(
        edits.Batch(
            edits=[
                edits.AddController(
                    type="tarnfell.tf-42", name="HALL", address="10.0.0.1", places=places, rail_tag="$r"
                ),
                *(edits.InsertModules(rail="$r", type=f"tarnfell.{module}") for module in modules),
            ]
        )
    )


def some(draw: Any, plant: Plant, *kinds: type[Any]) -> str:
    """The id of some row of these kinds, now and then one that is not there."""
    ids = [row.id for kind in kinds for row in plant.all(kind)]
    return draw(st.sampled_from([*ids, "m9zzz"]))


def an_edit(draw: Any, plant: Plant) -> edits.Edit:
    """Any edit that makes sense on the plant, and some that do not."""
    kind = draw(st.sampled_from(_MAKERS))
    return kind(draw, plant)


def _controller(draw: Any, plant: Plant) -> edits.Edit:
    return edits.AddController(
        type=draw(st.sampled_from(["tarnfell.tf-42", "tarnfell.tf-21", "tarnfell.di-16"])),
        name=draw(st.sampled_from([None, "HALL", "hall", "Kiln", "9bad"])),
        address=draw(st.sampled_from([None, "10.0.0.1", "10.0.0.2"])),
    )


def _insert(draw: Any, plant: Plant) -> edits.Edit:
    return edits.InsertModules(
        rail=some(draw, plant, Rail),
        type=draw(st.sampled_from(MODULES)),
        before=draw(st.none() | st.just(some(draw, plant, Module))),
        slot=draw(st.none() | st.integers(1, 9)),
        count=draw(st.integers(1, 3)),
    )


def _move(draw: Any, plant: Plant) -> edits.Edit:
    return edits.MoveModules(
        ids=[some(draw, plant, Module) for _ in range(draw(st.integers(1, 3)))],
        rail=some(draw, plant, Rail),
        before=draw(st.none() | st.just(some(draw, plant, Module))),
        slot=draw(st.none() | st.integers(1, 9)),
    )


def _replace(draw: Any, plant: Plant) -> edits.Edit:
    return edits.ReplaceModule(id=some(draw, plant, Module), type=draw(st.sampled_from(MODULES)))


def _duplicate(draw: Any, plant: Plant) -> edits.Edit:
    return edits.Duplicate(id=some(draw, plant, Module, Controller, Signal, Station, Exchange, Network))


def _replicate(draw: Any, plant: Plant) -> edits.Edit:
    kinds = draw(st.sampled_from([(Module,), (Station,), (Controller,), (Network,), (Signal,), (Rail,)]))
    return edits.Replicate(
        id=some(draw, plant, *kinds),
        count=draw(st.integers(1, 3)),
        pattern=draw(st.sampled_from(["", "", "New{n}", "Same"])),
    )


def _paste(draw: Any, plant: Plant) -> edits.Edit:
    try:
        clip = clip_of(plant, [some(draw, plant, Module, Rail, Station)])
    except Refusal:
        return _duplicate(draw, plant)
    into = some(draw, plant, Rail, Network)
    return edits.Paste(clip=clip, into=into, slot=draw(st.none() | st.integers(1, 9)))


def _on_the_fly(draw: Any, plant: Plant) -> edits.Edit:
    """An EtherCAT line, one more device or module on one, service data at the start, or a request for an object."""
    made = edits.Batch(
        edits=[
            edits.AddNetwork(fieldbus="ethercat", port=some(draw, plant, Port), tag="$n"),
            edits.AddStation(network="$n", type=draw(st.sampled_from(_LINE))),
            edits.AddStation(network="$n", type=_LINE[0], rail_tag="$r"),
            edits.InsertModules(rail="$r", type=draw(st.sampled_from(_BEHIND)), count=2),
        ]
    )
    index = draw(st.sampled_from(["16#6065", "24676", "16#7000", "x"]))
    node = some(draw, plant, Station, Module)
    written = {"node": node, "index": index, "subindex": "0", "octets": draw(st.sampled_from(["10 27 00 00", "1", ""]))}
    more: list[edits.Edit] = [
        edits.AddStation(network=some(draw, plant, Network), type=draw(st.sampled_from(_LINE))),
        edits.InsertModules(rail=some(draw, plant, Rail), type=draw(st.sampled_from(_BEHIND))),
        edits.OnNetwork(network=some(draw, plant, Network), edit="write", values=written),
        edits.AddConnection(station=some(draw, plant, Station), connection=draw(st.sampled_from(["read", "write"]))),
        edits.NameValues(
            of=some(draw, plant, Station, Module, Exchange), prefix=draw(st.sampled_from(["", "9 x", "Tür"]))
        ),
    ]
    return draw(st.sampled_from([made, *more]))


def _in_segments(draw: Any, plant: Plant) -> edits.Edit:
    """A PROFIBUS line on a master card, one more device or module on one, a request for a record."""
    made = edits.Batch(
        edits=[
            edits.AddNetwork(fieldbus="profibus-dp", port=some(draw, plant, Port), tag="$n"),
            edits.AddStation(network="$n", type=draw(st.sampled_from(_SLAVES))),
            edits.AddStation(network="$n", type=_SLAVES[0], rail_tag="$r"),
            edits.InsertModules(rail="$r", type=draw(st.sampled_from(_IN_SLOTS)), count=2),
        ]
    )
    more: list[edits.Edit] = [
        edits.InsertModules(rail=some(draw, plant, Rail), type="tarnfell.pb-1"),
        edits.AddStation(network=some(draw, plant, Network), type=draw(st.sampled_from(_SLAVES))),
        edits.InsertModules(rail=some(draw, plant, Rail), type=draw(st.sampled_from(_IN_SLOTS))),
        edits.AddConnection(station=some(draw, plant, Station), connection=draw(st.sampled_from(["read", "write"]))),
    ]
    return draw(st.sampled_from([made, made, *more]))


def _in_stars(draw: Any, plant: Plant) -> edits.Edit:
    """A PROFINET network, one more device on one, a module or a submodule in one."""
    made = edits.Batch(
        edits=[
            edits.AddNetwork(fieldbus="profinet", port=some(draw, plant, Port), tag="$n"),
            edits.AddStation(network="$n", type=draw(st.sampled_from(_NAMED))),
            edits.AddStation(network="$n", type=_NAMED[0], rail_tag="$r"),
            edits.InsertModules(rail="$r", type=draw(st.sampled_from(_PLUGGED[:4])), count=2),
        ]
    )
    more: list[edits.Edit] = [
        edits.AddStation(network=some(draw, plant, Network), type=draw(st.sampled_from(_NAMED))),
        edits.InsertModules(rail=some(draw, plant, Rail), type=draw(st.sampled_from(_PLUGGED))),
        edits.AddBuiltDevice(network=some(draw, plant, Network), type=draw(st.sampled_from(_NAMED[:3]))),
    ]
    return draw(st.sampled_from([made, made, *more]))


def _remote(draw: Any, plant: Plant) -> edits.Edit:
    return edits.Batch(
        edits=[
            edits.AddNetwork(fieldbus="modbus-tcp", port=some(draw, plant, Port), tag="$n"),
            edits.AddStation(network="$n", type="tarnfell.tc-16"),
        ]
    )


def _ports(draw: Any, plant: Plant) -> edits.Edit:
    """A station or a module becomes an IO-Link master, what hangs on it comes, is named, set and stands as built."""
    rail, module = some(draw, plant, Rail), some(draw, plant, Module)
    device = draw(st.sampled_from(_ON_PORTS))
    made = edits.Batch(
        edits=[
            edits.AddPorts(head=some(draw, plant, Station, Module), tag="$p"),
            edits.InsertModules(rail="$p", type=device, slot=draw(st.integers(1, 4)), tag="$m"),
        ]
    )
    layout = draw(st.sampled_from([{"in_first": 2, "in_octets": 4}, {"in_first": None}, {"pin4_in": "1.0"}]))
    own = draw(st.sampled_from([{"in_octets": 4}, {"variant": "PD_Level"}, {"in_at": 7}, {"cycle_ms": 5},
                                {"pin2": "in"}, {"out_octets": 32}]))  # fmt: skip
    more: list[edits.Edit] = [
        edits.InsertModules(rail=rail, type=device, slot=draw(st.integers(1, 9))),
        edits.SetFields(ids=[rail], values={f"settings.{key}": value for key, value in layout.items()}),
        edits.SetFields(ids=[module], values={f"settings.{key}": value for key, value in own.items()}),
        edits.NameValues(of=module, structured=draw(st.booleans())),
        edits.AddSignals(controller=some(draw, plant, Controller), pattern="Field", place=module, type="INT",
                         key=draw(st.sampled_from(["bits 2–15", "g0.16", "t0.8", "valid", "out bit 3"]))),
        edits.SetBuilt(ids=[module], values=draw(st.sampled_from([{"there": False}, {"settings.replaced": 1}]))),
    ]  # fmt: skip
    return draw(st.sampled_from([made, made, *more]))


def _serial(draw: Any, plant: Plant) -> edits.Edit:
    return edits.Batch(
        edits=[
            edits.AddNetwork(
                fieldbus="modbus-rtu", port=draw(st.sampled_from([None, some(draw, plant, Port)])), tag="$n"
            ),
            edits.AddStation(network="$n", connection_tag="$k"),
            edits.AddExchange(connection="$k", settings={"function": draw(st.sampled_from([3, 16]))}),
        ]
    )


def _transfer(draw: Any, plant: Plant) -> edits.Edit:
    return edits.AddTransfer(
        source=some(draw, plant, Controller), destination=some(draw, plant, Controller),
        asks=draw(st.sampled_from(["source", "destination"])),
        fieldbus=draw(st.sampled_from(["modbus-tcp", "ethernet-ip", "no"])),
        octets=draw(st.sampled_from([2, 8, "0x10", 900])),
        place=draw(st.sampled_from(["", "40101", "7", "x"])),
    )  # fmt: skip


def _cell(draw: Any, plant: Plant) -> edits.Edit:
    kind = st.sampled_from([None, "exclusive owner", "input only", "listen only", "request", "nonsense"])
    return edits.Batch(
        edits=[
            edits.AddNetwork(fieldbus="ethernet-ip", port=some(draw, plant, Port), tag="$n"),
            edits.AddStation(network="$n", connection=draw(kind), tag="$s"),
            edits.AddConnection(station="$s", connection=draw(kind)),
        ]
    )


def _watch(draw: Any, plant: Plant) -> edits.Edit:
    return edits.AddWatch(
        connection=some(draw, plant, Connection), watch=draw(st.sampled_from(["beat", "mirror", "no"])),
        write=draw(st.sampled_from([40001, "@7", "x"])), read=40002, period_ms=draw(st.sampled_from([1, 500])),
    )  # fmt: skip


def _connection(draw: Any, plant: Plant) -> edits.Edit:
    return edits.AddConnection(station=some(draw, plant, Station), connection=draw(st.sampled_from([None, "request"])))


def _partner(draw: Any, plant: Plant) -> edits.Edit:
    bus = draw(st.sampled_from(["modbus-tcp", "ethernet-ip"]))
    asked = [edits.AddExchange(connection="$k", settings={"function": draw(st.sampled_from([3, 16]))})]
    return edits.Batch(
        edits=[
            edits.AddNetwork(fieldbus=bus, port=some(draw, plant, Port), tag="$n"),
            edits.AddStation(network="$n", partner=some(draw, plant, Controller), connection_tag="$k"),
            *(asked if bus == "modbus-tcp" else []),
        ]
    )


def _ring(draw: Any, plant: Plant) -> edits.Edit:
    """A cable that closes a ring, on the network of its first end or on any; and what is said of one."""
    cables = plant.all(ClosingCable)
    if cables and draw(st.booleans()):
        values = {"one_socket": draw(st.sampled_from([None, 1, 2, 9])), "settings.length_m": draw(st.integers(0, 200))}
        return edits.SetFields(ids=[draw(st.sampled_from(cables)).id], values=values)
    one = some(draw, plant, Station)
    row = plant.find(one)
    network = row.network if row and draw(st.integers(0, 3)) else some(draw, plant, Network)
    return edits.AddClosingCable(network=network, one=one, other=draw(st.none() | st.just(some(draw, plant, Station))))


def _cable(draw: Any, plant: Plant) -> edits.Edit:
    put = edits.AddStation(
        network=some(draw, plant, Network), type=draw(st.sampled_from(["tarnfell.es-5", "tarnfell.es-8s"])),
        upstream=draw(st.sampled_from([None, some(draw, plant, Station)])),
    )  # fmt: skip
    hang = edits.SetFields(
        ids=[some(draw, plant, Station), some(draw, plant, Station)],
        values={"upstream": draw(st.sampled_from([None, some(draw, plant, Station)]))},
    )
    return draw(st.sampled_from([put, hang, hang]))


def _along(draw: Any, plant: Plant) -> edits.Edit:
    before = draw(st.sampled_from([None, some(draw, plant, Station)]))
    return edits.MoveStations(ids=[some(draw, plant, Station)], before=before)


def _elsewhere(draw: Any, plant: Plant) -> edits.Edit:
    return edits.SetFields(ids=[some(draw, plant, Station)], values={"network": some(draw, plant, Network)})


def _remove(draw: Any, plant: Plant) -> edits.Edit:
    return edits.Remove(ids=[some(draw, plant, Module, Signal, Link, Exchange, Station, Network, Controller, Task)])


_TEXTS = [
    "",
    "X := S1 > 2;",
    "VAR T1 : TON; n : INT; END_VAR\nT1(IN := Same, PT := T#1s); n := n + 1;\nIF n > 3 THEN T01 := T1.Q; END_IF;",
    "S1 = 3;",
]


def _program(draw: Any, plant: Plant) -> edits.Edit:
    return edits.AddProgram(
        controller=some(draw, plant, Controller),
        task=draw(st.none() | st.just(some(draw, plant, Task))),
        text=draw(st.sampled_from(_TEXTS)),
    )


def _axis(draw: Any, plant: Plant) -> edits.Edit:
    """An axis, a link of one's chain, a move of one, or one of these elsewhere."""
    axis = some(draw, plant, Axis)
    kind: Any = draw(st.sampled_from(["linear", "linear", "rotary", "endless", "speed"]))
    link: Any = draw(st.sampled_from(list(LINK_KINDS)))
    before = draw(st.none() | st.just(some(draw, plant, ChainLink, Move)))
    drive = draw(st.none() | st.just(some(draw, plant, Station, Module)))
    made = edits.Batch(
        edits=[
            edits.AddAxis(controller=some(draw, plant, Controller), axis=kind, drive=drive, tag="$a"),
            edits.AddMove(axis="$a", tag="$m"),
            edits.SetFields(ids=["$m"], values={"settings.to": draw(st.sampled_from([5, -20, "1 m", 0]))}),
        ]
    )
    return draw(
        st.sampled_from(
            [
                made, made,
                edits.AddChainLink(axis=axis, link=link, before=before),
                edits.AddMove(axis=axis, goes=draw(st.sampled_from(["relative", "absolute"]))),
                edits.PutBefore(id=some(draw, plant, ChainLink, Move), before=before),
            ]
        )
    )  # fmt: skip


def _robot(draw: Any, plant: Plant) -> edits.Edit:
    """A robot with axes that are there or drives, and one brought to what its type asks."""
    joints: Any = {
        place: some(draw, plant, Axis, Station, Module)
        for place in draw(st.lists(st.sampled_from(["arm1", "arm2", "arm3", "wrist"]), unique=True, max_size=4))
    }
    kind = draw(st.sampled_from(["arms-200-460", "arms-295-700-wrist", "own", "no"]))
    keys = draw(st.sampled_from([[], ["gear"], ["peak_a", "reversed"]]))
    return draw(
        st.sampled_from(
            [
                edits.AddRobot(controller=some(draw, plant, Controller), robot=kind, joints=joints),
                edits.MeetType(robot=some(draw, plant, Robot), keys=keys),
            ]
        )
    )


def _scanner(draw: Any, plant: Plant) -> edits.Edit:
    """A scanner with a zone, one more of what belongs to it, a zone drawn otherwise, one that an output answers to."""
    near = st.integers(-3000, 3000)
    points = [list(point) for point in draw(st.lists(st.tuples(near, near), min_size=2, max_size=5))]
    shape: dict[str, Any] = draw(
        st.just({"kind": "polygon", "points": points})
        | st.fixed_dictionaries({"kind": st.just("sector"), "from": near, "to": near, "radius": st.integers(1, 6000)})
    )
    scanner, situation = some(draw, plant, Scanner), some(draw, plant, Situation)
    new = edits.AddScanner(controller=some(draw, plant, Controller), scanner="ws-3", tag="$s")
    zone: Any = draw(st.sampled_from(["protective", "warning"]))
    kind: Any = draw(st.sampled_from(["hazard", "wall", "guard", "open"]))
    only = draw(st.none() | st.just(situation))
    what: Any = draw(st.sampled_from(["select", "enable", "output"]))
    role = draw(st.sampled_from(["select1", "enable", "output2", "output9"]))
    there = draw(st.sampled_from([{}, {"place": some(draw, plant, Module), "key": "ch0"}]))
    settings = draw(st.sampled_from([{"settings.scans": 4}, {"settings.looks": 90}, {"settings.height": 350}]))
    return draw(
        st.sampled_from(
            [
                edits.Batch(edits=[new, edits.AddZone(scanner="$s"), edits.AddSituation(scanner="$s")]),
                edits.AddZone(scanner=scanner, zone=zone, shape=draw(st.none() | st.just(shape))),
                edits.AddSituation(scanner=scanner),
                edits.AddPlanShape(scanner=scanner, shape=kind, points=points, situation=only),
                edits.UseZone(situation=situation, output=1, zone=draw(st.none() | st.just(some(draw, plant, Zone)))),
                edits.SetFields(ids=[some(draw, plant, Zone)], values={"settings.shape": shape}),
                edits.SetFields(ids=[scanner], values=settings),
                edits.NameScanner(scanner=scanner, what=what, pattern="{scanner}{n}{zone}", **there),
                edits.UseSignal(of=scanner, role=role, signal=draw(st.none() | st.just(some(draw, plant, Signal)))),
            ]
        )
    )


def _safety(draw: Any, plant: Plant) -> edits.Edit:
    """A safety function with a part, a part more, or a signal that resets one, starts it or feeds back."""
    role: Any = draw(st.sampled_from(["sensor", "actuator"]))
    part = {
        "role": role, "block": draw(st.sampled_from(["guard", "espe", "sto", "ss1-t", "contactor"])),
        "place": draw(st.none() | st.just(some(draw, plant, Module, Exchange))),
        "key": draw(st.sampled_from(["", "ch0", "ch1", "ch4", "r0"])),
        "device": draw(st.none() | st.just(some(draw, plant, Axis, Station, Scanner))),
    }  # fmt: skip
    pair = {f"settings.pairs.ch{draw(st.sampled_from([0, 2]))}.evaluation": draw(st.sampled_from(["1oo1", "1oo2"]))}
    use = edits.UseSignal(
        of=some(draw, plant, SafetyFunction, SafetyPart), role=draw(st.sampled_from(["reset", "start", "feedback"])),
        signal=draw(st.none() | st.just(some(draw, plant, Signal))),
    )  # fmt: skip
    new = edits.AddSafetyFunction(controller=some(draw, plant, Controller), tag="$f")
    what = draw(st.sampled_from(["stop-time", "test", "replaced"]))
    proof = edits.AddProof(
        of=some(draw, plant, SafetyPart, Axis), what=what, where=draw(st.sampled_from(["site", "bench"])), by="Ada",
        at=draw(st.dates(date(2024, 1, 1), date(2026, 9, 30))).isoformat(),
        result=draw(st.sampled_from(["passed", "failed"])) if what == "test" else "",
        stop=edits.Reading(readings_ms=[400 + draw(st.integers(0, 90))] * 10) if what == "stop-time" else None,
    )  # fmt: skip
    return draw(
        st.sampled_from(
            [
                edits.Batch(edits=[new, edits.AddSafetyPart(function="$f", **part)]),
                edits.AddSafetyPart(function=some(draw, plant, SafetyFunction), **part),
                edits.SetFields(ids=[some(draw, plant, Module)], values=pair),
                use,
                proof,
                edits.VoidProof(id=some(draw, plant, Proof), reason="Not so."),
            ]
        )
    )


def _network(draw: Any, plant: Plant) -> edits.Edit:
    return edits.Batch(
        edits=[
            edits.AddNetwork(fieldbus="modbus-tcp", port=some(draw, plant, Port), tag="$n"),
            edits.AddStation(network="$n", connection_tag="$k"),
            edits.AddExchange(connection="$k", settings={"function": draw(st.sampled_from([1, 3, 4, 15, 16]))}),
        ]
    )


def _exchange(draw: Any, plant: Plant) -> edits.Edit:
    return edits.AddExchange(
        connection=some(draw, plant, Connection),
        settings={"function": draw(st.sampled_from([2, 3, 6, 16, 22, 23])), "count": draw(st.integers(0, 130))},
    )


def _signals(draw: Any, plant: Plant) -> edits.Edit:
    place = some(draw, plant, Module, Exchange)
    key = draw(
        st.sampled_from(
            [
                "ch0",
                "ch3",
                "r0",
                "r2",
                "r1.4",
                "b0",
                "o0",
                "o1.7",
                "fr0",
                "fo0.1",
                "wr0",
                "fwr0.2",
                "code",
                "status",
                "start",
                "running",
                "length",
            ]
        )
    )
    linked = draw(st.booleans())
    return edits.AddSignals(
        controller=some(draw, plant, Controller),
        pattern=draw(st.sampled_from(["S{n}", "T{n:02}", "Same", "X"])),
        start=draw(st.integers(0, 5)),
        count=draw(st.integers(1, 5)),
        type=draw(st.sampled_from(TYPES)),
        place=place if linked else None,
        key=key if linked else None,
        scaling=draw(st.sampled_from([None, {"raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 10}, {"raw_hi": 0}])),
    )


def _link(draw: Any, plant: Plant) -> edits.Edit:
    return edits.LinkSignal(
        signal=some(draw, plant, Signal),
        place=some(draw, plant, Module, Exchange),
        key=draw(st.sampled_from(["ch0", "ch15", "r0", "r2.3", "o2", "fr0", "status", "start"])),
    )


def _types(draw: Any, plant: Plant) -> edits.Edit:
    """A file's types come, change or go."""
    keys = [pinned_key(pin.device, pin.sha256, pin.reader) for pin in PINS]
    taken = edits.AddTypes(types=[draw(st.sampled_from(PINS))])
    moved = edits.ChangeType(ids=[some(draw, plant, Station)], type=draw(st.sampled_from([*keys, "no"])))
    spare = edits.SetSpare(type=draw(st.sampled_from([*keys, *MODULES])), count=draw(st.integers(0, 3)))
    return draw(st.sampled_from([taken, taken, moved, spare, edits.Remove(ids=[some(draw, plant, PinnedType)])]))


def _filed(draw: Any, plant: Plant) -> edits.Edit:
    """A station of a file's device, with what its file says of its exchanges, on a network of any kind."""
    networks = [n for n in plant.all(Network) if n.kind in ("ethernet-ip", "modbus-tcp", "modbus-rtu")]
    network = draw(st.sampled_from(networks)) if networks else None
    suffix = {"ethernet-ip": ".eds"}.get(network.kind, ".csv") if network else ""
    pins = [pin for pin in PINS if pin.file.endswith(suffix)]
    pin = draw(st.sampled_from(pins))
    key = pinned_key(pin.device, pin.sha256, pin.reader)
    station = edits.AddStation(network=network.id if network else "n9zzz", type=key, tag="$s")
    if pin.file.endswith(".csv") and draw(st.booleans()):
        return edits.Batch(edits=[station, edits.TakeMap(station="$s")])
    return station


def _scale(draw: Any, plant: Plant) -> edits.Edit:
    return edits.ScaleLink(link=some(draw, plant, Link), scaled=draw(st.booleans()))


_BUILT = [
    {"there": False},
    {"cable": False},
    {"power": False},
    {"address": "10.0.0.9"},
    {"facts.baud": 9600},
    {"facts.reply_ms": 40},
    {"cable": 3},
    {"facts.name": "s9"},
    {"facts.errors": "2.1 3 6"},
    {"facts.bad": "x"},
]


def _as_built(draw: Any, plant: Plant) -> edits.Edit:
    """What really stands there is said, set over the network, swapped, added or forgotten."""
    ids = [some(draw, plant, Station, Network, BuiltDevice, BuiltModule)]
    modules = draw(st.lists(st.sampled_from(MODULES), max_size=2))
    behind = [module.id for station in plant.all(Station) for module in modules_behind(plant, station.id)]
    swapped = st.sampled_from(behind or ["m9zzz"])
    said: list[edits.Edit] = [
        edits.SetBuilt(ids=ids, values=draw(st.sampled_from(_BUILT))),
        edits.KeepInDevice(id=ids[0], values=draw(st.sampled_from(_BUILT))),
        edits.ScannerFromDevice(scanner=some(draw, plant, Scanner)),
        edits.SwapBuiltModules(first=draw(swapped), second=draw(swapped)),
        edits.DriveCopies(
            axis=some(draw, plant, Axis), do=draw(st.sampled_from(["write", "take", "save", "restart"])),
            keys=draw(st.sampled_from([[], ["gear", "window"], ["no"]])),
        ),
        edits.AddBuiltDevice(
            network=some(draw, plant, Network), address="10.0.0.77",
            type=draw(st.sampled_from(["", "tarnfell.tc-16", "no"])), modules=modules,
        ),
        edits.AsConfigured(ids=draw(st.sampled_from([[], ids])), what=draw(st.sampled_from(["all", "modules"]))),
    ]  # fmt: skip
    return draw(st.sampled_from(said))


_FIELDS = [
    (Controller, {"name": "Other"}),
    (Program, {"text": "Same := NOT Same;"}),
    (Program, {"task": None}),
    (Signal, {"name": "Same"}),
    (Controller, {"firmware": "3.2"}),
    (Rail, {"places": 8}),
    (Rail, {"places": 16}),
    (Rail, {"settings.fuse_a": "500 mA"}),
    (Rail, {"settings.simultaneity": 50}),
    (Rail, {"settings.heat_limit_w": 5}),
    (Module, {"revision": "1.4"}),
    (Module, {"settings.channels.ch0.load_ma": "2 A"}),
    (Module, {"settings.channels.ch0.sensor": "npn"}),
    (Module, {"settings.channels.ch1.use": "direction"}),
    (Module, {"settings.channels.ch0.transmitter_v": 18}),
    (Port, {"address": "10.0.0.1"}),
    (Port, {"method": "dhcp"}),
    (Module, {"pin_in": "16#10"}),
    (Module, {"pin_out": 3}),
    (Module, {"slot": 2}),
    (Module, {"settings.filter_ms": 10}),
    (Module, {"settings.channels.ch0.range": "0-20mA"}),
    (Network, {"port": None}),
    (Station, {"address": "10.0.0.1"}),
    (Station, {"settings.reply_ms": "0,5 s"}),
    (Connection, {"settings.unit": 0}),
    (Connection, {"settings.application": "redundant owner"}),
    (Connection, {"settings.multiplier": 4}),
    (Connection, {"settings.config_data": "01 02"}),
    (Connection, {"settings.trigger": "after"}),
    (Connection, {"settings.class": 300}),
    (Exchange, {"settings.trigger": "after"}),
    (Exchange, {"settings.function": 23}),
    (Exchange, {"settings.write_count": 200}),
    (Exchange, {"settings.write_address": 3}),
    (Exchange, {"settings.trigger": "edge"}),
    (Exchange, {"settings.point": 100}),
    (Exchange, {"settings.octets": 600}),
    (Exchange, {"settings.rpi_ms": 1}),
    (Exchange, {"settings.header": True}),
    (Exchange, {"settings.transfer": "multicast"}),
    (Station, {"settings.large": "no"}),
    (Station, {"settings.pdos.1601": True}),
    (Station, {"settings.pdos.1600": False}),
    (Station, {"settings.pdos.1A01": True}),
    (Station, {"settings.group": 3}),
    (Station, {"settings.alias": 7}),
    (Module, {"settings.group": 1}),
    (Network, {"settings.cycle_ms": 0.5}),
    (Network, {"settings.clocks": False}),
    (Network, {"settings.apart": True}),
    (Network, {"settings.baud": 12_000_000}),
    (Network, {"settings.master": 4}),
    (Network, {"settings.bus.slot": 100}),
    (Network, {"settings.bus.rotation": None}),
    (Station, {"settings.identifiers": "11 20"}),
    (Station, {"settings.ident": 0xFA99}),
    (Station, {"settings.user_prm": "00 01"}),
    (Station, {"settings.watchdog_ms": 10}),
    (Station, {"settings.terminated": True}),
    (Station, {"settings.stub_m": 3}),
    (Station, {"settings.switches": "dip-7"}),
    (Station, {"settings.sync": True}),
    (Station, {"address": "7"}),
    (Network, {"settings.clock": 64}),
    (Network, {"settings.first": "10.0.0.50"}),
    (Network, {"settings.last": "10.0.0.60"}),
    (Network, {"settings.controller_name": "Kiln 1"}),
    (Station, {"settings.device_name": "pump-3"}),
    (Station, {"settings.device_name": "ü" * 300}),
    (Station, {"settings.update_ms": 4}),
    (Station, {"settings.watchdog": 7}),
    (Station, {"settings.ring": "manager"}),
    (Station, {"settings.by_neighbours": False}),
    (Station, {"settings.submodules": "1.1 16#10:16#1 i2 o4, 2.1 1:1 i1400"}),
    (Station, {"settings.prm.s1r1o1b0": 1}),
    (Module, {"settings.s1r1o0": 1}),
    (Module, {"settings.terminals": "4-20ma"}),
    (Module, {"settings.p5_2": 3}),
    (Module, {"settings.words.i0": "0-20ma"}),
    (Connection, {"settings.index": 2}),
    (Connection, {"settings.index": "16#6065"}),
    (Connection, {"settings.slot": 2}),
    (Station, {"partner": None}),
    (Exchange, {"settings.timeout_ms": 0}),
    (Exchange, {"settings.period_ms": "0.2 s"}),
    (Exchange, {"settings.count": 40000}),
    (Exchange, {"settings.address": "400001"}),
    (Axis, {"kind": "endless"}),
    (Axis, {"unit": "m"}),
    (Axis, {"name": "Same"}),
    (Axis, {"settings.speed": "3 m/s", "settings.acceleration": 500}),
    (Axis, {"settings.soft_minus": 0, "settings.soft_plus": 400, "settings.switch_plus": 390}),
    (Axis, {"settings.modulo": 7}),
    (Axis, {"settings.encoder_offset": 4, "settings.peak_a": 4.2}),
    (Axis, {"robot": None, "arm": ""}),
    (Axis, {"kind": "rotary", "arm": "arm2"}),
    (Robot, {"type": "own"}),
    (Robot, {"type": "arms-200-460-wrist", "settings.frame_z": -450, "settings.work_x": 100}),
    (
        Robot,
        {
            "settings.from_x": -50,
            "settings.to_x": 60,
            "settings.line_speed": 500,
            "settings.line_acceleration": "5 m/s²",
        },
    ),
    (Robot, {"settings.upper_arm": 200, "settings.lower_arm": 400, "settings.base_radius": 100}),
    (ChainLink, {"settings.lead_mm": 10}),
    (ChainLink, {"settings.motor_turns": 5, "settings.load_turns": 3}),
    (ChainLink, {"settings.counts": 4096}),
    (ChainLink, {"settings.mass_kg": "0.3 t"}),
    (Move, {"settings.to": 12, "settings.wait_s": 1}),
    (Task, {"period_ms": 5}),
    (Signal, {"name": "S1"}),
    (Signal, {"type": "REAL"}),
    (Signal, {"asked_ms": 1}),
    (Link, {"scaling": None}),
    (Link, {"scaling.hi": 7}),
    (Link, {"order": "CDAB"}),
]


def _set(draw: Any, plant: Plant) -> edits.Edit:
    kind, values = draw(st.sampled_from(_FIELDS))
    return edits.SetFields(ids=[some(draw, plant, kind)], values=values)


def _cells(draw: Any, plant: Plant) -> edits.Edit:
    """Many cells at once, and an issue of a list."""
    names = [signal.name for signal in plant.all(Signal)] or ["S1"]
    ids = [some(draw, plant, Signal) for _ in range(draw(st.integers(2, 4)))]
    controller = some(draw, plant, Controller)
    kind = draw(st.sampled_from(["each", "paste", "fill", "rewrite", "name", "list", "list"]))
    if kind == "each":
        return edits.SetEach(values={i: {"note": "x", "area": "Steep", "wiring.core": "1"} for i in ids})
    if kind == "paste":
        return edits.PasteSignals(controller=controller, rows=[{"name": f"P{plant.counter}", "type": "REAL"}])
    if kind == "fill":
        fields = draw(st.lists(st.sampled_from(["name", "type", "unit", "link", "tag"]), min_size=1, unique=True))
        return edits.FillDown(ids=list(dict.fromkeys(ids)) * 2 if len(set(ids)) < 2 else ids, fields=fields)
    if kind == "rewrite":
        return edits.Rewrite(ids=ids, field="name", find="1", by=str(plant.counter))
    if kind == "name":
        return edits.NameSignals(ids=ids, pattern=f"N{plant.counter}_{{n}}")
    tags = draw(st.lists(st.sampled_from([*names[:6], "LT-1", "LT-2"]), max_size=4, unique_by=str.lower))
    rows = [edits.ListRow(row=n + 2, cells=[tag, "AI", "0-5"]) for n, tag in enumerate(tags)]
    headings = [edits.ListHeading(text=key.title(), key=key) for key in ("tag", "kind", "range")]
    lists = plant.all(IoList)
    issue = {
        "of": lists[0].id if lists else None, "name": "List", "controller": controller, "headings": headings,
        "rows": rows,
    }  # fmt: skip
    try:
        told = compare(plant, edits.ListIssue(**issue)).differences
    except Refusal:
        told = []
    taken = [one.id for one in told if draw(st.booleans())]
    return edits.TakeList(**issue, taken=taken, left=[one.id for one in told if draw(st.booleans())])


def _structured(draw: Any, plant: Plant) -> edits.Edit:
    """A structure declared or changed, a variable of it, or one renamed."""
    known = plant.all(DataStructure)
    controller = some(draw, plant, Controller)
    kind = draw(st.sampled_from(["new", "change", "use", "use", "rename"])) if known else "new"
    types = st.sampled_from(["BOOL", "REAL", "ARRAY[1..2] OF INT", *(structure.name for structure in known[:2])])
    if kind == "use":
        text = draw(st.sampled_from([f"ARRAY[0..1] OF {known[0].name}", known[0].name]))
        return edits.AddSignals(controller=controller, pattern=f"V{plant.counter}", type=text)
    if kind == "rename":
        whole = [signal.name.partition(".")[0] for signal in plant.all(Signal)] or ["V"]
        return edits.RenameVariable(controller=controller, name=draw(st.sampled_from(whole)), by=f"R{plant.counter}.a")
    old = known[0] if kind == "change" else None
    kept = [m for m in old.shape["members"] if draw(st.booleans())] if old else []
    members = [edits.StructureMember(**{**m, "was": m["name"], "type": draw(types)}) for m in kept]
    members.append(edits.StructureMember(name=f"M{plant.counter}", type=draw(types)))
    return edits.SetStructure(of=old.id if old else None, name=f"T{plant.counter}", members=members)


_MAKERS = [
    _structured,
    _cells, _cells,
    _controller, _insert, _insert, _move, _replace, _duplicate, _replicate, _paste, _remote, _ports, _ports,
    _remove, _network, _exchange, _signals, _signals, _serial, _cell, _cell, _connection, _cable, _ring, _partner,
    _axis, _axis, _robot, _safety, _scanner, _safety,
    _program, _program, _watch, _transfer, _along, _elsewhere, _types, _types, _filed, _scale, _as_built, _as_built,
    _link, _set, _set, _set, _set, _on_the_fly, _on_the_fly, _in_segments, _in_segments, _in_stars, _in_stars,
]  # fmt: skip
