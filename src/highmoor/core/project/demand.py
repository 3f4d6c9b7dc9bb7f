"""What a place asks of a device type: conditions, which of them a type fails, and what is left after placing it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import accumulate
from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.catalogue.choices import RackPlace
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.hardware.mounting import head_type, rail_takes
from highmoor.core.networks import fieldbus_of
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Module, Network, PinnedType, Port, Rail


@dataclass(frozen=True, slots=True)
class Condition:
    """One condition of a place, to be shown and taken away by itself."""

    key: str
    label: str


@dataclass(frozen=True, slots=True)
class Verdict:
    """A type at a place: the conditions it fails, and what would be left, in `unit` (None where nothing is counted)."""

    type: str
    fails: tuple[str, ...]
    left: float | None
    unit: str


class Demand:
    """The conditions of one place, worked out once and then asked of many types."""

    conditions: tuple[Condition, ...] = ()

    def judge(self, device: DeviceType) -> Verdict:
        """Without a place everything fits."""
        return Verdict(device.key, (), None, "")


class RailDemand(Demand):
    """A place on a rail, before a module or behind the last; or that of a module that gives way (`instead`)."""

    def __init__(self, analysis: Analysis, rail: Rail, before: str | None, instead: str | None = None) -> None:
        self.head = head_type(analysis.plant, rail, analysis.catalogue.find)
        self.takes = rail_takes(rail, self.head) if self.head else ""
        mounting, power = analysis.result("rail.mounting", rail.id), analysis.result("rail.power", rail.id)
        fitted = [seat for seat in mounting.seats if seat.module and seat.kind != "cover"]
        steps = [step for step in power.steps if any(seat.module == step.module for seat in fitted)]
        at = instead or before
        place = next((n for n, seat in enumerate(fitted) if seat.module == at), len(fitted))
        given_way = 1 if instead and place < len(fitted) else 0
        self.slot = fitted[place].slot if place < len(fitted) else (fitted[-1].slot + 1 if fitted else 1)
        self.free = mounting.open_places + sum(1 for seat in mounting.seats if seat.kind == "cover") + given_way
        self.counts = Counter(seat.type for seat in (*fitted[:place], *fitted[place + given_way :]))
        self.known = power.known
        # What the head or the last feed-in leaves just before the place, and how low it falls behind it.
        self.here = steps[place - 1].left_ma if place else power.supply_ma
        behind = steps[place + given_way :]
        until = next((n for n, step in enumerate(behind) if step.feeds_ma is not None), len(behind))
        falls = list(accumulate(step.draw_ma for step in behind[:until]))
        self.behind_draw = falls[-1] if falls else 0
        self.elsewhere = min(
            [power.supply_ma, *(s.left_ma for s in steps[:place]), *(s.left_ma for s in behind[until:])], default=0
        )
        name = mounting.head_name
        self.conditions = (
            Condition("rail", f"{name} rail"),
            Condition("place", f"{self.free} places left" if self.free != 1 else "1 place left"),
            *((Condition("power", f"≤ {max(self.here - self.behind_draw, 0)} mA"),) if self.known else ()),
            Condition("slot", f"slot {self.slot}"),
            Condition("safety", "safe modules as well" if self._safe() else "no safe modules"),
        )

    def _safe(self) -> bool:
        return bool(self.head and self.head.controller and self.head.safety)

    def _belongs(self, device: DeviceType) -> bool:
        if device.kind not in ("module", "feed-in", "cover"):
            return False
        if device.racks:
            # A module of somebody's rack fits that rack alone, told by its identity.
            return any(_is_rack(self.head, rack) for rack in device.racks)
        return device.joins == self.takes

    def judge(self, device: DeviceType) -> Verdict:
        """What fails, and the least of the internal supply left anywhere on the rail."""
        fails = []
        belongs = self._belongs(device)
        if not belongs:
            fails.append("rail")
        if self.free < 1:
            fails.append("place")
        if device.kind == "feed-in" and device.bus_supply_ma:
            fresh = device.bus_supply_ma - device.bus_current_ma
            left = min(self.elsewhere, fresh, fresh - self.behind_draw)
        else:
            left = min(self.elsewhere, self.here - device.bus_current_ma - self.behind_draw)
        if belongs and self.known and left < 0:
            fails.append("power")
        most = device.at_most is not None and self.counts[device.key] >= device.at_most
        if belongs and (most or (device.only_slots and self.slot not in device.only_slots)):
            fails.append("slot")
        if device.needs_safety and not self._safe():
            fails.append("safety")
        return Verdict(device.key, tuple(fails), left if belongs and self.known else None, "mA")


def _is_rack(head: DeviceType | None, rack: RackPlace) -> bool:
    """Whether a head is the rack that a module's file names; what the file leaves open does not count."""
    if head is None or head.product_code is None:
        return False
    pairs = (
        (rack.vendor_id, head.vendor_id), (rack.device_type, head.device_type), (rack.product_code, head.product_code),
    )  # fmt: skip
    return all(wanted is None or wanted == own for wanted, own in pairs)


class NetworkDemand(Demand):
    """A station on a network."""

    def __init__(self, analysis: Analysis, network: Network) -> None:
        bus = self.bus = fieldbus_of(network.kind)
        port: Port | None = analysis.plant.find(network.port) if network.port else None
        addresses = analysis.result("network.addresses", network.id)
        self.conditions = (Condition("fieldbus", bus.name if bus else network.kind),)
        self.used = len(addresses.uses) if addresses and port else 0

    def judge(self, device: DeviceType) -> Verdict:
        """A device speaks the network's fieldbus or it does not."""
        fits = device.kind in ("device", "switch", "repeater") and self.bus is not None and self.bus.takes(device)
        fails = () if fits else ("fieldbus",)
        return Verdict(device.key, fails, None, "")


def demand_of(analysis: Analysis, place: str | None, before: str | None = None, instead: str | None = None) -> Demand:
    """The demand of a rail (before a module, or `instead` of one), of a network; of nowhere when nothing is asked."""
    row: Any = analysis.plant.find(place) if place else None
    if isinstance(row, Module):
        return demand_of(analysis, row.rail, row.id)
    if isinstance(row, Rail):
        return RailDemand(analysis, row, before, instead)
    if isinstance(row, Network):
        return NetworkDemand(analysis, row)
    return Demand()


def types_of(plant: Plant, catalogue: Catalogue) -> Iterable[DeviceType]:
    """Every type of a plant's catalogue: the built-in ones, its own, and the modules its own devices take."""
    yield from catalogue.types.values()
    for pinned in plant.all(PinnedType):
        device = catalogue.find(pinned.key)
        if device is None:
            continue
        yield from _with_modules(device, catalogue)


def _with_modules(device: DeviceType, catalogue: Catalogue) -> Iterator[DeviceType]:
    """A type, the modules it takes, and what those take."""
    yield device
    for choice in device.modules:
        module = catalogue.find(f"{device.key}/{choice.key}")
        if module is not None:
            yield from _with_modules(module, catalogue)
