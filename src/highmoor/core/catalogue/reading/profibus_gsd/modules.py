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

    def take(self, statement: Statement, problems: Problems) -> bool:
        """Read a statement about parameter octets; False when it is none."""
        name = statement.name
        if name == "user_prm_data":
            self.constants.append((statement.line, 0, statement.octets(problems)))
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
                    problems.error(statement.line, f"{statement.keyword}: “{statement.value[:30]}” is no reference.")
                else:
                    self.references.append((statement.line, at, number))
        elif name == "ext_module_prm_data_len":
            self.length = statement.number()
        else:
            return False
        return True

    def whole(self, length: int | None = None) -> bytes:
        """The constant octets in one row, of the length given and at least as long as what is placed in them."""
        wanted = min(max(length or 0, self.length or 0, 0), _OCTETS_AT_MOST)
        row = bytearray(wanted)
        for _, at, octets in self.constants:
            end = min(at + len(octets), _OCTETS_AT_MOST)
            row.extend(bytes(max(end - len(row), 0)))
            row[at:end] = octets[: end - at]
        return bytes(row)

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
            parameter_octets=self.parameters.whole().hex(" ").upper(),
            parameters=self.parameters.places(parameters, problems),
            diagnosis=self.diagnosis.all(),
            facts=self.facts,
        )

    @staticmethod
    def named(choice: ModuleChoice, key: str) -> ModuleChoice:
        """The same module under another key."""
        return replace(choice, key=key)
