"""A GSDML as device types: every access point of it, with its modules and their submodules. Source: GSDML 2.x."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import partial
from typing import NamedTuple

from highmoor.core.catalogue.choices import DiagnosisText, Limits, ModuleChoice, SlotChoice
from highmoor.core.catalogue.profinet import PnDevice, PnInterface, PnModule, PnPort
from highmoor.core.catalogue.reading.description import Description, Problems, UnknownEntry, Unreadable, Vendor
from highmoor.core.catalogue.reading.profinet_gsdml.elements import Reading, children, flag
from highmoor.core.catalogue.reading.profinet_gsdml.records import Values, value_texts
from highmoor.core.catalogue.reading.profinet_gsdml.submodules import module, submodule
from highmoor.core.catalogue.reading.xml import Element, line_of, tree
from highmoor.core.catalogue.types import DeviceType, Slots
from highmoor.core.collecting import uncollected

FAMILY = "profinet-gsdml"
READER_VERSION = 1
FIELDBUS = "profinet"
# As many as a rail can have.
SLOTS_AT_MOST = 256
_DEVICES_AT_MOST = 1000
_HEAD = 4000
_ROOT = re.compile(r"<(?:[A-Za-z_][\w.-]*:)?ISO15745Profile[\s>/]")
_NOT_IN_KEYS = re.compile(r"[^A-Za-z0-9._-]")
_CLOCKS = (32,)
_RATIOS = (1, 2, 4, 8, 16, 32, 64, 128, 256, 512)
_ROLES = {"Client": "client", "Manager": "manager", "Manager (Auto)": "manager"}
# What the file may hold beside what is read; anything else is listed as unknown.
_NO_USE = {
    "ModuleInfo", "CertificationInfo", "SubslotList", "IOConfigData", "UseableModules", "VirtualSubmoduleList",
    "SystemDefinedSubmoduleList", "UseableSubmodules", "Graphics", "ARINFO_BlockVersion", "ApplicationRelations",
    "AssetManagement", "SystemRedundancy", "FieldbusIntegrationSlots", "AvailableRecordDataList",
}  # fmt: skip


def looks_like(text: str) -> bool:
    """Whether a text is a GSDML, told by its root and what it profiles."""
    return _ROOT.search(text[:_HEAD]) is not None and "DeviceProfile" in text[: 5 * _HEAD]


def read(text: str, encoding: str, _: str = "") -> Description:
    """The access points of a file. Raises Unreadable for one that holds none at all."""
    problems = Problems()
    with uncollected():
        root = tree(text, problems)
        reading = Reading(problems, root.find("ProfileBody/ApplicationProcess/ExternalTextList"))
        return _File(root, reading).description(encoding)


# What can be plugged; called with the slots it may take.
Plugged = Callable[..., ModuleChoice]


class _Slots(NamedTuple):
    """Slots a module may take at an access point, stands in by itself, and cannot leave."""

    fitting: tuple[int, ...]
    used: tuple[int, ...]
    always: tuple[int, ...]


class _Fitting(NamedTuple):
    """What can be plugged into an access point, what is by slot by itself, and what cannot be elsewhere."""

    choices: tuple[ModuleChoice, ...]
    default: dict[int, str]
    fixed: frozenset[int]


@dataclass(slots=True)
class _File:
    root: Element
    reading: Reading
    vendor_id: int = 0
    device_id: int = 0
    vendor: str = ""
    family: str = ""
    info: str = ""
    values: Values = field(default_factory=dict)
    modules: dict[str, Plugged] = field(default_factory=dict)
    # The same by the slots they may take.
    placed: dict[tuple[str, tuple[int, ...]], ModuleChoice] = field(default_factory=dict)
    # Pluggable submodules by their id in the file.
    submodules: dict[str, Plugged] = field(default_factory=dict)
    diagnosis: tuple[DiagnosisText, ...] = ()
    extended: tuple[tuple[int, int, str], ...] = ()
    unknown: list[UnknownEntry] = field(default_factory=list)

    def description(self, encoding: str) -> Description:
        """All of it."""
        problems = self.reading.problems
        self._identity()
        process = self.root.find("ProfileBody/ApplicationProcess")
        if process is None:
            raise Unreadable("The file describes no device.", line_of(self.root))
        self.values = value_texts(process.find("ValueList"), self.reading)
        self._diagnoses(process)
        for item in process.iterfind("SubmoduleList/SubmoduleItem"):
            self._submodule(item)
        for item in process.iterfind("ModuleList/ModuleItem"):
            self._module(item)
        devices: dict[str, DeviceType] = {}
        for item in process.iterfind("DeviceAccessPointList/DeviceAccessPointItem"):
            if len(devices) >= _DEVICES_AT_MOST:
                problems.error(line_of(item), f"Only the first {_DEVICES_AT_MOST} access points are read.")
                break
            device = self._access_point(item)
            if device.key in devices:
                problems.warning(line_of(item), f"The access point {item.get('ID')!r} is described twice.")
                continue
            devices[device.key] = device
        if not devices:
            raise Unreadable("The file describes no access point.", problems.found[0].line if problems.found else 0)
        version = (self.root.findtext("ProfileHeader/ProfileRevision") or "").strip()
        return Description(
            FAMILY, Vendor(self.vendor_id, self.vendor), tuple(devices.values()), problems.all(), tuple(self.unknown),
            version, encoding,
        )  # fmt: skip

    def _identity(self) -> None:
        who = self.root.find("ProfileBody/DeviceIdentity")
        if who is None:
            self.reading.problems.error(line_of(self.root), "The file says neither vendor nor device.")
            return
        self.vendor_id = self.reading.whole(who, "VendorID", 0, 0xFFFF)
        self.device_id = self.reading.whole(who, "DeviceID", 0, 0xFFFF)
        name = who.find("VendorName")
        self.vendor = (name.get("Value") or "").strip() if name is not None else ""
        self.info = self.reading.text(who.find("InfoText"))
        family = self.root.find("ProfileBody/DeviceFunction/Family")
        if family is not None:
            self.family = family.get("ProductFamily") or family.get("MainFamily") or ""

    def _diagnoses(self, process: Element) -> None:
        told, extended = [], []
        for item in process.iterfind("ChannelDiagList/*"):
            error = self.reading.whole(item, "ErrorType", 0, 0xFFFF)
            text, helped = self.reading.text(item.find("Name")), self.reading.text(item.find("Help"))
            told.append(DiagnosisText("channel", 0, 0, error, text or f"error {error}", helped))
            for one in item.iterfind("ExtChannelDiagList/*"):
                kind = self.reading.whole(one, "ErrorType", 0, 0xFFFF)
                extended.append((error, kind, self.reading.text(one.find("Name"))))
        self.diagnosis, self.extended = tuple(told), tuple(extended)

    def _submodule(self, item: Element) -> None:
        key = _key(item)
        if not key:
            self.reading.problems.error(line_of(item), "A submodule without an ID is left out.")
            return
        own = submodule(item, self.reading, self.values)
        self.submodules[item.get("ID") or ""] = self._choice(item, key, PnModule(own.ident, (own,), pluggable=True), ())

    def _module(self, item: Element) -> None:
        key = _key(item)
        if not key:
            self.reading.problems.error(line_of(item), "A module without an ID is left out.")
            return
        own = module(item, self.reading, self.values)
        inner = [
            self.submodules[target](slots=tuple(n for n in allowed if 1 <= n <= SLOTS_AT_MOST))
            for target, allowed in own.takes
            if target in self.submodules
        ]
        self.modules[item.get("ID") or ""] = self._choice(item, key, own, tuple(inner))

    def _choice(self, item: Element, key: str, own: PnModule, inner: tuple[ModuleChoice, ...]) -> Plugged:
        """What can be plugged, in the shape of every family; its slots depend on what it is plugged into."""
        info = children(item.find("ModuleInfo"))
        name, order = self.reading.text(info.get("Name")), info.get("OrderNumber")
        return partial(
            ModuleChoice, key, name or key, (order.get("Value") or "").strip() if order is not None else "", own.ident,
            in_octets=sum(s.in_octets * len(s.subslots) for s in own.submodules),
            out_octets=sum(s.out_octets * len(s.subslots) for s in own.submodules),
            consistent=any(s.consistent for s in own.submodules),
            info=self.reading.text(info.get("InfoText")), profinet=own,
            inner=inner,
        )  # fmt: skip

    # ── access points

    def _access_point(self, item: Element) -> DeviceType:
        own = module(item, self.reading, self.values)
        if own.takes:
            self.reading.problems.note(
                line_of(item), "Submodules that can be plugged into the access point itself are not offered."
            )
        for child in item:
            if child.tag not in _NO_USE and len(self.unknown) < 500:
                self.unknown.append(UnknownEntry(line_of(child), "DeviceAccessPointItem", str(child.tag), ()))
        held = {0, *self.reading.list(item, "FixedInSlots")}
        free = frozenset(n for n in self._slots(item) if n not in held)
        nothing = _Fitting((), {}, frozenset())
        choices, default, fixed = self.reading.once(
            item.find("UseableModules"), lambda one: self._modules(one, free), nothing, free
        )
        interface, ports = self._interface(item)
        info = item.find("ModuleInfo")
        name = self.reading.text(info.find("Name")) if info is not None else ""
        release, order = _value(info, "SoftwareRelease"), _value(info, "OrderNumber")
        sizes = item.find("IOConfigData")
        in_octets, out_octets, both = (
            self.reading.optional(sizes, key) if sizes is not None else None
            for key in ("MaxInputLength", "MaxOutputLength", "MaxDataLength")
        )
        facts = PnDevice(
            self.device_id, item.get("PNIO_Version", ""), self.reading.whole(item, "MinDeviceInterval", 32, 4096),
            interface, ports, in_octets, out_octets, both, item.get("DNS_CompatibleName", ""),
            flag(item, "ExtendedAddressAssignmentSupported") or (interface is not None and interface.neighbours),
            "ResetToFactoryModes" in item.attrib, self.extended,
        )  # fmt: skip
        if "RT_CLASS_1" not in (interface.classes if interface else ("RT_CLASS_1",)):
            self.reading.problems.warning(line_of(item), f"{name or item.get('ID')}: it does not say that it runs RT.")
        most = max((choice.slots[-1] for choice in choices), default=0)
        return DeviceType(
            key=f"{FAMILY}.{self.vendor_id:04x}.{self.device_id:04x}.{_key(item) or 'unnamed'}"[:200],
            kind="device",
            name=name or order or "unnamed device",
            order_number=order,
            maker=_value(info, "VendorName") or self.vendor,
            vendor_id=self.vendor_id,
            summary=(self.reading.text(info.find("InfoText")) if info is not None else "") or self.info or self.family,
            revisions=(release,) if release else (),
            fieldbus=FIELDBUS,
            product_code=self.device_id,
            limits=Limits(sockets=len(ports) or None, modules=most or None),
            modules=choices,
            slots=tuple(SlotChoice(n, f"slot {n}", default[n], (), n in fixed) for n in sorted(default)),
            rail=Slots(addressed=True, covers=False, places=(most,)) if most else None,
            file_in_octets=sum(s.in_octets * len(s.subslots) for s in own.submodules),
            file_out_octets=sum(s.out_octets * len(s.subslots) for s in own.submodules),
            diagnosis=self.diagnosis,
            profinet=facts,
            profinet_module=own,
        )  # fmt: skip

    def _slots(self, item: Element) -> tuple[int, ...]:
        """The slots there are, that of the access point included."""
        told = self.reading.list(item, "PhysicalSlots", (0,))
        beyond = [n for n in told if n > SLOTS_AT_MOST]
        if beyond:
            self.reading.problems.note(
                line_of(item), f"Slots above {SLOTS_AT_MOST} are left out; {beyond[0]} is the first of {len(beyond)}."
            )
        return tuple(n for n in told if n <= SLOTS_AT_MOST)

    def _modules(self, useable: Element, free: frozenset[int]) -> _Fitting:
        """What can stand in the slots that are free, what stands there by itself, and what cannot stand elsewhere."""
        choices: list[ModuleChoice] = []
        default: dict[int, str] = {}
        fixed: set[int] = set()
        # Of thousands of modules most say the same of their slots.
        known: dict[tuple[str | None, ...], _Slots] = {}
        for ref in useable.iterfind("ModuleItemRef"):
            target = ref.get("ModuleItemTarget") or ""
            if target not in self.modules:
                self.reading.problems.error(line_of(ref), f"There is no module “{target[:40]}”.")
                continue
            written = tuple(map(ref.get, ("AllowedInSlots", "UsedInSlots", "FixedInSlots")))
            told = known.get(written)
            if told is None:
                told = known[written] = self._slots_of(ref, free)
            if not told.fitting:
                continue
            choice = self.placed.get((target, told.fitting))
            if choice is None:
                choice = self.placed[target, told.fitting] = self.modules[target](slots=told.fitting)
            choices.append(choice)
            default.update(dict.fromkeys((*told.used, *told.always), choice.key))
            fixed.update(told.always)
        return _Fitting(tuple(choices), default, frozenset(fixed))

    def _slots_of(self, ref: Element, free: frozenset[int]) -> _Slots:
        allowed, used, always = (
            self.reading.list(ref, name) for name in ("AllowedInSlots", "UsedInSlots", "FixedInSlots")
        )
        return _Slots(
            tuple(sorted({*allowed, *used, *always} & free)), tuple(n for n in used if n in free),
            tuple(n for n in always if n in free),
        )  # fmt: skip

    def _interface(self, item: Element) -> tuple[PnInterface | None, tuple[PnPort, ...]]:
        system = item.find("SystemDefinedSubmoduleList")
        if system is None:
            return None, ()
        interface: PnInterface | None = None
        found = system.find("InterfaceSubmoduleItem")
        if found is not None:
            timing = next(found.iter("TimingProperties"), None)
            rings = found.find("MediaRedundancy")
            interface = PnInterface(
                self.reading.whole(found, "SubslotNumber", 0x8000, 0x8FFF),
                self.reading.whole(found, "SubmoduleIdentNumber", 0),
                self.reading.list(timing, "SendClock", _CLOCKS) if timing is not None else _CLOCKS,
                self.reading.list(timing, "ReductionRatio", _RATIOS) if timing is not None else _RATIOS,
                tuple(_classes(found)),
                tuple(dict.fromkeys(_ROLES[r] for r in _roles(rings) if r in _ROLES)) if rings is not None else (),
                "LLDP" in (found.get("SupportedProtocols") or ""),
            )
        ports = tuple(
            PnPort(
                self.reading.whole(port, "SubslotNumber", 0x8001 + n, 0x8FFF),
                self.reading.whole(port, "SubmoduleIdentNumber", 0),
                self.reading.text(port) if port.get("TextId") else "",
                flag(port, "IsDefaultRingport"),
            )
            for n, port in enumerate(system.iterfind("PortSubmoduleItem"))
        )
        return interface, ports


def _classes(interface: Element) -> Iterator[str]:
    """The classes of real time it runs; before version 2.3 the one it names last includes those before it."""
    listed = interface.get("SupportedRT_Classes")
    if listed:
        yield from (one.strip() for one in listed.split(";"))
        return
    single = (interface.get("SupportedRT_Class") or "Class1").strip()
    yield from ("RT_CLASS_1", "RT_CLASS_2", "RT_CLASS_3")[: {"Class1": 1, "Class2": 2, "Class3": 3}.get(single, 1)]


def _roles(rings: Element) -> list[str]:
    return [role.strip() for role in (rings.get("SupportedRole") or "Client").split(";")]


def _key(item: Element) -> str:
    return _NOT_IN_KEYS.sub("_", (item.get("ID") or "").strip())[:80]


def _value(info: Element | None, tag: str) -> str:
    found = info.find(tag) if info is not None else None
    return (found.get("Value") or "").strip() if found is not None else ""
