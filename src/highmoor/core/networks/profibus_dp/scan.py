"""A scan of PROFIBUS: every address is asked whether somebody is there (the live list), then who he is.

A slave tells its ident number with its diagnosis, and its identifiers by Get_Cfg; one identifier may be that of several
modules. Source: IEC 61158-4-3 (FDL status), IEC 61158-6-3 (Slave_Diag, Get_Cfg).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.figures.profibus_identifier import identifiers_in
from highmoor.core.networks.line import Line
from highmoor.core.networks.profibus_dp import telegrams as t
from highmoor.core.networks.profibus_dp.bench import Master
from highmoor.core.networks.profibus_dp.bus import bus_of
from highmoor.core.networks.profibus_dp.cycle import Guest, Question, Talk
from highmoor.core.networks.profibus_dp.diagnosis import SlaveDiag
from highmoor.core.networks.profibus_dp.settings import dp_station, is_described
from highmoor.core.networks.scanning import Found, FoundModule, FoundNumber, Scans, ScanSeat
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Network, Port

LAST = 126
_QUESTIONS_A_DEVICE = 3


@dataclass(slots=True)
class _Scan:
    seat: ScanSeat
    done: int = 0
    asked: int = LAST + 1
    stopped: bool = False

    def begin(self) -> None:
        """The first address, between two cycles."""
        master: Master = self.seat.master
        own = master.bus.line.master
        first, last = _span(self.seat.wanted)
        self.asked = last - first + 1
        master.ask_between(Guest(self._all(range(first, last + 1), own)))

    def stop(self) -> None:
        """Nothing more is asked."""
        self.stopped = True

    def _all(self, span: range, own: int) -> Talk:
        for number in span:
            if self.stopped:
                return
            if number != own:
                asked = t.Telegram(number, own, t.FDL_STATUS).encode()
                answer = yield Question(number, asked, once=True)
                if answer is not None:
                    yield from self._who(number, own)
            self.done += 1
        if not self.stopped:
            self.seat.over()

    def _who(self, number: int, own: int) -> Talk:
        """Its ident number and its identifiers. Its own master's count goes on behind: no question of these counts."""
        answer = yield Question(number, t.to_point(number, own, _UNCOUNTED, t.SLAVE_DIAG))
        diag = SlaveDiag.of(_data(answer))
        if diag is None:
            self.seat.find(Found(str(number), "the live list", trouble="it does not tell its diagnosis"))
            return
        answer = yield Question(number, t.to_point(number, own, _UNCOUNTED, t.GET_CFG))
        told = _data(answer)
        kind = next(
            (x for x in self.seat.types() if x.fieldbus == "profibus-dp" and x.product_code == diag.ident), None
        )
        self.seat.find(
            Found(
                str(number), "its diagnosis and Get_Cfg", kind.maker if kind else "",
                kind.name if kind else f"ident 16#{diag.ident:04X}",
                numbers=(FoundNumber("ident", f"16#{diag.ident:04X}"),), modules=tuple(_modules(told, kind)),
            )
        )  # fmt: skip


# A question of somebody's own: its count bit does not count.
_UNCOUNTED = 0x4D


def _data(answer: bytes | None) -> bytes:
    if not answer or answer == t.SHORT:
        return b""
    try:
        return t.decode(answer).data
    except t.NoTelegram:
        return b""


def _modules(cfg: bytes, kind: DeviceType | None) -> Iterator[FoundModule]:
    """Its identifiers in order, cut where modules of its type's file fit, the longest first; each with all that do."""
    if kind is not None and kind.modules:
        by_octets: dict[bytes, list[str]] = {}
        for module in kind.modules:
            octets = b"".join(bytes.fromhex(one.octets) for one in module.identifiers)
            by_octets.setdefault(octets, []).append(f"{kind.key}/{module.key}")
        lengths = sorted({len(octets) for octets in by_octets}, reverse=True)
        at = 0
        while at < len(cfg):
            size = next((n for n in lengths if cfg[at : at + n] in by_octets), 0)
            if not size:
                yield FoundModule(f"identifiers {cfg[at:].hex(' ').upper()}")
                return
            octets = cfg[at : at + size]
            yield FoundModule(f"identifier {octets.hex(' ').upper()}", tuple(by_octets[octets]))
            at += size
        return
    try:
        found = identifiers_in(cfg)
    except Refusal:
        found = []
    yield from (FoundModule(f"identifier {octets.hex(' ').upper()}") for octets, _ in found)


def modules_of(found: Found, device: DeviceType) -> list[str]:
    """Those of a type's file that fit what it told, in order; nothing where some of it fits none."""
    told = " ".join(module.ident.partition(" ")[2] for module in found.modules or ())
    cut = list(_modules(bytes.fromhex(told), device))
    return [module.types[0] for module in cut] if all(module.types for module in cut) else []


def _ident(found: Found) -> int | None:
    text = next((number.value for number in found.numbers if number.label == "ident"), "")
    return int(text.removeprefix("16#"), 16) if text else None


def alike(found: Found, device: DeviceType) -> bool | None:
    """Whether what was found can be of a type: by its ident number."""
    told = _ident(found)
    if told is None or not is_described(device):
        return None
    return told == device.product_code


def differs(found: Found, line: Line) -> str:
    """Another ident number than is configured there; of a station without a file, other identifiers."""
    told, station = _ident(found), dp_station(line)
    if told is not None and told != station.ident:
        return f"ident 16#{told:04X} instead of 16#{station.ident:04X}"
    if not is_described(station.device) and found.modules is not None:
        configured = station.configuration.hex(" ").upper()
        there = " ".join(module.ident.removeprefix("identifier ") for module in found.modules)
        if configured != there:
            return f"identifiers {there} instead of {configured or 'none'}"
    return ""


def taken(found: Found, line: Line) -> Mapping[str, Any]:
    """Of a station without a file: its ident number and identifiers as they are there."""
    told, station = _ident(found), dp_station(line)
    if is_described(station.device):
        return {}
    there = " ".join(module.ident.removeprefix("identifier ") for module in found.modules or ())
    return {"settings.ident": told, "settings.identifiers": there}


def _span(wanted: Mapping[str, Any]) -> tuple[int, int]:
    return int(wanted.get("first", 0)), int(wanted.get("last", LAST))


def _takes_s(network: Network, lines: Sequence[Line], wanted: Mapping[str, Any]) -> float:
    """One question a cycle: an address each, and three for whoever is there; a quarter more for strangers."""
    bus = bus_of(network, lines)
    first, last = _span(wanted)
    there = _QUESTIONS_A_DEVICE * (len(bus.stations) + 8)
    cycle = bus.cycle_ms(typical=False) + bus.ms(bus.diagnosis_bits)
    lost = max((bus.ms(bus.silent_bits(station)) for station in bus.stations), default=0.0) * len(bus.stations)
    return (last - first + 2 + there) * (cycle + lost) / 1000


def _fields(_: Network, __: Port | None) -> tuple[FieldSpec, ...]:
    return (
        FieldSpec("wanted.first", "From address", "integer", default=0, minimum=0, maximum=LAST, show=lambda _: ""),
        FieldSpec("wanted.last", "To address", "integer", default=LAST, minimum=0, maximum=LAST, show=lambda _: ""),
    )


def _covers(wanted: Mapping[str, Any], address: str) -> bool:
    first, last = _span(wanted)
    return address.isdigit() and first <= int(address) <= last


SCANS = Scans(
    _fields, _takes_s, _Scan, alike, covers=_covers, modules_of=modules_of, differs=differs, taken=taken
)  # fmt: skip
