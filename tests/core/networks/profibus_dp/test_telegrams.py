"""Telegrams octet for octet: worked ones, and what a library written by others reads of a bench."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyprofibus.dp import DpTelegram, DpTelegram_ChkCfg_Req, DpTelegram_SetPrm_Req, DpTelegram_SlaveDiag_Con
from pyprofibus.fdl import FdlError, FdlTelegram

from highmoor.core.networks.profibus_dp import telegrams as t
from highmoor.core.networks.profibus_dp.settings import watchdog_factors

from . import steep
from .tapped import tapped

# Master 2, station 7, ident F04C, identifiers 11 20.
_PRM = t.set_prm(0xF04C, (10, 2), 11, 1, b"", sync=False, freeze=False)
WORKED = {
    "68 05 05 68 87 82 6D 3C 3E F0 16": t.to_point(7, 2, t.FIRST, t.SLAVE_DIAG),
    "68 0B 0B 68 82 87 08 3E 3C 02 05 00 FF F0 4C CD 16": t.Telegram(
        2, 7, t.DATA_LOW, bytes.fromhex("02 05 00 FF F0 4C"), t.MASTER, t.SLAVE_DIAG
    ).encode(),
    "68 0C 0C 68 87 82 5D 3D 3E 88 0A 02 0B F0 4C 01 BD 16": t.to_point(7, 2, t.COUNTED, t.SET_PRM, _PRM),
    "68 07 07 68 87 82 7D 3E 3E 11 20 33 16": t.to_point(7, 2, t.COUNTED_ON, t.CHK_CFG, bytes((0x11, 0x20))),
    "68 04 04 68 07 02 5D A5 0B 16": t.data_request(7, 2, t.COUNTED, b"\xa5"),
    "68 05 05 68 02 07 08 12 34 57 16": t.Telegram(2, 7, t.DATA_LOW, b"\x12\x34").encode(),
    "68 07 07 68 FF 82 46 3A 3E 02 00 41 16": t.global_control(2, t.CLEAR_DATA),
    "DC 02 02": t.token(2, 2),
    "10 07 02 49 52 16": t.Telegram(7, 2, t.FDL_STATUS).encode(),
}


@pytest.mark.parametrize("octets", WORKED, ids=str)
def test_worked_telegrams(octets: str) -> None:
    made = WORKED[octets]
    assert made.hex(" ").upper() == octets
    if made[0] != t.SD4:
        assert t.decode(made).encode() == made


@given(
    st.integers(0, 127), st.integers(0, 126), st.sampled_from((0x6D, 0x5D, 0x08, 0x0A, 0x46)), st.binary(max_size=244),
    st.booleans(),
)  # fmt: skip
def test_a_library_of_others_reads_every_telegram(to: int, source: int, fc: int, data: bytes, points: bool) -> None:
    telegram = t.Telegram(to, source, fc, data[:240], 62, 60) if points else t.Telegram(to, source, fc, data)
    octets = telegram.encode()
    assert t.decode(octets) == telegram
    read = FdlTelegram.fromRawData(bytearray(octets))
    assert (read.da & 0x7F, read.sa & 0x7F, read.fc) == (to, source, fc)


@given(st.binary(min_size=1, max_size=30), st.data())
def test_a_damaged_octet_is_noticed(data: bytes, drawn: st.DataObject) -> None:
    octets = bytearray(t.data_request(7, 2, t.COUNTED, data))
    at, bit = drawn.draw(st.integers(0, len(octets) - 1)), drawn.draw(st.integers(0, 7))
    octets[at] ^= 1 << bit
    with pytest.raises(t.NoTelegram):
        t.decode(bytes(octets))


@pytest.mark.parametrize(
    ("wanted", "base", "factors"),
    [(0, 10, (0, 0)), (1, 10, (1, 1)), (10, 10, (1, 1)), (11, 10, (2, 1)), (200, 10, (20, 1)), (2560, 10, (128, 2)),
     (2570, 10, (129, 2)), (650_250, 10, (255, 255)), (900_000, 10, (255, 255)), (7, 1, (7, 1))],
)  # fmt: skip
def test_factors_of_a_watchdog(wanted: float, base: int, factors: tuple[int, int]) -> None:
    made = watchdog_factors(wanted, base)
    assert made[0] * made[1] == factors[0] * factors[1]
    assert made[0] * made[1] * base >= min(wanted, 650_250)


def test_a_library_of_others_reads_a_whole_run() -> None:
    # Its application layer does not know identifiers with octets of their maker's: those of AI-4.
    plant = steep.line(("TR-16", [steep.DI, steep.DO]), "DA-20", ("CV-3", [steep.TWO_WORDS]))
    _, log = tapped(plant, 0.1)
    seen = set()
    for _, octets in log:
        read = FdlTelegram.fromRawData(bytearray(octets))
        if octets[0] == t.SD2 and octets[4] & 0x80 and octets[4] != 0xFF:
            answers = octets[6] in (t.DATA_LOW, t.DATA_HIGH)
            seen.add(type(DpTelegram.fromFdlTelegram(read, thisIsMaster=answers)))
    assert {DpTelegram_SetPrm_Req, DpTelegram_ChkCfg_Req, DpTelegram_SlaveDiag_Con} <= seen
    damaged = bytearray(next(octets for _, octets in log if octets[0] == t.SD2))
    damaged[-2] ^= 1
    with pytest.raises(FdlError):
        FdlTelegram.fromRawData(damaged)
