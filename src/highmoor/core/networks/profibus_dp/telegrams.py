"""Telegrams of PROFIBUS, octet for octet. Source: IEC 61158-4-3, 7 (formats, function codes); IEC 61158-6-3 (DP).

SD1  10 DA SA FC FCS 16                        without data
SD2  68 LE LE 68 DA SA FC [DSAP SSAP] … FCS 16 with it; the highest bits of DA and SA say that access points stand
SD4  DC DA SA                                  the token
SC   E5                                        the short acknowledgement
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

SD1, SD2, SD3, SD4, SC, ED = 0x10, 0x68, 0xA2, 0xDC, 0xE5, 0x16
BROADCAST = 127
# Function codes of requests: the frame count bit and whether it counts, send and request (high), send without
# acknowledgement (high), state of the link layer.
FIRST, COUNTED, COUNTED_ON = 0x6D, 0x5D, 0x7D
SDN_HIGH, FDL_STATUS = 0x46, 0x49
_FCB, _FCV = 0x20, 0x10
# Of answers.
OK, DATA_LOW, DATA_HIGH, NO_SERVICE, NO_DATA = 0x00, 0x08, 0x0A, 0x03, 0x09
# Service access points of a slave, and that of its master.
SET_SLAVE_ADD, RD_INPUT, RD_OUTPUT, GLOBAL_CONTROL = 55, 56, 57, 58
GET_CFG, SLAVE_DIAG, SET_PRM, CHK_CFG, MASTER = 59, 60, 61, 62, 62
ACYCLIC = 51


class NoTelegram(Exception):
    """Octets that are none: why."""


@dataclass(frozen=True, slots=True)
class Telegram:
    """A telegram: to whom, from whom, its function code, its access points (None for none), its data."""

    to: int
    source: int
    function: int
    data: bytes = b""
    dsap: int | None = None
    ssap: int | None = None

    @property
    def is_request(self) -> bool:
        """Whether it asks."""
        return bool(self.function & 0x40)

    @property
    def counts(self) -> bool:
        """Whether its frame count bit counts: a repeated one is answered as before, and not done twice."""
        return bool(self.function & _FCV)

    @property
    def count_bit(self) -> bool:
        """The frame count bit."""
        return bool(self.function & _FCB)

    def encode(self) -> bytes:
        """The octets on the line. Raises ValueError for more data than a telegram has room for."""
        points = b"" if self.dsap is None or self.ssap is None else bytes((self.dsap, self.ssap))
        mark = 0x80 if points else 0
        body = bytes((self.to | mark, self.source | mark, self.function)) + points + self.data
        check = bytes((sum(body) & 0xFF, ED))
        if len(body) == 3:
            return bytes((SD1,)) + body + check
        if len(body) > 249:
            raise ValueError(f"{len(body)} octets are too many for one telegram")
        return bytes((SD2, len(body), len(body), SD2)) + body + check


SHORT = bytes((SC,))


def token(to: int, source: int) -> bytes:
    """The token, passed on."""
    return bytes((SD4, to, source))


@lru_cache(maxsize=256)
def decode(octets: bytes) -> Telegram:
    """A telegram from its octets. Raises NoTelegram for what is none: the token and the short acknowledgement too."""
    if not octets:
        raise NoTelegram("nothing")
    if octets[0] == SD1:
        body = _checked(octets, 1, 3)
    elif octets[0] == SD2:
        if len(octets) < 9 or octets[1] != octets[2] or octets[3] != SD2:
            raise NoTelegram("its length is not said twice alike")
        body = _checked(octets, 4, octets[1])
    elif octets[0] == SD3:
        body = _checked(octets, 1, 11)
    else:
        raise NoTelegram(f"it begins with {octets[0]:02X}")
    to, source, function = body[0], body[1], body[2]
    if bool(to & 0x80) != bool(source & 0x80):
        raise NoTelegram("one of its addresses alone has an access point")
    if not to & 0x80:
        return Telegram(to, source, function, body[3:])
    if len(body) < 5:
        raise NoTelegram("its access points are missing")
    return Telegram(to & 0x7F, source & 0x7F, function, body[5:], body[3], body[4])


def _checked(octets: bytes, begin: int, length: int) -> bytes:
    end = begin + length
    if len(octets) != end + 2 or octets[-1] != ED:
        raise NoTelegram(f"it is not as long as it says, or does not end with {ED:02X}")
    body = octets[begin:end]
    if sum(body) & 0xFF != octets[end]:
        raise NoTelegram("its check octet is wrong")
    return body


def data_request(to: int, source: int, function: int, data: bytes) -> bytes:
    """The exchange of a cycle: no access points."""
    return Telegram(to, source, function, data).encode()


def to_point(to: int, source: int, function: int, dsap: int, data: bytes = b"", ssap: int = MASTER) -> bytes:
    """A request at an access point."""
    return Telegram(to, source, function, data, dsap, ssap).encode()


# ── what DP puts into them

LOCK, UNLOCK, SYNC, FREEZE, WATCHDOG = 0x80, 0x40, 0x20, 0x10, 0x08


def set_prm(
    ident: int, watchdog: tuple[int, int], min_tsdr: int, group: int, user: bytes, *, sync: bool, freeze: bool
) -> bytes:
    """Parameters of a station (IEC 61158-6-3, Set_Prm): `group` 1–8, 0 for none; factors of 0 switch its watchdog off.

    A station without a watchdog still has factors; the standard wants them not to be 0.
    """
    on = any(watchdog)
    state = LOCK | (SYNC if sync else 0) | (FREEZE if freeze else 0) | (WATCHDOG if on else 0)
    one, other = watchdog if on else (1, 1)
    return bytes((state, one, other, min_tsdr, *ident.to_bytes(2, "big"), 1 << group - 1 if group else 0)) + user


CLEAR_DATA, UNFREEZE, FREEZE_NOW, UNSYNC, SYNC_NOW = 0x02, 0x04, 0x08, 0x10, 0x20


def global_control(source: int, command: int, groups: int = 0) -> bytes:
    """To all stations, or to those of some groups."""
    return to_point(BROADCAST, source, SDN_HIGH, GLOBAL_CONTROL, bytes((command, groups)))


# What an acyclic service of class 1 is asked and answered with (IEC 61158-6-3, DP-V1).
READ, WRITE, ERROR = 0x5E, 0x5F, 0x80
ACYCLIC_OCTETS_AT_MOST = 240
