"""Every registered check: a plant that raises it, its neighbour that does not, and its remedy that mends it."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from typing import Any

import pytest

from highmoor.core.analysis.engine import Analysis
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.types import Catalogue, Dial
from highmoor.core.demo.plant import demo_plant
from highmoor.core.parts import CHECKS, PARTS
from highmoor.core.parts import analyse as analysed_without_a_day
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    Connection,
    Controller,
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
from highmoor.core.project.remedies import remedy_of
from highmoor.core.project.reporting import render
from tests.core.bench import test_bench as bench
from tests.core.hardware import test_remote_rail as remote
from tests.core.hardware import test_wiring as wiring
from tests.core.motion import wrong as motion
from tests.core.networks import test_cables as cables
from tests.core.networks import test_partners as partners
from tests.core.networks.ethercat import turner
from tests.core.networks.ethernet_ip import test_ethernet_ip as ethernet
from tests.core.networks.io_link import wrong as ports
from tests.core.networks.modbus_rtu import test_modbus_rtu as serial
from tests.core.networks.profibus_dp import wrong as profibus
from tests.core.networks.profinet import wrong as profinet
from tests.core.plants import built, hall
from tests.core.safety import wrong as safety
from tests.core.safety.scanner import wrong as scanners
from tests.core.signals import test_programs as programs
from tests.core.signals import test_signals as signals
from tests.core.signals import test_structures as structures

DEMO = demo_plant()
HUMIDIFIER = next(k.id for k in DEMO.all(Connection) if DEMO.get(k.station, Station).name == "Humidifier")
NOBODYS = "nobody.nothing"
Pair = tuple[Plant, Plant] | tuple[Plant, Plant, Catalogue]
"""A plant without the finding, its neighbour with it, and the catalogue of both where it is not the built-in one."""


def analyse(plant: Plant, catalogue: Catalogue) -> Analysis:
    """On the day that records of the examples are told against."""
    analysis = analysed_without_a_day(plant, catalogue)
    analysis.pass_to(safety.TODAY)
    return analysis


def put(plant: Plant, kind: type[Any], n: int = 0, **values: Any) -> Plant:
    """A row's fields as a hand sets them; `__` stands for the dot of a path."""
    paths = {key.replace("__", "."): value for key, value in values.items()}
    return apply(plant, BUILTIN, edits.SetFields(ids=[plant.all(kind)[n].id], values=paths)).plant


def held(plant: Plant, row_kind: type[Any], n: int = 0, /, **values: Any) -> Plant:
    """A row's fields as only a file from outside, or an earlier catalogue, can have left them."""
    row = plant.all(row_kind)[n]
    return Plant.of([dataclasses.replace(r, **values) if r is row else r for r in plant.rows()], plant.counter)


def known(key: str, **values: Any) -> Catalogue:
    """The built-in catalogue with one type told otherwise."""
    return Catalogue({**BUILTIN.types, key: dataclasses.replace(BUILTIN.types[key], **values)})


def demo(kind: type[Any], at: dict[str, Any], **values: Any) -> Pair:
    """The demo plant, and the same with fields of one row set otherwise."""
    rows = DEMO.all(kind)
    n = next(n for n, row in enumerate(rows) if all(getattr(row, key) == value for key, value in at.items()))
    return DEMO, put(DEMO, kind, n, **values)


def hung(kind: str, port: int = 0, station: str = "", address: str = "") -> Plant:
    """HALL with a network of this fieldbus on one of its ports, and a station on it."""
    plant = hall("ai-8")
    steps = [
        edits.AddNetwork(fieldbus=kind, port=plant.all(Port)[port].id, tag="$n"),
        edits.AddStation(network="$n", type=f"tarnfell.{station}" if station else None, address=address or None),
    ]
    return apply(plant, BUILTIN, edits.Batch(edits=steps)).plant


def compact(*slots: int | None) -> Plant:
    """A TF-21, whose slots are addressed, with modules in these."""
    modules = (edits.InsertModules(rail="$r", type="tarnfell.di-16") for _ in slots)
    step = edits.AddController(type="tarnfell.tf-21", name="KILN", address="10.0.0.1", rail_tag="$r")
    plant = built(edits.Batch(edits=[step, *modules]))
    for n, slot in enumerate(slots):
        plant = held(plant, Module, n, slot=slot)
    return plant


def linked(module: str, kind: str = "BOOL", key: str = "ch0", **more: Any) -> Plant:
    """HALL with one module and a signal on it."""
    plant = hall(module)
    return signals.signal(plant, "Level", kind, plant.all(Module)[0].id, key, **more)


def twice_written() -> Pair:
    """Two signals on one register, and side by side."""
    plant = signals.with_network(hall(), {"function": 16, "count": 3})
    write = plant.all(Exchange)[0].id
    one = signals.signal(plant, "One", "UDINT", write, "r0")
    return signals.signal(one, "Two", "UINT", write, "r2"), signals.signal(one, "Two", "UINT", write, "r1")


def read_or_written(*keys: str) -> Pair:
    """A signal on a place of a read exchange that is there, and on one that is not."""
    plant = signals.with_network(hall(), {"function": 3, "count": 2})
    read = plant.all(Exchange)[0].id
    right, wrong = (signals.signal(plant, "Told", "UINT", read, key) for key in keys)
    return right, wrong


def far_signal() -> Pair:
    """A signal of one controller on another's module, as a network that went elsewhere leaves it."""
    plant = apply(linked("di-16"), BUILTIN, edits.AddController(type="tarnfell.tf-21", name="KILN")).plant
    return plant, held(plant, Signal, 0, controller=plant.all(Controller)[1].id, task=None)


def two_sources() -> Pair:
    """A signal read from one channel, and from two as an exchange that is turned round leaves it."""
    plant = linked("di-16")
    link = plant.all(Link)[0]
    return plant, Plant.of([*plant.rows(), dataclasses.replace(link, id="l99", key="ch1")], plant.counter)


def of_ethernet_ip(code: str) -> Pair:
    """What the adapters' own table holds of this code, beside the same without a mistake."""
    right = ethernet.cell({"type": "cv7"}) if code != "NET-302" else ethernet.cell(ethernet.BY_HAND)
    return right, ethernet.spoilt(code), ethernet.LIBRARY


def one_way_only() -> Pair:
    plant = ethernet.cell(ethernet.BY_HAND)
    out = next(x for x in plant.all(Exchange) if x.direction == "out")
    # No edit makes it so: it can only have come with a file.
    return plant, Plant.of([row for row in plant.rows() if row.id != out.id], plant.counter)


def many_connections() -> Pair:
    plant = ethernet.cell({"type": "cv7"}, {"type": "cv7"})
    few = dataclasses.replace(
        BUILTIN.types["tarnfell.tf-42"],
        controller=dataclasses.replace(BUILTIN.types["tarnfell.tf-42"].controller, cip_connections=2),
    )
    catalogue = Catalogue({**BUILTIN.types, "tarnfell.tf-42": few})
    return plant, ethernet.station(plant, "S2"), catalogue


def small_image() -> Pair:
    facts = BUILTIN.types["tarnfell.tf-42"].controller
    assert facts is not None
    small = known("tarnfell.tf-42", controller=dataclasses.replace(facts, image_octets=8))
    return hall("di-16", "di-16"), hall("di-16", "di-16", "di-16"), small


def shortened(count: int, *modules: str) -> Pair:
    """A remote rail carried whole, and by an exchange of another length."""
    plant = remote.carried(remote.coupled(*modules))
    return plant, put(plant, Exchange, 0, settings__count=count)


def watchdog() -> Pair:
    plant = remote.carried(remote.coupled("do-16"))
    return plant, put(plant, Station, 0, settings__watchdog_ms=400)


def another_rate() -> Pair:
    """The port of the built-in type has every rate; this one has two."""
    ports = tuple(dataclasses.replace(p, bauds=(9600, 19200)) for p in BUILTIN.types["tarnfell.tf-42"].ports)
    right, wrong = (serial.on_a_line(*serial.GOOD, line={"baud": baud}) for baud in (19200, 38400))
    return right, wrong, known("tarnfell.tf-42", ports=ports)


def watched() -> Pair:
    plant, reading = bench.watched("beat")
    edit = edits.SetFields(ids=[reading], values={"settings.watch_ms": 150})
    return plant, apply(plant, BUILTIN, edit).plant


def same_address() -> Pair:
    """Two networks in one subnet, each with a device of its own type at one address."""
    plant = partners.both_ask("modbus-tcp", {"address": "@4"}, {"address": "@20"}, far=False)
    first = held(plant, Station, 0, type="ashgill.one")
    return first, held(first, Station, 1, type="ashgill.other")


def on_a_fuse(amperes: float) -> Plant:
    return wiring.with_values(wiring.linked(hall("do-16"), 16), Rail, 0, settings__fuse_a=amperes)


def four_outputs(percent: int) -> Plant:
    plant = hall("do-16", "do-16", "do-16", "do-16")
    for n in range(4):
        plant = wiring.linked(plant, 16, n=n)
    return wiring.with_values(plant, Rail, 0, settings__simultaneity=percent)


def group(last_ma: float) -> Plant:
    plant = hall("do-16")
    for n in range(4):
        plant = wiring.channel(plant, f"ch{n}", load_ma=500)
    return wiring.channel(plant, "ch4", load_ma=last_ma)


DI16 = "tarnfell.di-16"
SPAN = {"raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 10}
EXAMPLES: dict[str, Callable[[], Pair]] = {
    "HW-101": lambda: (hall(*["ai-8"] * 5), hall(*["ai-8"] * 6)),
    "HW-102": lambda: (hall("di-16", *["cv-1"] * 11), hall("di-16", *["cv-1"] * 11, places=16)),
    "HW-103": lambda: (hall(*["di-16"] * 12), hall(*["di-16"] * 13)),
    "HW-104": lambda: (hall("di-16"), held(hall("di-16"), Module, type=NOBODYS)),
    "HW-105": lambda: (hall(), held(hall(), Controller, type=NOBODYS)),
    "HW-106": lambda: (hall(), held(hall(), Controller, firmware="1.0")),
    "HW-107": lambda: (hall("si-8"), held(hall("si-8"), Controller, type="tarnfell.tf-21")),
    "HW-108": lambda: (hall("di-16"), hall("di-16", "di-16"), known(DI16, at_most=1)),
    "HW-109": lambda: (compact(1, 2), compact(1, None)),
    "HW-110": lambda: (compact(1, 2), compact(1, 1)),
    "HW-111": lambda: (hall("di-16"), held(hall("di-16"), Module, settings={"filter_ms": "long"})),
    "HW-112": lambda: (hall(*["di-16"] * 11, "ser-2", places=16), hall(*["di-16"] * 12, "ser-2", places=16)),
    "HW-113": lambda: (hall("si-8", "so-4"), hall("so-4", "si-8")),
    "HW-114": lambda: (hall("ai-8"), held(hall("ai-8"), Module, revision="1.0")),
    "HW-115": lambda: (put(hall("di-16"), Rail, settings__heat_limit_w=11.1),
                       put(hall("di-16"), Rail, settings__heat_limit_w=11)),
    "HW-116": lambda: (wiring.remote(f"{wiring.TR16_KEY}/m1"), wiring.remote(DI16), wiring.FILES),
    "HW-117": lambda: (wiring.remote(*[f"{wiring.TR16_KEY}/m3"] * 16), wiring.remote(*[f"{wiring.TR16_KEY}/m3"] * 17),
                       wiring.FILES),
    "HW-118": lambda: (hall(), held(hall(), Rail, settings={"fuse_a": -1})),
    "HW-119": lambda: (hall("do-16"), hall("di-16"), known(DI16, order_number="")),
    "HW-201": lambda: (hall(), held(hall(), Port, address="10.0.0.256")),
    "HW-202": lambda: (hung("modbus-tcp"), held(hung("modbus-tcp"), Port, address="")),
    "HW-203": lambda: (hall(), held(hall(), Port, address="10.0.0.255")),
    "HW-204": lambda: (put(hall(), Port, gateway="10.0.0.254"), held(hall(), Port, gateway="10.9.9.9")),
    "HW-205": lambda: (put(hall(), Port, 1, address="10.0.1.1"), put(hall(), Port, 1, address="10.0.0.7")),
    "HW-206": lambda: (hall(), put(hall(), Port, method="dhcp")),
    "HW-207": lambda: (hall(), put(hall(), Port, address="169.254.3.4")),
    "HW-301": small_image,
    "HW-302": lambda: (put(put(hall("di-16", "di-16"), Module, pin_in=8), Module, 1, pin_in=12),
                       put(put(hall("di-16", "di-16"), Module, pin_in=8), Module, 1, pin_in=9)),
    "HW-303": lambda: (put(hall("di-16"), Module, pin_in=4), held(hall("di-16"), Module, pin_in=2)),
    "HW-401": lambda: (four_outputs(50), four_outputs(100)),
    "HW-402": lambda: (on_a_fuse(2), on_a_fuse(1.9)),
    "HW-404": lambda: (group(0), group(1)),
    "HW-411": lambda: (hall("ai-8"), wiring.linked(hall("ai-8"), 3)),
    "HW-413": lambda: (wiring.channel(hall("ai-4t"), "ch0", leads=2, length_m=4, area_mm2=1.5),
                       wiring.channel(hall("ai-4t"), "ch0", leads=2, length_m=5.5, area_mm2=1.5)),
    "HW-412": lambda: (wiring.linked(hall("ai-8"), 8),
                       wiring.channel(wiring.linked(hall("ai-8"), 8), "ch3", range="0-20mA")),
    "NET-101": lambda: demo(Station, {"name": "Compressor"}, address="10.20.9.20"),
    "NET-102": lambda: demo(Station, {"name": "Compressor"}, address="10.99.0.1"),
    "NET-103": lambda: (hung("modbus-tcp"), held(hung("modbus-tcp"), Network, port=None)),
    "NET-104": lambda: demo(Station, {"name": "Compressor"}, address=""),
    "NET-105": lambda: (hung("modbus-tcp"), held(hung("modbus-tcp"), Network, kind="nobodys-bus")),
    "NET-106": lambda: (hung("modbus-tcp"), held(hung("modbus-tcp"), Station, type=NOBODYS)),
    "NET-107": many_connections,
    "NET-108": lambda: (hung("modbus-tcp"), hung("modbus-tcp", 0, "tc-16"), known("tarnfell.tc-16", order_number="")),
    "NET-109": lambda: (hung("modbus-rtu", -1), held(hung("modbus-rtu", -1), Network, kind="modbus-tcp")),
    "NET-115": lambda: (hung("modbus-tcp", 0, "tc-16", "10.0.0.99"), hung("modbus-tcp", 0, "tc-16", "10.0.0.100"),
                        known("tarnfell.tc-16", dial=Dial("rotary-10", 2))),
    "NET-116": same_address,
    "NET-117": lambda: (partners.both_ask("modbus-tcp", {"address": "@40"}, {"address": "@44"}, far=False),
                        partners.both_ask("modbus-tcp", {"address": "@40"}, {"address": "@42"}, far=False)),
    "NET-120": lambda: (partners.told("modbus-tcp", "in"),
                        put(partners.told("modbus-tcp", "in"), Station, address="10.0.0.9")),
    "NET-121": lambda: (plant := partners.told("modbus-tcp", "in"), put(
        plant, Network, port=plant.children(Port, plant.all(Controller)[1].id)[0].id)),
    "NET-122": lambda: (partners.overlapping(40, 44), partners.overlapping(40, 43)),
    "NET-130": lambda: demo(Station, {"name": "Compressor"}, settings__parked=True),
    "NET-201": lambda: demo(Exchange, {"name": "Measured"}, settings__timeout_ms=0),
    "NET-202": lambda: demo(Exchange, {"name": "Measured"}, settings__timeout_ms=3),
    "NET-203": lambda: demo(Exchange, {"name": "Measured"}, settings__timeout_ms=60000),
    "NET-204": lambda: demo(Exchange, {"name": "Measured"}, settings__count=126),
    "NET-205": lambda: demo(Exchange, {"name": "Measured"}, settings__address="@65530"),
    "NET-206": lambda: demo(Exchange, {"name": "Measured"}, settings__period_ms=3),
    "NET-207": lambda: (
        signals.with_network(hall(), {"function": 16, "count": 2}, {"function": 16, "address": 2}),
        signals.with_network(hall(), {"function": 16, "count": 3}, {"function": 16, "address": 2})),
    "NET-208": lambda: demo(Connection, {"id": HUMIDIFIER}, settings__unit=0),
    "NET-209": lambda: demo(Connection, {"id": HUMIDIFIER}, settings__unit=248),
    "NET-210": lambda: shortened(7, "di-16", "ai-8"),
    "NET-211": lambda: (remote.carried(remote.coupled("do-16")), remote.coupled("do-16")),
    "NET-212": lambda: shortened(10, "di-16", "ai-8"),
    "NET-213": lambda: demo(Exchange, {"name": "Measured"}, settings__trigger="after"),
    "NET-215": watchdog,
    "NET-214": watched,
    "NET-230": another_rate,
    "NET-301": one_way_only,
    "SIG-101": lambda: demo(Signal, {"name": "Tank1Level"}, name="TANK2LEVEL"),
    "SIG-102": lambda: (linked("di-16"), held(linked("di-16"), Signal, name="9 lives")),
    "SIG-103": lambda: (linked("di-16"), signals.signal(hall(), "Lonely", "INT", None, "")),
    "SIG-104": lambda: read_or_written("r1", "r2"),
    "SIG-105": lambda: (linked("ai-8", "INT"), linked("ai-8", "BOOL")),
    "SIG-106": twice_written,
    "SIG-107": lambda: (linked("di-16"), held(linked("di-16"), Link, access="writes")),
    "SIG-108": lambda: demo(Signal, {"name": "TurnerLimit1"}, asked_ms=9),
    "SIG-109": lambda: (linked("ai-8", "REAL", scaling=SPAN), linked("ai-8", "REAL", scaling={**SPAN, "lo": 10})),
    "SIG-110": lambda: (linked("ai-8", "REAL", scaling=SPAN),
                        linked("ai-8", "REAL", scaling={**SPAN, "raw_hi": 27648})),
    "SIG-114": lambda: (linked("ai-8", "REAL", scaling={**SPAN, "kind": "root"}),
                        linked("ai-8", "REAL", scaling={**SPAN, "kind": "root", "rooted": True})),
    "SIG-115": lambda: (structures.with_signals(hall(), ("Fan", "INT"), ("Fans.x", "INT")),
                        structures.with_signals(hall(), ("Fan", "INT"), ("Fan.x", "INT"))),
    "SIG-116": lambda: (structures.with_signals(hall(), ("Fan", "INT"), initial="32767"),
                        structures.with_signals(hall(), ("Fan", "INT"), initial="32768")),
    "SIG-117": lambda: (structures.declared(hall(), "FanData", ("Run", "BOOL")),
                        structures.declared(hall(), "FanData")),
    "SIG-111": lambda: (remote.signals_everywhere(remote.carried(remote.coupled("di-16"))),
                        remote.signals_everywhere(remote.coupled("di-16"))),
    "SIG-201": lambda: (programs.with_programs("Lamp := Level > 3;"), programs.with_programs("Lamp := Levle > 3;")),
    "SIG-202": lambda: (programs.with_programs("Lamp := TRUE;", "Horn := Lamp;"),
                        programs.with_programs("Lamp := TRUE;", "Lamp := FALSE;")),
    "SIG-112": far_signal,
    "SIG-113": two_sources,
}  # fmt: skip
EXAMPLES.update({code: lambda code=code: of_ethernet_ip(code) for code in ethernet.WRONG})
EXAMPLES.update({code: lambda code=code: (cables.laid(*cables.STAR), cables.spoilt(code)) for code in cables.WRONG})
EXAMPLES.update(turner.WRONG)
EXAMPLES.update(profibus.WRONG)
EXAMPLES.update(profinet.WRONG)
EXAMPLES.update(ports.WRONG)
EXAMPLES.update(motion.WRONG)
EXAMPLES.update({
    code: lambda stations=stations, line=line: (
        serial.on_a_line(*serial.GOOD), serial.on_a_line(*stations, line=line))
    for code, stations, line in reversed(serial.WRONG) if code not in EXAMPLES
})  # fmt: skip
EXAMPLES.update({
    code: lambda module=module, right=right, wrong=wrong: (
        wiring.channel(hall(module), "ch0", **right), wiring.channel(hall(module), "ch0", **wrong))
    for code, module, right, wrong in wiring.RIGHT_AND_WRONG
})  # fmt: skip

EXAMPLES.update(safety.WRONG)
EXAMPLES.update(scanners.WRONG)

BROKEN = {"HW-190": "rail.power", "NET-190": "network.timing", "SIG-190": "exchange.links", "MOT-190": "axis.chain",
          "SAF-190": "function.told"}  # fmt: skip
"""What is said of a part that breaks has no plant of its own: `test_a_part_that_breaks_is_said` makes it."""

BY_HAND = {
    *("HW-104", "HW-105", "HW-107", "HW-108", "HW-112", "HW-113", "HW-115", "HW-116", "HW-117", "HW-119"),
    *("HW-201", "HW-202", "HW-203", "HW-205", "HW-207", "HW-301", "HW-403", "HW-404", "HW-406", "HW-408", "HW-409"),
    *("NET-103", "NET-105", "NET-106", "NET-107", "NET-108", "NET-109", "NET-111", "NET-112", "NET-115", "NET-116"),
    *("NET-117", "NET-206", "NET-207", "NET-221", "NET-226", "NET-228", "NET-301", "NET-302", "NET-306", "NET-307"),
    *(
        "NET-308",
        "NET-309",
        "NET-312",
        "NET-332",
        "NET-333",
        "NET-403",
        "NET-409",
        "NET-412",
        "NET-414",
        "SIG-103",
        "SIG-106",
        "SIG-109",
        "SIG-111",
        "SIG-202",
    ),
    *profibus.BY_HAND,
    *profinet.BY_HAND,
    *ports.BY_HAND,
    *motion.BY_HAND,
    *safety.BY_HAND,
    *scanners.BY_HAND,
}
"""What no single edit mends: another device, a decision, or hands in the cabinet."""

FOLLOWS = {
    # Reset by hand it is for whoever resets to look.
    "SAF-310": "SAF-309",
    "HW-103": "HW-102",
    "MOT-102": "MOT-131",
    "MOT-103": "MOT-102",
    "NET-205": "SIG-104",
    "NET-213": "SIG-108",
    "SIG-112": "SIG-103",
    "SIG-116": "SIG-103",
}
"""What a mend brings to light; each of it has a remedy of its own."""


def test_every_check_has_an_example() -> None:
    assert {check.code for check in CHECKS} == {*EXAMPLES, *BROKEN}


@pytest.mark.parametrize("code", EXAMPLES)
def test_a_mistake_is_found_its_neighbour_is_not_and_what_is_offered_mends_it(code: str) -> None:
    right, wrong, *told = EXAMPLES[code]()
    catalogue = told[0] if told else BUILTIN
    before, analysis = (analyse(plant, catalogue) for plant in (right, wrong))
    found = next(f for f in analysis.findings.values() if f.code == code and f.key not in before.findings)
    if right is not DEMO:
        assert code not in {f.code for f in before.findings.values()}
    words = render(analysis, found)
    assert words["where"]
    assert not {"{", "}"} & set(words["text"] + words["where"])
    remedy = remedy_of(analysis, found)
    assert (remedy is None or remedy.edit is None) == (code in BY_HAND)
    if remedy and remedy.edit:
        after = analyse(apply(wrong, catalogue, remedy.edit).plant, catalogue)
        assert found.key not in after.findings
        assert {f.code for f in after.findings.values() if f.key not in analysis.findings} <= {FOLLOWS.get(code)}


@pytest.mark.parametrize("code", BROKEN)
def test_a_part_that_breaks_is_said(code: str) -> None:
    part = next(part for part in PARTS if part.key == BROKEN[code])
    compute = part.compute

    def breaks(_: Any, root: str) -> Any:
        raise ZeroDivisionError(root)

    assert code not in {f.code for f in analyse(DEMO, BUILTIN).findings.values()}
    object.__setattr__(part, "compute", breaks)
    try:
        found = [f for f in analyse(DEMO, BUILTIN).findings.values() if f.code == code]
    finally:
        object.__setattr__(part, "compute", compute)
    assert found


@pytest.mark.parametrize(
    ("code", "label"),
    [
        ("HW-110", "Put it in slot 2"),
        ("NET-230", "Set 19200 bit/s"),
        ("SIG-102", "Call it S_9_lives"),
        ("SIG-104", "Link it to Station 1, Read 1: 40002"),
        ("SIG-105", "Make it INT"),
    ],
)
def test_what_is_offered_is_the_nearest_there_is(code: str, label: str) -> None:
    _, wrong, *told = EXAMPLES[code]()
    analysis = analyse(wrong, told[0] if told else BUILTIN)
    remedy = remedy_of(analysis, next(f for f in analysis.findings.values() if f.code == code))
    assert remedy is not None
    assert remedy.label == label


def test_a_setting_that_nobody_knows_is_taken_away() -> None:
    plant = held(hall("di-16"), Module, settings={"nonsense": 1})
    analysis = analyse(plant, BUILTIN)
    remedy = remedy_of(analysis, next(f for f in analysis.findings.values() if f.code == "HW-111"))
    assert remedy is not None
    assert remedy.edit is not None
    assert apply(plant, BUILTIN, remedy.edit).plant.all(Module)[0].settings == {}
