"""Replicating, pasting, room for more: checked against making the copies and counting."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, CommandProfile, Exchange, Link, Module, Network, Rail, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.clips import clip_of
from highmoor.core.project.replicate import plan_replicas
from highmoor.core.project.room import room_for
from tests.core.motion.axes import lift
from tests.core.motion.plain_words import plain
from tests.core.plants import hall

PLANT = demo_plant()
HUMIDIFIER = next(s for s in PLANT.all(Station) if s.name == "Humidifier")


def replicated(plant: Plant, row_id: str, **more: object) -> Plant:
    return apply(plant, BUILTIN, edits.Replicate(id=row_id, **more)).plant  # type: ignore[arg-type]


def test_a_station_comes_with_exchanges_signals_and_links() -> None:
    after = replicated(PLANT, HUMIDIFIER.id, count=2)
    copy = next(s for s in after.all(Station) if s.name == "Humidifier3")
    exchanges = {
        x.id: x
        for c in after.tables["connections"].values()
        if c.station == copy.id
        for x in after.children(Exchange, c.id)
    }
    assert [x.name for x in exchanges.values()] == ["Measured", "Commands"]
    links = [link for link in after.all(Link) if link.place in exchanges]
    names = {after.get(link.signal, Signal).name for link in links}
    originals = {x.id for x in PLANT.all(Exchange) if PLANT.get(x.connection).station == HUMIDIFIER.id}
    expected = {PLANT.get(link.signal, Signal).name for link in PLANT.all(Link) if link.place in originals}
    # HumiditySetpoint does not bear the station's name and has no number: it is counted by its copy.
    assert names == {
        name.replace("Humidifier", "Humidifier3") if "Humidifier" in name else f"{name}3" for name in expected
    }
    assert {f.code for f in analyse(after, BUILTIN).findings.values()} <= {
        f.code for f in analyse(PLANT, BUILTIN).findings.values()
    }


def test_runs_of_signals_go_on_where_they_end() -> None:
    module = next(m for m in PLANT.all(Module) if m.designation == "-K3")
    plan = plan_replicas(PLANT, BUILTIN, edits.Replicate(id=module.id, count=2))
    texts = {row.original: [cell.text for cell in row.cells] for row in plan.rows}
    assert texts["Tank1FillValve"] == ["Tank5FillValve", "Tank9FillValve"]
    assert texts["Bed6SprayValve"] == ["Bed12SprayValve", "Bed18SprayValve"]
    assert texts["-K3"] == ["-K13", "-K14"]


def test_leaving_out_and_overriding() -> None:
    names = {f"{HUMIDIFIER.id}.1": "Skid"}
    commands = next(x.id for x in PLANT.all(Exchange) if x.name == "Commands")
    after = replicated(PLANT, HUMIDIFIER.id, names=names, leave_out=[commands])
    skid = next(s for s in after.all(Station) if s.name == "Skid")
    kept = [
        x.name
        for c in after.tables["connections"].values()
        if c.station == skid.id
        for x in after.children(Exchange, c.id)
    ]
    assert kept == ["Measured"]
    assert any(s.name == "SkidRunning" for s in after.all(Signal))
    assert not any(s.name == "SkidStart" for s in after.all(Signal))


@pytest.mark.parametrize(
    "more", [{"pattern": "Compressor"}, {"pattern": "X{n}", "names": {f"{HUMIDIFIER.id}.1": "Compressor"}}]
)
def test_a_taken_name_is_named_and_nothing_is_made(more: dict[str, object]) -> None:
    with pytest.raises(Refusal, match="Compressor is taken already, by Compressor"):
        replicated(PLANT, HUMIDIFIER.id, **more)


@settings(max_examples=25)
@given(
    st.lists(st.sampled_from(["di-16", "do-16", "ai-8", "ao-4", "fi-12"]), min_size=1, max_size=7), st.integers(0, 6)
)
def test_as_many_fit_as_the_room_says_and_no_more(modules: list[str], at: int) -> None:
    plant = hall(*modules, places=16)
    module = plant.all(Module)[min(at, len(modules) - 1)]
    analysis = analyse(plant, BUILTIN)
    if any(line.over for line in analysis.headlines()):
        return
    room = room_for(analysis, module.id)
    assert room.more is not None
    full = replicated(plant, module.id, count=room.more) if room.more else plant
    assert not any(line.over for line in analyse(full, BUILTIN).headlines())
    beyond = analyse(replicated(plant, module.id, count=room.more + 1), BUILTIN)
    assert any(line.over for line in beyond.headlines())


def test_a_clip_of_modules_keeps_settings_and_order() -> None:
    plant = hall("di-16", "ai-8", "ao-4")
    first, second, _ = plant.all(Module)
    plant = apply(
        plant, BUILTIN, edits.SetFields(ids=[second.id], values={"settings.channels.ch2.range": "0-20mA"})
    ).plant
    clip = clip_of(plant, [second.id, first.id])
    rail = plant.all(Rail)[0].id
    after = apply(plant, BUILTIN, edits.Paste(clip=clip, into=rail)).plant
    kinds = [m.type.removeprefix("tarnfell.") for m in after.children(Module, rail)]
    assert kinds == ["di-16", "ai-8", "ao-4", "di-16", "ai-8"]
    assert after.children(Module, rail)[4].settings == {"channels": {"ch2": {"range": "0-20mA"}}}


def test_a_station_is_pasted_with_a_name_and_address_of_its_own() -> None:
    clip = clip_of(PLANT, [HUMIDIFIER.id])
    network = PLANT.all(Network)[0]
    after = apply(PLANT, BUILTIN, edits.Paste(clip=clip, into=network.id)).plant
    pasted = after.children(Station, network.id)[-1]
    assert (pasted.name, pasted.address) == ("Humidifier2", "10.20.9.2")
    with pytest.raises(Refusal, match="does not belong here"):
        apply(PLANT, BUILTIN, edits.Paste(clip=clip, into=PLANT.all(Rail)[0].id))


def test_a_command_profile_goes_to_another_plant_by_a_clip() -> None:
    plant = plain()
    axis = plant.all(Axis)[0]
    changed = apply(
        plant, BUILTIN, edits.SetFields(ids=[axis.profile or ""], values={"settings.words.target": "6"})
    ).plant
    clip = clip_of(changed, [axis.profile or ""])
    assert clip.kind == "profile"
    there = apply(lift(), BUILTIN, edits.Paste(clip=clip, into=lift().all(Axis)[0].id)).plant
    (pasted,) = there.all(CommandProfile)
    assert (pasted.base, pasted.settings) == ("words", {"words": {"target": "6"}})
    assert there.all(Axis)[0].profile == pasted.id
    # Once more it is the same one; beside another of its name it gets a name of its own.
    again = apply(there, BUILTIN, edits.Paste(clip=clip, into=there.all(Axis)[0].id)).plant
    assert again.all(CommandProfile) == [pasted]
    both = apply(plant, BUILTIN, edits.Paste(clip=clip, into=axis.id)).plant
    assert [row.name for row in both.all(CommandProfile)] == [pasted.name, f"{pasted.name} 2"]
    with pytest.raises(Refusal, match="does not belong here"):
        apply(plant, BUILTIN, edits.Paste(clip=clip, into=plant.all(Network)[0].id))


def test_a_second_line_on_one_port_is_no_room() -> None:
    """No figure runs out, but a port takes one line: the next one is wrong by itself."""
    burner = next(n for n in PLANT.all(Network) if n.name == "Burner")
    told = room_for(analyse(PLANT, BUILTIN), burner.id)
    assert told.more == 0
    assert "is on it as well" in told.refused
    # On Ethernet two networks share a port; there it is the connections that run out.
    utilities = next(n for n in PLANT.all(Network) if n.name == "Utilities")
    assert room_for(analyse(PLANT, BUILTIN), utilities.id).refused == ""
