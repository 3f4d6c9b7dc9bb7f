"""The families of description files: add a reader and name it here. Some are recognised but not read yet."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace

from highmoor.core.catalogue.reading import (
    cip_eds,
    device_sheet,
    ethercat_esi,
    iolink_iodd,
    profibus_gsd,
    profinet_gsdml,
    register_map,
)
from highmoor.core.catalogue.reading.description import Description, Unreadable
from highmoor.core.catalogue.reading.text import damaged_lines, decoded


@dataclass(frozen=True, slots=True)
class Family:
    """A kind of description file. `read(text, encoding, file name)` is None where no reader exists yet."""

    key: str
    name: str
    looks_like: Callable[[str], bool]
    read: Callable[[str, str, str], Description] | None = None
    version: int = 0
    # Why one by itself is not read, where it never will be.
    beside: str = ""


_XML_HEAD = 4000
_NOT_YET = "it is recognised, but not read yet"
_MARKUP = re.compile(r"\s*<")
_DOCTYPE = re.compile(r"<!(?i:DOCTYPE|ENTITY)")


def _canopen(text: str) -> bool:
    head = text[:200_000].lower()
    return "[deviceinfo]" in head and ("[fileinfo]" in head or "[mandatoryobjects]" in head)


FAMILIES: tuple[Family, ...] = (
    Family(
        register_map.FAMILY, "Modbus register map", register_map.looks_like,
        lambda text, encoding, name: register_map.read(text, encoding), register_map.READER_VERSION,
    ),
    Family(
        device_sheet.FAMILY, "device sheet", device_sheet.looks_like,
        lambda text, encoding, name: device_sheet.read(text, encoding), device_sheet.READER_VERSION,
    ),
    Family(
        cip_eds.FAMILY, "EtherNet/IP EDS", cip_eds.looks_like,
        lambda text, encoding, name: cip_eds.read(text, encoding), cip_eds.READER_VERSION,
    ),
    Family("canopen-eds", "CANopen EDS or DCF", _canopen),
    Family(
        profibus_gsd.FAMILY, "PROFIBUS GSD", profibus_gsd.looks_like,
        profibus_gsd.read, profibus_gsd.READER_VERSION,
    ),
    Family(
        profinet_gsdml.FAMILY, "PROFINET GSDML", profinet_gsdml.looks_like, profinet_gsdml.read,
        profinet_gsdml.READER_VERSION,
    ),
    Family(
        ethercat_esi.FAMILY, "EtherCAT ESI", ethercat_esi.looks_like, ethercat_esi.read, ethercat_esi.READER_VERSION
    ),
    Family(iolink_iodd.FAMILY, "IO-Link IODD", iolink_iodd.looks_like, iolink_iodd.read, iolink_iodd.READER_VERSION),
    Family(
        iolink_iodd.LANGUAGE_FAMILY, "language file of an IO-Link IODD", iolink_iodd.is_language_file,
        beside="its texts are read with the IODD they belong to, where both are in one archive",
    ),
)  # fmt: skip


def reader_version(family: str) -> int:
    """The version of a family's reader today, 0 where there is none."""
    return next((known.version for known in FAMILIES if known.key == family), 0)


def family_of(text: str) -> Family | None:
    """The family a text belongs to, told by its content; names of files prove nothing."""
    return next((family for family in FAMILIES if family.looks_like(text)), None)


def read_octets(octets: bytes, name: str) -> Description:
    """The description in a file. Raises Unreadable, with the reason, for whatever cannot be read at all."""
    if not octets or octets.isspace():
        raise Unreadable("The file is empty.")
    text, encoding = decoded(octets)
    declared = _DOCTYPE.search(text) if _MARKUP.match(text) and "<!" in text else None
    if declared:
        line = text[: declared.start()].count("\n") + 1
        raise Unreadable("The file declares a document type or entities; such files are refused.", line)
    family = family_of(text)
    if family is None:
        known = ", ".join(known.name for known in FAMILIES if known.read)
        raise Unreadable(f"This is not a kind of description file that can be read here. These can: {known}.")
    if family.read is None:
        raise Unreadable(f"This is a file of the kind {family.name}: {family.beside or _NOT_YET}.")
    description = family.read(text, encoding, name)
    spoilt = damaged_lines(text, encoding)
    return replace(description, problems=(*spoilt, *description.problems)) if spoilt else description
