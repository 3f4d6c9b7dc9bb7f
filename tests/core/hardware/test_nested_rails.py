"""Rails that hang on modules: made and taken away with them, laid out within them, and never in a circle."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import pytest

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.types import Catalogue, Slots
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import modules_behind, root_of
from highmoor.core.networks.blocks import Block, SeatedModule, Spot, followed, with_nested
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Module, Rail
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.clips import clip_of
from highmoor.core.project.exchange_format import BadFile, export_plant, parse_plant
from highmoor.core.project.undo import inverse_on
from tests.core.plants import hall

DI = BUILTIN.types["tarnfell.di-16"]
CARRIER = replace(DI, key="test.carrier", name="Carrier", rail=Slots(addressed=False, covers=False, places=(4,)))
TYPES = Catalogue({**BUILTIN.types, CARRIER.key: CARRIER})


def done(plant: Plant, *steps: Any) -> Plant:
    return apply(plant, TYPES, edits.Batch(edits=list(steps))).plant


def carriers(plant: Plant) -> list[Module]:
    return [module for module in plant.all(Module) if module.type == CARRIER.key]


def own_rail(plant: Plant, module: Module) -> Rail:
    return plant.children(Rail, module.id)[0]


def two() -> Plant:
    """A controller with two carriers on its rail, a digital input module on the first."""
    plant = hall()
    local = plant.all(Rail)[0].id
    plant = done(plant, *(edits.InsertModules(rail=local, type=CARRIER.key) for _ in range(2)))
    return done(plant, edits.InsertModules(rail=own_rail(plant, carriers(plant)[0]).id, type=DI.key))


def test_a_module_that_carries_others_comes_and_goes_with_its_rail() -> None:
    plant = two()
    first, second = carriers(plant)
    assert (own_rail(plant, first).places, own_rail(plant, second).places) == (4, 4)
    controller = plant.all(Controller)[0]
    inner = plant.children(Module, own_rail(plant, first).id)[0]
    order = [m.id for m in modules_behind(plant, controller.id)]
    assert order[order.index(first.id) + 1] == inner.id
    root = root_of(plant.find, own_rail(plant, first))
    assert (root.row, root.within, root.station) == (controller, first.id, "")

    plain = done(plant, edits.ReplaceModule(id=first.id, type=DI.key))
    assert plain.find(inner.id) is None
    assert plain.children(Rail, first.id) == []
    assert own_rail(done(plain, edits.ReplaceModule(id=first.id, type=CARRIER.key)), first).places == 4
    assert done(plant, edits.Remove(ids=[first.id])).find(inner.id) is None


@pytest.mark.parametrize("copied", ["clip", "duplicate"])
def test_a_copy_has_what_hangs_on_the_original(copied: str) -> None:
    plant = two()
    first = carriers(plant)[0]
    if copied == "duplicate":
        after = done(plant, edits.Duplicate(id=first.id))
    else:
        after = done(plant, edits.Paste(clip=clip_of(plant, [first.id]), into=plant.all(Rail)[0].id))
    new = next(m for m in carriers(after) if plant.find(m.id) is None)
    assert new.rail == first.rail
    assert [m.type for m in after.children(Module, own_rail(after, new).id)] == [DI.key]
    assert len(after.children(Rail, new.id)) == 1


def test_its_octets_are_those_of_what_it_hangs_on() -> None:
    plant = two()
    first = carriers(plant)[0]
    inner = plant.children(Module, own_rail(plant, first).id)[0]
    analysis = analyse(plant, TYPES)
    image = analysis.result("controller.image", plant.all(Controller)[0].id)
    assert image.item(inner.id, "in") is None
    outer, held = (analysis.result("module.channels", module.id) for module in (first, inner))
    assert held.channels[3].written == outer.channels[3].written != ""


def test_inner_modules_lie_one_behind_the_other_and_beyond_the_last_octet_nowhere() -> None:
    """A carrier of two octets holds a carrier, itself with one inside, and a third module that finds no room."""
    deepest, third = SeatedModule("m3", DI), SeatedModule("m4", DI)
    outer = SeatedModule("m1", CARRIER, (SeatedModule("m2", CARRIER, (deepest,)), third))
    laid = Block("m1", "in", (Spot("x1", 6), Spot("x1", 5)))
    blocks = followed(with_nested([laid], [outer]))
    assert blocks["m2.in"].spots == blocks["m3.in"].spots == (Spot("x1", 6), Spot("x1", 5))
    assert blocks["m4.in"].spots == (None, None)
    # What a fieldbus lays itself stays where it laid it.
    own = Block("m3", "in", (Spot("x2", 0), Spot("x2", 1)))
    assert followed(with_nested([laid, own], [outer]))["m3.in"].spots == own.spots


def test_nothing_hangs_on_itself_whichever_way_it_is_tried() -> None:
    plant = two()
    first, second = carriers(plant)
    moves = [
        edits.MoveModules(ids=[one.id], rail=own_rail(plant, other).id)
        for one, other in ((first, second), (second, first))
    ]
    for steps in (moves, [edits.MoveModules(ids=[first.id], rail=own_rail(plant, first).id)]):
        with pytest.raises(Refusal, match="hangs nowhere"):
            done(plant, *steps)

    file = export_plant(plant, TYPES.find)
    next(r for r in file["rails"] if r["head"] == first.id)["head"] = second.id
    next(m for m in file["modules"] if m["id"] == second.id)["rail"] = own_rail(plant, first).id
    with pytest.raises(BadFile, match="hangs nowhere"):
        parse_plant(json.dumps(file).encode())

    # One was taken off the other, which then came to hang on it: the first cannot be taken back.
    onto = apply(plant, TYPES, moves[0])
    off = apply(onto.plant, TYPES, edits.MoveModules(ids=[first.id], rail=second.rail))
    now = apply(off.plant, TYPES, moves[1]).plant
    inverse = inverse_on(now, off.change)
    assert [overlap.field for overlap in inverse.overlaps] == ["rail"]
    assert now.patched(inverse.change).get(first.id, Module).rail == first.rail
