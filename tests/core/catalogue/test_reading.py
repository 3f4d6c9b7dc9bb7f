"""Readers of description files: every quirk of the field as a case, demo files as a corpus, mutations as an attack."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.catalogue.choices import ExchangeChoice, Span
from highmoor.core.catalogue.reading.description import Description, Unreadable
from highmoor.core.catalogue.reading.families import read_octets
from highmoor.core.catalogue.types import DeviceType, Parameter
from tests.paths import DEMO

CORPUS = sorted(
    f
    for f in DEMO.rglob("*")
    if f.suffix in (".eds", ".gsd", ".gse", ".csv", ".json", ".xml") and not f.name.startswith("skelder_io_")
)
DEVICE = '[Device]\nVendCode = 1; VendName = "Maker"; ProdType = 2; ProdCode = 3; MajRev = 4; MinRev = 5;\n'
GSD = '#Profibus_DP\nVendor_Name = "Maker"\nModel_Name = "Device"\nIdent_Number = 0xFA01\n'


def described(text: str | bytes, name: str = "file") -> Description:
    return read_octets(text if isinstance(text, bytes) else text.encode(), name)


def eds(body: str) -> DeviceType:
    return described(DEVICE + body).devices[0]


def gsd(body: str, name: str = "x.gsd") -> DeviceType:
    return described(GSD + body, name).devices[0]


def parameter(body: str, key: str = "param1") -> Parameter:
    return next(p for p in eds("[Params]\n" + body).parameters if p.key == key)


def errors(description: Description) -> list[int]:
    return [problem.line for problem in description.problems if problem.severity == "error"]


# --- All families


@pytest.mark.parametrize(
    ("octets", "encoding"),
    [
        (f'{DEVICE}ProdName = "Öl";'.encode("cp1252"), "cp1252"),
        (f'{DEVICE}ProdName = "Öl";'.encode(), "utf-8"),
        (f'{DEVICE}ProdName = "Öl";'.encode("utf-8-sig"), "utf-8-sig"),
        (f'{DEVICE}ProdName = "Öl";'.encode("utf-16"), "utf-16"),
        (f'{DEVICE}ProdName = "Öl";'.encode("latin-1") + b"$ \x81", "latin-1"),
        (f'{DEVICE}ProdName = "Öl";'.replace("\n", "\r\n").encode(), "utf-8"),
        (f'{DEVICE}ProdName = "Öl";'.replace("\n", "\r").encode(), "utf-8"),
    ],
)
def test_encoding_is_detected(octets: bytes, encoding: str) -> None:
    read = described(octets)
    assert read.devices[0].name == "Öl"
    assert read.encoding == encoding
    assert not read.problems


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("", "empty"),
        ("hello", "not a kind of description file"),
        ("\0\1\2", "zero octets"),
        ('<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "c">]><EtherCATInfo/>', "document type"),
        ('<?xml version="1.0" encoding="no-such"?><EtherCATInfo/>', "an encoding"),
        ('<?xml version="1.0"?><EtherCATInfo><Vendor/></EtherCATInfo>', "describes no device"),
        ("<ISO15745Profile><ProfileHeader/><DeviceProfile/></ISO15745Profile>", "describes no device"),
        ('<IODevice xmlns="x">', "describes no device"),
        ("<ExternalTextDocument>", "are read with the IODD"),
        ("[FileInfo]\nFileName=a\n[DeviceInfo]\nVendorName=b\n[MandatoryObjects]", "CANopen EDS or DCF: it is"),
        ("[Device]\n;", "not a kind of description file"),
        ('{"format": "highmoor-register-map", "registers": []}', "no register"),
        ('{"format": "highmoor-register-map", "registers": [', "no JSON"),
        ('{"format": "highmoor-register-map", "a": ' + "[" * 100_000, "nested too deeply"),
        ('{"format": "highmoor-register-map", "version": 2, "registers": [{}]}', "version 2"),
    ],
)
def test_what_cannot_be_read_is_refused_with_the_reason(text: str, reason: str) -> None:
    with pytest.raises(Unreadable, match=reason):
        described(text)


@pytest.mark.parametrize("file", CORPUS, ids=lambda f: f.name)
def test_the_corpus_is_read(file: Path) -> None:
    read = described(file.read_bytes(), file.name)
    assert read.vendor.name
    assert read.devices[0].name
    expected = [82, 90] if file.name == "em310.gsd" else []
    assert errors(read) == expected


@pytest.mark.parametrize("file", CORPUS, ids=lambda f: f.name)
@settings(max_examples=60)
@given(data=st.data())
def test_a_reader_raises_nothing_but_its_own(file: Path, data: st.DataObject) -> None:
    octets = bytearray(file.read_bytes())
    for _ in range(data.draw(st.integers(1, 6))):
        at = data.draw(st.integers(0, len(octets) - 1))
        cut = data.draw(st.integers(0, 60))
        piece = data.draw(
            st.sampled_from(
                [b"", b'"', b";", b",", b"=", b"[", b"]", b"\\\n", b"\n", b"0x", b"-", b"$", b"(", b")", b"\xff"]
            )
            | st.binary(max_size=4)
            | st.integers(-(2**70), 2**70).map(lambda n: str(n).encode())
        )
        octets[at : at + cut] = piece
    try:
        read = described(bytes(octets), file.name)
    except Unreadable as unreadable:
        assert unreadable.reason
    else:
        lines = bytes(octets).count(b"\n") + bytes(octets).count(b"\r") + 1
        assert all(0 <= problem.line <= lines for problem in read.problems)


# --- CIP EDS


@pytest.mark.parametrize(
    ("written", "label"),
    [
        ('"a$b;c,d=e"', "a$b;c,d=e"),
        ('"one " "two"', "one two"),
        ('"one ""two"', "one two"),
        ('"one " $ a comment; with marks\n "two"', "one two"),
        (r'"a \"quoted\" b\\c"', 'a "quoted" b\\c'),
    ],
)
def test_texts_of_an_eds(written: str, label: str) -> None:
    assert parameter(f'Param1 = 0,,"",0,0xC7,2,{written},"m","",0,9,1;').label == label


@pytest.mark.parametrize(
    ("code", "size", "text", "value"),
    [
        ("0xC3", 2, "0xFFFF", -1),
        ("0xC3", 2, "-32768", -32768),
        ("0xC2", 1, "0x80", -128),
        ("199", 2, "0x8000", 32768),
        ("0xC9", 8, "18446744073709551615", 2**64 - 1),
        ("0xC5", 8, "0x8000000000000000", -(2**63)),
        ("0xCA", 4, "1.5e-3", 0.0015),
        ("UINT", 2, "010", 10),
        ("0xC8", 4, "1E3", 1000),
        ("0xC6", 1, "", None),
    ],
)
def test_numbers_of_an_eds(code: str, size: int, text: str, value: float | None) -> None:
    read = parameter(f'Param1 = 0,,"",0,{code},{size},"p","","",{text},{text},{text};')
    assert (read.minimum, read.maximum, read.default) == (value, value, value)


def test_entries_may_share_a_line_and_keys_have_any_case() -> None:
    device = eds('[params] PARAM1=0,,"",0,0xC7,2,"a","","",0,9,1; param7=0,,"",2,0xC6,1,"b","","",0,9,4;\n'
                 'EnUm7 = 4, "four", 0, "none", 9, "nine";')  # fmt: skip
    # A section's name stands on a line of its own; what follows it on that line is read as well.
    assert [(p.key, p.label) for p in device.parameters] == [("param1", "a"), ("param7", "b")]
    assert device.parameters[1].choices == ((4, "four"), (0, "none"), (9, "nine"))


def test_scaling_by_constants_and_by_links() -> None:
    scaling = parameter('Param1 = 0,,"",4,0xC7,2,"p","","",0,9,1, 3,100,2,-50, 0,0,7,Param8, 2;').scaling
    assert scaling is not None
    assert (scaling.multiplier, scaling.divisor, scaling.base, scaling.offset) == (3, 100, 2, -50)
    assert (scaling.multiplier_link, scaling.base_link, scaling.offset_link) == ("", "param7", "param8")


def test_assembly_members_pad_nest_and_sum() -> None:
    device = eds(
        '[Params]\nParam1 = 0,,"",0,0xC7,2,"Speed","","",0,9,1; Param2 = 0,,"",0,0xC1,1,"Run","","",0,1,0;\n'
        '[Assembly]\nAssem1 = "Inner","20 04 24 01",,0,,, 1,Param2, 7,;\n'
        'Assem300 = "Outer","20 04 25 00 2C 01",,0,,, ,Param1, 8,, ,Assem1, ,Assem1, 4,Param1;'
    )
    outer = next(a for a in device.assemblies if a.key == "assem300")
    assert outer.instance == 300
    # 16 + 8 padding + 8 + 8 + 4 bits.
    assert outer.octets == 6
    assert [(f.key, f.bit, f.bits) for f in outer.fields] == [
        ("param1", 0, 16), ("pad16", 16, 8), ("assem1.param2", 24, 1), ("assem1.pad1", 25, 7),
        ("assem1#2.param2", 32, 1), ("assem1#2.pad1", 33, 7), ("param1#2", 40, 4),
    ]  # fmt: skip


def test_an_assembly_within_itself_is_a_problem_not_a_hang() -> None:
    read = described(DEVICE + '[Assembly]\nAssem1="a",,,0,,,,Assem2;\nAssem2="b",,,0,,,,Assem1;\nAssem3="c",,,0,,,8,;')
    assert [a.octets for a in read.devices[0].assemblies] == [0, 0, 1]
    assert errors(read) == [5]


CONNECTION = (
    '[Params]\nParam1 = 0,,"",0,0xC8,4,"RPI","us","",2000,500000,10000;\n'
    'Param2 = 0,,"",0,0xC7,2,"Size","","",0,480,16;\n'
    '[Assembly]\nAssem100 = "Out","20 04 24 64",,0,,,64,;\n'
    'Assem101 = "In","20 04 24 65",,0,,,128,;\n[Connection Manager]\n'
)


def connection(line: str) -> tuple[ExchangeChoice, ExchangeChoice]:
    found = eds(CONNECTION + line).connections[0]
    out, into = found.exchanges
    return out, into


@pytest.mark.parametrize(
    ("bits", "out_format", "in_format"),
    [
        ("0x44640405", "header-32", "modeless"),
        ("0x44640305", "heartbeat", "modeless"),
        ("0x44640105", "zero-length", "modeless"),
        ("0x44644005", "modeless", "header-32"),
        ("0x44644405", "header-32", "header-32"),
    ],
)
def test_real_time_format_of_each_direction(bits: str, out_format: str, in_format: str) -> None:
    out, into = connection(f'Connection1 = 0x04010002, {bits}, 1000,8,, 1000,16,,,,,,"c","","20 04 24 66 2C 64 2C 65";')
    assert (out.format, into.format) == (out_format, in_format)
    assert (out.transfers, into.transfers) == (("point-to-point",), ("multicast", "point-to-point"))


@pytest.mark.parametrize(
    ("size", "layout", "bits", "span"),
    [
        ("24", "", "0x44640405", Span(24, 24, 24)),
        ("", "Assem101", "0x44640405", Span(16, 16, 16)),
        ("Param2", "Assem101", "0x44640405", Span(0, 480, 16)),
        ("24", "", "0x44640409", Span(0, 24, 24)),
        # Nothing is said: open. A heartbeat carries nothing.
        ("", "", "0x44640405", Span()),
        ("", "", "0x44643405", Span(0, 0, 0)),
    ],
)
def test_sizes_are_constants_parameters_or_sums(size: str, layout: str, bits: str, span: Span) -> None:
    _, into = connection(
        f'Connection1 = 0x04010002, {bits}, 1000,8,, Param1,{size},{layout},,,,,"c","","20 04 2C 64 2C 65";'
    )
    assert into.octets == span
    assert into.interval_us == Span(2000, 500_000, 10_000)


@pytest.mark.parametrize(
    ("path", "points", "configuration"),
    [
        ("20 04 24 66 2C 64 2C 65", (100, 101), 102),
        ("20 04 25 00 2C 01 2D 00 2D 01 2D 00 2E 01", (301, 302), 300),
        ("01 SLOT 20 04 24 80 2C 70 2C 71", (112, 113), 128),
        ("20 04 24 66 2C [Param2] 2C 65", (16, 101), 102),
        ("34 04 01 00 02 00 03 00 04 05 20 04 24 66 2C 64 2C 65", (100, 101), 102),
    ],
)
def test_paths_lead_to_connection_points(path: str, points: tuple[int, int], configuration: int) -> None:
    device = eds(CONNECTION + f'Connection1 = 0x04010002, 0x44640405, ,8,, ,16,,,,,,"c","","{path}";')
    out, into = device.connections[0].exchanges
    assert (out.point, into.point) == points
    assert device.connections[0].configuration is not None
    assert device.connections[0].configuration.point == configuration


def test_damage_costs_its_own_entry_only() -> None:
    text = (
        DEVICE + '[Params]\nParam1 = 0,,"",0,0xC7,2,"one","","",0,9,1\n'  # 4: no semicolon
        'Param2 = 0,,"",0,0xC7,2,"two","","",0,9,2;\n'
        'Param3 = 0,,"",0,0xC7,2,"three;\n'  # 6: no closing quotation mark
        'Param4 = 0,,"",0,0xC7,2,"four","","",0,x9,4;\n'  # 7: no number
        "= 3;\n"  # 8: no key
        '[Odd Things]\nWhat = 1;\n[Params]\nParam9 = 0,,"",0,0xC7,2,"nine","","",0,9,9;'
    )
    read = described(text)
    assert [p.label for p in read.devices[0].parameters] == ["one", "two", "three", "four", "nine"]
    assert errors(read) == [4, 6, 7, 8]
    assert [(u.section, u.key) for u in read.unknown] == [("Odd Things", "What")]


def test_a_modular_device_tells_its_racks() -> None:
    rack = eds("[Modular]\nDefineSlotsInRack = 8;")
    assert (rack.kind, rack.limits.modules) == ("device", 8)
    module = eds("[Modular]\nWidth = 1;\nRack1 = 1, 12, 77, 2, 1,,,, 1, 2, 3;")
    assert module.kind == "module"
    assert (module.racks[0].product_code, module.racks[0].slots) == (77, (1, 2, 3))


# --- PROFIBUS GSD


@pytest.mark.parametrize(
    ("octets", "sizes"),
    [
        ("0x11", (2, 0, False)),
        ("0x00", (0, 0, False)),
        ("17,33", (2, 2, False)),
        ("0xC1,0x0F,0x83,0xAA", (4, 16, False)),
        ("0x42,0x85,0x01,0x02", (6, 0, True)),
        ("0x40, \\\n 0xC3", (8, 0, True)),
        ("010", (0, 0, False)),
    ],
)
def test_identifiers_of_modules(octets: str, sizes: tuple[int, int, bool]) -> None:
    padded = octets if octets != "010" else "010,1,1,1,1,1,1,1,1,1,1"
    (module,) = gsd(f'Module = "m" {padded}\n7\nEndModule').modules
    assert (module.in_octets, module.out_octets, module.consistent) == sizes
    assert module.key == "m7"


def test_keywords_texts_and_continued_lines() -> None:
    device = gsd(
        'MODEL_NAME = "a;b"\nrevision = "V 1.0 \\\nand more" ; comment\nMin_Slave_Intervall = 0x0A\n12M_supp=1\n'
    )
    assert (device.name, device.revisions) == ("a;b", ("V 1.0 and more",))
    assert device.limits.min_interval_us == 1000
    assert device.limits.baud_rates == (12_000_000,)


def test_parameters_are_shared_and_lie_high_octet_first_where_the_file_says() -> None:
    device = gsd(
        'PrmText = 2\nText(0) = "off"\nText(5) = "five"\nEndPrmText\n'
        'ExtUserPrmData = 3 "Kind"\nBitArea(2-4) 5 0,5\nPrm_Text_Ref = 2\nEndExtUserPrmData\n'
        'ExtUserPrmData = 4 "Limit"\nSigned16 -100 -100-100\nEndExtUserPrmData\n'
        'Module = "m" 0x10\nExt_Module_Prm_Data_Len = 6\nExt_User_Prm_Data_Const(0) = 1,2, \\\n 0x03\n'
        "Ext_User_Prm_Data_Ref(1) = 3\nExt_User_Prm_Data_Ref(3) = 4\nExt_User_Prm_Data_Ref(5) = 3\nEndModule"
    )
    kind, limit = device.parameters
    assert (kind.bit, kind.bits, kind.choices, kind.allowed) == (2, 3, ((0, "off"), (5, "five")), ((0, 0), (5, 5)))
    assert (limit.data_type, limit.default, limit.allowed) == ("INT", -100, ((-100, 100),))
    (module,) = device.modules
    assert [(p.parameter, p.octet) for p in module.parameters] == [("p3", 1), ("p4", 3), ("p3", 5)]
    # Defaults over the constants: 5 in bits 2–4 beside what was there, −100 high octet first, 5 once more.
    assert module.parameter_octets == "01 16 03 FF 9C 14"


def test_slots_mix_ranges_and_single_values() -> None:
    modules = "".join(f'Module = "m{n}" 0x10\n{n}\nEndModule\n' for n in range(1, 8))
    device = gsd(modules + 'SlotDefinition\nSlot(1) = "Head" 1 1\nSlot(2) = "Any" 7 2-4, 6,7\nEndSlotDefinition')
    assert [(s.number, s.default, s.allowed) for s in device.slots] == [
        (1, "m1", ("m1",)),
        (2, "m7", ("m2", "m3", "m4", "m6", "m7")),
    ]


def test_diagnosis_of_station_and_module() -> None:
    device = gsd(
        'Unit_Diag_Bit(3) = "hot"\nUnit_Diag_Bit_Help(3) = "let it cool"\nUnit_Diag_Not_Bit(4) = "no supply"\n'
        'Unit_Diag_Area = 8-10\nValue(5) = "five"\nUnit_Diag_Area_End\nChannel_Diag(16) = "own"\n'
        'Module = "m" 0x10\nChannel_Diag(17) = "module\'s"\nEndModule'
    )
    told = [(d.kind, d.bit, d.bits, d.value, d.text, d.help) for d in device.diagnosis]
    assert told == [
        ("bit", 3, 1, 1, "hot", "let it cool"), ("bit clear", 4, 1, 0, "no supply", ""),
        ("area", 8, 3, 5, "five", ""), ("channel", 0, 0, 16, "own", ""),
    ]  # fmt: skip
    assert [d.value for d in device.modules[0].diagnosis] == [17]


@pytest.mark.parametrize(("name", "language"), [("a.GSE", "English"), ("b.gsg", "German"), ("c.gsd", "default")])
def test_language_by_the_extension(name: str, language: str) -> None:
    assert gsd("", name).facts["language"] == language


def test_a_damaged_gsd_keeps_what_is_whole() -> None:
    read = described(
        GSD + 'Module = "a" 0x10\n1\nModule = "b" 0x40\n2\nEndModule\nEndPrmText\n'
        'Module = "c" 0x20\nWhat_Is_This = 3\nEndModule\n'
        'ExtUserPrmData = 9 "p"\nPrm_Text_Ref = 4\n'
    )
    assert [m.label for m in read.devices[0].modules] == ["a", "c"]
    # 5: a is not ended; 7: b lacks its length octet; 10: nothing to end; 14: not ended, no type, no text list.
    assert sorted(set(errors(read))) == [5, 7, 10, 14]
    assert [(u.section, u.key) for u in read.unknown] == [("Module “c”", "What_Is_This")]


# --- Register maps


CSV_HEAD = "# format: highmoor-register-map\n# maker: Maker\n# model: Device\n"


@pytest.mark.parametrize(
    ("columns", "row", "key", "reference"),
    [
        ("reference,name,type", "40010,a,INT", "4.9", "40010"),
        ("reference;name;type", "400010;a;INT", "4.9", "40010"),
        ("area,number,name,type", "holding,10,a,INT", "4.9", "40010"),
        ("area\taddress\tname\ttype", "4\t0x0009\ta\tINT", "4.9", "40010"),
        ("reference,name,type,bit", "30001,a,BOOL,7", "3.0.7", "30001"),
        ("reference,name,type", "00017,a,BOOL", "0.16", "00017"),
    ],
)
def test_places_of_a_register_map(columns: str, row: str, key: str, reference: str) -> None:
    (field,) = described(f"{CSV_HEAD}{columns}\n{row}\n").devices[0].registers
    assert (field.key, field.reference) == (key, reference)


def test_json_and_csv_say_the_same() -> None:
    csv = described(
        CSV_HEAD + "reference,name,type,order,scale,unit,values,text\n"
        '40001,a,REAL,CDAB,,bar,,"b, c"\n40003,d,UINT,,0.1,,0=off|1=on,'
    )
    json = described(
        '{"format": "highmoor-register-map", "version": 1, "maker": "Maker", "model": "Device", "registers": ['
        '{"reference": 40001, "name": "a", "type": "REAL", "order": "CDAB", "unit": "bar", "text": "b, c"},'
        '{"area": 4, "address": 2, "name": "d", "type": "UINT", "scale": 0.1, "values": {"0": "off", "1": "on"}}]}'
    )
    assert csv.devices[0].registers == json.devices[0].registers
    assert not csv.problems


def test_a_bad_row_costs_itself() -> None:
    read = described(
        CSV_HEAD + "reference,name,type,bit\n40001,good,DINT,\n40002,shares,INT,\n40010,odd,FANCY,\n"
        "45,short,INT,\n40020,bit,BOOL,16\n"
        "10001,wide,INT,\n40001,again,DINT,\n"
    )
    assert [r.label for r in read.devices[0].registers] == ["good", "shares"]
    assert errors(read) == [7, 8, 9, 10, 11]
    assert any("share registers" in problem.text for problem in read.problems)


# --- What trials of the readers found


MODULAR = (
    "[Modular]\nRack1 = 1,12,7,1,1,,,,1,2,3;\n[Connection Manager]\n"
    'Connection1 = 0x04010002,0x44640405,,8,,,8,,,,,,"c","","20 04 24 01 2C 64 2C 65";\n'
)


def test_a_modular_device_with_a_port_of_its_own_is_a_station_and_one_without_a_module() -> None:
    station = eds(MODULAR + '[Port]\nPort1 = TCP, "a", "20 F5 24 01", 2;\n')
    assert (station.kind, len(station.racks)) == ("device", 1)
    assert eds(MODULAR).kind == "module"
    assert eds(MODULAR.replace("[Connection", "[Other")).kind == "module"


@pytest.mark.parametrize(
    ("link", "sockets"),
    [
        ("", None),
        ("[Ethernet Link Class]\nNumber_Of_Static_Instances = 2;", 2),
        ("[Ethernet Link Class]\nMaxInst = 3;", 3),
        ("[Ethernet Link Class]\nMaxInst = 4;\nNumber_Of_Static_Instances = 1;", 1),
    ],
)
def test_sockets_are_instances_of_the_link_object(link: str, sockets: int | None) -> None:
    two_ports = '[Port]\nPort1 = TCP, "a", "20 F5 24 01", 2;\nPort2 = Backplane, "b", "", 1;\n'
    assert eds(two_ports + link).sockets == sockets


def test_what_is_not_used_is_kept_and_listed_with_its_fields_apart() -> None:
    fields = ", ".join(["0", "", '""', "0", "0xC7", "2", '"p"', '""', '""', "0", "9", "1", *[""] * 9, "21", "22", "23"])
    text = (
        DEVICE + 'Icon = "a.ico"; IconContents = "QUJD" "REVG";\n[ParamClass]\nMaxInst = 4;\nDescriptor = 9;\n'
        f"[Params]\nParam1 = {fields};\n"
        '[Assembly]\nAssem1 = "a", "20 04 24 01 30 03", 2, 0x0001, , , 16, Param1;\n'
        '[Port]\nObject_Name = "Port Object"; Port1 = TCP, "a", "20 F5 24 01", 2, 7, 8;\n[Odd]\nKey = "a, b", c;\n'
    )
    read = described(text)
    facts = read.devices[0].facts
    assert facts["paramclass"] == {"MaxInst": "4", "Descriptor": "9"}
    assert facts["port"]["Object_Name"] == "Port Object"
    assert facts["port"]["Port1"] == ["TCP", "a", "20 F5 24 01", "2", "7", "8"]
    assert facts["params"] == {"Param1": ["21", "22", "23"]}
    assert facts["assembly"] == {"Assem1": ["0x0001", "", ""]}
    assert facts["icon"] == "QUJDREVG"
    assert [(u.section, u.key, u.fields) for u in read.unknown] == [("Odd", "Key", ("a, b", "c"))]


@pytest.mark.parametrize(
    ("ends", "default", "warned"),
    [(("0x8000", "0x7FFF"), "0", False), (("-5", "5"), "6", True), (("0", "0xFFFF"), "-2", True),
     (("", "9"), "9", False), (("0", ""), "-1", True)],
)  # fmt: skip
def test_ranges_of_signed_types_and_a_default_outside(ends: tuple[str, str], default: str, warned: bool) -> None:
    text = f'{DEVICE}[Params]\nParam1 = 0,,"",0,0xC3,2,"p","","",{ends[0]},{ends[1]},{default};'
    read = described(text)
    (found,) = read.devices[0].parameters
    if ends[0] == "0x8000":
        assert (found.minimum, found.maximum) == (-32768, 32767)
    outside = [p for p in read.problems if "outside" in p.text or "above its maximum" in p.text]
    assert bool(outside) == warned
    assert all(p.line == 4 for p in outside)


def test_international_strings_have_a_type() -> None:
    read = parameter('Param1 = 0,,"",0,0xDE,0,"p","","","","","x";')
    assert (read.data_type, read.default) == ("STRINGI", "x")


def test_octets_that_no_field_names_are_pieces_too() -> None:
    from highmoor.core.networks.ethernet_ip.layout import _pieces

    device = eds(
        '[Params]\nParam1 = 0,,"",0,0xC6,1,"Status","","",0,255,0;\n[Assembly]\n'
        'Assem101 = "in", , 6, , , , 3, , 8, Param1, 5, , 8, Param1;\n[Connection Manager]\n'
        'Connection1 = 0x04010002,0x44640405,,2,,,6,Assem101,,,,,"c","","20 04 24 66 2C 64 2C 65";\n'
    )
    into = device.connections[0].exchanges[1]
    pieces = list(_pieces(into, 6))
    # Bits 3–10 and 16–23 have names; octets 3, 4 and 5 are there all the same.
    assert [(p.key, p.bit, p.bits) for p in pieces] == [
        ("o0.3", 3, 8), ("o2", 16, 8), ("o3", 24, 8), ("o4", 32, 8), ("o5", 40, 8),
    ]  # fmt: skip


@pytest.mark.parametrize("bom", ["utf-8-sig", "utf-16"])
def test_a_wrong_octet_behind_a_byte_order_mark_is_a_problem_with_its_line(bom: str) -> None:
    octets = (DEVICE + 'ProdName = "Größe";\nCatalog = "x";\n').encode(bom)
    if bom == "utf-16":
        spoilt = octets.replace("ö".encode("utf-16-le"), b"\x00\xd8")
    else:
        spoilt = octets.replace("ö".encode(), b"\xf6")
    read = described(spoilt)
    assert [p.line for p in read.problems if "is not valid" in p.text] == [3]
    assert [p for p in described(octets).problems if "is not valid" in p.text] == []


def test_limits_are_kept_while_reading(monkeypatch: pytest.MonkeyPatch) -> None:
    from highmoor.core.catalogue.reading.cip_eds import syntax as cip
    from highmoor.core.catalogue.reading.profibus_gsd import syntax as dp

    monkeypatch.setattr(cip, "ENTRIES_AT_MOST", 50)
    monkeypatch.setattr(dp, "STATEMENTS_AT_MOST", 50)
    many = "[Odd]\n" + "".join(f"Key{n} = {n};\n" for n in range(100))
    for text, says in ((DEVICE + many, "50 entries"), (GSD + "Odd = 1\n" * 100, "50 statements")):
        with pytest.raises(Unreadable) as refused:
            described(text)
        assert says in refused.value.reason
        assert refused.value.line > 40


def test_ordinary_entries_are_read_as_token_by_token(monkeypatch: pytest.MonkeyPatch) -> None:
    """The fast way and the careful one say the same of every file of the corpus, sound or damaged."""
    import random
    import re

    from highmoor.core.catalogue.reading.cip_eds import syntax

    chance = random.Random(3)
    texts = [f.read_bytes().decode("cp1252") for f in CORPUS if f.suffix == ".eds"]
    for text in list(texts):
        for _ in range(60):
            at = chance.randrange(len(text))
            texts.append(text[:at] + chance.choice(('"', ";", ",", "=", "$", "[", "\\", "\n", "")) + text[at + 1 :])
    quick = [_outline(text) for text in texts]
    monkeypatch.setattr(syntax, "_ORDINARY", re.compile(r"(?!)"))
    assert [_outline(text) for text in texts] == quick


def _outline(text: str) -> object:
    from highmoor.core.catalogue.reading.cip_eds.syntax import parse
    from highmoor.core.catalogue.reading.description import Problems

    problems = Problems()
    sections = parse(text, problems)
    return [(s.name, s.line, [(e.key, e.line, e.fields) for e in s.entries]) for s in sections], problems.all()


def test_five_megabytes_take_no_more_than_three_times_a_split_by_lines_and_regex() -> None:
    import re
    import time

    from highmoor.core.catalogue.reading.cip_eds.syntax import parse
    from highmoor.core.catalogue.reading.description import Problems

    entry = '    Param{} = 0, 6, "20 0F 24 {} 30 01", 0x0000, 0xC7, 2, "A name", "mm", "Help", 0, 9, 5, 1, 1, 1, 0;\n'
    text = "[Params]\n" + "".join(entry.format(n, n) for n in range(45_000))
    assert len(text) > 4.5e6
    piece = re.compile(r'\s*([^=]+)=|"([^"]*)"|[^,;]+')

    def split() -> None:
        for line in text.splitlines():
            piece.findall(line)

    def ours() -> None:
        assert len(parse(text, Problems())[0].entries) == 45_000

    ratios = []
    for _ in range(3):
        times = []
        for work in (split, ours):
            began = time.perf_counter()
            work()
            times.append(time.perf_counter() - began)
        ratios.append(times[1] / times[0])
    assert min(ratios) < 3, ratios


def test_extended_parameters_replace_the_old_and_safety_ones_stand_beside() -> None:
    device = gsd(
        "User_Prm_Data_Len = 3\nUser_Prm_Data = 9,9,9\nExt_User_Prm_Data_Const(0) = 1,2,3\n"
        "F_Ext_User_Prm_Data_Const(0) = 0x08,0x40\nF_ParamDescCRC = 0x1234\nX_Ext_User_Prm_Data_Const(1) = 7\n"
        "Slave_Redundancy_supp = 8\nMax_Switch_Over_Time = 300\nTime_Sync_supp = 1\n"
    )
    assert device.parameter_octets == "01 02 03"
    assert (device.facts["f_parameter_octets"], device.facts["x_parameter_octets"]) == ("08 40", "00 07")
    assert (device.facts["f_paramdesccrc"], device.facts["max_switch_over_time"]) == (0x1234, 300)
    assert gsd("User_Prm_Data_Len = 3\nUser_Prm_Data = 9,9,9\n").parameter_octets == "09 09 09"


def test_signed_parameters_in_hex_and_compact_stations() -> None:
    device = gsd(
        'Modular_Station = 0\nExtUserPrmData = 1 "a"\nSigned16 0xFFFE 0x8000-0x7FFF\nEndExtUserPrmData\n'
        'Module = "small" 0x10\n1\nEndModule\nModule = "large" 0x17, 0x23\n2\nEndModule\n'
    )
    (found,) = device.parameters
    assert (found.default, found.allowed) == (-2, ((-32768, 32767),))
    assert (device.limits.in_octets, device.limits.out_octets, device.limits.modules) == (8, 4, 1)
    given = gsd('Modular_Station = 0\nMax_Input_Len = 16\nModule = "m" 0x10\n1\nEndModule\n')
    assert (given.limits.in_octets, given.limits.out_octets) == (16, 0)
