"""What can stand behind a coupler: the modules of its own internal bus, and nobody else's."""

from __future__ import annotations

import pytest

from highmoor.core.parts import analyse
from highmoor.core.plant.rows import Rail
from highmoor.core.project import edits
from highmoor.core.project.demand import demand_of
from tests.core.networks.ethercat.turner import LIBRARY, TYPES, controller, do, line, named

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
