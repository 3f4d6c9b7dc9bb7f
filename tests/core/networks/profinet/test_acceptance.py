"""What a device refuses, each beside what it takes; and that no octets from outside can hurt either end."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.networks import neighbours
from highmoor.core.networks.profinet import blocks as b
from highmoor.core.networks.profinet import bring_up as up
from highmoor.core.networks.profinet import calls as c
from highmoor.core.networks.profinet import dcp
from highmoor.core.networks.profinet import realtime as rt
from highmoor.core.networks.profinet import record_blocks as r
from highmoor.core.networks.profinet.acceptance import Granted, acceptance
from highmoor.core.networks.profinet.device_records import record, written
from highmoor.core.networks.profinet.explain import explain, likely, refused, refused_record, short
from highmoor.core.networks.profinet.live import LIVE as PROFINET

from .bagging import AI, DI, DO, LIBRARY, bagging, named
from .test_bench import going

PLANT = bagging(("TR-40", [DI, DO, AI]))
BENCH = going(PLANT)
DEVICE: Any = BENCH.devices.there[named(PLANT, "S1").id].device
KNOWN = DEVICE.io.known
LIVE: Any = next(iter(BENCH._masters.values())).stations[0]
WANTED: up.Wanted = LIVE.wanted
RELATION = b.Relation(UUID(int=7), 1, b"\x02\0\0\0\0\x01", UUID(int=8), "kiln")


def connect(change: Callable[[b.Cyclic], b.Cyclic] = lambda one: one, without: int = 0, way: str = "in") -> bytes:
    """The blocks that connect, one direction's changed, a type of block left out."""
    octets = b""
    for one in b.blocks_in(up.connecting(WANTED, RELATION)):
        told = b.read_cyclic(one.octets) if one.type == b.IOCR else None
        if told is not None and told.direction == way:
            octets += change(told).encode()
        elif one.type != without:
            octets += b.block(one.type, one.octets)
    return octets


def expecting(**values: Any) -> bytes:
    """The same with the submodule in slot 3 expected otherwise."""
    octets = b""
    for one in b.blocks_in(up.connecting(WANTED, RELATION)):
        subs = b.read_expected(one.octets) if one.type == b.EXPECTED else None
        if subs and subs[0].slot == 3:
            octets += b.expected([sub._replace(**values) for sub in subs])
        else:
            octets += b.block(one.type, one.octets)
    return octets


def _overlap(one: b.Cyclic) -> b.Cyclic:
    first, second, *rest = one.data
    return replace(one, data=(first, second._replace(at=first.at), *rest))


def _outside(one: b.Cyclic) -> b.Cyclic:
    *rest, last = one.data
    return replace(one, data=(*rest, last._replace(at=one.octets)))


REFUSALS: dict[str, tuple[bytes, int, str, tuple[str, ...]]] = {
    "no relation": (connect(without=b.AR), 0x4001, "a block of it is none", ()),
    "no alarms": (connect(without=b.ALARM_CR), 0x4002, "a block of it is missing", ()),
    "one way only": (connect(without=b.IOCR), 0x4002, "a block of it is missing", ()),
    "send clock": (connect(lambda one: replace(one, clock=8)), 0x020A, "send clock", ("networks.settings.clock",)),
    "reduction": (
        connect(lambda one: replace(one, ratio=3)), 0x020B, "no such update time", ("stations.settings.update_ms",),
    ),
    "phase": (connect(lambda one: replace(one, phase=9)), 0x020C, "phase", ()),
    "no watchdog": (
        connect(lambda one: replace(one, watchdog=0)), 0x020F, "watchdog", ("stations.settings.watchdog",),
    ),
    "watchdog too long": (connect(lambda one: replace(one, watchdog=241)), 0x020F, "watchdog",
                          ("stations.settings.watchdog",)),
    "1441 octets": (connect(lambda one: replace(one, octets=1441)), 0x0208, "octets of data", ()),
    "39 octets": (connect(lambda one: replace(one, octets=39)), 0x0208, "octets of data", ()),
    "in one another": (connect(_overlap), 0x0218, "place of a submodule", ()),
    "beyond the end": (connect(_outside), 0x0218, "place of a submodule", ()),
    "another size": (expecting(into=6), 0x030E, "octets of a submodule", ("stations.settings.submodules",)),
}  # fmt: skip


@pytest.mark.parametrize("cause", REFUSALS)
def test_what_is_refused_is_said_by_the_field_that_is_wrong(cause: str) -> None:
    octets, code, words, settings = REFUSALS[cause]
    told = acceptance(KNOWN, octets, taken=False)
    assert isinstance(told, int)
    assert (told >> 16, short(told)) == (0xDB81, code)
    assert words in explain(told)
    # What the program gets in sixteen bits says the same.
    assert explain(code) == explain(told)
    assert likely(code) == settings


def test_what_it_knows_is_taken_and_what_is_another_is_taken_and_told() -> None:
    told = acceptance(KNOWN, connect(), taken=False)
    assert isinstance(told, Granted)
    assert told.differs == ()
    assert told.right == set(told.expected)
    # As long as a watchdog may be, as far as a phase may be.
    for change in (lambda one: replace(one, watchdog=240), lambda one: replace(one, phase=8)):
        assert isinstance(acceptance(KNOWN, connect(change), taken=False), Granted)
    told = acceptance(KNOWN, expecting(module=0x99), taken=False)
    assert isinstance(told, Granted)
    assert told.differs == (b.RealModule(3, 0x20, b.WRONG_MODULE, ()),)
    told = acceptance(KNOWN, expecting(ident=0x99), taken=False)
    assert isinstance(told, Granted)
    assert told.differs == (b.RealModule(3, 0x20, b.PROPER_MODULE, ((1, 3, b.SUB_WRONG),)),)
    told = acceptance(KNOWN, expecting(subslot=2), taken=False)
    assert isinstance(told, int)
    assert acceptance(KNOWN, connect(), taken=True) == refused(0x40, 4)


RECORDS = [
    ((3, 1, 2, b"\x63\1\1\1\0\0"), 0xB8),
    ((3, 1, 2, b"\1\1\1\1\0"), 0xB1),
    ((3, 1, 99, b"\0"), 0xB0),
    ((4, 1, 2, bytes(6)), 0xB2),
    ((3, 1, 2, b"\1\1\1\1\0\0"), 0),
]


@pytest.mark.parametrize(("asked", "code"), RECORDS)
def test_a_record_is_refused_for_what_is_wrong_with_it(asked: tuple[int, int, int, bytes], code: int) -> None:
    slot, subslot, index, octets = asked
    told = written(DEVICE.io, r.RecordAsked(RELATION.uuid, 1, slot, subslot, index, len(octets)), octets)
    assert told == (refused_record(code, 0xDF) if code else 0)
    assert not code or "refuses a record: " in explain(told)


@pytest.mark.parametrize(("index", "kind", "size"), [(0xAFF1, 0x21, 54), (0xAFF2, 0x22, 16), (0xAFF3, 0x23, 54)])
def test_a_text_of_identification_and_maintenance_is_kept_as_it_was_written(index: int, kind: int, size: int) -> None:
    asked = r.RecordAsked(RELATION.uuid, 0, 0, 1, index, 6 + size)
    # IEC 61158-6-10, I&M1 to I&M3: type, length of what follows, version 1.0, the text filled with blanks.
    octets = bytes((0, kind, 0, size + 2, 1, 0)) + b"=B1.A2 Bagging".ljust(size)
    assert written(DEVICE.io, asked, octets) == 0
    assert record(DEVICE.io, asked) == octets
    # A text of another size, or under another's type, is refused, and the one before stays.
    for wrong in (octets[:-1], octets[:1] + b"\x24" + octets[2:]):
        assert written(DEVICE.io, asked, wrong) == refused_record(0xB1, 0xDF)
    assert record(DEVICE.io, asked) == octets


@pytest.mark.parametrize("key", ["²", "x", "-1", pytest.param("9" * 5000, id="long")])
def test_texts_kept_under_no_index_of_a_record_are_said(key: str) -> None:
    assert PROFINET.problem({"texts": {"45041": "=B1.A2"}}) == ""
    assert PROFINET.problem({"texts": {key: "=B1.A2"}}).startswith(f"texts.{key[:40]}.")


@pytest.mark.parametrize(
    ("revision", "told"), [("V2.1", b"V\2\1\0"), ("3.2.17", b"V\3\2\x11"), ("V2.²", b"V\2\0\0"), ("", b"V\0\0\0")]
)
def test_its_revision_is_told_in_numbers(revision: str, told: bytes, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(DEVICE.io, "known", replace(DEVICE.io.known, revision=revision))
    octets = record(DEVICE.io, r.RecordAsked(RELATION.uuid, 0, 0, 1, r.IM0, 60))
    # IEC 61158-6-10, I&M0: behind its head, vendor, order number, serial number and hardware revision.
    assert isinstance(octets, bytes)
    assert octets[46:50] == told


# ── octets from outside

READERS: list[Callable[[bytes], Any]] = [
    dcp.decode, c.decode, b.blocks_in, b.read_relation, b.read_cyclic, b.read_expected, b.read_alarms, b.read_connected,
    b.read_difference, b.read_control, r.read_record, r.read_real_identification, r.read_real_port, rt.read_cyclic,
    rt.read_alarm, rt.read_notified, rt.read_confirmed, neighbours.decode,
]  # fmt: skip


@given(st.sampled_from(READERS), st.binary(max_size=200))
def test_no_octets_break_a_reader(reader: Callable[[bytes], Any], octets: bytes) -> None:
    reader(octets)


@given(st.data())
def test_damaged_frames_and_calls_leave_both_ends_as_they_were(data: Any) -> None:
    """Whatever is changed in what is really sent, nobody falls over it."""
    kind = data.draw(st.sampled_from(["call", "frame", "connect"]))
    whole = {
        "call": c.Call(c.REQUEST, c.CONNECT, UUID(int=1), 1, WANTED.object, c.DEVICE_INTERFACE, connect()).encode(),
        "frame": dcp.set_name(1, "abc", for_good=False).encode(),
        "connect": connect(),
    }[kind]
    at = data.draw(st.integers(0, len(whole) - 1))
    damaged = bytearray(whole)
    damaged[at] = data.draw(st.integers(0, 255))
    octets = bytes(damaged[: data.draw(st.integers(0, len(whole)))])
    if kind == "connect":
        acceptance(KNOWN, octets, taken=False)
    elif kind == "frame":
        dcp.decode(octets)
    else:
        call = c.decode(octets)
        assert call is None or len(call.blocks) <= len(octets)


NUMBERS = st.integers(0, 0xFFFF)


@given(
    st.builds(
        dcp.Told, st.binary(min_size=6, max_size=6), st.from_regex(r"[a-z]{0,20}", fullmatch=True),
        st.ip_addresses(v=4).map(str), st.just("TR-40"), NUMBERS, NUMBERS, st.just(False),
    )
)  # fmt: skip
def test_who_somebody_is_comes_back_as_it_was_told(told: dcp.Told) -> None:
    blocks = (
        dcp.Block(dcp.VENDOR, told.vendor.encode(), 0), dcp.Block(dcp.NAME, told.name.encode(), 0),
        dcp.Block(dcp.DEVICE, told.vendor_id.to_bytes(2, "big") + told.device_id.to_bytes(2, "big"), 0),
        dcp.Block(dcp.IP, dcp.address_octets(told.address, "255.255.255.0"), 1),
    )  # fmt: skip
    frame = dcp.decode(dcp.answer(dcp.identify(9), blocks).encode())
    assert frame is not None
    address = "" if told.address == "0.0.0.0" else told.address
    assert dcp.told_of(told.mac, frame) == told._replace(address=address)


def test_what_is_plugged_leaves_what_else_is_wrong_as_it_was() -> None:
    """A slot was empty and two submodules are expected in it; another one has two wrong ones."""
    wrong = b.RealModule(2, 7, b.PROPER_MODULE, ((1, 9, b.SUB_MISSING), (2, 8, b.SUB_WRONG)))
    found = [b.RealModule(1, 0, b.NO_MODULE, ()), wrong]
    half = b.plugged(found, 1, 1, [(1, 3), (2, 4)])
    assert sorted(b.submodules_of(half)) == [
        (1, 2, "nothing is there"), (2, 1, "nothing is there"), (2, 2, "another submodule is there, ident 16#00000008"),
    ]  # fmt: skip
    assert b.plugged(half, 1, 2, [(1, 3), (2, 4)]) == [wrong]
    assert sorted(b.submodules_of(b.plugged([wrong], 2, 2, [(1, 9), (2, 5)]))) == [(2, 1, "nothing is there")]


def test_a_bench_is_not_moved_by_strange_frames() -> None:
    bench = Bench(PLANT, LIBRARY)
    bench.run_until(1)
    stranger = bench.ethernet.attach("stranger", "10.2.0.99")
    target = DEVICE.io.host.mac
    for octets in (b"", b"\x80", b"\xfe\xfd", b"\xfc\x01" + bytes(3), b"\x80\x02" + bytes(60), bytes(1500)):
        stranger.send_frame(target, b.RT_ETHERTYPE, octets, 6)
        stranger.send_frame(dcp.TO_ALL, b.RT_ETHERTYPE, octets)
        stranger.send("10.2.0.2", c.PORT, octets)
    bench.run_until(2)
    told = bench._told_of(next(iter(PLANT.tables["networks"].values())))
    assert told is not None
    assert told.nodes[0].good
