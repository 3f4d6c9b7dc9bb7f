"""A stepping axis: 1.8° at 16 microsteps on a screw of 5 mm, pulses from the last pair of a DO-16."""

from __future__ import annotations

from typing import Any

from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, Module
from tests.core.motion.axes import an_axis, put
from tests.core.plants import hall

STEPPER: dict[str, dict[str, Any]] = {
    "stepper": {"step_angle_deg": 1.8, "microsteps": 16, "rated_a": 0.6, "current_a": 0.5, "driver": "sd-2",
                "inertia": "54 g cm²", "start_hz": 1800},
    "screw": {"lead_mm": 5}, "load": {"mass_kg": 2},
}  # fmt: skip


def timed(**settings: Any) -> Plant:
    """Without an output: pulses are made by a program's timer."""
    return an_axis(STEPPER, plant=hall("do-16"), **{"speed": 30, "acceleration": 100, **settings})


def stepping(**settings: Any) -> Plant:
    """With the last pair of outputs."""
    plant = timed(**settings)
    return put(put(plant, plant.all(Axis)[0].id, drive=plant.all(Module)[0].id), plant.all(Axis)[0].id, key="ch14")
