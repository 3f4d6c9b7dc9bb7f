"""Configuration data: parameters at their bits, low octet first, against octets packed by hand and by `struct`."""

from __future__ import annotations

import struct
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.choices import ConfigurationChoice, DataField, Span
from highmoor.core.catalogue.types import Parameter
from highmoor.core.networks.ethernet_ip.configuration import from_parameters
from tests.core.plants import KEYS, LIBRARY


def packed(octets: int, fields: list[tuple[str, int, int]], values: dict[str, Any], **defaults: Any) -> bytes:
    """Octets of so many, of fields (data type, bit, bits) named p0, p1 …"""
    told = tuple(
        DataField(f"p{n}", f"p{n}", at, bits, kind, parameter=f"p{n}") for n, (kind, at, bits) in enumerate(fields)
    )
    device = replace(
        next(iter(BUILTIN.types.values())),
        parameters=tuple(Parameter(f"p{n}", "", defaults.get(f"p{n}")) for n in range(len(fields))),
    )
    return from_parameters(ConfigurationChoice(None, Span.fixed(octets), (), told), device, values)


@pytest.mark.parametrize(
    ("octets", "fields", "values", "wire"),
    [
        (2, [("UINT", 0, 16)], {"p0": 0x1234}, "3412"),
        (4, [("USINT", 0, 8), ("UINT", 8, 16), ("USINT", 24, 8)], {"p0": 1, "p1": 0x0302, "p2": 4}, "01020304"),
        (1, [("BOOL", 3, 1), ("BOOL", 0, 1)], {"p0": True, "p1": False}, "08"),
        (1, [("USINT", 2, 3)], {"p0": 5}, "14"),
        # What is too large for its bits loses its upper ones, and touches nothing beside it.
        (1, [("USINT", 0, 2), ("USINT", 2, 2)], {"p0": 0b1111, "p1": 0b01}, "07"),
        (2, [("INT", 0, 16)], {"p0": -2}, "feff"),
        (1, [("SINT", 0, 4), ("USINT", 4, 4)], {"p0": -1, "p1": 6}, "6f"),
        (4, [("REAL", 0, 32)], {"p0": 1.5}, "0000c03f"),
        (8, [("LREAL", 0, 64)], {"p0": -2.0}, "00000000000000c0"),
        # A REAL in fewer bits than it has is a whole number there.
        (2, [("REAL", 0, 16)], {"p0": 2.5}, "0300"),
        (2, [("UINT", 0, 16)], {"p0": 2.5}, "0300"),
        (2, [("UINT", 0, 16)], {"p0": "text"}, "0000"),
        (2, [("UINT", 0, 16)], {"p0": None}, "0000"),
        # What does not fit the size that the file gives is not sent.
        (1, [("USINT", 0, 8), ("USINT", 8, 8), ("USINT", 4, 8)], {"p0": 1, "p1": 2, "p2": 3}, "01"),
        (0, [("USINT", 0, 8)], {"p0": 1}, ""),
    ],
)
def test_fields_by_hand(octets: int, fields: list[tuple[str, int, int]], values: dict[str, Any], wire: str) -> None:
    assert packed(octets, fields, values).hex() == wire


def test_what_is_not_set_is_the_file_s_default_and_else_nothing() -> None:
    fields = [("UINT", 0, 16), ("UINT", 16, 16), ("UINT", 32, 16)]
    assert packed(6, fields, {"p1": 7}, p0=300, p1=5).hex() == "2c0107000000"
    # Set to nothing is set all the same.
    assert packed(6, fields, {"p0": 0}, p0=300, p1=5).hex() == "000005000000"


@given(
    st.lists(st.tuples(st.sampled_from(["<B", "<H", "<I", "<b", "<h", "<i", "<f"]), st.integers(0, 100)), max_size=8)
)
def test_whole_octets_are_as_struct_packs_them(given_: list[tuple[str, int]]) -> None:
    kinds = {"<B": "USINT", "<H": "UINT", "<I": "UDINT", "<b": "SINT", "<h": "INT", "<i": "DINT", "<f": "REAL"}
    fields, values, wire = [], {}, b""
    for n, (code, value) in enumerate(given_):
        signed = -value if code in ("<b", "<h", "<i") else value
        fields.append((kinds[code], 8 * len(wire), 8 * struct.calcsize(code)))
        values[f"p{n}"] = signed
        wire += struct.pack(code, signed)
    assert packed(len(wire), fields, values) == wire


@given(st.lists(st.tuples(st.integers(1, 12), st.integers(0, 5000)), min_size=1, max_size=10))
def test_fields_of_any_width_stand_side_by_side(given_: list[tuple[int, int]]) -> None:
    fields, values, at, expected = [], {}, 0, 0
    for n, (bits, value) in enumerate(given_):
        fields.append(("UINT", at, bits))
        values[f"p{n}"] = value
        expected |= (value % 2**bits) << at
        at += bits
    octets = -(-at // 8)
    assert packed(octets, fields, values) == expected.to_bytes(octets, "little")


def test_a_size_beyond_what_a_request_holds_is_cut_there() -> None:
    assert len(packed(5000, [], {})) == 510


def test_the_scanner_of_the_demo_by_its_file() -> None:
    device = LIBRARY.find(KEYS["cv7"])
    assert device is not None
    choice = next(c.configuration for c in device.connections if c.configuration)
    assert from_parameters(choice, device, {}).hex() == "6400c800017e04"
