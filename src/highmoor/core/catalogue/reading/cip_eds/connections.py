"""[Connection Manager] of an EDS. Source: CIP volume 1, 7-3.6.10; bit fields of the first two parameters there."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

from highmoor.core.catalogue.choices import (
    Assembly,
    ConfigurationChoice,
    ConnectionChoice,
    DataField,
    Direction,
    ExchangeChoice,
    RealTimeFormat,
    Span,
)
from highmoor.core.catalogue.reading.cip_eds.parameters import numbered, reference
from highmoor.core.catalogue.reading.cip_eds.paths import LogicalPath, read_path
from highmoor.core.catalogue.reading.cip_eds.syntax import Entry, Section
from highmoor.core.catalogue.reading.description import Problems
from highmoor.core.catalogue.reading.numerals import whole
from highmoor.core.catalogue.types import Parameter

_KINDS = ("connection", "proxyconnect", "proxiedconnect")
_APPLICATIONS = ((24, "listen only"), (25, "input only"), (26, "exclusive owner"), (27, "redundant owner"))
_TRIGGERS = ((16, "cyclic"), (17, "change of state"), (18, "application"))
_TRANSFERS = ("null", "multicast", "point-to-point")
_PRIORITIES = ("low", "high", "scheduled", "urgent")
_FORMATS: tuple[RealTimeFormat, ...] = (
    "modeless",
    "zero-length",
    "reserved",
    "heartbeat",
    "header-32",
    "safety",
    "reserved",
    "reserved",
)
# The largest data one packet carries; larger sizes in a file are a slip.
_OCTETS_AT_MOST = 65511
_RPI_AT_MOST_US = 2**32 - 1


@dataclass(frozen=True, slots=True)
class _Way:
    """Where one direction's facts stand: fields of the entry, bits of the connection parameters."""

    term: str
    direction: Direction
    rpi: int
    size: int
    layout: int
    fixed_bit: int
    format_bit: int
    transfer_bit: int
    priority_bit: int


_WAYS = (
    _Way("O→T", "out", 2, 3, 4, 0, 8, 16, 24),
    _Way("T→O", "in", 5, 6, 7, 2, 12, 20, 28),
)


class ConnectionReader:
    """Reads connection entries against the parameters and assemblies of the file."""

    def __init__(
        self, parameters: Mapping[str, Parameter], assemblies: Mapping[str, Assembly], problems: Problems
    ) -> None:
        self.parameters = parameters
        self.assemblies = assemblies
        self.problems = problems

    def read(
        self, sections: Iterable[Section], keep_unknown: Callable[[Section, Entry], None]
    ) -> tuple[ConnectionChoice, ...]:
        """Connections in the file's order; damaged ones are noted and left out."""
        found = []
        for section in sections:
            for entry in section.entries:
                name = numbered(entry.key)
                if name and name[0] in _KINDS:
                    choice = self._connection(f"{name[0]}{name[1]}", entry)
                    if choice:
                        found.append(choice)
                else:
                    keep_unknown(section, entry)
        return tuple(found)

    def _connection(self, key: str, entry: Entry) -> ConnectionChoice | None:
        trigger, bits = self._word(entry, 0, "trigger and transport"), self._word(entry, 1, "connection parameters")
        if trigger is None or bits is None:
            return None
        path = read_path(entry.at(14), self.parameters)
        if not path.whole:
            self.problems.warning(
                entry.line,
                f"{entry.key}: the path “{entry.at(14)[:60]}” contains what is not hex.",
            )
        points = self._points(entry, path, bits)
        exchanges = tuple(self._exchange(entry, way, bits, points.get(way.term)) for way in _WAYS)
        return ConnectionChoice(
            key=key,
            label=entry.at(12) or key,
            help=entry.at(13),
            applications=tuple(name for bit, name in _APPLICATIONS if trigger >> bit & 1),
            triggers=tuple(name for bit, name in _TRIGGERS if trigger >> bit & 1),
            transport_classes=tuple(number for number in range(7) if trigger >> number & 1),
            path=entry.at(14),
            exchanges=exchanges,
            configuration=self._configuration(entry, path),
            slot_octets_out=bits >> 4 & 3,
            slot_octets_in=bits >> 6 & 3,
        )

    def _word(self, entry: Entry, place: int, what: str) -> int | None:
        value = whole(entry.at(place)) if entry.at(place) else None
        if value is None or not 0 <= value < 2**32:
            self.problems.error(
                entry.line, f"{entry.key} cannot be used: its {what}, “{entry.at(place)[:40]}”, is no 32-bit word."
            )
            return None
        return value

    def _points(self, entry: Entry, path: LogicalPath, bits: int) -> dict[str, int]:
        """Connection points stand O→T first. One point alone belongs to the direction that carries anything."""
        if len(path.points) >= 2:
            return {"O→T": path.points[0], "T→O": path.points[1]}
        if len(path.points) == 1:
            has_out = bool(entry.at(3) or entry.at(4)) and whole(entry.at(3)) != 0
            return {"O→T" if has_out and not (entry.at(6) or entry.at(7)) else "T→O": path.points[0]}
        return {}

    def _exchange(self, entry: Entry, way: _Way, bits: int, point: int | None) -> ExchangeChoice:
        fixed, variable = bool(bits >> way.fixed_bit & 1), bool(bits >> (way.fixed_bit + 1) & 1)
        layout = reference(entry.at(way.layout))
        assembly = self.assemblies.get(layout)
        octets, fields = self._size(entry, way, layout, variable, bits)
        if entry.at(way.layout) and assembly is None and layout not in self.parameters:
            text = entry.at(way.layout)
            if layout:
                self.problems.error(entry.line, f"{entry.key}, {way.term}: {text[:40]} is not described in the file.")
            elif text.lower() != "module":
                self.problems.note(entry.line, f"{entry.key}, {way.term}: its format “{text[:40]}” is kept as text.")
        return ExchangeChoice(
            direction=way.direction,
            term=way.term,
            point=point,
            octets=octets,
            fixed_size=fixed,
            variable_size=variable,
            format=_FORMATS[bits >> way.format_bit & 7],
            transfers=tuple(name for n, name in enumerate(_TRANSFERS) if bits >> (way.transfer_bit + n) & 1),
            priorities=tuple(name for n, name in enumerate(_PRIORITIES) if bits >> (way.priority_bit + n) & 1),
            interval_us=self._span(entry, way.rpi, f"{way.term} RPI", _RPI_AT_MOST_US),
            assembly=layout if assembly else "",
            fields=fields,
        )

    def _size(
        self, entry: Entry, way: _Way, layout: str, variable: bool, bits: int
    ) -> tuple[Span, tuple[DataField, ...]]:
        """The size of one direction: given, a parameter's, or the sum of what its format names."""
        assembly = self.assemblies.get(layout)
        fields = assembly.fields if assembly else ()
        if entry.at(way.size):
            given = self._span(entry, way.size, f"{way.term} size", _OCTETS_AT_MOST)
            if variable and given.minimum == given.maximum and given.maximum is not None:
                given = Span(0, given.maximum, given.maximum)
            return given, fields
        if assembly and assembly.octets is not None:
            least = 0 if variable else assembly.octets
            return Span(least, assembly.octets, assembly.octets), fields
        parameter = self.parameters.get(layout)
        if parameter and parameter.bits:
            octets = (parameter.bits + 7) // 8
            field = DataField(parameter.key, parameter.label, 0, parameter.bits, parameter.data_type, parameter.key)
            return Span.fixed(octets), (field,)
        # Neither size nor format: a heartbeat carries nothing, anything else is open.
        empty = _FORMATS[bits >> way.format_bit & 7] in ("heartbeat", "zero-length")
        return (Span.fixed(0) if empty else Span()), fields

    def _span(self, entry: Entry, place: int, what: str, most: int) -> Span:
        """A constant, or a parameter's minimum, maximum and default; nothing where the field is empty."""
        text = entry.at(place)
        if text == "":
            return Span()
        value = whole(text)
        if value is not None:
            if 0 <= value <= most:
                return Span.fixed(value)
            self.problems.error(entry.line, f"{entry.key}: its {what} {text[:40]} is outside 0 … {most}.")
            return Span()
        parameter = self.parameters.get(reference(text))
        if parameter is None:
            if text.lower() != "module":
                self.problems.error(entry.line, f"{entry.key}: its {what}, “{text[:40]}”, is not in the file.")
            return Span()
        ends = [self._bound(value, most) for value in (parameter.minimum, parameter.maximum, parameter.default)]
        if parameter.choices and ends[0] is None and ends[1] is None:
            values = [value for value, _ in parameter.choices if 0 <= value <= most]
            ends[0], ends[1] = (min(values), max(values)) if values else (None, None)
        return Span(*ends)

    def _bound(self, value: object, most: int) -> int | None:
        return value if isinstance(value, int) and 0 <= value <= most else None

    def _configuration(self, entry: Entry, path: LogicalPath) -> ConfigurationChoice | None:
        """Configuration data in up to two parts, sent one behind the other."""
        parts = [
            (entry.at(size), reference(entry.at(layout)), size)
            for size, layout in ((8, 9), (10, 11))
            if entry.at(size) or entry.at(layout)
        ]
        point = path.instance if path.class_id == 4 else None
        if not parts and point is None:
            return None
        octets, names, fields, bit = Span.fixed(0), [], [], 0
        for text, layout, place in parts:
            assembly = self.assemblies.get(layout)
            if text:
                span = self._span(entry, place, "configuration size", _OCTETS_AT_MOST)
            else:
                span = Span.fixed(assembly.octets or 0) if assembly else Span()
            octets = Span(*(_sum(a, b) for a, b in zip(_ends(octets), _ends(span), strict=True)))
            if assembly:
                names.append(layout)
                fields += [_moved(field, bit, len(names)) for field in assembly.fields]
            bit += 8 * (span.default or 0)
        return ConfigurationChoice(point, octets, tuple(names), tuple(fields))


def _ends(span: Span) -> tuple[int | None, int | None, int | None]:
    return span.minimum, span.maximum, span.default


def _sum(one: int | None, other: int | None) -> int | None:
    return None if one is None or other is None else one + other


def _moved(field: DataField, bit: int, part: int) -> DataField:
    key = field.key if part == 1 else f"part{part}.{field.key}"
    return DataField(key, field.label, field.bit + bit, field.bits, field.data_type, field.parameter)
