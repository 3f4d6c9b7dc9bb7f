"""[Assembly] of an EDS. Source: CIP volume 1, 7-3.6.9: sizes of assemblies in octets, of members in bits."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

from highmoor.core.catalogue.choices import Assembly, DataField
from highmoor.core.catalogue.reading.cip_eds.parameters import numbered, reference
from highmoor.core.catalogue.reading.cip_eds.paths import read_path
from highmoor.core.catalogue.reading.cip_eds.syntax import Entry, Section
from highmoor.core.catalogue.reading.description import Problems
from highmoor.core.catalogue.reading.numerals import whole
from highmoor.core.catalogue.types import Parameter

_KINDS = ("assem", "proxyassem", "proxiedassem")
_FIELDS_AT_MOST = 4096
_DEPTH_AT_MOST = 8
# What an assembly can hold: far more than one connection carries.
_BITS_AT_MOST = 65535 * 8


@dataclass(slots=True)
class _Expanded:
    fields: list[DataField]
    bits: int


class AssemblyReader:
    """Reads assemblies, members of members included."""

    def __init__(self, parameters: Mapping[str, Parameter], problems: Problems) -> None:
        self.parameters = parameters
        self.problems = problems
        self.entries: dict[str, Entry] = {}
        self._known: dict[str, _Expanded] = {}

    def read(self, sections: Iterable[Section], keep_unknown: Callable[[Section, Entry], None]) -> dict[str, Assembly]:
        """Assemblies by reference (`assem100`)."""
        for section in sections:
            for entry in section.entries:
                name = numbered(entry.key)
                if name and name[0] in _KINDS:
                    self.entries[f"{name[0]}{name[1]}"] = entry
                else:
                    keep_unknown(section, entry)
        return {key: self._assembly(key, entry) for key, entry in self.entries.items()}

    def _assembly(self, key: str, entry: Entry) -> Assembly:
        expanded = self._expanded(key, ())
        octets = self._octets(entry)
        summed = (expanded.bits + 7) // 8
        if octets is None:
            octets = summed
        elif expanded.bits and octets < summed:
            self.problems.warning(
                entry.line, f"{entry.key}: its members take {expanded.bits} bits, the {octets} octets it has are fewer."
            )
        path = read_path(entry.at(1), self.parameters) if entry.at(1) else None
        return Assembly(key, entry.at(0) or key, path.instance if path else None, octets, tuple(expanded.fields))

    def _octets(self, entry: Entry) -> int | None:
        """The size in octets; None when it is left empty, which means the sum of the members."""
        text = entry.at(2)
        if text == "":
            return None
        value = whole(text)
        if value is None and reference(text) in self.parameters:
            given = self.parameters[reference(text)].default
            value = given if isinstance(given, int) else None
        if value is None or not 0 <= value <= 65535:
            self.problems.error(entry.line, f"{entry.key}: its size “{text[:40]}” is not a number of octets.")
            return None
        return value

    def _expanded(self, key: str, above: tuple[str, ...]) -> _Expanded:
        if key in self._known:
            return self._known[key]
        entry = self.entries[key]
        result = _Expanded([], 0)
        for place in range(6, len(entry.fields), 2):
            self._member(result, key, entry, entry.fields[place], entry.at(place + 1), above)
            if len(result.fields) > _FIELDS_AT_MOST or result.bits > _BITS_AT_MOST:
                self.problems.error(
                    entry.line, f"{entry.key} has more members than {_FIELDS_AT_MOST}, or is too large."
                )
                break
        self._known[key] = result
        return result

    def _member(
        self, result: _Expanded, key: str, entry: Entry, size: str, target: str, above: tuple[str, ...]
    ) -> None:
        if size == "" and target == "":
            return
        bits = whole(size) if size else None
        if size and (bits is None or not 0 <= bits <= _BITS_AT_MOST):
            self.problems.error(entry.line, f"{entry.key}: the member size “{size[:40]}” is not a number of bits.")
            bits = None
        named = reference(target)
        if named in self.entries and named not in self.parameters:
            self._nested(result, key, entry, bits, named, above)
            return
        parameter = self.parameters.get(named)
        if named and parameter is None:
            self.problems.error(entry.line, f"{entry.key} refers to {target[:40]}, which the file does not describe.")
        if bits is None:
            bits = (parameter.bits or 0) if parameter else 0
        label = parameter.label if parameter else target
        stem = named or ("pad" if not target else "member")
        field = DataField(
            _fresh_key(stem, result),
            label,
            result.bits,
            bits,
            parameter.data_type if parameter else "",
            parameter.key if parameter else "",
        )
        result.fields.append(field)
        result.bits += bits

    def _nested(
        self, result: _Expanded, key: str, entry: Entry, bits: int | None, named: str, above: tuple[str, ...]
    ) -> None:
        if named == key or named in above or len(above) >= _DEPTH_AT_MOST:
            self.problems.error(entry.line, f"{entry.key} contains itself by way of {named}.")
            return
        inner = self._expanded(named, (*above, key))
        stem = _fresh_key(named, result)
        for field in inner.fields[:_FIELDS_AT_MOST]:
            result.fields.append(
                DataField(
                    f"{stem}.{field.key}",
                    field.label,
                    result.bits + field.bit,
                    field.bits,
                    field.data_type,
                    field.parameter,
                )
            )
        result.bits += inner.bits if bits is None else bits


def _fresh_key(stem: str, result: _Expanded) -> str:
    """A key that stays the same while the file does: the reference, counted where it stands more than once."""
    if stem in ("pad", "member"):
        return f"{stem}{result.bits}"
    used = {field.key.partition(".")[0] for field in result.fields[-256:]}
    if stem not in used:
        return stem
    number = 2
    while f"{stem}#{number}" in used:
        number += 1
    return f"{stem}#{number}"
