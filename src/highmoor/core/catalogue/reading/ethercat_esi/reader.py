"""An ESI as device types: every device and revision of it, modules with slots included. Source: ETG.2000."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from typing import Any

from highmoor.core.catalogue.choices import Limits, ModuleChoice, SlotChoice
from highmoor.core.catalogue.ethercat import (
    TRANSITIONS,
    ClockMode,
    EthercatFacts,
    Mailbox,
    Pdo,
    SlotRule,
    StartWrite,
    StateTimes,
    SyncManager,
)
from highmoor.core.catalogue.reading.description import Description, Problems, UnknownEntry, Unreadable, Vendor
from highmoor.core.catalogue.reading.ethercat_esi.elements import Reading, flag, texts_of
from highmoor.core.catalogue.reading.ethercat_esi.objects import text_of
from highmoor.core.catalogue.reading.ethercat_esi.process_data import manager_of, pdo_of
from highmoor.core.catalogue.reading.xml import Element, line_of, tree
from highmoor.core.catalogue.types import DeviceType, Slots
from highmoor.core.collecting import uncollected

FAMILY = "ethercat-esi"
READER_VERSION = 1
FIELDBUS = "ethercat"
_ROOT = re.compile(r"<(?:[A-Za-z_][\w.-]*:)?EtherCATInfo[\s>/]")
_HEAD = 4000
_DEVICES_AT_MOST = 4000
_SLOTS_AT_MOST = 255
# Rules by which another revision or product is taken (ETG.2000, table 13).
_RULES = {"NONE", "EQ", "EQ_OR_G", "EQ_OR_L", "LW_EQ", "HW_EQ", "LW_EQ_HW_EQ", "LW_EQ_HW_EQ_OR_G", "HW_EQ_LW_EQ",
          "HW_EQ_LW_EQ_OR_G"}  # fmt: skip
# What a file may hold beside what is read; anything else is listed as unknown.
_NO_USE = {"Image16x14", "ImageData16x14", "ESC", "VendorSpecific", "ImageFile16x14", "ImageData", "Properties"}


def looks_like(text: str) -> bool:
    """Whether a text is an ESI, told by its root."""
    return _ROOT.search(text[:_HEAD]) is not None


def read(text: str, encoding: str, _: str = "") -> Description:
    """The devices of a file. Raises Unreadable for what holds none at all."""
    problems = Problems()
    with uncollected():
        return _File(tree(text, problems), Reading(problems)).description(encoding)


@dataclass(slots=True)
class _File:
    root: Element
    reading: Reading
    unknown: list[UnknownEntry] = field(default_factory=list)
    vendor_id: int = 0
    vendor: str = ""
    groups: dict[str, str] = field(default_factory=dict)

    def description(self, encoding: str) -> Description:
        """All of it."""
        problems = self.reading.problems
        maker = self.root.find("Vendor")
        if maker is None:
            problems.error(line_of(self.root), "The file names no vendor.")
        else:
            self.vendor_id = self.reading.number(maker.find("Id"), "Vendor id")
            self.vendor = texts_of(maker, "Name")
        for group in self.root.iterfind("Descriptions/Groups/Group"):
            self.groups[(group.findtext("Type") or "").strip()] = texts_of(group, "Name")
        modules = [m for m in map(self._module, self.root.iterfind("Descriptions/Modules/Module")) if m]
        devices: dict[str, DeviceType] = {}
        hidden: dict[tuple[int, int], int] = {}
        for n, element in enumerate(self.root.iterfind("Descriptions/Devices/Device")):
            if n >= _DEVICES_AT_MOST:
                problems.error(line_of(element), f"Only the first {_DEVICES_AT_MOST} devices are read.")
                break
            self._into(devices, hidden, element, modules)
        if not devices:
            raise Unreadable("The file describes no device.", problems.found[0].line if problems.found else 0)
        shown = tuple(_hidden(device, hidden) for device in devices.values())
        version = self.root.get("Version", "")
        return Description(
            FAMILY, Vendor(self.vendor_id, self.vendor), shown, problems.all(), tuple(self.unknown), version, encoding
        )

    def _into(
        self, devices: dict[str, DeviceType], hidden: dict[tuple[int, int], int], element: Element,
        modules: list[_Module],
    ) -> None:  # fmt: skip
        kind = element.find("Type")
        if kind is None:
            self.reading.problems.error(line_of(element), "A device without a type is left out.")
            return
        product, revision = (self.reading.attribute(kind, key) for key in ("ProductCode", "RevisionNo"))
        key = f"{FAMILY}.{self.vendor_id & 0xFFFFFFFF:x}.{product & 0xFFFFFFFF:08x}.{revision & 0xFFFFFFFF:08x}"
        if key in devices:
            self.reading.problems.warning(
                line_of(element), f"Product 16#{product:08X} revision 16#{revision:08X} is described twice."
            )
            return
        for older in element.iterfind("HideType"):
            told = self.reading.attribute(older, "ProductCode", product), self.reading.attribute(older, "RevisionNo")
            hidden[told] = max(hidden.get(told, 0), revision)
        devices[key] = self._device(element, kind, key, (product, revision), modules)

    def _device(
        self, element: Element, kind: Element, key: str, identity: tuple[int, int], modules: list[_Module]
    ) -> DeviceType:
        found = _Parts(self.reading)
        for child in element:
            if not found.take(child) and child.tag not in _NO_USE:
                self._unknown("Device", child)
        product, revision = identity
        name, order = texts_of(element, "Name"), (kind.text or "").strip()
        facts = replace(
            found.facts(), revision=revision, physics=element.get("Physics") or "YY",
            revision_rule=self._rule(kind, "CheckRevisionNo", "EQ_OR_G"),
            product_rule=self._rule(kind, "CheckProductCode", "EQ"), group=self.groups.get(found.group, found.group),
        )  # fmt: skip
        draws = found.bus_ma if found.bus_ma > 0 else 0
        feeds = -found.bus_ma if found.bus_ma < 0 else 0
        fitting = _in_slots(found, modules)
        choices = tuple({m.choice.key: m.choice for _, slot in fitting for m in slot}.values())
        slots = tuple(
            SlotChoice(n, slot.label, slot.default(own), tuple(m.choice.key for m in own))
            for n, (slot, own) in enumerate(fitting, start=1)
        )
        most = len(slots)
        return DeviceType(
            key=key,
            kind="feed-in" if facts.internal and feeds else "module" if facts.internal else "device",
            name=name or order or "unnamed device",
            order_number=order,
            maker=self.vendor,
            vendor_id=self.vendor_id,
            summary=facts.group,
            revisions=(f"{revision >> 16}.{revision & 0xFFFF}",),
            bus_current_ma=draws,
            bus_supply_ma=feeds,
            fieldbus=FIELDBUS,
            product_code=product,
            limits=Limits(sockets=facts.sockets or None, modules=most or None),
            modules=choices,
            slots=slots,
            rail=Slots(addressed=False, covers=False, places=(64,)) if facts.couples
            else Slots(addressed=True, covers=False, places=(most,)) if most else None,
            file_in_octets=_octets(facts, "in"),
            file_out_octets=_octets(facts, "out"),
            ethercat=facts,
        )  # fmt: skip

    def _rule(self, kind: Element, name: str, usual: str) -> str:
        rule = kind.get(name, usual)
        if rule not in _RULES:
            self.reading.problems.warning(line_of(kind), f"{name} “{rule[:30]}” is not known; {usual} is taken.")
            return usual
        return rule

    def _module(self, element: Element) -> _Module | None:
        kind = element.find("Type")
        ident = self.reading.optional(kind, "ModuleIdent") if kind is not None else None
        if kind is None or ident is None:
            self.reading.problems.error(line_of(element), "A module without an ident is left out.")
            return None
        found = _Parts(self.reading)
        for child in element:
            if not found.take(child) and child.tag not in _NO_USE:
                self._unknown("Module", child)
        facts = found.facts()
        name, order = texts_of(element, "Name"), (kind.text or "").strip()
        choice = ModuleChoice(
            f"m{ident:08x}", name or order or f"module 16#{ident:08X}", order, ident,
            in_octets=_octets(facts, "in"), out_octets=_octets(facts, "out"), ethercat=facts,
        )  # fmt: skip
        return _Module(ident, (kind.get("ModuleClass") or "").strip(), choice)

    def _unknown(self, section: str, element: Element) -> None:
        if len(self.unknown) < 500:
            self.unknown.append(UnknownEntry(line_of(element), section, str(element.tag), ()))


@dataclass(frozen=True, slots=True)
class _Module:
    ident: int
    kind: str
    choice: ModuleChoice


@dataclass(frozen=True, slots=True)
class _Slot:
    """A slot, or several alike: what may stand in it by ident or class, and what does unless something else is put."""

    label: str
    idents: tuple[int, ...]
    classes: tuple[str, ...]
    usual: int | None
    count: int

    def fits(self, module: _Module) -> bool:
        """Whether a module may stand here."""
        return module.ident in self.idents or (bool(module.kind) and module.kind in self.classes)

    def default(self, own: list[_Module]) -> str:
        """The key of the module that stands here by itself."""
        return next((m.choice.key for m in own if m.ident == self.usual), "")


def _in_slots(found: _Parts, modules: list[_Module]) -> list[tuple[_Slot, list[_Module]]]:
    each = [slot for slot in found.slot_rows for _ in range(slot.count)][:_SLOTS_AT_MOST]
    most = found.slots.most if found.slots and found.slots.most else len(each)
    return [(slot, [m for m in modules if slot.fits(m)]) for slot in each[:most]]


def _octets(facts: EthercatFacts, direction: str) -> int:
    """Of the PDOs that are assigned unless something else is chosen, one behind the other in whole octets."""
    bits = sum(e.bits for p in facts.pdos if p.direction == direction and p.manager is not None for e in p.entries)
    return (bits + 7) // 8


def _hidden(device: DeviceType, hidden: dict[tuple[int, int], int]) -> DeviceType:
    facts = device.ethercat
    newest = hidden.get((device.product_code or 0, facts.revision)) if facts else None
    return replace(device, ethercat=replace(facts, newest=newest)) if facts and newest is not None else device


class _Parts:
    """The parts of a device or a module as they come."""

    def __init__(self, reading: Reading) -> None:
        self.reading = reading
        self.group = ""
        self.bus_ma = 0
        self.slots: SlotRule | None = None
        self.slot_rows: list[_Slot] = []
        self._managers: list[SyncManager] = []
        self._pdos: list[Pdo] = []
        self._told: dict[str, Any] = {}
        self._writes: list[StartWrite] = []
        self._clocks: list[ClockMode] = []
        self._units: list[str] = []
        self._fmmus: list[str] = []

    def take(self, element: Element) -> bool:
        """One child of the device; False for what nobody knows."""
        tag = element.tag
        if tag in ("TxPdo", "RxPdo"):
            made = pdo_of(element, self.reading)
            if made is not None:
                self._pdos.append(made)
        elif tag == "Sm":
            self._managers.append(manager_of(element, self.reading))
        elif tag == "Fmmu":
            self._fmmus.append((element.text or "").strip())
        elif tag == "Su":
            self._units.append((element.text or "").strip())
        elif tag == "GroupType":
            self.group = (element.text or "").strip()
        else:
            own = _TAKES.get(str(tag))
            if own is None:
                return tag in ("Type", "Name", "HideType", "URL", "Comment", "SubDevice")
            own(self, element)
        return True

    def info(self, element: Element) -> None:
        """Current on the internal bus, how long steps take."""
        self.bus_ma = self.reading.number(element.find("Electrical/EBusCurrent"), "Current")
        times = element.find("StateMachine/Timeout")
        if times is not None:
            usual = StateTimes()
            self._told["times"] = StateTimes(
                self.reading.number(times.find("PreopTimeout"), "Time-out", usual.preop),
                self.reading.number(times.find("SafeopOpTimeout"), "Time-out", usual.safeop_op),
                self.reading.number(times.find("BackToInitTimeout"), "Time-out", usual.back),
            )
        waits = element.find("Mailbox/Timeout")
        if waits is not None:
            self._told["request_ms"] = self.reading.number(waits.find("RequestTimeout"), "Time-out", 100)
            self._told["response_ms"] = self.reading.number(waits.find("ResponseTimeout"), "Time-out", 2000)

    def profile(self, element: Element) -> None:
        """Its profile and its objects."""
        number = element.find("ProfileNo")
        if number is not None:
            self._told["profile"] = self.reading.number(number, "Profile")
        dictionary = element.find("Dictionary")
        if dictionary is not None:
            self._told["dictionary"] = text_of(dictionary, self.reading)

    def mailbox(self, element: Element) -> None:
        """What it can beside process data, and what is written in it at the start."""
        coe = element.find("CoE")
        options = {} if coe is None else {
            "coe": True, "sdo_info": flag(coe, "SdoInfo"), "pdo_assign": flag(coe, "PdoAssign"),
            "pdo_config": flag(coe, "PdoConfig"), "complete_access": flag(coe, "CompleteAccess"),
        }  # fmt: skip
        beside = {key.lower(): element.find(key) is not None for key in ("FoE", "EoE", "SoE")}
        self._told["mailbox"] = Mailbox(**options, **beside)
        for command in coe.iterfind("InitCmd") if coe is not None else ():
            self._write(command)

    def _write(self, element: Element) -> None:
        transition = (element.findtext("Transition") or "").strip()
        if transition not in TRANSITIONS:
            self.reading.problems.warning(
                line_of(element), f"A start-up write at “{transition[:10]}” is left out: it is none of ours."
            )
            return
        index = self.reading.number(element.find("Index"), "Index of a start-up write", -1)
        subindex = self.reading.number(element.find("SubIndex"), "Subindex of a start-up write")
        if not (0 <= index <= 0xFFFF and 0 <= subindex <= 0xFF):
            self.reading.problems.error(line_of(element), "A start-up write to no object is left out.")
            return
        octets = self.reading.octets(element.find("Data"), "Data of a start-up write")
        complete = flag(element, "CompleteAccess")
        self._writes.append(StartWrite(transition, index, subindex, octets, complete, texts_of(element, "Comment")))

    def clocks(self, element: Element) -> None:
        """Ways of running with distributed clocks."""
        self._told["reference_clock"] = element.get("PotentialReferenceClock", "1") not in ("0", "false")
        for mode in element.iterfind("OpMode"):
            name = (mode.findtext("Name") or "").strip() or f"mode {len(self._clocks) + 1}"
            parts = {}
            for n in (0, 1):
                cycle = mode.find(f"CycleTimeSync{n}")
                parts[f"sync{n}_ns"] = self.reading.number(cycle, "Cycle of a clock")
                usual = 1 if n == 0 else 0
                parts[f"factor{n}"] = usual if cycle is None else self.reading.attribute(cycle, "Factor", usual)
                parts[f"shift{n}_ns"] = self.reading.number(mode.find(f"ShiftTimeSync{n}"), "Shift of a clock")
            label = texts_of(mode, "Desc") or name
            activate = self.reading.number(mode.find("AssignActivate"), "AssignActivate")
            self._clocks.append(ClockMode(name, label, activate, **parts))

    def slot_rules(self, element: Element) -> None:
        """Slots, and how what stands in them moves."""
        for slot in element.iterfind(".//Slot"):
            idents = slot.findall("ModuleIdent")
            numbers = [self.reading.number(i, "Module ident") for i in idents]
            usual = next((n for n, i in zip(numbers, idents, strict=True) if flag(i, "Default")), None)
            classes = [(c.text or "").strip() for c in slot.iterfind("ModuleClass/Class")]
            count = min(max(self.reading.attribute(slot, "MaxInstances", 1), 1), _SLOTS_AT_MOST)
            self.slot_rows.append(_Slot(texts_of(slot, "Name"), tuple(numbers), tuple(classes), usual, count))
        self.slots = SlotRule(
            self.reading.attribute(element, "MaxSlotCount"), self.reading.attribute(element, "SlotIndexIncrement"),
            self.reading.attribute(element, "SlotPdoIncrement"),
        )  # fmt: skip

    def eeprom(self, element: Element) -> None:
        """Its memory of itself."""
        self._told["eeprom_octets"] = self.reading.number(element.find("ByteSize"), "Size of the EEPROM")
        self._told["configuration"] = self.reading.octets(element.find("ConfigData"), "Configuration data")

    def facts(self) -> EthercatFacts:
        """All that came."""
        told = dict(self._told)
        waits = {key: told.pop(key) for key in ("request_ms", "response_ms") if key in told}
        if "mailbox" in told and waits:
            told["mailbox"] = replace(told["mailbox"], **waits)
        return EthercatFacts(
            managers=tuple(self._managers), pdos=tuple(self._pdos), writes=tuple(self._writes),
            clocks=tuple(self._clocks), units=tuple(self._units), fmmus=tuple(self._fmmus), slots=self.slots, **told,
        )  # fmt: skip


_TAKES = {
    "Info": _Parts.info,
    "Profile": _Parts.profile,
    "Mailbox": _Parts.mailbox,
    "Dc": _Parts.clocks,
    "Slots": _Parts.slot_rules,
    "Eeprom": _Parts.eeprom,
}
