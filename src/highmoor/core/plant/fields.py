"""What can be set on an object: the specification of a field, and reading what was typed into it."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, Literal

from highmoor.core.errors import Refusal
from highmoor.core.numbers import parse_number, plain, shown

FieldSection = Literal[
    "", "parameter", "wiring", "cabinet", "data", "bus", "bounds", "travel", "homing", "drive", "sheet", "arms",
    "wrist", "frame", "straight", "pair", "safety", "failing",
]  # fmt: skip
FieldKind = Literal["text", "note", "identifier", "integer", "number", "choice", "boolean", "special"]


@dataclass(frozen=True, slots=True)
class Choice:
    """A value that may be chosen, and why not if it may not."""

    value: Any
    label: str
    disabled: str = ""


@dataclass(frozen=True, slots=True)
class FieldSpec:
    """One settable field. `path` is dotted into JSON fields; `default` shows what holds when nothing is set.

    `read(text)` turns something typed into the stored value and raises Refusal; without it the kind decides.
    `channel` is the key of the channel the field belongs to, `section` the part of the form it stands in.
    `show(value)` gives what stands beside the value: the other base, the other way of writing it. A field with a
    `window` is a choice of time, of which it can be told how far it may go. What is `made` with the row by an edit of
    structure stands in no form and is never set. What is `counted` is nothing that anybody reads in another base.
    """

    path: str
    label: str
    kind: FieldKind
    default: Any = None
    unit: str = ""
    minimum: float | None = None
    maximum: float | None = None
    choices: tuple[Choice, ...] = ()
    term: str = ""
    hint: str = ""
    source: Literal["own", "type", "line"] = "own"
    optional: bool = False
    restart: bool = False
    disabled: str = ""
    channel: str = ""
    section: FieldSection = ""
    read: Callable[[Any], Any] | None = None
    show: Callable[[Any], str] | None = None
    window: bool = False
    made: bool = False
    counted: bool = False

    def parse(self, given: Any) -> Any:
        """The value to store for what was typed or sent. Raises Refusal with the reason and the value."""
        if self.disabled:
            raise Refusal(f"{self.label} cannot be set: {self.disabled}", field=self.path, value=given)
        if given is None or (given == "" and self.kind not in ("text", "note")):
            if self.optional:
                # A text of the row itself is cleared by being empty: the column holds no null.
                text = self.kind in ("text", "note") or self.default == ""
                return "" if text and "." not in self.path else None
            raise Refusal(f"{self.label} is needed.", field=self.path, value=given)
        try:
            return self.read(given) if self.read else _READERS[self.kind](self, given)
        except Refusal as refusal:
            raise Refusal(refusal.reason, place=refusal.place, field=self.path, value=given) from None

    def restored(self, stored: Any) -> Any:
        """The value of a row from outside, held to what an edit could have stored. Raises Refusal.

        Whether it may be set now is not asked: what stands in the way of a choice today did not when it was made.
        """
        if self.kind in ("integer", "number") and (isinstance(stored, bool) or not isinstance(stored, int | float)):
            raise Refusal(f"{self.label}: a number is needed.", field=self.path, value=stored)
        if self.kind == "choice" and self.read is None:
            for choice in self.choices:
                if type(choice.value) is type(stored) and choice.value == stored:
                    return stored
        return (replace(self, disabled="") if self.disabled else self).parse(stored)

    def beside(self, value: Any) -> str:
        """What to show beside the value in quieter ink."""
        if value is None:
            return ""
        if self.show:
            return self.show(value)
        if self.kind == "integer" and isinstance(value, int) and value > 9 and not self.counted:
            return f"16#{value:X}"
        return ""


# IEC 61131-3:2013, table C.2: words that no identifier may be.
_KEYWORDS_TEXT = """
    and or xor not mod if then else elsif end_if case of end_case for to by do end_for while end_while repeat
    until end_repeat exit return continue function end_function function_block end_function_block program
    end_program var end_var var_input var_output var_in_out var_global var_external var_temp retain constant array
    struct end_struct type end_type string wstring bool byte word dword lword sint int dint lint usint uint udint
    ulint real lreal time date tod dt true false at
"""
_KEYWORDS = frozenset(_KEYWORDS_TEXT.split())


def identifier_problem(name: str) -> str:
    """Why `name` is no IEC 61131-3 identifier (6.1.2), or "" when it is one."""
    if not name:
        return "A name is needed."
    if not re.fullmatch(r"[A-Za-z_][A-Za-z0-9_]*", name):
        bad = next((c for c in name if not re.match(r"[A-Za-z0-9_]", c)), None)
        if bad is None:
            return f"“{name}” begins with a digit; a name begins with a letter or underscore."
        return f"“{name}” contains “{bad}”; letters A–Z, digits and underscores are allowed."
    if "__" in name or name.endswith("_"):
        return f"“{name}” has two underscores together or one at the end."
    if name.lower() in _KEYWORDS:
        return f"“{name}” is a word of the programming languages (IEC 61131-3)."
    if len(name) > 64:
        return f"“{name[:20]}…” has {len(name)} characters; 64 are allowed."
    return ""


def _identifier(spec: FieldSpec, given: Any) -> str:
    name = _text(spec, given)
    problem = identifier_problem(name)
    if problem:
        raise Refusal(problem, value=name)
    return name


def _text(spec: FieldSpec, given: Any) -> str:
    if not isinstance(given, str):
        raise Refusal(f"{spec.label}: a text is needed.", value=given)
    text = given.strip()
    limit = 4000 if spec.kind == "note" else 200
    if len(text) > limit:
        raise Refusal(f"{spec.label} has {len(text)} characters; {limit} are allowed.", value=text[:40])
    problem = text_problem(text)
    if problem:
        raise Refusal(f"{spec.label} {problem}.")
    return text


_UNKEPT = re.compile("[\x00-\x08\x0b-\x1f\ud800-\udfff]")


def text_problem(text: str) -> str:
    """Why a text can be neither kept nor shown, or "" when it can."""
    found = _UNKEPT.search(text)
    if found is None:
        return ""
    return "contains a control character" if found[0] < " " else "contains half a character (a lone surrogate)"


def printable(name: str, most: int = 200) -> str:
    """A name from outside, such as a file's, as it can be kept and shown."""
    return "".join("?" if text_problem(c) or c in "\n\t" else c for c in name[:most])


def _quantity(spec: FieldSpec, given: Any) -> Fraction:
    if isinstance(given, bool) or not isinstance(given, int | float | str):
        raise Refusal(f"{spec.label}: a number is needed.", value=given)
    text = given if isinstance(given, str) else repr(given)
    value = parse_number(text, unit=spec.unit)
    unit = f" {spec.unit}" if spec.unit else ""
    if spec.minimum is not None and value < Fraction(repr(spec.minimum)):
        raise Refusal(f"{spec.label} {shown(value)}{unit} is below {shown(spec.minimum)}{unit}.", value=given)
    if spec.maximum is not None and value > Fraction(repr(spec.maximum)):
        raise Refusal(f"{spec.label} {shown(value)}{unit} is above {shown(spec.maximum)}{unit}.", value=given)
    return value


def _integer(spec: FieldSpec, given: Any) -> int:
    value = _quantity(spec, given)
    if value.denominator != 1:
        raise Refusal(f"{spec.label} must be a whole number, not {shown(value)}.", value=given)
    return value.numerator


def _number(spec: FieldSpec, given: Any) -> int | float:
    return plain(_quantity(spec, given))


def _choice(spec: FieldSpec, given: Any) -> Any:
    for choice in spec.choices:
        if type(choice.value) is type(given) and choice.value == given:
            if choice.disabled:
                raise Refusal(f"{choice.label}: {choice.disabled}", value=given)
            return choice.value
    for choice in spec.choices:
        if str(choice.value) == str(given) or choice.label == given:
            return choice.value
    allowed = ", ".join(choice.label for choice in spec.choices[:12])
    raise Refusal(f"{spec.label} cannot be “{given}”; it can be {allowed}.", value=given)


def _boolean(spec: FieldSpec, given: Any) -> bool:
    if not isinstance(given, bool):
        raise Refusal(f"{spec.label} is on or off.", value=given)
    return given


def _special(spec: FieldSpec, given: Any) -> Any:
    raise Refusal(f"{spec.label} cannot be typed.", value=given)


_READERS: dict[FieldKind, Callable[[FieldSpec, Any], Any]] = {
    "text": _text,
    "note": _text,
    "identifier": _identifier,
    "integer": _integer,
    "number": _number,
    "choice": _choice,
    "boolean": _boolean,
    "special": _special,
}
