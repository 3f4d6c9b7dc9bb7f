"""A scan of EtherNet/IP: everybody is asked who they are, and those configured that stay silent once more over TCP.

Source: CIP volume 2, 2-4.2 (List Identity; over UDP answers may be put off as long as the question allows).
"""

from __future__ import annotations

import struct
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.ethernet_ip.encapsulation import (
    IDENTITY,
    LIST_IDENTITY,
    TCP_PORT,
    UDP_PORT,
    Encapsulated,
    EncapsulationError,
    items,
)
from highmoor.core.networks.ethernet_ip.settings import identity_of
from highmoor.core.networks.line import Line
from highmoor.core.networks.media import BROADCAST, Datagram, Host, TcpEnd
from highmoor.core.networks.scanning import Found, FoundNumber, Scans, ScanSeat
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Network, Port

_NS_A_MS = 1_000_000
_OWN_PORT = 49151
# A datagram may be lost: everybody is asked twice. Answers may be put off by so much, and take a little to come.
_ROUNDS, _PUT_OFF_MS, _ROUND_MS = 2, 500, 550
_OVER_TCP_MS = 1000
_QUESTION = Encapsulated(LIST_IDENTITY, 0, b"", context=_PUT_OFF_MS).encode()
# Version, the socket address of 16 octets, then vendor, device type, product, revision, status, serial, name's length.
_IDENTITY = struct.Struct("<H16xHHHBBHIB")
_VENDOR, _TYPE, _PRODUCT = "vendor", "device type", "product"


def identity_in(octets: bytes, address: str, how: str) -> Found | None:
    """What an answer to List Identity tells; None for octets that are none."""
    try:
        frame = Encapsulated.decode(octets)
        told = next((data for kind, data in items(frame.data) if kind == IDENTITY), b"")
    except EncapsulationError:
        return None
    if frame.command != LIST_IDENTITY or len(told) < _IDENTITY.size:
        return None
    _, vendor, kind, product, major, minor, _, serial, length = _IDENTITY.unpack_from(told)
    name = told[_IDENTITY.size : _IDENTITY.size + length].decode("ascii", "replace")
    return Found(
        address, how, name="".join(c for c in name if c.isprintable()), revision=f"{major}.{minor}",
        serial=f"{serial:08X}",
        numbers=(
            FoundNumber(_VENDOR, str(vendor)), FoundNumber(_TYPE, str(kind)), FoundNumber(_PRODUCT, str(product)),
        ),
    )  # fmt: skip


@dataclass(slots=True)
class _Scan:
    """Everybody by datagram in rounds, then each configured address that is missing by itself."""

    seat: ScanSeat
    done: int = 0
    asked: int = 0
    _found: set[tuple[str, str]] = field(default_factory=set)
    _missing: list[str] = field(default_factory=list)
    _over: bool = False

    @property
    def _host(self) -> Host:
        host: Host = self.seat.medium
        return host

    def begin(self) -> None:
        """The first round."""
        self.asked = _ROUNDS
        self._host.hear(_OWN_PORT, self._heard)
        self._round()

    def stop(self) -> None:
        """Nothing more is asked, and nothing heard."""
        self._over = True

    def _later(self, waits_ms: float, then: Any) -> None:
        clock = self.seat.clock
        clock.at(clock.now_ns + int(waits_ms * _NS_A_MS), lambda: None if self._over else then())

    def _round(self) -> None:
        self._host.send(BROADCAST, UDP_PORT, _QUESTION, _OWN_PORT)
        self._later(_ROUND_MS, self._round_over)

    def _round_over(self) -> None:
        self.done += 1
        if self.done < _ROUNDS:
            self._round()
            return
        there = {address for address, _ in self._found}
        configured = dict.fromkeys(line.station.address for line in self.seat.lines if line.station.address)
        self._missing = [address for address in configured if address not in there]
        self.asked += len(self._missing)
        for address in self._missing:
            self._over_tcp(address)
        self._later(_OVER_TCP_MS if self._missing else 0, self._end)

    def _end(self) -> None:
        self.done, self._over = self.asked, True
        self.seat.over()

    def _over_tcp(self, address: str) -> None:
        end = self._host.connect(address, TCP_PORT)
        if end is None:
            self.done += 1
            return

        def heard(octets: bytes, end: TcpEnd = end) -> None:
            end.close()
            if not self._over:
                self.done += 1
                self._take(identity_in(octets, address, "List Identity over TCP"))

        end.on(heard)
        end.send(_QUESTION)

    def _heard(self, datagram: Datagram) -> None:
        if not self._over:
            self._take(identity_in(datagram.octets, datagram.source, "List Identity"))

    def _take(self, found: Found | None) -> None:
        if found and (found.address, found.serial) not in self._found:
            self._found.add((found.address, found.serial))
            self.seat.find(found)


def _takes_s(_: Network, lines: Sequence[Line], __: Mapping[str, Any]) -> float:
    return (_ROUNDS * _ROUND_MS + (_OVER_TCP_MS if lines else 0)) / 1000


def _fields(_: Network, __: Port | None) -> tuple[FieldSpec, ...]:
    return ()


def _alike(found: Found, device: DeviceType) -> bool | None:
    if device.product_code is None or device.fieldbus != "ethernet-ip":
        return None
    told = {number.label: number.value for number in found.numbers}
    own = {_VENDOR: device.vendor_id, _TYPE: device.device_type or 0, _PRODUCT: device.product_code}
    return all(told.get(key) == str(value) for key, value in own.items())


def _differs(found: Found, line: Line) -> str:
    """By the station's own rule: what a connection request would be refused for (CIP volume 1, 3-5.6)."""
    wanted = identity_of(line.station, line.device)
    if wanted.rule == "off":
        return ""
    told = {number.label: number.value for number in found.numbers}
    for label, own in ((_VENDOR, wanted.vendor), (_TYPE, wanted.device_type), (_PRODUCT, wanted.product)):
        if told.get(label) != str(own):
            return f"{label} {told.get(label)} instead of {own}"
    major, _, minor = found.revision.partition(".")
    exact = (int(major), int(minor)) == (wanted.major, wanted.minor)
    newer = int(major) == wanted.major and int(minor) >= wanted.minor
    if exact or (wanted.rule == "compatible" and newer):
        return ""
    return f"revision {found.revision} instead of {wanted.major}.{wanted.minor}"


def _revision(found: Found, line: Line) -> bool:
    """Whether all that differs is the revision."""
    return _differs(found, line).startswith("revision")


def _taken(found: Found, line: Line) -> Mapping[str, Any]:
    return {"settings.revision": found.revision} if _revision(found, line) else {}


def _put_right(found: Found, line: Line) -> tuple[str, Mapping[str, Any]] | None:
    if not _revision(found, line):
        return None
    wanted = identity_of(line.station, line.device)
    revision = f"{wanted.major}.{wanted.minor}"
    return f"Mount one of revision {revision}, or load that firmware", {"facts.revision": revision}


SCANS = Scans(_fields, _takes_s, _Scan, _alike, differs=_differs, taken=_taken, put_right=_put_right)
