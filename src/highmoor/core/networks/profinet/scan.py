"""A scan of PROFINET: all are asked who they are (identify all), then which modules they have, where they have an
address.

Without a relation modules are told by a record that may be read at any time. Source: IEC 61158-6-10, 4.3 (DCP), 5.2
(RealIdentificationData).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.line import Line
from highmoor.core.networks.profinet import bring_up as up
from highmoor.core.networks.profinet import calls as c
from highmoor.core.networks.profinet import dcp
from highmoor.core.networks.profinet import record_blocks as r
from highmoor.core.networks.profinet.bench import Controller
from highmoor.core.networks.profinet.settings import io_device
from highmoor.core.networks.scanning import Found, FoundModule, FoundNumber, Scans, ScanSeat
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Network, Port

_NS_A_S = 1e9
# Over how long answers are spread (in 10 ms), so that many do not answer at once.
_SPREAD = 40
_SEEK_NS = 500_000_000


@dataclass(slots=True)
class _Scan:
    seat: ScanSeat
    done: int = 0
    asked: int = 1
    stopped: bool = False

    def begin(self) -> None:
        """All are asked."""
        master: Controller = self.seat.master
        master.asker.run(self._all(master))

    def stop(self) -> None:
        """Nothing more is asked."""
        self.stopped = True

    def _all(self, master: Controller) -> up.Talk:
        frame = dcp.identify(up.xid_of(master.asker.number()), delay=_SPREAD)
        there: list[dcp.Told] = yield up.Seek(frame, _SEEK_NS)
        self.done, self.asked = 1, 1 + len(there)
        for told in sorted(there, key=lambda told: told.mac):
            if self.stopped:
                return
            if told.vendor_id or told.device_id:
                yield from self._who(told)
            self.done += 1
        if not self.stopped:
            self.seat.over()

    def _who(self, told: dcp.Told) -> up.Talk:
        kind = next((x for x in self.seat.types() if _is(x, told.vendor_id, told.device_id)), None)
        real: dict[tuple[int, int], tuple[int, int]] = {}
        trouble = ""
        if told.address:
            obj = c.object_of(told.vendor_id, told.device_id)
            try:
                octets = yield from up.read(told.address, obj, 0, 1, r.REAL_IDENTIFICATION)
                real = r.read_real_identification(octets)
            except up.Failed:
                trouble = ""
        if kind is not None and real:
            kind = _access_point(self.seat.types(), told, real) or kind
        modules = tuple(_modules(real, kind)) if real else None
        numbers = (
            FoundNumber("vendor", f"16#{told.vendor_id:04X}"), FoundNumber("device", f"16#{told.device_id:04X}"),
            *((FoundNumber("access point", f"16#{real[0, 1][0]:08X}"),) if (0, 1) in real else ()),
        )  # fmt: skip
        self.seat.find(
            Found(
                told.address, "identify all" + (" and its identification" if real else ""),
                kind.maker if kind else "", told.name or (kind.name if kind else told.vendor or "IO device"),
                numbers=numbers, modules=modules, trouble=trouble, mac=told.mac.hex("-").upper(), called=told.name,
            )
        )  # fmt: skip


def _is(device: DeviceType, vendor_id: int, device_id: int) -> bool:
    return (
        device.profinet is not None and device.vendor_id == vendor_id and device.profinet.device_id == device_id
    )  # fmt: skip


def _access_point(
    types: Sequence[DeviceType], told: dcp.Told, real: Mapping[tuple[int, int], tuple[int, int]]
) -> DeviceType | None:
    """Of several access points of one device, the one that is in its slot 0."""
    ident = next((module for (slot, _), (module, _) in real.items() if slot == 0), None)
    return next(
        (
            x for x in types
            if _is(x, told.vendor_id, told.device_id) and x.profinet_module and x.profinet_module.ident == ident
        ),
        None,
    )  # fmt: skip


def _modules(real: Mapping[tuple[int, int], tuple[int, int]], kind: DeviceType | None) -> Iterator[FoundModule]:
    """Modules in the order of their slots, each with those of its file that bear its ident number."""
    by_slot: dict[int, int] = {slot: module for (slot, _), (module, _) in real.items() if slot}
    for slot, ident in sorted(by_slot.items()):
        types = tuple(
            f"{kind.key}/{module.key}" for module in kind.modules
            if module.profinet and not module.profinet.pluggable and module.profinet.ident == ident
        ) if kind else ()  # fmt: skip
        yield FoundModule(f"ident 16#{ident:08X}", types, slot)


def _number(found: Found, label: str) -> int | None:
    text = next((number.value for number in found.numbers if number.label == label), "")
    return int(text.removeprefix("16#"), 16) if text else None


def alike(found: Found, device: DeviceType) -> bool | None:
    """Whether what was found can be of a type: by vendor, device and, where it is told, access point."""
    if device.profinet is None:
        return None
    if (_number(found, "vendor"), _number(found, "device")) != (device.vendor_id, device.profinet.device_id):
        return False
    head, ident = device.profinet_module, _number(found, "access point")
    return head is None or ident is None or head.ident == ident


def differs(found: Found, line: Line) -> str:
    """Another identity than is configured; a device that is found by name has that one."""
    station = io_device(line)
    there = _number(found, "vendor"), _number(found, "device")
    if there != (station.vendor_id, station.device_id):
        spelled = [f"16#{number:04X}" if number is not None else "?" for number in there]
        wanted = f"16#{station.vendor_id:04X}, 16#{station.device_id:04X}"
        return f"vendor {spelled[0]}, device {spelled[1]} instead of {wanted}"
    head = station.device.profinet_module if station.device else None
    ident = _number(found, "access point")
    if head is not None and ident is not None and ident != head.ident:
        return f"access point 16#{ident:08X} instead of 16#{head.ident:08X}"
    return ""


def taken(found: Found, line: Line) -> Mapping[str, Any]:
    """Of a station without a file: whose and which device it is."""
    station = io_device(line)
    if station.facts is not None:
        return {}
    return {"settings.vendor": _number(found, "vendor"), "settings.device": _number(found, "device")}


def _takes_s(_: Network, lines: Sequence[Line], __: Mapping[str, Any]) -> float:
    """Until all have answered, and then at worst three calls in vain to each; a quarter more for strangers."""
    return (_SEEK_NS + (len(lines) + 8) * 3 * up.CALL_NS) / _NS_A_S


def _fields(_: Network, __: Port | None) -> tuple[FieldSpec, ...]:
    return ()


SCANS = Scans(_fields, _takes_s, _Scan, alike, differs=differs, taken=taken)
