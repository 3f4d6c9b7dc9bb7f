"""What is expected of each fault is what happens when it is tried on the bench."""

from __future__ import annotations

import itertools
from typing import Any

import pytest

from highmoor.core.analysis.engine import Reader
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import SafetyPart
from highmoor.core.safety.fault_plan import FaultTold, outcomes
from highmoor.core.safety.lanes import wired_to
from tests.core.bench.safety.test_safety import Pressing
from tests.core.safety.functions import SI, analysed, of, on, pair, press, put

_STEADY: dict[str, Any] = {"supply": "steady", "cross_circuit": False}
_PAIRS: dict[str, dict[str, Any]] = {
    "pulsed": {}, "steady": _STEADY,
    "antivalent": {"kind": "antivalent"}, "antivalent, steady": {"kind": "antivalent", **_STEADY},
    "each alone": {"evaluation": "1oo1"}, "each alone, steady": {"evaluation": "1oo1", **_STEADY},
    "each alone, second": {"evaluation": "1oo1"}, "tests itself": {"supply": "external", "cross_circuit": False},
    "tests itself, alone, second": {"evaluation": "1oo1", "supply": "external", "cross_circuit": False},
}  # fmt: skip


def _plant(kind: str) -> Plant:
    plant = pair(press(), SI, _key(press()), **_PAIRS[kind])
    if kind.endswith("second"):
        plant = put(plant, of(plant, "Door"), key=f"ch{int(_key(plant)[2:]) + 1}")
    return on(plant, "Door", pulsed=True) if kind.startswith("tests itself") else plant


def _key(plant: Plant) -> str:
    return plant.get(of(plant, "Door"), SafetyPart).key


@pytest.mark.parametrize(("kind", "key"), [
    (kind, key) for kind, key in itertools.product(
        _PAIRS, ["open-a", "open-b", "short-a", "short-b", "stuck-a", "stuck-b", "cross"])
])  # fmt: skip
def test_what_is_expected_of_a_fault_is_what_happens(kind: str, key: str) -> None:
    plant = _plant(kind)
    analysis = analysed(plant)
    door = plant.get(of(plant, "Door"), SafetyPart)
    wired = wired_to(Reader(analysis), door)
    assert wired is not None
    outcome = outcomes(wired.pair, tests_itself=kind.startswith("tests itself")).get(key)
    told: dict[str, FaultTold] = {
        one.key: one for one in analysis.result("function.faults", of(plant, "Press")) if one.part == door.id
    }
    assert (key in told) == (outcome is not None)
    if outcome is None:
        return
    one = Pressing.of(plant).started()
    contacts = one.safety.contacts[door.id]
    one.by("Door", told[key].do, True if told[key].do == "cross" else told[key].value)
    one.wait(2)
    at_once = not one.runs, contacts.pair.fault
    one.by("Door", "demand", True)
    one.wait(2)
    demanded = not one.runs, contacts.pair.fault
    assert at_once == (outcome.stops == "at once", outcome.told == "at once")
    assert demanded == (outcome.stops != "never", outcome.told != "never")
    assert told[key].dangerous == (outcome.stops == "never")
