"""Fields of any width at any bit, read and written where they are; values that their place cannot hold; loose wires."""

from __future__ import annotations

import random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.bench.controller import SignalCode
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.plant.rows import BuiltWire, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply

PLANT = demo_plant()


def ids(plant: Any = PLANT) -> dict[str, str]:
    return {s.name: s.id for s in plant.all(Signal)}


@given(st.data())
def test_a_field_is_written_and_read_at_its_bit_and_nothing_else_moves(data: Any) -> None:
    raw = DATA_TYPES[data.draw(st.sampled_from([n for n, t in DATA_TYPES.items() if t.bits > 1]))]
    width = raw.bits if raw.family == "real" else data.draw(st.integers(2, raw.bits))
    octet, bit = data.draw(st.integers(0, 5)), data.draw(st.integers(0, 7))
    code = SignalCode("g", raw, raw, "out", octet, bit, "DCBA", None, "", "", width)
    image = bytearray(random.Random(data.draw(st.integers(0, 9999))).randbytes(octet + 10))
    before = int.from_bytes(image, "little")
    low, high = (-(1 << width - 1), (1 << width - 1) - 1) if raw.family == "signed" else (0, (1 << width) - 1)
    value = data.draw(st.floats(width=32) if raw.family == "real" else st.integers(low, high))
    code.write(image, value)
    read = code.read(image)
    assert read == pytest.approx(value, nan_ok=True) if raw.family == "real" else read == value
    after, mask = int.from_bytes(image, "little"), ((1 << width) - 1) << 8 * octet + bit
    assert after & ~mask == before & ~mask
    if raw.family != "real":
        # Counted by hand: low octet first, from the lowest bit of the first octet.
        assert (after & mask) >> 8 * octet + bit == value & (1 << width) - 1
        code.write(image, high + 1)
        assert code.read(image) == high


@pytest.mark.parametrize(
    ("signal", "value", "says"),
    [
        ("HumiditySetpoint", 70000, "is beyond"),
        ("HumiditySetpoint", "-1e9", "is beyond"),
        ("HumidifierStart", 2, "0 or 1"),
    ],
)
def test_a_value_that_its_place_cannot_hold_is_refused(signal: str, value: Any, says: str) -> None:
    bench = Bench(PLANT, BUILTIN)
    for act in (bench.signals.write, bench.signals.force):
        with pytest.raises(Refusal) as refused:
            act(ids()[signal], value)
        assert says in refused.value.reason


def test_what_is_shown_of_an_output_is_what_leaves() -> None:
    bench = Bench(PLANT, BUILTIN)
    setpoint = ids()["HumiditySetpoint"]
    bench.signals.write(setpoint, 61.26)
    bench.run_until(2)
    shown = bench.value(setpoint)[0]
    # A tenth of a percent is a count: the sixth of a hundred does not leave.
    assert shown == 61.3


def test_inputs_without_a_wire_say_so() -> None:
    bench = Bench(PLANT, BUILTIN)
    bench.run_until(1)
    level = ids()["Tank1Level"]
    assert bench.value(level)[1] == "good"
    assert bench.value(level)[0]
    wire = next(w for w in PLANT.all(BuiltWire) if w.end == "level")
    loose = Bench(PLANT, BUILTIN, apply(PLANT, BUILTIN, edits.Remove(ids=[wire.id])).plant)
    loose.run_until(1)
    lost = [n for n, s in ids().items() if bench.value(s)[1] == "good" and loose.value(s)[1] == "not wired"]
    # Both that are read from its channel.
    assert lost == ["Tank1Level", "Tank1Volume"]
    assert loose.value(level) == (None, "not wired")
