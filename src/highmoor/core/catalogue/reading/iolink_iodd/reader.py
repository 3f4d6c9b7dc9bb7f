"""An IODD as a device type. Source: IODD specification 1.0.1 and 1.1.3."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from highmoor.core.catalogue.io_link import (
    IoCondition,
    IoData,
    IoDevice,
    IoError,
    IoEvent,
    IoField,
    IoMenu,
    IoMenuEntry,
    IoValue,
    IoVariable,
    IoVariant,
    IoWire,
)
from highmoor.core.catalogue.reading.description import Description, Problems, UnknownEntry, Unreadable, Vendor
from highmoor.core.catalogue.reading.iolink_iodd.elements import BITS_AT_MOST, Reading
from highmoor.core.catalogue.reading.iolink_iodd.standard import (
    DEVICE_STATUS,
    ERRORS,
    EVENTS,
    NUMBERS,
    STANDARD_VARIABLES,
)
from highmoor.core.catalogue.reading.xml import Element, line_of, tree
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.collecting import uncollected

FAMILY = "iolink-iodd"
READER_VERSION = 1
_ROOT = re.compile(r"<(?:[A-Za-z_][\w.-]*:)?IODevice[\s>/]")
_HEAD = 4000
_NOT_IN_KEYS = re.compile(r"[^A-Za-z0-9._-]")
_BITRATES = {"COM1": 4800, "COM2": 38400, "COM3": 230400}
_SEVERITIES: dict[str, Any] = {"error": "error", "warning": "warning", "notification": "note"}
_DATA_BITS_AT_MOST = 8 * 32
_LEAST_CYCLE_US = 400
_ROLES = {"ObserverRoleMenuSet": "observer", "MaintenanceRoleMenuSet": "maintenance",
          "SpecialistRoleMenuSet": "specialist"}  # fmt: skip
_WIRE = re.compile(r"Wire(\d)")
# What the file may hold beside what is read; anything else below the device's functions is listed as unknown.
_KNOWN = {"Features", "DatatypeCollection", "VariableCollection", "ProcessDataCollection", "ErrorTypeCollection",
          "EventCollection", "UserInterface"}  # fmt: skip


def looks_like(text: str) -> bool:
    """Whether a text is an IODD, told by its root."""
    return _ROOT.search(text[:_HEAD]) is not None


def read(text: str, encoding: str, _: str = "") -> Description:
    """The devices of a file: one for each of its variants. Raises Unreadable for one that describes none."""
    problems = Problems()
    with uncollected():
        root = tree(text, problems)
        return _File(root, Reading(problems, root)).description(encoding)


@dataclass(slots=True)
class _File:
    root: Element
    reading: Reading
    # By the name that the file refers by.
    variables: dict[str, IoVariable] = field(default_factory=dict)
    # How values are shown, by variable and subindex, as the first place of a menu that shows one has it.
    infos: dict[tuple[str, int], Element] = field(default_factory=dict)
    unknown: list[UnknownEntry] = field(default_factory=list)

    def description(self, encoding: str) -> Description:
        problems = self.reading.problems
        who = self.root.find("ProfileBody/DeviceIdentity")
        function = self.root.find("ProfileBody/DeviceFunction")
        if who is None or function is None:
            raise Unreadable("The file describes no device.", line_of(self.root))
        vendor = Vendor(self.reading.whole(who, "vendorId", most=0xFFFF), (who.get("vendorName") or "").strip())
        for entry in function:
            if entry.tag not in _KNOWN:
                self.unknown.append(UnknownEntry(line_of(entry), "DeviceFunction", str(entry.tag), ()))
        self._infos(function)
        for variable in function.iterfind("VariableCollection/*"):
            self._variable(variable)
        device = self._device(who, function)
        types = tuple(self._types(who, vendor, device))
        info = self.root.find("DocumentInfo")
        revision = (info.get("version") or "").strip() if info is not None else ""
        return Description(FAMILY, vendor, types, problems.all(), tuple(self.unknown), revision, encoding)

    def _types(self, who: Element, vendor: Vendor, device: IoDevice) -> Iterator[DeviceType]:
        """A type for each variant of the device: they differ in order number and housing, not in their data."""
        name, summary = self.reading.text(who.find("DeviceName")), self.reading.text(who.find("DeviceFamily"))
        found: list[Element | None] = [*who.findall("DeviceVariantCollection/DeviceVariant")]
        seen: set[str] = set()
        for variant in found or [None]:
            number = (variant.get("productId") or "").strip() if variant is not None else ""
            # 1.0.1 calls them otherwise.
            told = {
                key: next((self.reading.text(e) for tag in tags if (e := variant.find(tag)) is not None), "")
                if variant is not None
                else ""
                for key, tags in (("name", ("Name", "ProductName")), ("text", ("Description", "ProductText")))
            }
            tail = f".{_NOT_IN_KEYS.sub('-', number)}" if len(found) > 1 else ""
            key = f"iolink.{vendor.id:04x}.{device.device_id:06x}{tail}"
            if key in seen:
                self.reading.problems.warning(line_of(variant), f"{number or 'A variant'} is described twice.")
                continue
            seen.add(key)
            yield DeviceType(
                key=key, kind="module", name=(told["name"] or name or number or "IO-Link device")[:200],
                order_number=number[:200], maker=vendor.name[:200], vendor_id=vendor.id or 0,
                summary=(told["text"] or summary)[:2000], revisions=(), fieldbus="io-link",
                product_code=device.device_id, io_link=device, file_in_octets=device.in_octets,
                file_out_octets=device.out_octets,
            )  # fmt: skip

    def _device(self, who: Element, function: Element) -> IoDevice:
        reading = self.reading
        features = function.find("Features")
        profile = self.root.find("CommNetworkProfile")
        physical = profile.find("TransportLayers/PhysicalLayer") if profile is not None else None
        revision = ((profile.get("iolinkRevision") if profile is not None else "") or "V1.1").lstrip("Vv")
        bitrate, cycle, sio = _BITRATES["COM2"], 0, False
        if physical is None:
            reading.problems.error(line_of(self.root), "The file does not say how fast the device talks.")
        else:
            told = (physical.get("bitrate") or physical.get("baudrate") or "").strip().upper()
            bitrate = _BITRATES.get(told, 0)
            if not bitrate:
                reading.problems.error(line_of(physical), f"“{told[:20]}” is none of COM1, COM2 and COM3.")
                bitrate = _BITRATES["COM2"]
            cycle = reading.whole(physical, "minCycleTime", most=10_000_000)
            if 0 < cycle < _LEAST_CYCLE_US:
                reading.problems.warning(line_of(physical), f"No device can do {cycle} µs; 400 µs is the shortest.")
            sio = (physical.get("sioSupported") or "").strip() in ("true", "1")
        connection = physical.find("Connection") if physical is not None else None
        return IoDevice(
            device_id=reading.whole(who, "deviceId", most=0xFFFFFF), revision=revision, bitrate=bitrate,
            least_cycle_us=cycle, sio=sio,
            block_parameters=features is not None and features.get("blockParameter") in ("true", "1"),
            data_storage=features is not None and features.get("dataStorage") in ("true", "1"),
            variants=tuple(self._variants(function)), variables=tuple(self.variables.values()),
            events=tuple(self._events(function)), errors=tuple(self._errors(function)),
            menus=tuple(self._menus(function)), roles=tuple(self._roles(function)),
            wires=tuple(self._wires(connection)), connector=_connector(connection),
        )  # fmt: skip

    # ── variables

    def _infos(self, function: Element) -> None:
        for menu in function.iterfind("UserInterface/MenuCollection/Menu"):
            for entry in menu:
                if entry.tag in ("VariableRef", "RecordItemRef"):
                    subindex = self.reading.whole(entry, "subindex", most=255) if entry.tag == "RecordItemRef" else 0
                    if any(entry.get(key) is not None for key in ("gradient", "offset", "unitCode", "displayFormat")):
                        self.infos.setdefault((entry.get("variableId") or "", subindex), entry)

    def _variable(self, element: Element) -> None:
        if element.tag == "StdVariableRef":
            self._standard(element)
            return
        if element.tag not in ("Variable", "DirectParameterOverlay"):
            return
        name, reading = element.get("id") or "", self.reading
        index = reading.whole(element, "index", 1 if element.tag == "DirectParameterOverlay" else 0, 0xFFFF)
        kind = reading.datatype(element)
        if name in self.variables or kind is None:
            if kind is not None:
                reading.problems.warning(line_of(element), f"The variable {name[:40]!r} is described twice.")
            return
        bits, fields = reading.fields(kind)
        if not fields:
            return
        infos = {reading.whole(one, "subindex", most=255): one for one in element.iterfind("RecordItemInfo")}
        shown = tuple(
            one._replace(
                value=reading.shown(one.value, self.infos.get((name, one.subindex))),
                default=_default(infos.get(one.subindex)),
            )
            for one in fields
        )
        access = element.get("accessRights") or "rw"
        if access not in ("ro", "wo", "rw"):
            reading.problems.error(line_of(element), f"“{access[:20]}” are no access rights.")
            access = "ro"
        alone = len(shown) == 1 and not shown[0].subindex
        self.variables[name] = IoVariable(
            index, reading.text(element.find("Name")), access, shown[0].value if alone else None,  # type: ignore[arg-type]
            () if alone else shown, _default(element), reading.text(element.find("Description")),
            element.get("dynamic") in ("true", "1"),
            access == "rw" and element.get("excludedFromDataStorage") not in ("true", "1"), (bits + 7) // 8,
        )  # fmt: skip

    def _standard(self, element: Element) -> None:
        name = element.get("id") or ""
        known = STANDARD_VARIABLES.get(name)
        if known is None:
            self.unknown.append(UnknownEntry(line_of(element), "VariableCollection", name, ()))
            return
        index, label, access, octets, stored = known
        kind = "UINT" if index in NUMBERS else "STRING" if 0x10 <= index <= 0x1A else "OCTETS"
        octets = self.reading.whole(element, "fixedLengthRestriction", octets, 232)
        values = element.findall("SingleValue")
        choices = tuple((one.get("value") or "", self.reading.text(one.find("Name"))) for one in values)
        told = tuple((int(value), text) for value, text in choices if value.isdigit())
        value = IoValue(kind, 8 * max(octets, 1), (*told, *(DEVICE_STATUS if index == 0x24 else ())))  # type: ignore[arg-type]
        excluded = element.get("excludedFromDataStorage") in ("true", "1")
        self.variables[name] = IoVariable(
            index, label, access, value, (), _default(element), "", index in (0x20, 0x24, 0x25, 0x28),
            stored and not excluded, octets,
        )  # fmt: skip

    def _condition(self, element: Element | None) -> IoCondition | None:
        if element is None:
            return None
        name = element.get("variableId") or ""
        variable = self.variables.get(name)
        if variable is None:
            self.reading.problems.error(line_of(element), f"There is no variable “{name[:60]}”.")
            return IoCondition(-1, 0, 0)
        subindex = self.reading.whole(element, "subindex", most=255)
        text = (element.get("value") or "").strip()
        value = {"true": 1, "false": 0}.get(text.lower())
        if value is None and not re.fullmatch(r"-?\d{1,10}", text):
            self.reading.problems.error(line_of(element), f"“{text[:30]}” is no value for a condition.")
            return IoCondition(-1, 0, 0)
        whole = int(text) if value is None else value
        field_ = next((one for one in variable.fields if one.subindex == subindex), None)
        of = field_.value if field_ else variable.value
        said = dict(of.choices).get(whole) if of else None
        return IoCondition(variable.index, subindex, whole, f"{variable.label}: {said or whole}")

    # ── process data

    def _variants(self, function: Element) -> Iterator[IoVariant]:
        shows = {
            one.get("processDataId") or "": one
            for one in function.iterfind("UserInterface/ProcessDataRefCollection/ProcessDataRef")
        }
        otherwise: IoVariant | None = None
        for n, element in enumerate(function.iterfind("ProcessDataCollection/ProcessData")):
            key = element.get("id") or f"pd{n}"
            ways = [self._data(element.find(tag), shows) for tag in ("ProcessDataIn", "ProcessDataOut")]
            condition = self._condition(element.find("Condition"))
            if condition is not None and condition.index < 0:
                continue
            variant = IoVariant(key, ways[0], ways[1], condition)
            if condition is not None:
                yield variant
            elif otherwise is None:
                otherwise = variant
            else:
                self.reading.problems.warning(line_of(element), f"{key[:40]}: two process data without a condition.")
        if otherwise is not None:
            yield otherwise

    def _data(self, element: Element | None, shows: dict[str, Element]) -> IoData | None:
        if element is None:
            return None
        reading = self.reading
        kind = reading.datatype(element)
        if kind is None:
            return None
        bits, fields = reading.fields(kind)
        told = reading.whole(element, "bitLength", bits, BITS_AT_MOST)
        if fields and told != bits:
            reading.problems.warning(line_of(element), f"It says {told} bits, and its type has {bits}: {bits} count.")
        if bits > _DATA_BITS_AT_MOST:
            reading.problems.error(line_of(element), f"{bits} bits are more than the 32 octets a device can exchange.")
            return None
        show = shows.get(element.get("id") or "")
        whole = show.find("ProcessDataInfo") if show is not None else None
        items = {
            reading.whole(one, "subindex", most=255): one
            for one in (show.iterfind("ProcessDataRecordItemInfo") if show is not None else ())
        }
        label = reading.text(element.find("Name"))
        named = (
            one._replace(
                value=reading.shown(one.value, items.get(one.subindex) if one.subindex else whole),
                label=one.label or (label if not one.subindex else f"{label or 'Value'} {one.subindex}"),
            )
            for one in fields
        )
        return IoData(label, bits, tuple(sorted(named, key=_place)))

    # ── events, errors, menus, wires

    def _events(self, function: Element) -> Iterator[IoEvent]:
        for element in function.iterfind("EventCollection/*"):
            code = self.reading.whole(element, "code", most=0xFFFF)
            if element.tag == "StdEventRef":
                severity, label = EVENTS.get(code, ("note", f"Event {code:#06X}"))
                yield IoEvent(code, severity, label)  # type: ignore[arg-type]
            elif element.tag == "Event":
                severity = _SEVERITIES.get((element.get("type") or "").lower(), "note")
                label = self.reading.text(element.find("Name"))
                yield IoEvent(code, severity, label, self.reading.text(element.find("Description")))

    def _errors(self, function: Element) -> Iterator[IoError]:
        for element in function.iterfind("ErrorTypeCollection/*"):
            code = self.reading.whole(element, "code", 0x80, 0xFF) << 8 | self.reading.whole(
                element, "additionalCode", 0, 0xFF
            )
            if element.tag == "StdErrorTypeRef":
                yield IoError(code, ERRORS.get(code, f"Error {code:04X}"))
            elif element.tag == "ErrorType":
                label, text = (self.reading.text(element.find(tag)) for tag in ("Name", "Description"))
                yield IoError(code, label, text)

    def _menus(self, function: Element) -> Iterator[IoMenu]:
        for menu in function.iterfind("UserInterface/MenuCollection/Menu"):
            entries = tuple(entry for element in menu for entry in self._entry(element))
            yield IoMenu(menu.get("id") or "", self.reading.text(menu.find("Name")), entries)

    def _entry(self, element: Element) -> Iterator[IoMenuEntry]:
        condition = self._condition(element.find("Condition"))
        if element.tag == "MenuRef":
            yield IoMenuEntry(menu=element.get("menuId") or "", condition=condition)
        elif element.tag in ("VariableRef", "RecordItemRef"):
            variable = self.variables.get(element.get("variableId") or "")
            if variable is None:
                name = (element.get("variableId") or "")[:60]
                self.reading.problems.warning(line_of(element), f"A menu shows a variable “{name}” that is not there.")
                return
            subindex = self.reading.whole(element, "subindex", most=255)
            restricted = element.get("accessRightRestriction") == "ro"
            yield IoMenuEntry(variable.index, subindex, "", condition, restricted)

    def _roles(self, function: Element) -> Iterator[tuple[str, tuple[str, ...]]]:
        for tag, role in _ROLES.items():
            menus = function.find(f"UserInterface/{tag}")
            if menus is not None:
                yield role, tuple(one.get("menuId") or "" for one in menus if one.get("menuId"))

    def _wires(self, connection: Element | None) -> Iterator[IoWire]:
        for element in connection if connection is not None else ():
            number = _WIRE.fullmatch(str(element.tag))
            if number:
                yield IoWire(
                    int(number[1]), (element.get("color") or "").strip(), (element.get("function") or "").strip()
                )


def _place(one: IoField) -> int:
    """What travels first lies highest."""
    return -one.bit


def _default(element: Element | None) -> str:
    return (element.get("defaultValue") or "").strip() if element is not None else ""


def _connector(connection: Element | None) -> str:
    """What it is plugged by, as the file's own type of connection says: M12, 4 pins."""
    name = connection.get("{http://www.w3.org/2001/XMLSchema-instance}type") or "" if connection is not None else ""
    return name.rpartition(":")[2].removesuffix("ConnectionT")
