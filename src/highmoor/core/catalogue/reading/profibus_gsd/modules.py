"""Modules of a GSD and their parameter octets. Source: IEC 61158-6-3, GSD specification, `Module … EndModule`."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

from highmoor.core.catalogue.choices import Identifier, ModuleChoice, ParameterPlace
from highmoor.core.catalogue.reading.description import Problems
from highmoor.core.catalogue.reading.numerals import whole
from highmoor.core.catalogue.reading.profibus_gsd.diagnosis import DiagnosisTexts
from highmoor.core.catalogue.reading.profibus_gsd.syntax import Statement
from highmoor.core.catalogue.types import Parameter
from highmoor.core.errors import Refusal
from highmoor.core.figures.profibus_identifier import identifiers_in

# A DP telegram carries 244 octets of parameters; with several blocks a file may place them further on.
_OCTETS_AT_MOST = 1024


@dataclass(slots=True)
class ParameterOctets:
    """Constant parameter octets and where described parameters lie over them."""

    constants: list[tuple[int, int, bytes]] = field(default_factory=list)
    references: list[tuple[int, int, int]] = field(default_factory=list)
    length: int | None = None
    plain: bytes = b""
    # The same of safety parameters (F_…) and of the extended block (X_…), by prefix.
    beside: dict[str, ParameterOctets] = field(default_factory=dict)

    def take(self, statement: Statement, problems: Problems) -> bool:
        """Read a statement about parameter octets; False when it is none."""
        name = statement.name
        if name[:2] in ("f_", "x_") and name[2:] in _OF_OCTETS:
            own = self.beside.setdefault(name[:2], ParameterOctets())
            return own.take(replace(statement, keyword=name[2:]), problems)
        if name == "user_prm_data":
            self.plain = statement.octets(problems)
        elif name in ("ext_user_prm_data_const", "ext_user_prm_data_ref"):
            at = whole(statement.index) if statement.index else 0
            if at is None or not 0 <= at < _OCTETS_AT_MOST:
                problems.error(
                    statement.line, f"{statement.keyword}({statement.index[:20]}): no place in the parameters."
                )
            elif name == "ext_user_prm_data_const":
                self.constants.append((statement.line, at, statement.octets(problems)))
            else:
                number = statement.number()
                if number is None:
                    problems.error(statement.line, f"{statement.keyword}: “{statement.value[:30]}” is not a reference.")
                else:
                    self.references.append((statement.line, at, number))
        elif name == "ext_module_prm_data_len":
            self.length = statement.number()
        else:
            return False
        return True

    def whole(self, parameters: dict[int, Parameter], length: int | None = None) -> bytes:
        """The octets in one row as they are sent unless something is set: constants, with the defaults of what is
        referred to laid over them. What is said the new way (Ext_User_Prm_Data) replaces the old."""
        wanted = min(max(length or 0, self.length or 0, 0), _OCTETS_AT_MOST)
        row = bytearray(wanted)
        old = [] if self.constants or self.references else [(0, 0, self.plain)]
        for _, at, octets in old + self.constants:
            end = min(at + len(octets), _OCTETS_AT_MOST)
            row.extend(bytes(max(end - len(row), 0)))
            row[at:end] = octets[: end - at]
        for _, at, number in self.references:
            parameter = parameters.get(number)
            if parameter and parameter.bits and isinstance(parameter.default, int):
                _lay(row, at, parameter.bit, parameter.bits, parameter.default)
        return bytes(row)

    def besides(self, parameters: dict[int, Parameter], problems: Problems) -> dict[str, Any]:
        """The safety and extended blocks as facts: octets in hex, places by parameter."""
        facts: dict[str, Any] = {}
        for prefix, own in self.beside.items():
            facts[f"{prefix}parameter_octets"] = own.whole(parameters).hex(" ").upper()
            places = [[place.parameter, place.octet] for place in own.places(parameters, problems)]
            if places:
                facts[f"{prefix}parameter_places"] = places
        return facts

    def places(self, parameters: dict[int, Parameter], problems: Problems) -> tuple[ParameterPlace, ...]:
        """Where each described parameter stands; the same one may stand in several places."""
        found = []
        for line, at, number in self.references:
            parameter = parameters.get(number)
            if parameter is None:
                problems.error(line, f"Octet {at} refers to parameter {number}, which the file does not describe.")
            else:
                found.append(ParameterPlace(parameter.key, at))
        return tuple(found)


_OF_OCTETS = ("ext_user_prm_data_const", "ext_user_prm_data_ref", "ext_module_prm_data_len", "user_prm_data")


def _lay(row: bytearray, octet: int, bit: int, bits: int, value: int) -> None:
    """A value into a row: within its octet, or over several, high octet first."""
    size = (bit + bits + 7) // 8
    end = min(octet + size, _OCTETS_AT_MOST)
    if end - octet < size:
        return
    row.extend(bytes(max(end - len(row), 0)))
    mask = (1 << bits) - 1
    there = int.from_bytes(row[octet:end], "big") & ~(mask << bit)
    row[octet:end] = (there | (value & mask) << bit).to_bytes(size, "big")


@dataclass(slots=True)
class ModuleBlock:
    """A module in the making."""

    line: int
    label: str
    octets: bytes
    reference: int | None = None
    preset: bool = False
    info: str = ""
    parameters: ParameterOctets = field(default_factory=ParameterOctets)
    diagnosis: DiagnosisTexts = field(default_factory=DiagnosisTexts)
    facts: dict[str, Any] = field(default_factory=dict)

    @classmethod
    def opened(cls, statement: Statement, problems: Problems) -> ModuleBlock:
        """`Module = "name" octet, octet, …`."""
        texts = statement.texts()
        if not texts:
            problems.error(statement.line, "A module has no name in quotation marks.")
        return cls(statement.line, texts[0].strip() if texts else "", statement.octets(problems))

    def take(self, statement: Statement, problems: Problems) -> bool:
        """Read a statement of the module; False when it is none of its own."""
        if not statement.has_value and not statement.index and whole(statement.keyword) is not None:
            self.reference = whole(statement.keyword)
        elif statement.name == "preset":
            self.preset = statement.number() == 1
        elif statement.name == "info_text":
            self.info = statement.text()
        else:
            return self.parameters.take(statement, problems)
        return True

    def choice(self, parameters: dict[int, Parameter], problems: Problems) -> ModuleChoice | None:
        """The finished module; None, with the problem noted, when its identifiers cannot be read."""
        try:
            identifiers = [
                Identifier(octets.hex(" ").upper(), sizes.in_octets, sizes.out_octets, sizes.consistent)
                for octets, sizes in identifiers_in(self.octets)
            ]
        except Refusal as refusal:
            problems.error(self.line, f"Module “{self.label}” cannot be used. {refusal.reason}")
            return None
        if not identifiers:
            problems.error(self.line, f"Module “{self.label}” cannot be used: it has no configuration identifier.")
            return None
        carrying = [i for i in identifiers if i.in_octets or i.out_octets]
        return ModuleChoice(
            key=f"m{self.reference}" if self.reference is not None else self.label,
            label=self.label,
            reference=self.reference,
            identifiers=tuple(identifiers),
            in_octets=sum(i.in_octets for i in identifiers),
            out_octets=sum(i.out_octets for i in identifiers),
            consistent=bool(carrying) and all(i.consistent for i in carrying),
            info=self.info,
            preset=self.preset,
            parameter_octets=self.parameters.whole(parameters).hex(" ").upper(),
            parameters=self.parameters.places(parameters, problems),
            diagnosis=self.diagnosis.all(),
            facts={**self.facts, **self.parameters.besides(parameters, problems)},
        )

    @staticmethod
    def named(choice: ModuleChoice, key: str) -> ModuleChoice:
        """The same module under another key."""
        return replace(choice, key=key)
