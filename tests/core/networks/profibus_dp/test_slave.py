"""A slave by itself: what it refuses and why, beside what it takes; what is asked again; what it does in groups."""

from __future__ import annotations

import pytest

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.segmented_line import SegmentedLine
from highmoor.core.catalogue.media import PROFIBUS
from highmoor.core.networks.profibus_dp import diagnosis as d
from highmoor.core.networks.profibus_dp import telegrams as t
from highmoor.core.networks.profibus_dp.slave import Slave, SlaveFacts

MASTER, NUMBER, IDENT = 1, 7, 0xFA21
GOOD_PRM = t.set_prm(IDENT, (20, 1), 11, 1, b"\x01\x02", sync=True, freeze=True)
GOOD_CFG = bytes((0x11, 0x21))


def slave(**more: object) -> Slave:
    """Two octets in and two out; it can sync and freeze, and wants two octets of parameters."""
    facts = {
        "ident": IDENT, "cfg": GOOD_CFG, "by_module": (1, 1), "in_octets": 2, "out_octets": 2, "tsdr": 11,
        "can_sync": True, "can_freeze": True, "fail_safe": False, "can_be_given": True, "prm": 2,
        "watchdog_base_ms": 10, "records": None, **more,
    }  # fmt: skip
    clock = VirtualClock()
    end = SegmentedLine(clock, medium=PROFIBUS, random=None).attach()  # type: ignore[arg-type]
    return Slave(SlaveFacts(**facts), NUMBER, clock, end, bytearray(b"\x12\x34"), bytearray(2))  # type: ignore[arg-type]


class Asking:
    """Asks a slave as its master does, with the frame count bit in turn."""

    def __init__(self, of: Slave, source: int = MASTER) -> None:
        self.of, self.source, self.bit = of, source, True

    def at(self, point: int, data: bytes = b"") -> bytes:
        """The octets of its answer, b"" for none."""
        self.bit = not self.bit
        function = t.COUNTED_ON if self.bit else t.COUNTED
        came = self.of.heard(t.to_point(NUMBER, self.source, function, point, data))
        return came[0] if came else b""

    def data(self, octets: bytes) -> t.Telegram | None:
        """What comes back for its data; None for the short acknowledgement."""
        self.bit = not self.bit
        came = self.of.heard(t.data_request(NUMBER, self.source, t.COUNTED_ON if self.bit else t.COUNTED, octets))
        return t.decode(came[0]) if came and came[0] != t.SHORT else None

    def diag(self) -> d.SlaveDiag:
        """Its diagnosis."""
        found = d.SlaveDiag.of(t.decode(self.at(t.SLAVE_DIAG)).data)
        assert found is not None
        return found


def running(**more: object) -> tuple[Slave, Asking]:
    """One that exchanges."""
    of = slave(**more)
    asking = Asking(of)
    assert asking.at(t.SET_PRM, GOOD_PRM) == t.SHORT
    assert asking.at(t.CHK_CFG, GOOD_CFG) == t.SHORT
    assert of.state == "exchange"
    return of, asking


PRM = {
    "as it should be": (GOOD_PRM, {}, 0),
    "another ident number": (t.set_prm(0xFA22, (20, 1), 11, 1, b"\x01\x02", sync=False, freeze=False), {}, d.PRM_FAULT),
    "too few of its own": (t.set_prm(IDENT, (20, 1), 11, 1, b"\x01", sync=False, freeze=False), {}, d.PRM_FAULT),
    "any number where it does not mind": (
        t.set_prm(IDENT, (20, 1), 11, 1, b"\x01", sync=False, freeze=False), {"prm": None}, 0,
    ),
    "fewer than seven": (GOOD_PRM[:6], {}, d.PRM_FAULT),
    "sync that it has not": (GOOD_PRM, {"can_sync": False}, d.NOT_SUPPORTED),
    "freeze that it has not": (GOOD_PRM, {"can_freeze": False}, d.NOT_SUPPORTED),
    "a watchdog of no time": (bytes((0x88, 0, 1)) + GOOD_PRM[3:], {}, d.PRM_FAULT),
}  # fmt: skip


@pytest.mark.parametrize("what", PRM)
def test_what_parameters_it_refuses(what: str) -> None:
    data, more, fault = PRM[what]
    of = slave(**more)
    asking = Asking(of)
    asking.at(t.SET_PRM, data)
    told = asking.diag()
    assert told.one & (d.PRM_FAULT | d.NOT_SUPPORTED | d.CFG_FAULT) == fault
    assert of.state == ("wait-cfg" if not fault else "wait-prm")
    assert bool(told.two & d.PRM_REQ) is bool(fault)
    assert told.master == (MASTER if not fault else d.NO_MASTER)


@pytest.mark.parametrize(
    ("cfg", "fault"), [(GOOD_CFG, 0), (b"\x21\x11", d.CFG_FAULT), (b"\x11", d.CFG_FAULT), (b"", d.CFG_FAULT)]
)
def test_what_configuration_it_refuses(cfg: bytes, fault: int) -> None:
    of = slave()
    asking = Asking(of)
    asking.at(t.SET_PRM, GOOD_PRM)
    asking.at(t.CHK_CFG, cfg)
    assert asking.diag().one & d.CFG_FAULT == fault
    assert of.state == ("exchange" if not fault else "wait-prm")


def test_it_checks_no_configuration_before_it_has_parameters() -> None:
    of = slave()
    Asking(of).at(t.CHK_CFG, GOOD_CFG)
    assert of.state == "wait-prm"


def test_another_master_does_not_get_it() -> None:
    of, own = running()
    other = Asking(of, source=2)
    other.at(t.SET_PRM, GOOD_PRM)
    assert of.master == MASTER
    assert other.diag().one & d.LOCKED
    assert not own.diag().one & d.LOCKED
    unlock = bytes((t.UNLOCK,)) + GOOD_PRM[1:]
    own.at(t.SET_PRM, unlock)
    other.at(t.SET_PRM, GOOD_PRM)
    assert of.master == 2


@pytest.mark.parametrize(
    ("octets", "goes_on"), [(b"\x01\x02", True), (b"\x01", False), (b"\x01\x02\x03", False), (b"", False)]
)
def test_data_of_another_length_ends_the_exchange(octets: bytes, goes_on: bool) -> None:
    of, asking = running()
    told = asking.data(octets)
    assert told is not None
    assert (told.function == t.DATA_LOW) is goes_on
    assert (of.state == "exchange") is goes_on
    assert of.takes == (octets if goes_on else bytes(2))


def test_no_data_at_all_is_clear_for_one_that_is_fail_safe() -> None:
    of, asking = running(fail_safe=True)
    lost = []
    of.on_lost = lambda: lost.append(True)
    told = asking.data(b"")
    assert told is not None
    assert told.data == b"\x12\x34"
    assert lost


def test_what_is_asked_again_is_answered_as_before_and_not_done_twice() -> None:
    of, asking = running()
    octets = t.data_request(NUMBER, MASTER, t.COUNTED if asking.bit else t.COUNTED_ON, b"\x01\x02")
    first = of.heard(octets)
    of.gives[:] = b"\x56\x78"
    of.takes[:] = b"\x00\x00"
    assert of.heard(octets) == first
    assert of.takes == bytes(2)
    asking.bit = not asking.bit
    told = asking.data(b"\x01\x02")
    assert told is not None
    assert told.data == b"\x56\x78"


@pytest.mark.parametrize(("group", "concerned"), [(0, True), (1, True), (2, False), (3, True)])
def test_commands_to_groups(group: int, concerned: bool) -> None:
    of, asking = running()
    for command, held in ((t.FREEZE_NOW, concerned), (t.UNFREEZE, False)):
        of.heard(t.global_control(MASTER, command, group))
        before = bytes(of.gives)
        of.gives[0] += 1
        told = asking.data(b"\x01\x02")
        assert told is not None
        assert (told.data == before) is held, command
    of.heard(t.global_control(MASTER, t.SYNC_NOW, group))
    asking.data(b"\x07\x07")
    assert (of.takes == b"\x01\x02") is concerned
    of.heard(t.global_control(MASTER, t.UNSYNC, group))
    asking.data(b"\x08\x08")
    assert of.takes == b"\x08\x08"


def test_a_command_of_another_master_concerns_nobody() -> None:
    of, asking = running()
    of.heard(t.global_control(2, t.CLEAR_DATA))
    asking.data(b"\x01\x02")
    assert of.takes == b"\x01\x02"


@pytest.mark.parametrize(
    ("data", "given"),
    [(bytes((9, 0xFA, 0x21, 0)), True), (bytes((9, 0xFA, 0x22, 0)), False), (bytes((126, 0xFA, 0x21, 0)), False)],
)
def test_an_address_is_taken_by_the_right_ident_number_alone(data: bytes, given: bool) -> None:
    of = slave()
    Asking(of).at(t.SET_SLAVE_ADD, data)
    of.clock.run_until(1)  # type: ignore[attr-defined]
    assert of.number == (9 if given else NUMBER)


def test_one_that_exchanges_takes_no_address() -> None:
    of, asking = running()
    asking.at(t.SET_SLAVE_ADD, bytes((9, 0xFA, 0x21, 0)))
    assert of.number == NUMBER
