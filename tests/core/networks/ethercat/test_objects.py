"""Objects in devices: what is typed becomes octets and back, all are read and compared, refusals are the device's."""

from __future__ import annotations

import struct
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.errors import Refusal
from highmoor.core.networks.ethercat.objects import ObjectsOfNode
from highmoor.core.networks.ethercat.slave import Slave
from highmoor.core.networks.ethercat.values import forms_of, octets_of
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Module, Network, Station
from highmoor.core.project import edits
from tests.core.networks.ethercat.test_bench import going
from tests.core.networks.ethercat.turner import LIBRARY, do, line, named, put

GATES = line(("PG-3", ()))
GATEWAY = GATES.all(Station)[0].id


def asked(bench: Bench, row: str, key: str = "", typed: str | None = None) -> dict[str, dict[str, Any]]:
    """What came of reading or writing, by key."""
    bench.objects.news = []
    if typed is None:
        bench.objects.read(row, key)
    else:
        bench.objects.write(row, key, typed)
    while bench.objects.under_way():
        bench.run_until(bench.seconds + 0.1)
    return {one["key"]: one for one in bench.objects.news}


def facts(plant: Plant, row: str) -> ObjectsOfNode:
    part = "ethercat.objects" if isinstance(plant.find(row), Station) else "ethercat.module-objects"
    found = analyse(plant, LIBRARY).result(part, row)
    assert isinstance(found, ObjectsOfNode)
    return found


# ── octets


@pytest.mark.parametrize(
    ("typed", "data_type", "bits", "octets"),
    [
        ("250", "UINT", 16, "FA 00"),
        ("16#FA", "UINT", 16, "FA 00"),
        ("2#1111_1010", "UINT", 16, "FA 00"),
        ("-2", "INT", 16, "FE FF"),
        ("16#FFFE", "INT", 16, "FE FF"),
        # What the type does not hold goes out as long as it needs to be: the device says no.
        ("32768", "INT", 16, "00 80 00 00"),
        ("65535", "UINT", 16, "FF FF"),
        ("65536", "UINT", 16, "00 00 01 00"),
        ("1", "BOOL", 1, "01"),
        ("on", "BOOL", 1, "01"),
        ("1.5", "REAL", 32, "00 00 C0 3F"),
        ("PG", "STRING", 32, "50 47 00 00"),
        # Of what no file describes, as few as hold it.
        ("300", "", 0, "2C 01"),
        ("-1", "", 0, "FF"),
    ],
)
def test_what_is_typed(typed: str, data_type: str, bits: int, octets: str) -> None:
    assert octets_of(typed, data_type, bits).hex(" ").upper() == octets


@pytest.mark.parametrize(
    ("typed", "data_type"),
    [("-1", "UINT"), ("1.5", "INT"), ("x", "INT"), ("1e400", "REAL"), ("16#1" + 16 * "0", "ULINT"), ("ü", "STRING")],
)
def test_what_is_no_value(typed: str, data_type: str) -> None:
    with pytest.raises(Refusal):
        octets_of(typed, data_type, DATA_TYPES[data_type].bits if data_type in DATA_TYPES else 32)


WHOLE = [name for name, kind in DATA_TYPES.items() if kind.family in ("signed", "unsigned") and kind.bits >= 8]


@given(st.sampled_from(WHOLE), st.data())
def test_every_form_of_a_number_says_the_same_octets(data_type: str, data: st.DataObject) -> None:
    size = DATA_TYPES[data_type].bits // 8
    octets = data.draw(st.binary(min_size=size, max_size=size))
    forms = forms_of(octets, data_type)
    for form in (forms.decimal, forms.hexadecimal, forms.binary):
        assert octets_of(form, data_type, 8 * size) == octets


@given(st.floats(width=32, allow_nan=False, allow_infinity=False))
def test_a_real_is_shown_as_it_is(value: float) -> None:
    octets = struct.pack("<f", value)
    assert octets_of(forms_of(octets, "REAL").hexadecimal, "UDINT", 32) == octets


# ── in devices


def test_all_are_read_and_what_is_written_at_the_start_is_as_configured() -> None:
    plant = do(
        GATES,
        edits.OnNetwork(
            network=GATES.all(Network)[0].id, edit="write",
            values={"node": GATEWAY, "index": "16#8000", "subindex": "1", "value": "250"},
        ),
    )  # fmt: skip
    bench = going(plant)
    seen = asked(bench, GATEWAY)
    told = {value.key: value for area in facts(plant, GATEWAY).areas for one in area.objects for value in one.values}
    assert seen.keys() == told.keys()
    assert seen["8000:01"]["forms"]["decimal"] == "250"
    assert told["8000:01"].why == "written Pre-Op → Safe-Op"
    assert seen["1008:00"]["forms"]["text"] == "PG-3"
    usual = {key: value.usual for key, value in told.items() if value.usual}
    assert {key: seen[key]["forms"]["octets"] for key in usual} == {k: forms.octets for k, forms in usual.items()}
    # And they are what is in it.
    (slave,) = bench.on_the_fly[plant.all(Network)[0].id].stops[GATEWAY].chain
    assert isinstance(slave, Slave)
    for key, one in seen.items():
        index, sub = (int(part, 16) for part in key.split(":"))
        assert one["forms"]["octets"] == slave.dictionary.read(index, sub).hex(" ").upper()


REFUSED = [
    ("8000:01", "16#FFFFF", "16#06070012, the value is too long"),
    ("8000:01", "1000", "16#06090031, the value is too great"),
    ("9000:01", "x", "16#06010002, it can only be read"),
    ("8000:07", "1", "16#06090011, there is no such subindex"),
    ("1234:00", "1", "16#06020000, there is no such object"),
]


@pytest.mark.parametrize(("key", "typed", "why"), REFUSED)
def test_a_refusal_is_in_words_and_changes_nothing(key: str, typed: str, why: str) -> None:
    bench = going(GATES)
    before = asked(bench, GATEWAY)
    (told,) = asked(bench, GATEWAY, key, typed).values()
    assert not told["good"]
    assert told["text"].startswith(why)
    assert {k: one["forms"] for k, one in asked(bench, GATEWAY).items()} == {k: o["forms"] for k, o in before.items()}
    # What it does take, it has.
    (told,) = asked(bench, GATEWAY, "8000:01", "999").values()
    assert (told["good"], asked(bench, GATEWAY, "8000:01")["8000:01"]["forms"]["decimal"]) == (True, "999")


def test_only_who_can_answer_is_asked() -> None:
    plant = line(("TE-1", ("TD-16",)), "CS-5")
    drive = named(plant, "S2").id
    bench = going(plant)
    for key, why in (("10000:00", "An index goes up"), ("zz", "is no index"), ("6041:100", "An index goes up")):
        with pytest.raises(Refusal, match=why):
            bench.objects.read(drive, key)
    with pytest.raises(Refusal, match="no object"):
        bench.objects.read(plant.all(Module)[0].id)
    with pytest.raises(Refusal, match="no objects that can be reached"):
        bench.objects.read(plant.all(Network)[0].id)
    bench.objects.read(drive)
    with pytest.raises(Refusal, match="wait until that is done"):
        bench.objects.read(drive)
    bench.objects.stop(drive)
    bench.run_until(bench.seconds + 0.1)
    assert len(bench.objects.news) == 1
    silent = going(put(plant, named(plant, "S2").id, settings__identity="exact"))
    assert "6041:00" in asked(silent, drive, "6041:00")


def test_process_data_is_not_compared() -> None:
    plant = line("CS-5")
    told = {v.key: v for area in facts(plant, plant.all(Station)[0].id).areas for o in area.objects for v in o.values}
    assert told["6040:00"].usual is None
    assert told["6065:00"].usual is not None
    assert told["6041:00"].usual is None
