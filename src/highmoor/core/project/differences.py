"""A network as it is configured against what a scan found: aligned, each difference with what can be done and by whom.

Devices are aligned by address or by name, modules behind one by their order.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Literal

from highmoor.core.analysis.engine import Analysis
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.hardware.mounting import carries_modules, own_rails
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.addressing import Positions
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.networks.line import Line
from highmoor.core.networks.lines import plant_lines
from highmoor.core.networks.live import GIVE_ADDRESS, GIVE_NAME
from highmoor.core.networks.parked import is_parked
from highmoor.core.networks.positions import addressed
from highmoor.core.networks.scanning import Found, FoundModule, Scans
from highmoor.core.plant.rows import BuiltDevice, Module, Network, PinnedType, Port, Station
from highmoor.core.project import edits
from highmoor.core.project.alignment import Pair, aligned
from highmoor.core.project.found_modules import by_slot, taken_over
from highmoor.core.project.losses import signals_lost

Hand = Literal["in the plant", "over the network", "by hand"]
Kind = Literal[
    "agrees", "theirs", "off", "unasked", "elsewhere", "silent", "unknown", "other", "modules", "doubled", "trouble",
    "running",
]  # fmt: skip


@dataclass(frozen=True, slots=True)
class OverNetwork:
    """An act of a fieldbus on the device that is reached `at`, with what is typed for it."""

    at: str
    act: str
    value: str


@dataclass(frozen=True, slots=True)
class Act:
    """What can be done about a difference, by what hand: an edit, a deed over the network, or with `look` it is seen to
    where that object is. `loses` are the signals that would lose what they are linked to."""

    label: str
    hand: Hand
    edit: edits.Edit | None = None
    deed: OverNetwork | None = None
    look: str = ""
    loses: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class ModuleTie:
    """A module as configured beside one as found, in words; "" for none."""

    configured: str
    found: str
    same: bool


@dataclass(frozen=True, slots=True)
class Difference:
    """One configured station beside what was found of it, or either alone; `agrees` where nothing differs.

    `found` counts in the order in which things were found. `unread` names a device by its numbers that no type of the
    plant has, so that its file is wanted.
    """

    key: str
    kind: Kind
    station: str
    found: int | None
    address: str
    says: str
    acts: tuple[Act, ...] = ()
    modules: tuple[ModuleTie, ...] = ()
    unread: str = ""


@dataclass(frozen=True, slots=True)
class Reachable:
    """A type that is not in the plant and could be taken into it, with the pin that does."""

    device: DeviceType
    pin: edits.TypePin


@dataclass(slots=True)
class _Compared:
    """One comparison under way."""

    analysis: Analysis
    network: Network
    bus: Fieldbus
    scans: Scans
    found: Sequence[Found]
    # By station, what its exchanges say where they fail.
    failing: Mapping[str, str]
    asked: Callable[[str], bool]
    within_reach: Callable[[], Sequence[Reachable]]
    types: Sequence[DeviceType] = field(init=False)
    # The first of each address in the whole plant, and what is built of each station: a scan may find hundreds.
    ports: Mapping[str, Port] = field(init=False)
    stations: Mapping[str, Station] = field(init=False)
    built: Mapping[str, BuiltDevice] = field(init=False)

    def __post_init__(self) -> None:
        plant = self.analysis.plant
        self.ports = {port.address: port for port in reversed(list(plant.all(Port)))}
        self.stations = {station.address: station for station in reversed(list(plant.all(Station)))}
        self.built = {device.station: device for device in reversed(list(plant.all(BuiltDevice)))}
        catalogue = self.analysis.catalogue
        pinned = [catalogue.find(pin.key) for pin in plant.all(PinnedType)]
        known = [*catalogue.types.values(), *(device for device in pinned if device)]
        unique = {device.key: device for device in known}
        self.types = [device for device in unique.values() if device.fieldbus == self.bus.key]

    def all(self) -> Iterator[Difference]:
        """Configured stations in route order, then what nobody configured."""
        by_address: dict[str, list[int]] = {}
        for n, one in enumerate(self.found):
            key = one.address if one.called is None else one.called
            by_address.setdefault(key, []).append(n)
        stations = [station for station in self._in_order() if self._is_asked(station)]
        if isinstance(self.bus.addresses, Positions):
            by_address = self._by_order(stations)
        taken: set[int] = set()
        silent: list[Station] = []
        told: dict[str, Difference] = {}
        for station in stations:
            there = by_address.get(self._key(station), [])
            taken.update(there)
            if there:
                told[station.id] = self._there(station, there)
            elif is_parked(station):
                told[station.id] = Difference(
                    station.id, "off", station.id, None, station.address, "It is switched off in the plant."
                )
            elif not self.asked(station.address):
                told[station.id] = Difference(
                    station.id, "unasked", station.id, None, station.address, "It was not asked."
                )
            else:
                silent.append(station)
        own: Port | None = self.analysis.plant.find(self.network.port)
        unknown = [n for n, one in enumerate(self.found) if n not in taken and not (own and one.address == own.address)]
        strangers = [n for n in unknown if self._theirs(n) is None]
        for station, n in self._moved(silent, strangers):
            told[station.id] = self._elsewhere(station, n)
            unknown.remove(n)
        for station in silent:
            told.setdefault(station.id, self._silent(station))
        yield from (told[station.id] for station in stations)
        yield from (self._theirs(n) or self._unknown(n) for n in unknown)

    def _key(self, station: Station) -> str:
        """By what it is found: its address, or its name."""
        called = self.bus.live.called
        return called(station) if called else station.address

    def _by_order(self, stations: Sequence[Station]) -> dict[str, list[int]]:
        """What stands for each station where the order is all that tells them apart: one missing moves nobody else."""

        def same(station: Station, n: int) -> bool:
            device = self.analysis.catalogue.find(station.type)
            # Whoever has no file may be anybody.
            told = self.scans.alike(self.found[n], device) if device else None
            return told is not False

        pairs = aligned(stations, range(len(self.found)), same)
        return {p.one.address: [p.other] for p in pairs if p.one is not None and p.other is not None}

    def _theirs(self, n: int) -> Difference | None:
        """One that the plant knows on the same medium: a controller, or a station of another network."""
        if not self.bus.addresses.everywhere or self.bus.live.by_name:
            return None
        plant, address = self.analysis.plant, self.found[n].address
        owner = controller_of_port(plant.find, self.ports.get(address))
        station = self.stations.get(address)
        if owner:
            whose = f"the controller {owner.name}"
        elif station:
            whose = f"{station.name} of {plant.get(station.network, Network).name}"
        else:
            return None
        return Difference(f"found:{address}:{n}", "theirs", "", n, address, f"It is {whose}.")

    def _is_asked(self, station: Station) -> bool:
        device = self.analysis.catalogue.find(station.type)
        passes = device is not None and device.passes_on
        found = station.address or self.bus.live.by_name
        return bool(found) and not passes and not self.bus.addresses.is_everybody(station.address)

    def _line(self, station: Station) -> Line | None:
        return next(iter(plant_lines(self.analysis.plant, self.analysis.catalogue, station)), None)

    # ── one answers at the address

    def _there(self, station: Station, there: Sequence[int]) -> Difference:
        n = there[0]
        found, line = self.found[n], self._line(station)
        if len(there) > 1:
            return self._doubled(station, there)
        if found.trouble:
            return self._difference("trouble", station, n, f"It answers, but: {found.trouble}.")
        reason = self.scans.differs(found, line) if line and not station.partner else ""
        if reason:
            acts = tuple(self._agreeing(station, found, line)) if line else ()
            return self._difference("other", station, n, f"{_first_up(reason)}.", acts)
        modules = self._modules(station, found)
        if modules and not all(pair.same for pair in modules):
            return self._other_modules(station, n, modules)
        failing = self.failing.get(station.id)
        if failing:
            look = Act("Look at its connection and exchanges", "in the plant", look=station.id)
            return self._difference("running", station, n, f"It is there, but: {failing}.", (look,))
        return self._difference("agrees", station, n, f"It answers as configured ({found.how}).")

    def _difference(
        self, kind: Kind, station: Station, n: int | None, says: str, acts: tuple[Act, ...] = ()
    ) -> Difference:
        return Difference(station.id, kind, station.id, n, station.address, says, acts)

    def _agreeing(self, station: Station, found: Found, line: Line) -> Iterator[Act]:
        values = self.scans.taken(found, line)
        if values:
            edit = edits.SetFields(ids=[station.id], values=dict(values))
            yield Act(f"Expect what is there: {', '.join(map(str, values.values()))}", "in the plant", edit)
        right = self.scans.put_right(found, line)
        if right:
            yield Act(right[0], "by hand", edits.SetBuilt(ids=[found.node or station.id], values=dict(right[1])))

    def _doubled(self, station: Station, there: Sequence[int]) -> Difference:
        others = [self.found[n] for n in there if self.found[n].node not in ("", station.id)]
        if self.bus.live.by_name:
            return self._one_name(station, there, others)
        free = self.bus.addresses.next(
            self.analysis.plant.find(self.network.port),
            [*(f.address for f in self.found), *(s.address for s in self.analysis.plant.all(Station))],
        )
        acts = tuple(
            Act(
                f"Give {other.name or 'the other one'} the address {free[0]} at the device", "by hand",
                edits.SetBuilt(ids=[other.node], values={"address": free[0]}),
            )
            for other in others
            if free
        )  # fmt: skip
        return self._difference(
            "doubled", station, there[0], f"{len(there)} devices answer at {station.address}.", acts
        )

    def _one_name(self, station: Station, there: Sequence[int], others: Sequence[Found]) -> Difference:
        acts = tuple(
            Act(f"Reset {other.mac} to delivery", "over the network", deed=OverNetwork(other.mac, "reset", ""))
            for other in others
        )
        says = f"{len(there)} devices are called {self._key(station)}."
        return self._difference("doubled", station, there[0], says, acts)

    # ── modules

    def _modules(self, station: Station, found: Found) -> list[Pair[Module, FoundModule]]:
        if found.modules is None:
            return []
        plant = self.analysis.plant
        rails = own_rails(plant, station.id)
        configured = [module for rail in rails for module in plant.children(Module, rail.id)]
        if any(module.slot for module in found.modules):
            return list(by_slot(configured, found.modules))
        return list(aligned(configured, found.modules, lambda one, other: one.type in other.types))

    def _other_modules(self, station: Station, n: int, pairs: Sequence[Pair[Module, FoundModule]]) -> Difference:
        ties = tuple(ModuleTie(self._module(p.one), self._found_module(p.other), p.same) for p in pairs)
        count = sum(not p.same for p in pairs)
        says = f"{count} of its modules {'is' if count == 1 else 'are'} not as configured."
        acts = [Act("Put them in as configured", "by hand", self._modules_right(station, self.found[n]))]
        take = self._take_modules(station, pairs)
        if take:
            loses = signals_lost(self.analysis.plant, self.analysis.catalogue, take)
            acts.insert(0, Act("Take them over as they are there", "in the plant", take, loses=loses))
        return Difference(station.id, "modules", station.id, n, station.address, says, tuple(acts), ties)

    def _modules_right(self, station: Station, found: Found) -> edits.Edit:
        return edits.AsConfigured(ids=[found.node or station.id], what="modules")

    def _module(self, module: Module | None) -> str:
        if module is None:
            return ""
        device = self.analysis.catalogue.find(module.type)
        return " ".join(part for part in (module.designation, device.name if device else module.type) if part)

    def _found_module(self, module: FoundModule | None) -> str:
        if module is None:
            return ""
        names = [device.name for key in module.types if (device := self.analysis.catalogue.find(key))]
        return " or ".join(dict.fromkeys(names)) or f"unknown, {module.ident}"

    def _take_modules(self, station: Station, pairs: Sequence[Pair[Module, FoundModule]]) -> edits.Edit | None:
        """What makes the configured rail the found one; None where a module's type is not known."""
        rail = next(iter(own_rails(self.analysis.plant, station.id)), None)
        if rail is None or any(p.other is not None and not p.other.types for p in pairs):
            return None
        return edits.Batch(edits=taken_over(rail.id, pairs))

    # ── nobody, somebody else

    def _moved(self, silent: Sequence[Station], unknown: Sequence[int]) -> Iterator[tuple[Station, int]]:
        """Silent stations with the one unknown device that is of their type, where neither could be another."""
        could: dict[str, list[int]] = {}
        for station in silent:
            device = self.analysis.catalogue.find(station.type)
            alike = [n for n in unknown if device and self.scans.alike(self.found[n], device)]
            could[station.id] = alike
        for station in silent:
            alike = could[station.id]
            if len(alike) == 1 and sum(alike[0] in others for others in could.values()) == 1:
                yield station, alike[0]

    def _elsewhere(self, station: Station, n: int) -> Difference:
        found = self.found[n]
        if self.bus.live.called:
            return self._called_otherwise(station, n)
        if not self.bus.addresses.entered:
            there = edits.MoveStations(ids=[station.id], before=self._behind(found))
            says = f"It is not where it is configured; a device of its type stands at {found.address}."
            act = Act(f"Expect it at {found.address}", "in the plant", there)
            return Difference(station.id, "elsewhere", station.id, n, station.address, says, (act,))
        to_plant = edits.SetFields(ids=[station.id], values={"address": found.address})
        acts = [Act(f"Expect it at {found.address}", "in the plant", to_plant)]
        if self.bus.live.act(GIVE_ADDRESS):
            deed = OverNetwork(found.address, GIVE_ADDRESS, station.address)
            acts.append(Act(f"Give it the address {station.address}", "over the network", deed=deed))
        dial = edits.SetBuilt(ids=[found.node or station.id], values={"address": station.address})
        acts.append(Act(f"Set {station.address} at the device", "by hand", dial))
        says = f"Nobody answers at {station.address}; a device of its type does at {found.address}."
        return Difference(station.id, "elsewhere", station.id, n, station.address, says, tuple(acts))

    def _called_otherwise(self, station: Station, n: int) -> Difference:
        """Nobody has its name, and one device of its type has another or none."""
        found, name = self.found[n], self._key(station)
        says = f"Nobody is called {name}; a device of its type " + (
            f"is called {found.called}." if found.called else f"has no name, on its label is {found.mac}."
        )
        acts = [Act(f"Name it {name}", "over the network", deed=OverNetwork(found.mac, GIVE_NAME, name))]
        if found.called:
            to_plant = edits.SetFields(ids=[station.id], values={"settings.device_name": found.called})
            acts.append(Act(f"Expect {found.called}", "in the plant", to_plant))
        return Difference(station.id, "elsewhere", station.id, n, station.address, says, tuple(acts))

    def _silent(self, station: Station) -> Difference:
        off = edits.SetFields(ids=[station.id], values={"settings.parked": True})
        said = self.built.get(station.id)
        hands: list[Act] = []
        for path, wanted, label in (
            ("powered", True, "See to its power"), ("cable", True, "Plug in its cable"), ("there", True, "Mount it"),
        ):  # fmt: skip
            if said and getattr(said, path) is not wanted:
                hands.append(Act(label, "by hand", edits.SetBuilt(ids=[station.id], values={path: wanted})))
        named = self.bus.live.by_name
        hands = hands or [Act(f"Look at its power, its cable and its {'name' if named else 'address'}", "by hand")]
        says = f"Nobody is called {self._key(station)}." if named else f"Nobody answers at {station.address}."
        return Difference(
            station.id, "silent", station.id, None, station.address, says,
            (*hands, Act("Switch it off until it is there", "in the plant", off)),
        )  # fmt: skip

    def _unknown(self, n: int) -> Difference:
        found = self.found[n]
        alike = [device for device in self.types if self.scans.alike(found, device)]
        alike.sort(key=lambda device: found.revision not in device.revisions)
        usual = alike[0] if alike else None
        words = (
            ", ".join(f"{number.label} {number.value}" for number in found.numbers)
            or f"{found.maker} {found.name}".strip()
        )
        reachable = [] if usual else [one for one in self.within_reach() if self._is(found, one.device)]
        acts = [self._taken_over(found, one.device, one.pin) for one in reachable]
        acts.append(self._taken_over(found, usual))
        says = f"{found.name or 'A device'} answers at {found.address}; the plant has nobody there."
        if found.called is not None:
            says = f"{found.name} answers; the plant knows nobody of that name."
        if found.called == "":
            # Who has no name cannot be a station: its controller would not find it.
            says, acts = f"{found.name}, {found.mac} on its label, has no name yet.", []
        if words and usual is None:
            says += f" No type here is {words}" + ("; one in another plant of yours is." if reachable else ".")
        unread = words if usual is None and not reachable else ""
        return Difference(
            f"found:{found.mac or found.address}:{n}", "unknown", "", n, found.address, says, tuple(acts), unread=unread
        )

    def _behind(self, found: Found) -> str | None:
        """The configured station that stands next behind a stranger, where its place is what tells it apart."""
        standing = {n: address for address, there in self._by_order(self._in_order()).items() for n in there}
        own = next(n for n, one in enumerate(self.found) if one is found)
        behind = min((n for n in standing if n > own), default=None)
        at = {station.address: station.id for station in self._in_order()}
        return at[standing[behind]] if behind is not None else None

    def _last(self) -> str | None:
        """Where segments have ends: nobody can tell where a stranger hangs, but hardly behind the terminated end."""
        stations = self.analysis.plant.children(Station, self.network.id)
        return stations[-1].id if self.bus.medium.repeats and stations else None

    def _in_order(self) -> list[Station]:
        plant = self.analysis.plant
        stations = plant.children(Station, self.network.id)
        return addressed(self.bus, plant, self.analysis.catalogue.find, stations)

    def _is(self, found: Found, device: DeviceType) -> bool:
        return device.fieldbus == self.bus.key and self.scans.alike(found, device) is True

    def _called(self, found: Found, device: DeviceType | None) -> str | None:
        """As it calls itself; a number is no name where its type has one."""
        numbers = {number.value for number in found.numbers}
        plain = not found.name or any(found.name.endswith(value) for value in numbers)
        return device.name if device and plain else found.name or None

    def _taken_over(self, found: Found, device: DeviceType | None, pin: edits.TypePin | None = None) -> Act:
        """A stranger made a station of a type, which is taken into the plant by its pin where it is not there yet."""
        entered = self.bus.addresses.entered
        modules = list(self.scans.modules_of(found, device)) if device and carries_modules(device) else []
        first: list[edits.Edit] = [edits.AddTypes(types=[pin])] if pin else []
        wanted = edits.AddStation(
            network=self.network.id, type=device.key if device else None,
            address=(found.address or None) if entered else None,
            name=self._called(found, device), tag="$s", modules=modules or None,
        )  # fmt: skip
        steps: list[edits.Edit] = [*first, wanted]
        if found.called:
            steps.append(edits.SetFields(ids=["$s"], values={"settings.device_name": found.called}))
        before = self._last() if entered else self._behind(found)
        if before:
            steps.append(edits.MoveStations(ids=["$s"], before=before))
        what = f"as {device.name}" if device else "without its file, its sizes entered by hand"
        with_modules = f" with {len(modules)} modules" if modules else ""
        out_of = f", with {pin.file}" if pin else ""
        return Act(f"Take it over {what}{with_modules}{out_of}", "in the plant", edits.Batch(edits=steps))


def _first_up(text: str) -> str:
    return text[:1].upper() + text[1:]


def differences(
    analysis: Analysis, network_id: str, found: Sequence[Found], failing: Mapping[str, str] = MappingProxyType({}),
    asked: Callable[[str], bool] = lambda _: True, within_reach: Callable[[], Sequence[Reachable]] = tuple,
) -> list[Difference]:  # fmt: skip
    """A network compared with what was found on it; nothing where its kind cannot be scanned.

    `failing` are the stations whose exchanges fail, with what they say; `asked` says which addresses were;
    `within_reach` are types that could be taken into the plant, looked for only where a stranger is found.
    """
    network = analysis.plant.get(network_id, Network)
    bus = fieldbus_of(network.kind)
    if bus is None or bus.live.scans is None:
        return []
    return list(_Compared(analysis, network, bus, bus.live.scans, found, failing, asked, within_reach).all())
