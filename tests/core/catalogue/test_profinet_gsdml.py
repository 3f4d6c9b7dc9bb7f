"""The reader of GSDML files: every quirk of the field as a case, damage and hostile files, its pace."""

from __future__ import annotations

import time
from dataclasses import replace
from typing import Any

import pytest
from lxml import etree

from highmoor.core.catalogue.choices import ModuleChoice
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.profinet import PnDevice, Record, Submodule
from highmoor.core.catalogue.reading.description import Description, Unreadable
from highmoor.core.catalogue.reading.families import read_octets
from highmoor.core.catalogue.types import Catalogue, DeviceType
from tests.pace import times_as_long
from tests.paths import DEMO

TEXTS = (
    '<ExternalTextList><PrimaryLanguage><Text TextId="A" Value="first"/><Text TextId="B" Value="second"/>'
    '</PrimaryLanguage><Language xml:lang="de"><Text TextId="A" Value="erster"/></Language>'
    '<Language xml:lang="en"><Text TextId="A" Value="English"/></Language></ExternalTextList>'
)
DAP = 'ID="D1" ModuleIdentNumber="0x10" PhysicalSlots="0..4" MinDeviceInterval="64"'
INFO = '<ModuleInfo><Name TextId="A"/><OrderNumber Value="ORDER"/><SoftwareRelease Value="V1"/></ModuleInfo>'


def gsdml(points: str, modules: str = "", submodules: str = "", lists: str = "", texts: str = TEXTS) -> str:
    return (
        '<?xml version="1.0"?>\n<ISO15745Profile xmlns="http://example/DeviceProfile"><ProfileBody>'
        '<DeviceIdentity VendorID="0xFAD0" DeviceID="64"><VendorName Value="Maker"/></DeviceIdentity>'
        f"<ApplicationProcess><DeviceAccessPointList>{points}</DeviceAccessPointList>"
        f"<ModuleList>{modules}</ModuleList><SubmoduleList>{submodules}</SubmoduleList>{lists}{texts}"
        "</ApplicationProcess></ProfileBody></ISO15745Profile>"
    )


def described(text: str | bytes) -> Description:
    return read_octets(text if isinstance(text, bytes) else text.encode(), "device.xml")


def point(body: str = "", attributes: str = DAP) -> str:
    return f"<DeviceAccessPointItem {attributes}>{INFO}{body}</DeviceAccessPointItem>"


def virtual(body: str, attributes: str = "") -> str:
    item = f'<VirtualSubmoduleItem ID="V" SubmoduleIdentNumber="1" {attributes}>{body}</VirtualSubmoduleItem>'
    return f"<VirtualSubmoduleList>{item}</VirtualSubmoduleList>"


def device(body: str, **more: Any) -> DeviceType:
    return described(gsdml(point(body), **more)).devices[0]


def facts(body: str, **more: Any) -> PnDevice:
    found = device(body, **more).profinet
    assert found is not None
    return found


def own(body: str, attributes: str = "", **more: Any) -> Submodule:
    found = device(virtual(body, attributes), **more).profinet_module
    assert found is not None
    return found.submodules[0]


def data(items: str, side: str = "Input") -> str:
    return f"<IOData><{side}>{items}</{side}></IOData>"


# ── who it is


def test_who_it_is() -> None:
    found = device("", lists="")
    assert (found.name, found.order_number, found.revisions, found.maker) == ("English", "ORDER", ("V1",), "Maker")
    assert (found.vendor_id, found.product_code, found.fieldbus) == (0xFAD0, 64, "profinet")
    assert found.profinet and (found.profinet.least_interval, found.profinet.device_id) == (64, 64)


@pytest.mark.parametrize(
    ("texts", "name"),
    [
        (TEXTS, "English"),
        (TEXTS.replace('xml:lang="en"', 'xml:lang="fr"'), "first"),
        (TEXTS.replace('<Text TextId="A" Value="English"/>', ""), "first"),
        ("", "ORDER"),
    ],
)
def test_what_is_not_translated_is_taken_from_the_primary_language(texts: str, name: str) -> None:
    assert described(gsdml(point(), texts=texts)).devices[0].name == name


def test_a_prefix_instead_of_a_default_namespace_changes_nothing() -> None:
    text = gsdml(point(virtual(data('<DataItem DataType="Unsigned8"/>'))))
    spaced = text.replace("xmlns=", "xmlns:g=").replace("</", "</g:").replace("<", "<g:").replace("<g:/g:", "</g:")
    assert described(spaced.replace("<g:?xml", "<?xml")).devices == described(text).devices


@pytest.mark.parametrize(
    ("body", "read"),
    [
        ("", ((32,), ("RT_CLASS_1",), ())),
        (
            '<TimingProperties SendClock="8 16..18 32" ReductionRatio="1 2"/>',
            ((8, 16, 17, 18, 32), ("RT_CLASS_1",), ()),
        ),
        ('<MediaRedundancy SupportedRole="Manager;Client"/>', ((32,), ("RT_CLASS_1",), ("manager", "client"))),
        ("<MediaRedundancy/>", ((32,), ("RT_CLASS_1",), ("client",))),
    ],
)
def test_an_interface_tells_its_clocks_and_its_part_in_a_ring(body: str, read: tuple[Any, ...]) -> None:
    system = f"<SystemDefinedSubmoduleList><InterfaceSubmoduleItem>{body}</InterfaceSubmoduleItem>"
    interface = facts(f"{system}</SystemDefinedSubmoduleList>").interface
    assert interface and (interface.clocks, interface.classes, interface.roles) == read


def test_classes_of_real_time_are_listed_or_follow_from_one() -> None:
    def classes(attributes: str) -> tuple[str, ...]:
        inner = f"<InterfaceSubmoduleItem {attributes}/>"
        found = facts(f"<SystemDefinedSubmoduleList>{inner}</SystemDefinedSubmoduleList>").interface
        return found.classes if found else ()

    assert classes('SupportedRT_Classes="RT_CLASS_1;RT_CLASS_3"') == ("RT_CLASS_1", "RT_CLASS_3")
    assert classes('SupportedRT_Class="Class2"') == ("RT_CLASS_1", "RT_CLASS_2")


def test_ports_are_its_sockets() -> None:
    ports = '<PortSubmoduleItem SubslotNumber="32769"/><PortSubmoduleItem IsDefaultRingport="true"/>'
    found = device(f"<SystemDefinedSubmoduleList>{ports}</SystemDefinedSubmoduleList>")
    assert found.limits.sockets == 2
    assert found.profinet and [(p.subslot, p.ring) for p in found.profinet.ports] == [(32769, False), (32770, True)]


# ── data


@pytest.mark.parametrize(
    ("written", "read"),
    [
        ('<DataItem DataType="Integer16" TextId="B"/>', ("second", "INT", 2, ())),
        ('<DataItem DataType="Float32"/>', ("value 1", "REAL", 4, ())),
        ('<DataItem DataType="OctetString" Length="5"/>', ("value 1", "", 5, ())),
        ('<DataItem DataType="VisibleString" Length="0x10"/>', ("value 1", "", 16, ())),
        ('<DataItem DataType="F_MessageTrailer4Byte"/>', ("value 1", "", 4, ())),
        (
            '<DataItem DataType="Unsigned16" UseAsBits="true"><BitDataItem BitOffset="9" TextId="B"/></DataItem>',
            ("value 1", "WORD", 2, ((9, "second"),)),
        ),
        ('<DataItem DataType="Unsigned8" UseAsBits="1"/>',
         ("value 1", "BYTE", 1, tuple((n, f"bit {n}") for n in range(8)))),
    ],
)  # fmt: skip
def test_a_value_has_a_type_or_takes_its_own_length(written: str, read: tuple[Any, ...]) -> None:
    assert own(data(written)).inputs == (read,)
    assert own(data(written, "Output")).outputs == (read,)


def test_a_submodule_may_have_no_data_statuses_of_its_own_and_stand_in_several_subslots() -> None:
    assert (own("<IOData/>").in_octets, own("").out_octets) == (0, 0)
    assert own('<IOData IOPS_Length="2" IOCS_Length="0x1"/>').iops == 2
    assert own("", 'FixedInSubslots="2..3 7" API="0x9500"').subslots == (2, 3, 7)
    assert own("", 'API="0x9500"').api == 0x9500
    found = device(virtual(data('<DataItem DataType="Unsigned8"/>'), 'FixedInSubslots="1..3"'))
    assert found.in_octets == 3


# ── records


def record(body: str, length: int = 4) -> Record:
    attributes = f'Index="7" Length="{length}"'
    inner = f"<ParameterRecordDataItem {attributes}>{body}</ParameterRecordDataItem>"
    return own(f"<RecordDataList>{inner}</RecordDataList>", lists=VALUES).records[0]


VALUES = (
    '<ValueList><ValueItem ID="L"><Assignments><Assign Content="0" TextId="A"/><Assign Content="0x5" TextId="B"/>'
    "</Assignments></ValueItem></ValueList>"
)


def test_constants_are_laid_over_one_another_and_values_over_them() -> None:
    told = record(
        '<Const Data="1,2,0x03,4"/><Const ByteOffset="2" Data="0xFF"/>'
        '<Ref DataType="Bit" ByteOffset="1" BitOffset="3"/>'
    )
    assert (told.number, told.octets) == (7, "0102FF04")
    assert [(v.octet, v.bit, v.bits) for v in told.values] == [(1, 3, 1)]


@pytest.mark.parametrize(
    ("ref", "read"),
    [
        ('DataType="Unsigned16" ByteOffset="2" DefaultValue="0x10"', (2, 0, 16, "UINT", 16, ())),
        ('DataType="BitArea" BitOffset="2" BitLength="3"', (0, 2, 3, "", 0, ())),
        ('DataType="Bit" BitOffset="7" BitLength="9"', (0, 7, 1, "", 0, ())),
        ('DataType="Integer8" AllowedValues="-5..-1 3, 0x7"', (0, 0, 8, "SINT", 0, ((-5, -1), (3, 3), (7, 7)))),
        ('DataType="Float32" DefaultValue="1.5" AllowedValues="0.5..2"', (0, 0, 32, "REAL", 1.5, ((0.5, 2),))),
        ('DataType="VisibleString" Length="3" DefaultValue="AB"', (0, 0, 24, "STRING", "AB", ())),
        ('DataType="OctetString" Length="2" DefaultValue="0x01"', (0, 0, 16, "", "", ())),
    ],
)
def test_values_of_a_record(ref: str, read: tuple[Any, ...]) -> None:
    (value,) = record(f"<Ref {ref}/>").values
    assert (value.octet, value.bit, value.bits, value.data_type, value.default, value.allowed) == read


@pytest.mark.parametrize(
    ("allowed", "choices"),
    [("", 2), (' AllowedValues="0 5"', 2), (' AllowedValues="5"', 1), (' AllowedValues="0..5"', 0)],
)
def test_texts_are_choices_where_they_name_all_that_is_allowed(allowed: str, choices: int) -> None:
    (value,) = record(f'<Ref DataType="Unsigned8" ValueItemTarget="L"{allowed}/>').values
    assert len(value.choices) == choices


def test_records_are_written_in_their_sequence() -> None:
    items = "".join(
        f'<ParameterRecordDataItem Index="{index}" Length="1" TransferSequence="{order}"/>'
        for index, order in ((5, 2), (9, 1), (3, 3))
    )
    told = own(f"<RecordDataList>{items}</RecordDataList>").records
    assert [one.number for one in told] == [9, 5, 3]


# ── modules, their slots, submodules in them


MODULE = '<ModuleItem ID="M/1" ModuleIdentNumber="0x20">{}</ModuleItem>'


def modules(refs: str, more: str = "", inner: str = "") -> tuple[DeviceType, tuple[ModuleChoice, ...]]:
    body = MODULE.format(inner) + MODULE.format("").replace("M/1", "M2").replace("0x20", "33") + more
    found = device(f"<UseableModules>{refs}</UseableModules>", modules=body)
    return found, found.modules


def test_a_module_stands_where_each_access_point_allows_it() -> None:
    refs = (
        '<ModuleItemRef ModuleItemTarget="M/1" AllowedInSlots="0..2 9" UsedInSlots="2"/>'
        '<ModuleItemRef ModuleItemTarget="M2" FixedInSlots="3"/>'
    )
    found, choices = modules(refs)
    assert [(m.key, m.slots, m.reference) for m in choices] == [("M_1", (1, 2), 0x20), ("M2", (3,), 33)]
    assert [(s.number, s.default, s.fixed) for s in found.slots] == [(2, "M_1", False), (3, "M2", True)]
    assert found.rail and found.rail.addressed and found.rail.places == (3,)


def test_a_submodule_that_is_plugged_is_a_type_of_its_own_that_belongs_to_its_module() -> None:
    use = (
        '<UseableSubmodules><SubmoduleItemRef SubmoduleItemTarget="S" AllowedInSubslots="2..3"/>'
        '<SubmoduleItemRef SubmoduleItemTarget="nobody" AllowedInSubslots="2"/></UseableSubmodules>'
    )
    given = data('<DataItem DataType="Integer16"/>')
    plugged = f'<SubmoduleItem ID="S" SubmoduleIdentNumber="5">{given}</SubmoduleItem>'
    ref = '<UseableModules><ModuleItemRef ModuleItemTarget="M/1" AllowedInSlots="1..4"/></UseableModules>'
    found = device(ref, modules=MODULE.format(use), submodules=plugged)
    key = pinned_key(found.key, "0" * 64, 1)
    pinned = replace(found, key=key)
    catalogue = Catalogue(load=lambda wanted: pinned if wanted == key else None)
    module, inner = catalogue.find(f"{key}/M_1"), catalogue.find(f"{key}/M_1/S")
    assert module and inner and module.rail and module.rail.places == (3,)
    assert (module.joins, module.takes, inner.joins) == (key, f"{key}/M_1", f"{key}/M_1")
    assert (inner.only_slots, inner.in_octets, inner.words) == ((2, 3), 2, ("i0",))
    assert catalogue.find(f"{key}/M_1/nobody") is None


def test_records_of_a_module_are_parameters_by_where_they_stand() -> None:
    refs = (
        '<RecordDataList><ParameterRecordDataItem Index="2" Length="2"><Ref DataType="Bit" BitOffset="1" TextId="B"/>'
        '<Ref DataType="Unsigned8" ByteOffset="1" AllowedValues="1..9" Changeable="false"/>'
        "</ParameterRecordDataItem></RecordDataList>"
    )
    found, _ = modules('<ModuleItemRef ModuleItemTarget="M/1" AllowedInSlots="1"/>', inner=virtual(refs))
    key = pinned_key(found.key, "0" * 64, 1)
    module = Catalogue(load=lambda _: found).find(f"{key}/M_1")
    assert module
    assert [(p.key, p.label, p.minimum, p.maximum, p.access) for p in module.parameters] == [
        ("s1r2o0b1", "second", 0, 1, "read-write"), ("s1r2o1", "octet 1", 1, 9, "read"),
    ]  # fmt: skip


def test_channel_errors_and_extended_ones() -> None:
    listed = (
        '<ChannelDiagList><ChannelDiagItem ErrorType="26"><Name TextId="A"/><Help TextId="B"/><ExtChannelDiagList>'
        '<ExtChannelDiagItem ErrorType="0x8001"><Name TextId="B"/></ExtChannelDiagItem></ExtChannelDiagList>'
        "</ChannelDiagItem></ChannelDiagList>"
    )
    found = device("", lists=listed)
    assert [(t.value, t.text, t.help) for t in found.diagnosis] == [(26, "English", "second")]
    assert found.profinet and found.profinet.extended == ((26, 0x8001, "second"),)


# ── damage


@pytest.mark.parametrize(
    ("body", "severity"),
    [
        (virtual(data('<DataItem DataType="OctetString"/>')), "error"),
        (virtual(data('<DataItem DataType="Unheard"/>')), "error"),
        (virtual("", 'FixedInSubslots="a"'), "error"),
        (virtual("", 'API="-1"'), "error"),
        (virtual("<RecordDataList><ParameterRecordDataItem Length='2'/></RecordDataList>"), "error"),
        (virtual("<RecordDataList><ParameterRecordDataItem Index='1' Length='1'><Const Data='1,2'/>"
                 "</ParameterRecordDataItem></RecordDataList>"), "error"),
        (virtual("<RecordDataList><ParameterRecordDataItem Index='1' Length='1'><Const Data='256'/>"
                 "</ParameterRecordDataItem></RecordDataList>"), "error"),
        (virtual("<RecordDataList><ParameterRecordDataItem Index='1' Length='1'><Ref DataType='Unsigned16'/>"
                 "</ParameterRecordDataItem></RecordDataList>"), "error"),
        (virtual("<RecordDataList><ParameterRecordDataItem Index='1' Length='1'><Ref DataType='Unsigned8' "
                 "DefaultValue='x'/></ParameterRecordDataItem></RecordDataList>"), "error"),
        (virtual("<RecordDataList><ParameterRecordDataItem Index='1' Length='1'><Ref DataType='Unsigned8' "
                 "AllowedValues='9..1'/></ParameterRecordDataItem></RecordDataList>"), "warning"),
        ("<UseableModules><ModuleItemRef ModuleItemTarget='gone'/></UseableModules>", "error"),
        (virtual(data("<DataItem DataType='Unsigned8' TextId='gone'/>")), "warning"),
    ],
)  # fmt: skip
def test_a_fault_is_told_with_its_line_and_costs_no_more_than_itself(body: str, severity: str) -> None:
    sound = point("", DAP.replace("D1", "D2"))
    found = described(gsdml(f"\n{point(body)}\n{sound}"))
    assert {(p.line, p.severity) for p in found.problems} == {(3, severity)}
    assert found and len(found.devices) == 2


def test_broken_xml_is_told_with_its_line_and_the_rest_is_read() -> None:
    found = described(gsdml(f"\n{point()}\n<DeviceAccessPointItem ID='D2'></DeviceAccessPoimtItem>"))
    assert any(p.severity == "error" and p.line == 4 for p in found.problems)
    assert found.devices[0].product_code == 64


@pytest.mark.parametrize(
    "text",
    [
        "<ISO15745Profile>DeviceProfile", "<ISO15745Profile>DeviceProfile</ISO15745Profile>",
        "<ISO15745Profile>DeviceProfile" + "<a>" * 50_000,
        '<!DOCTYPE a [<!ENTITY x "y">]><ISO15745Profile>DeviceProfile&x;</ISO15745Profile>',
        gsdml(""),
    ],
)  # fmt: skip
def test_hostile_files_are_refused_soon(text: str) -> None:
    began = time.process_time()
    with pytest.raises(Unreadable):
        described(text)
    assert time.process_time() - began < 2


def test_ranges_that_nobody_means_fill_no_memory() -> None:
    found = described(gsdml(point("", DAP.replace("0..4", "0..4000000000"))))
    assert [p.severity for p in found.problems] == ["error"]
    many = described(gsdml(point("", DAP.replace("0..4", "0..60000"))))
    assert [p.severity for p in many.problems] == ["note"]


def many_points(points: int, kinds: int) -> bytes:
    """Each kind of module with texts of its own, in six languages, as files of makers with many have them."""
    text = (DEMO / "tr40.xml").read_text().encode("ascii", "xmlcharrefreplace").decode()
    begin, end = text.index("<ModuleItem ID"), text.index("</ModuleList>")
    module = text[begin : text.index("</ModuleItem>") + len("</ModuleItem>")]
    name = module[module.index('<Name TextId="') + 14 :].partition('"')[0]
    more = "".join(
        module.replace('"DI8"', f'"K{n}"').replace("0x00000010", str(5000 + n)).replace(f'"{name}"', f'"N{n}"')
        for n in range(kinds)
    )
    told = "What it is for, as a maker's catalogue puts it: with how many channels, of which kind, "
    told += "how exact, how quick, apart from one another by how many volts, how many it takes in a row"
    own = "".join(
        f'<Text TextId="N{n}" Value="Module {n}"/>\n<Text TextId="H{n}" Value="{told} {n}"/>\n' for n in range(kinds)
    )
    refs = "".join(f'<ModuleItemRef ModuleItemTarget="K{n}" AllowedInSlots="1..8"/>\n' for n in range(kinds))
    text = text[:end] + more + text[end:]
    text = text.replace("</UseableModules>", f"{refs}</UseableModules>", 1)
    others = "".join(f'<Language xml:lang="{language}">{own}</Language>' for language in ("es", "fr", "it", "zh"))
    text = text.replace("</PrimaryLanguage>", f"{own}</PrimaryLanguage>{others}")
    begin = text.index("<DeviceAccessPointItem")
    end = text.index("</DeviceAccessPointItem>") + len("</DeviceAccessPointItem>")
    item = text[begin:end]
    return (text[:begin] + "".join(item.replace('"TR-40"', f'"P{n}"', 1) for n in range(points)) + text[end:]).encode()


def test_five_megabytes_take_no_more_than_three_times_the_parser_alone() -> None:
    octets = many_points(10, 1350)
    assert len(octets) > 5_000_000
    found = described(octets)
    assert len(found.devices) == 11
    assert not found.problems
    # Whoever reads has to free the elements as well.
    assert times_as_long(lambda: described(octets), lambda: etree.fromstring(octets).tag) <= 3
