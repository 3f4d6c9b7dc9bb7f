"""A CIP EDS as a device type. Source: CIP volume 1, chapter 7 (EDS), volume 2 for EtherNet/IP's own sections."""

from __future__ import annotations

import re
from collections import defaultdict
from dataclasses import replace
from typing import Any

from highmoor.core.catalogue.choices import Limits, PortChoice, RackPlace
from highmoor.core.catalogue.reading.cip_eds.assemblies import AssemblyReader
from highmoor.core.catalogue.reading.cip_eds.connections import ConnectionReader
from highmoor.core.catalogue.reading.cip_eds.parameters import numbered, read_groups, read_parameters
from highmoor.core.catalogue.reading.cip_eds.syntax import Entry, Section, parse
from highmoor.core.catalogue.reading.description import Description, Problems, UnknownEntry, Unreadable, Vendor
from highmoor.core.catalogue.reading.numerals import whole
from highmoor.core.catalogue.types import DeviceType, Parameter

FAMILY = "cip-eds"
READER_VERSION = 2
_UNKNOWN_AT_MOST = 2000
# A small picture in base 64.
_ICON_AT_MOST = 100_000
_FIELDBUS = "ethernet-ip"
_DEVICE_KEYS = (
    "vendcode", "vendname", "prodtype", "prodtypestr", "prodcode", "majrev", "minrev", "prodname", "catalog",
    "icon", "iconcontents",
)  # fmt: skip
_SECTIONS = frozenset(
    {
        "file", "device", "device classification", "paramclass", "params", "groups", "assembly", "connection manager",
        "port", "capacity", "modular",
    }
)  # fmt: skip
_OBJECT_CLASS = re.compile(r".* class", re.IGNORECASE)


def looks_like(text: str) -> bool:
    """Whether a text is a CIP EDS: its sections, and entries that end with `;`."""
    head = text[:200_000].lower()
    marks = ("prodcode", "vendcode", "prodtype", "majrev")
    return "[device]" in head and any(re.search(rf"{mark}\s*=", head) for mark in marks)


def read(text: str, encoding: str = "") -> Description:
    """The description in a CIP EDS. Raises Unreadable for a file without a device."""
    return _Reader(text, encoding).description()


class _Reader:
    def __init__(self, text: str, encoding: str) -> None:
        self.encoding = encoding
        self.problems = Problems()
        self.unknown: list[UnknownEntry] = []
        self.sections: dict[str, list[Section]] = defaultdict(list)
        for section in parse(text, self.problems):
            self.sections[" ".join(section.name.lower().split())].append(section)

    def description(self) -> Description:
        device = self._values("device")
        if not device:
            raise Unreadable("The file has no [Device] section, so it says of no device what it is.")
        self._classified()
        parameters = self._parameters()
        assemblies = AssemblyReader(parameters, self.problems).read(self.sections["assembly"], self._keep)
        connections = ConnectionReader(parameters, assemblies, self.problems).read(
            self.sections["connection manager"], self._keep
        )
        vendor = Vendor(self._number(device, "vendcode", "vendor id"), self._text(device, "vendname"))
        major, minor = (self._number(device, key, what) for key, what in (("majrev", "major"), ("minrev", "minor")))
        product = self._number(device, "prodcode", "product code")
        kind = self._number(device, "prodtype", "device type")
        name = self._text(device, "prodname") or self._text(device, "catalog") or "unnamed device"
        revision = f"{major or 0}.{minor or 0}"
        racks = self._racks()
        device_type = DeviceType(
            key=f"{FAMILY}.{_id(vendor.id)}.{_id(kind)}.{_id(product)}.{revision}",
            kind="module" if racks and not (connections and self._speaks_ethernet()) else "device",
            name=name,
            order_number=self._text(device, "catalog"),
            maker=vendor.name or (f"vendor {vendor.id}" if vendor.id is not None else ""),
            vendor_id=vendor.id or 0,
            summary=self._text(device, "prodtypestr"),
            revisions=(revision,),
            fieldbus=_FIELDBUS,
            device_type=kind,
            product_code=product,
            parameters=tuple(parameters.values()),
            assemblies=tuple(assemblies.values()),
            connections=connections,
            network_ports=self._ports(),
            racks=racks,
            limits=self._limits(connections),
            picture=self._text(device, "icon"),
            facts=self._facts(),
        )
        self._keep_sections()
        file = self._values("file")
        return Description(
            family=FAMILY,
            vendor=vendor,
            devices=(device_type,),
            problems=self.problems.all(),
            unknown=tuple(self.unknown),
            file_revision=self._text(file, "revision"),
            encoding=self.encoding,
        )

    def _values(self, name: str) -> dict[str, Entry]:
        """Entries of a section by key in small letters; the last of several of a name counts."""
        return {entry.key.lower(): entry for section in self.sections[name] for entry in section.entries}

    def _text(self, entries: dict[str, Entry], key: str) -> str:
        entry = entries.get(key)
        return entry.at(0).strip() if entry else ""

    def _number(self, entries: dict[str, Entry], key: str, what: str) -> int | None:
        entry = entries.get(key)
        if entry is None:
            self.problems.error(self._line_of("device"), f"[Device] gives no {what} ({key}).")
            return None
        value = whole(entry.at(0))
        if value is None or not 0 <= value < 2**32:
            self.problems.error(entry.line, f"{entry.key}: “{entry.at(0)[:40]}” is not a number for a {what}.")
            return None
        return value

    def _line_of(self, name: str) -> int:
        return self.sections[name][0].line if self.sections[name] else 0

    def _classified(self) -> None:
        entries = self._values("device classification")
        kinds = [entry.at(0) for key, entry in entries.items() if key.startswith("class")]
        if kinds and not any(kind.lower().replace("/", "") == "ethernetip" for kind in kinds):
            line = next(iter(entries.values())).line
            self.problems.warning(line, f"The file is written for {', '.join(kinds)}, not for EtherNet/IP.")

    def _parameters(self) -> dict[str, Parameter]:
        parameters = read_parameters(self.sections["params"], self.problems, self._keep)
        groups: dict[str, str] = {}
        for section in self.sections["groups"]:
            groups.update({key: name for key, name in read_groups(section, self.problems).items() if key not in groups})
        return {
            key: _grouped(parameter, groups[key]) if key in groups else parameter
            for key, parameter in parameters.items()
        }

    def _ports(self) -> tuple[PortChoice, ...]:
        ports = []
        for entry in self._entries("port"):
            name = numbered(entry.key)
            if name and name[0] == "port":
                ports.append(
                    PortChoice(f"port{name[1]}", entry.at(1) or entry.key, entry.at(0), whole(entry.at(3)), entry.at(2))
                )
        return tuple(ports)

    def _speaks_ethernet(self) -> bool:
        """Whether it has a port of its own to EtherNet/IP: then it is a station, whatever rack it may sit in."""
        return any(port.kind.lower() in ("tcp", "ethernet") for port in self._ports())

    def _sockets(self) -> int | None:
        """Sockets are instances of the Ethernet link object (class F6): a port of the device may have two."""
        link = self._values("ethernet link class")
        return next(
            (
                count
                for key in ("number_of_static_instances", "maxinst")
                if key in link and (count := whole(link[key].at(0))) is not None and 0 < count < 256
            ),
            None,
        )

    def _entries(self, name: str) -> list[Entry]:
        return [entry for section in self.sections[name] for entry in section.entries]

    def _racks(self) -> tuple[RackPlace, ...]:
        """The racks a module fits into: identity of the rack and the slots it may take (7-3.6.12)."""
        racks = []
        for entry in self._entries("modular"):
            name = numbered(entry.key)
            if name and name[0] == "rack":
                vendor, kind, product, major, minor = (whole(entry.at(place)) for place in range(5))
                slots = tuple(slot for text in entry.fields[8:] if (slot := whole(text)) is not None)
                racks.append(RackPlace(vendor, kind, product, major, minor, slots))
        return tuple(racks)

    def _limits(self, connections: tuple[Any, ...]) -> Limits:
        capacity, modular = self._values("capacity"), self._values("modular")
        spans = [exchange.interval_us for choice in connections for exchange in choice.exchanges]
        least = [span.minimum for span in spans if span.minimum]
        rates = [whole(entry.at(2)) for key, entry in capacity.items() if key.startswith("tspec")]

        def first(*keys: str) -> int | None:
            return next((whole(self._text(capacity, key)) for key in keys if key in capacity), None)

        return Limits(
            connections=first("maxcipconnections", "maxconnections"),
            cyclic_connections=first("maxioconnections"),
            min_interval_us=min(least) if least else None,
            packets_per_s=max((rate for rate in rates if rate is not None), default=None),
            modules=whole(self._text(modular, "defineslotsinrack")),
            sockets=self._sockets(),
        )

    def _facts(self) -> dict[str, Any]:
        """Everything else said about the device: kept by section, so that nothing of use is lost."""
        facts: dict[str, Any] = {}
        for name in ("file", "device", "device classification", "capacity", "modular", "paramclass", "port"):
            known = _DEVICE_KEYS if name == "device" else ()
            kept = {
                entry.key: entry.at(0) if len(entry.fields) == 1 else list(entry.fields)
                for entry in self._entries(name)
                if entry.key.lower() not in known
            }
            if kept:
                facts[name] = kept
        # What stands behind the fields that are used: further texts of parameters, descriptors of assemblies.
        for name, kind, first, last in (("params", "param", 21, 24), ("assembly", "assem", 3, 6)):
            kept = {
                entry.key: rest
                for entry in self._entries(name)
                if (numbered(entry.key) or ("",))[0].endswith(kind) and any(rest := entry.fields[first:last])
            }
            if kept:
                facts[name] = kept
        icon = self._values("device").get("iconcontents")
        if icon is not None:
            facts["icon"] = "".join(icon.fields)[:_ICON_AT_MOST]
        return facts

    def _keep(self, section: Section, entry: Entry) -> None:
        """A key that is not used: listed, with the beginning of its value."""
        if len(self.unknown) < _UNKNOWN_AT_MOST:
            fields = tuple(text[:400] for text in entry.fields[:100])
            self.unknown.append(UnknownEntry(entry.line, section.name, entry.key, fields))

    def _keep_sections(self) -> None:
        for name, sections in self.sections.items():
            if name in _SECTIONS or not sections:
                continue
            if not _OBJECT_CLASS.fullmatch(name):
                self.problems.note(sections[0].line, f"The section [{sections[0].name}] is kept, but not used.")
            for section in sections:
                for entry in section.entries:
                    self._keep(section, entry)


def _grouped(parameter: Parameter, group: str) -> Parameter:
    return replace(parameter, group=group)


def _id(value: int | None) -> str:
    return "x" if value is None else str(value)
