"""IO-Link's figures: cycle times by the standard's table, fields against plain strings of bits."""

from __future__ import annotations

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.errors import Refusal
from highmoor.core.figures.io_link import cycle_time_ms, cycle_time_octet, extracted
from highmoor.core.figures.listing import FIGURES


@pytest.mark.parametrize(
    ("octet", "ms"),
    # Both ends of each base, and what common devices tell.
    [(0x04, 0.4), (0x17, 2.3), (0x3F, 6.3), (0x40, 6.4), (0x7F, 31.6), (0x80, 32), (0xBF, 132.8)],
)
def test_cycle_times_by_the_table(octet: int, ms: float) -> None:
    assert FIGURES["iolink-cycle-time"].compute({"octet": octet}) == {"ms": ms}
    assert cycle_time_octet(Fraction(str(ms))) == octet


@pytest.mark.parametrize("octet", [0x00, 0x03, 0xC0, 0xFF, 256, -1])
def test_what_is_no_cycle_time_is_refused(octet: int) -> None:
    with pytest.raises(Refusal):
        FIGURES["iolink-cycle-time"].compute({"octet": octet})


@given(st.fractions(0, Fraction(1328, 10)))
def test_the_octet_is_of_the_shortest_cycle_that_is_long_enough(ms: Fraction) -> None:
    octet = cycle_time_octet(ms)
    assert cycle_time_ms(octet) >= ms
    assert all(cycle_time_ms(other) >= cycle_time_ms(octet) for other in range(4, 192) if cycle_time_ms(other) >= ms)


def test_a_cycle_longer_than_can_be_told_is_refused() -> None:
    with pytest.raises(Refusal, match=r"132\.8"):
        cycle_time_octet(Fraction(133))


@given(octets=st.binary(min_size=1, max_size=32), data=st.data())
def test_fields_are_those_of_the_string_of_bits(octets: bytes, data: st.DataObject) -> None:
    bits = "".join(f"{octet:08b}" for octet in octets)
    offset = data.draw(st.integers(0, len(bits) - 1))
    length = data.draw(st.integers(1, len(bits) - offset))
    field = bits[len(bits) - offset - length : len(bits) - offset]
    assert extracted(octets, offset, length, signed=False) == int(field, 2)
    negative = int(field, 2) - (1 << length) if field[0] == "1" else int(field, 2)
    assert extracted(octets, offset, length, signed=True) == negative


@pytest.mark.parametrize(
    "wrong",
    [
        {"octets": ""}, {"octets": "0"}, {"octets": "0G"}, {"bit_length": 0}, {"bit_offset": -1},
        {"bit_offset": 9, "bit_length": 8}, {"signed": 1},
    ],
)  # fmt: skip
def test_what_is_no_field_is_refused(wrong: dict[str, object]) -> None:
    case = {"octets": "12 34", "bit_offset": 4, "bit_length": 8, "signed": False}
    assert FIGURES["iolink-extract"].compute(case) == {"value": 0x23}
    with pytest.raises(Refusal):
        FIGURES["iolink-extract"].compute({**case, **wrong})
