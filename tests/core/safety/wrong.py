"""By check of safety: a plant without the finding and one with it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.plant.change import Change
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, Controller, SafetyFunction, Seal
from highmoor.core.project import edits
from highmoor.core.safety.seal.plain import PlainSight
from highmoor.core.safety.seal.tree import Covering, tree_of
from tests.core.motion.axes import LIFT, an_axis, with_link
from tests.core.safety.functions import DI, SI, analysed, at, do, of, on, pair, press, put, with_part

Pair = tuple[Plant, Plant]
TODAY = "2026-06-15"


def _on(name: str, right: dict[str, Any], wrong: dict[str, Any]) -> Callable[[], Pair]:
    return lambda: (on(press(), name, **right), on(press(), name, **wrong))


def _pair(
    key: str, right: dict[str, Any], wrong: dict[str, Any], plant: Callable[[], Plant] = press
) -> Callable[[], Pair]:
    return lambda: (pair(plant(), SI, key, **right), pair(plant(), SI, key, **wrong))


def _function(**values: Any) -> Callable[[], Pair]:
    return lambda: (press(), put(press(), of(press(), "Press"), **values))


def _lift(block: str, *, brake: float | None, **settings: Any) -> Plant:
    """The press's drive is that of a load that hangs: from 200 mm/s by 500 mm/s² in 400 ms."""
    plant = an_axis(LIFT, plant=press(), speed=200, acceleration=500)
    plant = with_link(plant, "motor", brake_nm=brake)
    plant = put(plant, of(plant, "Drive"), device=plant.all(Axis)[0].id, block=block)
    return on(plant, "Drive", **settings)


def _signal(key: str, kind: str, place: str = SI) -> Plant:
    plant = press()
    controller = plant.all(SafetyFunction)[0].controller
    return do(plant, edits.AddSignals(controller=controller, pattern="S", type=kind, place=at(plant, place), key=key))


def _unset() -> Plant:
    """Nothing resets, though a signal is there that could."""
    plant = press()
    return do(plant, edits.UseSignal(of=of(plant, "Press"), role="reset"))


def _started_by(name: str) -> Plant:
    plant = press()
    return do(plant, edits.UseSignal(of=of(plant, "Press"), role="start", signal=of(plant, name)))


def _sealed() -> Plant:
    plant = press()
    controller = plant.all(SafetyFunction)[0].controller
    tree = tree_of(Covering(PlainSight(plant, BUILTIN)).of_controller(plant.get(controller, Controller)))
    results = analysed(plant).result("controller.covered", controller)
    assert set(tree.items) < set(results.items)
    items = [[one.device, one.at, one.field, one.value, one.row] for one in results.items]
    row = Seal("we1", controller, "2026-06-01T08:00Z", "V", "anna", 3, results.fingerprint(), {"items": items})
    return plant.patched(Change({("seals", "we1"): (None, row)}))


def _alone() -> Plant:
    plant = press()
    return do(plant, edits.Remove(ids=[of(plant, "Drive")]))


def _named_alike() -> Pair:
    plant = press()
    add = edits.AddSafetyFunction(controller=plant.all(SafetyFunction)[0].controller, name="Door")
    plant = do(plant, add)
    other = plant.all(SafetyFunction)[1].id
    return plant, put(plant, other, name="press")


def _tests_itself(**settings: Any) -> Plant:
    """The door has pulsed outputs of its own, on a supply from outside."""
    plant = on(press(), "Door", pulsed=True, **settings)
    return pair(plant, SI, "ch2", supply="external", cross_circuit=False)


def _two_at(place: str, key: str) -> Plant:
    """A second door: its contact in the pair of the first, or in one of its own."""
    return with_part(press(), "sensor", "guard", "Hatch", place, key, b10d=2_000_000, category="4", worst_ms=0)


def stopped(plant: Plant, *readings_ms: float, at: str = TODAY, of_part: str = "Drive") -> Plant:
    """With ten stops on record, the last of them as said."""
    stop = edits.Reading(readings_ms=[400.0] * (10 - len(readings_ms)) + list(readings_ms), speed="0.2 m/s")
    return do(plant, edits.AddProof(of=of(plant, of_part), what="stop-time", at=at, by="Ada", stop=stop))


def after_test(plant: Plant, result: Literal["passed", "failed"], at: str = TODAY, of_part: str = "Door") -> Plant:
    return do(plant, edits.AddProof(of=of(plant, of_part), what="test", at=at, by="Ada", result=result))


WRONG: dict[str, Callable[[], Pair]] = {
    "SAF-101": lambda: (press(), _alone()),
    "SAF-102": _named_alike,
    "SAF-103": lambda: (press(), put(press(), of(press(), "Door"), key="ch3")),
    "SAF-104": lambda: (_two_at(SI, "ch4"), _two_at(DI, "ch4")),
    # A button that a tenth of a hundred thousand presses makes fail, pressed five times an hour, by one channel.
    "SAF-105": _on("Button", {"pfh": 9e-7, "level": "d"}, {"pfh": 1e-6}),
    "SAF-106": _on("Button", {}, {"b10d": None}),
    # 8 + 4 + 10 + 4 + 2 + 5 and 16 of the watchdog; 420 to stop.
    "SAF-107": lambda: (put(press(), of(press(), "Press"), asked_ms=469),
                        put(press(), of(press(), "Press"), asked_ms=468.9)),
    "SAF-108": _on("Drive", {}, {"stop_ms": None}),
    "SAF-109": _function(settings__stop_category=2),
    "SAF-110": _function(settings__restart="self"),
    "SAF-111": lambda: (press(), _unset()),
    "SAF-112": lambda: (_started_by("Start"), _started_by("Reset")),
    "SAF-113": _function(settings__reset_at="inside"),
    "SAF-114": _pair("ch0", {}, {"evaluation": "1oo1"}),
    "SAF-115": _pair("ch0", {}, {"cross_circuit": False}, lambda: press("PL e")),
    "SAF-116": lambda: (_two_at(SI, "ch4"), _two_at(SI, "ch2")),
    "SAF-117": lambda: (_lift("sto", brake=1.2), _lift("sto", brake=None)),
    "SAF-118": lambda: (_lift("ss1-t", brake=1.2, delay_ms=400, stop_ms=100),
                        _lift("ss1-t", brake=1.2, delay_ms=399, stop_ms=100)),
    "SAF-119": _on("Drive", {"filter_ms": 0.6}, {"filter_ms": 0.5}),
    "SAF-120": _on("Drive", {"drop_out_ms": 25, "feedback_ms": 25}, {"drop_out_ms": 25, "feedback_ms": 24}),
    "SAF-121": _on("Button", {"ccf": 65}, {"ccf": 64}),
    # Worn in 20 years by 0.571 presses an hour.
    "SAF-122": lambda: (put(press(), of(press(), "Press"), settings__demand_per_h=0.57),
                        put(press(), of(press(), "Press"), settings__demand_per_h=0.572)),
    # There and back 8, the module's answer 1, the safe part 10.
    "SAF-123": lambda: (put(press(), at(press(), SI), settings__safe_watchdog_ms=19),
                        put(press(), at(press(), SI), settings__safe_watchdog_ms=18)),
    "SAF-124": lambda: (put(press(), of(press(), "HALL"), settings__safe_watchdog_ms=10),
                        put(press(), of(press(), "HALL"), settings__safe_watchdog_ms=9)),
    # All alike, so that the largest counts: 420 are reckoned with.
    "SAF-125": lambda: (stopped(press(), *[420] * 10), stopped(press(), *[420.1] * 10)),
    "SAF-126": lambda: (stopped(press()), press()),
    "SAF-127": lambda: (stopped(press(), at="2025-06-15"), stopped(press(), at="2025-06-14")),
    "SAF-128": lambda: (after_test(press(), "passed"), after_test(press(), "failed")),
    "SAF-131": lambda: (stopped(press()), on(stopped(press()), "Drive", drop_out_ms=3)),
    "SAF-401": lambda: (_sealed(), on(_sealed(), "Door", worst_ms=3)),
    # 469 ms at 1600 mm/s, less 100 of opening, 20 through the gap: 610.4.
    "SAF-129": _on("Door", {"opening_ms": 100, "reach_mm": 20, "distance_mm": 610.4},
                   {"opening_ms": 100, "reach_mm": 20, "distance_mm": 610.3}),
    "SAF-130": _on("Door", {"locked": True}, {}),
    "SAF-201": lambda: (_signal("ch0", "SAFEBOOL"), _signal("ch0", "BOOL")),
    "SAF-202": lambda: (_signal("ch5", "BOOL", DI), _signal("ch5", "SAFEBOOL", DI)),
    "SAF-203": lambda: (_signal("ch4", "SAFEBOOL"), _signal("ch5", "SAFEBOOL")),
    "SAF-204": _pair("ch0", {"supply": "steady", "cross_circuit": False}, {"supply": "steady"}),
    "SAF-205": lambda: (pair(_tests_itself(pulse_ms=1), SI, "ch2", filter_ms=3),
                        pair(_tests_itself(pulse_ms=1), SI, "ch2", filter_ms=1)),
    "SAF-206": lambda: (_tests_itself(), pair(_tests_itself(), SI, "ch2", supply="pulsed")),
}  # fmt: skip

BY_HAND = {
    *("SAF-101", "SAF-105", "SAF-106", "SAF-107", "SAF-108", "SAF-117", "SAF-119", "SAF-121", "SAF-122"),
    *("SAF-126", "SAF-127", "SAF-128", "SAF-130", "SAF-131", "SAF-401"),
}
