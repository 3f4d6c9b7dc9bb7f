"""What can stand behind a coupler: the modules of its own internal bus, and nobody else's."""

from __future__ import annotations

import pytest

from highmoor.core.errors import Refusal
from highmoor.core.networks.ethercat.live import module_data
from highmoor.core.parts import analyse
from highmoor.core.plant.rows import Module, Rail, Signal
from highmoor.core.project import edits
from highmoor.core.project.demand import demand_of
from highmoor.core.signals.conversion import forms
from tests.core.networks.ethercat.turner import LIBRARY, TYPES, controller, do, line, named, put

PLANT = line("TE-1", "PG-3")
RAILS = {
    "controller": PLANT.children(Rail, controller(PLANT).id)[0].id,
    "coupler": PLANT.children(Rail, named(PLANT, "S1").id)[0].id,
    "gateway": PLANT.children(Rail, named(PLANT, "S2").id)[0].id,
}
TD16, DI16, LIGHT = TYPES["TD-16"], "tarnfell.di-16", f"{TYPES['PG-3']}/m0000a116"


@pytest.mark.parametrize(("rail", "fits"), [("coupler", TD16), ("controller", DI16), ("gateway", LIGHT)])
@pytest.mark.parametrize("module", [TD16, DI16, LIGHT])
def test_a_module_fits_the_rail_of_its_kind_alone(rail: str, fits: str, module: str) -> None:
    plant = do(PLANT, edits.InsertModules(rail=RAILS[rail], type=module))
    foreign = [f for f in analyse(plant, LIBRARY).findings.values() if f.code == "HW-116"]
    assert bool(foreign) == (module != fits)
    # What the list of types offers is what is then taken.
    device = LIBRARY.find(module)
    assert device is not None
    verdict = demand_of(analyse(PLANT, LIBRARY), RAILS[rail], None, None).judge(device)
    assert ("rail" in verdict.fails) == (module != fits)


@pytest.mark.parametrize(
    ("terminals", "typed", "raw"),
    [
        # 20 V are 65 535 counts from -32 768 on: (4.2 + 10) · 3276.75 - 32 768 = 13 761.85.
        ("bipolar-10v", "4.2 V", 13762),
        ("bipolar-10v", "-10 V", -32768),
        # 10 V are 32 767 counts: 4.2 · 3276.7 = 13 762.14.
        ("0-10v", "4,2 V", 13762),
        # 16 mA are 32 767 counts from 4 mA on: half way is 16 383.5, and halves go away from zero.
        ("4-20ma", "12 mA", 16384),
        ("0-20ma", "12 mA", 19660),
    ],
)
def test_what_is_at_the_terminals_is_counts_as_somebody_has_said(terminals: str, typed: str, raw: int) -> None:
    plant = line(("TE-1", ("TA-4",)))
    module = plant.all(Module)[0].id
    add = edits.AddSignals(
        controller=controller(plant).id, pattern="Level", place=module, key="i6000:11", type="REAL",
        scaling={"raw_lo": 0, "raw_hi": 32767, "lo": 0, "hi": 100, "raw_type": "INT"},
    )  # fmt: skip
    plant = do(plant, add)
    with pytest.raises(Refusal, match="no analogue channel"):
        forms(analyse(plant, LIBRARY), plant.all(Signal)[0].id, "electrical", "4")
    told = put(plant, module, settings__terminals=terminals)
    assert round(forms(analyse(told, LIBRARY), told.all(Signal)[0].id, "electrical", typed).raw) == raw
    # Another span of counts than that at the terminals is the classic wrong factor.
    codes = {f.code for f in analyse(told, LIBRARY).findings.values()}
    assert ("SIG-110" in codes) == (terminals == "bipolar-10v")


def test_what_a_process_gives_a_terminal_arrives_in_its_counts() -> None:
    plant = line(("TE-1", ("TA-4",)))
    module = plant.all(Module)[0]
    plant = put(plant, module.id, settings__terminals="4-20ma")
    device = LIBRARY.find(module.type)
    assert device is not None
    data = module_data(device, plant.all(Module)[0].settings)
    ends = {channel.key: channel.ends for channel in data.channels if channel.ends}
    assert ends == {f"i60{n}0:11": (4, 20, 0, 32767) for n in range(4)}
