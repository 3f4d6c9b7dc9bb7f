"""Parameter descriptions of a GSD: `PrmText`, `ExtUserPrmData`. Source: IEC 61158-6-3, GSD specification."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from highmoor.core.catalogue.reading.description import Problems
from highmoor.core.catalogue.reading.numerals import is_hexadecimal, whole
from highmoor.core.catalogue.reading.profibus_gsd.syntax import Statement, ranges
from highmoor.core.catalogue.types import Parameter

_SIZES = {
    "unsigned8": ("USINT", 8),
    "unsigned16": ("UINT", 16),
    "unsigned32": ("UDINT", 32),
    "signed8": ("SINT", 8),
    "signed16": ("INT", 16),
    "signed32": ("DINT", 32),
}
_TYPE = re.compile(r"\s*([A-Za-z]+[0-9]*)\s*(?:\(\s*([0-9]+)\s*(?:-\s*([0-9]+)\s*)?\))?\s*(.*)\Z", re.DOTALL)
_DEFAULT = re.compile(r"\s*([+-]?(?:0[xX][0-9A-Fa-f]+|[0-9]+))\s*,?\s*(.*)\Z", re.DOTALL)


def _from_pattern(value: int | None, text: str, bits: int, signed: bool) -> int | None:
    if value is not None and signed and is_hexadecimal(text) and 1 << (bits - 1) <= value < 1 << bits:
        return value - (1 << bits)
    return value


_ENDS = re.compile(r"([+-]?(?:0[xX][0-9A-Fa-f]+|[0-9]+))(?:\s*-\s*([+-]?(?:0[xX][0-9A-Fa-f]+|[0-9]+)))?")


def _signed_ranges(text: str, bits: int) -> list[tuple[int, int]]:
    """As `ranges`, each end in hex taken for its bit pattern: 0x8000-0x7FFF is the whole of an INT."""
    found = []
    for match in _ENDS.finditer(text):
        low = _from_pattern(whole(match[1]), match[1], bits, True)
        high = _from_pattern(whole(match[2]), match[2], bits, True) if match[2] else low
        if low is not None and high is not None:
            found.append((min(low, high), max(low, high)))
    return found


@dataclass(slots=True)
class ParameterBlock:
    """An `ExtUserPrmData` in the making."""

    line: int
    number: int
    label: str
    data_type: str = ""
    bit: int = 0
    bits: int = 0
    default: int | None = None
    allowed: list[tuple[int, int]] = field(default_factory=list)
    text_ref: int | None = None
    changeable: bool = True
    visible: bool = True

    @property
    def key(self) -> str:
        """`p12` for the description with reference number 12."""
        return f"p{self.number}"

    def take(self, statement: Statement, problems: Problems) -> bool:
        """Read one statement of the block; False when it does not belong here."""
        if statement.name == "prm_text_ref":
            self.text_ref = statement.number()
        elif statement.name == "changeable":
            self.changeable = statement.number() != 0
        elif statement.name == "visible":
            self.visible = statement.number() != 0
        elif statement.name in ("bit", "bitarea") or statement.name in _SIZES:
            self._typed(statement, problems)
        else:
            return False
        return True

    def _typed(self, statement: Statement, problems: Problems) -> None:
        if statement.name in _SIZES:
            self.data_type, self.bits = _SIZES[statement.name]
        else:
            places = ranges(statement.index)
            low, high = places[0] if places else (0, 0)
            if not places or not 0 <= low <= high <= 7:
                problems.error(statement.line, f"{statement.keyword}({statement.index[:20]}) is not a bit of an octet.")
                low = high = 0
            self.data_type = "BOOL" if statement.name == "bit" else "BYTE"
            self.bit, self.bits = low, high - low + 1
        found = _DEFAULT.match(statement.value)
        # A signed value in hex is its bit pattern.
        signed = self.data_type in ("SINT", "INT", "DINT")
        self.default = _from_pattern(whole(found[1]), found[1], self.bits, signed) if found else None
        self.allowed = _signed_ranges(found[2], self.bits) if found and signed else ranges(found[2]) if found else []
        if self.default is None:
            problems.error(statement.line, f"Parameter {self.number}, {self.label}: it has no default value.")

    def parameter(self, texts: dict[int, tuple[tuple[int, str], ...]], problems: Problems) -> Parameter:
        """The finished parameter; texts outside the allowed values are left out."""
        if not self.bits:
            problems.error(self.line, f"Parameter {self.number}, {self.label}: its data type is missing.")
        choices = texts.get(self.text_ref, ()) if self.text_ref is not None else ()
        if self.text_ref is not None and self.text_ref not in texts:
            problems.error(self.line, f"Parameter {self.number}, {self.label}: there is no text list {self.text_ref}.")
        if self.allowed:
            choices = tuple(c for c in choices if any(low <= c[0] <= high for low, high in self.allowed))
            if self.default is not None and not any(low <= self.default <= high for low, high in self.allowed):
                shown = ", ".join(str(a) if a == b else f"{a} … {b}" for a, b in self.allowed)
                problems.warning(
                    self.line, f"Parameter {self.number}, {self.label}: its default {self.default} is not in {shown}."
                )
        return Parameter(
            key=self.key,
            label=self.label or self.key,
            default=self.default,
            choices=choices,
            minimum=min((low for low, _ in self.allowed), default=None),
            maximum=max((high for _, high in self.allowed), default=None),
            allowed=tuple(self.allowed),
            data_type=self.data_type,
            bit=self.bit,
            bits=self.bits or None,
            access="read-write" if self.changeable else "read",
            hidden=not self.visible,
        )
