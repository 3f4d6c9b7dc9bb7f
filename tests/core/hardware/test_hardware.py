"""Rails, slots, addresses: by tables of cases and by hand."""

from __future__ import annotations

from ipaddress import IPv4Address, IPv4Network
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.hardware.ethernet import host_in_network_problem, next_free, parse_address, parse_mask
from highmoor.core.parts import CHECKS, analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Exchange, Link, Module, Port, Rail, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.consequences import preview
from highmoor.core.project.demand import demand_of
from tests.core.plants import built, hall


def codes(plant: Plant) -> list[str]:
    return sorted(found.code for found in analyse(plant, BUILTIN).findings.values())


def order(plant: Plant) -> list[str]:
    rail = plant.all(Rail)[0]
    return [m.type.removeprefix("tarnfell.") for m in plant.children(Module, rail.id)]


def edited(plant: Plant, *steps: edits.Edit) -> Plant:
    for step in steps:
        plant = apply(plant, BUILTIN, step).plant
    return plant


@pytest.mark.parametrize("text", ["10.0.0.256", "10.0.0", "::1", "", "10.0.0.1/24", "0.0.0.0", "224.0.0.1", "127.0.0.1",
                                  "255.255.255.255", "240.0.0.1", "0.1.2.3"])  # fmt: skip
def test_what_can_be_no_host_is_refused(text: str) -> None:
    with pytest.raises(Refusal):
        parse_address(text)


@pytest.mark.parametrize(
    ("typed", "mask"),
    [("255.255.255.0", "255.255.255.0"), ("/24", "255.255.255.0"), ("16", "255.255.0.0"), ("/31", "255.255.255.254")],
)
def test_masks(typed: str, mask: str) -> None:
    assert parse_mask(typed) == mask


@pytest.mark.parametrize("typed", ["255.0.255.0", "0.0.0.0", "/33", "255.255.255", "0.255.255.255"])
def test_masks_with_holes_are_refused(typed: str) -> None:
    with pytest.raises(Refusal):
        parse_mask(typed)


@pytest.mark.parametrize(
    ("host", "net", "says"),
    [("10.0.0.0", "10.0.0.0/24", "network"), ("10.0.0.255", "10.0.0.0/24", "broadcast"),
     ("10.0.0.0", "10.0.0.0/31", ""),
     ("10.0.0.1", "10.0.0.0/31", ""), ("10.0.0.7", "10.0.0.7/32", ""), ("10.0.1.1", "10.0.0.0/24", "outside")],
)  # fmt: skip
def test_hosts_of_a_network(host: str, net: str, says: str) -> None:
    problem = host_in_network_problem(IPv4Address(host), IPv4Network(net))
    assert (says in problem) if says else problem == ""


@given(st.sets(st.integers(0, 31)), st.integers(1, 6))
def test_a_free_block_is_the_first_that_fits(used: set[int], count: int) -> None:
    net = IPv4Network("10.0.0.0/27")
    base = int(net.network_address)
    found = [int(a) - base for a in next_free(net, [IPv4Address(base + n) for n in used], count)]
    free = [n for n in range(1, 31) if n not in used]
    runs = [n for n in free if all(n + k in free for k in range(count))]
    assert found == ([runs[0] + k for k in range(count)] if runs else [])


def test_the_hall_rail_is_filled_to_twenty_milliamps_and_one_more_is_short() -> None:
    plant = demo_plant()
    rail = plant.children(Rail, next(c for c in plant.all(Controller) if c.name == "HALL").id)[0]
    analysis = analyse(plant, BUILTIN)
    power = analysis.result("rail.power", rail.id)
    left = [step.left_ma for step in power.steps[:12]]
    assert left == [1610, 1520, 1380, 1070, 860, 630, 1200, 940, 710, 520, 360, 20]
    verdict = demand_of(analysis, rail.id).judge(BUILTIN.types["tarnfell.ai-8"])
    assert (verdict.left, verdict.fails) == (-290, ("power",))
    applied, result = preview(analysis, edits.InsertModules(rail=rail.id, type="tarnfell.ai-8"), [rail.id])
    assert result.figures[0].crossed
    assert (result.figures[0].before, result.figures[0].after) == (20, -290)
    assert analyse(applied.plant, BUILTIN).result("rail.power", rail.id).lowest_ma == -290
    assert {found.code for found in result.added} == {"HW-101", "HW-102"}


def test_a_full_rail_gives_up_its_last_cover_and_behind_the_last_is_before_the_covers() -> None:
    plant = hall("di-16", "cv-1", "cv-1", places=8)
    rail = plant.all(Rail)[0].id
    plant = edited(plant, edits.InsertModules(rail=rail, type="tarnfell.do-16", count=6))
    assert order(plant) == ["di-16", *["do-16"] * 6, "cv-1"]
    assert "HW-103" not in codes(plant)
    assert "HW-103" in codes(edited(plant, edits.InsertModules(rail=rail, type="tarnfell.do-16", count=2)))


def test_moving_several_keeps_their_order() -> None:
    plant = hall("di-16", "do-16", "ai-8", "ao-4", "ser-2")
    rail = plant.all(Rail)[0].id
    ids = [m.id for m in plant.children(Module, rail)]
    assert order(edited(plant, edits.MoveModules(ids=[ids[3], ids[4]], rail=rail, before=ids[1]))) == [
        "di-16", "ao-4", "ser-2", "do-16", "ai-8"
    ]  # fmt: skip
    assert order(edited(plant, edits.MoveModules(ids=[ids[0]], rail=rail, before=None)))[-1] == "di-16"
    assert edited(plant, edits.MoveModules(ids=ids[:1], rail=rail, before=ids[0])).tables == plant.tables


def tf21(*slots: tuple[str, int]) -> Plant:
    return built(
        edits.Batch(
            edits=[
                edits.AddController(type="tarnfell.tf-21", name="KILN", rail_tag="$r"),
                *(edits.InsertModules(rail="$r", type=f"tarnfell.{kind}", slot=slot) for kind, slot in slots),
            ]
        )
    )


def slots(plant: Plant) -> dict[int | None, str]:
    return {m.slot: m.type.removeprefix("tarnfell.") for m in plant.all(Module)}


def test_addressed_slots_may_have_gaps_and_need_no_covers() -> None:
    plant = tf21(("di-16", 1), ("do-16", 5))
    assert slots(plant) == {1: "di-16", 5: "do-16"}
    assert codes(plant) == []
    rail = plant.all(Rail)[0].id
    # Who sits there moves up to the next gap, and no further.
    assert slots(edited(plant, edits.InsertModules(rail=rail, type="tarnfell.ai-8", slot=1))) == {
        1: "ai-8", 2: "di-16", 5: "do-16"
    }  # fmt: skip
    full = edited(plant, edits.InsertModules(rail=rail, type="tarnfell.ser-2", count=6))
    with pytest.raises(Refusal, match="No free slot"):
        apply(full, BUILTIN, edits.InsertModules(rail=rail, type="tarnfell.ai-8", slot=1))


def test_replacing_keeps_the_links_of_channels_that_still_exist() -> None:
    plant = hall("ai-8")
    controller, module = plant.all(Controller)[0].id, plant.all(Module)[0].id
    plant = edited(
        plant,
        edits.AddSignals(controller=controller, pattern="S{n}", count=8, type="INT", place=module, key="ch0"),
        edits.SetFields(ids=[module], values={"settings.channels.ch0.range": "0-20mA"}),
        edits.ReplaceModule(id=module, type="tarnfell.ai-4t"),
    )
    assert sorted(link.key for link in plant.all(Link)) == ["ch0", "ch1", "ch2", "ch3"]
    assert len(plant.all(Signal)) == 8
    assert plant.get(module, Module).settings == {}
    assert plant.all(Link)[0].place == module


def test_removing_takes_what_is_owned_and_clears_what_refers() -> None:
    plant = demo_plant()
    hall_ = next(c for c in plant.all(Controller) if c.name == "HALL")
    after = edited(plant, edits.Remove(ids=[hall_.id]))
    assert {s.controller for s in after.all(Signal)} == {c.id for c in after.all(Controller)}
    assert [n for n in codes(after) if n.startswith("NET")] == 4 * ["NET-103"]
    assert len(after.all(Station)) == len(plant.all(Station))
    ids = {row.id for row in after.rows()}
    assert all(link.place in ids and link.signal in ids for link in after.all(Link))


def test_a_duplicated_station_comes_with_its_exchanges_and_an_address_of_its_own() -> None:
    plant = demo_plant()
    skid = next(s for s in plant.all(Station) if s.name == "Humidifier")
    after = edited(plant, edits.Duplicate(id=skid.id))
    copy = next(s for s in after.all(Station) if s.name == "Humidifier2")
    assert copy.address == "10.20.9.2"
    assert len(after.all(Exchange)) == len(plant.all(Exchange)) + 2
    assert codes(after) == codes(plant)


CASES: list[tuple[str, Any, dict[str, Any]]] = [
    ("HW-102", Rail, {"places": 16}),
    ("HW-106", Controller, {"firmware": "1.0"}),
    ("HW-203", Port, {"address": "10.0.0.255"}),
    ("HW-204", Port, {"gateway": "10.9.9.9"}),
    ("HW-204", Port, {"gateway": "10.0.0.1"}),
    ("HW-206", Port, {"method": "dhcp"}),
    ("HW-207", Port, {"address": "169.254.3.4"}),
    ("HW-303", Module, {"pin_in": 2}),
]


@pytest.mark.parametrize(("code", "kind", "values"), CASES)
def test_each_finding_has_its_cause(code: str, kind: Any, values: dict[str, Any]) -> None:
    import dataclasses

    plant = hall("di-16", *["cv-1"] * 11)
    assert code not in codes(plant)
    row = plant.all(kind)[0]
    rows = [dataclasses.replace(r, **values) if r.id == row.id else r for r in plant.rows()]
    assert code in codes(Plant.of(rows, plant.counter))


def test_every_check_tells_what_why_and_has_a_code_of_its_own() -> None:
    import re

    assert len({check.code for check in CHECKS}) == len(CHECKS)
    for check in CHECKS:
        assert re.fullmatch(r"(HW|NET|IOL|SIG|SAF|MOT)-\d{3}", check.code)
        assert check.title
        assert check.reason.endswith(".")
        assert check.text.endswith(".")


@settings(max_examples=60)
@given(
    st.lists(st.sampled_from(["di-16", "do-16", "ai-8", "ao-4", "fi-12", "ff-10", "cv-1"]), max_size=10),
    st.sampled_from(["di-16", "ai-8", "fi-12", "ff-10", "ser-2"]),
    st.integers(0, 10),
)
def test_what_a_place_leaves_is_what_placing_leaves(modules: list[str], wanted: str, at: int) -> None:
    plant = hall(*modules, places=16)
    rail = plant.all(Rail)[0].id
    fitted = plant.children(Module, rail)
    before = fitted[at].id if at < len(fitted) and fitted[at].type != "tarnfell.cv-1" else None
    analysis = analyse(plant, BUILTIN)
    verdict = demand_of(analysis, rail, before).judge(BUILTIN.types[f"tarnfell.{wanted}"])
    edit = edits.InsertModules(rail=rail, type=f"tarnfell.{wanted}", before=before)
    after = analyse(apply(plant, BUILTIN, edit).plant, BUILTIN).result("rail.power", rail)
    assert verdict.left == after.lowest_ma
    assert ("power" in verdict.fails) == (after.lowest_ma < 0)
    if before:
        verdict = demand_of(analysis, rail, instead=before).judge(BUILTIN.types[f"tarnfell.{wanted}"])
        replaced = edits.ReplaceModule(id=before, type=f"tarnfell.{wanted}")
        after = analyse(apply(plant, BUILTIN, replaced).plant, BUILTIN).result("rail.power", rail)
        assert (verdict.left, "power" in verdict.fails) == (after.lowest_ma, after.lowest_ma < 0)


def test_on_a_full_rail_a_module_can_be_replaced_but_none_added() -> None:
    plant = hall(*["di-16"] * 8, places=8)
    analysis, rail = analyse(plant, BUILTIN), plant.all(Rail)[0].id
    device, first = BUILTIN.types["tarnfell.do-16"], plant.all(Module)[0].id
    assert demand_of(analysis, rail, first).judge(device).fails == ("place",)
    assert demand_of(analysis, rail, instead=first).judge(device).fails == ()
