"""The Modbus register map: an open file of ours, since no standard one exists. CSV and JSON hold the same.

CSV: lines `# key: value` say whose map it is, a header names the columns, a row is a register or coil. JSON: one
object with the same keys and a list `registers`; `docs/register-map.schema.json` is its schema.
"""

from __future__ import annotations

import csv
import json
import re
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from highmoor.core.catalogue.choices import RegisterField
from highmoor.core.catalogue.reading.description import Description, Problems, Unreadable, Vendor
from highmoor.core.catalogue.reading.numerals import number, whole
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.figures.modbus_reference import Reference, parse_reference

FAMILY = "register-map"
READER_VERSION = 1
FORMAT = "highmoor-register-map"
_REGISTERS_AT_MOST = 20_000
_COLUMN_AT_MOST = 2000
# Registers a value takes; a BOOL is a coil, or one bit of a register.
_SIZES = {
    "BOOL": 1, "INT": 1, "UINT": 1, "WORD": 1, "DINT": 2, "UDINT": 2, "DWORD": 2, "REAL": 2,
    "LINT": 4, "ULINT": 4, "LWORD": 4, "LREAL": 4,
}  # fmt: skip
_STRING = re.compile(r"STRING\[([0-9]{1,3})\]")
_ORDERS = ("ABCD", "CDAB", "BADC", "DCBA")
_AREAS = {"coil": 0, "coils": 0, "discrete": 1, "discrete input": 1, "discrete inputs": 1, "input": 3,
          "input register": 3, "input registers": 3, "holding": 4, "holding register": 4,
          "holding registers": 4}  # fmt: skip
_ACCESS = {"r": "read", "read": "read", "ro": "read", "w": "write", "write": "write", "wo": "write",
           "rw": "read-write", "r/w": "read-write", "read-write": "read-write", "read/write": "read-write"}  # fmt: skip
_HEAD = re.compile(r"#\s*([A-Za-z_ ]{1,40}?)\s*:\s*(.*)")
_COLUMNS = frozenset(
    "reference area number address bit name type order access scale offset unit minimum maximum values text".split()
)


class RegisterRow(BaseModel):
    """A register or coil. Its place is `reference`, or `area` with `number` (1-based) or `address` (0-based)."""

    model_config = ConfigDict(extra="forbid")

    reference: str | int | None = Field(None, description="Five or six digits, area digit first: 40001")
    area: str | int | None = Field(None, description="0, 1, 3, 4 or coils, discrete inputs, input or holding registers")
    number: int | str | None = Field(None, description="Counted from 1 within the area")
    address: int | str | None = Field(None, description="Counted from 0, as the protocol does")
    bit: int | str | None = Field(None, description="Bit 0–15 of the register, for a BOOL in a register")
    name: str
    type: str = Field("UINT", description="IEC 61131-3 elementary type, or STRING[n] of n octets")
    order: Literal["ABCD", "CDAB", "BADC", "DCBA"] | str | None = None
    access: str | None = Field(None, description="read, write or read-write")
    scale: float | str | None = Field(None, description="value = raw · scale + offset")
    offset: float | str | None = None
    unit: str = ""
    minimum: float | str | None = None
    maximum: float | str | None = None
    values: dict[str, str] | str | None = Field(None, description="Meaning of values; in CSV 0=off|1=on")
    text: str = ""


class RegisterMap(BaseModel):
    """A device's register map as JSON."""

    model_config = ConfigDict(extra="forbid")

    format: Literal["highmoor-register-map"]
    version: Literal[1] = 1
    maker: str
    vendor_id: int | None = None
    model: str
    order_number: str = ""
    revision: str = ""
    summary: str = ""
    order: Literal["ABCD", "CDAB", "BADC", "DCBA"] = "ABCD"
    registers: list[RegisterRow]


def looks_like(text: str) -> bool:
    """Whether a text is a register map: our format's name near its beginning, or a header with its columns."""
    head = text[:20_000]
    if FORMAT in head:
        return True
    first = next((line for line in head.splitlines() if line.strip() and not line.lstrip().startswith("#")), "")
    columns = {part.strip().strip('"').lower() for part in re.split(r"[,;\t]", first)}
    return {"name", "type"} <= columns and bool(columns & {"reference", "address", "number"})


def read(text: str, encoding: str = "") -> Description:
    """The map in a CSV or JSON file. Raises Unreadable for one without any register."""
    problems = Problems()
    head, rows = _from_json(text) if text.lstrip().startswith("{") else _from_csv(text, problems)
    if len(rows) > _REGISTERS_AT_MOST:
        raise Unreadable(f"The map has {len(rows)} rows; at most {_REGISTERS_AT_MOST} are read.")
    order = str(head.get("order") or "ABCD").upper()
    if order not in _ORDERS:
        problems.error(0, f"{order[:20]} is not an octet order; ABCD is taken.")
        order = "ABCD"
    fields: dict[str, RegisterField] = {}
    for line, row in rows:
        field = _RowReader(line, row, order, problems).field()
        if field and field.key in fields:
            problems.error(
                line, f"{field.label} stands at {field.reference}, where {fields[field.key].label} is; left out."
            )
        elif field:
            fields[field.key] = field
    if not fields:
        raise Unreadable("The file has no register that could be read.", rows[0][0] if rows else 0)
    _overlaps(list(fields.values()), problems)
    maker, model = str(head.get("maker") or ""), str(head.get("model") or "unnamed device")
    vendor = whole(str(head["vendor_id"])) if head.get("vendor_id") not in (None, "") else None
    for what, value in (("maker", maker), ("model", head.get("model"))):
        if not value:
            problems.warning(1, f"The map does not say its {what}.")
    slug = re.sub(r"[^a-z0-9]+", "-", f"{maker} {model}".lower()).strip("-") or "unnamed"
    revision = str(head.get("revision") or "")
    device = DeviceType(
        key=f"{FAMILY}.{slug}",
        kind="device",
        name=model,
        order_number=str(head.get("order_number") or ""),
        maker=maker,
        vendor_id=vendor or 0,
        summary=str(head.get("summary") or ""),
        revisions=(revision,) if revision else (),
        fieldbus="modbus-tcp",
        registers=tuple(fields.values()),
        facts={"order": order},
    )
    return Description(
        FAMILY, Vendor(vendor, maker), (device,), problems.all(), (), str(head.get("version") or "1"), encoding
    )


_Rows = list[tuple[int, dict[str, Any]]]


def _from_json(text: str) -> tuple[dict[str, Any], _Rows]:
    try:
        given = json.loads(text)
    except RecursionError:
        raise Unreadable("The JSON is nested too deeply.") from None
    except json.JSONDecodeError as error:
        raise Unreadable(f"The file is no JSON: {error.msg}.", error.lineno) from None
    except ValueError as error:
        raise Unreadable(f"The file is no JSON: {error}.") from None
    if not isinstance(given, dict) or given.get("format") != FORMAT or not isinstance(given.get("registers"), list):
        raise Unreadable(f"A register map is an object with “format”: “{FORMAT}” and a list “registers”.")
    if given.get("version", 1) != 1:
        raise Unreadable(f"The map is of version {str(given.get('version'))[:20]}; version 1 is read here.")
    rows = [(0, row if isinstance(row, dict) else {"name": row}) for row in given["registers"]]
    return given, rows


def _from_csv(text: str, problems: Problems) -> tuple[dict[str, Any], _Rows]:
    lines = re.split(r"\r\n|\r|\n", text)
    head: dict[str, Any] = {}
    begin = 0
    while begin < len(lines) and (not lines[begin].strip() or lines[begin].lstrip().startswith("#")):
        match = _HEAD.match(lines[begin].strip().rstrip(",;"))
        if match:
            head[match[1].strip().lower().replace(" ", "_")] = match[2].strip()
        begin += 1
    if begin == len(lines):
        raise Unreadable("The file has no header that names its columns.")
    delimiter = max(",;\t", key=lines[begin].count)
    reader = csv.reader((f"{line}\n" for line in lines[begin:]), delimiter=delimiter)
    rows: _Rows = []
    columns: list[str] = []
    while True:
        try:
            row = next(reader)
        except StopIteration:
            break
        except csv.Error as error:
            problems.error(begin + reader.line_num, f"The row cannot be read: {error}.")
            continue
        line = begin + reader.line_num
        if not columns:
            columns = [cell.strip().lower() for cell in row]
            for name in columns:
                if name not in _COLUMNS:
                    problems.note(line, f"The column “{name[:40]}” is not used.")
        elif any(cell.strip() for cell in row) and not row[0].lstrip().startswith("#"):
            if len(row) > len(columns):
                problems.warning(
                    line, f"The row has {len(row)} cells, the header {len(columns)}; the others are left out."
                )
            values = zip(columns, (cell.strip()[:_COLUMN_AT_MOST] for cell in row), strict=False)
            rows.append((line, {name: value for name, value in values if name in _COLUMNS}))
        if len(rows) > _REGISTERS_AT_MOST:
            break
    return head, rows


class _RowReader:
    """One row, checked cell by cell; what cannot be read costs the row, what can be guessed is said."""

    def __init__(self, line: int, row: dict[str, Any], order: str, problems: Problems) -> None:
        self.line = line
        self.row = row
        self.order = order
        self.problems = problems
        self.name = self._text("name") or "a register without a name"

    def field(self) -> RegisterField | None:
        reference = self._reference()
        size = self._size()
        if reference is None or size is None:
            return None
        data_type, registers = size
        bit = self._bit(reference, data_type)
        if bit is False:
            return None
        access = self._access(reference)
        key = f"{reference.area}.{reference.address}" + ("" if bit is None else f".{bit}")
        scale = self._number("scale")
        return RegisterField(
            key=key,
            label=self.name,
            area=reference.area,
            reference=reference.text,
            address=reference.address,
            data_type=data_type,
            registers=registers,
            order=self._order(),
            access=access,
            bit=bit,
            scale=1 if scale is None else scale,
            offset=self._number("offset") or 0,
            unit=self._text("unit"),
            minimum=self._number("minimum"),
            maximum=self._number("maximum"),
            text=self._text("text"),
            values=self._values(),
        )

    def _text(self, key: str) -> str:
        value = self.row.get(key)
        return "" if value is None or isinstance(value, dict | list) else str(value).strip()[:_COLUMN_AT_MOST]

    def _error(self, text: str) -> None:
        self.problems.error(self.line, f"{self.name[:60]}: {text}")

    def _number(self, key: str) -> float | None:
        text = self._text(key)
        if not text:
            return None
        value = number(text.replace(",", ".") if text.count(",") == 1 and "." not in text else text)
        if value is None:
            self._error(f"its {key} “{text[:30]}” is not a number and is left out.")
        return value

    def _reference(self) -> Reference | None:
        text = self._text("reference")
        try:
            if text:
                return parse_reference(text)
            area_text = self._text("area").lower()
            area = _AREAS.get(area_text, whole(area_text) if area_text else None)
            count, address = whole(self._text("number") or "x"), whole(self._text("address") or "x")
        except Refusal as refusal:
            self._error(refusal.reason)
            return None
        count = count if count is not None else (None if address is None else address + 1)
        if area not in (0, 1, 3, 4) or count is None or not 1 <= count <= 65536:
            self._error("its place is not told; a reference such as 40001 is expected, or an area with a number.")
            return None
        return Reference(area, count)

    def _size(self) -> tuple[str, int] | None:
        text = (self._text("type") or "UINT").upper().replace(" ", "")
        if text in _SIZES:
            return text, _SIZES[text]
        match = _STRING.fullmatch(text)
        if match and int(match[1]) > 0:
            return text, (int(match[1]) + 1) // 2
        self._error(f"“{text[:30]}” is not a type of IEC 61131-3 that fits registers.")
        return None

    def _bit(self, reference: Reference, data_type: str) -> int | Literal[False] | None:
        text = self._text("bit")
        if reference.area in (0, 1):
            if data_type != "BOOL":
                self._error(f"a {data_type} does not fit a single coil or discrete input.")
                return False
            return None
        if data_type != "BOOL":
            return None
        bit = whole(text) if text else None
        if bit is None or not 0 <= bit <= 15:
            self._error("a BOOL in a register needs its bit, 0 to 15.")
            return False
        return bit

    def _access(self, reference: Reference) -> Literal["read", "write", "read-write"]:
        fallback: Literal["read", "read-write"] = "read" if reference.area in (1, 3) else "read-write"
        text = self._text("access").lower()
        if not text:
            return fallback
        access = _ACCESS.get(text)
        if access is None:
            self._error(f"“{text[:20]}” is not a kind of access; {fallback} is taken.")
            return fallback
        if access != "read" and fallback == "read":
            self.problems.warning(self.line, f"{self.name[:60]}: its area can only be read.")
            return fallback
        return access  # type: ignore[return-value]

    def _order(self) -> str:
        text = self._text("order").upper()
        if text and text not in _ORDERS:
            self._error(f"“{text[:20]}” is not an octet order; {self.order} is taken.")
            return self.order
        return text or self.order

    def _values(self) -> tuple[tuple[int, str], ...]:
        given = self.row.get("values")
        pairs: list[tuple[Any, Any]] = list(given.items()) if isinstance(given, dict) else []
        if isinstance(given, str) and given:
            pairs = [piece.partition("=")[::2] for piece in given.split("|")]
        found = []
        for value, text in pairs:
            number_of = whole(str(value))
            if number_of is None:
                self._error(f"“{str(value)[:30]}” is not a value that could have a meaning.")
            else:
                found.append((number_of, str(text).strip()))
        return tuple(found)


def _overlaps(fields: list[RegisterField], problems: Problems) -> None:
    """Two values that share a register: one of them is read wrongly, or the map is of two models."""
    last: dict[int, RegisterField] = {}
    for field in sorted(fields, key=lambda f: (f.area, f.address)):
        before = last.get(field.area)
        if before and field.bit is None and before.bit is None and field.address < before.address + before.registers:
            problems.warning(
                0, f"{before.label} ({before.reference}) and {field.label} ({field.reference}) share registers."
            )
        if before is None or field.address + field.registers >= before.address + before.registers:
            last[field.area] = field
