"""All values of a device named in one step: which, what they are called, and what is left alone."""

from __future__ import annotations

import pytest

from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Exchange, Link, Module, Signal
from highmoor.core.project import edits
from tests.core.networks.ethercat.turner import LIBRARY, controller, do, line, modules, named


def signals(plant: Plant) -> dict[str, str]:
    return {signal.name: signal.type for signal in plant.all(Signal)}


def test_a_drive_has_a_signal_for_every_value_of_both_ways() -> None:
    plant = line("CS-5")
    made = do(plant, edits.NameValues(of=named(plant, "S1").id, prefix="Carriage"))
    assert signals(made) == {
        "CarriageStatusWord": "UINT",
        "CarriagePositionActualValue": "DINT",
        "CarriageVelocityActualValue": "DINT",
        "CarriageModeShown": "SINT",
        "CarriageControlWord": "UINT",
        "CarriageTargetPosition": "DINT",
        "CarriageTargetVelocity": "DINT",
        "CarriageModeOfOperation": "SINT",
    }
    ways = {made.get(link.place, Exchange).direction: link.access for link in made.all(Link)}
    assert ways == {"in": "reads", "out": "writes"}
    assert not [code for code in analyse(made, LIBRARY).findings if code.startswith("SIG")]


def test_what_has_a_signal_is_left_alone_also_by_one_of_its_bits() -> None:
    plant = line("CS-5")
    exchange = next(x for x in plant.all(Exchange) if x.direction == "in")
    for name, key, kind in (("Ready", "i6041:00.0", "BOOL"), ("Where", "i6064:00", "DINT")):
        at = edits.AddSignals(controller=controller(plant).id, pattern=name, place=exchange.id, key=key, type=kind)
        plant = do(plant, at)
    made = do(plant, edits.NameValues(of=exchange.id))
    assert set(signals(made)) - {"Ready", "Where"} == {"S1VelocityActualValue", "S1ModeShown"}
    with pytest.raises(Refusal, match="Every value of S1 has a signal already"):
        do(made, edits.NameValues(of=exchange.id))


def test_a_station_brings_its_modules_and_names_that_are_taken_count() -> None:
    plant = line(("TE-1", ("TD-16", "TD-16")))
    first, second = modules(plant)
    made = do(plant, edits.NameValues(of=first.id, prefix="Switch"))
    assert list(signals(made))[:2] == ["SwitchInput1", "SwitchInput2"]
    assert len(signals(made)) == 16
    all_of_it = do(made, edits.NameValues(of=named(plant, "S1").id, prefix="Switch"))
    assert len(signals(all_of_it)) == 32
    assert {link.place for link in all_of_it.all(Link)} == {first.id, second.id}
    assert {made.get(m.id, Module).id for m in (first, second)} == {first.id, second.id}


@pytest.mark.parametrize(
    ("of", "says"),
    [
        (lambda plant: controller(plant).id, "of a station, or of a module"),
        (lambda plant: named(plant, "S1").id, "No file names a value of S1"),
    ],
)
def test_what_has_no_named_values_is_refused(of: object, says: str) -> None:
    plant = line("generic.ethercat")
    with pytest.raises(Refusal, match=says):
        do(plant, edits.NameValues(of=of(plant)))  # type: ignore[operator]
