"""A scaling calibrated at two points gives the values that were measured there."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Link, Module
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.signals.scaling import Scaling
from tests.core.plants import hall

SPAN = {"raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 3.2}


def scaled(scaling: dict[str, Any] | None) -> Plant:
    plant = hall("ai-8")
    return apply(plant, BUILTIN, edits.AddSignals(
        controller=plant.all(Controller)[0].id, pattern="L", type="REAL", place=plant.all(Module)[-1].id, key="ch0",
        scaling=scaling,
    )).plant  # fmt: skip


def calibrated(plant: Plant, *points: tuple[Any, Any]) -> Scaling:
    told = [edits.MeasuredPoint(raw=raw, value=value) for raw, value in points]
    after = apply(plant, BUILTIN, edits.Calibrate(link=plant.all(Link)[0].id, points=told)).plant
    found = Scaling.of(after.all(Link)[0].scaling)
    assert found is not None
    return found


def test_by_hand() -> None:
    # 4.2 mA at empty and 19.9 mA at 3.1 m: the ends follow from the line through both.
    found = calibrated(scaled(SPAN), ("375", "0"), (29812.5, "3,1"))
    assert (found.lo, found.hi) == pytest.approx((-0.0394904459, 3.1197452229))


@given(
    st.sampled_from(["linear", "root", "table"]), st.integers(500, 14000), st.integers(16000, 31000),
    st.floats(0.1, 1.4), st.floats(1.6, 3.0),
)  # fmt: skip
def test_where_it_was_measured_it_gives_what_was_measured(kind: str, r1: int, r2: int, v1: float, v2: float) -> None:
    more = {"points": "0 0; 0.8 2; 1.9 2.5; 3.2 12"} if kind == "table" else {}
    v1, v2 = (10 * v1 / 4, 3 * v2) if kind == "table" else (v1, v2)
    assume(v2 - v1 > 0.1)
    found = calibrated(scaled({**SPAN, "kind": kind, **more}), (r1, v1), (r2, v2))
    assert found.value(r1) == pytest.approx(v1, rel=1e-6)
    assert found.value(r2) == pytest.approx(v2, rel=1e-6)
    assert (found.raw_lo, found.raw_hi, found.kind) == (0, 30000, kind)


@pytest.mark.parametrize(
    ("scaling", "points", "why"),
    [
        (SPAN, (("5", "1"), ("5", "2")), "the same count"), (SPAN, (("5", "1"), ("6", "1")), "the same value"),
        (SPAN, (("five", "1"), ("6", "1")), "is not a number"), (None, (("5", "1"), ("6", "2")), "no scaling"),
        ({**SPAN, "kind": "root"}, ((0, 0), (6, 1)), "take both points above"),
        ({**SPAN, "kind": "table", "points": "0 0; 3 5"}, ((1, 1), (6, 7)), "from 0 to 5 only"),
    ],
)  # fmt: skip
def test_what_is_no_calibration_is_refused(scaling: dict[str, Any] | None, points: Any, why: str) -> None:
    with pytest.raises(Refusal, match=why):
        calibrated(scaled(scaling), *points)
