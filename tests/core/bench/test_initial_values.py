"""What the program has of a signal until it writes it."""

from __future__ import annotations

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.plant.rows import Controller, Module, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.plants import hall


def test_a_signal_begins_with_its_initial_value_and_an_output_has_it_at_the_terminals() -> None:
    plant = hall("do-16")
    module, controller = plant.all(Module)[-1].id, plant.all(Controller)[0].id
    for edit in (
        edits.PasteSignals(controller=controller, rows=[
            {"name": "Horn", "type": "BOOL", "initial": "TRUE"}, {"name": "Lamp", "type": "BOOL"},
            {"name": "Hours", "type": "REAL", "initial": "4.5"}, {"name": "Mask", "type": "WORD", "initial": "16#1F"},
            {"name": "Wrong", "type": "INT", "initial": "70000"},
        ]),
    ):  # fmt: skip
        plant = apply(plant, BUILTIN, edit).plant
    ids = {signal.name: signal.id for signal in plant.all(Signal)}
    for n, name in enumerate(("Horn", "Lamp")):
        link = edits.LinkSignal(signal=ids[name], place=module, key=f"ch{n}")
        plant = apply(plant, BUILTIN, link).plant
    bench = Bench(plant, BUILTIN)
    bench.run_until(1)
    values = {name: bench.signals.value(i)[0] for name, i in ids.items()}
    assert values == {"Horn": True, "Lamp": False, "Hours": 4.5, "Mask": 31, "Wrong": 0}
    rail = next(iter(bench.controllers.values())).rail
    assert (rail.take(f"{module}.ch0"), rail.take(f"{module}.ch1")) == (1, 0)
    bench.signals.write(ids["Horn"], 0)
    bench.run_until(2)
    assert rail.take(f"{module}.ch0") == 0
