"""The turner's safety in the demo: two emergency stops, two hall doors, the field in the aisle, what they stop."""

from __future__ import annotations

from typing import Any

from highmoor.core.demo.builder import Builder
from highmoor.core.demo.scanner import add_scanner
from highmoor.core.plant.rows import Axis, Controller, Signal
from highmoor.core.project import edits

# Of a safe stop: STO within 5 ms, and what the machine then takes by its stop time.
_STOPS = {"CARRIAGE": 420, "LIFT": 180, "AUGERS": 310}
_CONTACTS: dict[str, Any] = {"category": "4", "worst_ms": 0, "dc": 99, "ccf": 70}
_TESTS_ITSELF: dict[str, Any] = {"pulsed": True}


def add_safety(build: Builder) -> None:
    """Three functions, each of which stops all of the turner there is."""
    _pairs(build)
    stop = _function(build, "Turner emergency stop", "PL d", 650, stop_category=0, demand_per_h=0.1)
    for n, key in ((1, "ch0"), (2, "ch2")):
        _sensor(build, stop, "emergency-stop", f"Emergency stop {n}", "-K7", key, b10d=100_000, **_CONTACTS)
    doors = _function(build, "Hall doors", "PL d", 650, stop_category=0, demand_per_h=2)
    _sensor(build, doors, "guard", "Hall door 1", "-K7", "ch4", b10d=2_000_000, distance_mm=1500, **_CONTACTS)
    coded = {
        **_TESTS_ITSELF,
        "pfh": 6e-9,
        "level": "e",
        "category": "4",
        "worst_ms": 60,
        "pulse_ms": 0.5,
        "distance_mm": 2200,
    }
    _sensor(build, doors, "guard", "Hall door 2", "-K7", "ch6", **coded)
    aisle = _function(build, "Turner aisle", "PL d", 650, stop_category=0, demand_per_h=6)
    field = {**_TESTS_ITSELF, "pfh": 1.2e-7, "level": "d", "category": "3", "pulse_ms": 0.3}
    _sensor(build, aisle, "espe", "Aisle field", "-K12", "ch0", device=add_scanner(build), **field)
    for function in (stop, doors, aisle):
        _actuators(build, function)
        for role, name in (("reset", "TurnerReset"), ("start", "TurnerStart")):
            signal = build.find(Signal, name=name).id
            build.do(edits.UseSignal(of=function, role=role, signal=signal))


def _pairs(build: Builder) -> None:
    """Contacts on the module's own pulses; what tests its outputs itself, on a supply from outside."""
    contacts = {"discrepancy_ms": 50}
    tests_itself = {"discrepancy_ms": 30, "supply": "external", "cross_circuit": False}
    for designation, pair, values in (
        ("-K7", "ch0", contacts), ("-K7", "ch2", contacts), ("-K7", "ch4", {"discrepancy_ms": 500}),
        ("-K7", "ch6", tests_itself), ("-K12", "ch0", tests_itself), ("-K12", "ch2", tests_itself),
    ):  # fmt: skip
        paths = {f"settings.pairs.{pair}.{key}": value for key, value in values.items()}
        build.do(edits.SetFields(ids=[build.at(designation)], values=paths))


def _function(build: Builder, name: str, asked: str, asked_ms: float, **settings: Any) -> str:
    hall = build.find(Controller, name="HALL").id
    values = {"asked": asked, "asked_ms": asked_ms, **{f"settings.{key}": value for key, value in settings.items()}}
    add = edits.AddSafetyFunction(controller=hall, name=name, tag="$f")
    return build.do(edits.Batch(edits=[add, edits.SetFields(ids=["$f"], values=values)]))["$f"]


def _sensor(
    build: Builder, function: str, block: str, name: str, place: str, key: str, device: str = "", **settings: Any
) -> None:
    add = edits.AddSafetyPart(
        function=function, role="sensor", block=block, name=name, place=build.at(place), key=key, device=device or None,
        tag="$p",
    )  # fmt: skip
    values = {f"settings.{setting}": value for setting, value in settings.items()}
    build.do(edits.Batch(edits=[add, edits.SetFields(ids=["$p"], values=values)]))


def _actuators(build: Builder, function: str) -> None:
    """The axes of the turner, all on one output; without their makers' files there are only their contactors."""
    axes = [axis for axis in build.plant.all(Axis) if axis.name in _STOPS]
    if not axes:
        _actuator(build, function, "contactor", "Turner supply", None, worst_ms=15, stop_ms=420, drop_out_ms=25,
                  feedback_ms=60, b10d=1_300_000, category="4", dc=99, ccf=70)  # fmt: skip
    for axis in axes:
        values = {"worst_ms": 5, "stop_ms": _STOPS[axis.name], "pfh": 2.1e-9, "level": "e", "filter_ms": 1}
        _actuator(build, function, "sto", axis.name, axis.id, **values)


def _actuator(build: Builder, function: str, block: str, name: str, device: str | None, **settings: Any) -> None:
    add = edits.AddSafetyPart(
        function=function, role="actuator", block=block, name=name, place=build.at("-K8"), key="ch0", device=device,
        tag="$p",
    )  # fmt: skip
    values = {f"settings.{setting}": value for setting, value in settings.items()}
    build.do(edits.Batch(edits=[add, edits.SetFields(ids=["$p"], values=values)]))
