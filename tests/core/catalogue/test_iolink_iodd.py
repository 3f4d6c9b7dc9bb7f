"""IODDs read: both versions, languages, variants by condition, records, arrays, gradients, menus, wires; and damage."""

from __future__ import annotations

import base64
import dataclasses
import hashlib
import io
import re
import zipfile
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter

from highmoor.core.catalogue.io_link import IoDevice, IoField
from highmoor.core.catalogue.reading.description import Description, Unreadable
from highmoor.core.catalogue.reading.families import read_octets
from highmoor.intake.child import outcomes
from tests.core.catalogue.iodd import DISTANCE, OLDER


def read(text: str) -> Description:
    return read_octets(text.encode(), "device.xml")


def device(text: str = DISTANCE) -> IoDevice:
    found = read(text).devices[0].io_link
    assert found is not None
    return found


def told(fields: tuple[IoField, ...]) -> list[tuple[Any, ...]]:
    return [(f.subindex, f.label, f.bit, f.value.kind, f.value.bits, f.value.gradient, f.value.unit) for f in fields]


def test_a_file_is_read_whole() -> None:
    description = read(DISTANCE)
    assert description.problems == ()
    one, other = description.devices
    assert [d.key for d in (one, other)] == ["iolink.fa11.00148d.PD-20-M12", "iolink.fa11.00148d.PD-20-CAB"]
    assert (one.name, one.order_number, one.maker, one.vendor_id, one.product_code) == (
        "Distance sensor PD-20", "PD-20-M12", "Pellmar Sensing", 0xFA11, 5261,
    )  # fmt: skip
    assert (other.name, other.joins, other.file_in_octets, other.file_out_octets) == (
        "Distance sensor with cable", "IO-Link port", 4, 1,
    )  # fmt: skip
    d = device()
    assert (d.bitrate, d.least_cycle_us, d.sio, d.revision, d.data_storage) == (230400, 2300, True, "1.1", True)
    assert [(w.number, w.colour, w.function) for w in d.wires] == [
        (1, "BN", "L+"), (2, "WH", "Other"), (3, "BU", "L-"), (4, "BK", "C/Q"),
    ]  # fmt: skip
    assert d.connector == "M12-4"


def test_process_data_depends_on_a_parameter_and_travels_highest_first() -> None:
    d = device()
    distance, level = d.variants
    assert distance.inward is not None
    assert distance.outward is not None
    assert level.inward is not None
    assert told(distance.inward.fields) == [
        (1, "Distance", 8, "INT", 24, 0.1, "mm"),
        (2, "Quality", 2, "UINT", 6, 1.5873, "%"),
        (4, "Switch 2", 1, "BOOL", 1, 1, ""),
        (3, "Switch 1", 0, "BOOL", 1, 1, ""),
    ]
    assert distance.inward.fields[0].value.choices == ((8388607, "no echo"),)
    assert distance.inward.fields[0].value.ranges == ((0, 200000),)
    assert distance.inward.fields[0].value.decimals == 1
    assert told(level.inward.fields) == [(0, "Level", 0, "REAL", 32, 0.01, "m")]
    assert level.inward.fields[0].value.offset == -5
    assert (distance.outward.bits, distance.outward.fields[0].value.choices) == (8, ((1, "on"),))
    assert distance.condition is not None
    assert (distance.condition.index, distance.condition.value, distance.condition.label) == (
        64, 0, "Measures: Distance",
    )  # fmt: skip
    # What is not set is as the file has it usually.
    assert d.variant({}) is distance
    assert d.variant({(64, 0): 1}) is level
    assert d.variant({(64, 0): 7}) is None


def test_parameters_records_arrays_and_standard_ones() -> None:
    variables = {one.index: one for one in device().variables}
    assert sorted(variables) == [0x02, 0x12, 0x24, 64, 65, 66]
    mode, limits, trend = variables[64], variables[65], variables[66]
    assert mode.value is not None
    assert (mode.label, mode.access, mode.default, mode.stored, mode.octets) == ("Measures", "rw", "0", True, 1)
    assert mode.value.choices == ((0, "Distance"), (1, "Level"))
    assert told(limits.fields) == [(1, "Near", 16, "UINT", 16, 0.1, "mm"), (2, "Far", 0, "UINT", 16, 0.001, "m")]
    assert ([f.default for f in limits.fields], limits.stored, limits.octets) == (["", "2000"], False, 4)
    # The first element of an array travels first.
    assert [(f.subindex, f.bit) for f in trend.fields] == [(1, 36), (2, 24), (3, 12), (4, 0)]
    assert (trend.access, trend.dynamic, trend.octets) == ("ro", True, 6)
    status, command = variables[0x24], variables[0x02]
    assert status.value is not None
    assert command.value is not None
    assert status.value.choices[1] == (1, "Maintenance required")
    assert command.value.choices == ((130, "Restore factory settings"),)
    assert (variables[0x12].default, variables[0x12].octets) == ("PD-20", 64)


def test_events_errors_and_menus_are_kept() -> None:
    d = device()
    assert [(e.code, e.severity, e.label, e.text) for e in d.events] == [
        (0x4210, "warning", "Device temperature over-run", ""),
        (36000, "warning", "Window dirty", "Clean the window."),
    ]
    assert [(e.code, e.label) for e in d.errors] == [(0x8030, "Value out of range")]
    settings, more = d.menus
    assert (settings.label, [(e.variable, e.subindex, e.menu) for e in settings.entries]) == (
        "Settings", [(64, 0, ""), (65, 1, ""), (65, 2, ""), (None, 0, "M_More")],
    )  # fmt: skip
    assert settings.entries[-1].condition is not None
    assert settings.entries[-1].condition.label == "Measures: Level"
    assert more.entries[0].read_only
    assert d.roles == (("observer", ("M_More",)), ("specialist", ("M_Set", "M_More")))


def test_the_older_version_has_other_names() -> None:
    description = read(OLDER)
    assert description.problems == ()
    (one,) = description.devices
    assert (one.key, one.name, one.summary) == ("iolink.fa11.00004d", "Temperature probe", "Probe")
    assert one.io_link is not None
    assert (one.io_link.bitrate, one.io_link.least_cycle_us, one.io_link.revision) == (38400, 10000, "1.0")
    (variant,) = one.io_link.variants
    assert variant.inward is not None
    assert told(variant.inward.fields) == [(0, "Temperature", 0, "INT", 16, 1, "")]


def test_a_reading_comes_back_from_json_as_it_was() -> None:
    adapter = TypeAdapter(Description)
    description = read(DISTANCE)
    assert adapter.validate_json(adapter.dump_json(description)).devices == description.devices


@pytest.mark.parametrize(
    ("was", "becomes", "says"),
    [
        ('bitrate="COM3"', 'bitrate="COM7"', "“COM7” is none of COM1, COM2 and COM3."),
        ('minCycleTime="2300"', 'minCycleTime="300"', "No device can do 300 µs"),
        ('minCycleTime="2300"', 'minCycleTime="often"', "“often” is not a number"),
        ('datatypeId="D_Measured"', 'datatypeId="D_Gone"', "There is no type “D_Gone”."),
        ('bitOffset="8"', 'bitOffset="9"', "Subindex 1 lies beyond the 32 bits of its record."),
        ('subindex="4" bitOffset="1"', 'subindex="3" bitOffset="1"', "Subindex 3 is described twice"),
        (
            'variableId="V_Mode" value="1"/>\n     <ProcessDataIn',
            'variableId="V_No" value="1"/>\n     <ProcessDataIn',
            "There is no variable “V_No”.",
        ),
        ('value="1"/>\n     <ProcessDataIn', 'value="x"/>\n     <ProcessDataIn', "“x” is no value for a condition."),
        ('xsi:type="Float32T"', 'xsi:type="Float64T"', "“Float64T” is no type of data that is known."),
        ('gradient="0.01"', 'gradient="1e999"', "“1e999” is not a number."),
        ('bitLength="32"><DatatypeRef', 'bitLength="24"><DatatypeRef', "It says 24 bits, and its type has 32"),
        ('count="4"', 'count="4000"', "is not a number from 0 to 255"),
        ('textId="T_Dirty"', 'textId="T_Clean"', "There is no text “T_Clean”."),
        ('<VariableRef variableId="V_Mode"/>', '<VariableRef variableId="V_No"/>', "A menu shows a variable “V_No”"),
        ('accessRights="rw" defaultValue', 'accessRights="x" defaultValue', "“x” are no access rights."),
        ('<Datatype xsi:type="Float32T"/>', "", "It has no type of data."),
    ],
)
def test_what_is_wrong_is_told_with_its_line_and_the_rest_is_read(was: str, becomes: str, says: str) -> None:
    assert was in DISTANCE
    description = read(DISTANCE.replace(was, becomes, 1))
    (problem,) = [p for p in description.problems if says in p.text] or [None]
    assert problem is not None, description.problems
    # Lines as they are in the file; a fault is where it was put.
    line = DISTANCE[: DISTANCE.index(was)].count("\n") + 1
    assert line <= problem.line <= line + 3
    assert description.devices[0].io_link is not None
    assert len(description.devices[0].io_link.events) == 2


def test_an_unknown_unit_is_shown_as_its_code() -> None:
    limits = {one.index: one for one in device(DISTANCE.replace('unitCode="1010"', 'unitCode="1777"')).variables}[65]
    assert limits.fields[1].value.unit == "unit 1777"


def test_what_describes_no_device_is_refused() -> None:
    with pytest.raises(Unreadable, match="describes no device"):
        read("<IODevice><ProfileBody/></IODevice>")
    with pytest.raises(Unreadable, match="entities"):
        read(DISTANCE.replace("<IODevice ", '<!DOCTYPE x [<!ENTITY a "b">]>\n<IODevice ', 1))


LANGUAGE = """\
<?xml version="1.0" encoding="ISO-8859-1"?>
<ExternalTextDocument xmlns="http://example.invalid/IODD"><DocumentInfo version="V1.0"/>
<Language xml:lang="en"><Text id="T_Name" value="Distance &amp; level"/>
<Text id="T_Laser" value="Laser \u00b5"/></Language>
</ExternalTextDocument>
"""
GERMAN = re.sub(r'  <Language xml:lang="en">.*?</Language>\n', "", DISTANCE, flags=re.DOTALL)


def archive(*files: tuple[str, bytes]) -> bytes:
    with io.BytesIO() as made:
        with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as packed:
            for name, octets in files:
                packed.writestr(name, octets)
        return made.getvalue()


def test_an_archive_is_read_with_its_language_file_and_without_its_pictures() -> None:
    packed = archive(
        ("pd20/Pellmar-PD20-IODD1.1.xml", GERMAN.encode()),
        ("pd20/Pellmar-PD20-IODD1.1-en.xml", LANGUAGE.encode("latin-1")),
        ("pd20/Pellmar-PD20-IODD1.1-fr.xml", LANGUAGE.replace('"en"', '"fr"').encode("latin-1")),
        ("pd20/Pellmar-PD20-pic.png", b"\x89PNG" + bytes(1000)),
    )
    (outcome,) = outcomes(packed, "pd20.zip")
    assert outcome["name"] == "Pellmar-PD20-IODD1.1.xml"
    # What is kept of it stands for itself: read again it says the same.
    kept = base64.b64decode(outcome["octets"])
    assert hashlib.sha256(kept).hexdigest() == outcome["sha256"]
    again = read_octets(kept, "x.xml")
    assert again.devices[0].name == outcome["description"]["devices"][0]["name"] == "Distance & level"
    assert again.devices[0].io_link is not None
    (variant,) = [v for v in again.devices[0].io_link.variants if v.outward]
    assert variant.outward is not None
    # What is not translated stays in the file's own language.
    assert variant.outward.fields[0].label == "Laser \u00b5"
    assert variant.inward is not None
    assert variant.inward.fields[1].label == "Güte"


def test_a_language_file_by_itself_says_where_it_belongs() -> None:
    (outcome,) = outcomes(LANGUAGE.encode("latin-1"), "x-en.xml")
    assert "read with the IODD they belong to" in outcome["refused"]
    packed = archive(("one-en.xml", LANGUAGE.encode("latin-1")))
    assert "refused" in outcomes(packed, "one.zip")[0]


def test_an_archive_of_forty_megabytes_ends_within_its_bounds() -> None:
    big = archive(*[(f"{n}.xml", DISTANCE.encode() + b" " * 4_000_000) for n in range(10)])
    (refused,) = outcomes(big, "big.zip")
    assert "unpacks to" in refused["refused"]


@given(data=st.data())
def test_no_damage_breaks_the_reader(data: st.DataObject) -> None:
    """Pieces of the file cut out, doubled, or changed: it is read or refused, and what is read can be kept."""
    text = DISTANCE
    for _ in range(data.draw(st.integers(1, 4))):
        begin = data.draw(st.integers(0, len(text)))
        end = min(len(text), begin + data.draw(st.integers(0, 400)))
        by = data.draw(st.sampled_from(["", text[begin:end] * 2, '"', "<", "-1", "99999999999", "<Datatype/>"]))
        text = text[:begin] + by + text[end:]
    try:
        description = read(text)
    except Unreadable:
        return
    adapter = TypeAdapter(Description)
    assert adapter.validate_json(adapter.dump_json(description)).devices == description.devices
    for one in description.devices:
        found = one.io_link
        assert found is not None
        assert dataclasses.asdict(found)["device_id"] <= 0xFFFFFF
        for variant in found.variants:
            for way in (variant.inward, variant.outward):
                assert way is None or all(0 <= f.bit <= f.bit + f.value.bits <= way.bits <= 256 for f in way.fields)
