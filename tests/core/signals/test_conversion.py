"""A value as counts, at the terminals and in the unit of the plant: by hand, and there and back."""

from __future__ import annotations

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.datatypes import whole_type
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.rows import Signal
from highmoor.core.signals.conversion import conversion, forms

PLANT = demo_plant()
ANALYSIS = analyse(PLANT, BUILTIN)
IDS = {s.name: s.id for s in PLANT.all(Signal)}


@pytest.mark.parametrize(
    ("form", "typed", "raw", "electrical", "value", "says"),
    [
        # 4–20 mA is 0–30 000 counts, 0–3.2 m: half way is 12 mA, 15 000, 1.6 m.
        ("raw", "15000", 15000, 12, 1.6, ""),
        ("electrical", "12 mA", 15000, 12, 1.6, ""),
        ("electrical", "0,012 A", 15000, 12, 1.6, ""),
        ("value", "1.6", 15000, 12, 1.6, ""),
        ("electrical", "4", 0, 4, 0, ""),
        ("electrical", "3.6", -750, 3.6, -0.08, "fault, by NE 43"),
        ("electrical", "0", -7500, 0, -0.8, "fault, by NE 43"),
        ("raw", "40000", 40000, 4 + 40000 * 16 / 30000, 3.2 * 4 / 3, "beyond what the channel can hold"),
    ],
)
def test_a_level_by_hand(form: str, typed: str, raw: float, electrical: float, value: float, says: str) -> None:
    told = forms(ANALYSIS, IDS["Tank1Level"], form, typed)
    assert (told.raw, told.says, told.unit) == (raw, says, "mA")
    assert told.electrical == pytest.approx(electrical)
    assert told.value == pytest.approx(value)


@given(st.sampled_from(["Tank1Level", "HumiditySetpoint", "Tank1Temperature"]), st.integers(-7000, 32000))
def test_there_and_back(name: str, raw: int) -> None:
    if name not in IDS:
        return
    between = conversion(ANALYSIS, IDS[name])
    told = between.of_raw(Fraction(raw))
    assert between.of_value(Fraction(told.value)).raw == raw or (between.scaling and between.scaling.clamp)
    if told.electrical is not None and not told.says.startswith("beyond"):
        assert between.of_electrical(Fraction(told.electrical)).raw == raw


@pytest.mark.parametrize(
    ("name", "form", "typed"),
    [("Tank1Full", "raw", "1"), ("HumiditySetpoint", "electrical", "4"), ("Tank1Level", "raw", "much"),
     ("Tank1Level", "colour", "1"), ("Tank1Level", "electrical", "4 V")],
)  # fmt: skip
def test_what_cannot_be_converted_is_refused(name: str, form: str, typed: str) -> None:
    with pytest.raises(Refusal):
        forms(ANALYSIS, IDS[name], form, typed)


def test_what_the_bench_shows_beside_a_value_is_the_same() -> None:
    bench = Bench(PLANT, BUILTIN)
    bench.run_until(3)
    raw, electrical = bench.signals.beside(IDS["Tank1Level"])
    value, quality = bench.value(IDS["Tank1Level"])
    told = forms(ANALYSIS, IDS["Tank1Level"], "raw", str(raw))
    assert quality == "good"
    assert told.value == pytest.approx(value)
    assert electrical == f"{told.electrical:.5g} mA"
    assert bench.signals.beside(IDS["Tank1Full"]) == (None, "")


@pytest.mark.parametrize(
    ("bits", "name"),
    [(1, "BOOL"), (2, "USINT"), (8, "USINT"), (9, "UINT"), (16, "UINT"), (32, "UDINT"), (33, "ULINT"), (200, "ULINT")],
)
def test_a_free_place_is_named_as_the_smallest_whole_number_that_holds_it(bits: int, name: str) -> None:
    assert whole_type(bits) == name
