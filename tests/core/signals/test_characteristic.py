"""How a scaling is drawn: every bend, the ends of the channel, what is dotted, and its text."""

from __future__ import annotations

from typing import Any

import pytest

from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.rows import Link, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.signals.characteristic import Characteristic, characteristic
from highmoor.core.signals.scaling import Scaling
from highmoor.server.demo import demo_files, demo_with_types
from highmoor.server.library import LIBRARY

PLANT = demo_with_types(demo_files())


def drawn(name: str, **values: Any) -> Characteristic:
    """That of a signal of the demo, with its scaling set otherwise."""
    signal = next(one for one in PLANT.all(Signal) if one.name == name)
    (link,) = PLANT.referring("links", "signal", signal.id)
    plant = PLANT
    if values:
        given = {f"scaling.{key}": value for key, value in values.items()}
        plant = apply(PLANT, LIBRARY, edits.SetFields(ids=[link], values=given)).plant
    told = characteristic(analyse(plant, LIBRARY), link)
    scaling = Scaling.of(plant.get(link, Link).scaling)
    assert scaling is not None
    assert all(point.value == scaling.value(point.raw) for point in told.points)
    return told


def test_a_straight_line_from_end_to_end_of_what_the_channel_counts() -> None:
    told = drawn("Tank1Level")
    assert (told.kind, told.unit, told.nominal, told.counts) == ("linear", "m", (0, 30000), (-7500, 32767))
    assert (told.points[0].raw, told.points[-1].raw) == told.counts
    assert {(0.0, 0.0), (30000.0, 3.2)} <= {tuple(point) for point in told.points}
    # 4 mA is 0 and 20 mA is 30000: 1875 counts a milliampere.
    assert [mark.raw for mark in told.marks] == pytest.approx([-750, -375, 30937.5, 31875])
    assert (told.resolution, round(told.bits, 2)) == (3.2 / 30000, 14.87)
    assert "Tank1Level := x;" in told.text
    assert "INT_TO_LREAL(Tank1Level_raw)" in told.text


def test_every_bend_of_a_table_and_the_leap_of_a_root_are_drawn() -> None:
    bends = {round(point.raw) for point in drawn("Tank1Volume").points}
    # 0.2, 0.4, 0.6 and 0.8 of 3.2 m.
    assert {1875, 3750, 5625, 7500} <= bends
    root = drawn("SteepFlow1")
    # 5 % of the flow is a four hundredth of the pressure: 75 counts, where it leaps to 2.25 m³/h.
    low, high = next((a, b) for a, b in zip(root.points, root.points[1:], strict=False) if b.raw > 75)
    assert (low.value, round(high.value, 6), low.raw > 74.999, high.raw < 75.001) == (0, 2.25, True, True)
    assert root.resolution is None


def test_what_is_written_has_its_text_backwards_and_a_voltage_nothing_dotted() -> None:
    told = drawn("FreshAirDamper1")
    assert "t := TRUNC(x);" in told.text
    assert "FreshAirDamper1_raw := LINT_TO_INT(t);" in told.text
    assert drawn("Tank1Temp").marks == ()


def test_without_a_span_nothing_is_drawn_and_it_is_said_why() -> None:
    told = drawn("Tank1Level", hi=0)
    assert (told.points, told.text, told.problem) == ((), "", "the engineering ends are the same")
    assert drawn("Tank1Level", raw_type="REAL").text == ""
    unscaled = next(one for one in PLANT.all(Signal) if one.name == "Tank1Full")
    with pytest.raises(Refusal, match="not scaled"):
        characteristic(analyse(PLANT, LIBRARY), PLANT.referring("links", "signal", unscaled.id)[0])


@pytest.mark.parametrize(
    ("name", "values", "error", "of_reading"),
    [
        # √(0.3² + 0.4²) = 0.5 % of 3.2 m.
        ("Tank1Level", {"sensor_error": 0.3, "module_error": 0.4}, 0.016, None),
        ("Tank1Level", {"sensor_error": 0.5, "works_at": 1.6}, 0.016, 1.0),
        ("Tank1Level", {"module_error": 0.5, "works_at": 0}, 0.016, None),
        # 0.1 % of the pressure is 5 % of the reading at a tenth of the flow, and half of that at the whole of it.
        ("SteepFlow1", {"sensor_error": 0.1, "works_at": 4.5}, 0.225, 5.0),
        ("SteepFlow1", {"sensor_error": 0.1, "works_at": 45}, 0.0225, 0.05),
        # 4 m² above the cone: 16 mm of level are 0.064 m³.
        ("Tank1Volume", {"sensor_error": 0.5, "works_at": 6.4}, 0.064, 1.0),
    ],
)
def test_what_it_errs_by_where_it_works(
    name: str, values: dict[str, float], error: float, of_reading: float | None
) -> None:
    told = drawn(name, **values).error
    assert told is not None
    assert told.error == pytest.approx(error)
    assert told.of_reading == (None if of_reading is None else pytest.approx(of_reading))


def test_without_a_word_of_errors_none_is_told() -> None:
    assert drawn("Tank1Level").error is None
    stopped = drawn("SteepFlow1", sensor_error=0.1, works_at=0).error
    assert stopped is not None
    # Where nothing flows a root has no slope: the span's error is told.
    assert (stopped.error, stopped.works_at, stopped.of_reading) == (pytest.approx(0.045), None, None)


@pytest.mark.parametrize(
    ("typed", "kept"),
    [
        ("0 0; 0,8 2\n3.2\t12", "0 0; 0.8 2; 3.2 12"),
        ("", ""),
        ("16#10 1", "16 1"),
    ],
)
def test_points_are_taken_as_they_are_typed_or_pasted(typed: str, kept: str) -> None:
    link = PLANT.referring("links", "signal", next(s.id for s in PLANT.all(Signal) if s.name == "Tank1Volume"))[0]
    edit = edits.SetFields(ids=[link], values={"scaling.points": typed})
    scaling = apply(PLANT, LIBRARY, edit).plant.get(link, Link).scaling
    assert scaling is not None
    assert scaling.get("points", "") == kept


@pytest.mark.parametrize("typed", ["0", "0 0 0", "a b", "0 0; 1", "; ".join(f"{n} {n}" for n in range(101))])
def test_what_is_no_point_is_refused(typed: str) -> None:
    link = PLANT.referring("links", "signal", next(s.id for s in PLANT.all(Signal) if s.name == "Tank1Volume"))[0]
    with pytest.raises(Refusal):
        apply(PLANT, LIBRARY, edits.SetFields(ids=[link], values={"scaling.points": typed}))
