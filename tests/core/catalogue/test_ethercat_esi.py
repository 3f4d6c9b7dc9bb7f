"""The reader of ESI files: every quirk of the field as a case, damage and hostile files, its pace."""

from __future__ import annotations

import time
from typing import Any

import pytest
from lxml import etree

from highmoor.core.catalogue.ethercat import EthercatFacts
from highmoor.core.catalogue.reading.description import Description, Unreadable
from highmoor.core.catalogue.reading.ethercat_esi.elements import unit_of
from highmoor.core.catalogue.reading.ethercat_esi.objects import dictionary_objects
from highmoor.core.catalogue.reading.families import read_octets
from highmoor.core.catalogue.types import Catalogue, DeviceType
from tests.pace import times_as_long
from tests.paths import DEMO

TYPE = '<Type ProductCode="#x10" RevisionNo="#x00020003">D-1</Type>'


def esi(devices: str, modules: str = "", vendor: str = "<Vendor><Id>#x0FAD0</Id><Name>Maker</Name></Vendor>") -> str:
    inner = f"<Modules>{modules}</Modules>" if modules else ""
    return (
        f'<?xml version="1.0"?>\n<EtherCATInfo Version="1.2">{vendor}<Descriptions><Groups><Group><Type>G</Type>'
        f'<Name LcId="1033">Group</Name></Group></Groups>\n<Devices>{devices}</Devices>{inner}</Descriptions>'
        "</EtherCATInfo>"
    )


def described(text: str | bytes) -> Description:
    return read_octets(text if isinstance(text, bytes) else text.encode(), "device.xml")


def device(body: str, physics: str = "YY", kind: str = TYPE, modules: str = "") -> DeviceType:
    return described(esi(f'<Device Physics="{physics}">{kind}<Name>Device</Name>{body}</Device>', modules)).devices[0]


def facts(body: str, **more: Any) -> EthercatFacts:
    found = device(body, **more).ethercat
    assert found is not None
    return found


def entry(index: str = "#x6000", sub: str = "1", bits: str = "16", name: str = "Value", kind: str = "INT") -> str:
    return (
        f"<Entry><Index>{index}</Index><SubIndex>{sub}</SubIndex><BitLen>{bits}</BitLen><Name>{name}</Name>"
        f"<DataType>{kind}</DataType></Entry>"
    )


def pdo(entries: str, tag: str = "TxPdo", attributes: str = 'Sm="3"', index: str = "#x1A00") -> str:
    return f"<{tag} {attributes}><Index>{index}</Index><Name>Data</Name>{entries}</{tag}>"


# ── devices, revisions, names


def test_who_it_is_where_it_stands_and_what_it_draws() -> None:
    head = device("<Info><Electrical><EBusCurrent>-2000</EBusCurrent></Electrical></Info>", "YKY")
    assert (head.kind, head.vendor_id, head.product_code, head.revisions) == ("device", 0xFAD0, 0x10, ("2.3",))
    assert (head.bus_supply_ma, head.bus_current_ma, head.limits.sockets) == (2000, 0, 2)
    assert head.rail is not None and not head.rail.addressed
    module = device("<Info><Electrical><EBusCurrent>#x64</EBusCurrent></Electrical></Info>", "KK")
    assert (module.kind, module.bus_supply_ma, module.bus_current_ma, module.rail) == ("module", 0, 100, None)
    feeds = device("<Info><Electrical><EBusCurrent>-500</EBusCurrent></Electrical></Info>", "KK")
    assert (feeds.kind, feeds.bus_supply_ma) == ("feed-in", 500)
    assert device("", "YYYY").limits.sockets == 4


def test_a_later_revision_hides_an_earlier_one_and_both_stay() -> None:
    older = '<Device Physics="YY"><Type ProductCode="16" RevisionNo="1" CheckRevisionNo="EQ">D-1</Type></Device>'
    newer = f'<Device Physics="YY">{TYPE}<HideType ProductCode="#x10" RevisionNo="#x1"/></Device>'
    found = described(esi(older + newer)).devices
    assert [(d.revisions, d.ethercat.newest, d.ethercat.revision_rule) for d in found if d.ethercat] == [
        (("0.1",), 0x00020003, "EQ"), (("2.3",), None, "EQ_OR_G"),
    ]  # fmt: skip
    assert len({d.key for d in found}) == 2


@pytest.mark.parametrize(
    ("names", "read"),
    [
        ("<Name>plain</Name>", "plain"),
        ('<Name LcId="1031">deutsch</Name><Name LcId="1033"><![CDATA[a & b]]></Name>', "a & b"),
        ('<Name LcId="1031">deutsch</Name><Name LcId="1036">français</Name>', "deutsch"),
        ("", "D-1"),
    ],
)
def test_names_are_english_where_there_is_english(names: str, read: str) -> None:
    assert described(esi(f'<Device Physics="YY">{TYPE}{names}</Device>')).devices[0].name == read


def test_a_namespace_and_an_encoding_that_is_declared_change_nothing() -> None:
    text = esi(f'<Device Physics="YY">{TYPE}<Name>Öl</Name></Device>')
    spaced = text.replace("<EtherCATInfo ", '<EtherCATInfo xmlns="urn:esi" ')
    assert described(spaced).devices == described(text).devices
    declared = text.replace('version="1.0"', 'version="1.0" encoding="ISO-8859-1"')
    assert described(declared.encode("latin-1")).devices[0].name == "Öl"


# ── process data


@pytest.mark.parametrize(
    ("written", "read"),
    [
        (entry(), (0x6000, 1, 16, "Value", "INT")),
        (entry("24576", "#x11", "1", "On", "BIT"), (0x6000, 0x11, 1, "On", "BOOL")),
        (entry("#x6000", "1", "2", "Limit", "BIT2"), (0x6000, 1, 2, "Limit", "")),
        (entry("#x6000", "1", "8", "Bits", "BITARR8"), (0x6000, 1, 8, "Bits", "BYTE")),
        (entry("#x6000", "1", "64", "Long", "ULINT"), (0x6000, 1, 64, "Long", "ULINT")),
        ("<Entry><Index>#x0</Index><BitLen>7</BitLen></Entry>", (0, 0, 7, "", "")),
        ("<Entry><Index>0</Index><SubIndex/><BitLen>3</BitLen><Name/></Entry>", (0, 0, 3, "", "")),
        (
            '<Entry><Index>#x6000</Index><SubIndex>1</SubIndex><BitLen>8</BitLen><Name LcId="1031">Wert</Name>'
            '<Name LcId="1033">Value</Name><DataType>USINT</DataType></Entry>',
            (0x6000, 1, 8, "Value", "USINT"),
        ),
    ],
)
def test_entries_of_a_pdo(written: str, read: tuple[Any, ...]) -> None:
    # Alone, beside one that is like most, and beside one that moves with its slot: three ways of reading.
    for beside in ("", entry("#x7000", "9"), '<Entry><Index DependOnSlot="1">#x1</Index><BitLen>1</BitLen></Entry>'):
        found = facts(pdo(written + beside)).pdos[0].entries[0]
        assert found[:5] == read and not found.by_slot


def test_what_is_assigned_excluded_and_mandatory() -> None:
    body = (
        pdo(entry() + "<Exclude>#x1A01</Exclude>") + pdo(entry(), attributes='Mandatory="1" Fixed="true"', index="6657")
        + pdo(entry(), "RxPdo", 'Sm="2"', "#x1600")
    )  # fmt: skip
    first, second, out = facts(body).pdos
    assert (first.manager, first.mandatory, first.fixed, first.excludes) == (3, False, False, (0x1A01,))
    assert (second.idx, second.manager, second.mandatory, second.fixed) == (0x1A01, None, True, True)
    assert (out.direction, out.manager) == ("out", 2)


@pytest.mark.parametrize(
    ("written", "kind"),
    [
        ('<Sm StartAddress="#x1000" ControlByte="#x26" DefaultSize="128">MBoxOut</Sm>', "mailbox-out"),
        ('<Sm StartAddress="#x1000" ControlByte="#x22" DefaultSize="128"/>', "mailbox-in"),
        ('<Sm StartAddress="#x1000" ControlByte="#x64" Enable="1"/>', "out"),
        ('<Sm StartAddress="4096" ControlByte="#x20"/>', "in"),
    ],
)
def test_what_a_sync_manager_is_for(written: str, kind: str) -> None:
    found = facts(written).managers[0]
    assert (found.kind, found.start) == (kind, 0x1000)


def test_clocks_have_factors_that_divide_and_shifts_that_are_negative() -> None:
    body = (
        "<Dc><OpMode><Name>Free</Name><AssignActivate>#x0</AssignActivate></OpMode><OpMode><Name>DC</Name><Desc>Clock"
        '</Desc><AssignActivate>#x730</AssignActivate><CycleTimeSync0 Factor="-2">0</CycleTimeSync0><ShiftTimeSync0>'
        '-30000</ShiftTimeSync0><CycleTimeSync1 Factor="1">0</CycleTimeSync1></OpMode></Dc>'
    )
    free, clocked = facts(body).clocks
    assert (free.on, clocked.on, clocked.sync0, clocked.sync1) == (False, True, True, True)
    assert (clocked.factor0, clocked.shift0_ns, clocked.factor1, clocked.label) == (-2, -30000, 1, "Clock")


def test_start_up_writes_keep_their_step_and_what_is_no_step_of_ours_is_told() -> None:
    write = (
        "<InitCmd><Transition>{}</Transition><Index>#x8000</Index><SubIndex>1</SubIndex><Data>0A 00</Data></InitCmd>"
    )
    found = described(
        esi(
            f'<Device Physics="YY">{TYPE}<Mailbox><CoE>{write.format("PS")}{write.format("OP")}</CoE></Mailbox>'
            "</Device>"
        )
    )
    told = found.devices[0].ethercat
    assert told is not None and [(w.transition, w.idx, w.octets) for w in told.writes] == [("PS", 0x8000, "0A00")]
    assert [p.severity for p in found.problems] == ["warning"]


# ── slots and objects


def test_modules_stand_in_the_slots_that_name_them_or_their_class() -> None:
    slots = (
        '<Slots MaxSlotCount="3" SlotPdoIncrement="1" SlotIndexIncrement="#x10"><Slot MaxInstances="2"><Name>A</Name>'
        '<ModuleIdent>#x1</ModuleIdent><ModuleIdent Default="1">#x2</ModuleIdent></Slot><Slot><Name>B</Name>'
        "<ModuleClass><Class>wide</Class></ModuleClass></Slot></Slots>"
    )
    module = '<Module><Type ModuleIdent="{}" ModuleClass="{}">M-{}</Type><Name>Module</Name></Module>'
    head = device(slots, modules="".join(module.format(n, "wide" if n == 3 else "", n) for n in (1, 2, 3)))
    assert [(s.label, s.default, s.allowed) for s in head.slots] == [
        ("A", "m00000002", ("m00000001", "m00000002")), ("A", "m00000002", ("m00000001", "m00000002")),
        ("B", "", ("m00000003",)),
    ]  # fmt: skip
    inner = Catalogue.of([head]).find(head.key)
    assert inner is not None and inner.ethercat is not None and inner.ethercat.slots is not None
    assert (inner.ethercat.slots.index_step, inner.ethercat.slots.pdo_step) == (0x10, 1)


def test_objects_have_items_arrays_defaults_and_limits() -> None:
    found = {o.idx: o for d in read("pellmar_gateway.xml") for o in objects(d)}
    modules = found[0xF030]
    # An array stands for all its elements, each of its share.
    assert [(s.sub, s.bits, s.bit, s.access) for s in modules.subs] == [
        (0, 8, 0, "rw"), (1, 32, 16, "rw"), (2, 32, 48, "rw"), (3, 32, 80, "rw"),
    ]  # fmt: skip
    settings = {o.idx: o for d in read("tarnfell_io.xml") for o in objects(d)}[0x8000]
    constant = next(s for s in settings.subs if s.sub == 19)
    assert (constant.default, constant.minimum, constant.maximum, constant.unit) == ("0A00", "0100", "E803", "ms")
    drive = {o.idx: o for o in objects(read("corvane_servo.xml")[0])}
    assert (drive[0x6041].access, drive[0x6041].mapped, drive[0x6098].minimum) == ("ro", "T", "80")


def read(name: str) -> tuple[DeviceType, ...]:
    return described((DEMO / name).read_bytes()).devices


def objects(kind: DeviceType) -> tuple[Any, ...]:
    return dictionary_objects(kind.ethercat.dictionary) if kind.ethercat else ()


@pytest.mark.parametrize(
    ("code", "unit"),
    [
        ("#xFD030000", "ms"), ("#x00010300", "m/s"), ("#x032D0000", "k°C"), ("#x00B50000", "unit 16#00B50000"),
        ("0", ""), ("0.1 %", "0.1 %"),
    ],
)  # fmt: skip
def test_units_are_codes_or_texts(code: str, unit: str) -> None:
    assert unit_of(code) == unit


def test_a_dictionary_that_was_tampered_with_has_no_objects() -> None:
    assert dictionary_objects("<Dictionary><Objects>") == ()
    assert dictionary_objects('<!DOCTYPE a [<!ENTITY b "c">]><Dictionary>&b;</Dictionary>') == ()


# ── damage


@pytest.mark.parametrize(
    ("body", "line", "severity"),
    [
        (f"\n{pdo(entry('#xZZ'))}", 5, "error"),
        (f"\n{pdo(entry(bits='-3'))}", 5, "error"),
        (f"\n{pdo(entry('#x12345'))}", 5, "error"),
        (f"\n{pdo(entry(), index='#x1FFFF')}", 5, "error"),
        (f"\n{pdo(entry(bits='12000'))}", 5, "error"),
        ('\n<Sm StartAddress="here">Inputs</Sm>', 5, "error"),
        ("\n<Mailbox><CoE><InitCmd><Transition>PS</Transition><Index>#x1</Index><Data>0G</Data></InitCmd></CoE></Mailbox>",
         5, "error"),
        ("<Profile><Dictionary><Objects>\n<Object><Index>no</Index></Object></Objects></Dictionary></Profile>",
         5, "error"),
        ("<Profile><Dictionary><Objects><Object><Index>#x1000</Index></Object>\n<Object><Index>#x1000</Index></Object>"
         "</Objects></Dictionary></Profile>", 5, "warning"),
        ("<Profile><Dictionary><Objects><Object><Index>#x1000</Index><Info>\n<DefaultData>1</DefaultData></Info></Object>"
         "</Objects></Dictionary></Profile>", 5, "error"),
    ],
)  # fmt: skip
def test_a_fault_is_told_with_its_line_and_costs_no_more_than_itself(body: str, line: int, severity: str) -> None:
    sound = pdo(entry("#x6010"), index="#x1A0F")
    found = described(esi(f'\n<Device Physics="YY">{TYPE}{body}{sound}</Device>'))
    assert {(p.line, p.severity) for p in found.problems} == {(line, severity)}
    told = found.devices[0].ethercat
    assert told is not None and told.pdos[-1].entries[0].idx == 0x6010


@pytest.mark.parametrize(
    "body",
    [
        pdo(entry("#xZZ")),
        pdo(entry(), attributes='Sm="here"'),
        "<Profile><Dictionary><Objects><Object><Index>#x1000</Index></Object><Object><Index>#x1000</Index></Object>"
        "</Objects></Dictionary></Profile>",
    ],
)
def test_a_fault_written_twice_is_told_at_both_places(body: str) -> None:
    one = f'<Device Physics="YY">{TYPE}{body}</Device>'
    assert [p.line for p in described(esi(f"\n{one}\n{one}")).problems] == [4, 5]


def test_broken_xml_is_told_with_its_line_and_the_rest_is_read() -> None:
    text = esi(f'\n<Device Physics="YY">{TYPE}</Device>\n<Device Physics="YY"><Type ProductCode="2"></Tyqe></Device>')
    found = described(text)
    assert any(p.severity == "error" and p.line == 5 for p in found.problems)
    assert found.devices[0].product_code == 0x10


@pytest.mark.parametrize(
    "text",
    [
        "<EtherCATInfo>", "<EtherCATInfo/>", "<EtherCATInfo><Descriptions/></EtherCATInfo>",
        "<EtherCATInfo>" + "<a>" * 50_000, "<EtherCATInfo " + " ".join(f'a{n}="1"' for n in range(20_000)) + "/>",
        '<?xml version="1.0"?><!DOCTYPE EtherCATInfo SYSTEM "file:///etc/passwd"><EtherCATInfo/>',
        '<!DOCTYPE a [<!ENTITY x "y"><!ENTITY z "&x;&x;">]><EtherCATInfo>&z;</EtherCATInfo>',
    ],
)  # fmt: skip
def test_hostile_files_are_refused_soon(text: str) -> None:
    began = time.process_time()
    with pytest.raises(Unreadable):
        described(text)
    assert time.process_time() - began < 2


def many(devices: int) -> bytes:
    entries = "".join(entry("#x6000", str(n % 200 + 1), "16", f"Value {n}") for n in range(16))
    item = "<SubItem><SubIdx>{0}</SubIdx><Name>Item {0}</Name><Type>UDINT</Type><BitSize>32</BitSize></SubItem>"
    kinds = f"<DataType><Name>DT</Name><BitSize>64</BitSize>{item.format(0)}{item.format(1)}</DataType>"
    known = "".join(
        f"<Object><Index>#x{0x8000 + n:04X}</Index><Name>Object {n}</Name><Type>DT</Type><BitSize>64</BitSize><Info>"
        "<DefaultData>0000000000000000</DefaultData></Info><Flags><Access>rw</Access></Flags></Object>\n"
        for n in range(60)
    )
    profile = f"<Profile><Dictionary><DataTypes>{kinds}</DataTypes><Objects>{known}</Objects></Dictionary></Profile>"
    body = profile + "".join(pdo(entries, index=f"#x{0x1A00 + n:04X}") for n in range(10))
    return esi(
        "".join(
            f'<Device Physics="YY"><Type ProductCode="{n}" RevisionNo="1">D</Type>{body}</Device>'
            for n in range(devices)
        )
    ).encode()


def test_five_megabytes_take_no_more_than_three_times_the_parser_alone() -> None:
    octets = many(170)
    assert len(octets) > 5_000_000
    found = described(octets)
    assert len(found.devices) == 170
    assert not found.problems
    # Whoever reads has to free the elements as well.
    assert times_as_long(lambda: described(octets), lambda: etree.fromstring(octets).tag) <= 3
