"""Declarations from outside laid beside the plant: which are new, which have another type, place or beginning."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.errors import Refusal
from highmoor.core.plant.rows import Controller, DataStructure, Link, Signal
from highmoor.core.project.edits import StructureMember, WantedLink, WantedSignal
from highmoor.core.project.signal_tables.declared_text import DeclaredStructure, DeclaredText, DeclaredVariable
from highmoor.core.project.signal_tables.finding import Address, FoundPlace, PlaceFinder
from highmoor.core.project.signal_tables.laying import CellChange, Laid, RefusedRows, SignalTold
from highmoor.core.signals.at import At
from highmoor.core.signals.declarations import address_of
from highmoor.core.signals.declared import Declarations
from highmoor.core.signals.places import in_words, place_of
from highmoor.core.signals.shapes import folded
from highmoor.core.signals.table import lines
from highmoor.core.signals.values import literal_value


@dataclass(frozen=True, slots=True)
class StructureTold:
    """A structure that a text declares and the plant does not."""

    row: int
    name: str
    members: tuple[StructureMember, ...]


@dataclass(slots=True)
class _Wanted:
    """A signal as the text has it."""

    controller: Controller
    line: int
    name: str
    type: str
    initial: str = ""
    note: str = ""
    # With the type of the count there, "" where the value itself is.
    addresses: dict[str, str] = field(default_factory=dict)


@dataclass(slots=True)
class _Own:
    """A signal of the plant, with its links by their addresses; those without one are told by no declaration."""

    signal: Signal
    by_address: dict[str, Link] = field(default_factory=dict)
    others: list[Link] = field(default_factory=list)


_Key = tuple[str, str]


def lay_declarations(analysis: Analysis, text: DeclaredText, controller: str) -> tuple[Laid, tuple[StructureTold, ...]]:
    """Lay declarations beside the plant; variables go to the controller that a comment before them names, else to that
    which is given. Raises nothing: what cannot be taken is refused by its line."""
    laying = _Laying(analysis, text, controller)
    return laying.laid(), tuple(laying.structures)


class _Laying:
    def __init__(self, analysis: Analysis, text: DeclaredText, controller: str) -> None:
        self.analysis = analysis
        self.refused: list[RefusedRows] = []
        self.structures: list[StructureTold] = []
        self.finder = PlaceFinder(analysis)
        self.reader = Reader(analysis)
        self.controllers = {one.name.casefold(): one for one in analysis.plant.all(Controller)}
        self.given: Controller = analysis.plant.get(controller, Controller)
        self.declared = self._declared(text.structures)
        self.wanted: dict[_Key, _Wanted] = {}
        for variable in text.variables:
            self._take(variable)
        for variable in text.variables:
            self._locate(variable)

    def _declared(self, structures: tuple[DeclaredStructure, ...]) -> Declarations:
        """The structures of the text, and those of the plant; of one name the text's, if they are the same."""
        plant = Declarations.of(self.analysis.plant)
        told = [DataStructure("", s.name, "", {"members": [_member(name, kind) for name, kind in s.members]})
                for s in structures]  # fmt: skip
        own = Declarations([*self.analysis.plant.all(DataStructure), *told])
        for structure in structures:
            try:
                shape = own.shape(structure.name)
                there = plant.find(structure.name)
                if there is None:
                    members = tuple(StructureMember(name=name, type=kind) for name, kind in structure.members)
                    self.structures.append(StructureTold(structure.line, structure.name, members))
                elif folded(plant.shape(there.name)) != folded(shape):
                    self._refuse(structure.line, f"{there.name} is declared otherwise in the plant")
            except Refusal as refusal:
                self._refuse(structure.line, refusal.reason.rstrip("."))
        return own

    def _refuse(self, line: int, why: str) -> None:
        self.refused.append(RefusedRows((line,), why))

    def _owner(self, variable: DeclaredVariable) -> Controller:
        return self.controllers.get(variable.owner.casefold(), self.given)

    def _take(self, variable: DeclaredVariable) -> None:
        """The signals that a variable is."""
        if variable.role:
            return
        owner = self._owner(variable)
        try:
            found = self.declared.elements(variable.name, variable.type)
        except Refusal as refusal:
            self._refuse(variable.line, refusal.reason.rstrip("."))
            return
        initials = {name.casefold(): text for name, text in variable.initial}
        for element in found:
            key = (owner.id, element.name.casefold())
            if key in self.wanted:
                self._refuse(variable.line, f"{element.name} is declared above already")
                return
            initial = initials.get(element.name.casefold(), "")
            note = variable.note if len(found) == 1 else ""
            self.wanted[key] = _Wanted(owner, variable.line, element.name, element.type, initial, note)

    def _locate(self, variable: DeclaredVariable) -> None:
        """The address of a variable is that of the signal it is, or that it is of."""
        if not variable.address:
            return
        of = variable.of or variable.name
        wanted = self.wanted.get((self._owner(variable).id, of.casefold()))
        if wanted is None:
            self._refuse(variable.line, f"{of} at {variable.address} is no single value")
            return
        wanted.addresses[variable.address] = variable.type if variable.role == "count" else ""
        wanted.note = wanted.note or variable.note

    def laid(self) -> Laid:
        own = self._own()
        told, same = [], 0
        for key, wanted in self.wanted.items():
            there = own.get(key)
            changes = tuple(self._changes(wanted, there))
            if there and not changes:
                same += 1
                continue
            try:
                told.append(self._told(wanted, there, changes))
            except Refusal as refusal:
                self._refuse(wanted.line, refusal.reason.rstrip("."))
        return Laid(tuple(told), tuple(self.refused), same, len(own.keys() - self.wanted.keys()), ())

    def _own(self) -> dict[_Key, _Own]:
        own: dict[_Key, _Own] = {}
        owners = {wanted.controller.id for wanted in self.wanted.values()} or {self.given.id}
        for controller in owners:
            for line in lines(self.analysis, controller):
                one = own.setdefault((controller, line.signal.name.casefold()), _Own(line.signal))
                if line.link:
                    address = address_of(line)
                    if address:
                        one.by_address[address] = line.link
                    else:
                        one.others.append(line.link)
        return own

    def _changes(self, wanted: _Wanted, there: _Own | None) -> Iterator[CellChange]:
        old = there.signal if there else None
        if old is None or old.type != wanted.type:
            yield CellChange("Type", old.type if old else "", wanted.type)
        if not _begin_alike(old, wanted):
            yield CellChange("Initial value", old.initial if old else "", wanted.initial)
        addresses = [] if there is None else list(there.by_address)
        if sorted(addresses) != sorted(wanted.addresses):
            yield CellChange("Address", ", ".join(addresses), ", ".join(wanted.addresses))
        if old is None and wanted.note:
            yield CellChange("Comment", "", wanted.note)

    def _told(self, wanted: _Wanted, there: _Own | None, changes: tuple[CellChange, ...]) -> SignalTold:
        headings = {change.heading for change in changes}
        values: dict[str, Any] = {}
        if "Type" in headings:
            values["type"] = wanted.type
        if "Initial value" in headings:
            values["initial"] = wanted.initial or None
        links = self._links(wanted, there) if "Address" in headings else None
        if there is None and wanted.note:
            values["note"] = self._without_place(wanted.note, links)
        asked = WantedSignal(controller=wanted.controller.id, name=wanted.name, values=values, links=links)
        key = f"{wanted.controller.name}.{wanted.name}"
        return SignalTold(key, wanted.line, "changed" if there else "new", changes, asked)

    def _links(self, wanted: _Wanted, there: _Own | None) -> list[WantedLink]:
        known = there.by_address if there else {}
        kept = list(there.others) if there else []
        kept += [known[text] for text in wanted.addresses if text in known]
        links = [WantedLink(place=link.place, key=At.of(link).word, keeps_scaling=True) for link in kept]
        # One that moves takes its scaling along.
        moved = next((link.scaling for text, link in known.items() if text not in wanted.addresses), None)
        for text, count in wanted.addresses.items():
            if text not in known:
                place = self._place(wanted, text)
                scaling = (moved or _as_counted(count)) if count else None
                links.append(WantedLink(place=place.holder, key=place.word, scaling=scaling))
        return links

    def _place(self, wanted: _Wanted, text: str) -> FoundPlace:
        address = Address.read(text)
        if address is None:
            raise Refusal(f"{wanted.name}: {text} is no address of an image, such as %IX4.0 or %QW12.")
        found = self.finder.at_address(wanted.controller.id, address)
        if found is None:
            raise Refusal(f"{wanted.name}: nothing begins at {text} in the image of {wanted.controller.name}.")
        return found

    def _without_place(self, note: str, links: list[WantedLink] | None) -> str:
        """A comment that begins with what the place is called, as it went out of here, without that."""
        for link in links or ():
            place = place_of(self.reader, link.place, At.read(link.key))
            if place:
                note = note.removeprefix(in_words(self.reader, place)[0]).removeprefix(", ")
        return note


def _begin_alike(old: Signal | None, wanted: _Wanted) -> bool:
    """Whether both begin with the same, however it is written."""
    if old is None or old.initial == wanted.initial:
        return old is not None or not wanted.initial
    kind = DATA_TYPES.get(wanted.type)
    if kind is None:
        return False
    return literal_value(old.initial or "0", kind) == literal_value(wanted.initial or "0", kind)


def _as_counted(count: str) -> dict[str, Any]:
    """What a count scales to is said in no declaration: until somebody says it, the value is the count."""
    return {"raw_lo": 0, "raw_hi": 100, "lo": 0, "hi": 100, "raw_type": count}


def _member(name: str, kind: str) -> dict[str, str]:
    return {"name": name, "type": kind, "unit": "", "note": ""}
