"""A PROFIBUS GSD as a device type. Source: IEC 61158-6-3, GSD specification revisions 1 to 5."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from highmoor.core.catalogue.choices import Limits, ModuleChoice, SlotChoice
from highmoor.core.catalogue.reading.description import Description, Problems, UnknownEntry, Unreadable, Vendor
from highmoor.core.catalogue.reading.numerals import whole
from highmoor.core.catalogue.reading.profibus_gsd.diagnosis import DiagnosisTexts
from highmoor.core.catalogue.reading.profibus_gsd.keywords import BAUD_RATES, LISTS, NUMBERS, TEXTS
from highmoor.core.catalogue.reading.profibus_gsd.modules import ModuleBlock, ParameterOctets
from highmoor.core.catalogue.reading.profibus_gsd.parameters import ParameterBlock
from highmoor.core.catalogue.reading.profibus_gsd.syntax import Statement, ranges, statements
from highmoor.core.catalogue.types import DeviceType, Parameter

FAMILY = "profibus-gsd"
READER_VERSION = 2
_UNKNOWN_AT_MOST = 2000
_MODULES_AT_MOST = 20_000
_FIELDBUS = "profibus-dp"
# The last letter of the file's extension names the language of its texts.
_LANGUAGES = {
    "d": "default",
    "e": "English",
    "f": "French",
    "g": "German",
    "i": "Italian",
    "p": "Portuguese",
    "s": "Spanish",
}
_BLOCKS = {
    "prmtext": "endprmtext",
    "extuserprmdata": "endextuserprmdata",
    "module": "endmodule",
    "slotdefinition": "endslotdefinition",
    "unitdiagtype": "endunitdiagtype",
    "unit_diag_area": "unit_diag_area_end",
    "x_unit_diag_area": "x_unit_diag_area_end",
    "physical_interface": "end_physical_interface",
}
_ENDS = {end: begin for begin, end in _BLOCKS.items()}
_NESTED = {"unit_diag_area", "x_unit_diag_area"}


def looks_like(text: str) -> bool:
    """Whether a text is a GSD: its first keyword, or the two no GSD can do without."""
    head = text[:200_000].lower()
    return "#profibus_dp" in head or ("ident_number" in head and "vendor_name" in head)


def read(text: str, encoding: str = "", name: str = "") -> Description:
    """The description in a GSD; `name` tells the language. Raises Unreadable for a file without a device."""
    return _Reader(encoding, name).description(text)


@dataclass(slots=True)
class _Area:
    """A diagnosis area in the making: bits low … high, a text a value."""

    low: int
    high: int


@dataclass(slots=True)
class _Block:
    kind: str
    line: int
    number: int = 0
    area: _Area | None = None
    parameter: ParameterBlock | None = None
    module: ModuleBlock | None = None
    texts: dict[int, str] = field(default_factory=dict)


class _Reader:
    def __init__(self, encoding: str, name: str) -> None:
        self.encoding = encoding
        self.language = _LANGUAGES.get(name[-1:].lower(), "") if re.search(r"\.gs.$", name.lower()) else ""
        self.problems = Problems()
        self.unknown: list[UnknownEntry] = []
        self.facts: dict[str, Any] = {}
        self.lines: dict[str, int] = {}
        self.texts: dict[int, tuple[tuple[int, str], ...]] = {}
        self.parameters: dict[int, ParameterBlock] = {}
        self.modules: list[ModuleBlock] = []
        self.slots: list[tuple[int, int, str, int | None, list[tuple[int, int]]]] = []
        self.octets = ParameterOctets()
        self.diagnosis = DiagnosisTexts()
        self.typed_diagnosis: dict[str, DiagnosisTexts] = {}
        self.blocks: list[_Block] = []

    def description(self, text: str) -> Description:
        for statement in statements(text, self.problems):
            self._take(statement)
        for block in reversed(self.blocks):
            self.problems.error(block.line, f"{_shown(block)} is not ended by the end of the file.")
        while self.blocks:
            self._close()
        if not self.facts and not self.modules:
            raise Unreadable("The file has no statement of a GSD that could be read.")
        device = self._device()
        return Description(
            family=FAMILY,
            vendor=Vendor(None, str(self._fact("vendor_name") or "")),
            devices=(device,),
            problems=self.problems.all(),
            unknown=tuple(self.unknown),
            file_revision=str(self._fact("gsd_revision") or ""),
            encoding=self.encoding,
        )

    # Statements

    def _take(self, statement: Statement) -> None:
        name = statement.name
        if name == "#profibus_dp" or name.startswith("#"):
            return
        if name in _ENDS:
            self._ended(statement)
            return
        if (name in _BLOCKS and statement.has_value) or name == "slotdefinition":
            self._opened(statement)
            return
        while self.blocks:
            if self._inside(self.blocks[-1], statement):
                return
            if self.blocks[-1].kind == "module" or not self._belongs_above(statement):
                break
            self._unclosed(statement)
        if self.blocks and self.blocks[-1].kind != "unitdiagtype" and self.blocks[-1].kind != "module":
            self._keep(statement)
            return
        self._outside(statement)

    def _belongs_above(self, statement: Statement) -> bool:
        """Whether a statement inside a block is one of the station's own, so that the block's end was forgotten."""
        return statement.name in TEXTS or statement.name in NUMBERS

    def _unclosed(self, statement: Statement) -> None:
        block = self.blocks[-1]
        self.problems.error(block.line, f"{_shown(block)} is not ended before line {statement.line}.")
        self._close()

    def _opened(self, statement: Statement) -> None:
        kind = statement.name
        while self.blocks and not (kind in _NESTED and self.blocks[-1].kind in ("unitdiagtype", "module")):
            self._unclosed(statement)
        block = _Block(kind, statement.line, statement.number() or 0)
        if kind == "extuserprmdata":
            texts = statement.texts()
            block.parameter = ParameterBlock(statement.line, block.number, texts[0].strip() if texts else "")
        elif kind == "module":
            block.module = ModuleBlock.opened(statement, self.problems)
        elif kind in _NESTED:
            places = ranges(statement.value)
            low, high = (places[0][0], places[-1][1]) if places else (0, 0)
            if not places or not 0 <= low <= high < 8 * 244:
                self.problems.error(statement.line, f"{statement.keyword}: “{statement.value[:30]}” names no bits.")
            block.area = _Area(low, high)
        self.blocks.append(block)

    def _ended(self, statement: Statement) -> None:
        wanted = _ENDS[statement.name]
        if not any(block.kind == wanted for block in self.blocks):
            self.problems.error(statement.line, f"{statement.keyword} ends nothing that was begun.")
            return
        while self.blocks[-1].kind != wanted:
            self._unclosed(statement)
        self._close()

    def _close(self) -> None:
        block = self.blocks.pop()
        if block.kind == "prmtext":
            self.texts[block.number] = tuple(block.texts.items())
        elif block.parameter:
            if block.number in self.parameters:
                self.problems.warning(
                    block.line, f"Parameter {block.number} is described twice; the later one is taken."
                )
            self.parameters[block.number] = block.parameter
        elif block.module:
            if len(self.modules) >= _MODULES_AT_MOST:
                raise Unreadable(f"More than {_MODULES_AT_MOST} modules in one file.", block.line)
            self.modules.append(block.module)

    def _inside(self, block: _Block, statement: Statement) -> bool:
        """A statement inside a block; False when it is none of the block's."""
        kind = block.kind
        if kind == "prmtext" and statement.name == "text":
            value = whole(statement.index)
            if value is None:
                self.problems.error(statement.line, f"Text({statement.index[:20]}): no value.")
            else:
                block.texts[value] = statement.text()
            return True
        if block.parameter:
            return block.parameter.take(statement, self.problems)
        if kind == "slotdefinition" and statement.name == "slot":
            self._slot(statement)
            return True
        if kind in _NESTED and statement.name in ("value", "x_value"):
            self._area_value(block, statement)
            return True
        if kind == "physical_interface":
            self.facts.setdefault(f"physical_interface_{block.number}", {})[statement.keyword] = statement.value[:200]
            return True
        if block.module:
            return block.module.take(statement, self.problems) or self._diagnosis(statement)
        return kind == "unitdiagtype" and self._diagnosis(statement)

    def _outside(self, statement: Statement) -> None:
        name = statement.name
        if self.blocks and self.blocks[-1].module:
            self.blocks[-1].module.facts[statement.keyword] = statement.text()[:400]
            self._keep(statement)
        elif self.octets.take(statement, self.problems) or self._diagnosis(statement):
            return
        elif name in TEXTS:
            self._fact_of(statement, statement.text())
        elif name in NUMBERS or name in LISTS or _baud(name):
            value = statement.number()
            if value is None:
                self.problems.error(statement.line, f"{statement.keyword}: “{statement.value[:40]}” is not a number.")
            self._fact_of(statement, value)
        else:
            self._fact_of(statement, statement.text()[:400])
            self._keep(statement)

    def _fact_of(self, statement: Statement, value: Any) -> None:
        name = statement.name
        if name in self.facts and self.facts[name] != value:
            self.problems.warning(
                statement.line,
                f"{statement.keyword} stands twice, on line {self.lines[name]} as well; this one is taken.",
            )
        self.facts[name] = value
        self.lines[name] = statement.line

    def _keep(self, statement: Statement) -> None:
        if len(self.unknown) < _UNKNOWN_AT_MOST:
            section = _shown(self.blocks[-1]) if self.blocks else ""
            key = f"{statement.keyword}({statement.index})" if statement.index else statement.keyword
            self.unknown.append(UnknownEntry(statement.line, section, key, (statement.value[:400],)))

    def _slot(self, statement: Statement) -> None:
        numbers = ranges(statement.index)
        texts = statement.texts()
        rest = re.sub(r'"[^"]*"', " ", statement.value, count=1).strip()
        first = re.match(r"(0[xX][0-9A-Fa-f]+|[0-9]+)\s*,?\s*(.*)\Z", rest, re.DOTALL)
        if not numbers or first is None:
            self.problems.error(statement.line, f"Slot({statement.index[:20]}) names no slot, or no module for it.")
            return
        default = whole(first[1])
        allowed = ranges(first[2])
        self.slots.append((statement.line, numbers[0][0], texts[0] if texts else "", default, allowed))

    def _into(self) -> DiagnosisTexts:
        """Where diagnosis texts belong now: to the module being read, to a type of diagnosis, or to the station."""
        owner = next((block for block in reversed(self.blocks) if block.kind in ("module", "unitdiagtype")), None)
        if owner is not None and owner.module:
            return owner.module.diagnosis
        return self.typed_diagnosis.setdefault(str(owner.number), DiagnosisTexts()) if owner else self.diagnosis

    def _diagnosis(self, statement: Statement) -> bool:
        return self._into().take(statement, self.problems)

    def _area_value(self, block: _Block, statement: Statement) -> None:
        if block.area:
            self._into().take_area(statement, block.area.low, block.area.high, self.problems)

    # The device

    def _fact(self, name: str) -> Any:
        return self.facts.get(name)

    def _number(self, name: str) -> int | None:
        value = self.facts.get(name)
        return value if isinstance(value, int) else None

    def _device(self) -> DeviceType:
        ident = self._number("ident_number")
        if ident is None or not 0 <= ident <= 0xFFFF:
            self.problems.error(self.lines.get("ident_number", 0), "The file gives no Ident_Number of 16 bits.")
            ident = None
        parameters = {n: block.parameter(self.texts, self.problems) for n, block in self.parameters.items()}
        modules = self._modules(parameters)
        name = str(self._fact("model_name") or "unnamed device")
        revision = str(self._fact("revision") or "")
        order = next((str(self.facts[k]) for k in ("ordernumber", "order_number", "orderno") if k in self.facts), "")
        if self.language:
            self.facts["language"] = self.language
        if self.typed_diagnosis:
            self.facts["unit_diag_types"] = {n: texts.plain() for n, texts in self.typed_diagnosis.items()}
        return DeviceType(
            key=f"{FAMILY}.{'xxxx' if ident is None else f'{ident:04x}'}",
            kind="device",
            name=name,
            order_number=order,
            maker=str(self._fact("vendor_name") or ""),
            vendor_id=0,
            summary=str(self._fact("info_text") or ""),
            revisions=(revision,) if revision else (),
            fieldbus=_FIELDBUS,
            product_code=ident,
            parameters=tuple(parameters.values()),
            modules=modules,
            slots=self._slots(modules),
            limits=self._limits(modules),
            parameter_octets=self.octets.whole(parameters, self._number("user_prm_data_len")).hex(" ").upper(),
            parameter_places=self.octets.places(parameters, self.problems),
            diagnosis=self.diagnosis.all(),
            picture=str(self._fact("bitmap_device") or ""),
            facts={**self.facts, **self.octets.besides(parameters, self.problems)},
        )

    def _modules(self, parameters: dict[int, Parameter]) -> tuple[ModuleChoice, ...]:
        found: dict[str, ModuleChoice] = {}
        for block in self.modules:
            choice = block.choice(parameters, self.problems)
            if choice is None:
                continue
            key, number = choice.key, 2
            while key in found:
                key, number = f"{choice.key}#{number}", number + 1
            if key != choice.key:
                self.problems.warning(block.line, f"Module {choice.label}: another one has the same number or name.")
            found[key] = choice if key == choice.key else block.named(choice, key)
        return tuple(found.values())

    def _slots(self, modules: tuple[ModuleChoice, ...]) -> tuple[SlotChoice, ...]:
        by_reference = {module.reference: module.key for module in modules if module.reference is not None}
        slots = []
        for line, number, label, default, allowed in self.slots:
            keys = [key for ref, key in by_reference.items() if any(low <= ref <= high for low, high in allowed)]
            first = by_reference.get(default, "") if default is not None else ""
            if default is not None and not first:
                self.problems.error(line, f"Slot({number}): there is no module {default}.")
            if first and first not in keys:
                keys.insert(0, first)
            slots.append(SlotChoice(number, label, first, tuple(keys)))
        return tuple(slots)

    def _limits(self, modules: tuple[ModuleChoice, ...]) -> Limits:
        modular = self._number("modular_station") == 1
        # A compact station has what the largest of its configurations has, where the file does not say.
        compact = () if modular else modules
        most_in = max((m.in_octets for m in compact), default=None)
        most_out = max((m.out_octets for m in compact), default=None)
        in_octets, out_octets = self._number("max_input_len"), self._number("max_output_len")
        interval = self._number("min_slave_intervall")
        return Limits(
            # Min_Slave_Intervall counts in 100 µs.
            min_interval_us=None if interval is None else 100 * interval,
            modules=self._number("max_module") if modular else 1,
            in_octets=most_in if in_octets is None else in_octets,
            out_octets=most_out if out_octets is None else out_octets,
            data_octets=self._number("max_data_len"),
            parameter_octets=self._number("max_user_prm_data_len"),
            diagnosis_octets=self._number("max_diag_data_len"),
            baud_rates=tuple(rate for name, rate in BAUD_RATES.items() if self._number(f"{name}_supp") == 1),
            reply_bit_times={
                str(rate): bits
                for name, rate in BAUD_RATES.items()
                if (bits := self._number(f"maxtsdr_{name}")) is not None
            },
        )


def _baud(name: str) -> bool:
    return name.removesuffix("_supp") in BAUD_RATES or name.removeprefix("maxtsdr_") in BAUD_RATES


_NAMES: dict[str, Callable[[_Block], str]] = {
    "module": lambda block: f"Module “{block.module.label if block.module else ''}”",
    "extuserprmdata": lambda block: f"ExtUserPrmData {block.number}",
    "prmtext": lambda block: f"PrmText {block.number}",
    "slotdefinition": lambda block: "SlotDefinition",
    "unitdiagtype": lambda block: f"UnitDiagType {block.number}",
    "unit_diag_area": lambda block: "Unit_Diag_Area",
    "x_unit_diag_area": lambda block: "X_Unit_Diag_Area",
    "physical_interface": lambda block: f"Physical_Interface {block.number}",
}


def _shown(block: _Block) -> str:
    return _NAMES[block.kind](block)
