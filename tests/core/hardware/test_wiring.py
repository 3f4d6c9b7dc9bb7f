"""What is wired to modules: each check with a case that is right and one that is wrong, and the rules by hand."""

from __future__ import annotations

import dataclasses
from typing import Any

import pytest

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.reading.families import read_octets
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.errors import Refusal
from highmoor.core.hardware.wiring import burden_limit_ohm, cable_ohm, far_end_v
from highmoor.core.parts import analyse
from highmoor.core.plant.change import Change
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.ranks import ranks_between
from highmoor.core.plant.rows import Controller, Facts, Module, Network, Port, Rail, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.remedies import remedy_of
from tests.core.plants import hall
from tests.paths import DEMO


def with_values(plant: Plant, kind: type[Any], n: int, **values: Any) -> Plant:
    row = plant.all(kind)[n]
    paths = {key.replace("__", "."): value for key, value in values.items()}
    return apply(plant, BUILTIN, edits.SetFields(ids=[row.id], values=paths)).plant


def channel(plant: Plant, key: str, n: int = 0, **values: Any) -> Plant:
    return with_values(
        plant, Module, n, **{f"settings__channels__{key}__{name}": value for name, value in values.items()}
    )


def linked(plant: Plant, count: int, key: str = "ch0", n: int = 0) -> Plant:
    module = plant.all(Module)[n]
    run = edits.AddSignals(
        controller=plant.all(Controller)[0].id,
        pattern=f"S{n}x{{n}}",
        count=count,
        place=module.id,
        key=key,
        type="BOOL",
    )
    return apply(plant, BUILTIN, run).plant


def codes(plant: Plant) -> set[str]:
    return {found.code for found in analyse(plant, BUILTIN).findings.values()}


def mended(plant: Plant, code: str) -> Plant:
    analysis = analyse(plant, BUILTIN)
    found = next(f for f in analysis.findings.values() if f.code == code)
    remedy = remedy_of(analysis, found)
    assert remedy is not None, code
    assert remedy.edit is not None, remedy.label
    return apply(plant, BUILTIN, remedy.edit).plant


def test_copper_by_hand() -> None:
    # 100 m of 1.5 mm²: 2 · 100 · 0.0175 / 1.5 = 2.333 Ω; 0.5 A through it leaves 24 − 1.167 V.
    assert cable_ohm(100, 1.5) == pytest.approx(2.3333, abs=1e-4)
    assert cable_ohm(100, 1.5, 70) == pytest.approx(2.3333 * 1.1965, abs=1e-3)
    assert far_end_v(24, 100, 1.5, 500) == pytest.approx(22.8333, abs=1e-4)
    # (20.4 − 12) V / 21 mA.
    assert burden_limit_ohm(20.4, 12) == pytest.approx(400)


RIGHT_AND_WRONG = [
    ("HW-403", "do-16", {"load_ma": 500}, {"load_ma": 501}),
    ("HW-405", "di-16", {"sensor": "pnp"}, {"sensor": "npn"}),
    ("HW-406", "di-16", {"leakage_ma": 1.5}, {"leakage_ma": 1.6}),
    # 23.5 V − 2 · L · 0.5 A · 0.0175 / 0.5: 21.6 V are reached at 54.28 m.
    ("HW-407", "do-16", {"length_m": 54, "area_mm2": 0.5, "load_ma": 500, "min_v": 21.6},
     {"length_m": 55, "area_mm2": 0.5, "load_ma": 500, "min_v": 21.6}),
    # The loop bears (20.4 − 15) / 0.021 = 257.1 Ω; the input has 120.
    ("HW-408", "ai-8", {"transmitter_v": 15, "barrier_ohm": 137}, {"transmitter_v": 15, "barrier_ohm": 138}),
    ("HW-409", "do-16", {"use": "pulse", "frequency_hz": 20_000}, {"use": "pulse", "frequency_hz": 20_001}),
    ("HW-410", "do-16", {"common": "minus"}, {"common": "plus"}),
    ("HW-410", "do-8n", {"common": "plus"}, {"common": "minus"}),
]  # fmt: skip


@pytest.mark.parametrize(
    ("fuse", "least_ma", "over"),
    [(None, 10000, False), (10, 10000, False), (6.3, 6300, False), (4, 4000, False), (2, 2000, True)],
)
def test_a_feed_in_bears_what_it_gives_or_its_fuse(fuse: float | None, least_ma: float, over: bool) -> None:
    """It has a fuse of 10 A unless another is chosen; behind it stand 32 channels of 120 mA."""
    plant = hall("do-16", "ff-10", "do-16", "do-16")
    for n in (0, 2, 3):
        plant = linked(plant, 16, n=n)
    if fuse is not None:
        plant = with_values(plant, Module, 1, settings__fuse_a=fuse)
    before, behind = analyse(plant, BUILTIN).result("rail.field", plant.all(Rail)[0].id).groups
    assert (before.first_slot, before.last_slot, before.load_ma, before.fuse_ma) == (0, 1, 1920, None)
    assert (behind.first_slot, behind.last_slot, behind.load_ma) == (2, 4, 3840)
    assert (behind.fuse_ma, behind.least_ma, behind.over) == (1000 * (fuse or 10), least_ma, over)


@pytest.mark.parametrize(("code", "module", "right", "wrong"), RIGHT_AND_WRONG)
def test_a_channel_is_right_and_one_step_on_it_is_wrong(code: str, module: str, right: Any, wrong: Any) -> None:
    assert code not in codes(channel(hall(module), "ch0", **right))
    assert code in codes(channel(hall(module), "ch0", **wrong))


def test_pulse_and_direction_belong_together() -> None:
    pulse = channel(hall("do-16"), "ch2", use="pulse")
    assert "HW-409" not in codes(channel(pulse, "ch3", use="direction"))
    assert "HW-409" in codes(channel(pulse, "ch1", use="direction"))
    assert "HW-409" in codes(channel(hall("do-16"), "ch5", use="pulse"))
    assert "HW-409" in codes(channel(hall("do-16"), "ch3", use="direction"))


def test_a_group_bears_less_than_its_channels_together() -> None:
    plant = hall("do-16")
    for n in range(4):
        plant = channel(plant, f"ch{n}", load_ma=500)
    assert "HW-404" not in codes(plant)
    assert "HW-404" in codes(channel(plant, "ch4", load_ma=1))


def test_a_field_group_over_its_limit_gets_a_feed_in() -> None:
    plant = hall("do-16", "do-16", "do-16", "do-16")
    for n in range(4):
        plant = linked(plant, 16, n=n)
    group = analyse(plant, BUILTIN).result("rail.field", plant.all(Rail)[0].id).groups[0]
    # 64 channels at 120 mA against 6 A of the head.
    assert (group.load_ma, group.limit_ma, group.first_slot, group.last_slot) == (7680, 6000, 0, 4)
    assert "HW-401" in codes(plant)
    after = mended(plant, "HW-401")
    assert "HW-401" not in codes(after)
    groups = analyse(after, BUILTIN).result("rail.field", after.all(Rail)[0].id).groups
    assert [(g.first_slot, g.last_slot, g.load_ma) for g in groups] == [(0, 3, 5760), (4, 5, 1920)]
    # Half of it at the same time needs no feed-in.
    assert "HW-401" not in codes(with_values(plant, Rail, 0, settings__simultaneity=50))


def test_a_fuse_smaller_than_the_load_is_told_and_a_larger_one_offered() -> None:
    plant = with_values(linked(hall("do-16"), 16), Rail, 0, settings__fuse_a="1.9 A")
    assert "HW-402" in codes(plant)
    assert "HW-402" not in codes(mended(plant, "HW-402"))
    # A fuse above what the supply bears would protect nothing: none is offered.
    heavy = hall(*["do-16"] * 4)
    for n in range(4):
        heavy = linked(heavy, 16, n=n)
    analysis = analyse(with_values(heavy, Rail, 0, settings__fuse_a=6), BUILTIN)
    assert remedy_of(analysis, next(f for f in analysis.findings.values() if f.code == "HW-402")) is None


@pytest.mark.parametrize(
    ("code", "plant"),
    [
        ("HW-405", channel(hall("di-16"), "ch0", sensor="npn")),
        ("HW-407", channel(hall("do-16"), "ch0", length_m=80, area_mm2=0.5, load_ma=500, min_v=21.6)),
        ("HW-408", channel(hall("ai-8"), "ch0", transmitter_v=16, length_m=500, area_mm2=0.14)),
        ("HW-410", channel(hall("do-16"), "ch0", common="plus")),
        ("HW-411", linked(hall("ai-8"), 3)),
        ("HW-413", channel(hall("ai-4t"), "ch0", leads=2, length_m=20, area_mm2=1.5)),
        ("HW-412", channel(linked(hall("ai-8"), 1), "ch0", range="0-20mA")),
    ],
)
def test_a_remedy_mends_its_finding(code: str, plant: Plant) -> None:
    assert code in codes(plant)
    assert code not in codes(mended(plant, code))


@pytest.mark.parametrize(
    ("kind", "leads", "kelvin"),
    [
        # Copper of 0.0175 Ω mm²/m, both ways: 100 m of 0.5 mm² are 7 Ω.
        ("pt100", 2, 7 / 0.385),
        ("pt1000", 2, 7 / 3.85),
        ("pt100", 3, None),
        ("pt100", 4, None),
    ],
)
def test_two_leads_are_read_as_temperature(kind: str, leads: int, kelvin: float | None) -> None:
    plant = channel(linked(hall("ai-4t"), 4), "ch2", range=kind, leads=leads, length_m=100, area_mm2=0.5)
    told = analyse(plant, BUILTIN).result("module.wiring", plant.all(Module)[0].id).channels
    assert [one.reads_high_k for one in told] == [pytest.approx(kelvin, rel=0.02) if kelvin else None]
    assert ("HW-413" in codes(plant)) == (kelvin is not None)


@pytest.mark.parametrize(
    ("kind", "blind"),
    [("0-10V", True), ("10V-mV", True), ("0-20mA", True), ("4-20mA", False), ("1-5V", False), ("1-5V-mV", False)],
)
def test_only_a_signal_that_never_is_zero_tells_a_broken_wire(kind: str, blind: bool) -> None:
    watched = channel(linked(hall("ai-4v"), 1), "ch0", range=kind, supervise=True)
    assert ("HW-412" in codes(watched)) == blind
    assert "HW-412" not in codes(channel(hall("ai-4v"), "ch0", range=kind, supervise=True))
    assert "HW-412" not in codes(channel(linked(hall("ai-4v"), 1), "ch0", range=kind))
    assert "HW-412" not in codes(linked(hall("ai-4k"), 4))


def test_an_unused_module_is_not_blamed_for_its_supervision() -> None:
    assert "HW-411" not in codes(hall("ai-8"))


def test_heat_over_what_the_cabinet_bears() -> None:
    # TF-42 gives 9.5 W, DI-16 1.6 W.
    assert "HW-115" not in codes(with_values(hall("di-16"), Rail, 0, settings__heat_limit_w=11.1))
    assert "HW-115" in codes(with_values(hall("di-16"), Rail, 0, settings__heat_limit_w=11))


def test_a_module_of_the_wrong_slot_or_revision() -> None:
    assert "HW-112" not in codes(hall(*["di-16"] * 11, "ser-2", places=16))
    assert "HW-112" in codes(hall(*["di-16"] * 12, "ser-2", places=16))
    plant = hall("ai-8")
    module = plant.all(Module)[0]
    assert "HW-114" not in codes(with_values(plant, Module, 0, revision="2.0"))
    old = dataclasses.replace(module, revision="1.0")
    stale = plant.patched(Change({("modules", module.id): (module, old)}))
    assert "HW-114" in codes(stale)
    assert "HW-114" not in codes(mended(stale, "HW-114"))


def test_a_signal_on_a_remote_rail_says_that_nothing_carries_it() -> None:
    plant = hall()
    port = plant.all(Port)[0].id
    steps = edits.Batch(
        edits=[
            edits.AddNetwork(fieldbus="modbus-tcp", port=port, tag="$n"),
            edits.AddStation(network="$n", type="tarnfell.tc-16"),
        ]
    )
    plant = apply(plant, BUILTIN, steps).plant
    remote = next(rail for rail in plant.all(Rail) if rail.head.startswith("s"))
    assert remote.places == 16
    plant = apply(plant, BUILTIN, edits.InsertModules(rail=remote.id, type="tarnfell.di-16")).plant
    plant = linked(plant, 2)
    assert {code for code in codes(plant) if code.startswith("SIG")} == {"SIG-111"}
    power = analyse(plant, BUILTIN).result("rail.power", remote.id)
    assert (power.supply_ma, power.end_ma) == (900, 810)


TR16 = read_octets((DEMO / "tr16.gsd").read_bytes(), "tr16.gsd").devices[0]
TR16_KEY = pinned_key(TR16.key, "b" * 64, 1)
FILES = Catalogue(BUILTIN.types, lambda key: dataclasses.replace(TR16, key=TR16_KEY) if key == TR16_KEY else None)


def remote(*modules: str) -> Plant:
    """A station of the TR-16's file with these modules on its rail, as its network will once carry it."""
    ranks = ranks_between("", "", len(modules))
    rows: list[Any] = [
        Facts("p0", "Test"),
        Network("n1", "profibus-dp", "Steep house", "V"),
        Station("s1", "n1", "Remote", TR16_KEY, "V"),
        Rail("r1", "s1", "Rail", "V", 16),
        *(Module(f"m{n}", "r1", key, rank) for n, (key, rank) in enumerate(zip(modules, ranks, strict=True))),
    ]
    return Plant.of(rows, 100)


def hardware_codes(plant: Plant) -> set[str]:
    return {found.code for found in analyse(plant, FILES).findings.values() if found.code.startswith("HW-1")}


def test_a_remote_rail_takes_the_modules_of_its_own_file_in_the_slots_the_file_allows() -> None:
    good = remote(f"{TR16_KEY}/m1", f"{TR16_KEY}/m3", f"{TR16_KEY}/m5")
    # m5 may stand in slots 1 and 3, not in 2.
    assert hardware_codes(good) == set()
    assert hardware_codes(remote(f"{TR16_KEY}/m1", f"{TR16_KEY}/m5")) == {"HW-112"}
    assert hardware_codes(remote("tarnfell.di-16")) == {"HW-116"}
    assert "HW-116" in {f.code for f in analyse(apply_type(hall("di-16"), f"{TR16_KEY}/m1"), FILES).findings.values()}
    assert hardware_codes(remote(f"{TR16_KEY}/m9")) == {"HW-104"}
    # Seventeen analogue modules: 136 octets in, 128 allowed; and one place too few.
    assert {"HW-117", "HW-103"} <= hardware_codes(remote(*[f"{TR16_KEY}/m3"] * 17))
    power = analyse(good, FILES).result("rail.power", "r1")
    assert not power.known


def apply_type(plant: Plant, key: str) -> Plant:
    module = plant.all(Module)[0]
    return plant.patched(Change({("modules", module.id): (module, dataclasses.replace(module, type=key))}))


def test_parameters_of_a_file_are_held_to_its_ranges() -> None:
    plant = remote(f"{TR16_KEY}/m3")

    def after(**values: Any) -> Plant:
        edit = edits.SetFields(ids=["m0"], values={f"settings.{key}": value for key, value in values.items()})
        return apply(plant, FILES, edit).plant

    assert after(p5_2=6).get("m0", Module).settings == {"p5_2": 6}
    assert after(p6_6="-100").get("m0", Module).settings == {"p6_6": -100}
    for key, value in (("p5_2", 4), ("p6_6", 27649), ("p9_9", 1)):
        with pytest.raises(Refusal):
            after(**{key: value})


def test_a_type_without_an_order_number_is_told() -> None:
    nameless = dataclasses.replace(BUILTIN.types["tarnfell.di-16"], order_number="")
    catalogue = Catalogue({**BUILTIN.types, "tarnfell.di-16": nameless})
    assert "HW-119" in {f.code for f in analyse(hall("di-16"), catalogue).findings.values()}
    assert "HW-119" not in codes(hall("di-16"))


def test_a_safe_output_stands_behind_the_safe_input_that_tests_it() -> None:
    assert "HW-113" in codes(hall("so-4", "si-8"))
    assert "HW-113" not in codes(hall("si-8", "di-16", "so-4"))
