"""Submodules and modules: what they give and take, in which slots and subslots they may stand."""

from __future__ import annotations

from collections.abc import Iterator

from highmoor.core.catalogue.profinet import DataItem, PnModule, Submodule
from highmoor.core.catalogue.reading.profinet_gsdml.elements import TYPES, Reading, children, flag
from highmoor.core.catalogue.reading.profinet_gsdml.records import Values, records_of
from highmoor.core.catalogue.reading.xml import Element, line_of

# A data unit holds no more.
_OCTETS_AT_MOST = 1439


NONE = Submodule(0, "")


def fixed_submodules(parent: Element, reading: Reading, values: Values) -> tuple[Submodule, ...]:
    """The submodules that come with a module or an access point."""
    found: list[Submodule] = []
    for item in parent.iterfind("VirtualSubmoduleList/VirtualSubmoduleItem"):
        # Nobody refers to it, and without it those of many versions of a module are written alike.
        item.attrib.pop("ID", None)
        found.append(reading.once(item, lambda one: submodule(one, reading, values), NONE))
    return tuple(found)


def submodule(item: Element, reading: Reading, values: Values) -> Submodule:
    """One submodule."""
    told, parts = dict(item.items()), children(item)
    data = parts.get("IOData")
    around = dict(data.items()) if data is not None else {}
    found = children(data)
    sides = (found.get("Input"), found.get("Output"))
    nothing: tuple[DataItem, ...] = ()
    inputs, outputs = (reading.once(side, lambda one: tuple(_items(one, reading)), nothing) for side in sides)
    info = parts.get("ModuleInfo")

    def whole(attributes: dict[str, str], name: str, usual: int, most: int = 0xFFFFFFFF) -> int:
        text = attributes.get(name)
        return usual if text is None else reading.read_whole(text, item, name, usual, most)

    return Submodule(
        whole(told, "SubmoduleIdentNumber", 0),
        "" if info is None else reading.text(info.find("Name")),
        reading.list(item, "FixedInSubslots", (1,)) if "FixedInSubslots" in told else (1,),
        whole(told, "API", 0),
        inputs,
        outputs,
        any(side is not None and side.get("Consistency") == "All items consistency" for side in sides),
        whole(around, "IOPS_Length", 1, 4),
        whole(around, "IOCS_Length", 1, 4),
        reading.once(parts.get("RecordDataList"), lambda one: records_of(one, reading, values), ()),
    )


def _items(side: Element, reading: Reading) -> Iterator[DataItem]:
    """Values in order; whose size nobody knows takes with it what comes behind, for that lies nowhere."""
    for n, item in enumerate(side.iterfind("DataItem"), start=1):
        kind = (item.get("DataType") or "").strip()
        octets, data_type = TYPES.get(kind, (None, ""))
        if octets is None:
            octets = reading.whole(item, "Length", 0, _OCTETS_AT_MOST)
        label = reading.text(item) or f"value {n}"
        if not octets:
            reading.problems.error(line_of(item), f"{label}: a value of the type “{kind[:30]}” has no size.")
            return
        bits: tuple[tuple[int, str], ...] = ()
        if flag(item, "UseAsBits"):
            bits = tuple(_bits(item, reading, octets))
            data_type = {1: "BYTE", 2: "WORD", 4: "DWORD", 8: "LWORD"}.get(octets, data_type)
        yield DataItem(label, data_type, octets, bits)


def _bits(item: Element, reading: Reading, octets: int) -> Iterator[tuple[int, str]]:
    named = item.findall("BitDataItem")
    if not named:
        yield from ((bit, f"bit {bit}") for bit in range(8 * octets))
    for one in named:
        bit = reading.whole(one, "BitOffset", -1, 8 * octets - 1)
        if bit >= 0:
            yield bit, reading.text(one) or f"bit {bit}"


def module(item: Element, reading: Reading, values: Values) -> PnModule:
    """A module with its fixed submodules and those that can be plugged into it."""
    takes = []
    for ref in item.iterfind("UseableSubmodules/SubmoduleItemRef"):
        target = ref.get("SubmoduleItemTarget") or ""
        allowed = {*reading.list(ref, "AllowedInSubslots"), *reading.list(ref, "FixedInSubslots")}
        takes.append((target, tuple(sorted(allowed | {*reading.list(ref, "UsedInSubslots")}))))
    return PnModule(reading.whole(item, "ModuleIdentNumber", 0), fixed_submodules(item, reading, values), tuple(takes))
